-- 0017_column_map.sql: which matrix column each contact of a nest was found at, by the probe or by a part whose wiring
-- is known, and how that differs from the bench file.

CREATE TABLE column_map (
    id TEXT PRIMARY KEY,
    fixture TEXT NOT NULL,
    nest TEXT NOT NULL,
    part TEXT NOT NULL,
    columns TEXT NOT NULL,
    differences TEXT NOT NULL,
    account TEXT NOT NULL,
    measured_at TEXT NOT NULL,
    site TEXT NOT NULL DEFAULT '$site'
) STRICT, WITHOUT ROWID;
CREATE INDEX column_map_of_nest ON column_map (fixture, nest, id);
CREATE TRIGGER column_map_is_final BEFORE UPDATE ON column_map
BEGIN SELECT RAISE(ABORT, 'maps are append-only'); END;
CREATE TRIGGER column_map_stays BEFORE DELETE ON column_map
BEGIN SELECT RAISE(ABORT, 'maps are append-only'); END;
