"""Where the rows and cells of an ODS workbook (ISO/IEC 26300) begin, found by arrays.

A cell does not say its place: it stands behind those before it, and one tag can stand
for many cells or rows. So places are worked out of all tags of a tab at once; of most
cells nothing more is wanted.
"""

from __future__ import annotations

import html
import re
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import words_at
from gruff_ledger.late_patterns import late_pattern

_Places = npt.NDArray[np.int64]

# The longest name of a tag that is looked for, and what follows it, take fewer bytes.
_MARGIN = 40

_BLOCK_BYTES = 1 << 24

# What the name of a tag ends with.
TAG_ENDS = np.zeros(256, np.bool_)
TAG_ENDS[[*b" />\n\t\r"]] = True

_TABLE = late_pattern(rb"<table:table(?=[\s/>])[^>]*>")
_NAME = late_pattern(rb'table:name="([^"]*)"')
COLUMNS_REPEATED = late_pattern(rb'number-columns-repeated="(\d+)"')
_ROWS_REPEATED = late_pattern(rb'number-rows-repeated="(\d+)"')


class Tags(NamedTuple):
    """Where the tags of all rows and of all cells begin, in rising order."""

    rows: _Places
    cells: _Places


def tags_in(xml: bytes) -> Tags:
    """Find the tags of rows and cells; a cell may be covered by another."""
    data = np.frombuffer(xml, np.uint8)
    none = np.zeros(0, np.int64)
    rows, cells = [none], [none]
    # A block at a time: of what is no workbook, every byte could begin a tag.
    for start in range(0, len(data) - _MARGIN, _BLOCK_BYTES):
        stop = min(start + _BLOCK_BYTES, len(data) - _MARGIN)
        at = np.flatnonzero(data[start:stop] == ord("<")) + start
        at = at[(words_at(data, at) & word_of(b"\xff" * 7)) == word_of(b"<table:")]
        names = words_at(data, at + 7)
        rows.append(at[_is_named(data, at, names, b"table-row")])
        is_cell = _is_named(data, at, names, b"table-cell")
        is_cell |= _is_named(data, at, names, b"covered-table-cell")
        cells.append(at[is_cell])
    return Tags(np.concatenate(rows), np.concatenate(cells))


def _is_named(
    data: npt.NDArray[np.uint8],
    at: _Places,
    names: npt.NDArray[np.uint64],
    name: bytes,
) -> npt.NDArray[np.bool_]:
    """Mark the tags of a name, given the first eight bytes of all their names."""
    found = np.asarray(names == word_of(name[:8]), np.bool_)
    places = np.flatnonzero(found)
    mine = at[places] + 7
    good = TAG_ENDS[data[mine + len(name)]]
    for place in range(8, len(name)):
        good &= data[mine + place] == name[place]
    found[places] = good
    return found


def word_of(text: bytes) -> np.uint64:
    """Return up to eight bytes as `words_at` gives them."""
    return np.uint64(int.from_bytes(text, "little"))


def widest_row(tags: Tags) -> int:
    """Return how many tags of cells a row has at most, or stand before the first."""
    bounds = np.searchsorted(tags.cells, tags.rows)
    return int(np.diff([0, *bounds, len(tags.cells)]).max())


class TabCells:
    """
    The cells of a tab, and the places that their tags stand for.

    Attributes
    ----------
    spans : list of (start, end)
        The XML of the tab.
    rows : ndarray of int64
        Where the tags of its rows begin.
    row_numbers, row_counts : ndarray of int64
        The first row that each stands for, from 1, and for how many.
    """

    def __init__(self, xml: bytes, tags: Tags, name: str) -> None:
        self._xml = xml
        self.spans = _spans(xml, name)
        self.rows, self._cells = (_within(each, self.spans) for each in tags)
        self.row_counts = self._repeats(self.rows, _ROWS_REPEATED)
        self.row_numbers = np.cumsum(self.row_counts) - self.row_counts + 1
        counts = self._repeats(self._cells, COLUMNS_REPEATED)
        self._in_row = np.searchsorted(self.rows, self._cells) - 1
        before = np.append(np.cumsum(counts) - counts, 0)
        firsts = before[np.searchsorted(self._cells, self.rows)]
        self._columns = before[:-1] + 1
        if len(self.rows):
            self._columns -= firsts[np.maximum(self._in_row, 0)]
        self._counts = counts

    def cells_at(self, found: list[int], *, in_tags: bool) -> set[int]:
        """
        Return the numbers of the cells that some bytes are of.

        Parameters
        ----------
        found : list of int
            Places of bytes, in any order.
        in_tags : bool
            Whether those count alone that stand in the tag of the cell itself.
        """
        numbers = (np.searchsorted(self._cells, found, side="right") - 1).tolist()
        return {
            number
            for number, at in zip(numbers, found, strict=True)
            if number >= 0
            and self._in_row[number] >= 0
            and (not in_tags or at < self.end_of(number))
        }

    def numbers_of(self, tags: _Places) -> _Places:
        """Return the numbers of the cells whose tags begin at some bytes, else -1."""
        numbers = np.searchsorted(self._cells, tags)
        near = np.minimum(numbers, len(self._cells) - 1)
        if not len(self._cells):
            return np.full(len(tags), -1)
        is_of_cell = (self._cells[near] == tags) & (self._in_row[near] >= 0)
        return np.where(is_of_cell, near, -1)

    def start_of(self, number: int) -> int:
        """Return where the tag of a cell begins."""
        return int(self._cells[number])

    def end_of(self, number: int) -> int:
        """Return where the tag of a cell ends."""
        return self._xml.find(b">", self.start_of(number))

    def places_of(self, number: int) -> list[tuple[int, int]]:
        """Return the rows and columns that a cell's tag stands for, from 1."""
        row, column = int(self._in_row[number]), int(self._columns[number])
        first = int(self.row_numbers[row])
        if self._counts[number] == 1 == self.row_counts[row]:
            return [(first, column)]
        return [
            (each, place)
            for each in range(first, first + int(self.row_counts[row]))
            for place in range(column, column + int(self._counts[number]))
        ]

    def _repeats(self, tags: _Places, pattern: re.Pattern[bytes]) -> _Places:
        """Return how many each of some tags stands for."""
        counts = np.ones(len(tags), np.int64)
        for start, end in self.spans:
            for match in pattern.finditer(self._xml, start, end):
                number = int(np.searchsorted(tags, match.start())) - 1
                if number < 0 or len(match[1]) > 11:
                    continue
                if match.start() < self._xml.find(b">", int(tags[number])):
                    counts[number] = min(int(match[1]), 1 << 31)
        return counts


def _spans(xml: bytes, name: str) -> list[tuple[int, int]]:
    """Return where the XML of a tab begins and ends, up to that of the next one."""
    found = list(_TABLE.finditer(xml))
    ends = [*(match.start() for match in found[1:]), len(xml)]
    spans = []
    for match, end in zip(found, ends, strict=True):
        named = _NAME.search(match[0])
        if named is not None and _unescape(named[1]) == name:
            spans.append((match.end(), end))
    return spans


def _within(tags: _Places, spans: list[tuple[int, int]]) -> _Places:
    parts = [
        tags[np.searchsorted(tags, start) : np.searchsorted(tags, end)]
        for start, end in spans
    ]
    return np.concatenate([np.zeros(0, np.int64), *parts])


def _unescape(text: bytes) -> str:
    return html.unescape(text.decode("utf-8", "replace"))
