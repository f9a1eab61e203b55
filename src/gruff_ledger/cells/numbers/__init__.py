"""Numbers in cells, exactly: read, written, computed, added up."""
