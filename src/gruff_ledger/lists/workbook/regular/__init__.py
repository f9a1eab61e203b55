"""Cells of XLSX that are written as most are, read without the library."""
