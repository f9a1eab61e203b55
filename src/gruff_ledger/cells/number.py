"""Numbers in cells, exactly: whole numbers at a decimal scale, never binary floats.

The plain form is read here: an optional sign, digits, and a decimal point with digits,
with white space around it. An exponent is no part of it: ``12E3`` is a berth more often
than a number.

Whole fields are read by NumPy, eight digits at a time; what does not fit 64 bits goes
through Python's unlimited integers.
"""

from __future__ import annotations

import re
from decimal import Decimal
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.strings import (
    DIGIT,
    KINDS,
    LOWER,
    OTHER,
    POINT,
    SIGN,
    UPPER,
    Chunk,
    kinds_in,
    text_chunks,
)
from gruff_ledger.table import Column, Indices, Mask, mapped, taken

_PLAIN = re.compile(r"([+-]?)(\d*)(?:\.(\d*))?", re.ASCII)

_SIMPLE = np.uint8(DIGIT | SIGN | POINT)
_NEVER = np.uint8(UPPER | LOWER | OTHER)

# Digits that surely fit 64 bits; the parts before and after the point each have at most
# two words of eight.
_MOST_DIGITS = 18
_WORD = 8
_POWERS = 10 ** np.arange(_MOST_DIGITS + 1, dtype=np.int64)

# Bytes of a little-endian word that belong to its last 0 to 8 characters.
_LAST_BYTES = np.array(
    [((1 << 64) - 1) ^ ((1 << (8 * (_WORD - left))) - 1) for left in range(_WORD + 1)],
    np.uint64,
)


class Numbers(NamedTuple):
    """
    The numbers in n cells.

    Attributes
    ----------
    places : ndarray of int64, shape (k,)
        The cells that hold a number, in rising order.
    values : ndarray of int64, or of Python integers, shape (k,)
        Each times ten to the power of `scale`.
    scale : int
        Digits after the decimal point.
    """

    places: Indices
    values: npt.NDArray[np.int64] | npt.NDArray[np.object_]
    scale: int


def number_of(text: str) -> Decimal | None:
    """
    Return the number that a text is in the plain form, exactly; None if it is none.

    Examples
    --------
    >>> number_of(" -12.50 "), number_of("12E3"), number_of("1,250")
    (Decimal('-12.50'), None, None)
    """
    match = _PLAIN.fullmatch(text.strip())
    if match is None or not (match[2] or match[3]):
        return None
    digits = (match[2] + (match[3] or "")) or "0"
    sign = 1 if match[1] == "-" else 0
    return Decimal((sign, tuple(map(int, digits)), -len(match[3] or "")))


def exact(value: int, scale: int) -> Decimal:
    """
    Return a scaled whole number as a decimal, whatever its length.

    Examples
    --------
    >>> exact(1250, 2)
    Decimal('12.50')
    """
    return Decimal(f"{value}E-{scale}")


def plain_text(number: Decimal) -> str:
    """
    Write a number in the plain form.

    Examples
    --------
    >>> plain_text(Decimal("1E+3")), plain_text(Decimal("-0.50"))
    ('1000', '-0.50')
    """
    return f"{number:f}"


def exact_sum(column: Column) -> Decimal:
    """Return the exact sum of the numbers in a field; other cells are passed over."""
    scale, total = 0, 0
    for numbers in mapped(chunk_numbers, list(text_chunks(column))):
        value = sum_of(numbers.values)
        if numbers.scale > scale:
            total, scale = total * 10 ** (numbers.scale - scale), numbers.scale
        total += value * 10 ** (scale - numbers.scale)
    return exact(total, scale)


def sum_of(
    values: npt.NDArray[np.int64] | npt.NDArray[np.object_],
    weights: Indices | None = None,
) -> int:
    """
    Return the sum of whole numbers, without overflow.

    Parameters
    ----------
    values : ndarray, shape (n,)
    weights : ndarray of int64, shape (n,), optional
        How often each is to be added; fewer than 2**31 in all.
    """
    if values.dtype == object:
        times = [1] * len(values) if weights is None else weights.tolist()
        return int(sum(a * b for a, b in zip(values.tolist(), times, strict=True)))
    # The halves of up to 2**31 numbers cannot overflow when added up.
    high, low = values >> np.int64(32), values & np.int64(0xFFFFFFFF)
    if weights is not None:
        high, low = high * weights, low * weights
    return (int(high.sum()) << 32) + int(low.sum())


def chunk_numbers(chunk: Chunk, kinds: npt.NDArray[np.uint8] | None = None) -> Numbers:
    """
    Read the numbers in the cells of a chunk, in the plain form.

    Parameters
    ----------
    chunk : Chunk, n cells
    kinds : ndarray of uint8, shape (n,), optional
        What `kinds_in` says of the chunk; a cell of kind zero is passed over.
    """
    if kinds is None:
        kinds = kinds_in(chunk)
    lengths = np.diff(chunk.offsets)
    has_digit = (kinds & DIGIT) != 0
    simple = has_digit & ((kinds & ~_SIMPLE) == 0) & (lengths <= _MOST_DIGITS)
    places = np.flatnonzero(simple)
    whole, fraction, scales, negative, good = _parsed(chunk, places, kinds)
    # White space around a number, or very many digits: rare, and read one by one.
    odd = np.flatnonzero(has_digit & ~simple & ((kinds & _NEVER) == 0))
    others = _read_one_by_one(chunk, odd)
    places, whole, fraction = places[good], whole[good], fraction[good]
    scales, negative = scales[good], negative[good]
    scale = int(scales.max(initial=0))
    scale = max([scale, *(max(0, -_exponent(each)) for each in others.values())])
    longest = int(whole.max(initial=0))
    if len(str(longest)) + scale <= _MOST_DIGITS and not others:
        values = whole * _POWERS[scale] + fraction * _POWERS[scale - scales]
        np.negative(values, out=values, where=negative)
        return Numbers(places, values, scale)
    large = [
        (-1 if minus else 1) * (a * 10**scale + b * 10 ** (scale - c))
        for a, b, c, minus in zip(
            whole.tolist(),
            fraction.tolist(),
            scales.tolist(),
            negative.tolist(),
            strict=True,
        )
    ]
    large += [_scaled(each, scale) for each in others.values()]
    places = np.concatenate([places, np.fromiter(others, np.int64, len(others))])
    order = np.argsort(places, kind="stable")
    if all(abs(value) < 10**_MOST_DIGITS for value in large):
        return Numbers(places[order], np.array(large, np.int64)[order], scale)
    values_of_any_size = np.empty(len(large), object)
    values_of_any_size[:] = large
    return Numbers(places[order], values_of_any_size[order], scale)


def _exponent(number: Decimal) -> int:
    exponent = number.as_tuple().exponent
    assert isinstance(exponent, int)
    return exponent


def _scaled(number: Decimal, scale: int) -> int:
    sign, digits, exponent = number.as_tuple()
    assert isinstance(exponent, int)
    value = int("".join(map(str, digits))) * int(10 ** (scale + exponent))
    return -value if sign else value


def _read_one_by_one(chunk: Chunk, places: Indices) -> dict[int, Decimal]:
    if not len(places):
        return {}
    texts = taken(pa.chunked_array([chunk.array]), places).to_pylist()
    known: dict[str, Decimal | None] = {}
    found: dict[int, Decimal] = {}
    for place, text in zip(places.tolist(), texts, strict=True):
        if text not in known:
            known[text] = number_of(text)
        number = known[text]
        if number is not None:
            found[place] = number
    return found


def _parsed(
    chunk: Chunk, places: Indices, kinds: npt.NDArray[np.uint8]
) -> tuple[
    npt.NDArray[np.int64],
    npt.NDArray[np.int64],
    npt.NDArray[np.int64],
    Mask,
    Mask,
]:
    """
    Parse cells of digits, signs and points, at most 18 characters each.

    Returns
    -------
    whole, fraction, scales : ndarray of int64
        The digits before and after the point, and how many stand after it.
    negative, good : ndarray of bool
        Whether there is a minus, and whether the cell is a number at all.
    """
    starts = chunk.offsets[:-1][places].astype(np.int64)
    ends = chunk.offsets[1:][places].astype(np.int64)
    n = len(places)
    if not n:
        empty = np.zeros(0, np.int64)
        return empty, empty, empty, np.zeros(0, np.bool_), np.zeros(0, np.bool_)
    first = chunk.bytes[starts]
    negative = first == ord("-")
    good = np.ones(n, np.bool_)
    # A sign belongs at the start, and there is one.
    has_sign = (kinds[places] & SIGN) != 0
    leads = negative | (first == ord("+"))
    good &= ~has_sign | leads
    with_sign = np.flatnonzero(leads)
    if len(with_sign):
        is_sign = KINDS[chunk.bytes] == SIGN
        good[with_sign] = _counts(chunk, is_sign)[places[with_sign]] == 1
    starts += leads
    points = ends.copy()
    with_point = np.flatnonzero(((kinds[places] & POINT) != 0) & good)
    if len(with_point):
        is_point = chunk.bytes == ord(".")
        counts = _counts(chunk, is_point)[places[with_point]]
        good[with_point] &= counts == 1
        at = np.flatnonzero(is_point)
        where = np.searchsorted(at, starts[with_point])
        points[with_point] = at[np.minimum(where, len(at) - 1)]
    points = np.clip(points, starts, ends)
    after = np.minimum(points + 1, ends)
    good &= (points > starts) | (ends > after)
    padded = np.concatenate([np.zeros(2 * _WORD, np.uint8), chunk.bytes])
    whole = _digits(padded, points, points - starts)
    fraction = np.zeros(n, np.int64)
    if len(with_point):
        fraction[with_point] = _digits(
            padded, ends[with_point], (ends - after)[with_point]
        )
    good &= ends - starts <= _MOST_DIGITS
    return whole, fraction, ends - after, negative, good


def _counts(chunk: Chunk, marks: Mask) -> npt.NDArray[np.int64]:
    """Count the marked bytes of each cell."""
    at = np.flatnonzero(marks)
    found = np.searchsorted(at, chunk.offsets)
    return np.diff(found)


def _digits(
    padded: npt.NDArray[np.uint8],
    ends: npt.NDArray[np.int64],
    lengths: npt.NDArray[np.int64],
) -> npt.NDArray[np.int64]:
    """Return the numbers whose digits, at most 18, end at the given bytes."""
    words = np.ndarray((len(padded) - _WORD + 1,), "<u8", buffer=padded, strides=(1,))
    # The padding stands in front: byte i of the text is byte i + 16 of `padded`.
    at = ends + _WORD
    result = _word_digits(words[at], np.minimum(lengths, _WORD))
    if int(lengths.max(initial=0)) > _WORD:
        more = np.flatnonzero(lengths > _WORD)
        left = lengths[more] - _WORD
        high = _word_digits(words[at[more] - _WORD], np.minimum(left, _WORD))
        longest = np.flatnonzero(left > _WORD)
        if len(longest):
            third = words[np.maximum(at[more][longest] - 2 * _WORD, 0)]
            # At most two digits are left; padding of two words is enough for them.
            high[longest] += (
                _word_digits(third, np.minimum(left[longest] - _WORD, _WORD))
                * _POWERS[_WORD]
            )
        result[more] += high * _POWERS[_WORD]
    return result


def _word_digits(
    words: npt.NDArray[np.uint64], lengths: npt.NDArray[np.int64]
) -> npt.NDArray[np.int64]:
    """Return the numbers in the last `lengths` characters of words of eight digits."""
    # Neighbouring digits are joined to pairs, fours and eights, all cells at a time.
    value = words & _LAST_BYTES[lengths]
    value &= np.uint64(0x0F0F0F0F0F0F0F0F)
    value *= np.uint64(10 * (1 << 8) + 1)
    value >>= np.uint64(8)
    value &= np.uint64(0x00FF00FF00FF00FF)
    value *= np.uint64(100 * (1 << 16) + 1)
    value >>= np.uint64(16)
    value &= np.uint64(0x0000FFFF0000FFFF)
    value *= np.uint64(10000 * (1 << 32) + 1)
    value >>= np.uint64(32)
    return value.view(np.int64)
