-- 0019_zeroing.sql: one record for each time that a fixture was zeroed, with the leads of every nest that was zeroed
-- then; until now each lead was a record of its own.

CREATE TABLE zeroing (
    id TEXT PRIMARY KEY,
    fixture TEXT NOT NULL,
    instrument TEXT NOT NULL,
    account TEXT NOT NULL,
    measured_at TEXT NOT NULL,
    site TEXT NOT NULL DEFAULT '$site'
) STRICT, WITHOUT ROWID;
CREATE INDEX zeroing_of_fixture ON zeroing (fixture, id);
CREATE TABLE zeroed_lead (
    id TEXT NOT NULL REFERENCES zeroing (id),
    nest TEXT NOT NULL,
    contact TEXT NOT NULL,
    ohms REAL NOT NULL,
    uncertainty REAL NOT NULL,
    PRIMARY KEY (id, nest, contact)
) STRICT, WITHOUT ROWID;

-- The leads of a nest were stored together, at the same moment to the millisecond.
INSERT INTO zeroing (id, fixture, instrument, account, measured_at, site)
SELECT min(id), fixture, instrument, account, measured_at, min(site) FROM zero
GROUP BY fixture, nest, instrument, account, measured_at;
INSERT OR REPLACE INTO zeroed_lead (id, nest, contact, ohms, uncertainty)
SELECT (
    SELECT min(first.id) FROM zero AS first
    WHERE first.fixture = zero.fixture AND first.nest = zero.nest
    AND first.instrument = zero.instrument AND first.account = zero.account
    AND first.measured_at = zero.measured_at
), nest, contact, ohms, uncertainty FROM zero ORDER BY id;
DROP TABLE zero;

CREATE TRIGGER zeroing_is_final BEFORE UPDATE ON zeroing
BEGIN SELECT RAISE(ABORT, 'zeroes are append-only'); END;
CREATE TRIGGER zeroing_stays BEFORE DELETE ON zeroing
BEGIN SELECT RAISE(ABORT, 'zeroes are append-only'); END;
CREATE TRIGGER zeroed_lead_is_final BEFORE UPDATE ON zeroed_lead
BEGIN SELECT RAISE(ABORT, 'zeroes are append-only'); END;
CREATE TRIGGER zeroed_lead_stays BEFORE DELETE ON zeroed_lead
BEGIN SELECT RAISE(ABORT, 'zeroes are append-only'); END;
