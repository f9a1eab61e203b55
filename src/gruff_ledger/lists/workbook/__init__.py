"""Workbooks: XLSX and ODS, measured before they are read, written as our own."""
