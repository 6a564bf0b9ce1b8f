-- 0015_contacts.sql: of a fault in a cable, the contacts that it is about, as a JSON array; empty where it has none.

ALTER TABLE fault ADD COLUMN contacts TEXT NOT NULL DEFAULT '[]';
