"""Delimited text: how a list is written found out, its records read, and written."""
