-- 0027_send.sql: messages to other systems, in order for each unit; the orders that come from them, and who gives them.

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

-- Another system signs in with an account whose role lets it give orders, and nothing else. Everybody signs in again.
DROP TABLE session;
CREATE TABLE person (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE,
    full_name TEXT NOT NULL,
    role TEXT NOT NULL CHECK (role IN ('operator', 'engineer', 'quality', 'administrator', 'system')),
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
INSERT INTO person SELECT id, name, full_name, role, password_hash, created_at, closed_at, must_change, signed_in_at,
    code_secret, code_used FROM account;
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
