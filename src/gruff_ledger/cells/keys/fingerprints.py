"""Fingerprints of cells: a 64-bit number of each, by which equal cells are found fast.

Two cells can have one number by accident, so whoever uses them compares the cells.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import Chunk, text_chunks, words_apart, words_at
from gruff_ledger.columns.types import Column

Fingerprints = npt.NDArray[np.uint64]

# Odd constants with well-spread bits (the first is 2**64 divided by the golden ratio).
# Any would do: fingerprints are only used within one run and are always verified.
_SPREAD = np.uint64(0x9E3779B97F4A7C15)
_MIX = np.uint64(0xBF58476D1CE4E5B9)
_SHIFT = np.uint64(29)

# Cells longer than this are hashed one by one: word by word, one huge cell among a
# million would cost an array operation for each of its words.
_LONG_CELL_BYTES = 512

_WORD_BYTES = 8

# The bits of a word that belong to a cell with 0 to 8 bytes left in it.
_KEEP_BITS = np.array(
    [(1 << (8 * left)) - 1 for left in range(_WORD_BYTES + 1)], np.uint64
)


def fingerprints(column: Column) -> Fingerprints:
    """
    Return a 64-bit fingerprint of each cell: equal cells have equal ones.

    Parameters
    ----------
    column : Column, n cells

    Returns
    -------
    ndarray of uint64, shape (n,)
        Different cells have different fingerprints but for rare accidents, so that
        whoever decides by them compares the cells afterwards.
    """
    parts = [_fingerprints_of_chunk(chunk) for chunk in text_chunks(column)]
    return np.concatenate(parts) if parts else np.zeros(0, np.uint64)


def combined(fields: list[Fingerprints]) -> Fingerprints:
    """Return one fingerprint a record from those of its cells, in order."""
    if len(fields) == 1:
        return fields[0]
    total = np.zeros_like(fields[0])
    for field in fields:
        total *= _SPREAD
        total ^= field
        total ^= total >> _SHIFT
    total *= _MIX
    return total


def _fingerprints_of_chunk(chunk: Chunk) -> Fingerprints:
    """Mix each cell into its fingerprint, eight bytes of all cells at a time."""
    at, left = chunk.offsets[:-1], np.diff(chunk.offsets)
    lengths = left
    shortest, longest = int(left.min()), int(left.max())
    filled = np.count_nonzero(left)
    if longest * filled == len(chunk.bytes) and 0 < longest <= _LONG_CELL_BYTES:
        # Empty cells have no bytes: without them, too, the others are side by side.
        mixed = _fingerprints_of_one_length(chunk.bytes, longest)
        if filled == len(left):
            return mixed
        result = np.zeros(len(left), np.uint64)
        result[left != 0] = mixed
        return result
    data = _padded(chunk.bytes)
    result = left.astype(np.uint64)
    result *= _SPREAD
    # The cells that have bytes left: all of them at first, then those at `which`.
    which: npt.NDArray[np.intp] | None = None
    state = result
    for done in range(0, min(longest, _LONG_CELL_BYTES), _WORD_BYTES):
        if done:
            if shortest <= done:
                longer = np.flatnonzero(left > _WORD_BYTES)
                which = longer if which is None else which[longer]
                at, left, state = at[longer], left[longer], state[longer]
            at, left = at + np.int32(_WORD_BYTES), left - np.int32(_WORD_BYTES)
        word = words_at(data, at)
        if shortest < done + _WORD_BYTES:
            word &= _KEEP_BITS[np.minimum(left, _WORD_BYTES)]
        state = _mixed(word, state)
        if which is None:
            result = state
        else:
            result[which] = state
    result ^= result >> _SHIFT
    if longest > _LONG_CELL_BYTES:
        _put_long_cells(chunk, np.flatnonzero(lengths > _LONG_CELL_BYTES), result)
    return result


def _fingerprints_of_one_length(
    cells: npt.NDArray[np.uint8], length: int
) -> Fingerprints:
    """
    Mix cells that are all of one length, as numbers, codes and dates often are.

    Their words lie at equal distances. The fingerprints are those of
    `_fingerprints_of_chunk`.
    """
    n = len(cells) // length
    data = _padded(cells)
    result = np.full(n, length, np.uint64)
    result *= _SPREAD
    for done in range(0, length, _WORD_BYTES):
        word = words_apart(data, done, length, n)
        if length - done < _WORD_BYTES:
            word &= _KEEP_BITS[length - done]
        result = _mixed(word, result)
    result ^= result >> _SHIFT
    return result


def _mixed(word: Fingerprints, state: Fingerprints) -> Fingerprints:
    """Mix the next word of cells, in place, with what was mixed of them before."""
    word ^= state
    word *= _MIX
    word ^= word >> _SHIFT
    word *= _SPREAD
    return word


def _put_long_cells(
    chunk: Chunk, places: npt.NDArray[np.intp], result: Fingerprints
) -> None:
    """Put the fingerprints of the cells at `places` in their places."""
    import hashlib

    # A loop over records, but few have such cells.
    for index in places.tolist():
        cell = chunk.bytes[chunk.offsets[index] : chunk.offsets[index + 1]]
        digest = hashlib.blake2b(cell.tobytes(), digest_size=_WORD_BYTES).digest()
        result[index] = int.from_bytes(digest, "little")


def _padded(data: npt.NDArray[np.uint8]) -> npt.NDArray[np.uint8]:
    """Return bytes that can be read eight at a time from any of them on."""
    # A buffer may end at its last cell: the end is padded, by copying all of it.
    return np.concatenate([data, np.zeros(_WORD_BYTES, np.uint8)])
