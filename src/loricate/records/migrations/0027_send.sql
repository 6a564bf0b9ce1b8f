-- 0027_send.sql: messages to other systems, in order for each unit; and the orders that come from them.

-- A message has a key of its own, the same however often it is sent, and the unit whose messages go in order. One that
-- somebody leaves out has ended as well: it says who did, and why.
ALTER TABLE outbox ADD COLUMN key TEXT NOT NULL DEFAULT '';
ALTER TABLE outbox ADD COLUMN unit TEXT NOT NULL DEFAULT '';
ALTER TABLE outbox ADD COLUMN left_out TEXT NOT NULL DEFAULT '';
DROP INDEX outbox_waiting;
CREATE INDEX outbox_waiting ON outbox (target, id) WHERE sent_at IS NULL;
CREATE INDEX outbox_in_order ON outbox (target, unit, id) WHERE sent_at IS NULL AND unit <> '';

-- What another system wants tested: of which unit, on which occasion. The run that did it ends it.
CREATE TABLE work_order (
    number TEXT PRIMARY KEY COLLATE NOCASE,
    unit_id TEXT NOT NULL REFERENCES unit (id),
    occasion TEXT NOT NULL,
    due TEXT NOT NULL,
    said TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('open', 'done', 'withdrawn')),
    came_at TEXT NOT NULL,
    account TEXT NOT NULL,
    run_unit_id TEXT REFERENCES run_unit (id),
    verdict TEXT NOT NULL DEFAULT '',
    ended_at TEXT,
    reason TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;
CREATE INDEX work_order_open ON work_order (unit_id) WHERE state = 'open';
CREATE INDEX work_order_run ON work_order (run_unit_id) WHERE run_unit_id IS NOT NULL;
