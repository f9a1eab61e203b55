"""Tables of databases: SQLite files, and PostgreSQL servers."""
