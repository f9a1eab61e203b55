"""How a delimited list is written: its delimiter, titles and heading row.

Everything is decided on the head of the source, shown to the person, and can be pinned.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.lists.delimited.delimiter import (
    count_comments,
    detect_delimiter,
    detect_quoting,
    usual_width,
)
from gruff_ledger.lists.delimited.rows import Quoting, Row, is_all_blank, rows_of

# Rows in which the heading is looked for.
_HEADING_WITHIN_ROWS = 30

# The heading row is the first with at least this share of the cells filled.
_HEADING_FILLED = 0.6


class Layout(msgspec.Struct, frozen=True):
    """
    Where things stand in the text of a delimited list.

    Attributes
    ----------
    delimiter : str
    quoting : str
        How cells are quoted; see `rows`.
    titles : tuple of str
        The rows above the heading that are not blank, as they were written.
    heading : tuple of str
        The cells of the heading row as written; made up when there is none.
    heading_text : str
        The heading row as written, with its line end.
    heading_row : int
        Row of the heading, from 1; when there is none, the row before the first record.
    prefix : str
        All text before the first record.
    delimiter_pinned, heading_pinned, quoting_pinned : bool
        Whether the person stated them.
    odd_headings : tuple of str
        Headings whose quotes do not enclose all of them.
    is_open : bool
        Whether the heading row stops inside a quoted cell.
    """

    delimiter: str
    quoting: Quoting
    titles: tuple[str, ...]
    heading: tuple[str, ...]
    heading_text: str
    heading_row: int
    prefix: str
    delimiter_pinned: bool
    heading_pinned: bool
    quoting_pinned: bool = False
    odd_headings: tuple[str, ...] = ()
    is_open: bool = False

    @property
    def quoted(self) -> bool:
        """Whether a double quote at the start of a cell opens a quoted one."""
        return self.quoting != "none"


def detect_layout(
    text: str,
    *,
    whole: bool,
    delimiter: str | None,
    skip_rows: int | None,
    header_rows: int,
    quoting: Quoting | None,
    expected: str = "",
) -> Layout | None:
    """
    Find the delimiter, the titles and the heading of a delimited list.

    Parameters
    ----------
    text : str
        The first part of the source.
    whole : bool
        Whether that is all of it; otherwise its last row may be cut off.
    delimiter, skip_rows : optional
        Pinned by the person: the delimiter, and how many rows stand above the heading.
    header_rows : int
        1, or 0 when the list has no heading row.
    quoting : optional
        How cells are quoted, where the person stated it.
    expected : str, optional
        The delimiter that the ending of the file speaks for.

    Returns
    -------
    Layout, or None if the heading does not end within the text given, or the text holds
    no row that is not blank.
    """
    chosen = (
        delimiter
        if delimiter is not None
        else detect_delimiter(text, whole, quoting or "double", expected)
    )
    way = quoting or detect_quoting(text, whole, chosen)
    comments = count_comments(text)
    most = _HEADING_WITHIN_ROWS + (comments if skip_rows is None else skip_rows)
    rows = list(rows_of(text, chosen, way, most, whole))
    if skip_rows is None:
        width = usual_width(text, chosen, way, whole)
        place = _heading_place(rows, width, comments)
    else:
        place = skip_rows
    if place is None or place >= len(rows):
        return None
    titles = tuple(
        row.text.rstrip(f"\r\n{chosen}")
        for row in rows[:place]
        if not is_all_blank(row.cells)
    )
    prefix = "".join(row.text for row in rows[: place + header_rows])
    heading: tuple[str, ...]
    if header_rows:
        heading = tuple(rows[place].cells)
    else:
        width = max(usual_width(text, chosen, way, whole), 1)
        heading = ("",) * width
    return Layout(
        delimiter=chosen,
        quoting=way,
        titles=titles,
        heading=heading,
        heading_text=rows[place].text,
        heading_row=place + header_rows,
        prefix=prefix,
        delimiter_pinned=delimiter is not None,
        heading_pinned=skip_rows is not None,
        quoting_pinned=quoting is not None,
        odd_headings=tuple(rows[place].cells[odd] for odd in rows[place].odd)
        if header_rows
        else (),
        is_open=rows[place].is_open,
    )


def _heading_place(rows: list[Row], width: int, comments: int) -> int | None:
    """Find the heading below the comments; the last of these can be it (``#code``)."""
    filled = [sum(not is_blank(cell) for cell in row.cells) for row in rows]
    if comments and width > 1 and filled[comments - 1] >= width - 1:
        return comments - 1
    place = heading_among(filled[comments:], width)
    return None if place is None else comments + place


def heading_among(filled: Sequence[int], width: int) -> int | None:
    """
    Tell which of the first rows of a list is its heading.

    Parameters
    ----------
    filled : sequence of int
        How many cells of each row are not blank.
    width : int
        How many fields the list seems to have.

    Returns
    -------
    int, or None if all rows are blank
        The first row that is filled well enough, or else the first that is not blank.
    """
    wanted = max(1, math.ceil(width * _HEADING_FILLED))
    for place, count in enumerate(filled[:_HEADING_WITHIN_ROWS]):
        if count >= wanted:
            return place
    return next((place for place, count in enumerate(filled) if count), None)
