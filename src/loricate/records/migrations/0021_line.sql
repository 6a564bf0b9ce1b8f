-- The line options that a run or a series was made with, over those of its sequence.
ALTER TABLE run ADD COLUMN line TEXT NOT NULL DEFAULT '{}';
ALTER TABLE series ADD COLUMN line TEXT NOT NULL DEFAULT '{}';
UPDATE series SET line = json_object('stop_after_fails', stop_after_fails);
ALTER TABLE series DROP COLUMN stop_after_fails;
