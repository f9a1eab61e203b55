"""How large a workbook's tabs would be in memory, found out before a library sees them.

The library that reads workbooks holds every cell of the rectangle in use, and every
repeated text. So a file of a few hundred bytes can ask for more than a machine has:
with one cell in the last corner of a tab, or with one that is repeated millions of
times. Here the XML is read for what it really says. Where XML is written as all
programs write it, a search of its bytes is enough; anything else is parsed.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from typing import NamedTuple
from xml.parsers import expat

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.places import column_number, walk_cells
from gruff_ledger.problems import UnreadableSource

# Cells of the rectangle in use, whatever is in them: half a gigabyte in the library.
# A tab that has more cells than this filled may span more.
_MOST_CELLS = 1 << 24
_MOST_SPANNED_PER_CELL = 16
_MOST_CELLS_OF_ALL = 1 << 26

# No program has more rows and columns in a tab.
MOST_ROWS, MOST_COLUMNS = 1 << 20, 1 << 14

# What texts that are repeated, and spaces that are counted, may take.
_MOST_REPEATED_BYTES = 1 << 27

# Texts that cells share: the library holds each one, also an empty one.
MOST_STRINGS = 1 << 24

# A tag is closed, or goes on with white space, or stands for an empty element.
_AFTER_NAME = (b" ", b">", b"/", b"\n", b"\t", b"\r")

_WITH_PREFIX = late_pattern(rb":(?:c[\s/>]|sheetData)")
# The tag of a cell as all programs write it (ISO/IEC 29500-1, 18.3.1.4). All of it
# counts: the library also reads tags that are no XML, such as one with two places.
_PLAIN_CELL = late_pattern(
    rb'<c r="[A-Z]{1,3}+([1-9][0-9]{0,6}+)"(?: [stcvmph]++="[^"<>&]*+")*+\s?/?+>'
)
# Of ODS, spaces that are counted.
_SPACES = late_pattern(rb'text:c="(\d{1,6})"')


def damaged(opened: Opened) -> UnreadableSource:
    """Word that a file cannot be read as a workbook."""
    return UnreadableSource(
        "it is damaged: it cannot be read as a workbook.",
        "Open it in a workbook program, save it anew, or ask for it again.",
        file=opened.address,
    )


def check_xlsx_tab(opened: Opened, xml: bytes) -> int:
    """
    Check that a tab of an XLSX workbook can be held.

    Parameters
    ----------
    opened : Opened
    xml : bytes
        Of the tab.

    Returns
    -------
    int
        How many cells the library will hold at most.

    Raises
    ------
    UnreadableSource
        If its cells span too much, or it is no XML.
    """
    check_no_doctype(opened, xml)
    # Text of the same digits is the same row: of each run one is read.
    places = _PLAIN_CELL.findall(xml)
    numbers = [int(row) for row, _ in itertools.groupby(places)]
    rows, columns, filled = max(numbers, default=0), _columns(xml), len(places)
    is_usual = _is_plain(xml, filled) and numbers == sorted(numbers)
    if not is_usual or _is_vast(rows, columns, filled):
        rows, columns, filled = _parse_extent(opened, xml)
    check_spanned(opened, rows, columns, filled)
    return rows * columns


def check_spanned(opened: Opened, rows: int, columns: int, filled: int) -> None:
    """
    Check that a tab can be held by what its cells span and how many are filled.

    Raises
    ------
    UnreadableSource
    """
    if _is_vast(rows, columns, filled):
        raise vast(opened, f"{rows} rows and {columns} columns")


def check_extent(
    opened: Opened, xml: bytes, extent: tuple[int, int, int]
) -> int | None:
    """
    Check that a tab whose cells were all found can be held; see `check_xlsx_tab`.

    Parameters
    ----------
    opened : Opened
    xml : bytes
    extent : tuple of int
        Its last row, its last column and how many cells it has.

    Returns
    -------
    int or None
        None where it has other tags of cells as well.
    """
    rows, columns, filled = extent
    if not _is_plain(xml, filled) or _is_vast(rows, columns, filled):
        return None
    return rows * columns


def check_strings(opened: Opened, xml: bytes) -> None:
    """Check that the texts that the cells of an XLSX workbook share can be held."""
    check_no_doctype(opened, xml)
    # Other tags that begin so are few; text that looks so is hardly ever.
    if xml.count(b"<si") + xml.count(b":si") > MOST_STRINGS:
        raise vast(opened, f"more than {MOST_STRINGS} texts")


class Bounds(NamedTuple):
    """
    What a tab of an ODS workbook takes at most.

    Attributes
    ----------
    rows, columns : int
        The last that is in use.
    filled : int
        How many cells are.
    repeated_bytes : int
        What cells that stand for several take, as often as they do.
    most_repeats : int
        For how many cells one stands.
    """

    rows: int
    columns: int
    filled: int
    repeated_bytes: int
    most_repeats: int

    def with_part(self, top: int, other: Bounds) -> Bounds:
        """Return those of a tab that goes on, below a row, with a part of others."""
        return Bounds(
            max(self.rows, top + other.rows),
            max(self.columns, other.columns),
            self.filled + other.filled,
            self.repeated_bytes + other.repeated_bytes,
            max(self.most_repeats, other.most_repeats),
        )


def check_ods(
    opened: Opened,
    xml: bytes,
    spanned: int,
    besides: Sequence[tuple[int, int, int]] = (),
    bounds: Sequence[Bounds] = (),
) -> None:
    """
    Check that the tabs of an ODS workbook can be held; all of its XML is parsed.

    Parameters
    ----------
    opened : Opened
    xml : bytes
    spanned : int
        How many cells it has at most, where none stands for others.
    besides : sequence of tuple of int
        Of the cells of each tab that are not in it, the last row, the last column and
        how many there are.
    bounds : sequence of Bounds
        Of each tab, with all its cells, where they are known.

    Raises
    ------
    UnreadableSource
        If one spans too much, or it is no XML: the library would never end then.
    """
    check_no_doctype(opened, xml)
    is_small = spanned <= _MOST_CELLS and _stands_for_itself(xml)
    if bounds:
        is_small = _are_small(bounds, xml)
    if not is_small:
        _OdsSizes(opened, besides).parse(xml)
        return
    try:
        expat.ParserCreate().Parse(xml, True)
    except (expat.ExpatError, ValueError, LookupError) as error:
        raise damaged(opened) from error


def _are_small(bounds: Sequence[Bounds], xml: bytes) -> bool:
    spaces = _SPACES.findall(xml)
    if len(spaces) < xml.count(b"text:c"):
        return False
    most = max(each.most_repeats for each in bounds)
    repeated = sum(map(int, spaces)) * most
    repeated += sum(each.repeated_bytes for each in bounds)
    cells = [max(each.filled, each.rows * each.columns) for each in bounds]
    return repeated <= _MOST_REPEATED_BYTES and max(cells) <= _MOST_CELLS


def _stands_for_itself(xml: bytes) -> bool:
    """Whether no cell of ODS stands for others, and no space for very many."""
    if b"-repeated" in xml:
        return False
    spaces = _SPACES.findall(xml)
    return len(spaces) >= xml.count(b"text:c") and sum(map(int, spaces)) <= _MOST_CELLS


def check_no_doctype(opened: Opened, xml: bytes) -> None:
    """Refuse XML with declarations of its own (ISO/IEC 29500-2, 9.1.4)."""
    is_two_byte = xml[:2] in (b"\xff\xfe", b"\xfe\xff") or b"\0" in xml[:4]
    if is_two_byte or b"<!DOCTYPE" in xml or b"<!ENTITY" in xml:
        raise damaged(opened)


def vast(opened: Opened, span: str) -> UnreadableSource:
    """Word that the cells of a tab span too much."""
    return UnreadableSource(
        f"its cells in use span {span}, which is more than can be held.",
        "Delete the stray cells at its end, or save the tab as delimited text.",
        file=opened.address,
    )


def _is_vast(rows: int, columns: int, filled: int) -> bool:
    if rows > MOST_ROWS or columns > MOST_COLUMNS:
        return True
    most = min(max(_MOST_CELLS, filled * _MOST_SPANNED_PER_CELL), _MOST_CELLS_OF_ALL)
    return rows * columns > most


# XLSX ---------------------------------------------------------------------------


def _is_plain(xml: bytes, plain: int) -> bool:
    """
    Whether every cell's tag is as in ``<c r="AB12" s="1">``.

    Parameters
    ----------
    xml : bytes
        Of a tab.
    plain : int
        How many tags are so.
    """
    # Other tags with this letter stand outside of the cells.
    in_rows = xml.count(b"<c", max(0, xml.find(b"<sheetData")))
    if in_rows != plain:
        in_rows = sum(xml.count(b"<c" + mark) for mark in _AFTER_NAME)
    return in_rows == plain and not _WITH_PREFIX.search(xml)


def _columns(xml: bytes) -> int:
    """Return, from above, the last column of the cells of a tab."""
    # Hardly ever is there a column after Z.
    if not re.search(rb'<c r="[A-Z]{2}', xml):
        return 26
    letters = set(re.findall(rb'<c r="([A-Z]{1,3})', xml))
    return max(map(column_number, letters), default=0)


def _parse_extent(opened: Opened, xml: bytes) -> tuple[int, int, int]:
    """
    Return how many rows and columns the cells span, and how many cells there are.

    The library takes the first and the last cell for the first and the last row: rows
    that are not in order would be lost, or counted backwards.
    """
    rows = columns = filled = before = within = 0

    def met(is_cell: bool, row: int, column: int, behind: int) -> None:
        nonlocal rows, columns, filled, before, within
        if not is_cell:
            within = row
        else:
            if row < 1:
                raise ValueError("a place that no cell has")
            if row < before:
                raise ValueError("rows are not in order")
            filled += 1
            before = row
            rows, columns = max(rows, row, within), max(columns, column)

    try:
        walk_cells(xml, met)
    except (expat.ExpatError, ValueError, LookupError) as error:
        raise damaged(opened) from error
    return rows, columns, filled


# ODS ----------------------------------------------------------------------------


class _OdsSizes:
    """
    What the tabs of an ODS workbook would take, found while its XML is parsed.

    A cell that is repeated takes its text as often; a run of spaces is one element.
    """

    def __init__(self, opened: Opened, besides: Sequence[tuple[int, int, int]]) -> None:
        self._opened = opened
        # What each tab in turn has already.
        self._besides = iter(besides)
        self._parser = expat.ParserCreate()
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._begin_tab((0, 0, 0))
        self._taken = 0

    def parse(self, xml: bytes) -> None:
        try:
            self._parser.Parse(xml, True)
        except (expat.ExpatError, ValueError, LookupError) as error:
            raise damaged(self._opened) from error

    def _begin_tab(self, besides: tuple[int, int, int]) -> None:
        self._row = 0
        self._rows, self._columns, self._fill_cells = besides
        check_spanned(self._opened, *besides)
        self._repeated_row = self._repeated = 1
        self._column = 0
        self._begun = 0
        self._is_filled = False

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if name in ("table:table-cell", "table:covered-table-cell"):
            self._repeated = _repeats(attributes, "table:number-columns-repeated")
            self._column += self._repeated
            self._begun = self._parser.CurrentByteIndex
            self._is_filled = any(each.startswith("office:") for each in attributes)
            return
        self._is_filled = True
        if name == "text:s":
            spaces = _repeats(attributes, "text:c")
            self._take(spaces * self._repeated * self._repeated_row)
        elif name == "table:table-row":
            self._row += self._repeated_row
            self._repeated_row = _repeats(attributes, "table:number-rows-repeated")
            self._column = 0
        elif name == "table:table":
            self._begin_tab(next(self._besides, (0, 0, 0)))
            self._repeated_row = 0

    def _end(self, name: str) -> None:
        if name not in ("table:table-cell", "table:covered-table-cell"):
            return
        # An empty cell at the end of a row, or row at the end of a tab, is left out;
        # one that stands before others is held.
        if self._is_filled:
            length = self._parser.CurrentByteIndex - self._begun
            self._columns = max(self._columns, self._column)
            self._rows = max(self._rows, self._row + self._repeated_row)
            times = self._repeated * self._repeated_row
            self._fill_cells += times
            if times > 1:
                self._take(length * times)
            if self._fill_cells > _MOST_CELLS_OF_ALL:
                raise vast(self._opened, f"{self._fill_cells:,} cells")
            check_spanned(self._opened, self._rows, self._columns, self._fill_cells)
        self._repeated = 1

    def _take(self, size_bytes: int) -> None:
        self._taken += size_bytes
        if self._taken > _MOST_REPEATED_BYTES:
            raise vast(self._opened, "repeated texts of over 100 MB")


def _repeats(attributes: dict[str, str], name: str) -> int:
    said = attributes.get(name, "").strip()
    if not (said.isascii() and said.isdecimal()):
        return 1
    return int(said[:12])
