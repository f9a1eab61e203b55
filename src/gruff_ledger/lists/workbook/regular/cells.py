"""The cells of an XLSX tab that are written as most are, read by array work.

A number, a text that cells share, a text in its cell: where the bytes of a cell are as
programs write it (ISO/IEC 29500-1, 18.3.1.4), its place and its text are cut out of
the XML by arrays. Whatever else a tab has, such as dates, errors, results of formulas
and rich texts, stays in the XML, which the library reads as ever. Nothing is taken that
the library could read otherwise: what is in doubt is left to it.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping

import numpy as np

from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.workbook.regular.merge import Cells
from gruff_ledger.lists.workbook.regular.stretches import (
    Bytes,
    Places,
    are_at,
    blocks_of,
    distinct_stretches,
)
from gruff_ledger.lists.workbook.regular.texts import (
    Texts,
    is_utf8,
    shared_texts,
)

# Fewer cells are not worth the arrays.
_LEAST_CELLS = 2000

# The XML that is looked at in one go, and what is looked at behind its end.
_BLOCK_BYTES = 1 << 22
_PADDING = 64

# Hardly any row is so long; of what is no workbook, every byte could begin a tag.
_MOST_BLOCK_BYTES = 1 << 24

# Attributes of a cell behind its place take no more bytes.
_MOST_ATTRIBUTES = 64

# What begins each of the elements in a cell, and what ends it.
_VALUE, _VALUE_END = b"<v>", b"</v></c>"
_INLINE, _INLINE_KEPT = b"<is><t>", b'<is><t xml:space="preserve">'
_INLINE_END = b"</t></is></c>"

_STYLE = late_pattern(rb'(?:^|\s)s="(\d{1,6})"')
_TYPE = late_pattern(rb'(?:^|\s)t="(\w+)"')
# The rest of a tag as all programs write it; see `tab_sizes`.
_USUAL = late_pattern(rb'(?: [stcvmph]+="[^"<>&]*")*\s?/?')
_KNOWN = late_pattern(rb'(?:\s(?:s="\d{1,6}"|t="\w+"|spans="[\d:]+"))*')

NUMBER, SHARED, INLINE = 1, 2, 3


class Regular(Cells, frozen=True, eq=False):
    """
    The regular cells of a tab, and what else it has.

    Attributes
    ----------
    rest : bytes
        The XML of the tab without them.
    extent : tuple of int
        The last row and the last column of all cells, blank ones too, and how many
        there are; none where some tag is not as it is usually written.
    """

    rest: bytes
    extent: tuple[int, int, int] | None


def regular_cells(
    xml: bytes,
    strings: bytes,
    plain: frozenset[int],
    decimals: Mapping[int, int],
) -> Regular | None:
    """
    Read the cells of a tab that are written as most are.

    Parameters
    ----------
    xml : bytes
        Of a tab.
    strings : bytes
        The XML of the texts that cells share.
    plain : frozenset of int
        The formats that show a number as one, and as no date.
    decimals : mapping
        Those that show so many decimals: a number that has them is as it is written.

    Returns
    -------
    Regular, or None where there are few, or the XML is not as it is usually written
    """
    begin, end = xml.find(b"<sheetData>"), xml.rfind(b"</sheetData>")
    few = xml.count(b"<c ", begin, end) < _LEAST_CELLS
    if begin < 0 or end < begin or few or not is_utf8(xml):
        return None
    begin += len(b"<sheetData>")
    shared = shared_texts(strings)
    first, *others = blocks = list(blocks_of(xml, begin, end, b"</row>", _BLOCK_BYTES))
    if any(stop - start > _MOST_BLOCK_BYTES for start, stop in blocks):
        return None

    def part_of(block: tuple[int, int]) -> _Part | None:
        return _part_of(xml[slice(*block)], shared, plain, decimals)

    # The first one tells whether the others are worth it.
    found = [part_of(first)]
    found += mapped(part_of, others) if found[0] is not None else []
    parts = [part for part in found if part is not None]
    if len(parts) < len(found) or not parts:
        return None
    with_cells = [part for part in parts if part.last]
    if any(one.last >= other.first for one, other in itertools.pairwise(with_cells)):
        return None
    extents = [part.extent for part in parts]
    extent = None
    if all(extents):
        lasts = [each for each in extents if each is not None]
        rows, cols, counts = zip(*lasts, strict=True)
        extent = (max(rows), max(cols), sum(counts))
    rest = b"".join([xml[:begin], *(part.rest for part in parts), xml[end:]])
    return Regular(
        np.concatenate([part.rows for part in parts]),
        np.concatenate([part.cols for part in parts]),
        concat_columns([part.texts for part in parts]),
        np.concatenate([part.is_number for part in parts]),
        rest,
        extent,
    )


class _Part(Regular, frozen=True, eq=False):
    """The same of some rows, and the first and the last cell of them."""

    first: int
    last: int


def _part_of(
    xml: bytes,
    strings: tuple[Column, Mask] | None,
    plain: frozenset[int],
    decimals: Mapping[int, int],
) -> _Part | None:
    """Read the cells of some rows; None if they are not as they usually are."""
    size = len(xml)
    # What is looked at behind the last tag is nothing.
    data = np.frombuffer(xml + b" " * _PADDING, np.uint8)
    tags = np.flatnonzero(data == ord("<"))
    tags = np.append(tags, [size] * 5)
    is_cell = (data[tags[:-5] + 1] == ord("c")) & (data[tags[:-5] + 2] == ord(" "))
    which = np.flatnonzero(is_cell)
    starts = tags[which]
    if not len(starts):
        none = np.zeros(0, np.int64)
        texts = text_column(())
        return _Part(none, none, texts, none > 0, xml, (0, 0, 0), 1 << 62, 0)
    closes = np.append(np.flatnonzero(data == ord(">")), size)
    ends = closes[np.searchsorted(closes, starts)]
    places = _places(data, starts)
    if places is None:
        return None
    rows, cols, behind = places
    keys = rows << 15 | cols
    if (np.diff(keys) <= 0).any():
        # Cells that are not in order, or stand there twice.
        return None
    attributes = _attributes(data, behind, ends)
    if attributes is None:
        return None
    styles, types, are_usual = attributes
    is_blank = data[ends - 1] == ord("/")
    first, second, third = tags[which + 1], tags[which + 2], tags[which + 3]
    follows = ~is_blank & (first == ends + 1)
    has_value = follows & are_at(data, first, _VALUE) & are_at(data, second, _VALUE_END)
    shown = np.full(int(styles.max()) + 1, -1, np.int64)
    for style in range(len(shown)):
        shown[style] = decimals.get(style, 0 if style in plain else -1)
    is_number = has_value & (types == NUMBER) & (shown[styles] >= 0)
    is_shared = has_value & (types == SHARED)
    is_inline = follows & (types == INLINE)
    plain_is, kept_is = is_inline.copy(), is_inline.copy()
    if is_inline.any():
        # There are none in most workbooks.
        plain_is &= are_at(data, first, _INLINE)
        kept_is &= are_at(data, first, _INLINE_KEPT)
        is_inline &= (plain_is | kept_is) & are_at(data, third, _INLINE_END)
    text_starts = np.where(
        is_inline,
        first + np.where(plain_is, len(_INLINE), len(_INLINE_KEPT)),
        first + len(_VALUE),
    )
    text_ends = np.where(is_inline, third, second)
    taken_in = Texts(data, text_starts, text_ends)
    numbers = taken_in.numbers(np.flatnonzero(is_number), shown[styles])
    shared = taken_in.shared(np.flatnonzero(is_shared), strings)
    inline = taken_in.inline(np.flatnonzero(is_inline), kept_is)
    chosen = np.concatenate([numbers[0], shared[0], inline[0]])
    texts = concat_columns([numbers[1], shared[1], inline[1]])
    cut_ends = np.where(is_blank, ends + 1, text_ends + len(_VALUE_END))
    cut_ends[is_inline] = text_ends[is_inline] + len(_INLINE_END)
    is_cut = is_blank.copy()
    is_cut[chosen] = True
    is_figure = np.zeros(len(chosen), np.bool_)
    is_figure[: len(numbers[0])] = True
    rest = _without(xml, starts[is_cut], cut_ends[is_cut])
    extent = (int(rows.max()), int(cols.max()), len(rows)) if are_usual else None
    first_key, last_key = int(keys[0]), int(keys[-1])
    return _Part(
        *(rows[chosen], cols[chosen], texts, is_figure),
        *(rest, extent, first_key, last_key),
    )


def _places(data: Bytes, starts: Places) -> tuple[Places, Places, Places] | None:
    """Return row and column of each cell, and the place behind both."""
    if not are_at(data, starts, b'<c r="').all():
        return None
    at = starts + len(b'<c r="')
    cols = np.zeros(len(at), np.int64)
    for _ in range(3):
        letters = data[at].astype(np.int64) - ord("A")
        is_letter = (letters >= 0) & (letters < 26)
        cols = np.where(is_letter, cols * 26 + letters + 1, cols)
        at = at + is_letter
    rows = np.zeros(len(at), np.int64)
    for _ in range(7):
        digits = data[at].astype(np.int64) - ord("0")
        is_digit = (digits >= 0) & (digits < 10)
        rows = np.where(is_digit, rows * 10 + digits, rows)
        at = at + is_digit
    if (data[at] != ord('"')).any() or (rows < 1).any() or (cols < 1).any():
        return None
    return rows, cols, at + 1


def _attributes(
    data: Bytes, starts: Places, ends: Places
) -> tuple[Places, Places, bool] | None:
    """Return style and type of each cell, and whether all tags are as usual.

    Type 0 is one that is left alone.
    """
    lengths = ends - starts
    if int(lengths.max()) > _MOST_ATTRIBUTES:
        return None
    codes, said = distinct_stretches(data, starts, ends)
    styles = np.zeros(len(said), np.int64)
    types = np.zeros(len(said), np.int64)
    are_usual = True
    for number, text in enumerate(said):
        are_usual &= bool(_USUAL.fullmatch(text))
        text = text.rstrip(b"/").rstrip()
        is_once = text.count(b' s="') < 2 and text.count(b' t="') < 2
        if not (is_once and _KNOWN.fullmatch(text)):
            continue
        style, kind = _STYLE.search(text), _TYPE.search(text)
        styles[number] = int(style[1]) if style else 0
        types[number] = {b"n": NUMBER, b"s": SHARED, b"inlineStr": INLINE}.get(
            kind[1] if kind else b"n", 0
        )
    return styles[codes], types[codes], are_usual


def _without(xml: bytes, starts: Places, ends: Places) -> bytes:
    """Return bytes without some stretches of them, in order."""
    if not len(starts):
        return xml
    # Most cells stand right behind one another, and are cut out in one piece.
    apart = np.flatnonzero(starts[1:] != ends[:-1])
    begins = np.concatenate([starts[:1], starts[1:][apart]]).tolist()
    stops = np.concatenate([ends[:-1][apart], ends[-1:]]).tolist()
    pieces = []
    at = 0
    for begin, stop in zip(begins, stops, strict=True):
        pieces.append(xml[at:begin])
        at = stop
    pieces.append(xml[at:])
    return b"".join(pieces)


def plain_styles(formats: Mapping[int, str]) -> frozenset[int]:
    """
    Return the formats that surely show a number as a number.

    Parameters
    ----------
    formats : mapping
        The code of each, such as ``0.00``.
    """
    return frozenset(
        number
        for number, code in formats.items()
        if code in ("", "General", "@") or re.fullmatch(r"[#0.,%;()$€£\s_-]*", code)
    )
