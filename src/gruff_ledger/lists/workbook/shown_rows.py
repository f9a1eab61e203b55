"""The rows of a tab as the library has them, with what it does not tell put in."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import Any

from gruff_ledger.lists.workbook.cell_texts import DIGITS
from gruff_ledger.lists.workbook.tab_xml import Look


def shown_rows(
    sheet: Any, look: Look, first_row: int, first_col: int
) -> Iterator[list[Any]]:
    """Yield the rows in use, with the values that were looked up, and leading zeros."""
    special: dict[int, list[tuple[int, Any]]] = {}
    for cells in (look.values, look.errors, look.padded):
        for (row, col), what in cells.items():
            special.setdefault(row, []).append((col - 1 - first_col, what))
    # The library begins at the first row of the tab, whatever is in use.
    rows = itertools.islice(sheet.iter_rows(), first_row, None)
    if not special:
        yield from rows
        return
    for number, row in enumerate(rows, first_row + 1):
        for col, what in special.get(number, ()):
            if 0 <= col < len(row):
                row[col] = _as_shown(row[col], what)
        yield row


def _as_shown(value: Any, what: Any) -> Any:
    """Return what stands in the place of a value, or the value with its zeros."""
    return _zero_padded(value, what) if isinstance(what, int) else what


def _zero_padded(value: Any, digits: int) -> Any:
    if isinstance(value, float) and value.is_integer() and abs(value) < 10**DIGITS:
        sign = "-" if value < 0 else ""
        return sign + str(abs(int(value))).zfill(digits)
    return value
