-- 0006_repetitions.sql: a step done several times in one attempt keeps what came of each time, and which
-- reading belongs to which.

ALTER TABLE reading ADD COLUMN repetition INTEGER NOT NULL DEFAULT 1;

CREATE TABLE repetition (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    repetition INTEGER NOT NULL,
    verdict TEXT NOT NULL,
    cause TEXT NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number, repetition),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER repetition_is_final BEFORE UPDATE ON repetition
BEGIN SELECT RAISE(ABORT, 'repetitions are append-only'); END;
CREATE TRIGGER repetition_stays BEFORE DELETE ON repetition
BEGIN SELECT RAISE(ABORT, 'repetitions are append-only'); END;
