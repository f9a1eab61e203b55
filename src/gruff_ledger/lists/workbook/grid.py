"""Lists in a grid of cells, such as a workbook's tab: where the list stands in it."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.blank import blank_mask, is_blank
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import make_headings
from gruff_ledger.lists.address import Fragment, Range
from gruff_ledger.lists.bounds import Found, heading_notes, settled
from gruff_ledger.lists.delimited.layout import heading_among
from gruff_ledger.lists.reading import NUMBER, Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened
from gruff_ledger.lists.workbook.cell_texts import number_texts
from gruff_ledger.outcome import Finding, Note
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Origin, Table

# Rows of a grid looked at to see how wide the list in it is.
_JUDGED_ROWS = 200

# A column belongs to the list if this share of the judged rows has something in it.
_COLUMN_FILLED = 0.1

# Cells turned into arrays at a time.
_GROUP_RECORDS = 1 << 13


_NUMERIC = frozenset({float, int})


Remarks = tuple[tuple[Finding, ...], tuple[Note, ...]]


class Grid(msgspec.Struct, frozen=True, eq=False):
    """
    The cells in use of a grid, as text.

    Attributes
    ----------
    columns : tuple of Column, height cells each
    numbers : tuple of ndarray of bool, shape (height,)
        Which cells of each column are numbers, not texts.
    first_row, first_col : int
        Where the first cell of the first column stands, from 1.
    written : mapping
        For the account: the tab, and what is special in it.
    remarks : callable
        Given the place of the list in the grid, returns findings and notes on it.
    """

    columns: tuple[Column, ...]
    numbers: tuple[Mask, ...]
    first_row: int
    first_col: int
    written: Mapping[str, Any]
    remarks: Callable[[Place], Remarks]

    @property
    def height(self) -> int:
        """How many rows there are."""
        return len(self.columns[0]) if self.columns else 0

    @property
    def last_row(self) -> int:
        """Where the last row stands."""
        return self.first_row + self.height - 1

    @property
    def last_col(self) -> int:
        """Where the last column stands."""
        return self.first_col + len(self.columns) - 1

    def rows(self, stop: int) -> list[tuple[str, ...]]:
        """Return the cells of the first rows."""
        parts = (column.slice(0, stop).to_pylist() for column in self.columns)
        return list(zip(*parts, strict=True))


class Place(msgspec.Struct, frozen=True):
    """Where a list stands in its grid, for findings on cells of it."""

    heading_row: int
    first_col: int
    headings: tuple[str, ...]
    records: int
    source: int
    rows: tuple[Range, ...] | None = None

    def heading(self, col: int) -> str | None:
        """Return the heading of a column, from 1; None if it is not in the list."""
        place = col - self.first_col
        return self.headings[place] or None if 0 <= place < len(self.headings) else None

    def record(self, row: int) -> int | None:
        """Return the number of the record in a row; None if no record stands there."""
        number = row - self.heading_row
        if not 1 <= number <= self.records:
            return None
        rows = self.rows or ((1, None),)
        in_block = any(
            first <= row and (last is None or row <= last) for first, last in rows
        )
        return number if in_block else None


def read_grid(
    grid: Grid,
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    format_name: str,
    source: int,
    sha256: Callable[[], str] | None,
) -> Reading:
    """
    Find the list in a grid, and read it.

    Titles above the heading are recognised as in delimited text; columns without
    heading and cells at the left and right of the list are left out.

    Raises
    ------
    UnreadableSource
        If the grid is empty, or the rows or columns stated lie outside of it.
    """
    if not grid.height:
        raise UnreadableSource(
            "there is nothing in it.", "Send a list with headings.", file=opened.address
        )
    left, right = _chosen(grid, fragment.cols, opened)
    place = _stated_place(grid, fragment, terms, opened)
    pinned = place is not None
    if place is None:
        place = _heading_place(grid, left, right)
    if fragment.cols is None:
        left, right = _used_columns(grid, place, left, right)
    cols = fragment.cols or ((grid.first_col + left, grid.first_col + right - 1),)
    places = _column_places(cols, grid.first_col, right)
    records_from = place + min(terms.header_rows, 1)
    head = grid.rows(records_from)
    heading = ("",) * len(places)
    if terms.header_rows:
        heading = tuple(head[place][each] for each in places)
    headings, made = make_headings(heading)
    kinds = {
        heading: _kinds(grid.numbers[each][records_from:])
        for heading, each in zip(headings, places, strict=True)
        if grid.numbers[each].any()
    }
    heading_row = grid.first_row + records_from - 1
    total = grid.height - records_from
    titles = () if fragment.rows is not None else _titles(head[:place])
    columns = tuple(grid.columns[each].slice(records_from) for each in places)
    table = Table(headings, columns, Origin.counted(source, 1, total), opened.name)
    at = dict(zip(places, headings, strict=True))
    names = tuple(at.get(each, "") for each in range(max(places, default=-1) + 1))
    findings, notes = grid.remarks(
        Place(heading_row, grid.first_col, names, total, source, fragment.rows)
    )
    notes += tuple(
        heading_notes(
            opened.name,
            titles,
            heading_row,
            headings,
            made,
            pinned=pinned,
            has_heading=terms.header_rows > 0,
        )
    )
    found = Found(
        table,
        total,
        format_name,
        heading_row,
        grid.written,
        opened.size_bytes,
        sha256,
        titles,
        ("skip-rows",) if terms.skip_rows is not None else (),
        (),
        findings,
        notes,
        kinds,
    )
    # The columns are picked already; rows still are to be.
    rest = msgspec.structs.replace(fragment, cols=None)
    return settled(found, opened, rest, terms)


def text_columns(
    rows: Iterable[Sequence[Any]], text_of: Callable[[Any], str]
) -> tuple[tuple[Column, ...], tuple[Mask, ...]]:
    """
    Return the columns of some rows as text, and which of their cells are numbers.

    Parameters
    ----------
    rows : iterable of sequences, equally long
    text_of : callable
        Returns the text of a value; equal values of one type have the same.

    Returns
    -------
    columns : tuple of Column, n cells each
    numbers : tuple of ndarray of bool, shape (n,)
    """
    chunks: list[list[tuple[Any, Mask]]] = []
    source = iter(rows)
    while group := list(itertools.islice(source, _GROUP_RECORDS)):
        # Column by column: most hold values of one type, which is quickest so.
        columns = [_texts(column, text_of) for column in zip(*group, strict=True)]
        chunks = chunks or [[] for _ in columns]
        for parts, column in zip(chunks, columns, strict=True):
            parts.append(column)
    joined = tuple(
        pa.chunked_array([texts for texts, _ in parts], pa.string()) for parts in chunks
    )
    return joined, tuple(np.concatenate([mask for _, mask in each]) for each in chunks)


def with_decimals(
    columns: tuple[Column, ...],
    numbers: tuple[Mask, ...],
    shown: Mapping[tuple[int, int], int],
    first: tuple[int, int],
) -> tuple[Column, ...]:
    """
    Return columns whose numbers have the decimals that they are shown with.

    Parameters
    ----------
    columns : tuple of Column, n cells each
    numbers : tuple of ndarray of bool, shape (n,)
    shown : mapping
        How many decimals the numbers of some cells have, by row and column.
    first : tuple of int
        Row and column of the first cell.
    """
    if not shown:
        return columns
    by_column: dict[int, list[tuple[int, int]]] = {}
    for (row, col), decimals in shown.items():
        by_column.setdefault(col - first[1], []).append((row - first[0], decimals))
    made = list(columns)
    for place, cells in by_column.items():
        if not 0 <= place < len(made):
            continue
        texts, is_number = made[place].to_pylist(), numbers[place]
        for at, decimals in cells:
            if 0 <= at < len(texts) and is_number[at]:
                whole, _, part = texts[at].partition(".")
                if len(part) <= decimals:
                    texts[at] = f"{whole}.{part.ljust(decimals, '0')}"
        made[place] = text_column(texts)
    return tuple(made)


def _stated_place(
    grid: Grid, fragment: Fragment, terms: ReadingTerms, opened: Opened
) -> int | None:
    """Return the index of the row that is stated to be the heading."""
    if fragment.rows is None and terms.skip_rows is None:
        return None
    first = fragment.rows[0][0] if fragment.rows else 1
    row = first + (terms.skip_rows or 0)
    if row > grid.last_row or (not fragment.rows and row < grid.first_row):
        raise UnreadableSource(
            f"it has no row {row}, where the heading should be: its cells in use "
            f"are rows {grid.first_row} to {grid.last_row}.",
            "Give a row among those, by `skip-rows` or in the address.",
            file=opened.address,
        )
    return max(0, row - grid.first_row)


def _chosen(
    grid: Grid, cols: tuple[Range, ...] | None, opened: Opened
) -> tuple[int, int]:
    """Return the columns to look at, from 0 in the grid, the last one not in it."""
    if cols is None:
        return 0, len(grid.columns)
    beyond = [first for first, _ in cols if first > grid.last_col]
    if beyond:
        raise UnreadableSource(
            f"it has no column {beyond[0]}: its cells in use are columns "
            f"{grid.first_col} to {grid.last_col}.",
            "Give columns among those.",
            file=opened.address,
        )
    last = max(
        grid.last_col if end is None else min(grid.last_col, end) for _, end in cols
    )
    return max(0, cols[0][0] - grid.first_col), last - grid.first_col + 1


def _column_places(
    cols: tuple[Range, ...], first_col: int, right: int
) -> tuple[int, ...]:
    return tuple(
        place
        for first, last in cols
        for place in range(
            max(0, first - first_col),
            min(right, right if last is None else last - first_col + 1),
        )
    )


def _heading_place(grid: Grid, left: int, right: int) -> int:
    sample = [
        [not is_blank(cell) for cell in row[left:right]]
        for row in grid.rows(_JUDGED_ROWS)
    ]
    filled = [row for row in sample if any(row)]
    if not filled:
        return 0
    counts = [sum(column) for column in zip(*filled, strict=True)]
    width = sum(count >= max(1, _COLUMN_FILLED * len(filled)) for count in counts)
    place = heading_among([sum(row) for row in sample], width)
    return 0 if place is None else place


def _used_columns(grid: Grid, place: int, left: int, right: int) -> tuple[int, int]:
    """Leave out the columns at both sides that are empty from the heading on."""

    def is_empty(column: int) -> bool:
        return bool(blank_mask(grid.columns[column].slice(place)).all())

    while right - left > 1 and is_empty(left):
        left += 1
    while right - left > 1 and is_empty(right - 1):
        right -= 1
    return left, right


def _titles(rows: Sequence[Sequence[str]]) -> tuple[str, ...]:
    joined = ("  ".join(cell for cell in row if not is_blank(cell)) for row in rows)
    return tuple(text for text in joined if text)


def _kinds(is_number: Mask) -> npt.NDArray[np.uint8]:
    """Return the kinds of the cells below a heading; see `reading.Kinds`."""
    codes = np.zeros(len(is_number) + 1, np.uint8)
    codes[1:][is_number] = NUMBER
    return codes


def _texts(values: tuple[Any, ...], text_of: Callable[[Any], str]) -> tuple[Any, Mask]:
    kinds = set(map(type, values))
    numeric = kinds & _NUMERIC
    if len(kinds) == 1 or not numeric:
        is_number = np.full(len(values), bool(numeric))
    else:
        is_number = np.array([type(value) in _NUMERIC for value in values])
    return _as_texts(values, kinds, text_of), is_number


def _as_texts(
    values: tuple[Any, ...], kinds: set[type], text_of: Callable[[Any], str]
) -> Any:
    if kinds == {str}:
        return pa.array(values, pa.string())
    if kinds == {float}:
        return pa.array(number_texts(values), pa.string())
    known: dict[Any, str] = {}
    if len(kinds) == 1:
        for value in set(values):
            known[value] = text_of(value)
        return pa.array([known[value] for value in values], pa.string())
    texts = []
    for value in values:
        if type(value) is not str:
            # One and True are equal, and are not the same text.
            key = (type(value), value)
            text = known.get(key)
            if text is None:
                text = known[key] = text_of(value)
            value = text
        texts.append(value)
    return pa.array(texts, pa.string())
