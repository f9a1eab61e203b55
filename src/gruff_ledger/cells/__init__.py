"""What a cell's text means: whether it is blank, and when two keys match."""
