"""The records that the parts of a binary workbook consist of ([MS-XLSB])."""

from __future__ import annotations

import struct
from collections.abc import Iterator

_U32 = struct.Struct("<I")

# The types of records that are looked at ([MS-XLSB] 2.3).
ROW = 0
CELL_BLANK, CELL_RK, CELL_ERROR, CELL_BOOL, CELL_REAL, CELL_TEXT, CELL_SHARED = range(
    1, 8
)
FORMULA_TEXT, FORMULA_NUMBER, FORMULA_BOOL, FORMULA_ERROR = range(8, 12)
SHORT_BLANK, SHORT_RK, SHORT_ERROR, SHORT_BOOL, SHORT_REAL, SHORT_TEXT, SHORT_SHARED = (
    range(12, 19)
)
SHARED_TEXT = 19
FORMAT = 44
STYLE = 47
COLUMNS = 60
CELL_RICH_TEXT = 62
BEGIN_CELLS, END_CELLS = 145, 146
BOOK_PROPERTIES = 153
TAB = 156
MERGED = 176
BEGIN_STYLES, END_STYLES = 617, 618

# A length has at most so many bytes, of seven bits each (2.1.4).
_MOST_LENGTH_BYTES = 4


def records(data: bytes) -> Iterator[tuple[int, int, int]]:
    """
    Yield the records of a part ([MS-XLSB] 2.1.4).

    Yields
    ------
    kind, start, end : int
        The type of the record, and where what it holds begins and ends.

    Raises
    ------
    ValueError
        If the part ends within one.
    """
    at, size = 0, len(data)
    while at < size:
        kind = data[at]
        at += 1
        if kind & 0x80:
            kind = (kind & 0x7F) | (_byte(data, at) & 0x7F) << 7
            at += 1
        length = 0
        for place in range(_MOST_LENGTH_BYTES):
            part = _byte(data, at)
            at += 1
            length |= (part & 0x7F) << (7 * place)
            if not part & 0x80:
                break
        if at + length > size:
            raise ValueError("the part ends within a record")
        yield kind, at, at + length
        at += length


def text_at(data: bytes, at: int, end: int) -> tuple[str, int]:
    """
    Return a text, and where it ends ([MS-XLSB] 2.5.168).

    Raises
    ------
    ValueError
        If it is longer than its record.
    """
    count = number_at(data, at, end)
    if count == 0xFFFFFFFF:
        # What may be no text at all, is none.
        return "", at + 4
    stop = at + 4 + 2 * count
    if stop > end:
        raise ValueError("a text is longer than its record")
    return data[at + 4 : stop].decode("utf-16-le", "replace"), stop


def number_at(data: bytes, at: int, end: int) -> int:
    """
    Return a whole number of four bytes.

    Raises
    ------
    ValueError
        If the record is too short.
    """
    if at + 4 > end:
        raise ValueError("a record is too short")
    number: int = _U32.unpack_from(data, at)[0]
    return number


def _byte(data: bytes, at: int) -> int:
    if at >= len(data):
        raise ValueError("the part ends within a record")
    return data[at]
