-- 0002_lot.sql: until now a run's lot was free text; from here it names an order's worth of units.

CREATE TABLE lot (
    code TEXT PRIMARY KEY,
    product TEXT NOT NULL,
    quantity INTEGER NOT NULL CHECK (quantity > 0),
    serials TEXT NOT NULL,
    order_number TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('open', 'closed')),
    created_at TEXT NOT NULL,
    created_by TEXT NOT NULL,
    closed_at TEXT
) STRICT;

CREATE INDEX run_lot ON run (lot);

-- Why a serial that had a verdict was tested again.
ALTER TABLE run ADD COLUMN retest TEXT NOT NULL DEFAULT '';
