-- 0003_operator.sql: what the operator's day leaves: repeats, answers, remarks, pictures, traces, zeroes,
-- daily checks. Documents may supersede an earlier one of the same unit.

ALTER TABLE attempt ADD COLUMN reason TEXT NOT NULL DEFAULT '';

-- The value before the fixture's zero was taken off; NULL where nothing was.
ALTER TABLE reading ADD COLUMN as_measured REAL;

-- The curves of an attempt: JSON columns, deflated (RFC 1950).
CREATE TABLE trace (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    data BLOB NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER trace_is_final BEFORE UPDATE ON trace
BEGIN SELECT RAISE(ABORT, 'traces are append-only'); END;
CREATE TRIGGER trace_stays BEFORE DELETE ON trace
BEGIN SELECT RAISE(ABORT, 'traces are append-only'); END;

-- Every answer of an operator; `attempt` is the number of the attempt that it belongs to.
CREATE TABLE answer (
    id INTEGER PRIMARY KEY,
    run_unit_id TEXT NOT NULL REFERENCES run_unit (id),
    step_id TEXT NOT NULL,
    attempt INTEGER NOT NULL,
    moment TEXT NOT NULL,
    question TEXT NOT NULL,
    choice TEXT NOT NULL,
    note TEXT NOT NULL,
    account TEXT NOT NULL,
    answered_at TEXT NOT NULL
) STRICT;
CREATE INDEX answer_unit ON answer (run_unit_id);
CREATE TRIGGER answer_is_final BEFORE UPDATE ON answer
BEGIN SELECT RAISE(ABORT, 'answers are append-only'); END;
CREATE TRIGGER answer_stays BEFORE DELETE ON answer
BEGIN SELECT RAISE(ABORT, 'answers are append-only'); END;

-- A step asked for again after the run: it is due while the unit has only `attempts` of it and the
-- request is not withdrawn, as it is when the run ends without it.
CREATE TABLE repeat_request (
    id INTEGER PRIMARY KEY,
    run_unit_id TEXT NOT NULL REFERENCES run_unit (id),
    step_id TEXT NOT NULL,
    attempts INTEGER NOT NULL,
    reason TEXT NOT NULL,
    account TEXT NOT NULL,
    asked_at TEXT NOT NULL,
    withdrawn_at TEXT
) STRICT;
CREATE INDEX repeat_request_unit ON repeat_request (run_unit_id);

-- Pictures lie beside the database under their SHA-256.
CREATE TABLE picture (
    digest TEXT PRIMARY KEY,
    media_type TEXT NOT NULL,
    width INTEGER NOT NULL,
    height INTEGER NOT NULL,
    bytes INTEGER NOT NULL,
    added_at TEXT NOT NULL,
    added_by TEXT NOT NULL
) STRICT;

-- A remark on a unit in a run, or on one of its steps.
CREATE TABLE remark (
    id TEXT PRIMARY KEY,
    run_unit_id TEXT NOT NULL REFERENCES run_unit (id),
    step_id TEXT NOT NULL,
    text TEXT NOT NULL,
    picture TEXT REFERENCES picture (digest),
    account TEXT NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX remark_unit ON remark (run_unit_id);
CREATE TRIGGER remark_is_final BEFORE UPDATE ON remark
BEGIN SELECT RAISE(ABORT, 'remarks are append-only'); END;
CREATE TRIGGER remark_stays BEFORE DELETE ON remark
BEGIN SELECT RAISE(ABORT, 'remarks are append-only'); END;

-- The lead resistance of one contact of a nest; the newest counts.
CREATE TABLE zero (
    id TEXT PRIMARY KEY,
    fixture TEXT NOT NULL,
    nest TEXT NOT NULL,
    contact TEXT NOT NULL,
    ohms REAL NOT NULL,
    uncertainty REAL NOT NULL,
    instrument TEXT NOT NULL,
    account TEXT NOT NULL,
    measured_at TEXT NOT NULL
) STRICT;
CREATE INDEX zero_place ON zero (fixture, nest, contact, id);

-- What a path of a nest shows open and shorted at a frequency; the newest counts.
CREATE TABLE impedance_zero (
    id TEXT PRIMARY KEY,
    fixture TEXT NOT NULL,
    nest TEXT NOT NULL,
    high TEXT NOT NULL,
    low TEXT NOT NULL,
    frequency_hz REAL NOT NULL,
    open_resistance REAL NOT NULL,
    open_reactance REAL NOT NULL,
    short_resistance REAL NOT NULL,
    short_reactance REAL NOT NULL,
    account TEXT NOT NULL,
    measured_at TEXT NOT NULL
) STRICT;
CREATE INDEX impedance_zero_place ON impedance_zero (fixture, nest, high, low, frequency_hz, id);

-- The empty-fixture scanner check and both reference boxes; `report` is JSON.
CREATE TABLE daily_check (
    id TEXT PRIMARY KEY,
    fixture TEXT NOT NULL,
    passed INTEGER NOT NULL CHECK (passed IN (0, 1)),
    report TEXT NOT NULL,
    account TEXT NOT NULL,
    started_at TEXT NOT NULL,
    ended_at TEXT NOT NULL
) STRICT;
CREATE INDEX daily_check_fixture ON daily_check (fixture, id);

-- Contacts renewed: matings are counted from here.
CREATE TABLE fixture_service (
    id TEXT PRIMARY KEY,
    fixture TEXT NOT NULL,
    note TEXT NOT NULL,
    account TEXT NOT NULL,
    serviced_at TEXT NOT NULL
) STRICT;
CREATE INDEX run_fixture ON run (fixture, started_at);

-- What starts an armed run: a key, the foot switch, or a unit in every nest that is on.
ALTER TABLE run ADD COLUMN start_by TEXT NOT NULL DEFAULT 'key';

-- When the run first came to its end; a repeat later moves its state, not this.
ALTER TABLE run ADD COLUMN finished_at TEXT;
UPDATE run SET finished_at = ended_at WHERE state = 'finished';

-- A unit may get a second document after a repeat; it names the one it supersedes.
CREATE TABLE issued (
    position INTEGER PRIMARY KEY,
    number TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL CHECK (kind IN ('certificate', 'nonconformance')),
    run_unit_id TEXT NOT NULL REFERENCES run_unit (id),
    serial TEXT NOT NULL,
    issued_at TEXT NOT NULL,
    document_digest TEXT NOT NULL,
    previous TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    sealed TEXT NOT NULL,
    pdf BLOB NOT NULL,
    supersedes TEXT REFERENCES issued (number)
) STRICT;
INSERT INTO issued SELECT *, NULL FROM ledger;
DROP TRIGGER ledger_is_final;
DROP TRIGGER ledger_stays;
DROP TABLE ledger;
ALTER TABLE issued RENAME TO ledger;
CREATE INDEX ledger_unit ON ledger (run_unit_id);
CREATE UNIQUE INDEX ledger_supersedes ON ledger (supersedes);
CREATE TRIGGER ledger_is_final BEFORE UPDATE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER ledger_stays BEFORE DELETE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;

-- The document of each unit that counts: the one that none supersedes.
CREATE VIEW current_document AS
SELECT * FROM ledger WHERE number NOT IN (
    SELECT supersedes FROM ledger WHERE supersedes IS NOT NULL
);
