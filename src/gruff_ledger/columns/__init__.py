"""Columns: the cells of a field as one array, and what is done with whole ones."""
