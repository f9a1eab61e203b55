"""What is found while the cells of a field are gone through, chunk by chunk."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.dates.forms import DateForms, chunk_dates
from gruff_ledger.cells.error_texts import ERROR_TEXTS
from gruff_ledger.cells.formula_like import formula_mask_of, would_run
from gruff_ledger.cells.keys.fingerprints import Fingerprints, fingerprints
from gruff_ledger.cells.match.levels import MAY_FOLD, letters
from gruff_ledger.cells.nested import is_nested
from gruff_ledger.cells.numbers.plain import chunk_numbers
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text_bytes import (
    DIGIT,
    KINDS,
    LOWER,
    OTHER,
    POINT,
    SIGN,
    SPACE,
    UPPER,
    WIDE,
    Chunk,
    chunk_of,
    fold_chunk,
    kinds_in,
    text_chunks,
)
from gruff_ledger.columns.arrays import joined, taken
from gruff_ledger.columns.types import Column, Indices, Mask

# Characters that only look like a space, or like nothing, and how they begin in UTF-8.
_INVISIBLE = (
    "\u00a0",
    "\u00ad",
    "\u2007",
    "\u200b",
    "\u200c",
    "\u200d",
    "\u200e",
    "\u200f",
    "\u202f",
    "\u2060",
    "\ufeff",
    "\u3000",
)
_INVISIBLE_LEADS = np.unique([mark.encode("utf-8")[0] for mark in _INVISIBLE])
_INVISIBLE_PATTERN = f"[{''.join(_INVISIBLE)}]"

# A spreadsheet keeps this many digits of a number.
_KEPT_DIGITS = 15

# Numbers longer than 64 bits are read one by one, while they are few.
_LONGEST_FAST = 18
_FEW_LONG = 100
_LEAST_LETTERS = 4
_Numbers = npt.NDArray[np.int32]


class ChunkCells(msgspec.Struct):
    """
    The cells that are looked at: one of each value where values repeat, else all.

    Attributes
    ----------
    column : Column, m cells
    filled : ndarray of bool, shape (m,)
    weights : ndarray of int32, shape (m,), optional
        How many cells of the field each stands for.
    order : ndarray of int32
        Indices of the filled cells of the field, those of a value together.
    starts, counts : ndarray of int32, shape (distinct,)
        Where the cells of each value begin in that order, and how many they are. Where
        only one of each value is looked at, cell i of `column` is of value i.
    """

    column: Column
    filled: Mask
    weights: _Numbers | None
    order: _Numbers
    starts: _Numbers
    counts: _Numbers

    def sum(self, mask: Mask, start: int) -> int:
        """Count the cells of the field that a mask of a chunk stands for."""
        if self.weights is None:
            return int(np.count_nonzero(mask))
        return int(self.weights[start : start + len(mask)][mask].sum())

    def places(self, found: Indices) -> Indices:
        """Return the records that hold the cells found, in order."""
        if self.weights is None:
            return found
        parts = [
            self.order[start : start + count]
            for start, count in zip(
                self.starts[found].tolist(), self.counts[found].tolist(), strict=True
            )
        ]
        return np.sort(np.concatenate(parts)).astype(np.int64) if parts else found

    @property
    def firsts(self) -> Indices:
        """One record of each value."""
        return self.order[self.starts].astype(np.int64)


def cells_of_chunk(column: Column, blank: Mask) -> ChunkCells:
    """Return what is to be known of the cells of a field beforehand."""
    # Whole numbers of 32 bits where they will do: with a million records, a field of
    # numbers is as large as the field itself.
    prints = np.empty(len(column), np.uint64)
    start = 0
    for chunk in text_chunks(column):
        prints[start : start + len(chunk.array)] = prints_of(chunk)
        start += len(chunk.array)
    at = np.flatnonzero(~blank).astype(np.int32)
    if len(at) < len(prints):
        prints = prints[at]
    order = np.argsort(prints).astype(np.int32)
    ordered = prints[order]
    del prints
    is_start = np.ones(len(ordered), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=is_start[1:])
    filled = len(ordered)
    del ordered
    starts = np.flatnonzero(is_start).astype(np.int32)
    counts = np.diff(starts, append=np.int32(filled))
    order = at[order] if filled < len(column) else order
    if len(starts) * 2 > filled:
        return ChunkCells(column, ~blank, None, order, starts, counts)
    few = joined(taken(column, order[starts]))
    return ChunkCells(few, np.ones(len(few), np.bool_), counts, order, starts, counts)


class Tally:
    """What the chunks of a field add up to."""

    def __init__(self) -> None:
        self.marks: dict[str, list[Indices]] = {}
        # Values, the cells of the field each stands for, their scale, and the places
        # of the first least and greatest.
        self.numbers: list[
            tuple[npt.NDArray[Any], Indices | None, int, tuple[int, int]]
        ] = []
        self.counts = dict.fromkeys(
            ("numbers", "negative", "zero", "positive", "zeros", "huge"), 0
        )
        self.cased = dict.fromkeys(("upper", "lower", "both"), 0)
        self.dates = DateForms()
        self.shortest, self.longest = 1 << 62, 0

    def mark(self, kind: str, places: Indices) -> None:
        """Take note of cells of a kind."""
        if len(places):
            self.marks.setdefault(kind, []).append(places)

    def marked(self, kind: str) -> Indices:
        """Return where cells of a kind stand."""
        parts = self.marks.get(kind)
        return np.concatenate(parts) if parts else np.zeros(0, np.int64)


def look_at_chunk(chunk: Chunk, cells: ChunkCells, start: int, tally: Tally) -> None:
    """Take note of what is in a chunk that begins at a cell."""
    filled = cells.filled[start : start + len(chunk.array)]
    kinds = kinds_in(chunk)
    kinds[~filled] = 0
    seen = int(np.bitwise_or.reduce(kinds))
    lengths = np.diff(chunk.offsets)
    if seen & (UPPER | LOWER | WIDE):
        _look_at_letters(kinds, lengths, cells, start, tally)
    _measure(chunk, lengths, filled, seen, tally)
    if seen & (SPACE | WIDE):
        _look_for_spaces(chunk, kinds, filled, seen, start, tally)
    first = chunk.bytes_at_start()
    formula = formula_mask_of(chunk) & filled
    if seen & DIGIT:
        numbers = _look_for_numbers(chunk, kinds, lengths, first, cells, start, tally)
        formula &= ~numbers
        has_marks = (kinds & (SIGN | POINT | OTHER)) != 0
        maybe = np.flatnonzero(has_marks & ((kinds & DIGIT) != 0) & ~numbers)
        weights = None
        if cells.weights is not None:
            weights = cells.weights[start : start + len(kinds)].astype(np.int64)
        chunk_dates(chunk, maybe, start, tally.dates, weights)
    at = np.flatnonzero(formula)
    if len(at):
        texts = taken(pa.chunked_array([chunk.array]), at).to_pylist()
        at = at[[would_run(text) for text in texts]]
    tally.mark("formula-like", at + start)
    at = np.flatnonzero((first == ord("#")) & filled)
    if len(at):
        texts = taken(pa.chunked_array([chunk.array]), at).to_pylist()
        at = at[[text in ERROR_TEXTS for text in texts]]
    tally.mark("workbook errors", at + start)


def _look_at_letters(
    kinds: npt.NDArray[np.uint8],
    lengths: npt.NDArray[Any],
    cells: ChunkCells,
    start: int,
    tally: Tally,
) -> None:
    """Count the words in capitals, in small letters and in both."""
    letters_in = kinds & (UPPER | LOWER)
    words = (letters_in != 0) & (lengths >= _LEAST_LETTERS)
    words &= (kinds & (WIDE | DIGIT)) == 0
    for name, bits in (("upper", UPPER), ("lower", LOWER), ("both", UPPER | LOWER)):
        mask = words & (letters_in == bits)
        tally.cased[name] += cells.sum(mask, start)
        if name != "both":
            tally.mark(name, np.flatnonzero(mask) + start)


def prints_of(chunk: Chunk) -> Fingerprints:
    """Return the fingerprints of a chunk."""
    return fingerprints(pa.chunked_array([chunk.array]))


def folded_prints(chunk: Chunk) -> Fingerprints:
    """Return equal fingerprints for cells that are equal by their letters."""
    folded = prints_of(fold_chunk(chunk))
    if not len(chunk.bytes) or chunk.bytes.max() < 128:
        return folded
    column = pa.chunked_array([chunk.array])
    wide = np.flatnonzero(matching(column, MAY_FOLD))
    if len(wide):
        texts = taken(column, wide).to_pylist()
        known = {text: letters(text) for text in set(texts)}
        bare = chunk_of(pa.array([known[text] for text in texts], pa.string()))
        folded[wide] = prints_of(fold_chunk(bare))
    return folded


def _measure(
    chunk: Chunk, lengths: npt.NDArray[Any], filled: Mask, seen: int, tally: Tally
) -> None:
    """Take note of the shortest and the longest cell, in characters."""
    if seen & WIDE:
        # A character has one byte that does not continue another.
        is_start = (chunk.bytes & 0xC0) != 0x80
        ends = np.concatenate([[0], np.cumsum(is_start)])
        lengths = np.diff(ends[chunk.offsets])
    mine = lengths[filled]
    if len(mine):
        tally.longest = max(tally.longest, int(mine.max()))
        tally.shortest = min(tally.shortest, int(mine.min()))


def _look_for_spaces(
    chunk: Chunk,
    kinds: npt.NDArray[np.uint8],
    filled: Mask,
    seen: int,
    start: int,
    tally: Tally,
) -> None:
    spaced = np.flatnonzero((kinds & SPACE) != 0)
    if len(spaced):
        data, offsets = chunk.bytes, chunk.offsets
        stray = np.zeros(len(filled), np.bool_)
        is_space = KINDS[data] == SPACE
        stray[spaced] = is_space[offsets[spaced]] | is_space[offsets[spaced + 1] - 1]
        doubled = np.flatnonzero(is_space[1:] & is_space[:-1])
        if len(doubled):
            cells = np.searchsorted(offsets, doubled, "right") - 1
            # Both of one cell.
            within = doubled + 1 < offsets[cells + 1]
            stray[cells[within]] = True
        marked = np.flatnonzero(stray & filled)
        tally.mark("stray spaces", _without_nested(chunk, marked) + start)
    if seen & WIDE and np.isin(chunk.bytes, _INVISIBLE_LEADS).any():
        found = matching(pa.chunked_array([chunk.array]), _INVISIBLE_PATTERN)
        found &= (kinds & WIDE) != 0
        tally.mark("no-break spaces", np.flatnonzero(found) + start)


def _without_nested(chunk: Chunk, cells: Indices) -> Indices:
    """Leave out cells of JSON, in which white space is layout (RFC 8259, section 2)."""
    first = chunk.bytes[chunk.offsets[cells]]
    maybe = np.flatnonzero((first == ord("[")) | (first == ord("{")))
    nested = [
        place
        for place in maybe.tolist()
        if is_nested(chunk.array[int(cells[place])].as_py())
    ]
    return np.delete(cells, nested)


def _look_for_numbers(
    chunk: Chunk,
    kinds: npt.NDArray[np.uint8],
    lengths: npt.NDArray[Any],
    first: npt.NDArray[np.uint8],
    cells: ChunkCells,
    start: int,
    tally: Tally,
) -> Mask:
    """Take note of the numbers of a chunk, and return which cells are numbers."""
    counts = tally.counts
    is_number = np.zeros(len(kinds), np.bool_)
    digits_only = kinds == DIGIT
    tally.mark(
        "long numbers", np.flatnonzero(digits_only & (lengths > _KEPT_DIGITS)) + start
    )
    padded = digits_only & (first == ord("0")) & (lengths > 1)
    counts["zeros"] += cells.sum(padded, start)
    huge = digits_only & (lengths > _LONGEST_FAST)
    if int(np.count_nonzero(huge)) > _FEW_LONG:
        # Too many to be read one by one, and codes rather than numbers.
        nothing = huge & (_greatest_byte(chunk) == ord("0"))
        number = cells.sum(huge, start)
        counts["huge"] += number
        counts["numbers"] += number
        counts["zero"] += cells.sum(nothing, start)
        counts["positive"] += cells.sum(huge & ~nothing, start)
        is_number |= huge
        if huge.all():
            return is_number
        kinds = np.where(huge, 0, kinds).astype(np.uint8)
    places, values, scale = chunk_numbers(chunk, kinds)
    if len(places):
        weights = None
        if cells.weights is not None:
            weights = cells.weights[start + places].astype(np.int64)
        ends = (
            start + int(places[int(values.argmin())]),
            start + int(places[int(values.argmax())]),
        )
        tally.numbers.append((values, weights, scale, ends))
        is_number[places] = True
        for name, mask in (
            ("negative", values < 0),
            ("zero", values == 0),
            ("positive", values > 0),
        ):
            found = mask.astype(np.bool_)
            number = int(
                np.count_nonzero(found) if weights is None else weights[found].sum()
            )
            counts[name] += number
            counts["numbers"] += number
    return is_number


def _greatest_byte(chunk: Chunk) -> npt.NDArray[np.uint8]:
    """Return the greatest byte of each cell; zero for an empty one."""
    lengths = np.diff(chunk.offsets)
    result = np.zeros(len(lengths), np.uint8)
    filled = lengths > 0
    starts = chunk.offsets[:-1][filled]
    result[filled] = np.maximum.reduceat(chunk.bytes, starts)
    return result
