-- 0016_captures.sql: cables captured from known-good units: what was measured of each unit, and what somebody decided
-- of each net and component. A capture is called by the id of its first unit.

CREATE TABLE captured_unit (
    id TEXT PRIMARY KEY,
    capture TEXT NOT NULL REFERENCES captured_unit (id),
    fixture TEXT NOT NULL,
    nest TEXT NOT NULL,
    serial TEXT NOT NULL,
    report TEXT NOT NULL,
    account TEXT NOT NULL,
    measured_at TEXT NOT NULL,
    site TEXT NOT NULL DEFAULT '$site'
) STRICT, WITHOUT ROWID;
CREATE INDEX captured_unit_of_capture ON captured_unit (capture, id);
CREATE TRIGGER captured_unit_is_final BEFORE UPDATE ON captured_unit
BEGIN SELECT RAISE(ABORT, 'captured units are append-only'); END;
CREATE TRIGGER captured_unit_stays BEFORE DELETE ON captured_unit
BEGIN SELECT RAISE(ABORT, 'captured units are append-only'); END;

CREATE TABLE capture_decision (
    id TEXT PRIMARY KEY,
    capture TEXT NOT NULL REFERENCES captured_unit (id),
    item TEXT NOT NULL,
    choice TEXT NOT NULL CHECK (choice IN ('accepted', 'changed', 'refused')),
    changes TEXT NOT NULL,
    units INTEGER NOT NULL,
    account TEXT NOT NULL,
    decided_at TEXT NOT NULL,
    site TEXT NOT NULL DEFAULT '$site'
) STRICT, WITHOUT ROWID;
CREATE INDEX capture_decision_of_capture ON capture_decision (capture, id);
CREATE TRIGGER capture_decision_is_final BEFORE UPDATE ON capture_decision
BEGIN SELECT RAISE(ABORT, 'decisions are append-only'); END;
CREATE TRIGGER capture_decision_stays BEFORE DELETE ON capture_decision
BEGIN SELECT RAISE(ABORT, 'decisions are append-only'); END;
