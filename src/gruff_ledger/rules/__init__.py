"""Rules on cells and records: stated, read from files, and checked."""
