"""Objects of a JSON list read by array work, a stretch of them at a time.

A stretch that has anything else than objects, an object with two members of one name,
or half a character, is left to be read one by one.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.numbers.plain import without_exponent
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text.weave import cut_out
from gruff_ledger.cells.text_bytes import chunk_of, words_at
from gruff_ledger.columns.arrays import replaced
from gruff_ledger.columns.types import Mask
from gruff_ledger.lists.joined_rows import remade
from gruff_ledger.lists.json.marks import (
    CLOSE,
    CLOSE_ARRAY,
    COLON,
    OPEN,
    OPEN_ARRAY,
    Bytes,
    Marks,
    Places,
)
from gruff_ledger.lists.reading import NESTED, NULL, NUMBER, TRUTH

BROKEN = (msgspec.DecodeError, RecursionError, UnicodeError)

# Kinds of values, by their first character.
KIND_OF = np.zeros(256, np.uint8)
KIND_OF[[*b"-0123456789"]] = NUMBER
KIND_OF[[*b"tf"]] = TRUTH
KIND_OF[ord("n")] = NULL
KIND_OF[[*b"[{"]] = NESTED

_IS_SPACE = np.zeros(256, np.bool_)
_IS_SPACE[[*b" \t\r\n"]] = True

# White space on a side of a value that is passed over by arrays.
_MOST_SPACE = 3

# Names that are longer, or more different ones in a stretch, are not worth the arrays.
_MOST_NAME_BYTES = 256
_MOST_NAMES = 2000

# Nor are so few objects: each field costs about as much as that many cells do.
LEAST_OBJECTS = 64

# Behind the end of the stretch, so that eight bytes can be read from any place.
_PADDING = np.full(8, ord(" "), np.uint8)
_MIXER = np.uint64(0x9E3779B97F4A7C15)

_AS_TEXT = msgspec.json.Decoder(str)
_AS_TEXTS = msgspec.json.Decoder(list[str])


class Member(msgspec.Struct, frozen=True, eq=False):
    """
    What some objects have under one name.

    Attributes
    ----------
    name : str
    cells : pyarrow.StringArray, n cells
        Blank where an object lacks it.
    kinds : ndarray of uint8, shape (n,), optional
        What the values are; None where all are texts.
    """

    name: str
    cells: Any
    kinds: Bytes | None


class Objects(msgspec.Struct, frozen=True, eq=False):
    """
    Some objects of a list, in columns.

    Attributes
    ----------
    sizes : ndarray of int, shape (n,)
        How many members each object has.
    members : list of Member
        In the order in which they are first met.
    """

    sizes: Places
    members: list[Member]


def _bounds_of_all(marks: Marks, *, by_commas: bool) -> tuple[Places, Places] | None:
    """
    Return which marks begin objects, and which end them.

    Parameters
    ----------
    marks : Marks
        Of levels 0 and 1 only.
    by_commas : bool
        Whether a comma parts an object from the next, as in an array.

    Returns
    -------
    pair of ndarray of int, or None where there is anything but objects
    """
    kinds = marks.kinds
    if ((kinds == OPEN_ARRAY) | (kinds == CLOSE_ARRAY)).any():
        return None
    begins, ends = np.flatnonzero(kinds == OPEN), np.flatnonzero(kinds == CLOSE)
    if not len(begins) or begins[0] != 0 or ends[-1] != len(kinds) - 1:
        return None
    if (begins[1:] - ends[:-1] != 1 + by_commas).any():
        return None
    return begins, ends


def objects_of(marks: Marks, *, by_commas: bool) -> Objects | None:
    """
    Read the objects of a stretch of a list.

    Parameters
    ----------
    marks : Marks
        Of whole elements of valid JSON.
    by_commas : bool
        Whether commas part them, as in an array, or nothing but white space.

    Returns
    -------
    Objects, or None where the stretch is to be read one by one
    """
    numbers = None
    if len(marks.levels) and int(marks.levels.max()) > 1:
        # What is nested stays as it is: its marks are passed over.
        numbers = np.flatnonzero(marks.levels <= 1)
        marks = marks.at(numbers)
    bounds = _bounds_of_all(marks, by_commas=by_commas)
    if bounds is None:
        return None
    begins, ends = bounds
    if len(begins) < LEAST_OBJECTS:
        return None
    sizes = (ends - begins) // 2
    colons = np.flatnonzero(marks.kinds == COLON)
    owners = np.repeat(np.arange(len(sizes)), sizes)
    names = _names(marks, colons, sizes)
    if names is None:
        return None
    codes, said = names
    values = _Values(marks, colons, numbers)
    members = []
    blanks = marks.places[begins]
    for name, which in zip(said, _by_code(codes, len(said)), strict=True):
        mine = owners[which]
        if len(mine) > 1 and (np.diff(mine) < 1).any():
            return None
        cells = values.cells(which, mine, blanks)
        if cells is None:
            return None
        members.append(Member(name, *cells))
    return Objects(sizes, members)


# Names ----------------------------------------------------------------------------


def _names(
    marks: Marks, colons: Places, sizes: Places
) -> tuple[Places, list[str]] | None:
    """
    Return the number of the name of each member, and the names.

    They are numbered as they are first met. None where there are too many.
    """
    starts = marks.quotes[marks.quotes_before[colons - 1]] + 1
    lengths = marks.quotes[marks.quotes_before[colons] - 1] - starts
    if not len(starts) or int(lengths.max()) > _MOST_NAME_BYTES:
        return None
    data = np.concatenate([marks.data, _PADDING])
    words = list(_words(data, starts, lengths))
    marked = words[0] if len(words) == 1 else words[0] * _MIXER
    for word in words[1:]:
        marked = (marked ^ word) * _MIXER
    # Most objects have the members of the first one, in its order.
    width = int(sizes[0])
    if width and (sizes == width).all():
        grid = marked.reshape(-1, width)
        if (grid == grid[0]).all() and len(np.unique(grid[0])) == width:
            codes = np.tile(np.arange(width), len(grid))
            firsts = np.arange(width)
            return _told(marks, words, codes, firsts, starts, lengths)
    _, firsts, codes = np.unique(marked, return_index=True, return_inverse=True)
    if len(firsts) > _MOST_NAMES:
        return None
    order = np.argsort(firsts)
    places = np.empty(len(order), np.int64)
    places[order] = np.arange(len(order))
    return _told(marks, words, places[codes], firsts[order], starts, lengths)


def _words(
    data: Bytes, starts: Places, lengths: Places
) -> Iterator[npt.NDArray[np.uint64]]:
    """Yield the bytes of each name by eights; behind its end they are zero."""
    longest = int(lengths.max())
    for at in range(0, max(longest, 1), 8):
        left = np.clip(lengths - at, 0, 8)
        places = np.minimum(starts + at, len(data) - 8)
        # A shift by 64 bits would be none.
        mask = (np.uint64(1) << (left % 8 * 8).astype(np.uint64)) - np.uint64(1)
        mask[left == 8] = np.uint64(0xFFFFFFFFFFFFFFFF)
        yield words_at(data, places) & mask


def _told(
    marks: Marks,
    words: list[npt.NDArray[np.uint64]],
    codes: Places,
    firsts: Places,
    starts: Places,
    lengths: Places,
) -> tuple[Places, list[str]] | None:
    """Return numbers and names, after a look at whether names are what they seem."""
    if len(words) > 1 and any((word != word[firsts][codes]).any() for word in words):
        return None
    names = []
    for first in firsts.tolist():
        start = int(starts[first]) - 1
        text = marks.data[start : start + int(lengths[first]) + 2].tobytes()
        try:
            names.append(_AS_TEXT.decode(text))
        except BROKEN:
            return None
    # One name can be written in two ways, with escapes and without.
    return (codes, names) if len(set(names)) == len(names) else None


def _by_code(codes: Places, count: int) -> Iterator[Places]:
    """Yield, for each number, the members that have it, in order."""
    if len(codes) % count == 0 and (codes.reshape(-1, count) == range(count)).all():
        for code in range(count):
            yield np.arange(code, len(codes), count)
        return
    order = np.argsort(codes.astype(np.int16), kind="stable")
    yield from np.split(order, np.cumsum(np.bincount(codes, minlength=count))[:-1])


# Values ---------------------------------------------------------------------------


class _Values:
    """The values of members, of which cells are made."""

    def __init__(self, marks: Marks, colons: Places, numbers: Places | None) -> None:
        self._marks = marks
        quotes = marks.quotes
        before, behind = marks.quotes_before[colons], marks.quotes_before[colons + 1]
        is_text = behind > before
        if numbers is not None:
            is_text &= numbers[colons + 1] - numbers[colons] == 1
        starts = quotes[np.minimum(before, len(quotes) - 1)] + 1
        ends = quotes[behind - 1]
        others = np.flatnonzero(~is_text)
        if len(others):
            low, high = marks.places[colons[others]], marks.places[colons[others] + 1]
            starts[others], ends[others] = _stripped(marks.data, low + 1, high)
        self._starts, self._ends = starts, ends
        self._kinds = np.where(is_text, 0, KIND_OF[marks.data[starts]]).astype(np.uint8)
        self._ends[self._kinds == NULL] = starts[self._kinds == NULL]
        self._escaped = np.zeros(len(colons), np.bool_)
        if len(marks.slashes):
            low, high = (np.searchsorted(marks.slashes, at) for at in (starts, ends))
            self._escaped = is_text & (low != high)

    def cells(
        self, which: Places, owners: Places, blanks: Places
    ) -> tuple[Any, Bytes | None] | None:
        """
        Return the cells of a field, and what they are.

        Parameters
        ----------
        which : ndarray of int, shape (m,)
            The members, in order.
        owners : ndarray of int, shape (m,)
            The objects they are of, each once.
        blanks : ndarray of int, shape (n,)
            A place before all values of each object.

        Returns
        -------
        tuple of StringArray and ndarray of uint8 or None
            None where a text cannot be read.
        """
        n = len(blanks)
        starts, ends = self._starts[which], self._ends[which]
        kinds, escaped = self._kinds[which], self._escaped[which]
        if len(which) < n:
            starts, ends = (
                _spread(starts, owners, blanks),
                _spread(ends, owners, blanks),
            )
            kinds = _spread(kinds, owners, np.zeros(n, np.uint8))
            escaped = _spread(escaped, owners, np.zeros(n, np.bool_))
        cells = cut_out(self._marks.data, starts, ends)
        if escaped.any():
            texts = self._decoded(starts[escaped], ends[escaped])
            if texts is None:
                return None
            cells = replaced(cells, escaped, texts)
        if not kinds.any():
            return cells, None
        return _without_exponents(cells, kinds == NUMBER), kinds

    def _decoded(self, starts: Places, ends: Places) -> list[str] | None:
        data = self._marks.data.data
        bounds = zip(starts.tolist(), ends.tolist(), strict=True)
        texts = b",".join(data[start - 1 : end + 1] for start, end in bounds)
        try:
            return _AS_TEXTS.decode(b"[" + texts + b"]")
        except BROKEN:
            return None


def _stripped(data: Bytes, starts: Places, ends: Places) -> tuple[Places, Places]:
    """Return the bounds of values without the white space around them."""
    starts, ends = starts.copy(), ends.copy()
    for _ in range(_MOST_SPACE):
        starts += _IS_SPACE[data[starts]]
        ends -= _IS_SPACE[data[ends - 1]]
    # Hardly a value has more around it; each round would look at all of them again.
    rest = _IS_SPACE[data[starts]] | _IS_SPACE[data[ends - 1]]
    for place in np.flatnonzero(rest).tolist():
        text = data[starts[place] : ends[place]].tobytes()
        starts[place] += len(text) - len(text.lstrip())
        ends[place] -= len(text) - len(text.rstrip())
    return starts, ends


def _spread(values: Any, at: Places, others: Any) -> Any:
    result = others.copy()
    result[at] = values
    return result


def _without_exponents(cells: Any, are_numbers: Mask) -> Any:
    """Return the cells with all numbers in digits; see `without_exponent`."""
    letters = chunk_of(cells).bytes | 0x20
    if not (are_numbers.any() and (letters == ord("e")).any()):
        return cells
    has_exponent = are_numbers & matching(pa.chunked_array([cells]), "[eE]")
    return remade(cells, has_exponent, without_exponent)
