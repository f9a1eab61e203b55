"""Old workbooks (`.xls`, [MS-XLS]), by xlrd: their tabs, and the values of one."""

from __future__ import annotations

from array import array
from typing import Any

from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.binary.values import (
    PLAIN,
    BinaryTab,
    Kind,
    error_text,
    kind_of,
    number_shown,
    tab_of,
)
from gruff_ledger.lists.workbook.tab_xml import CellPlace, Look
from gruff_ledger.problems import UnreadableSource

# How such files begin: as compound files of the operating system they come from.
OLD_START = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"

# The types of cells that hold nothing: empty ones, and those with a format alone.
_NOTHING = b"\x00\x06"


class OldBook:
    """
    An old workbook.

    Raises
    ------
    UnreadableSource
        If it is protected by a password, or is no workbook.
    """

    format_name = "xls"

    def __init__(self, opened: Opened, data: bytes) -> None:
        self._book = _open(opened, data)
        self.tabs = tuple(
            (sheet.name, sheet.visibility == 0) for sheet in self._book.sheets()
        )
        self._begins_1904 = self._book.datemode == 1

    def read_tab(self, name: str) -> BinaryTab:
        """Return the values of a tab."""
        sheet = self._book.sheet_by_name(name)
        look = Look()
        kinds = self._kinds()
        used = [
            (
                row,
                [
                    (col, value)
                    for col in _filled(sheet.row_types(row))
                    if (
                        value := self._value(
                            look, kinds, (row + 1, col + 1), sheet.cell(row, col)
                        )
                    )
                    is not None
                ],
            )
            for row in range(sheet.nrows)
        ]
        look.merged = [
            ((top, left), (bottom - 1, right - 1))
            for top, bottom, left, right in sheet.merged_cells
        ]
        look.hidden_rows = sorted(
            row + 1 for row, info in sheet.rowinfo_map.items() if info.hidden
        )
        look.hidden_cols = sorted(
            col + 1 for col, info in sheet.colinfo_map.items() if info.hidden
        )
        return tab_of(used, look)

    def _kinds(self) -> dict[int, Kind]:
        """Return what each style of the workbook shows."""
        kinds = {}
        for number, style in enumerate(self._book.xf_list):
            known = self._book.format_map.get(style.format_key)
            kinds[number] = kind_of((known and known.format_str) or "")
        return kinds

    def _value(
        self, look: Look, kinds: dict[int, Kind], place: CellPlace, cell: Any
    ) -> Any:
        """Return a cell's value; None where it is empty."""
        import xlrd

        value = cell.value
        if cell.ctype == xlrd.XL_CELL_TEXT:
            return value or None
        if cell.ctype == xlrd.XL_CELL_BOOLEAN:
            return bool(value)
        if cell.ctype == xlrd.XL_CELL_ERROR:
            return error_text(value, look, place)
        kind = kinds.get(cell.xf_index, PLAIN)
        return number_shown(
            float(value), kind, look, place, begins_1904=self._begins_1904
        )


def _filled(types: array[int]) -> list[int]:
    """Return where cells of a row are that hold something; there can be many others."""
    if not types.tobytes().strip(_NOTHING):
        return []
    return [col for col, each in enumerate(types) if each not in _NOTHING]


def _open(opened: Opened, data: bytes) -> Any:
    import xlrd

    from gruff_ledger.lists.workbook.binary.nameless import load

    try:
        return load(data)
    except (xlrd.XLRDError, xlrd.compdoc.CompDocError) as error:
        if "ncrypted" in str(error) or "Can't find workbook" in str(error):
            raise UnreadableSource(
                "it is protected by a password, or is no workbook.",
                "Open it in a workbook program and save it as XLSX without a password.",
                file=opened.address,
            ) from error
        raise
