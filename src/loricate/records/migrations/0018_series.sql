-- 0018_series.sql: series of consecutive units on one arming, the serials that are given to them, and the runs that
-- they were tested in. `counted_after` is the run after which fails in a row are counted.

CREATE TABLE series (
    id TEXT PRIMARY KEY,
    sequence_code TEXT NOT NULL,
    sequence_revision INTEGER NOT NULL,
    fixture TEXT NOT NULL,
    nests TEXT NOT NULL,
    lot TEXT NOT NULL,
    count_from TEXT NOT NULL,
    stop_after_fails INTEGER NOT NULL CHECK (stop_after_fails >= 0),
    state TEXT NOT NULL CHECK (state IN ('paused', 'on', 'held', 'ended')),
    note TEXT NOT NULL,
    counted_after TEXT NOT NULL,
    created_at TEXT NOT NULL,
    created_by TEXT NOT NULL,
    ended_at TEXT,
    site TEXT NOT NULL DEFAULT '$site',
    FOREIGN KEY (sequence_code, sequence_revision) REFERENCES sequence (code, revision)
) STRICT, WITHOUT ROWID;
CREATE INDEX series_by_state ON series (state) WHERE state != 'ended';

CREATE TABLE series_serial (
    series TEXT NOT NULL REFERENCES series (id),
    position INTEGER NOT NULL,
    serial TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('waiting', 'taken', 'withdrawn')),
    run TEXT REFERENCES run (id),
    account TEXT NOT NULL,
    given_at TEXT NOT NULL,
    PRIMARY KEY (series, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE series_run (
    run TEXT PRIMARY KEY REFERENCES run (id),
    series TEXT NOT NULL REFERENCES series (id)
) STRICT, WITHOUT ROWID;
CREATE INDEX series_run_of_series ON series_run (series, run);
CREATE TRIGGER series_run_is_final BEFORE UPDATE ON series_run
BEGIN SELECT RAISE(ABORT, 'runs of a series are append-only'); END;
CREATE TRIGGER series_run_stays BEFORE DELETE ON series_run
BEGIN SELECT RAISE(ABORT, 'runs of a series are append-only'); END;
