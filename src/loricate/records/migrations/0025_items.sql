-- 0025_items.sql: trends that are looked at by themselves, and items: what was seen in them or by somebody, each with an
-- owner and an end.

-- A trend by its name, looked at whenever something new was tested; `asked` as the trend is asked for.
CREATE TABLE watch (
    name TEXT PRIMARY KEY COLLATE NOCASE,
    asked TEXT NOT NULL,
    owner TEXT NOT NULL,
    account TEXT NOT NULL,
    kept_at TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- `about` is what was looked at, `what` what was seen in it; of both together one item is open at a time.
CREATE TABLE item (
    id TEXT PRIMARY KEY,
    about TEXT NOT NULL,
    what TEXT NOT NULL,
    text TEXT NOT NULL,
    address TEXT NOT NULL,
    begins_at TEXT NOT NULL,
    owner TEXT NOT NULL,
    raised_by TEXT NOT NULL,
    raised_at TEXT NOT NULL,
    state TEXT NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'accepted', 'acted_on')),
    note TEXT NOT NULL DEFAULT '',
    ended_by TEXT NOT NULL DEFAULT '',
    ended_at TEXT NOT NULL DEFAULT '',
    site TEXT NOT NULL DEFAULT '$site'
) STRICT;
CREATE UNIQUE INDEX item_open ON item (about, what) WHERE state = 'open' AND what <> '';
CREATE INDEX item_of_owner ON item (owner, id) WHERE state = 'open';
CREATE INDEX item_about ON item (about, what, id);
CREATE TRIGGER item_stays BEFORE DELETE ON item
BEGIN SELECT RAISE(ABORT, 'items are ended, not removed'); END;
CREATE TRIGGER item_ends_once BEFORE UPDATE ON item WHEN OLD.state <> 'open'
BEGIN SELECT RAISE(ABORT, 'an item that has ended is not changed'); END;
