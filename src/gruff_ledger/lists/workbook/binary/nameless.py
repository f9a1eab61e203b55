"""Old workbooks as xlrd has them, but for what their named areas mean.

The library works out the formula of every name while it opens a workbook, though no
cell needs them; one that is relative to the cell it is used in, or of an add-in, makes
it give up the whole workbook.
"""

from __future__ import annotations

import io

from xlrd import XLRDError
from xlrd.biffh import XL_WORKBOOK_GLOBALS
from xlrd.book import SUPPORTED_VERSIONS, Book

# Up to this version a workbook is one tab; this one holds its tabs within it.
_ONE_TAB, _TABS_WITHIN = 40, 45


class _Nameless(Book):  # type: ignore[misc]
    def names_epilogue(self) -> None:
        """Leave the formulas of names as they are."""


def load(data: bytes) -> Book:
    """
    Load a workbook with all its tabs, in the order in which the library does.

    Raises
    ------
    xlrd.XLRDError
        If it is no workbook, or of a version that nobody reads; other errors where it
        is damaged.
    """
    book = _Nameless()
    try:
        book.biff2_8_load(
            file_contents=data,
            logfile=io.StringIO(),
            formatting_info=True,
            ragged_rows=True,
        )
        version = book.biff_version = book.getbof(XL_WORKBOOK_GLOBALS)
        if version not in SUPPORTED_VERSIONS:
            raise XLRDError("a version that is not supported")
        if version <= _ONE_TAB:
            book.fake_globals_get_sheet()
        else:
            book.parse_globals()
        if version > _TABS_WITHIN:
            book._sheet_list = [None] * len(book._sheet_names)
            book.get_sheets()
        book.nsheets = len(book._sheet_list)
    finally:
        book.release_resources()
    return book
