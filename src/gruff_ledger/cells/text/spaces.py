"""White space and invisible characters around and inside cells.

White space and invisible characters are those of `gruff_ledger.cells.blank`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.blank import (
    BLANK_CHARACTERS,
    INVISIBLE,
    WHITE_SPACE,
    listed,
    strip_space,
)
from gruff_ledger.cells.keys.distinct import Rewritten, rewrite_distinct, with_cells
from gruff_ledger.cells.text.weave import by_stretches, sliced
from gruff_ledger.cells.text_bytes import Chunk, cells_at, map_chunks
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern

_Places = npt.NDArray[Any]  # of int32 or int64

# One by one: an expression for the end of a run would try each of its places.
_BLANKS = listed(BLANK_CHARACTERS)
_INNER = late_pattern(f"[{WHITE_SPACE}]+")
_UNSEEN = late_pattern(f"[{INVISIBLE}]+")

# The first two bytes of those beyond ASCII, as one number: few other characters begin
# with them.
_WIDE_STARTS = np.zeros(1 << 16, np.bool_)
for _mark in _BLANKS:
    if not _mark.isascii():
        _WIDE_STARTS[int.from_bytes(_mark.encode("utf-8")[:2], "big")] = True

# The white space of ASCII.
_SPACES = np.zeros(256, np.bool_)
_SPACES[[*b"\t\n\v\f\r "]] = True


def trim(text: str) -> str:
    """
    Take off white space at both ends; invisible characters stay.

    Examples
    --------
    >>> trim(" \\u00a0Old  Otter\\t ")
    'Old  Otter'
    """
    return strip_space(text)


def squeeze(text: str) -> str:
    """
    Write every run of white space as one space.

    Examples
    --------
    >>> squeeze("Old \\u00a0Otter")
    'Old Otter'
    """
    return _INNER.sub(" ", text)


def without_invisible(text: str) -> str:
    """
    Take out invisible characters: zero-width spaces, soft hyphens, direction marks.

    Examples
    --------
    >>> without_invisible("Ot\\u00adter\\u200b")
    'Otter'
    """
    return _UNSEEN.sub("", text)


def trim_blanks(text: str) -> str:
    """
    Take off white space and invisible characters at both ends.

    Examples
    --------
    >>> trim_blanks(" \\u00a0Old  Otter\\u200b ")
    'Old  Otter'
    """
    return text.strip(_BLANKS)


def trimmed(column: Column, take_off: Callable[[str], str] = trim) -> Rewritten:
    """Trim the cells of a field, by `trim` or `trim_blanks`."""
    space, wide = _at_ends(column)
    result = column
    if space.any():
        cells = _trim_spaces(filter_column(column, space))
        result = with_cells(column, space, cells)
        # Beneath the spaces there may be others, beyond ASCII.
        still, beneath = _at_ends(cells)
        wide = wide.copy()
        wide[space] |= still | beneath
    if not wide.any():
        return Rewritten(result, space)
    again = rewrite_distinct(result, take_off, wide)
    return Rewritten(again.column, space | again.changed)


def _at_ends(column: Column) -> tuple[Mask, Mask]:
    """Mark the cells that begin or end with a space, and with a character not ASCII."""

    def of_chunk(chunk: Chunk) -> tuple[Mask, Mask]:
        if not len(chunk.bytes):
            none = np.zeros(len(chunk.array), np.bool_)
            return none, none
        filled = np.diff(chunk.offsets) > 0
        first = chunk.bytes[np.minimum(chunk.offsets[:-1], len(chunk.bytes) - 1)]
        last = chunk.bytes[np.maximum(chunk.offsets[1:] - 1, 0)]
        space = filled & (_SPACES[first] | _SPACES[last])
        wide = filled & ((first >= 128) | (last >= 128))
        return space, wide & _with_wide_blank(chunk) if wide.any() else wide

    parts = map_chunks(of_chunk, column)
    if not parts:
        return np.zeros(0, np.bool_), np.zeros(0, np.bool_)
    space, wide = zip(*parts, strict=True)
    return np.concatenate(space), np.concatenate(wide)


def _with_wide_blank(chunk: Chunk) -> Mask:
    """Mark the cells that may hold white space or invisible characters beyond ASCII."""
    if len(chunk.bytes) < 2 or chunk.bytes.max() < 128:
        return np.zeros(len(chunk.array), np.bool_)
    starts = np.zeros(len(chunk.bytes), np.bool_)
    first = chunk.bytes[:-1].astype(np.uint16)
    starts[:-1] = _WIDE_STARTS[(first << np.uint16(8)) | chunk.bytes[1:]]
    return cells_at(chunk, starts)


def _trim_spaces(column: Column) -> Column:
    """Take the white space of ASCII off both ends of cells."""

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        (chunk,) = chunks
        starts, ends = bounds_within(
            chunk, chunk.offsets[:-1].copy(), chunk.offsets[1:].copy()
        )
        return [sliced(chunk, starts, ends)]

    (result,) = by_stretches([column], of_stretch)
    return result


def bounds_within(
    chunk: Chunk, starts: _Places, ends: _Places
) -> tuple[_Places, _Places]:
    """
    Narrow slices of cells so that no white space of ASCII is at their ends.

    Parameters
    ----------
    chunk : Chunk
    starts, ends : ndarray of int
        Of each slice, in `chunk.bytes`; changed in place.
    """
    if not len(chunk.bytes):
        return starts, ends
    is_space = _SPACES[chunk.bytes]
    last = len(chunk.bytes) - 1
    for bound, step, place in ((starts, 1, 0), (ends, -1, -1)):
        which = np.flatnonzero(starts < ends)
        while len(which):
            at = np.clip(bound[which] + place, 0, last)
            which = which[is_space[at]]
            bound[which] += step
            which = which[starts[which] < ends[which]]
    return starts, ends


def squeezable(column: Column) -> Mask:
    """Mark the cells that `squeeze` or `without_invisible` could change."""
    in_row = np.zeros(256, np.uint8)
    in_row[[*b"\t\n\v\f\r"]] = 3
    in_row[ord(" ")] = 1

    def of_chunk(chunk: Chunk) -> Mask:
        n = len(chunk.array)
        if not len(chunk.bytes):
            return np.zeros(n, np.bool_)
        marks = in_row[chunk.bytes]
        # Two spaces in a row, or white space that is none, or some that is not ASCII.
        odd = marks == 3
        odd[1:] |= (marks[1:] != 0) & (marks[:-1] != 0)
        return cells_at(chunk, odd) | _with_wide_blank(chunk)

    parts = map_chunks(of_chunk, column)
    return np.concatenate(parts) if parts else np.zeros(0, np.bool_)
