"""Errors of workbooks as texts, which stand in lists where a formula had no value."""

from __future__ import annotations

# ISO/IEC 29500-1, 18.18.11, by their numbers in older formats ([MS-XLSB] 2.5.97.2, and
# [MS-XLS] 2.5.10).
ERRORS_BY_NUMBER = {
    0x00: "#NULL!",
    0x07: "#DIV/0!",
    0x0F: "#VALUE!",
    0x17: "#REF!",
    0x1D: "#NAME?",
    0x24: "#NUM!",
    0x2A: "#N/A",
    0x2B: "#GETTING_DATA",
}

# Later ones have no number.
ERROR_TEXTS = frozenset({*ERRORS_BY_NUMBER.values(), "#SPILL!", "#CALC!", "#FIELD!"})
