-- 0009_order.sql: what counts is order, not the clock: which doubts a daily check answers and a run has, and
-- whether a unit's document tells of its latest attempt. What cannot be issued is set aside.

-- The newest doubt when a daily check began, and when a run last ended.
ALTER TABLE daily_check ADD COLUMN doubts_before INTEGER NOT NULL DEFAULT 0;
UPDATE daily_check SET doubts_before =
    coalesce((SELECT max(doubt.id) FROM doubt WHERE doubt.at <= daily_check.started_at), 0);
ALTER TABLE run ADD COLUMN doubts_until INTEGER;
UPDATE run SET doubts_until =
    coalesce((SELECT max(doubt.id) FROM doubt WHERE doubt.at <= run.ended_at), 0)
WHERE ended_at IS NOT NULL;

-- Whether everything that can be issued for a finished run has been.
ALTER TABLE run ADD COLUMN is_issued INTEGER NOT NULL DEFAULT 0 CHECK (is_issued IN (0, 1));
UPDATE run SET is_issued = 1 WHERE state = 'finished'
    AND id NOT IN (SELECT id FROM run ORDER BY id DESC LIMIT 50);
CREATE INDEX run_not_issued ON run (id) WHERE state = 'finished' AND is_issued = 0;

-- How many attempts a unit had when its document was issued.
CREATE TABLE issued_after (
    number TEXT PRIMARY KEY REFERENCES ledger (number),
    attempts INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
INSERT INTO issued_after SELECT number, (
    SELECT count(*) FROM attempt
    WHERE attempt.run_unit_id = ledger.run_unit_id AND attempt.started_at <= ledger.issued_at
) FROM ledger;

-- Documents that could not be made, with the reason, until they can.
CREATE TABLE set_aside (
    run_unit_id TEXT PRIMARY KEY REFERENCES run_unit (id),
    reason TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
