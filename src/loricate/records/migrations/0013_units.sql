-- 0013_units.sql: units of their own, with runs pointing to them; the instruments of a run as rows; which site a
-- record is of; readings that are found by product, step, quantity, point and time; kinds of documents in a table;
-- papers beside the database, by digest; what still has to leave, in an outbox.

-- The site that these records are of: each record that may be carried elsewhere says so, by default.
CREATE TABLE site (
    id TEXT PRIMARY KEY,
    since TEXT NOT NULL
) STRICT, WITHOUT ROWID;
INSERT INTO site (id, since) VALUES ('$site', '$now');
ALTER TABLE audit ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE daily_check ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE doubt ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE fixture_service ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE impedance_zero ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE limit_set ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE lot ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE picture ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE product ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE run ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE sequence ADD COLUMN site TEXT NOT NULL DEFAULT '$site';
ALTER TABLE zero ADD COLUMN site TEXT NOT NULL DEFAULT '$site';

-- One serialised article. Serials that differ in case only are units of their own, as they were.
CREATE TABLE unit (
    id TEXT PRIMARY KEY,
    product TEXT NOT NULL,
    serial TEXT NOT NULL,
    asset TEXT NOT NULL DEFAULT '',
    place TEXT NOT NULL DEFAULT '',
    added_at TEXT NOT NULL,
    site TEXT NOT NULL DEFAULT '$site',
    UNIQUE (product, serial)
) STRICT;
INSERT INTO unit (id, product, serial, added_at)
SELECT min(run_unit.id), run_unit.product, serial, min(created_at)
FROM run_unit JOIN run ON run.id = run_id GROUP BY run_unit.product, serial;
CREATE INDEX unit_serial ON unit (serial COLLATE NOCASE);

CREATE TABLE loaded (
    id TEXT PRIMARY KEY,
    run_id TEXT NOT NULL REFERENCES run (id),
    unit_id TEXT NOT NULL REFERENCES unit (id),
    nest TEXT NOT NULL,
    verdict TEXT NOT NULL DEFAULT 'not_run',
    cause TEXT NOT NULL DEFAULT '',
    UNIQUE (run_id, nest),
    UNIQUE (run_id, unit_id)
) STRICT;
INSERT INTO loaded (id, run_id, unit_id, nest, verdict, cause)
SELECT run_unit.id, run_id, unit.id, nest, verdict, cause FROM run_unit
JOIN unit ON unit.product = run_unit.product AND unit.serial = run_unit.serial;
DROP TABLE run_unit;
ALTER TABLE loaded RENAME TO run_unit;
CREATE INDEX run_unit_unit ON run_unit (unit_id, id);

-- The instruments that served a run, each as it was calibrated then.
CREATE TABLE run_instrument (
    run_id TEXT NOT NULL REFERENCES run (id),
    position INTEGER NOT NULL,
    instrument TEXT NOT NULL,
    title TEXT NOT NULL,
    identity TEXT NOT NULL,
    serial TEXT NOT NULL,
    calibrated TEXT NOT NULL,
    due TEXT NOT NULL,
    certificate TEXT NOT NULL,
    PRIMARY KEY (run_id, position)
) STRICT, WITHOUT ROWID;
INSERT INTO run_instrument
    (run_id, position, instrument, title, identity, serial, calibrated, due, certificate)
SELECT run.id, each.key, each.value ->> 'id', coalesce(each.value ->> 'title', ''),
    coalesce(each.value ->> 'identity', ''), coalesce(each.value ->> 'serial', ''),
    coalesce(each.value ->> 'calibrated', ''), coalesce(each.value ->> 'due', ''),
    coalesce(each.value ->> 'certificate', '')
FROM run, json_each(run.bench, '$.instruments') AS each;
UPDATE run SET bench = json_remove(bench, '$.instruments');
CREATE INDEX run_instrument_instrument ON run_instrument (instrument, run_id);

-- What a unit's attempt read is looked for by product, step, quantity and point, in the order of time: identifiers of
-- units in runs are in it. An attempt may have hundreds: what its words may be is checked where they are written.
CREATE TABLE measured (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    position INTEGER NOT NULL,
    repetition INTEGER NOT NULL,
    product TEXT NOT NULL,
    quantity TEXT NOT NULL,
    point TEXT NOT NULL,
    value REAL,
    dimension TEXT NOT NULL,
    bound TEXT NOT NULL,
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
    guarded TEXT NOT NULL,
    band TEXT NOT NULL,
    margin REAL,
    ungraded TEXT NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number, position),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;
INSERT INTO measured
    (run_unit_id, step_id, number, position, repetition, product, quantity, point, value, dimension, bound,
    uncertainty, instrument, corrections, minimum, maximum, caution_below, caution_above, source, verdict, cause,
    guarded, band, margin, ungraded)
SELECT run_unit_id, step_id, number, position, repetition, product, quantity, point, value, dimension, bound,
    uncertainty, instrument, corrections, minimum, maximum, caution_below, caution_above, source, reading.verdict,
    reading.cause, outcome, band, margin, ungraded
FROM reading JOIN run_unit ON run_unit.id = run_unit_id JOIN unit ON unit.id = unit_id;
DROP TRIGGER reading_is_final;
DROP TRIGGER reading_stays;
DROP TABLE reading;
ALTER TABLE measured RENAME TO reading;
CREATE INDEX reading_of ON reading (product, step_id, quantity, point, run_unit_id);
CREATE TRIGGER reading_is_final BEFORE UPDATE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
CREATE TRIGGER reading_stays BEFORE DELETE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;

-- Each kind of entry in the ledger, and the letter that its numbers begin with.
CREATE TABLE document_kind (
    name TEXT PRIMARY KEY,
    letter TEXT NOT NULL UNIQUE
) STRICT, WITHOUT ROWID;
INSERT INTO document_kind (name, letter) VALUES
    ('certificate', 'C'), ('nonconformance', 'N'), ('lot', 'L'), ('report', 'R'), ('revocation', 'X'),
    ('approval', 'A');

-- `paper` is the SHA-256 of the PDF, a file below `papers` beside the database; empty where a kind has none.
DROP VIEW current_document;
CREATE TABLE issued (
    position INTEGER PRIMARY KEY,
    number TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL REFERENCES document_kind (name),
    run_unit_id TEXT REFERENCES run_unit (id),
    serial TEXT NOT NULL,
    issued_at TEXT NOT NULL,
    document_digest TEXT NOT NULL,
    previous TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    sealed TEXT NOT NULL,
    paper TEXT NOT NULL,
    supersedes TEXT REFERENCES issued (number),
    site TEXT NOT NULL DEFAULT '$site'
) STRICT;
INSERT INTO issued
    (position, number, kind, run_unit_id, serial, issued_at, document_digest, previous, hash, sealed, paper, supersedes)
SELECT position, number, kind, run_unit_id, serial, issued_at, document_digest, previous, hash, sealed,
    paper_kept_until_0012(pdf), supersedes
FROM ledger ORDER BY position;
DROP TRIGGER ledger_is_final;
DROP TRIGGER ledger_stays;
DROP TABLE ledger;
ALTER TABLE issued RENAME TO ledger;
CREATE INDEX ledger_run_unit ON ledger (run_unit_id);
CREATE INDEX ledger_serial ON ledger (serial COLLATE NOCASE);
CREATE UNIQUE INDEX ledger_supersedes ON ledger (supersedes);
CREATE TRIGGER ledger_is_final BEFORE UPDATE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER ledger_stays BEFORE DELETE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE VIEW current_document AS
SELECT position, number, kind, run_unit_id, serial, issued_at FROM ledger WHERE number NOT IN (
    SELECT supersedes FROM ledger WHERE supersedes IS NOT NULL
);

-- What still has to reach a folder or another system, and what became of it. Whatever makes an entry makes it in the
-- transaction that makes what is to be sent.
CREATE TABLE outbox (
    id INTEGER PRIMARY KEY,
    target TEXT NOT NULL,
    subject TEXT NOT NULL,
    facts TEXT NOT NULL,
    queued_at TEXT NOT NULL,
    tries INTEGER NOT NULL DEFAULT 0,
    next_try_at TEXT NOT NULL,
    problem TEXT NOT NULL DEFAULT '',
    sent_at TEXT
) STRICT;
CREATE INDEX outbox_waiting ON outbox (next_try_at) WHERE sent_at IS NULL;
