"""The order of cells: numbers that rise as texts, codes, numbers or dates do."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.keys.distinct import distinct, distinct_cells, rewrite_distinct
from gruff_ledger.cells.numbers.amounts import Amounts
from gruff_ledger.cells.text.spaces import squeezable, squeeze, trim_blanks, trimmed
from gruff_ledger.cells.text.weave import by_stretches, text_array
from gruff_ledger.cells.text_bytes import WIDE, Chunk, mask_of_kinds, text_chunks
from gruff_ledger.columns.arrays import joined, taken
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.late_patterns import late_pattern

_WORD_BYTES = 8

# Cells that agree in so many words are compared whole: they are mostly equal.
_MOST_WORDS = 4

# Records whose keys are looked at for a step in common.
_SAMPLE_RECORDS = 1000

_SMALL = np.arange(256, dtype=np.uint8)
_SMALL[ord("A") : ord("Z") + 1] += ord("a") - ord("A")

_FIGURES = late_pattern(r"[0-9]+")

# How many figures are told apart by their number, in one byte of ASCII.
_MOST_FIGURES = 125


def text_key(text: str) -> str:
    """
    Return what texts are ordered by: case, accents and stray spaces do not count.

    Examples
    --------
    >>> text_key(" \\u00c9lodie  II ")
    'elodie ii'
    """
    unified = unicodedata.normalize("NFKD", trim_blanks(text).casefold())
    bare = "".join(mark for mark in unified if unicodedata.category(mark) != "Mn")
    return squeeze(bare)


def code_key(text: str) -> str:
    """
    Return what codes are ordered by: runs of figures count as whole numbers.

    Examples
    --------
    >>> sorted(["A10", "A9", "B1", "A-1"], key=code_key)
    ['A-1', 'A9', 'A10', 'B1']
    """

    def number(match: re.Match[str]) -> str:
        # Its length first: of two whole numbers the longer is the greater.
        figures = match[0].lstrip("0")
        return f"0{chr(1 + min(len(figures), _MOST_FIGURES))}{figures}"

    return _FIGURES.sub(number, text_key(text))


def text_ranks(column: Column) -> Indices:
    """
    Rank the cells of a field as texts; see `text_key`.

    Parameters
    ----------
    column : Column, n cells

    Returns
    -------
    ndarray of int64, shape (n,)
        Equal for cells that are equal in order, and rising with it.
    """

    if not len(column):
        return np.zeros(0, np.int64)
    values, codes = distinct_cells(column)
    return byte_ranks(_text_keys(values))[codes]


def code_ranks(column: Column) -> Indices:
    """Rank the cells of a field as codes; see `code_key` and `text_ranks`."""
    if not len(column):
        return np.zeros(0, np.int64)
    values, codes = distinct_cells(column)
    (keys,) = by_stretches([_text_keys(values)], _with_whole_numbers)
    return byte_ranks(keys)[codes]


def _text_keys(column: Column) -> Column:
    """Return what each cell is ordered by as a text; see `text_key`."""

    def small(chunks: list[Chunk], where: slice) -> list[Any]:
        (chunk,) = chunks
        return [text_array(_SMALL[chunk.bytes], np.diff(chunk.offsets))]

    # Spaces first: most fields have none, and letters of ASCII are quick to fold.
    bare = trimmed(column, trim_blanks).column
    bare = rewrite_distinct(
        bare, text_key, squeezable(bare) | mask_of_kinds(bare, WIDE)
    ).column
    (folded,) = by_stretches([bare], small)
    return folded


def _with_whole_numbers(chunks: list[Chunk], where: slice) -> list[Any]:
    """Write runs of figures so that their bytes rise as numbers do; see `code_key`."""
    (chunk,) = chunks
    data = chunk.bytes
    is_figure = data - np.uint8(ord("0")) <= 9
    if not is_figure.any():
        return [chunk.array]
    starts = is_figure.copy()
    starts[1:] &= ~is_figure[:-1]
    # A cell begins a run of its own, whatever the cell before ends with.
    begins = chunk.offsets[:-1][np.diff(chunk.offsets) > 0]
    starts[begins] = is_figure[begins]
    first = np.flatnonzero(starts)
    # Zeros in front of a number are left out: none but zeros stand before them.
    is_more = is_figure & (data != ord("0"))
    seen = np.cumsum(is_more)
    before = seen[first] - is_more[first]
    run_of = np.cumsum(starts) - 1
    kept = ~is_figure
    kept[is_figure] = seen[is_figure] > before[run_of[is_figure]]
    lengths = np.bincount(run_of[is_figure & kept], minlength=len(first))
    # Two bytes stand in front of each number.
    ends = np.zeros(len(data) + 1, np.int64)
    np.cumsum(kept + 2 * starts.astype(np.int64), out=ends[1:])
    written = np.empty(int(ends[-1]), np.uint8)
    written[(ends[:-1] + 2 * starts)[kept]] = data[kept]
    written[ends[first]] = ord("0")
    written[ends[first] + 1] = 1 + np.minimum(lengths, _MOST_FIGURES)
    return [text_array(written, np.diff(ends[chunk.offsets]))]


def number_ranks(amounts: Amounts) -> Indices:
    """Rank numbers, of any size."""
    assert amounts.divisor is None
    if amounts.values.dtype != object:
        return amounts.values
    values = amounts.values.tolist()
    ranks = {value: rank for rank, value in enumerate(sorted(set(values)))}
    return np.array([ranks[value] for value in values], np.int64)


def byte_ranks(column: Column) -> Indices:
    """
    Rank cells by their bytes, which is by the numbers of their characters.

    The first eight bytes of all cells are ordered as one number; only cells that agree
    in them are looked at further.

    Returns
    -------
    ndarray of int64, shape (n,)
        How many cells come before.
    """
    chunks = list(text_chunks(joined(column)))
    if not chunks:
        return np.zeros(0, np.int64)
    lengths = np.concatenate([np.diff(chunk.offsets) for chunk in chunks])
    tied = np.arange(len(lengths))
    ranks = _ranks_of(_words(chunks, tied, 0))
    done = _WORD_BYTES
    while len(tied := _open_ties(tied, ranks, lengths > done)):
        if done >= _MOST_WORDS * _WORD_BYTES:
            _refine(ranks, tied, _ranks_of_rest(taken(column, tied)))
            break
        # Of a cell that has ended, the next word is zero: it comes first.
        _refine(ranks, tied, _words(chunks, tied, done))
        done += _WORD_BYTES
    return ranks


def _open_ties(tied: Indices, ranks: Indices, goes_on: Mask) -> Indices:
    """Return the cells whose rank others have too, and not all of those have ended."""
    _, groups, counts = np.unique(ranks[tied], return_inverse=True, return_counts=True)
    longer = np.bincount(groups, weights=goes_on[tied]) > 0
    found: Indices = tied[(counts[groups] > 1) & longer[groups]]
    return found


def _refine(ranks: Indices, tied: Indices, further: npt.NDArray[Any]) -> None:
    """Part equal ranks by what the cells hold further on, in place."""
    order = np.lexsort((further, ranks[tied]))
    mine, next_ = ranks[tied][order], further[order]
    same_group = np.zeros(len(order), np.bool_)
    same_group[1:] = mine[1:] == mine[:-1]
    same = same_group.copy()
    same[1:] &= next_[1:] == next_[:-1]
    places = np.arange(len(order))
    group_start = np.maximum.accumulate(np.where(same_group, 0, places))
    start = np.maximum.accumulate(np.where(same, 0, places))
    ranks[tied[order]] = mine + start - group_start


def _ranks_of_rest(column: Column) -> Indices:
    """Rank the few cells that agree in their beginnings, each distinct one once."""
    values, codes = distinct(column)
    order = sorted(range(len(values)), key=lambda place: values[place])
    ranks = np.empty(len(values), np.int64)
    ranks[order] = np.arange(len(values))
    return ranks[codes]


def _ranks_of(words: npt.NDArray[np.uint64]) -> Indices:
    """Return for each word how many are less."""
    order = np.argsort(words)
    ordered = words[order]
    is_start = np.ones(len(words), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=is_start[1:])
    starts = np.maximum.accumulate(np.where(is_start, np.arange(len(words)), 0))
    ranks = np.empty(len(words), np.int64)
    ranks[order] = starts
    return ranks


def _words(
    chunks: Sequence[Chunk], cells: Indices, done: int
) -> npt.NDArray[np.uint64]:
    """Return eight bytes of some cells, from `done` on, as numbers in their order."""
    parts = []
    before = 0
    for chunk in chunks:
        n = len(chunk.array)
        low, high = np.searchsorted(cells, (before, before + n))
        mine = cells[low:high] - before
        before += n
        padded = np.concatenate([chunk.bytes, np.zeros(_WORD_BYTES, np.uint8)])
        words = np.ndarray((len(chunk.bytes) + 1,), ">u8", buffer=padded, strides=(1,))
        start = chunk.offsets[:-1][mine].astype(np.int64)
        left = np.maximum(chunk.offsets[1:][mine] - start - done, 0)
        found = words[np.minimum(start + done, len(chunk.bytes))].astype(np.uint64)
        kept = np.minimum(left, _WORD_BYTES).astype(np.uint64)
        # What lies behind a cell's end belongs to the next one.
        shift = np.uint64(8) * (np.uint64(_WORD_BYTES) - kept)
        cut = np.where(kept > 0, (found >> np.minimum(shift, np.uint64(63))), 0)
        parts.append((cut << np.minimum(shift, np.uint64(63))).astype(np.uint64))
    return np.concatenate(parts)


def sort_places(keys: Sequence[tuple[Indices, Mask, bool]]) -> Indices:
    """
    Return the order of records by several keys, the first one first.

    Parameters
    ----------
    keys : sequence of (ranks, last, descending)
        Each ndarray of shape (n,): ranks, and which records stand last whatever the
        direction.

    Returns
    -------
    ndarray of int64, shape (n,)
        Indices of the records in order; equal ones stay as they are.
    """
    columns: list[npt.NDArray[np.int64]] = []
    for ranks, last, descending in keys:
        columns.append(-ranks if descending else ranks)
        if last.any():
            columns[-1] = np.where(last, 0, columns[-1])
            columns.append(last.astype(np.int64))
            # The mark of the last ones counts more than the ranks.
            columns[-2:] = columns[:-3:-1]
    if not columns:
        return np.zeros(0, np.int64)
    n = len(columns[0])
    # With its own place behind the keys, a number is sorted faster than its place is.
    packed = _packed([*columns, np.arange(n)]) if n else None
    if packed is None:
        return np.lexsort(columns[::-1])
    packed.sort()
    packed %= n
    return packed


def _packed(columns: Sequence[npt.NDArray[np.int64]]) -> Indices | None:
    """Put keys into one number each, where they fit; the last is put in as it is."""
    total = np.zeros(len(columns[0]), np.int64)
    span = 1
    for column in columns:
        low, high = int(column.min()), int(column.max())
        if high - low >= 2**63:
            return None
        mine = column - low
        # Whole days and round amounts have a step in common.
        step = int(np.gcd.reduce(mine[:_SAMPLE_RECORDS])) or 1
        if step > 1 and not (mine % step).any():
            mine //= step
        size = int(mine.max()) + 1
        if span * size >= 2**63:
            return None
        total *= size
        total += mine
        span *= size
    return total
