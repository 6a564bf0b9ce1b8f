-- 0010_audit.sql: what was noted stays as it was noted. Accounts are not locked any more: who guesses waits,
-- and nobody is locked out by somebody else.

CREATE TRIGGER audit_is_final BEFORE UPDATE ON audit
BEGIN SELECT RAISE(ABORT, 'the audit trail is append-only'); END;
CREATE TRIGGER audit_stays BEFORE DELETE ON audit
BEGIN SELECT RAISE(ABORT, 'the audit trail is append-only'); END;

ALTER TABLE account DROP COLUMN failures;
ALTER TABLE account DROP COLUMN locked_until;
CREATE INDEX audit_signed_in ON audit (account COLLATE NOCASE, detail) WHERE action = 'sign in';
