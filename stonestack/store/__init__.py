"""Where things are kept: SQLite tables, their migrations, and files by content hash."""
