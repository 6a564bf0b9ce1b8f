-- 0022_assets.sql: devices by the number that their owner gave them, and why a run tests them.
CREATE UNIQUE INDEX unit_asset ON unit (asset COLLATE NOCASE) WHERE asset <> '';
ALTER TABLE run ADD COLUMN occasion TEXT NOT NULL DEFAULT '';
