"""Exact arithmetic on whole fields of numbers.

An amount is a whole number at a decimal scale, over a divisor once something was
divided: a fraction, never a binary float. Whole fields are computed by NumPy in 64
bits; where a result could not fit, the field goes on as Python's unlimited integers.
Every bound is taken from the greatest values there are, before the operation.
"""

from __future__ import annotations

from decimal import Decimal
from typing import Any, Literal, NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.numbers.forms import PLAIN, NumberForm, in_plain_form
from gruff_ledger.cells.numbers.plain import Numbers, chunk_numbers, exact, whole_text
from gruff_ledger.cells.numbers.wide import (
    POWERS,
    Integers,
    greatest_of,
    narrowed,
    plus,
    times,
    times_power,
)
from gruff_ledger.cells.text.weave import STRETCH_RECORDS, text_array
from gruff_ledger.cells.text_bytes import Chunk, chunk_of, map_chunks
from gruff_ledger.columns.arrays import concat_columns, number_column, text_column
from gruff_ledger.columns.threads import map_ahead
from gruff_ledger.columns.types import Column, Mask

Rounding = Literal[
    "half-up", "half-even", "half-down", "up", "down", "ceiling", "floor"
]

# Digits after the point to which a quotient that does not end is written.
QUOTIENT_DIGITS = 12

# A quotient that ends within so many digits is written with all of them.
MOST_ENDING_DIGITS = 100


class Amounts(NamedTuple):
    """
    The numbers of n records.

    Attributes
    ----------
    values : ndarray of int64 or of Python integers, shape (n,)
    scale : int
        Digits after the decimal point, 0 or more.
    divisor : ndarray of positive int64 or Python integers, shape (n,), optional
        Number i is ``values[i] / divisor[i] / 10**scale``.
    """

    values: Integers
    scale: int
    divisor: Integers | None = None


def constant(number: Decimal, n: int = 1) -> Amounts:
    """Return one number for all of `n` records."""
    sign, digits, exponent = number.as_tuple()
    assert isinstance(exponent, int)
    value = int(Decimal((0, digits, 0))) * 10 ** max(0, exponent)
    values = np.empty(n, object)
    values[:] = -value if sign else value
    return Amounts(narrowed(values), max(0, -exponent))


def exact_of(one: Amounts) -> Decimal:
    """Return one number that is no fraction, as a decimal of any length."""
    assert one.divisor is None
    return exact(int(one.values[0]), one.scale)


def read_amounts(column: Column, form: NumberForm = PLAIN) -> tuple[Amounts, Mask]:
    """
    Read the numbers of a field.

    Parameters
    ----------
    column : Column, n cells
    form : NumberForm

    Returns
    -------
    amounts : Amounts, n records
        Zero in cells that hold no number.
    is_number : ndarray of bool, shape (n,)
    """
    found = map_chunks(_numbers_of, in_plain_form(column, form))
    scale = max((each.scale for _, each in found), default=0)
    is_number = np.zeros(len(column), np.bool_)
    parts: list[Integers] = []
    start = 0
    for n, each in found:
        values = times_power(each.values, scale - each.scale)
        spread = np.zeros(n, values.dtype)
        spread[each.places] = values
        is_number[start + each.places] = True
        parts.append(spread)
        start += n
    whole = np.concatenate(parts) if parts else np.zeros(0, np.int64)
    return Amounts(whole, scale), is_number


def _numbers_of(chunk: Chunk) -> tuple[int, Numbers]:
    return len(chunk.array), chunk_numbers(chunk)


def put_amounts(amounts: Amounts, where: Mask, others: Amounts) -> Amounts:
    """Return amounts with others in some places."""
    scale = max(amounts.scale, others.scale)
    whole, some = at_scale(amounts, scale).values, at_scale(others, scale).values
    if object in (whole.dtype, some.dtype):
        whole, some = whole.astype(object), some.astype(object)
    values = whole.copy()
    values[where] = some
    return Amounts(values, scale)


def at_scale(one: Amounts, scale: int) -> Amounts:
    """Return the same numbers with more digits after the point, up to `scale`."""
    return one._replace(values=times_power(one.values, scale - one.scale), scale=scale)


def negated(one: Amounts) -> Amounts:
    """Return the numbers with the other sign."""
    return one._replace(values=-one.values)


def absolute(one: Amounts) -> Amounts:
    """Return the numbers without their sign."""
    return one._replace(values=np.abs(one.values))


def added(one: Amounts, other: Amounts) -> Amounts:
    """Return the sums, record by record."""
    a, b, divisor, scale = _alike(one, other)
    return Amounts(plus(a, b), scale, divisor)


def subtract(one: Amounts, other: Amounts) -> Amounts:
    """Return the differences, record by record."""
    return added(one, negated(other))


def multiply(one: Amounts, other: Amounts) -> Amounts:
    """Return the products, record by record."""
    divisor = _divisors(one.divisor, other.divisor)
    product = Amounts(times(one.values, other.values), one.scale + other.scale, divisor)
    return product if divisor is None else _reduced(product)


def divide(one: Amounts, other: Amounts) -> Amounts:
    """
    Return the quotients, record by record, as exact fractions.

    Raises
    ------
    ZeroDivisionError
        If a number of `other` is zero.
    """
    if (other.values == 0).any():
        raise ZeroDivisionError
    sign = np.where(other.values < 0, -1, 1)
    up, down = other.scale - one.scale, one.scale - other.scale
    values = times_power(times(one.values, sign), max(0, up))
    if other.divisor is not None:
        values = times(values, other.divisor)
    divisor = times_power(np.abs(other.values), max(0, down))
    if one.divisor is not None:
        divisor = times(divisor, one.divisor)
    shape = np.broadcast_shapes(values.shape, divisor.shape)
    return _reduced(
        Amounts(np.broadcast_to(values, shape), 0, np.broadcast_to(divisor, shape))
    )


def compared(one: Amounts, other: Amounts) -> npt.NDArray[np.int8]:
    """Return -1, 0 or 1 where a number is less than, equal to or above the other."""
    a, b, _, _ = _alike(one, other)
    return (a > b).astype(np.int8) - (a < b).astype(np.int8)


def chosen(mask: Mask, one: Amounts, other: Amounts) -> Amounts:
    """Return the numbers of one field where `mask` is true, else of the other."""
    scale = max(one.scale, other.scale)
    a = times_power(one.values, scale - one.scale)
    b = times_power(other.values, scale - other.scale)
    values = np.where(mask, a, b)
    if one.divisor is None and other.divisor is None:
        return Amounts(values, scale)
    unit = np.ones(1, np.int64)
    divisor = np.where(
        mask,
        unit if one.divisor is None else one.divisor,
        unit if other.divisor is None else other.divisor,
    )
    return Amounts(values, scale, divisor)


def remainders(one: Amounts, other: Amounts) -> Amounts:
    """
    Return what is left of a number after division, with the sign of the number.

    ISO/IEC 9075-2, MOD. Raises ZeroDivisionError where `other` has a zero.
    """
    a, b, divisor, scale = _alike(one, other)
    if (b == 0).any():
        raise ZeroDivisionError
    left = np.abs(a) % np.abs(b)
    return Amounts(np.where(a < 0, -left, left), scale, divisor)


def rounded(one: Amounts, digits: int, mode: Rounding) -> Amounts:
    """
    Return the numbers rounded to some digits after the decimal point.

    Parameters
    ----------
    one : Amounts
    digits : int
        Negative ones stand before the point: -2 rounds to hundreds.
    mode : str
        ``half-up`` is away from zero, as is ``up``; ``ceiling`` and ``floor`` are
        towards the greater and the lesser number.

    Returns
    -------
    Amounts
        At the scale of `digits`, or 0; without divisor.
    """
    if one.divisor is None and digits >= one.scale:
        return Amounts(times_power(one.values, digits - one.scale), digits)
    values = times_power(one.values, max(0, digits - one.scale))
    unit = times_power(
        np.ones(1, np.int64) if one.divisor is None else one.divisor,
        max(0, one.scale - digits),
    )
    if len(unit) == 1 and values.dtype != object and unit.dtype != object:
        # Dividing by one number is much faster than by an array of it.
        unit = unit[0]
    quotient, left = values // unit, values % unit
    away = _rounds_up(values, quotient, left, unit, mode)
    return Amounts(times_power(quotient + away, max(0, -digits)), max(0, digits))


def _rounds_up(
    values: Integers, quotient: Integers, left: Integers, unit: Any, mode: Rounding
) -> Any:
    """Mark where the quotient, which lies below the number, is to be one more."""
    negative = values < 0
    if mode in ("ceiling", "floor"):
        return (left != 0) & (mode == "ceiling")
    if mode in ("up", "down"):
        return (left != 0) & (negative if mode == "down" else ~negative)
    # Without doubling, which could overflow.
    rest = unit - left
    tie = left == rest
    ways = {"half-up": ~negative, "half-down": negative, "half-even": quotient % 2 == 1}
    return (left > rest) | (tie & ways[mode])


def to_column(one: Amounts, digits: int | None = None) -> tuple[Column, Mask]:
    """
    Write numbers in the plain form.

    Parameters
    ----------
    one : Amounts, n records
    digits : int, optional
        How many digits stand after the point at least; without it no zeros are
        written at the end.

    Returns
    -------
    column : Column, n cells
    rounded : ndarray of bool, shape (n,)
        True where a fraction has more than `QUOTIENT_DIGITS` decimals and was rounded
        to them, half up.
    """
    inexact = np.zeros(len(one.values), np.bool_)
    if one.divisor is not None:
        near = rounded(one, QUOTIENT_DIGITS, "half-up")
        inexact = compared(one, near) != 0
        if inexact.any():
            near, inexact = _with_ends(_reduced(one), near, inexact)
        one = near
    if one.values.dtype == object:
        narrow = narrowed(one.values)
        if narrow.dtype == object:
            return text_column(
                decimal_text(value, one.scale, digits) for value in one.values.tolist()
            ), inexact
        one = Amounts(narrow, one.scale)
    starts = range(0, len(one.values), STRETCH_RECORDS)

    def of_stretch(start: int) -> Column:
        part = one.values[start : start + STRETCH_RECORDS]
        return _written(part, one.scale, digits or 0)

    return concat_columns(map_ahead(of_stretch, starts)), inexact


def _with_ends(one: Amounts, near: Amounts, inexact: Mask) -> tuple[Amounts, Mask]:
    """
    Write fractions that end with all their digits, however many.

    Parameters
    ----------
    one : Amounts, n fractions in their lowest terms
    near : Amounts
        The same, rounded.
    inexact : ndarray of bool, shape (n,)
        Those that were changed by that.

    Returns
    -------
    amounts : Amounts
    rounded : ndarray of bool, shape (n,)
        Those that do not end within `MOST_ENDING_DIGITS`.
    """
    if one.divisor is None:
        return one, np.zeros(len(inexact), np.bool_)
    n = len(inexact)
    divisors = np.broadcast_to(one.divisor, n)
    known = {each: _digits_of(each) for each in set(divisors[inexact].tolist())}
    ending = [
        place
        for place in np.flatnonzero(inexact).tolist()
        if known[int(divisors[place])] is not None
    ]
    if not ending:
        return near, inexact
    # Digits that a fraction of one divisor needs beyond the scale of its numbers.
    needed = max(known[int(divisors[place])] or 0 for place in ending)
    scale = max(near.scale, one.scale + needed)
    values = near.values.astype(object) * 10 ** (scale - near.scale)
    own = np.broadcast_to(one.values, n)
    for place in ending:
        values[place] = (
            int(own[place]) * 10 ** (scale - one.scale) // int(divisors[place])
        )
    left = inexact.copy()
    left[ending] = False
    return Amounts(narrowed(values), scale), left


def _digits_of(divisor: int) -> int | None:
    """Return after how many digits one divided by a number ends; None for never."""
    powers = []
    for prime in (2, 5):
        count = 0
        while divisor % prime == 0:
            divisor //= prime
            count += 1
        powers.append(count)
    digits = max(powers)
    return digits if divisor == 1 and digits <= MOST_ENDING_DIGITS else None


def decimal_text(value: int, scale: int, digits: int | None = None) -> str:
    """
    Write a whole number at a scale as a decimal, in the plain form.

    Parameters
    ----------
    value, scale : int
        The number is ``value / 10**scale``.
    digits : int, optional
        How many digits stand after the point at least; without it no zeros are
        written at the end.

    Examples
    --------
    >>> decimal_text(-1250, 3), decimal_text(-1250, 3, 2)
    ('-1.25', '-1.25')
    """
    if not (scale or digits):
        return whole_text(value)
    whole, part = divmod(abs(value), 10**scale)
    decimals = whole_text(part).rjust(scale, "0").rstrip("0") if scale else ""
    decimals = decimals.ljust(digits or 0, "0")
    sign = "-" if value < 0 else ""
    return f"{sign}{whole_text(whole)}{'.' if decimals else ''}{decimals}"


# A digit more still fits 64 bits.
_MOST_WRITTEN = 9 * 10**17


def _written(values: npt.NDArray[np.int64], scale: int, digits: int) -> Column:
    """Write whole numbers at a scale, with at least so many decimals."""
    if not scale and not digits:
        return number_column(values)
    if greatest_of(values) * 10 ** max(0, digits - scale) > _MOST_WRITTEN or scale > 17:
        return text_column(
            decimal_text(value, scale, digits) for value in values.tolist()
        )
    if digits > scale:
        values, scale = values * np.int64(10 ** (digits - scale)), digits
    kept = np.full(len(values), scale, np.int64)
    while scale > digits:
        # Division by a constant is fast; the rest of one is not.
        shorter = values // 10
        ends = (shorter * 10 == values) & (kept == scale)
        if not ends.any():
            break
        values = np.where(ends, shorter, values)
        kept -= ends
        scale -= 1
    # Room for the point: a zero, which is overwritten. A number below one has a one in
    # front of it, which becomes a zero.
    powers = POWERS[kept]
    sizes = np.abs(values)
    whole = sizes // powers if kept.any() else sizes
    below_one = (whole == 0) & (kept > 0)
    written = (
        sizes + np.where(kept > 0, whole * powers * 9, 0) + below_one * powers * 10
    )
    chunk = chunk_of(
        number_column(np.where(values < 0, -written, written)).combine_chunks()
    )
    data = chunk.bytes.copy()
    points = chunk.offsets[1:] - kept - 1
    data[points[kept > 0]] = ord(".")
    data[points[below_one] - 1] = ord("0")
    return pa.chunked_array([text_array(data, np.diff(chunk.offsets))])


def _alike(
    one: Amounts, other: Amounts
) -> tuple[Integers, Integers, Integers | None, int]:
    """Bring two fields to one scale and one divisor."""
    scale = max(one.scale, other.scale)
    a = times_power(one.values, scale - one.scale)
    b = times_power(other.values, scale - other.scale)
    if other.divisor is not None:
        a = times(a, other.divisor)
    if one.divisor is not None:
        b = times(b, one.divisor)
    divisor = _divisors(one.divisor, other.divisor)
    if divisor is not None:
        divisor = np.broadcast_to(divisor, np.broadcast_shapes(a.shape, b.shape))
    return a, b, divisor, scale


def _divisors(one: Integers | None, other: Integers | None) -> Integers | None:
    if one is None or other is None:
        return other if one is None else one
    return times(one, other)


def _reduced(one: Amounts) -> Amounts:
    """Reduce fractions to their lowest terms."""
    assert one.divisor is not None
    common = np.gcd(one.values, one.divisor)
    values, divisor = one.values // common, one.divisor // common
    if (divisor == 1).all():
        return Amounts(values, one.scale)
    return Amounts(values, one.scale, divisor)
