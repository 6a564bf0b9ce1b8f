-- 0012_measurements.sql: readings by quantity and point, with every correction; each fault that was found;
-- curves by name; and each released sequence as it was resolved, so that no run is read with later software.

-- What the release made of the document (JSON, `loricate-released/1`); empty before it.
ALTER TABLE sequence ADD COLUMN resolved TEXT NOT NULL DEFAULT '';

-- `corrections` is a JSON array of [what, value before], the first one's value as measured.
CREATE TABLE measured (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    position INTEGER NOT NULL,
    repetition INTEGER NOT NULL,
    quantity TEXT NOT NULL,
    point TEXT NOT NULL,
    value REAL,
    dimension TEXT NOT NULL,
    bound TEXT NOT NULL CHECK (bound IN ('exact', 'below', 'above')),
    uncertainty REAL NOT NULL,
    instrument TEXT NOT NULL,
    corrections TEXT NOT NULL,
    minimum REAL,
    maximum REAL,
    caution_below REAL,
    caution_above REAL,
    source TEXT NOT NULL,
    verdict TEXT NOT NULL,
    cause TEXT NOT NULL,
    outcome TEXT NOT NULL,
    band TEXT NOT NULL CHECK (band IN ('', 'good', 'caution', 'bad')),
    margin REAL,
    ungraded TEXT NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number, position),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;
INSERT INTO measured
SELECT reading.run_unit_id, reading.step_id, reading.number, position, repetition,
    CASE WHEN name LIKE 'resistance %' THEN 'resistance' ELSE name END,
    CASE WHEN name LIKE 'resistance %' THEN point_until_0011(name, reading.step_id, sequence.document) ELSE '' END,
    value, dimension, bound, uncertainty, instrument,
    corrections_until_0011(attempt.kind, as_measured),
    minimum, maximum, NULL, NULL,
    CASE WHEN minimum IS NULL AND maximum IS NULL THEN '' ELSE source END,
    reading.verdict, reading.cause, outcome,
    CASE reading.verdict WHEN 'pass' THEN 'good' WHEN 'fail' THEN 'bad' WHEN 'inconclusive' THEN 'caution' ELSE '' END,
    margin, ''
FROM reading JOIN attempt ON attempt.run_unit_id = reading.run_unit_id
    AND attempt.step_id = reading.step_id AND attempt.number = reading.number
JOIN run_unit ON run_unit.id = reading.run_unit_id
JOIN run ON run.id = run_unit.run_id
JOIN sequence ON sequence.code = run.sequence_code AND sequence.revision = run.sequence_revision;
DROP TRIGGER reading_is_final;
DROP TRIGGER reading_stays;
DROP TABLE reading;
ALTER TABLE measured RENAME TO reading;
CREATE TRIGGER reading_is_final BEFORE UPDATE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
CREATE TRIGGER reading_stays BEFORE DELETE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;

-- What an attempt found wrong outright, each with its cause. Until now only the first was kept, as the attempt's.
CREATE TABLE fault (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    position INTEGER NOT NULL,
    repetition INTEGER NOT NULL,
    cause TEXT NOT NULL,
    point TEXT NOT NULL,
    text TEXT NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number, position),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;
INSERT INTO fault
SELECT run_unit_id, step_id, number, 0, 1, cause, '', '' FROM attempt
WHERE verdict = 'fail' AND NOT EXISTS (
    SELECT 1 FROM reading WHERE reading.run_unit_id = attempt.run_unit_id
    AND reading.step_id = attempt.step_id AND reading.number = attempt.number AND reading.verdict = 'fail'
    AND reading.cause = attempt.cause
) AND NOT EXISTS (
    SELECT 1 FROM repetition WHERE repetition.run_unit_id = attempt.run_unit_id
    AND repetition.step_id = attempt.step_id AND repetition.number = attempt.number
);
CREATE TRIGGER fault_is_final BEFORE UPDATE ON fault
BEGIN SELECT RAISE(ABORT, 'faults are append-only'); END;
CREATE TRIGGER fault_stays BEFORE DELETE ON fault
BEGIN SELECT RAISE(ABORT, 'faults are append-only'); END;

-- The curves of an attempt in the order of time: JSON, deflated (RFC 1950).
CREATE TABLE curve (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    position INTEGER NOT NULL,
    repetition INTEGER NOT NULL,
    name TEXT NOT NULL,
    point TEXT NOT NULL,
    data BLOB NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number, position),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;
-- A trace held every output of its step, one after another.
INSERT INTO curve
WITH RECURSIVE part (run_unit_id, step_id, number, position, trace, data) AS (
    SELECT run_unit_id, step_id, number, 0, data, curve_until_0011(data, 0) FROM trace
    UNION ALL
    SELECT run_unit_id, step_id, number, position + 1, trace, curve_until_0011(trace, position + 1)
    FROM part WHERE data IS NOT NULL
)
SELECT run_unit_id, step_id, number, position, 1, 'course', '', data FROM part WHERE data IS NOT NULL;
DROP TRIGGER trace_is_final;
DROP TRIGGER trace_stays;
DROP TABLE trace;
CREATE TRIGGER curve_is_final BEFORE UPDATE ON curve
BEGIN SELECT RAISE(ABORT, 'curves are append-only'); END;
CREATE TRIGGER curve_stays BEFORE DELETE ON curve
BEGIN SELECT RAISE(ABORT, 'curves are append-only'); END;
