"""The rows of delimited text, cell by cell.

Four ways of quoting are read: ``double`` is that of RFC 4180; ``backslash`` writes a
quote inside a quoted cell as ``\\"``; ``spaced`` has spaces before the quote that opens
a cell; with ``none`` a quote is a character like any other.

A cell whose quotes do not enclose all of it (``"big" boat``) is kept as it is written.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import Literal

import msgspec

from gruff_ledger.cells.blank import is_blank

Quoting = Literal["double", "backslash", "spaced", "none"]

# The standard module refuses cells over 128 KiB unless told otherwise; the greatest
# number that a C long holds on every system lifts that.
csv.field_size_limit(2**31 - 1)


class Row(msgspec.Struct, frozen=True):
    """
    A row as written, with its line end, and its cells.

    Attributes
    ----------
    odd : tuple of int
        Places of the cells whose quotes do not enclose all of them.
    is_open : bool
        Whether it stops inside a quoted cell.
    """

    text: str
    cells: list[str]
    odd: tuple[int, ...] = ()
    is_open: bool = False


def read_rows(lines: Iterable[str], delimiter: str, quoting: Quoting) -> Iterator[Row]:
    """
    Yield the rows of delimited text.

    Parameters
    ----------
    lines : iterable of str
        The text, cut behind its line ends.
    delimiter : str
    quoting : str

    Yields
    ------
    Row
        A line without any character has no cells.
    """
    if quoting in ("backslash", "spaced"):
        yield from _read_slowly(lines, delimiter, quoting)
        return
    taken: list[str] = []
    plain = _plain_row(delimiter).match

    def watched() -> Iterator[str]:
        for line in lines:
            taken.append(line)
            yield line

    for cells in _standard(watched(), delimiter, quoting):
        text = "".join(taken)
        taken.clear()
        if quoting == "double" and '"' in text and not plain(text):
            yield cut_row(text, delimiter, quoting)
        else:
            yield Row(text, cells)


def first_cells(text: str, delimiter: str, quoting: Quoting) -> Row:
    """Return the first row of a text that is no more than one row."""
    return next(read_rows([text], delimiter, quoting), Row(text, []))


def _standard(
    lines: Iterable[str], delimiter: str, quoting: Quoting
) -> Iterator[list[str]]:
    if quoting == "none":
        return csv.reader(lines, delimiter=delimiter, quoting=csv.QUOTE_NONE)
    return csv.reader(lines, delimiter=delimiter)


def _read_slowly(
    lines: Iterable[str], delimiter: str, quoting: Quoting
) -> Iterator[Row]:
    held = ""
    row = None
    for line in lines:
        held += line
        # Only a line with a quote can open or close a quoted cell.
        if row is not None and '"' not in line:
            continue
        row = cut_row(held, delimiter, quoting)
        if not row.is_open:
            yield row
            held, row = "", None
    if held:
        yield cut_row(held, delimiter, quoting)


def cut_row(text: str, delimiter: str, quoting: Quoting) -> Row:
    """
    Cut the text of one row into cells.

    Parameters
    ----------
    text : str
        With its line end or without; up to the end of the list if a quote stays open.

    Examples
    --------
    >>> cut_row('1,"a, b","big" boat\\n', ",", "double").cells
    ['1', 'a, b', '"big" boat']
    """
    whole, rest = _cell_patterns(delimiter, quoting)
    cells: list[str] = []
    odd: list[int] = []
    place = 0
    body = text.rstrip("\r\n") if '"' not in text else text
    if not body.strip("\r\n"):
        return Row(text, [])
    while True:
        match = whole.match(body, place)
        if match is not None and match["open"] is not None:
            cells.append(_unquoted(match["open"], quoting))
            return Row(text, cells, tuple(odd), is_open=True)
        if match is not None:
            cells.append(_unquoted(match["inner"], quoting))
        else:
            match = rest.match(body, place)
            assert match is not None
            if match["quoted"] is not None:
                odd.append(len(cells))
            cells.append(match[0])
        place = match.end()
        if place >= len(body) or body[place] != delimiter:
            return Row(text, cells, tuple(odd))
        place += 1


@lru_cache(maxsize=16)
def _plain_row(delimiter: str) -> re.Pattern[str]:
    """Return what matches a row of which every quote encloses a cell, or is doubled."""
    mark = re.escape(delimiter)
    cell = rf'(?:"[^"]*+(?:""[^"]*+)*+"|[^"{mark}\r\n][^{mark}\r\n]*+)?+'
    return re.compile(rf"{cell}(?:{mark}{cell})*+[\r\n]*+\Z")


@lru_cache(maxsize=16)
def _cell_patterns(
    delimiter: str, quoting: Quoting
) -> tuple[re.Pattern[str], re.Pattern[str]]:
    """Return what matches a quoted cell, and what matches any other."""
    escaped = re.escape(delimiter)
    blank = "" if delimiter in " \t" and quoting == "spaced" else "[ \t]*"
    before = blank if quoting == "spaced" else ""
    # Possessive, so that no text takes more than linear time.
    inner = r'[^"]*+(?:""[^"]*+)*+'
    if quoting == "backslash":
        inner = r'[^"\\]*+(?:(?:\\.|"")[^"\\]*+)*+'
    closed = rf'"(?P<inner>{inner})"{before}(?={escaped}|[\r\n]|\Z)'
    whole = re.compile(rf'{before}(?:{closed}|"(?P<open>{inner}[\\]?)\Z)', re.DOTALL)
    rest = re.compile(rf'(?P<quoted>{before}"{inner}")?[^{escaped}\r\n]*', re.DOTALL)
    return whole, rest


def _unquoted(inner: str, quoting: Quoting) -> str:
    if quoting == "backslash":
        # Only the quote: what else a backslash stands for, no standard says.
        return re.sub(
            r'\\\\|\\"|""',
            lambda found: found[0] if found[0][1] == "\\" else '"',
            inner,
        )
    return inner.replace('""', '"')


def rows_of(
    text: str, delimiter: str, quoting: Quoting, most: int, whole: bool
) -> Iterator[Row]:
    """Yield the first rows of a text, but one that may be cut off at the end."""
    used = 0
    rows = read_rows(io.StringIO(text, newline=""), delimiter, quoting)
    for _, row in zip(range(most), rows, strict=False):
        used += len(row.text)
        if whole or used < len(text):
            yield row


def is_all_blank(cells: Iterable[str]) -> bool:
    """Whether no cell holds anything."""
    return all(is_blank(cell) for cell in cells)
