"""What is kept: shots, their variants, and every edit as a revision, in SQLite."""
