-- 0004_revisions.sql: a sequence's draft may be changed until it is released; a release is kept with who,
-- why, and the reason for each finding of the review that was left.

ALTER TABLE sequence ADD COLUMN edits INTEGER NOT NULL DEFAULT 1;
ALTER TABLE sequence ADD COLUMN edited_at TEXT;
ALTER TABLE sequence ADD COLUMN edited_by TEXT;
ALTER TABLE sequence ADD COLUMN released_at TEXT;
ALTER TABLE sequence ADD COLUMN released_by TEXT;
-- JSON: {"why": ..., "accepted": [{"rule", "step", "reason"}, ...]}; empty until the release.
ALTER TABLE sequence ADD COLUMN release TEXT NOT NULL DEFAULT '';
ALTER TABLE sequence ADD COLUMN withdrawn_at TEXT;
ALTER TABLE sequence ADD COLUMN withdrawn_by TEXT;
ALTER TABLE sequence ADD COLUMN withdrawn_why TEXT NOT NULL DEFAULT '';
UPDATE sequence SET released_at = created_at, released_by = created_by WHERE status = 'released';

CREATE TRIGGER release_is_final BEFORE UPDATE OF document, product_revision, limit_revisions ON sequence
WHEN OLD.status <> 'draft'
BEGIN SELECT RAISE(ABORT, 'a released revision is frozen'); END;
