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

from gruff_ledger.cells.blank import strip_space
from gruff_ledger.cells.text_bytes import (
    DIGIT,
    LOWER,
    OTHER,
    POINT,
    SIGN,
    UPPER,
    Chunk,
    kinds_in,
    map_chunks,
    words_at,
)
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.late_patterns import late_pattern

# With more digits than this before or after the point a cell is a text: no amount has
# them, and to work with very many takes a time that grows faster than they do. Numbers
# put at one scale, and added up, stay well below `amounts.MOST_DIGITS`.
MOST_DIGITS_A_SIDE = 400

_PLAIN = late_pattern(r"([+-]?)(\d*)(?:\.(\d*))?", re.ASCII)

# A number as JSON (RFC 8259), databases and workbooks write it.
_WITH_EXPONENT = late_pattern(r"-?\d+(?:\.\d+)?[eE]([+-]?\d+)", re.ASCII)

_SIMPLE = np.uint8(DIGIT | SIGN | POINT)
_NEVER = np.uint8(UPPER | LOWER | OTHER)

# Whole numbers of no more bits have less than the 4,300 digits that Python writes.
_MOST_WRITTEN_BITS = 14_000

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
    found = _whole_number(text)
    if found is None:
        return None
    sign, digits, scale = found
    return Decimal((sign, tuple(map(int, digits)), -scale))


def _whole_number(text: str) -> tuple[int, str, int] | None:
    """Return the sign of a number, 1 for a minus, its digits, and its scale."""
    match = _PLAIN.fullmatch(strip_space(text))
    if match is None:
        return None
    before, after = match[2], match[3] or ""
    if not (before or after) or max(len(before), len(after)) > MOST_DIGITS_A_SIDE:
        return None
    return match[1] == "-", before + after, len(after)


def without_exponent(text: str) -> str:
    """
    Write a number of a typed source without its exponent, exactly.

    Other texts, and numbers of more than `MOST_DIGITS_A_SIDE` digits a side, stay.

    Examples
    --------
    >>> [without_exponent(text) for text in ("1.50e3", "1E-7", "12", "e5", "1e999")]
    ['1500', '0.0000001', '12', 'e5', '1e999']
    """
    match = _WITH_EXPONENT.fullmatch(text)
    if match is None or len(match[1]) > 5:
        return text
    number = Decimal(text)
    least = number.as_tuple().exponent
    if abs(number.adjusted()) > MOST_DIGITS_A_SIDE or abs(int(least)) > (
        MOST_DIGITS_A_SIDE
    ):
        return text
    return f"{number:f}"


def exact(value: int, scale: int) -> Decimal:
    """
    Return a scaled whole number as a decimal, whatever its length.

    Examples
    --------
    >>> exact(1250, 2)
    Decimal('12.50')
    """
    number = Decimal(value).as_tuple()
    return Decimal((number.sign, number.digits, -scale))


def whole_text(value: int) -> str:
    """Write a whole number; Python itself writes only so many digits."""
    is_short = value.bit_length() <= _MOST_WRITTEN_BITS
    return str(value) if is_short else f"{Decimal(value):f}"


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
    for numbers in map_chunks(chunk_numbers, column):
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
    lengths = np.diff(chunk.offsets)
    digits, scales, negative, good = _parsed(chunk, lengths)
    if kinds is not None:
        good &= kinds != 0
    others: dict[int, tuple[int, int]] = {}
    if not good.all() and (lengths[~good] > 0).any():
        # White space around a number, or very many digits: rare, and read one by one.
        kinds = kinds_in(chunk) if kinds is None else kinds
        odd = ((kinds & DIGIT) != 0) & ((kinds & _NEVER) == 0) & ~good
        odd &= ((kinds & ~_SIMPLE) != 0) | (lengths > _MOST_DIGITS)
        others = _read_one_by_one(chunk, np.flatnonzero(odd))
    places = np.flatnonzero(good)
    if len(places) < len(good):
        digits, scales, negative = digits[places], scales[places], negative[places]
    scale = int(scales.max(initial=0))
    scale = max([scale, *(mine for _, mine in others.values())])
    if not others and len(str(int(digits.max(initial=0)))) + scale <= _MOST_DIGITS:
        values = digits * _POWERS[scale - scales]
        np.negative(values, out=values, where=negative)
        return Numbers(places, values, scale)
    large = [
        (-1 if minus else 1) * a * 10 ** (scale - c)
        for a, c, minus in zip(
            digits.tolist(), scales.tolist(), negative.tolist(), strict=True
        )
    ]
    large += [value * 10 ** (scale - mine) for value, mine in others.values()]
    places = np.concatenate([places, np.fromiter(others, np.int64, len(others))])
    order = np.argsort(places, kind="stable")
    if all(abs(value) < 10**_MOST_DIGITS for value in large):
        return Numbers(places[order], np.array(large, np.int64)[order], scale)
    values_of_any_size = np.empty(len(large), object)
    values_of_any_size[:] = large
    return Numbers(places[order], values_of_any_size[order], scale)


def _read_one_by_one(chunk: Chunk, places: Indices) -> dict[int, tuple[int, int]]:
    if not len(places):
        return {}
    texts = taken(pa.chunked_array([chunk.array]), places).to_pylist()
    found = {}
    for place, text in zip(places.tolist(), texts, strict=True):
        number = _whole_number(text)
        if number is not None:
            negative, digits, scale = number
            found[place] = (-int(digits) if negative else int(digits), scale)
    return found


def _parsed(
    chunk: Chunk, lengths: npt.NDArray[np.int32]
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64], Mask, Mask]:
    """
    Parse the cells of digits, a sign and a point, at most 18 characters each.

    Returns
    -------
    digits, scales : ndarray of int64
        The digits as one whole number, and how many stand after the point.
    negative, good : ndarray of bool
        Whether there is a minus, and whether the cell is such a number at all.

    Notes
    -----
    The last eight characters of each cell are one word, the eight before them another.
    In a word the last character is the highest byte. The characters before the point
    move up by one, over the point; then all are digits.
    """
    first = chunk.bytes_at_start()
    negative = first == ord("-")
    sizes = lengths - (negative | (first == ord("+")))
    good = (sizes > 0) & (sizes <= _MOST_DIGITS)
    longest = min(int(sizes.max(initial=0)), _MOST_DIGITS)
    words = _last_words(chunk, sizes, -(-longest // _WORD))
    scales = np.zeros(len(lengths), np.int64)
    points = np.zeros(len(lengths), np.int64)
    seen = np.zeros(len(lengths), np.bool_)
    moved: list[npt.NDArray[np.uint64]] = []
    for number, word in enumerate(words):
        point = _bytes_equal(word, ord("."))
        before = words[number + 1] if number + 1 < len(words) else np.uint64(0)
        here = point != 0
        if not (here.any() or seen.any()):
            moved.append(word)
            continue
        points += np.bitwise_count(point)
        # All bits of the characters before the point; of a word before it, all.
        below = (point >> np.uint64(7)) - np.uint64(1)
        below = np.where(here, below, np.where(seen, _ALL_BITS, np.uint64(0)))
        kept = np.where(here, ~((below << np.uint64(8)) | np.uint64(0xFF)), ~below)
        carried = np.where(here | seen, before >> np.uint64(56), np.uint64(0))
        shifted = (word & below) << np.uint64(8)
        moved.append(np.bitwise_or((word & kept) | shifted, carried))
        after = number * _WORD + 7 - np.bitwise_count(below).astype(np.int64) // 8
        scales = np.where(here, after, scales)
        seen |= here
    counts = sizes - points
    good &= (points <= 1) & (counts > 0)
    digits = np.zeros(len(lengths), np.int64)
    for number, word in enumerate(moved):
        mine = np.clip(counts - number * _WORD, 0, _WORD)
        kept = _LAST_BYTES[mine]
        good &= are_digits(word | (_ZEROS & ~kept))
        digits += word_digits(word, mine) * _POWERS[number * _WORD]
    return digits, scales, negative, good


def _last_words(
    chunk: Chunk, sizes: npt.NDArray[np.integer], count: int
) -> list[npt.NDArray[np.uint64]]:
    """Return the last characters of each cell, eight in a word, the last word first."""
    # Padded in front: byte i of the text is byte i + 8 * count of `padded`.
    padded = np.concatenate([np.zeros(count * _WORD, np.uint8), chunk.bytes])
    ends = chunk.offsets[1:].astype(np.int64) + (count - 1) * _WORD
    return [
        words_at(padded, ends - number * _WORD)
        & _LAST_BYTES[np.clip(sizes - number * _WORD, 0, _WORD)]
        for number in range(count)
    ]


_ALL_BITS = np.uint64((1 << 64) - 1)
_LOW_BITS = np.uint64(0x7F7F7F7F7F7F7F7F)
_HIGH_HALVES = np.uint64(0xF0F0F0F0F0F0F0F0)
_ZEROS = np.uint64(0x3030303030303030)
_SIXES = np.uint64(0x0606060606060606)


def _bytes_equal(words: npt.NDArray[np.uint64], mark: int) -> npt.NDArray[np.uint64]:
    """Set the highest bit of each byte that is `mark`, and no other bit."""
    other = words ^ np.uint64(mark * 0x0101010101010101)
    return ~(((other & _LOW_BITS) + _LOW_BITS) | other | _LOW_BITS)


def are_digits(words: npt.NDArray[np.uint64]) -> Mask:
    """Mark the words of eight digits."""
    found: Mask = (words & _HIGH_HALVES) == _ZEROS
    # Six more turns what follows the nine into the next half.
    found &= ((words + _SIXES) & _HIGH_HALVES) == _ZEROS
    return found


def word_digits(
    words: npt.NDArray[np.uint64], lengths: npt.NDArray[np.integer] | None = None
) -> npt.NDArray[np.int64]:
    """
    Return the numbers in words of eight digits.

    Parameters
    ----------
    words : ndarray of uint64, shape (n,)
        The first digit is the lowest byte.
    lengths : ndarray of int, shape (n,), optional
        How many of the last characters count, 0 to 8; all without it.
    """
    # Neighbouring digits are joined to pairs, fours and eights, all cells at a time.
    value = words & np.uint64(0x0F0F0F0F0F0F0F0F)
    if lengths is not None:
        value &= _LAST_BYTES[lengths]
    value *= np.uint64(10 * (1 << 8) + 1)
    value >>= np.uint64(8)
    value &= np.uint64(0x00FF00FF00FF00FF)
    value *= np.uint64(100 * (1 << 16) + 1)
    value >>= np.uint64(16)
    value &= np.uint64(0x0000FFFF0000FFFF)
    value *= np.uint64(10000 * (1 << 32) + 1)
    value >>= np.uint64(32)
    return value.view(np.int64)
