"""The cells of ODS tabs that are written as most are, read by array work.

A number, a text, a day or a truth value in a cell that stands for itself: where its
bytes are as programs write them (ISO/IEC 26300-1, 9.1), it is cut out of the XML by
arrays. What is left, such as lengths of time, errors, notes, spanned cells and texts
with marks in them, the library reads as ever, in an XML in which blank cells are in the
place of those that were taken, and one row is in the place of many. Nothing is taken
that the library could read otherwise.
"""

from __future__ import annotations

import html

import msgspec
import numpy as np
import pyarrow as pa

from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.workbook.ods.heads import (
    BLANK,
    LEFT,
    NUMBER,
    PERCENT,
    Padded,
    attributes_in,
)
from gruff_ledger.lists.workbook.ods.structure import (
    ROW_END,
    FoundCells,
    Rows,
    cells_of,
    rows_of,
    tags_of,
)
from gruff_ledger.lists.workbook.ods.values import texts_of
from gruff_ledger.lists.workbook.regular.merge import Cells
from gruff_ledger.lists.workbook.regular.stretches import Bytes, Places, blocks_of
from gruff_ledger.lists.workbook.regular.texts import says_utf8
from gruff_ledger.lists.workbook.tab_sizes import Bounds

# Less XML is not worth the arrays.
_LEAST_BYTES = 1 << 18

# The XML that is looked at in one go, and what is looked at behind its end.
_BLOCK_BYTES = 1 << 22
_PADDING = 64

# Hardly any row is so long; of what is no workbook, every byte could begin a tag.
_MOST_BLOCK_BYTES = 1 << 24

# Of the cells of the first block, so many are regular, or no other block is looked at.
_LEAST_REGULAR = 0.25

_TABLE = late_pattern(rb"<table:table(?=[\s/>])[^>]*>")
_TABLE_END = b"</table:table>"


class OdsCells(Cells, frozen=True, eq=False):
    """
    The regular cells of a tab.

    Attributes
    ----------
    is_percent : ndarray of bool, shape (n,)
        Which are shown as per cent.
    """

    is_percent: Mask

    @property
    def extent(self) -> tuple[int, int, int]:
        """Their last row, their last column, and how many there are."""
        if not len(self.rows):
            return 0, 0, 0
        return int(self.rows.max()), int(self.cols.max()), len(self.rows)

    def percent(self) -> list[tuple[int, int]]:
        """Return row and column of those that are shown as per cent."""
        rows, cols = self.rows[self.is_percent], self.cols[self.is_percent]
        return list(zip(rows.tolist(), cols.tolist(), strict=True))


class RegularTabs(msgspec.Struct, frozen=True, eq=False):
    """
    The regular cells of all tabs, by their names in order, and the XML of the rest.

    In it, every other cell and row stands in its place.

    Attributes
    ----------
    bounds : list of Bounds
        What each tab takes at most, the cells of the rest included.
    """

    tabs: dict[str, OdsCells]
    rest: bytes
    bounds: list[Bounds]


def regular_tabs(xml: bytes, padded: Padded, *, as_written: bool) -> RegularTabs | None:
    """
    Read the cells of all tabs that are written as most are.

    Parameters
    ----------
    xml : bytes
        The content of a workbook.
    padded : Padded
    as_written : bool
        Whether numbers are taken with the zeros at their ends.

    Returns
    -------
    RegularTabs, or None where there are few, or the XML is not as it is usually written
    """
    if len(xml) < _LEAST_BYTES or not says_utf8(xml):
        return None
    tabs: dict[str, OdsCells] = {}
    bounds: list[Bounds] = []
    pieces: list[bytes] = []
    at = 0
    is_first = True
    while (end := xml.find(_TABLE_END, at)) >= 0:
        opening = _TABLE.search(xml, at, end)
        if opening is None:
            return None
        lead = xml[at : opening.start()]
        # Where the name is not surely known, its cells would be nobody's. A comment
        # could hide cells; there is one declaration, and none of a type.
        said = attributes_in(opening[0][len(b"<table:table") : -1]).get(b"table:name")
        if said is None or b"<!" in lead or lead.count(b"<?") > is_first:
            return None
        name = html.unescape(said.decode("utf-8", "replace"))
        blocks = list(blocks_of(xml, opening.end(), end, ROW_END, _BLOCK_BYTES))
        if name in tabs or any(b - a > _MOST_BLOCK_BYTES for a, b in blocks):
            return None
        parts = _parts_of(xml, blocks, padded, as_written, is_first)
        if parts is None:
            return None
        tabs[name], bound = _joined(parts)
        bounds.append(bound)
        pieces += [xml[at : opening.end()], *(part.rest for part in parts), _TABLE_END]
        at, is_first = end + len(_TABLE_END), False
    if not tabs or b"<!" in xml[at:]:
        return None
    return RegularTabs(tabs, b"".join([*pieces, xml[at:]]), bounds)


def _parts_of(
    xml: bytes,
    blocks: list[tuple[int, int]],
    padded: Padded,
    as_written: bool,
    is_first: bool,
) -> list[_Part] | None:
    def part_of(block: tuple[int, int]) -> _Part | None:
        return _part_of(xml[slice(*block)], padded, as_written)

    found = [part_of(block) for block in blocks[:1]]
    for part in found if is_first else ():
        if part is None or len(part.rows) < part.filled * _LEAST_REGULAR:
            return None
    found += mapped(part_of, blocks[1:])
    parts = [part for part in found if part is not None]
    return parts if len(parts) == len(found) else None


def _joined(parts: list[_Part]) -> tuple[OdsCells, Bounds]:
    """Return the cells of all parts of a tab, and what it takes at most."""
    none = np.zeros(0, np.int64)
    placed = []
    top = 0
    bounds = Bounds(0, 0, 0, 0, 1)
    for part in parts:
        placed.append(part.rows + top)
        bounds = bounds.with_part(top, part.bounds)
        top += part.height
    cells = OdsCells(
        np.concatenate([none, *placed]),
        np.concatenate([none, *(part.cols for part in parts)]),
        concat_columns([text_column(()), *(part.texts for part in parts)]),
        np.concatenate([none > 0, *(part.is_number for part in parts)]),
        np.concatenate([none > 0, *(part.is_percent for part in parts)]),
    )
    return cells, bounds


class _Part(OdsCells, frozen=True, eq=False):
    """
    The same of some rows, counted from the first, and what else they have.

    Attributes
    ----------
    filled : int
        How many cells are not surely blank.
    height : int
        How many rows there are.
    rest : bytes
    bounds : Bounds
    """

    filled: int
    height: int
    rest: bytes
    bounds: Bounds


def _part_of(xml: bytes, padded: Padded, as_written: bool) -> _Part | None:
    """Read the cells of some rows; None if they are not as they usually are."""
    # What is looked at behind the last tag is nothing.
    data = np.frombuffer(xml + b" " * _PADDING, np.uint8)
    if not _is_sound(xml, data):
        return None
    tags = tags_of(data, len(xml))
    if tags is None:
        return None
    rows = rows_of(xml, data, tags)
    cells = cells_of(xml, data, tags, padded)
    if cells is None:
        return None
    of_row = np.searchsorted(rows.tags, cells.tags) - 1
    if len(of_row) and of_row[0] < 0:
        return None
    if (rows.counts < 1).any() or (cells.counts < 1).any():
        # None can stand for none: what the library makes of it is its own affair.
        return None
    # Of a row that stands for several nothing is taken.
    is_one = (rows.is_ended & (rows.counts == 1))[of_row]
    cells.kinds[~is_one & (cells.kinds != BLANK)] = LEFT
    chosen, texts = texts_of(data, cells, as_written)
    kinds = cells.kinds[chosen]
    is_taken = np.zeros(len(cells.kinds), np.bool_)
    is_taken[chosen] = True
    tops = np.cumsum(rows.counts) - rows.counts + 1
    before = np.cumsum(cells.counts) - cells.counts
    firsts = np.append(before, 0)[np.searchsorted(cells.tags, rows.tags)]
    cols = before - firsts[of_row] + 1
    numbers = (kinds == NUMBER) | (kinds == PERCENT)
    return _Part(
        tops[of_row[chosen]],
        cols[chosen],
        texts,
        numbers,
        kinds == PERCENT,
        int((cells.kinds != BLANK).sum()),
        int(rows.counts.sum()),
        _rest_of(xml, rows, cells, of_row, is_taken),
        _bounds_of(len(xml), rows, cells, of_row, tops, cols),
    )


def _is_sound(xml: bytes, data: Bytes) -> bool:
    """Whether bytes are text of XML (XML 1.0, 2.2, 2.4), but for control marks."""
    if int(data.max()) >= 128:
        if b"\xef\xbf\xbe" in xml or b"\xef\xbf\xbf" in xml:
            return False
        try:
            pa.array([xml], pa.binary()).cast(pa.string())
        except pa.ArrowInvalid:
            return False
    return b"]" not in xml or b"]]>" not in xml


def _bounds_of(
    size: int,
    rows: Rows,
    cells: FoundCells,
    of_row: Places,
    tops: Places,
    cols: Places,
) -> Bounds:
    """Return what the cells of a block take at most."""
    # What is not surely blank may be filled.
    which = np.flatnonzero(cells.kinds != BLANK)
    counts, row_counts = cells.counts[which], rows.counts[of_row[which]]
    # As fractions, which no repeats of a hostile file overflow.
    times = counts.astype(np.float64) * row_counts
    sizes = np.diff(np.append(cells.starts, size))[which]
    return Bounds(
        int((tops[of_row[which]] + row_counts - 1).max(initial=0)),
        int((cols[which] + counts - 1).max(initial=0)),
        int(times.sum()),
        int((sizes * times)[times > 1].sum()),
        int(times.max(initial=1)),
    )


def _rest_of(
    xml: bytes, rows: Rows, cells: FoundCells, of_row: Places, is_taken: Mask
) -> bytes:
    """Return the XML of a block with blank cells and rows for those that were taken."""
    is_gone = (is_taken | (cells.kinds == BLANK)) & rows.is_ended[of_row]
    is_gone &= (rows.counts == 1)[of_row]
    tags = np.where(cells.kinds == BLANK, 1, 4) * is_gone
    told = np.bincount(of_row, tags, len(rows.tags)).astype(np.int64)
    is_whole = rows.is_plain & (told + 1 == rows.ends - rows.tags)
    which = np.flatnonzero(is_whole)
    pieces = [
        (start, stop, b'<table:table-row table:number-rows-repeated="%d">' % count)
        for start, stop, count in _runs(rows.starts, rows.stops, rows.counts, which)
    ]
    blank_row = b"<table:table-cell/></table:table-row>"
    pieces = [(start, stop, head + blank_row) for start, stop, head in pieces]
    which = np.flatnonzero(is_gone & ~is_whole[of_row])
    pieces += [
        (start, stop, b'<table:table-cell table:number-columns-repeated="%d"/>' % count)
        for start, stop, count in _runs(cells.starts, cells.stops, cells.counts, which)
    ]
    pieces.sort()
    made = []
    at = 0
    for start, stop, other in pieces:
        made += [xml[at:start], other]
        at = stop
    return b"".join([*made, xml[at:]])


def _runs(
    starts: Places, stops: Places, counts: Places, which: Places
) -> list[tuple[int, int, int]]:
    """Return where stretches begin and end that touch, and what they stand for."""
    if not len(which):
        return []
    starts, stops, counts = starts[which], stops[which], counts[which]
    begins = np.append(True, starts[1:] != stops[:-1])
    first = np.flatnonzero(begins)
    last = np.append(first[1:], len(which)) - 1
    sums = np.add.reduceat(counts, first)
    return list(
        zip(starts[first].tolist(), stops[last].tolist(), sums.tolist(), strict=True)
    )
