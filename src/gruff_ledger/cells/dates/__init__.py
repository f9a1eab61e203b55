"""Dates and times in cells: the forms they have, read and written."""
