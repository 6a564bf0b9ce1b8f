-- 0014_papers.sql: a document can have several papers, made when its standing changed; the ledger takes lot summaries,
-- revocations and approvals as well; keys for documents and for papers, prepared before they are used; ambient conditions.

DROP VIEW current_document;
DROP TRIGGER ledger_is_final;
DROP TRIGGER ledger_stays;

-- Each paper that was made of a document, the newest last: the SHA-256 of a file below `papers`, and what it says of the
-- document's standing (empty: nothing).
CREATE TABLE paper (
    id INTEGER PRIMARY KEY,
    number TEXT NOT NULL REFERENCES ledger (number),
    digest TEXT NOT NULL,
    standing TEXT NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX paper_of ON paper (number, id);
INSERT INTO paper (number, digest, standing, made_at)
SELECT number, paper, '', issued_at FROM ledger WHERE paper <> '' ORDER BY position;
CREATE TRIGGER paper_is_final BEFORE UPDATE ON paper
BEGIN SELECT RAISE(ABORT, 'papers are append-only'); END;
CREATE TRIGGER paper_stays BEFORE DELETE ON paper
BEGIN SELECT RAISE(ABORT, 'papers are append-only'); END;

ALTER TABLE ledger DROP COLUMN paper;
ALTER TABLE ledger ADD COLUMN lot TEXT NOT NULL DEFAULT '';
UPDATE ledger SET lot = coalesce(
    (SELECT run.lot FROM run_unit JOIN run ON run.id = run_unit.run_id WHERE run_unit.id = ledger.run_unit_id), ''
);
CREATE INDEX ledger_lot ON ledger (lot, kind) WHERE lot <> '';
CREATE INDEX ledger_kind ON ledger (kind, position);
CREATE TRIGGER ledger_is_final BEFORE UPDATE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER ledger_stays BEFORE DELETE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;

-- The documents that a revocation or an approval is about.
CREATE TABLE about (
    number TEXT NOT NULL REFERENCES ledger (number),
    position INTEGER NOT NULL REFERENCES ledger (position),
    PRIMARY KEY (number, position)
) STRICT, WITHOUT ROWID;
CREATE INDEX about_of ON about (position);
CREATE TRIGGER about_is_final BEFORE UPDATE ON about
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER about_stays BEFORE DELETE ON about
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;

-- The document of a unit in a run that no other has taken the place of; `revoked` is the revocation's number.
CREATE VIEW current_document AS
SELECT position, number, kind, run_unit_id, serial, issued_at, (
    SELECT entry.number FROM about JOIN ledger AS entry ON entry.position = about.position
    WHERE about.number = ledger.number AND entry.kind = 'revocation'
) AS revoked
FROM ledger WHERE run_unit_id IS NOT NULL AND number NOT IN (
    SELECT supersedes FROM ledger WHERE supersedes IS NOT NULL
);

-- Keys by purpose, in the order in which they were made known; the newest that is begun is in use.
CREATE TABLE known_key (
    position INTEGER PRIMARY KEY,
    kid TEXT NOT NULL UNIQUE,
    purpose TEXT NOT NULL CHECK (purpose IN ('documents', 'papers')),
    jwk TEXT NOT NULL,
    since TEXT NOT NULL
) STRICT;
INSERT INTO known_key (position, kid, purpose, jwk, since)
SELECT position, kid, 'documents', jwk, since FROM site_key ORDER BY position;
DROP TRIGGER site_key_is_final;
DROP TRIGGER site_key_stays;
DROP TABLE site_key;
ALTER TABLE known_key RENAME TO site_key;
CREATE TRIGGER site_key_is_final BEFORE UPDATE ON site_key
BEGIN SELECT RAISE(ABORT, 'keys are append-only'); END;
CREATE TRIGGER site_key_stays BEFORE DELETE ON site_key
BEGIN SELECT RAISE(ABORT, 'keys are append-only'); END;
-- That a key is used from now on.
CREATE TABLE key_begun (
    id INTEGER PRIMARY KEY,
    kid TEXT NOT NULL REFERENCES site_key (kid),
    at TEXT NOT NULL
) STRICT;
INSERT INTO key_begun (id, kid, at) SELECT position, kid, since FROM site_key ORDER BY position;
CREATE TRIGGER key_begun_is_final BEFORE UPDATE ON key_begun
BEGIN SELECT RAISE(ABORT, 'keys are append-only'); END;
CREATE TRIGGER key_begun_stays BEFORE DELETE ON key_begun
BEGIN SELECT RAISE(ABORT, 'keys are append-only'); END;

-- The air about the units, as somebody or an instrument said it; texts are quantities with their units.
CREATE TABLE ambient (
    id TEXT PRIMARY KEY,
    temperature_c REAL NOT NULL,
    humidity REAL,
    account TEXT NOT NULL,
    instrument TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX ambient_at ON ambient (at);
CREATE TRIGGER ambient_is_final BEFORE UPDATE ON ambient
BEGIN SELECT RAISE(ABORT, 'ambient conditions are append-only'); END;
CREATE TRIGGER ambient_stays BEFORE DELETE ON ambient
BEGIN SELECT RAISE(ABORT, 'ambient conditions are append-only'); END;
