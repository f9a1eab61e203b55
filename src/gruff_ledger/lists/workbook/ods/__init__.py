"""ODS workbooks (ISO/IEC 26300): looked at, and written as our own."""
