"""What is kept: SQLite tables, the append-only log, migrations."""
