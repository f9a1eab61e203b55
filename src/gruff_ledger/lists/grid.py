"""Lists in a grid of cells, such as a workbook's tab: where the list stands in it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.lists.address import Fragment, Range
from gruff_ledger.lists.detect import heading_among
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.settle import Found, heading_notes, settled
from gruff_ledger.lists.source import Opened
from gruff_ledger.naming import made_headings
from gruff_ledger.outcome import Finding, Note
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Column, Origin, Table, text_column

# Rows of a grid looked at to see how wide the list in it is.
_JUDGED_ROWS = 200

# A column belongs to the list if this share of the judged rows has something in it.
_COLUMN_FILLED = 0.1

# Cells turned into arrays at a time.
_GROUP_RECORDS = 1 << 16


Remarks = tuple[tuple[Finding, ...], tuple[Note, ...]]


class Grid(msgspec.Struct, frozen=True, eq=False):
    """
    The cells in use of a grid, as a library gives them.

    Attributes
    ----------
    rows : sequence of sequences
        Equally long; any values.
    first_row, first_col : int
        Where the first of them stands, from 1.
    text_of : callable
        Returns the text of a value.
    written : mapping
        For the account: the tab, and what is special in it.
    notes : tuple of Note
    remarks : callable, optional
        Given the place of the list in the grid, returns findings and notes on it.
    """

    rows: Sequence[Sequence[Any]]
    first_row: int
    first_col: int
    text_of: Callable[[Any], str]
    written: Mapping[str, Any]
    notes: tuple[Note, ...] = ()
    remarks: Callable[[Place], Remarks] | None = None


class Place(msgspec.Struct, frozen=True):
    """Where a list stands in its grid, for findings on cells of it."""

    heading_row: int
    first_col: int
    headings: tuple[str, ...]
    records: int
    source: int

    def heading(self, col: int) -> str | None:
        """Return the heading of a column, from 1; None if it is not in the list."""
        place = col - self.first_col
        return self.headings[place] or None if 0 <= place < len(self.headings) else None

    def record(self, row: int) -> int | None:
        """Return the number of the record in a row; None if no record stands there."""
        number = row - self.heading_row
        return number if 1 <= number <= self.records else None


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
    height = grid.first_row + len(grid.rows) - 1
    width = grid.first_col + (len(grid.rows[0]) if grid.rows else 0) - 1
    if not grid.rows:
        raise UnreadableSource(
            "there is nothing in it.", "Send a list with headings.", file=opened.address
        )
    rows, first_row = grid.rows, grid.first_row
    left, right = _chosen(fragment.cols, grid.first_col, width, opened)
    pinned = fragment.rows is not None or terms.skip_rows is not None
    if fragment.rows is not None:
        start = fragment.rows[0][0] + (terms.skip_rows or 0)
        if start > height:
            raise UnreadableSource(
                f"it has no row {start}: its cells in use are rows {first_row} to "
                f"{height}.",
                "State a row among those.",
                file=opened.address,
            )
        place = max(0, start - first_row)
    elif terms.skip_rows is not None:
        place = terms.skip_rows + 1 - first_row
        if not 0 <= place < len(rows):
            raise UnreadableSource(
                f"it has no row {terms.skip_rows + 1}, where the heading should stand: "
                f"its cells in use are rows {first_row} to {height}.",
                "State a row among those, by `skip-rows` or in the address.",
                file=opened.address,
            )
    else:
        place = _heading_place(grid, left, right)
    text_of = grid.text_of
    if fragment.cols is None:
        left, right = _used_columns(rows, place, left, right, text_of)
    cols = fragment.cols or ((grid.first_col + left, grid.first_col + right - 1),)
    places = _column_places(cols, grid.first_col, right)
    heading = tuple(text_of(rows[place][each]) for each in places)
    if terms.header_rows == 0:
        heading, records_from = ("",) * len(places), place
    else:
        records_from = place + 1
    headings, made = made_headings(heading)
    heading_row = first_row + records_from - 1
    total = len(rows) - records_from
    titles = () if fragment.rows is not None else _titles(rows[:place], text_of)
    columns = tuple(_columns(rows, records_from, places, text_of))
    table = Table(headings, columns, Origin.counted(source, 1, total), opened.name)
    notes = grid.notes + tuple(
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
    findings: tuple[Finding, ...] = ()
    if grid.remarks is not None:
        cell_headings = dict(zip(places, headings, strict=True))
        names = tuple(
            cell_headings.get(each, "") for each in range(max(places, default=-1) + 1)
        )
        findings, more = grid.remarks(
            Place(heading_row, grid.first_col, names, total, source)
        )
        notes += more
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
    )
    # The columns are picked already; rows still are to be.
    rest = msgspec.structs.replace(fragment, cols=None)
    return settled(found, opened, rest, terms)


def _chosen(
    cols: tuple[Range, ...] | None, first_col: int, width: int, opened: Opened
) -> tuple[int, int]:
    """Return the columns to look at, from 0 in the grid, the last one not in it."""
    if cols is None:
        return 0, width - first_col + 1
    beyond = [first for first, _ in cols if first > width]
    if beyond:
        raise UnreadableSource(
            f"it has no column {beyond[0]}: its cells in use are columns {first_col} "
            f"to {width}.",
            "State columns among those.",
            file=opened.address,
        )
    last = max(width if last is None else min(width, last) for _, last in cols)
    return max(0, cols[0][0] - first_col), last - first_col + 1


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
        [not is_blank(grid.text_of(value)) for value in row[left:right]]
        for row in grid.rows[:_JUDGED_ROWS]
    ]
    filled = [row for row in sample if any(row)]
    if not filled:
        return 0
    counts = [sum(column) for column in zip(*filled, strict=True)]
    width = sum(count >= max(1, _COLUMN_FILLED * len(filled)) for count in counts)
    place = heading_among([sum(row) for row in sample], width)
    return 0 if place is None else place


def _used_columns(
    rows: Sequence[Sequence[Any]],
    place: int,
    left: int,
    right: int,
    text_of: Callable[[Any], str],
) -> tuple[int, int]:
    """Leave out the columns at both sides that are empty from the heading on."""

    def is_empty(column: int) -> bool:
        return all(is_blank(text_of(row[column])) for row in rows[place:])

    while right - left > 1 and is_empty(left):
        left += 1
    while right - left > 1 and is_empty(right - 1):
        right -= 1
    return left, right


def _titles(
    rows: Sequence[Sequence[Any]], text_of: Callable[[Any], str]
) -> tuple[str, ...]:
    texts = ([text_of(value) for value in row] for row in rows)
    joined = ("  ".join(text for text in row if not is_blank(text)) for row in texts)
    return tuple(text for text in joined if text)


def _columns(
    rows: Sequence[Sequence[Any]],
    start: int,
    places: Sequence[int],
    text_of: Callable[[Any], str],
) -> list[Column]:
    """Return the texts of the chosen columns of the rows from `start` on."""
    import pyarrow as pa

    chunks: list[list[Any]] = [[] for _ in places]
    for at in range(start, len(rows), _GROUP_RECORDS):
        # Column by column: most hold values of one type, which is quickest so.
        columns = list(zip(*rows[at : at + _GROUP_RECORDS], strict=True))
        for group, place in zip(chunks, places, strict=True):
            group.append(_texts(columns[place], text_of))
    return [
        pa.chunked_array(group, pa.string()) if group else text_column(())
        for group in chunks
    ]


def _texts(values: tuple[Any, ...], text_of: Callable[[Any], str]) -> Any:
    import pyarrow as pa

    if set(map(type, values)) != {str}:
        known: dict[Any, str] = {}
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
        values = tuple(texts)
    return pa.array(values, pa.string())
