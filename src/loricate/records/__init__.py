"""Records in SQLite: one module of plain-SQL queries a subject, numbered migrations beside them."""
