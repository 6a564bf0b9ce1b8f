-- 0026_carry.sql: records of benches out of reach. They stand in a file of their own beside those of this service, as they
-- stood there; in it, what came, and the marks of that bench. In a bench's own records, what another service has of them.

-- What came in, one row a file: what the bench and its site are called, and who signed it; `manifest` as it was signed,
-- `ends` how far each chain of its marks went then.
CREATE TABLE carried (
    position INTEGER PRIMARY KEY,
    file TEXT NOT NULL,
    bench TEXT NOT NULL,
    name TEXT NOT NULL,
    kid TEXT NOT NULL,
    made_at TEXT NOT NULL,
    manifest TEXT NOT NULL,
    ends TEXT NOT NULL,
    records INTEGER NOT NULL,
    documents INTEGER NOT NULL,
    units INTEGER NOT NULL,
    came_at TEXT NOT NULL,
    account TEXT NOT NULL
) STRICT;
CREATE TRIGGER carried_is_final BEFORE UPDATE ON carried
BEGIN SELECT RAISE(ABORT, 'what came in is append-only'); END;
CREATE TRIGGER carried_stays BEFORE DELETE ON carried
BEGIN SELECT RAISE(ABORT, 'what came in is append-only'); END;

-- The marks of the bench itself, as they came: this service marks what came in by chains of its own.
CREATE TABLE carried_mark (
    kind TEXT NOT NULL,
    position INTEGER NOT NULL,
    key TEXT NOT NULL,
    digest TEXT NOT NULL,
    at TEXT NOT NULL,
    origin TEXT NOT NULL,
    hash TEXT NOT NULL,
    PRIMARY KEY (kind, position)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER carried_mark_is_final BEFORE UPDATE ON carried_mark
BEGIN SELECT RAISE(ABORT, 'marks are append-only'); END;
CREATE TRIGGER carried_mark_stays BEFORE DELETE ON carried_mark
BEGIN SELECT RAISE(ABORT, 'marks are append-only'); END;

-- How far another service has these records, by its own word; the newest of each counts.
CREATE TABLE receipt (
    id TEXT PRIMARY KEY,
    service TEXT NOT NULL,
    name TEXT NOT NULL,
    ends TEXT NOT NULL,
    told_at TEXT NOT NULL,
    account TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE TRIGGER receipt_is_final BEFORE UPDATE ON receipt
BEGIN SELECT RAISE(ABORT, 'receipts are append-only'); END;
CREATE TRIGGER receipt_stays BEFORE DELETE ON receipt
BEGIN SELECT RAISE(ABORT, 'receipts are append-only'); END;

-- Reports that the whole site has by name: what they are of, and how.
CREATE TABLE report_template (
    name TEXT PRIMARY KEY COLLATE NOCASE,
    plan TEXT NOT NULL,
    account TEXT NOT NULL,
    kept_at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
