"""Reading text of fixed width: each column in the same place of every line.

Blanks that fill a column up are no part of a cell. Where the columns stand is found
(`columns`) or stated; all lines are cut there by array work. Lines that are ruled with
dashes are set aside, and the last column has all that is left of a line.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.text.weave import text_array
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import make_headings
from gruff_ledger.lists.address import Fragment
from gruff_ledger.lists.bounds import Found, first_row, heading_notes, settled
from gruff_ledger.lists.delimited.delimiter import detect_delimiter, usual_width
from gruff_ledger.lists.laid_out.columns import (
    Columns,
    find_columns,
    is_ruled,
    stated_columns,
)
from gruff_ledger.lists.laid_out.whole_text import text_of_head, whole_text
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened
from gruff_ledger.outcome import Note, SetAside
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Origin, Table

# Lines in which the columns are looked for; all others are then held against them.
_SAMPLE_LINES = 2000

# Lines cut at a time: what is made of them stays in the processor's cache.
_GROUP_LINES = 1 << 13

# What is no blank and no line end begins at this character.
_BLANK = 0x20

# A text is taken for one of fixed width if at least so many lines bear it out.
_LEAST_LINES = 3

# What ruled lines are made of.
_RULING = np.array([ord(each) for each in "-=_─━═+|"], np.uint32)


def read_fixed_width(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read text of fixed width.

    Raises
    ------
    UnreadableSource
        If there is nothing in it, or no two columns can be found.
    """
    text = whole_text(opened, terms.encoding, hashed=hashed)
    start = first_row(fragment)
    skip_rows = terms.skip_rows
    if start is not None:
        skip_rows = start - 1 + (terms.skip_rows or 0)
    lines = _Lines(text.data)
    columns = _columns(lines, terms, skip_rows, opened)
    records_from = columns.first
    heading: tuple[str, ...] = ("",) * len(columns.starts)
    if terms.header_rows:
        heading = _cut(lines.text(columns.first), columns.starts)
        records_from += 1 if columns.ruled is None else 2
    headings, made = make_headings(heading)
    cells, ruled = _cells(lines, records_from, columns.starts)
    total = len(lines) - records_from
    table = Table(headings, cells, Origin.counted(source, 1, total), opened.name)
    aside: tuple[SetAside, ...] = ()
    if ruled.any():
        aside = (SetAside("a ruled line, and no record", table.keep_records(ruled)),)
        table = table.keep_records(~ruled)
    above = (lines.text(number).strip() for number in range(columns.first))
    titles = () if start is not None else tuple(line for line in above if line)
    notes = heading_notes(
        opened.name,
        titles,
        records_from,
        headings,
        made,
        pinned=skip_rows is not None,
        has_heading=terms.header_rows > 0,
    )
    found = Found(
        table,
        total,
        "fixed-width",
        records_from,
        {**text.written(), "columns": _told(columns.starts)},
        text.size_bytes,
        text.sha256,
        titles,
        tuple(
            key
            for key, stated in (
                ("encoding", terms.encoding is not None),
                ("widths", bool(terms.widths)),
                ("skip-rows", skip_rows is not None),
            )
            if stated
        ),
        aside,
        (),
        tuple(notes) + _note_taken(opened, columns.starts, terms),
    )
    return settled(found, opened, fragment, terms)


def is_likely(head: bytes) -> bool:
    """Whether text is likely to be a list of fixed width, and has no delimiter."""
    text = text_of_head(head)
    if text is None:
        return False
    delimiter = detect_delimiter(text, whole=True)
    if usual_width(text, delimiter, "double", whole=True) > 1:
        return False
    lines = [line.expandtabs() for line in text.splitlines()[:_SAMPLE_LINES]]
    found = find_columns(lines, None, has_heading=True)
    if found is None:
        return False
    rows = [line for line in lines[found.first :] if line.strip()]
    return len(rows) >= _LEAST_LINES


class _Lines:
    """
    The lines of a text, as places in its bytes.

    Parameters
    ----------
    data : bytes
        UTF-8. Tabs are replaced by the blanks that they stand for.
    """

    def __init__(self, data: bytes) -> None:
        if b"\t" in data:
            data = data.decode("utf-8").expandtabs().encode("utf-8")
        self.data = np.frombuffer(data, np.uint8)
        if b"\r" in data and b"\n" not in data:
            data = data.replace(b"\r", b"\n")
            self.data = np.frombuffer(data, np.uint8)
        ends = np.flatnonzero(self.data == ord("\n"))
        if len(data) and data[-1:] != b"\n":
            ends = np.append(ends, len(data))
        self.starts = np.concatenate([np.zeros(1, np.int64), ends[:-1] + 1])
        if not len(ends):
            self.starts = self.starts[:0]
        has_return = np.zeros(len(ends), np.bool_)
        inside = ends > self.starts
        has_return[inside] = self.data[ends[inside] - 1] == ord("\r")
        self.ends = ends - has_return

    def __len__(self) -> int:
        return len(self.starts)

    def text(self, number: int) -> str:
        """Return a line."""
        cut = self.data[self.starts[number] : self.ends[number]]
        return cut.tobytes().decode("utf-8")

    def texts(self, most: int) -> list[str]:
        """Return the first lines."""
        return [self.text(number) for number in range(min(most, len(self)))]


def _columns(
    lines: _Lines, terms: ReadingTerms, skip_rows: int | None, opened: Opened
) -> Columns:
    """Find the columns in the first lines, and in all where others do not fit them."""
    if not len(lines) or not any(map(str.strip, lines.texts(len(lines)))):
        raise UnreadableSource(
            "there is nothing in it.", "Send a list with headings.", file=opened.address
        )
    if skip_rows is not None and skip_rows >= len(lines):
        raise UnreadableSource(
            f"it has no row {skip_rows + 1}, where the heading should be: it ends with "
            f"row {len(lines)}.",
            "Give a row among those, by `skip-rows` or in the address.",
            file=opened.address,
        )
    if terms.widths:
        widths = [int(each) for each in terms.widths]
        return stated_columns(lines.texts(_SAMPLE_LINES), widths, skip_rows)
    for most in (_SAMPLE_LINES, len(lines)):
        found = find_columns(
            lines.texts(most), skip_rows, has_heading=terms.header_rows > 0
        )
        if found is None:
            break
        if found.ruled is not None or most >= len(lines):
            return found
        if not _crossed(lines, found):
            return found
    raise UnreadableSource(
        "no two columns can be told: there are no blanks that all rows share.",
        "Give `widths`, as in `widths 8,20,10`, and `skip-rows` where titles stand "
        "above.",
        file=opened.address,
    )


def _crossed(lines: _Lines, columns: Columns) -> bool:
    """Whether the text of some line runs across the edge of a column."""
    for start in range(columns.first, len(lines), _GROUP_LINES):
        part = _Part(lines, start, min(len(lines), start + _GROUP_LINES))
        for edge in columns.starts[1:]:
            before, at = part.filled(edge - 1), part.filled(edge)
            if (before & at & ~part.is_ruled()).any():
                return True
    return False


def _cells(
    lines: _Lines, records_from: int, starts: Sequence[int]
) -> tuple[tuple[Column, ...], Mask]:
    """Cut all lines into cells; and tell which of them are ruled."""
    groups = range(records_from, len(lines), _GROUP_LINES)

    def cut(start: int) -> tuple[list[Any], Mask]:
        part = _Part(lines, start, min(len(lines), start + _GROUP_LINES))
        return part.cells(starts), part.is_ruled()

    cut_groups = mapped(cut, groups)
    columns = tuple(
        pa.chunked_array([cells[place] for cells, _ in cut_groups], pa.string())
        for place in range(len(starts))
    )
    ruled = [mask for _, mask in cut_groups]
    return columns, np.concatenate(ruled) if ruled else np.zeros(0, np.bool_)


class _Part:
    """
    Some lines, as an array of characters: bytes where all are ASCII, else code points.

    Parameters
    ----------
    lines : _Lines
    start, stop : int
        The first line, and the one after the last.
    """

    def __init__(self, lines: _Lines, start: int, stop: int) -> None:
        begin, end = int(lines.starts[start]), int(lines.ends[stop - 1])
        data = lines.data[begin:end]
        self._starts = lines.starts[start:stop] - begin
        self._ends = lines.ends[start:stop] - begin
        self._is_wide = bool((data >= 0x80).any())
        if self._is_wide:
            # Where each character begins, and how many there are before each byte.
            before = np.concatenate(
                [np.zeros(1, np.int64), np.cumsum((data & 0xC0) != 0x80)]
            )
            self._starts, self._ends = before[self._starts], before[self._ends]
            text = data.tobytes().decode("utf-8")
            self._characters: Any = np.frombuffer(text.encode("utf-32-le"), np.uint32)
        else:
            self._characters = data
        is_filled = self._characters > _BLANK
        if self._is_wide:
            is_filled &= (self._characters != 0xA0) & (self._characters != 0x3000)
        places = np.arange(len(is_filled), dtype=np.int64)
        # For each character the next one, and the last one, that is no blank.
        after = np.where(is_filled, places, len(is_filled))
        self._next = np.append(np.minimum.accumulate(after[::-1])[::-1], len(is_filled))
        self._last = np.maximum.accumulate(np.where(is_filled, places, -1))
        self._is_filled = is_filled

    def filled(self, place: int) -> Mask:
        """Whether each line has something at a place."""
        at = self._starts + place
        inside = at < self._ends
        result = np.zeros(len(at), np.bool_)
        result[inside] = self._is_filled[at[inside]]
        return result

    def is_ruled(self) -> Mask:
        """Whether each line holds nothing but what rules lines."""
        first = self._next[np.minimum(self._starts, len(self._is_filled))]
        result = np.zeros(len(self._starts), np.bool_)
        begun = np.flatnonzero(first < self._ends)
        marks = np.isin(self._characters[first[begun]], _RULING)
        for number in begun[marks].tolist():
            cut = self._characters[self._starts[number] : self._ends[number]]
            result[number] = is_ruled("".join(map(chr, cut.tolist())))
        return result

    def cells(self, starts: Sequence[int]) -> list[Any]:
        """Return the cells of each column, without the blanks around them."""
        stops = [*starts[1:], None]
        return [
            self._column(start, stop) for start, stop in zip(starts, stops, strict=True)
        ]

    def _column(self, start: int, stop: int | None) -> Any:
        first = np.minimum(self._starts + start, self._ends)
        end = self._ends
        if stop is not None:
            end = np.minimum(self._starts + stop, self._ends)
        first = np.minimum(self._next[first], end)
        last = np.where(end > 0, self._last[np.maximum(end - 1, 0)], -1) + 1
        lengths = np.maximum(last - first, 0)
        at = np.repeat(first - np.cumsum(lengths) + lengths, lengths)
        at += np.arange(int(lengths.sum()))
        taken = self._characters[at]
        if not self._is_wide:
            return text_array(taken, lengths)
        # In UTF-8 a character takes one to four bytes.
        sizes = 1 + (taken >= 0x80) + (taken >= 0x800) + (taken >= 0x10000)
        done = np.concatenate([np.zeros(1, np.int64), np.cumsum(sizes)])
        ends = np.cumsum(lengths)
        in_bytes = done[ends] - done[ends - lengths]
        data = taken.tobytes().decode("utf-32-le").encode("utf-8")
        return text_array(np.frombuffer(data, np.uint8), in_bytes)


def _cut(line: str, starts: Sequence[int]) -> tuple[str, ...]:
    stops = [*starts[1:], None]
    return tuple(
        line.expandtabs()[start:stop].strip()
        for start, stop in zip(starts, stops, strict=True)
    )


def _told(starts: Sequence[int]) -> str:
    """Return the columns as people count characters, such as ``1-8, 9-28, 29-``."""
    stops = [str(stop) for stop in starts[1:]]
    return ", ".join(
        f"{start + 1}-{stop}" for start, stop in zip(starts, [*stops, ""], strict=True)
    )


def _note_taken(
    opened: Opened, starts: Sequence[int], terms: ReadingTerms
) -> tuple[Note, ...]:
    """Say which columns were found, and how to state others."""
    if terms.widths:
        return ()
    widths = [str(stop - start) for start, stop in pairwise(starts)]
    # The last column has no end.
    stated = ",".join([*widths, "99"])
    return (
        Note(
            f"{opened.name}: read as text of fixed width, in columns at characters "
            f"{_told(starts)}.",
            f"To cut it differently, give `widths {stated}` with your numbers.",
        ),
    )
