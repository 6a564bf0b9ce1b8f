-- 0024_search.sql: what units in runs are looked for by, in one row each; what people wrote, by its words; searches that
-- are kept by name. `sought` is a copy in another order: `to_be_sought` alone says what it holds, and a check of the
-- records compares the two.

-- Several names in one cell stand between bars: `|GB1|GB-1001|HV1|WS-20418|`. A run that goes on has no end; one that
-- never began ended when it was made.
CREATE VIEW to_be_sought AS
SELECT coalesce(run.started_at, run.created_at) AS begun_at, run_unit.id,
    coalesce(run.ended_at, CASE WHEN run.started_at IS NULL THEN run.created_at ELSE '' END) AS ended_at,
    run_unit.verdict, run_unit.cause, unit.product, run.sequence_code AS sequence, run.sequence_revision AS revision,
    run.fixture, run_unit.nest, run.lot, coalesce(run.started_by, run.created_by) AS operator,
    coalesce(run.bench ->> 'code', '') AS bench, run.occasion,
    coalesce((
        SELECT CASE WHEN revoked IS NULL THEN kind ELSE 'revoked' END FROM current_document
        WHERE run_unit_id = run_unit.id
    ), 'none') AS document,
    unit.serial, unit.asset, unit.place,
    coalesce((
        SELECT '|' || group_concat(step_id, '|') || '|' FROM (
            SELECT DISTINCT step_id FROM attempt WHERE run_unit_id = run_unit.id AND verdict = 'fail'
        )
    ), '') AS failed,
    coalesce((
        SELECT '|' || group_concat(name, '|') || '|' FROM (
            SELECT instrument AS name FROM reading WHERE run_unit_id = run_unit.id AND instrument <> ''
            UNION SELECT serial FROM run_instrument
            WHERE run_id = run.id AND serial <> '' AND instrument IN (
                SELECT instrument FROM reading WHERE run_unit_id = run_unit.id
            )
        )
    ), '') AS instruments
FROM run_unit JOIN run ON run.id = run_unit.run_id JOIN unit ON unit.id = run_unit.unit_id;

-- In the order of time, the newest last, so that what is asked for broadly is read as it lies.
CREATE TABLE sought (
    begun_at TEXT NOT NULL,
    id TEXT NOT NULL REFERENCES run_unit (id),
    ended_at TEXT NOT NULL,
    verdict TEXT NOT NULL,
    cause TEXT NOT NULL,
    product TEXT NOT NULL COLLATE NOCASE,
    sequence TEXT NOT NULL COLLATE NOCASE,
    revision INTEGER NOT NULL,
    fixture TEXT NOT NULL COLLATE NOCASE,
    nest TEXT NOT NULL COLLATE NOCASE,
    lot TEXT NOT NULL COLLATE NOCASE,
    operator TEXT NOT NULL COLLATE NOCASE,
    bench TEXT NOT NULL COLLATE NOCASE,
    occasion TEXT NOT NULL,
    document TEXT NOT NULL,
    serial TEXT NOT NULL COLLATE NOCASE,
    asset TEXT NOT NULL COLLATE NOCASE,
    place TEXT NOT NULL COLLATE NOCASE,
    failed TEXT NOT NULL,
    instruments TEXT NOT NULL,
    PRIMARY KEY (begun_at, id)
) STRICT, WITHOUT ROWID;
INSERT INTO sought SELECT * FROM to_be_sought;
CREATE UNIQUE INDEX sought_id ON sought (id);
CREATE INDEX sought_serial ON sought (serial, begun_at, id);
CREATE INDEX sought_asset ON sought (asset, begun_at, id) WHERE asset <> '';
CREATE INDEX sought_place ON sought (place, begun_at, id) WHERE place <> '';
CREATE INDEX sought_product ON sought (product, begun_at, id);
CREATE INDEX sought_nest ON sought (fixture, nest, begun_at, id);
CREATE INDEX sought_verdict ON sought (verdict, begun_at, id) WHERE verdict <> 'pass';
CREATE INDEX sought_cause ON sought (cause, begun_at, id) WHERE cause <> '';
CREATE INDEX sought_lot ON sought (lot, begun_at, id) WHERE lot <> '';
CREATE INDEX sought_sequence ON sought (sequence, revision, begun_at, id);
CREATE INDEX sought_operator ON sought (operator, begun_at, id);
-- What went on for more than a day, or goes on: the only ones that an earlier day saw begin.
CREATE INDEX sought_long ON sought (ended_at, begun_at)
WHERE ended_at = '' OR julianday(ended_at) - julianday(begun_at) > 1;
CREATE INDEX run_instrument_serial ON run_instrument (serial, run_id) WHERE serial <> '';
CREATE INDEX attempt_failed ON attempt (step_id, run_unit_id) WHERE verdict = 'fail';

CREATE TRIGGER sought_unit_in_run AFTER INSERT ON run_unit
BEGIN INSERT INTO sought SELECT * FROM to_be_sought WHERE id = NEW.id; END;
CREATE TRIGGER sought_no_longer AFTER DELETE ON run_unit
BEGIN DELETE FROM sought WHERE id = OLD.id; END;
CREATE TRIGGER sought_unit_in_run_again AFTER UPDATE ON run_unit
BEGIN
    INSERT OR REPLACE INTO sought SELECT * FROM to_be_sought WHERE id = NEW.id
    EXCEPT SELECT * FROM sought WHERE id = NEW.id;
END;
CREATE TRIGGER sought_run_again AFTER UPDATE ON run
BEGIN
    INSERT OR REPLACE INTO sought
    SELECT * FROM to_be_sought WHERE id IN (SELECT id FROM run_unit WHERE run_id = NEW.id)
    EXCEPT SELECT * FROM sought WHERE id IN (SELECT id FROM run_unit WHERE run_id = NEW.id);
END;
CREATE TRIGGER sought_unit_again AFTER UPDATE ON unit
BEGIN
    INSERT OR REPLACE INTO sought
    SELECT * FROM to_be_sought WHERE id IN (SELECT id FROM run_unit WHERE unit_id = NEW.id)
    EXCEPT SELECT * FROM sought WHERE id IN (SELECT id FROM run_unit WHERE unit_id = NEW.id);
END;
CREATE TRIGGER sought_instrument AFTER INSERT ON run_instrument
BEGIN
    INSERT OR REPLACE INTO sought
    SELECT * FROM to_be_sought WHERE id IN (SELECT id FROM run_unit WHERE run_id = NEW.run_id)
    EXCEPT SELECT * FROM sought WHERE id IN (SELECT id FROM run_unit WHERE run_id = NEW.run_id);
END;
CREATE TRIGGER sought_instrument_gone AFTER DELETE ON run_instrument
BEGIN
    INSERT OR REPLACE INTO sought
    SELECT * FROM to_be_sought WHERE id IN (SELECT id FROM run_unit WHERE run_id = OLD.run_id)
    EXCEPT SELECT * FROM sought WHERE id IN (SELECT id FROM run_unit WHERE run_id = OLD.run_id);
END;
CREATE TRIGGER sought_document AFTER INSERT ON ledger WHEN NEW.run_unit_id IS NOT NULL
BEGIN
    INSERT OR REPLACE INTO sought SELECT * FROM to_be_sought WHERE id = NEW.run_unit_id
    EXCEPT SELECT * FROM sought WHERE id = NEW.run_unit_id;
END;
CREATE TRIGGER sought_act AFTER INSERT ON about
BEGIN
    INSERT OR REPLACE INTO sought
    SELECT * FROM to_be_sought WHERE id IN (SELECT run_unit_id FROM ledger WHERE number = NEW.number)
    EXCEPT SELECT * FROM sought WHERE id IN (SELECT run_unit_id FROM ledger WHERE number = NEW.number);
END;

-- Serials and owners' numbers by any three characters in them.
CREATE VIRTUAL TABLE unit_name USING fts5(serial, asset, unit_id UNINDEXED, tokenize = 'trigram');
INSERT INTO unit_name (serial, asset, unit_id) SELECT serial, asset, id FROM unit;
CREATE TRIGGER unit_named AFTER INSERT ON unit
BEGIN INSERT INTO unit_name (serial, asset, unit_id) VALUES (NEW.serial, NEW.asset, NEW.id); END;
-- Its row is looked for by its serial, where that is long enough: among a million the column of ids has no index.
CREATE TRIGGER unit_named_again AFTER UPDATE ON unit
WHEN (OLD.serial <> NEW.serial OR OLD.asset <> NEW.asset) AND length(OLD.serial) >= 3
BEGIN
    UPDATE unit_name SET serial = NEW.serial, asset = NEW.asset WHERE rowid IN (
        SELECT rowid FROM unit_name
        WHERE unit_name MATCH 'serial : "' || replace(OLD.serial, '"', '""') || '"' AND unit_id = OLD.id
    );
END;
CREATE TRIGGER unit_named_again_in_short AFTER UPDATE ON unit
WHEN (OLD.serial <> NEW.serial OR OLD.asset <> NEW.asset) AND length(OLD.serial) < 3
BEGIN UPDATE unit_name SET serial = NEW.serial, asset = NEW.asset WHERE unit_id = OLD.id; END;

-- What people wrote of a unit: remarks, and notes beside answers.
CREATE VIRTUAL TABLE said USING fts5(text, run_unit_id UNINDEXED, tokenize = 'unicode61 remove_diacritics 2');
INSERT INTO said (text, run_unit_id) SELECT text, run_unit_id FROM remark;
INSERT INTO said (text, run_unit_id) SELECT note, run_unit_id FROM answer WHERE note <> '';
CREATE TRIGGER said_in_remark AFTER INSERT ON remark
BEGIN INSERT INTO said (text, run_unit_id) VALUES (NEW.text, NEW.run_unit_id); END;
CREATE TRIGGER said_in_answer AFTER INSERT ON answer WHEN NEW.note <> ''
BEGIN INSERT INTO said (text, run_unit_id) VALUES (NEW.note, NEW.run_unit_id); END;

-- Searches that the whole site has by name.
CREATE TABLE kept_search (
    name TEXT PRIMARY KEY COLLATE NOCASE,
    search TEXT NOT NULL,
    account TEXT NOT NULL,
    kept_at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
