"""Workbooks that are no XML: the old ones (`.xls`), and binary ones (`.xlsb`)."""
