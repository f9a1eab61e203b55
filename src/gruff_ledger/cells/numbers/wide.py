"""Whole numbers that may leave 64 bits: then they go on as those of Python."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Integers = npt.NDArray[Any]  # of int64, or of Python integers

# No number here has more digits: without a limit a short formula on long numbers could
# fill the memory.
MOST_DIGITS = 1000
LIMIT = 2**63 - 1
POWERS = 10 ** np.arange(19, dtype=np.int64)


class TooLong(ArithmeticError):
    """A number would get more than `MOST_DIGITS` digits."""


def greatest_of(values: Integers) -> int:
    """Return the greatest absolute value."""
    return max(int(values.max()), -int(values.min())) if len(values) else 0


def plus(a: Integers, b: Integers) -> Integers:
    """Return sums."""
    if a.dtype != object and b.dtype != object:
        if greatest_of(a) + greatest_of(b) < LIMIT:
            return a + b
        a = a.astype(object)
    total: Integers = a + b
    return total


def times(a: Integers, b: Integers) -> Integers:
    """Return products."""
    bound = greatest_of(a) * greatest_of(b)
    if bound < LIMIT:
        product: Integers = narrowed(a) * narrowed(b)
        return product
    # As many bits as so many digits have.
    if bound.bit_length() > MOST_DIGITS * 3.32:
        raise TooLong
    long_product: Integers = a.astype(object) * b.astype(object)
    return long_product


def times_power(values: Integers, power: int) -> Integers:
    """Return values times a power of ten."""
    if not power:
        return values
    if power > MOST_DIGITS:
        raise TooLong
    factor = np.empty(1, object)
    factor[0] = 10**power
    return times(values, narrowed(factor))


def narrowed(values: Integers) -> Integers:
    """Return Python integers in 64 bits, where all fit."""
    if values.dtype == object and greatest_of(values) < LIMIT:
        narrow: Integers = values.astype(np.int64)
        return narrow
    return values
