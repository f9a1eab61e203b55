"""Exact figures on groups of numbers: sums, counts, the least and the greatest."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.numbers.amounts import Amounts
from gruff_ledger.cells.numbers.wide import Integers
from gruff_ledger.columns.types import Indices

# Numbers are added in parts of so many bits: a double holds the sum of any two thousand
# million of them exactly.
_PART_BITS = 21
_PART = np.int64((1 << _PART_BITS) - 1)

_LIMIT = 2**62


def group_sums(amounts: Amounts, codes: Indices, size: int) -> Amounts:
    """
    Add the numbers of each group, exactly.

    Parameters
    ----------
    amounts : Amounts, n numbers without divisor
    codes : ndarray of int64, shape (n,)
        The group of each, from 0.
    size : int
        How many groups there are.

    Returns
    -------
    Amounts, `size` numbers
        Zero for a group without numbers.

    Examples
    --------
    >>> group_sums(Amounts(np.array([1, 2, 4]), 1), np.array([0, 2, 0]), 3).values
    array([5, 0, 2])
    """
    assert amounts.divisor is None
    values = amounts.values
    if not len(values):
        return Amounts(np.zeros(size, np.int64), amounts.scale)
    if values.dtype == object or _greatest(values) * len(values) >= _LIMIT:
        sums = np.zeros(size, object)
        np.add.at(sums, codes, values.astype(object))
        return Amounts(_narrow(sums), amounts.scale)
    total = np.zeros(size, np.int64)
    for shift in range(0, 3 * _PART_BITS, _PART_BITS):
        rest = values >> np.int64(shift)
        if shift and not rest.any():
            break
        # The last part has the sign.
        is_last = shift == 2 * _PART_BITS
        part = rest if is_last else rest & _PART
        if part.any():
            found = np.bincount(codes, weights=part, minlength=size)
            total += found.astype(np.int64) << np.int64(shift)
    return Amounts(total, amounts.scale)


def group_counts(codes: Indices, size: int) -> Indices:
    """Count the members of each group."""
    return np.bincount(codes, minlength=size).astype(np.int64)


def group_extremes(
    amounts: Amounts, codes: Indices, size: int, *, greatest: bool
) -> Amounts:
    """
    Return the least or the greatest number of each group; zero for an empty one.

    Examples
    --------
    >>> least = group_extremes(
    ...     Amounts(np.array([4, -2]), 0), np.array([1, 1]), 2, greatest=False
    ... )
    >>> least.values
    array([ 0, -2])
    """
    values = amounts.values
    if not len(values):
        return Amounts(np.zeros(size, np.int64), amounts.scale)
    start = values.min() if greatest else values.max()
    found = np.full(size, start, values.dtype)
    (np.maximum if greatest else np.minimum).at(found, codes, values)
    found[group_counts(codes, size) == 0] = 0
    return Amounts(found, amounts.scale)


def group_ends(codes: Indices, size: int, *, last: bool) -> Indices:
    """Return the place of each group's first or last member; -1 for an empty one."""
    found = np.full(size, -1, np.int64)
    places = np.arange(len(codes))
    # Of several that go to one place the last one stays.
    if last:
        found[codes] = places
    else:
        found[codes[::-1]] = places[::-1]
    return found


def total_of(amounts: Amounts) -> int:
    """Return the sum of all numbers, at their scale."""
    if amounts.values.dtype == object:
        return sum(amounts.values.tolist())
    low = int((amounts.values & np.int64(0xFFFFFFFF)).sum(dtype=np.uint64))
    return low + (int((amounts.values >> np.int64(32)).sum()) << 32)


def _greatest(values: Integers) -> int:
    return max(int(values.max()), -int(values.min()))


def _narrow(values: Integers) -> Integers:
    if _greatest(values) < 2**63:
        narrow: Integers = values.astype(np.int64)
        return narrow
    return values
