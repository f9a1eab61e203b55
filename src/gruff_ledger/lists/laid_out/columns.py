"""Where the columns of fixed-width text stand: by blanks, by ruled lines, as stated.

A column is told from its neighbour by characters that are blank in every row, heading
and records alike. Rows above the heading do not share them; so the heading is the first
row from which on they are there. A line ruled with dashes tells columns by itself.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from gruff_ledger.late_patterns import late_pattern

# A line of dashes with gaps in it rules columns; one without is a line and no more.
_RULES = late_pattern(r"\s*[-=_─━═+|]{2,}(?:\s+[-=_─━═+|]+)*\s*")
_RUN = late_pattern(r"[-=_─━═+|]+")

# Rows in which the heading is looked for.
_HEADING_WITHIN_ROWS = 30

# A gap of one blank can be that between two words; it counts as one between columns
# where so many rows have it.
_ROWS_FOR_NARROW_GAPS = 10

# The first row with at least this share of the most columns is the heading.
_HEADING_SHARE = 0.6


class Columns(msgspec.Struct, frozen=True):
    """
    Where columns stand.

    Attributes
    ----------
    starts : tuple of int
        The first character of each, from 0; the last column has no end.
    first : int
        Index of the line that is the heading, or of the first record without one.
    ruled : int or None
        Index of the ruled line below the heading, where there is one.
    """

    starts: tuple[int, ...]
    first: int
    ruled: int | None = None


def is_ruled(line: str) -> bool:
    """Whether a line holds nothing but dashes and the like."""
    return bool(_RULES.fullmatch(line))


def stated_columns(
    lines: Sequence[str], widths: Sequence[int], skip_rows: int | None
) -> Columns:
    """Return columns of stated widths; a ruled line may stand below the heading."""
    starts = [sum(widths[:place]) for place in range(len(widths))]
    first = skip_rows
    if first is None:
        first = _below_comments(lines)
        while first < len(lines) and not lines[first].strip():
            first += 1
    return Columns(tuple(starts), first, _ruled_below(lines, first))


def find_columns(
    lines: Sequence[str], skip_rows: int | None, *, has_heading: bool
) -> Columns | None:
    """
    Find the columns of fixed-width text.

    Parameters
    ----------
    lines : sequence of str
        Without line ends; tabs are blanks.
    skip_rows : int, optional
        How many lines stand above the heading, where that is given.
    has_heading : bool

    Returns
    -------
    Columns, or None where there are not two of them
    """
    ruled = _ruled_columns(lines, skip_rows)
    if ruled is not None and has_heading:
        return ruled
    begin = _below_comments(lines) if skip_rows is None else skip_rows
    rows = [
        (number, line)
        for number, line in enumerate(lines)
        if number >= begin and line.strip() and not is_ruled(line)
    ]
    if not rows:
        return None
    candidates = 1 if skip_rows is not None else _HEADING_WITHIN_ROWS
    found = []
    for skipped in range(min(candidates, max(1, len(rows) - 1))):
        mine = [line for _, line in rows[skipped:]]
        starts = _starts(mine, mine[0] if has_heading else None)
        found.append(starts)
    most = max(map(len, found))
    if most < 2:
        return None
    skipped = next(
        place for place, each in enumerate(found) if len(each) >= most * _HEADING_SHARE
    )
    first = rows[skipped][0]
    return Columns(found[skipped], first, _ruled_below(lines, first))


def _below_comments(lines: Sequence[str]) -> int:
    """Return how many lines at the top begin with ``#``."""
    for number, line in enumerate(lines):
        if not line.startswith("#"):
            return number
    return 0


def _ruled_below(lines: Sequence[str], first: int) -> int | None:
    below = first + 1
    return below if below < len(lines) and is_ruled(lines[below]) else None


def _ruled_columns(lines: Sequence[str], skip_rows: int | None) -> Columns | None:
    """Return the columns that a line of dashes rules below a heading."""
    within = lines[: _HEADING_WITHIN_ROWS + (skip_rows or 0)]
    for number, line in enumerate(within):
        runs = [match.start() for match in _RUN.finditer(line)]
        if number and len(runs) > 1 and is_ruled(line) and lines[number - 1].strip():
            if skip_rows is not None and number - 1 != skip_rows:
                continue
            return Columns((0, *runs[1:]), number - 1, number)
    return None


def _starts(rows: Sequence[str], heading: str | None) -> tuple[int, ...]:
    """Return where words begin behind blanks that all rows share."""
    width = max(map(len, rows))
    filled = bytearray(width)
    for row in rows:
        for match in re.finditer(r"\S+", row):
            filled[match.start() : match.end()] = b"\1" * (match.end() - match.start())
    narrowest = 1 if len(rows) >= _ROWS_FOR_NARROW_GAPS else 2
    starts: list[int] = []
    end = -narrowest
    for run in re.finditer(rb"\x01+", bytes(filled)):
        if not starts or run.start() - end >= narrowest:
            starts.append(run.start())
        end = run.end()
    if heading is None:
        return (0, *starts[1:])
    # What has no heading is part of the column before, such as the second words of
    # names that all are as long.
    ends = [*starts[1:], width]
    kept = [
        start
        for start, end in zip(starts, ends, strict=True)
        if heading[start:end].strip()
    ]
    return (0, *kept[1:]) if kept else ()
