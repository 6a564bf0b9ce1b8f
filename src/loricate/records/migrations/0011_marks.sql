-- 0011_marks.sql: what is stored is marked, so that a change from outside shows; the keys that documents were
-- sealed with; numbers that are taken; administrators; sessions that can be told apart; one-time codes.

-- A mark for each record that matters, each time it was stored: a chain by hash for each kind of record.
CREATE TABLE mark (
    kind TEXT NOT NULL,
    position INTEGER NOT NULL,
    key TEXT NOT NULL,
    digest TEXT NOT NULL,
    at TEXT NOT NULL,
    origin TEXT NOT NULL CHECK (origin IN ('stored', 'migrated')),
    hash TEXT NOT NULL,
    may_change INTEGER NOT NULL CHECK (may_change IN (0, 1)),
    PRIMARY KEY (kind, position)
) STRICT, WITHOUT ROWID;
-- Before a record is changed it is held against its last mark; most are never changed, and need no index.
CREATE INDEX mark_of_what_changes ON mark (kind, key, position) WHERE may_change = 1;
CREATE TRIGGER mark_is_final BEFORE UPDATE ON mark
BEGIN SELECT RAISE(ABORT, 'marks are append-only'); END;
CREATE TRIGGER mark_stays BEFORE DELETE ON mark
BEGIN SELECT RAISE(ABORT, 'marks are append-only'); END;

-- The public keys of the site in the order of their use; the newest is in use.
CREATE TABLE site_key (
    position INTEGER PRIMARY KEY,
    kid TEXT NOT NULL UNIQUE,
    jwk TEXT NOT NULL,
    since TEXT NOT NULL
) STRICT;
CREATE TRIGGER site_key_is_final BEFORE UPDATE ON site_key
BEGIN SELECT RAISE(ABORT, 'keys are append-only'); END;
CREATE TRIGGER site_key_stays BEFORE DELETE ON site_key
BEGIN SELECT RAISE(ABORT, 'keys are append-only'); END;

-- The last number of each series (C-2026 or the like) that was given, by these records or by some that are lost.
CREATE TABLE number_taken (
    series TEXT PRIMARY KEY,
    number INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
INSERT INTO number_taken
SELECT substr(number, 1, 6), max(CAST(substr(number, 8) AS INTEGER)) FROM ledger GROUP BY 1;

-- Everybody signs in again: a session says where it is from and when it was last used.
DROP TABLE session;
CREATE TABLE person (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE,
    full_name TEXT NOT NULL,
    role TEXT NOT NULL CHECK (role IN ('operator', 'engineer', 'quality', 'administrator')),
    password_hash TEXT NOT NULL,
    created_at TEXT NOT NULL,
    closed_at TEXT,
    must_change INTEGER NOT NULL DEFAULT 0 CHECK (must_change IN (0, 1)),
    signed_in_at TEXT,
    -- What one-time codes are made from (RFC 6238); empty without them. `code_used` is the newest
    -- time step whose code was taken: each is taken once.
    code_secret TEXT NOT NULL DEFAULT '',
    code_used INTEGER NOT NULL DEFAULT 0
) STRICT;
INSERT INTO person (id, name, full_name, role, password_hash, created_at, closed_at, must_change, signed_in_at)
SELECT id, name, full_name, role, password_hash, created_at, closed_at, must_change, signed_in_at FROM account;
DROP TABLE account;
ALTER TABLE person RENAME TO account;
CREATE TABLE session (
    digest TEXT PRIMARY KEY,
    id TEXT NOT NULL UNIQUE,
    account_id TEXT NOT NULL REFERENCES account (id) ON DELETE CASCADE,
    csrf TEXT NOT NULL,
    address TEXT NOT NULL,
    agent TEXT NOT NULL,
    created_at TEXT NOT NULL,
    used_at TEXT NOT NULL,
    expires_at TEXT NOT NULL
) STRICT;

CREATE INDEX run_state ON run (state);

-- That the records were put back from a backup: what was stored between its time and then is lost.
CREATE TABLE restored (
    position INTEGER PRIMARY KEY,
    backup_at TEXT NOT NULL,
    restored_at TEXT NOT NULL,
    restored_by TEXT NOT NULL
) STRICT;
CREATE TRIGGER restored_is_final BEFORE UPDATE ON restored
BEGIN SELECT RAISE(ABORT, 'restorings are append-only'); END;
CREATE TRIGGER restored_stays BEFORE DELETE ON restored
BEGIN SELECT RAISE(ABORT, 'restorings are append-only'); END;
