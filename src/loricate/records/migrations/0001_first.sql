-- 0001_first.sql: accounts, definitions, runs with append-only attempts, the ledger, the audit trail.

CREATE TABLE account (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE,
    full_name TEXT NOT NULL,
    role TEXT NOT NULL CHECK (role IN ('operator', 'engineer', 'quality')),
    password_hash TEXT NOT NULL,
    created_at TEXT NOT NULL
) STRICT;

-- Bearer tokens and browser sessions alike; only a digest of the secret is kept.
CREATE TABLE session (
    digest TEXT PRIMARY KEY,
    account_id TEXT NOT NULL REFERENCES account (id) ON DELETE CASCADE,
    csrf TEXT NOT NULL,
    created_at TEXT NOT NULL,
    expires_at TEXT NOT NULL
) STRICT;

CREATE TABLE product (
    code TEXT NOT NULL,
    revision INTEGER NOT NULL,
    document TEXT NOT NULL,
    created_at TEXT NOT NULL,
    created_by TEXT NOT NULL,
    PRIMARY KEY (code, revision)
) STRICT;

CREATE TABLE limit_set (
    code TEXT NOT NULL,
    revision INTEGER NOT NULL,
    document TEXT NOT NULL,
    created_at TEXT NOT NULL,
    created_by TEXT NOT NULL,
    PRIMARY KEY (code, revision)
) STRICT;

-- `document` is what was written; `resolved` holds it with every limit's figures and source.
CREATE TABLE sequence (
    code TEXT NOT NULL,
    revision INTEGER NOT NULL,
    status TEXT NOT NULL CHECK (status IN ('draft', 'released', 'withdrawn')),
    title TEXT NOT NULL,
    product TEXT NOT NULL,
    product_revision INTEGER NOT NULL,
    document TEXT NOT NULL,
    limit_revisions TEXT NOT NULL,
    created_at TEXT NOT NULL,
    created_by TEXT NOT NULL,
    PRIMARY KEY (code, revision),
    FOREIGN KEY (product, product_revision) REFERENCES product (code, revision)
) STRICT;

CREATE TABLE run (
    id TEXT PRIMARY KEY,
    sequence_code TEXT NOT NULL,
    sequence_revision INTEGER NOT NULL,
    fixture TEXT NOT NULL,
    lot TEXT NOT NULL DEFAULT '',
    state TEXT NOT NULL CHECK (
        state IN ('created', 'armed', 'running', 'finished', 'aborted', 'interrupted')
    ),
    verdict TEXT NOT NULL DEFAULT 'not_run',
    note TEXT NOT NULL DEFAULT '',
    bench TEXT NOT NULL,
    software TEXT NOT NULL,
    created_at TEXT NOT NULL,
    created_by TEXT NOT NULL,
    started_at TEXT,
    started_by TEXT,
    ended_at TEXT,
    FOREIGN KEY (sequence_code, sequence_revision) REFERENCES sequence (code, revision)
) STRICT;

-- One unit's place in a run. Its verdict is written once, when the run is over.
CREATE TABLE run_unit (
    id TEXT PRIMARY KEY,
    run_id TEXT NOT NULL REFERENCES run (id),
    nest TEXT NOT NULL,
    serial TEXT NOT NULL,
    product TEXT NOT NULL,
    verdict TEXT NOT NULL DEFAULT 'not_run',
    cause TEXT NOT NULL DEFAULT '',
    UNIQUE (run_id, nest),
    UNIQUE (run_id, serial)
) STRICT;
CREATE INDEX run_unit_serial ON run_unit (serial COLLATE NOCASE);

-- Append-only: attempts and readings are inserted, never changed (see the triggers). An attempt is
-- known by its unit, its step and its number; one tree each keeps a commit small.
CREATE TABLE attempt (
    run_unit_id TEXT NOT NULL REFERENCES run_unit (id),
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    step_index INTEGER NOT NULL,
    kind TEXT NOT NULL,
    title TEXT NOT NULL,
    verdict TEXT NOT NULL,
    cause TEXT NOT NULL,
    note TEXT NOT NULL,
    started_at TEXT NOT NULL,
    ended_at TEXT NOT NULL,
    PRIMARY KEY (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;

CREATE TABLE reading (
    run_unit_id TEXT NOT NULL,
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    value REAL,
    dimension TEXT NOT NULL,
    bound TEXT NOT NULL CHECK (bound IN ('exact', 'below', 'above')),
    uncertainty REAL NOT NULL,
    instrument TEXT NOT NULL,
    minimum REAL,
    maximum REAL,
    source TEXT NOT NULL,
    verdict TEXT NOT NULL,
    cause TEXT NOT NULL,
    margin REAL,
    PRIMARY KEY (run_unit_id, step_id, number, position),
    FOREIGN KEY (run_unit_id, step_id, number)
        REFERENCES attempt (run_unit_id, step_id, number)
) STRICT, WITHOUT ROWID;

CREATE TRIGGER attempt_is_final BEFORE UPDATE ON attempt
BEGIN SELECT RAISE(ABORT, 'attempts are append-only'); END;
CREATE TRIGGER attempt_stays BEFORE DELETE ON attempt
BEGIN SELECT RAISE(ABORT, 'attempts are append-only'); END;
CREATE TRIGGER reading_is_final BEFORE UPDATE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;
CREATE TRIGGER reading_stays BEFORE DELETE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are append-only'); END;

-- Certificates and nonconformance reports in the order they were issued, chained by hash.
CREATE TABLE ledger (
    position INTEGER PRIMARY KEY,
    number TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL CHECK (kind IN ('certificate', 'nonconformance')),
    run_unit_id TEXT NOT NULL UNIQUE REFERENCES run_unit (id),
    serial TEXT NOT NULL,
    issued_at TEXT NOT NULL,
    document_digest TEXT NOT NULL,
    previous TEXT NOT NULL,
    hash TEXT NOT NULL UNIQUE,
    sealed TEXT NOT NULL,
    pdf BLOB NOT NULL
) STRICT;
CREATE TRIGGER ledger_is_final BEFORE UPDATE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER ledger_stays BEFORE DELETE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;

CREATE TABLE idempotency (
    account TEXT NOT NULL,
    key TEXT NOT NULL,
    request_digest TEXT NOT NULL,
    run_id TEXT NOT NULL REFERENCES run (id),
    PRIMARY KEY (account, key)
) STRICT;

CREATE TABLE audit (
    id INTEGER PRIMARY KEY,
    at TEXT NOT NULL,
    account TEXT NOT NULL,
    action TEXT NOT NULL,
    subject TEXT NOT NULL,
    detail TEXT NOT NULL DEFAULT ''
) STRICT;
