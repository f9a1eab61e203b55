"""Which cells and records are equal: keys, distinct values, pairs between two lists."""
