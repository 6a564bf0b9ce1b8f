-- 0020_kept.sql: readings that are kept while a long step goes on, so that they are there whatever comes of it.

CREATE TABLE kept_reading (
    id TEXT PRIMARY KEY,
    run_unit_id TEXT NOT NULL REFERENCES run_unit (id),
    step_id TEXT NOT NULL,
    number INTEGER NOT NULL,
    point TEXT NOT NULL,
    at_s REAL NOT NULL,
    quantity TEXT NOT NULL,
    value REAL,
    dimension TEXT NOT NULL,
    bound TEXT NOT NULL,
    uncertainty REAL NOT NULL,
    instrument TEXT NOT NULL,
    kept_at TEXT NOT NULL,
    site TEXT NOT NULL DEFAULT '$site'
) STRICT, WITHOUT ROWID;
CREATE INDEX kept_reading_of_unit ON kept_reading (run_unit_id, step_id, number, id);

CREATE TRIGGER kept_reading_is_final BEFORE UPDATE ON kept_reading
BEGIN SELECT RAISE(ABORT, 'kept readings are append-only'); END;
CREATE TRIGGER kept_reading_stays BEFORE DELETE ON kept_reading
BEGIN SELECT RAISE(ABORT, 'kept readings are append-only'); END;
