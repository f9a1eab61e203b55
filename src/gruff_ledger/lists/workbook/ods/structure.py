"""Where the tags, the rows and the cells of ODS tabs stand, found by array work.

Of a stretch of rows: which tags there are, for how many rows and cells they stand, and
what the cells hold that are written as most are.
"""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import words_at
from gruff_ledger.columns.types import Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.workbook.ods.heads import (
    BLANK,
    LEFT,
    Padded,
    blanks,
    cell_kind,
    is_plain_row,
    repeats,
)
from gruff_ledger.lists.workbook.ods.tags import TAG_ENDS, word_of
from gruff_ledger.lists.workbook.regular.stretches import (
    Bytes,
    Places,
    are_at,
    distinct_stretches,
)

ROW_END = b"</table:table-row>"
_CELL_END = b"</table:table-cell>"
_TAG = late_pattern(rb"<(?:[^<>\"']|\"[^\"]*\"|'[^']*')*>")

# Tags of more bytes are left to the library; so is a workbook with more kinds of them.
_MOST_HEAD = 240
_MOST_KINDS = 1 << 20

_WORD_BYTES = 8

# No tag of a workbook is shorter than this, on average.
_LEAST_TAG = 8


class Tags(msgspec.Struct, frozen=True, eq=False):
    """Where all tags begin, and which are of what; with some more behind the last."""

    at: Places
    is_row: Mask
    is_row_end: Mask
    is_cell: Mask
    is_any_cell: Mask
    is_text: Mask
    is_text_end: Mask
    is_cell_end: Mask


def tags_of(data: Bytes, size: int) -> Tags | None:
    """Find all tags; None if there are some that could hide others."""
    at = np.flatnonzero(data == ord("<"))
    if len(at) > size // _LEAST_TAG + 1:
        # What is no workbook: arrays of words would take many times its bytes.
        return None
    at = np.append(at, [size] * 5)
    first, second = words_at(data, at), words_at(data, at + 8)
    opens, closes = first == word_of(b"<table:t"), first == word_of(b"</table:")
    mark = first & word_of(b"\xff\xff")
    if ((mark == word_of(b"<!")) | (mark == word_of(b"<?"))).any():
        return None
    is_row, is_cell, is_covered, is_row_end, is_cell_end = np.zeros((5, len(at)), bool)
    which = np.flatnonzero(opens)
    names, third = second[which], words_at(data, at[which] + 16)
    is_row[which] = (names == word_of(b"able-row")) & TAG_ENDS[_byte(third, 0)]
    mine = (names == word_of(b"able-cel")) & (_byte(third, 0) == ord("l"))
    is_cell[which] = mine & TAG_ENDS[_byte(third, 1)]
    others = which[~(is_row | is_cell)[which]]
    is_nested = second[others] & word_of(b"\xff" * 4) == word_of(b"able")
    if (is_nested & TAG_ENDS[data[at[others] + 12]]).any():
        return None
    which = np.flatnonzero(first == word_of(b"<table:c"))
    is_covered[which] = are_at(data, at[which], b"<table:covered-table-cell")
    is_covered[which] &= TAG_ENDS[data[at[which] + 25]]
    which = np.flatnonzero(closes)
    names, third = second[which], words_at(data, at[which] + 16)
    last = third & word_of(b"\xff\xff\xff")
    is_cell_end[which] = (names == word_of(b"table-ce")) & (last == word_of(b"ll>"))
    last = third & word_of(b"\xff\xff")
    is_row_end[which] = (names == word_of(b"table-ro")) & (last == word_of(b"w>"))
    is_text_end = first == word_of(b"</text:p")
    is_text_end &= _byte(second, 0) == ord(">")
    return Tags(
        *(at, is_row, is_row_end, is_cell, is_cell | is_covered),
        *(first == word_of(b"<text:p>"), is_text_end, is_cell_end),
    )


def _byte(words: npt.NDArray[np.uint64], place: int) -> npt.NDArray[np.uint64]:
    return words >> np.uint64(8 * place) & np.uint64(255)


class Rows(msgspec.Struct, frozen=True, eq=False):
    """
    The rows of a block.

    Attributes
    ----------
    tags, ends : ndarray of int64, shape (n,)
        The numbers of the tags that begin and that end each.
    starts, stops : ndarray of int64, shape (n,)
        Where each begins, and where the next byte stands.
    counts : ndarray of int64, shape (n,)
        For how many rows each stands.
    is_ended, is_plain : ndarray of bool, shape (n,)
        Whether each has an end, and a tag that says nothing but its style.
    """

    tags: Places
    ends: Places
    starts: Places
    stops: Places
    counts: Places
    is_ended: Mask
    is_plain: Mask


def rows_of(xml: bytes, data: Bytes, tags: Tags) -> Rows:
    """Find the rows, and those that are plain."""
    which, ends = np.flatnonzero(tags.is_row), np.flatnonzero(tags.is_row_end)
    at = np.searchsorted(ends, which)
    ends = np.append(ends, len(tags.at) - 1)[at]
    is_ended = ends < np.append(which[1:], len(tags.at) - 1)
    starts = tags.at[which]
    # Where the tag ends, if nothing stands behind it.
    stops = tags.at[which + 1] - 1
    heads = starts + len(b"<table:table-row")
    is_plain = is_ended & (data[stops] == ord(">")) & (stops - heads <= _MOST_HEAD)
    codes, said = distinct_stretches(data, heads[is_plain], stops[is_plain])
    are_plain = np.array([is_plain_row(each) for each in said], np.bool_)
    is_plain[is_plain] = are_plain[codes]
    counts = np.ones(len(which), np.int64)
    for number in np.flatnonzero(~is_plain).tolist():
        counts[number] = _repeats_of(xml, int(starts[number]))
    ends_at = tags.at[ends] + len(ROW_END)
    return Rows(which, ends, starts, ends_at, counts, is_ended, is_plain)


class FoundCells(msgspec.Struct, frozen=True, eq=False):
    """
    The cells of a block.

    Attributes
    ----------
    tags : ndarray of int64, shape (n,)
        The number of the tag that begins each.
    starts, stops : ndarray of int64, shape (n,)
        Where each begins, and where the next byte stands; of those that are regular.
    counts : ndarray of int64, shape (n,)
        For how many cells each stands.
    kinds : ndarray of uint8, shape (n,)
        What each holds, see `heads`.
    value_starts, value_ends, text_starts, text_ends : ndarray of int64, shape (n,)
    """

    tags: Places
    starts: Places
    stops: Places
    counts: Places
    kinds: Bytes
    value_starts: Places
    value_ends: Places
    text_starts: Places
    text_ends: Places


def cells_of(xml: bytes, data: Bytes, tags: Tags, padded: Padded) -> FoundCells | None:
    """Find the cells, and what those hold that are regular; None if too many differ."""
    which = np.flatnonzero(tags.is_any_cell)
    starts, nexts = tags.at[which], tags.at[which + 1]
    heads, head_ends = starts + len(b"<table:table-cell"), nexts - 1
    text_ends, ends = tags.at[which + 2], tags.at[which + 3]
    is_whole = tags.is_text[which + 1] & tags.is_text_end[which + 2]
    is_whole &= tags.is_cell_end[which + 3] & (text_ends + len(b"</text:p>") == ends)
    is_whole &= tags.at[which + 4] == ends + len(_CELL_END)
    is_known = tags.is_cell[which] & (data[head_ends] == ord(">"))
    # A tag that ends its cell has no text behind it.
    is_known &= is_whole != (data[head_ends - 1] == ord("/"))
    quotes = np.flatnonzero(data == ord('"'))
    quotes = quotes[quotes >= _WORD_BYTES]
    value_starts, value_ends = _quoted(data, quotes, b"value=", heads, head_ends)
    pieces = [(heads, value_starts), (value_ends, head_ends)]
    if b"table:formula=" in xml:
        # Each is another, and says nothing of what the cell holds.
        begins, stops = _quoted(data, quotes, b"formula=", heads, value_starts)
        pieces[:1] = [(heads, begins), (stops, value_starts)]
    is_known &= sum(end - start for start, end in pieces) <= _MOST_HEAD
    known = np.flatnonzero(is_known)
    found = _said(data, [(start[known], end[known]) for start, end in pieces])
    if found is None:
        return None
    codes, told = found
    kind_of = np.zeros(len(told), np.uint8)
    count_of = np.ones(len(told), np.int64)
    for code, said in enumerate(told):
        if said.endswith(b"/"):
            count_of[code] = blanks(said)
            kind_of[code] = BLANK if count_of[code] else LEFT
        else:
            kind_of[code] = cell_kind(said, padded)
    kinds = np.zeros(len(which), np.uint8)
    counts = np.ones(len(which), np.int64)
    kinds[known], counts[known] = kind_of[codes], count_of[codes]
    for number in np.flatnonzero(kinds == LEFT).tolist():
        counts[number] = _repeats_of(xml, int(starts[number]))
    stops = np.where(is_whole, ends + len(_CELL_END), nexts)
    text_starts = nexts + len(b"<text:p>")
    return FoundCells(
        *(which, starts, stops, counts, kinds),
        *(value_starts, value_ends, text_starts, text_ends),
    )


def _said(
    data: Bytes, pieces: list[tuple[Places, Places]]
) -> tuple[Places, list[bytes]] | None:
    """Return what tags say that are told in pieces, each once, and which says what."""
    codes = np.zeros(len(pieces[0][0]), np.int64)
    told = [b""]
    for starts, ends in pieces:
        others, texts = distinct_stretches(data, starts, ends)
        if len(told) * len(texts) > _MOST_KINDS:
            return None
        codes = codes * len(texts) + others
        # Of all that could be said few things are.
        is_said = np.bincount(codes, minlength=len(told) * len(texts)) > 0
        which = np.flatnonzero(is_said)
        width = max(1, len(texts))
        told = [told[each // width] + texts[each % width] for each in which.tolist()]
        codes = (np.cumsum(is_said) - 1)[codes]
    return codes, told


def _quoted(
    data: Bytes, quotes: Places, name: bytes, starts: Places, ends: Places
) -> tuple[Places, Places]:
    """
    Return where the value stands of the first attribute whose name ends so.

    Parameters
    ----------
    data : ndarray of uint8
    quotes : ndarray of int64
        Where quotation marks stand.
    name : bytes
        With what follows it.
    starts, ends : ndarray of int64, shape (n,)
        Where the attributes of each tag stand.

    Returns
    -------
    starts, ends : ndarray of int64, shape (n,)
        The end of the tag, twice, where there is none.
    """
    behind = np.uint64(8 * (_WORD_BYTES - len(name)))
    is_value = words_at(data, quotes - _WORD_BYTES) >> behind == word_of(name)
    at = np.flatnonzero(is_value)
    at = at[at + 1 < len(quotes)]
    if not len(at):
        return ends, ends
    opens, closes = quotes[at] + 1, quotes[at + 1]
    near = np.minimum(np.searchsorted(opens, starts), len(at) - 1)
    opens, closes = opens[near], closes[near]
    is_inside = (opens >= starts) & (closes <= ends)
    return np.where(is_inside, opens, ends), np.where(is_inside, closes, ends)


def _repeats_of(xml: bytes, at: int) -> int:
    tag = _TAG.match(xml, at)
    return repeats(tag[0]) if tag is not None else 1
