-- 0028_keep.sql: what was measured of a unit in a run goes once its product's time is over.

-- One row a unit in a run whose readings and curves went: on whose word and why, and how many there
-- were. `years` is how long they had to be kept. What took the readings stays known by it.
CREATE TABLE let_go (
    run_unit_id TEXT PRIMARY KEY REFERENCES run_unit (id),
    product TEXT NOT NULL,
    years INTEGER NOT NULL CHECK (years > 0),
    readings INTEGER NOT NULL,
    curves INTEGER NOT NULL,
    instruments TEXT NOT NULL,
    reason TEXT NOT NULL,
    account TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE TRIGGER let_go_is_final BEFORE UPDATE ON let_go
BEGIN SELECT RAISE(ABORT, 'what went does not come back'); END;
CREATE TRIGGER let_go_stays BEFORE DELETE ON let_go
BEGIN SELECT RAISE(ABORT, 'what went does not come back'); END;

-- Whatever goes is written down first, and nothing is measured of it afterwards.
DROP TRIGGER reading_stays;
CREATE TRIGGER reading_stays BEFORE DELETE ON reading
WHEN OLD.run_unit_id NOT IN (SELECT run_unit_id FROM let_go)
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
DROP TRIGGER curve_stays;
CREATE TRIGGER curve_stays BEFORE DELETE ON curve
WHEN OLD.run_unit_id NOT IN (SELECT run_unit_id FROM let_go)
BEGIN SELECT RAISE(ABORT, 'curves are append-only'); END;
CREATE TRIGGER attempt_is_not_let_go BEFORE INSERT ON attempt
WHEN NEW.run_unit_id IN (SELECT run_unit_id FROM let_go)
BEGIN SELECT RAISE(ABORT, 'what was measured of this unit was let go'); END;
CREATE TRIGGER run_is_let_go BEFORE UPDATE OF state ON run
WHEN NEW.state IN ('created', 'armed', 'running') AND EXISTS (
    SELECT 1 FROM let_go JOIN run_unit ON run_unit.id = run_unit_id WHERE run_id = OLD.id
)
BEGIN SELECT RAISE(ABORT, 'what was measured in this run was let go'); END;

-- What took readings of a unit is sought by as before, whether they are still there or not.
DROP VIEW to_be_sought;
CREATE VIEW to_be_sought AS
SELECT coalesce(run.started_at, run.created_at) AS begun_at, run_unit.id,
    coalesce(run.ended_at, CASE WHEN run.started_at IS NULL THEN run.created_at ELSE '' END) AS ended_at,
    run_unit.verdict, run_unit.cause, unit.product, run.sequence_code AS sequence, run.sequence_revision AS revision,
    run.fixture, run_unit.nest, run.lot, coalesce(run.started_by, run.created_by) AS operator,
    coalesce(run.bench ->> 'code', '') AS bench, run.occasion,
    coalesce((
        SELECT CASE WHEN revoked IS NULL THEN kind ELSE 'revoked' END FROM current_document
        WHERE run_unit_id = run_unit.id
    ), 'none') AS document,
    unit.serial, unit.asset, unit.place,
    coalesce((
        SELECT '|' || group_concat(step_id, '|') || '|' FROM (
            SELECT DISTINCT step_id FROM attempt WHERE run_unit_id = run_unit.id AND verdict = 'fail'
        )
    ), '') AS failed,
    coalesce((
        SELECT '|' || group_concat(name, '|') || '|' FROM (
            SELECT instrument AS name FROM reading WHERE run_unit_id = run_unit.id AND instrument <> ''
            UNION SELECT value FROM let_go, json_each(let_go.instruments) WHERE run_unit_id = run_unit.id
            UNION SELECT serial FROM run_instrument
            WHERE run_id = run.id AND serial <> '' AND instrument IN (
                SELECT instrument FROM reading WHERE run_unit_id = run_unit.id
                UNION SELECT value FROM let_go, json_each(let_go.instruments) WHERE run_unit_id = run_unit.id
            )
        )
    ), '') AS instruments
FROM run_unit JOIN run ON run.id = run_unit.run_id JOIN unit ON unit.id = run_unit.unit_id;
