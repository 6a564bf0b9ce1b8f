-- 0005_people.sql: accounts are closed, never deleted; they lock after failures, and a password that somebody
-- else gave must be changed first.

ALTER TABLE account ADD COLUMN closed_at TEXT;
ALTER TABLE account ADD COLUMN failures INTEGER NOT NULL DEFAULT 0;
ALTER TABLE account ADD COLUMN locked_until TEXT;
ALTER TABLE account ADD COLUMN must_change INTEGER NOT NULL DEFAULT 0 CHECK (must_change IN (0, 1));
ALTER TABLE account ADD COLUMN signed_in_at TEXT;
CREATE INDEX audit_account ON audit (account, id);
