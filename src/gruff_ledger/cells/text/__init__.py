"""The text of cells: cut, put together, trimmed, searched."""
