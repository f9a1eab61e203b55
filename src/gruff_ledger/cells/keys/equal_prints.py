"""Which fingerprints are equal: the first of each, and those that occur again.

They find each other in a table of indices that their bits lead to: what finds an
unequal one in its place looks again by other bits, until nothing waits. That reads and
writes memory here and there, but sorts nothing.
"""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.keys.fingerprints import Fingerprints
from gruff_ledger.columns.storage import storage
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Indices, Mask

TABLE_SPREADS = tuple(
    np.uint64(spread)
    for spread in (1, 0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9)
)

# Those marked at a time stay in the processor's cache.
_STRETCH_RECORDS = 1 << 16

# From so many on, values are looked for in so many parts, by their first bits.
_PARTED_FROM = 1 << 18
_PARTS = 8
_PART_BITS = np.uint64(3)
_PART_SHIFT = np.uint64(64) - _PART_BITS


def places_of_repeated(values: Fingerprints) -> Indices:
    """
    Return the indices, in order, of all values that occur more than once.

    A few others may be among them: those that share their first bits with one.
    """
    if len(values) < 2:
        return np.zeros(0, np.int64)
    found = [
        # In one part of several all values have their first bits in common.
        places[
            _places_of_repeated(mine) if len(mine) == len(values) else _repeated(mine)
        ]
        for places, mine in storage().parted(values, _by_first_bits)
    ]
    return found[0] if len(found) == 1 else np.sort(np.concatenate(found))


def _places_of_repeated(values: Fingerprints) -> Indices:
    ordered = np.sort(values)
    repeated = ordered[1:][ordered[1:] == ordered[:-1]]
    # A table of marks by first bits is much faster to ask than a sorted list.
    bits = np.uint64(64 - max(8, (4 * len(values)).bit_length()))
    marks = np.zeros(1 << (64 - int(bits)), np.bool_)
    marks[repeated >> bits] = True
    starts = range(0, len(values), _STRETCH_RECORDS)

    def marked(start: int) -> Mask:
        mine = values[start : start + _STRETCH_RECORDS] >> bits
        return marks.take(mine.view(np.int64))

    return np.flatnonzero(np.concatenate(mapped(marked, starts)))


def _repeated(values: Fingerprints) -> Mask:
    """Mark all values that occur more than once."""
    order = np.argsort(values)
    again = values[order]
    again = again[1:] == again[:-1]
    mask = np.zeros(len(values), np.bool_)
    mask[order[1:][again]] = True
    mask[order[:-1][again]] = True
    return mask


def _by_first_bits(values: Fingerprints, parts: int) -> npt.NDArray[np.uint16]:
    """Return the part of each value, of a power of two, so that equal ones share it."""
    shift = np.uint64(64 - (parts - 1).bit_length())
    return (values >> shift).astype(np.uint16)


def first_equal(values: Fingerprints) -> Indices:
    """
    For each value, return the index of the first value equal to it.

    Values find each other in a table of indices, by some of their bits; those that
    find an unequal value in their place look again, by other bits.
    """
    first = np.empty(len(values), np.int64)
    for places, part in storage().parted(values, _by_first_bits):
        if len(part) == len(values):
            return _first_equal(part)
        first[places] = places[_first_equal(part)]
    return first


def _first_equal(values: Fingerprints) -> Indices:
    n = len(values)
    if n < _PARTED_FROM:
        return _first_in_table(values).astype(np.int64)
    # Parts by first bits have small tables, of which some stay in the processor's
    # cache, and each thread has its own.
    order = np.argsort(_by_first_bits(values, _PARTS), kind="stable")
    parted = values[order]
    ends = np.searchsorted(parted, np.arange(1, _PARTS, dtype=np.uint64) << _PART_SHIFT)
    first = np.empty(n, np.int64)

    def of_part(bounds: tuple[int, int]) -> None:
        mine = order[slice(*bounds)]
        # The bits that all of a part share say nothing in it.
        found = _first_in_table(parted[slice(*bounds)] << _PART_BITS)
        first[mine] = mine[found]

    mapped(of_part, list(itertools.pairwise([0, *ends.tolist(), n])))
    return first


def _first_in_table(values: Fingerprints) -> npt.NDArray[np.integer]:
    n = len(values)
    # Small numbers are half the memory, which is most of the work.
    kind: Any = np.int32 if n < 1 << 31 else np.int64
    first = np.empty(n, kind)
    waiting = np.arange(n, dtype=kind)
    mine = values
    # Any odd numbers would do: they bring other bits to the front in each round.
    for spread in itertools.cycle(TABLE_SPREADS):
        if not len(waiting):
            return first
        bits = max(8, (2 * len(waiting)).bit_length())
        # As signed numbers they are indices as they are.
        slots = ((mine * spread) >> np.uint64(64 - bits)).view(np.int64)
        table = np.empty(1 << bits, kind)
        # From the last to the first: of several in one slot the first one stays.
        table[slots[::-1]] = waiting[::-1]
        found = table.take(slots)
        equal = values.take(found) == mine
        first[waiting[equal]] = found[equal]
        waiting, mine = waiting[~equal], mine[~equal]
    return first
