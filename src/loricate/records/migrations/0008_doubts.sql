-- 0008_doubts.sql: why an instrument was not believed, and which of the four outcomes a guarded reading had;
-- and which instruments were doubted since when (until a daily check measures with them again).

ALTER TABLE reading ADD COLUMN outcome TEXT NOT NULL DEFAULT '';

CREATE TABLE doubt (
    id INTEGER PRIMARY KEY,
    instrument TEXT NOT NULL,
    text TEXT NOT NULL,
    place TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX doubt_of ON doubt (instrument, at);
CREATE TRIGGER doubt_is_final BEFORE UPDATE ON doubt
BEGIN SELECT RAISE(ABORT, 'doubts are append-only'); END;
CREATE TRIGGER doubt_stays BEFORE DELETE ON doubt
BEGIN SELECT RAISE(ABORT, 'doubts are append-only'); END;
