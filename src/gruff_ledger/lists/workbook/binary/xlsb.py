"""Binary workbooks (`.xlsb`, [MS-XLSB]): their tabs, and the values of one.

They are archives as XLSX is, with the same links; the parts are records instead of XML.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.binary import records as r
from gruff_ledger.lists.workbook.binary.values import (
    PLAIN,
    BinaryTab,
    Kind,
    error_text,
    kind_of,
    number_shown,
    tab_of,
)
from gruff_ledger.lists.workbook.package_parts import Parts
from gruff_ledger.lists.workbook.tab_sizes import (
    MOST_COLUMNS,
    MOST_ROWS,
    MOST_STRINGS,
    check_spanned,
    vast,
)
from gruff_ledger.lists.workbook.tab_xml import BUILT_IN_FORMATS, Look

_REAL = struct.Struct("<d")
_SIGNED = struct.Struct("<i")
_AREA = struct.Struct("<4I")

# Where the value of a cell stands: a cell says its column, a short one does not.
_VALUE_AT, _SHORT_VALUE_AT = 8, 4

# In the records of rows and columns, where it is said that they are hidden.
_ROW_FLAGS_AT, _ROW_IS_HIDDEN = 11, 0x10
_COLUMN_FLAGS_AT, _COLUMN_IS_HIDDEN = 16, 0x01

# What a workbook says beside its cells and texts takes no more records.
_MOST_OTHERS = 1 << 20
_TOO_MANY = "there are more records than any workbook has"

_ENDS_WITHIN = "the cells of a tab have no end"


class _Tab(NamedTuple):
    name: str
    shown: bool
    part: str


class XlsbBook:
    """
    A binary workbook.

    Parameters
    ----------
    opened : Opened
    parts : Parts
        Of its package.

    Raises
    ------
    ValueError, IndexError, struct.error
        If it is damaged.
    UnreadableSource
        If it has more texts than can be held.
    """

    format_name = "xlsb"

    def __init__(self, opened: Opened, parts: Parts) -> None:
        self._opened, self._parts = opened, parts
        main = parts.main()
        links = parts.links(main)
        self._begins_1904 = False
        self._tabs = []
        data = parts.part(main)
        for kind, at, end in _few(data):
            if kind == r.BOOK_PROPERTIES:
                self._begins_1904 = bool(r.number_at(data, at, end) & 1)
            elif kind == r.TAB:
                state = r.number_at(data, at, end)
                link, after = r.text_at(data, at + 8, end)
                name, _ = r.text_at(data, after, end)
                linked, target = links.get(link, ("", ""))
                if linked == "worksheet":
                    self._tabs.append(_Tab(name, state == 0, target))
        self.tabs = tuple((tab.name, tab.shown) for tab in self._tabs)
        by_kind = dict(links.values())
        self._kinds = _kinds(parts.part(by_kind.get("styles", "")))
        self._texts = _shared_texts(
            opened, parts.part(by_kind.get("sharedStrings", ""))
        )

    def read_tab(self, name: str) -> BinaryTab:
        """Return the values of a tab."""
        part = next(tab.part for tab in self._tabs if tab.name == name)
        look = Look()
        used = list(self._rows(self._parts.part(part), look))
        rows = used[-1][0] + 1 if used else 0
        columns = max((cells[-1][0] for _, cells in used), default=-1) + 1
        check_spanned(self._opened, rows, columns, sum(len(cells) for _, cells in used))
        return tab_of(used, look)

    def _rows(
        self, data: bytes, look: Look
    ) -> Iterator[tuple[int, list[tuple[int, Any]]]]:
        """Yield the rows that have values, with them; what is special is looked at."""
        cells: list[tuple[int, Any]] = []
        row = col = -1
        is_within = is_ended = False
        others = 0
        for kind, at, end in r.records(data):
            if kind not in _VALUES and kind != r.ROW:
                others += 1
                if others > _MOST_OTHERS:
                    raise ValueError(_TOO_MANY)
            if is_within and kind == r.ROW:
                if cells:
                    yield row, cells
                    cells = []
                number = r.number_at(data, at, end)
                if not row < number < MOST_ROWS:
                    raise ValueError("rows are not in order")
                row, col = number, -1
                if data[at + _ROW_FLAGS_AT] & _ROW_IS_HIDDEN:
                    look.hidden_rows.append(row + 1)
            elif is_within and kind in _VALUES:
                is_short = r.SHORT_BLANK <= kind <= r.SHORT_SHARED
                number = col + 1 if is_short else r.number_at(data, at, end)
                if row < 0 or not col < number < MOST_COLUMNS:
                    raise ValueError("cells are not in order")
                col = number
                value_at = at + (_SHORT_VALUE_AT if is_short else _VALUE_AT)
                if value_at > end:
                    raise ValueError("a record is too short")
                # Three bytes are the style, the fourth are marks.
                style = data[value_at - 4] | data[value_at - 3] << 8
                style |= data[value_at - 2] << 16
                value = self._value(
                    _VALUES[kind](data, value_at, end), style, look, (row + 1, col + 1)
                )
                if value is not None:
                    cells.append((col, value))
            elif kind == r.BEGIN_CELLS:
                is_within = True
            elif kind == r.END_CELLS:
                is_within, is_ended = False, True
            elif kind == r.MERGED and at + _AREA.size <= end:
                top, bottom, left, right = _AREA.unpack_from(data, at)
                look.merged.append(((top, left), (bottom, right)))
            elif kind == r.COLUMNS and data[at + _COLUMN_FLAGS_AT] & _COLUMN_IS_HIDDEN:
                first, last = (r.number_at(data, at + by, end) for by in (0, 4))
                look.hide_columns(first + 1, last + 1)
        if not is_ended:
            raise ValueError(_ENDS_WITHIN)
        if cells:
            yield row, cells

    def _value(self, found: Any, style: int, look: Look, place: tuple[int, int]) -> Any:
        """Return what a cell holds by its style; None where it is empty."""
        if isinstance(found, float):
            kind = self._kinds[style] if style < len(self._kinds) else PLAIN
            return number_shown(found, kind, look, place, begins_1904=self._begins_1904)
        if isinstance(found, _Shared):
            return self._texts[found.number] or None
        if isinstance(found, _Error):
            return error_text(found.number, look, place)
        return None if found == "" else found


# Values -----------------------------------------------------------------------------


class _Shared(NamedTuple):
    """A text that cells share, by its number."""

    number: int


class _Error(NamedTuple):
    number: int


def _rk(data: bytes, at: int, end: int) -> float:
    """Return a number that was made short ([MS-XLSB] 2.5.122)."""
    bits = r.number_at(data, at, end)
    if bits & 2:
        (signed,) = _SIGNED.unpack_from(data, at)
        number = float(signed >> 2)
    else:
        (number,) = _REAL.unpack(bytes(4) + struct.pack("<I", bits & ~3))
    return number / 100 if bits & 1 else number


def _real(data: bytes, at: int, end: int) -> float:
    if at + _REAL.size > end:
        raise ValueError("a record is too short")
    number: float = _REAL.unpack_from(data, at)[0]
    return number


def _text(data: bytes, at: int, end: int) -> str:
    return r.text_at(data, at, end)[0]


def _rich_text(data: bytes, at: int, end: int) -> str:
    # Its first byte tells what follows the text ([MS-XLSB] 2.5.121).
    return r.text_at(data, at + 1, end)[0]


def _shared(data: bytes, at: int, end: int) -> _Shared:
    return _Shared(r.number_at(data, at, end))


def _bool(data: bytes, at: int, end: int) -> bool:
    return bool(data[at]) if at < end else False


def _error(data: bytes, at: int, end: int) -> _Error:
    return _Error(data[at] if at < end else -1)


def _blank(data: bytes, at: int, end: int) -> None:
    return None


_VALUES: dict[int, Callable[[bytes, int, int], Any]] = {
    r.CELL_BLANK: _blank,
    r.CELL_RK: _rk,
    r.CELL_ERROR: _error,
    r.CELL_BOOL: _bool,
    r.CELL_REAL: _real,
    r.CELL_TEXT: _text,
    r.CELL_SHARED: _shared,
    r.CELL_RICH_TEXT: _rich_text,
    r.FORMULA_TEXT: _text,
    r.FORMULA_NUMBER: _real,
    r.FORMULA_BOOL: _bool,
    r.FORMULA_ERROR: _error,
    r.SHORT_BLANK: _blank,
    r.SHORT_RK: _rk,
    r.SHORT_ERROR: _error,
    r.SHORT_BOOL: _bool,
    r.SHORT_REAL: _real,
    r.SHORT_TEXT: _text,
    r.SHORT_SHARED: _shared,
}


# What cells refer to ----------------------------------------------------------------


def _few(data: bytes) -> Iterator[tuple[int, int, int]]:
    """Yield the records of a part that has no cells, of which there are not many."""
    for number, record in enumerate(r.records(data)):
        if number > _MOST_OTHERS:
            raise ValueError(_TOO_MANY)
        yield record


def _shared_texts(opened: Opened, data: bytes) -> list[str]:
    texts = []
    others = 0
    for kind, at, end in r.records(data):
        if kind == r.SHARED_TEXT:
            texts.append(_rich_text(data, at, end))
            if len(texts) > MOST_STRINGS:
                raise vast(opened, f"more than {MOST_STRINGS} texts")
        else:
            others += 1
            if others > _MOST_OTHERS:
                raise ValueError(_TOO_MANY)
    return texts


def _kinds(data: bytes) -> list[Kind]:
    """Return what each style of the cells shows."""
    codes = dict(BUILT_IN_FORMATS)
    kinds: list[Kind] = []
    is_within = False
    for kind, at, end in _few(data):
        if kind == r.FORMAT:
            codes[str(_short_number(data, at, end))] = _text(data, at + 2, end)
        elif kind in (r.BEGIN_STYLES, r.END_STYLES):
            is_within = kind == r.BEGIN_STYLES
        elif kind == r.STYLE and is_within:
            kinds.append(kind_of(codes.get(str(_short_number(data, at + 2, end)), "")))
    return kinds


def _short_number(data: bytes, at: int, end: int) -> int:
    if at + 2 > end:
        raise ValueError("a record is too short")
    return data[at] | data[at + 1] << 8
