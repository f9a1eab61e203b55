"""Which records have the same key: array work on the key fields.

Each record gets one number of 64 bits for the cells of its key. Equal keys have equal
numbers; that two others share one is an accident, once in so many records that it will
happen to somebody. So numbers only propose: the cells of every record that was found to
repeat another are compared to the character, and where they differ the records of that
number are looked at one by one.

Equal numbers are found in a table of indices that their bits lead to: what finds an
unequal number in its place looks again by other bits, until nothing waits. That reads
and writes memory here and there, but sorts nothing. Keys of several fields begin with
the field that tells most records apart, by a sample: often the others need no look.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.fingerprints import Fingerprints, combined, fingerprints
from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.arrays import (
    filter_column,
    joined,
    spread_column,
    taken,
    text_column,
    unequal,
)
from gruff_ledger.columns.shares import in_parts, in_turn, part_is_done
from gruff_ledger.columns.storage import storage
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices, Mask

Folding = Callable[[Column], Column]

TABLE_SPREADS = tuple(
    np.uint64(spread)
    for spread in (1, 0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9)
)

# Records whose fingerprints are made at a time: the numbers of a stretch stay in the
# processor's cache, and stretches are spread over threads.
_STRETCH_RECORDS = 1 << 16

# Up to so many short values are looked for one by one.
_FEW_VALUES = 8

# From so many on, values are looked for in so many parts, by their first bits.
_PARTED_FROM = 1 << 18
_PARTS = 8
_PART_BITS = np.uint64(3)
_PART_SHIFT = np.uint64(64) - _PART_BITS

# Records compared cell by cell at a time.
_COMPARED_RECORDS = 1 << 16

# Records looked at, at three places of a list, to see which fields tell records apart,
# and the share of distinct ones that is enough.
_SAMPLE_RECORDS = 1000
_TELLING_SHARE = 0.8


def first_with_same_key(columns: Sequence[Column]) -> Indices:
    """
    For each record, return the index of the first record with the same key.

    Parameters
    ----------
    columns : sequence of Column, n records each
        The key fields; cells are compared exactly, blank ones too.

    Returns
    -------
    ndarray of int64, shape (n,)
        A record whose key occurs in no earlier record has its own index.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> first_with_same_key([text_column(["a", "b", "a", "a"])])
    array([0, 1, 0, 0])
    """
    exact = [_as_it_is] * len(columns)
    return first_at_levels(columns, exact, exact)[0]


def _as_it_is(column: Column) -> Column:
    return column


@in_parts(5, 1, 2, 1, 2, 1)
def first_at_levels(
    columns: Sequence[Column],
    fold: Sequence[Folding],
    looser: Sequence[Folding],
    left_out: Mask | None = None,
) -> tuple[Indices, Indices]:
    """
    For each record, return the first that matches it, and the first that does loosely.

    Parameters
    ----------
    columns : sequence of Column, n records each
    fold, looser : sequence of callable
        For each field, what gives its keys: equal ones match; and another one, by which
        match all that do by the first. See `gruff_ledger.cells.match.folded_fields`.
    left_out : ndarray of bool, shape (n,), optional
        Records that match nothing.

    Returns
    -------
    first, alike : ndarray of int64, shape (n,)
        A record that no earlier one matches has its own index.
    """
    n = len(columns[0])
    own = np.arange(n, dtype=np.int64)
    order = _telling_first(columns)
    telling = order.telling
    folded = [looser[place](columns[place]) for place in in_turn(telling, len(telling))]
    part_is_done()
    prints = record_fingerprints(folded)
    # What folding leaves as it is, need not be looked at anew.
    is_as_it_was = not order.others and all(
        one is columns[place] for one, place in zip(folded, telling, strict=True)
    )
    del folded
    part_is_done()
    places = places_of_repeated(prints)
    part_is_done()
    if left_out is not None:
        places = places[~left_out[places]]
    if not len(places):
        return own, own
    # From here on only the few records that may repeat one another are looked at.
    may_repeat = np.zeros(n, np.bool_)
    may_repeat[places] = True
    # The chunks left would be small ones: joined, they are quicker to go through.
    places_of = [*telling, *order.others]
    few = mapped(
        lambda place: joined(filter_column(columns[place], may_repeat)), places_of
    )
    part_is_done()
    closely = [
        fold[place](column) for column, place in zip(few, places_of, strict=True)
    ]
    first = own.copy()
    known = all(one is other for one, other in zip(closely, few, strict=True))
    within = _first_of_few(closely, prints[places] if known and is_as_it_was else None)
    first[places] = places[within]
    part_is_done()
    if known and is_as_it_was:
        return first, first
    # Of those that match, one can find others that do loosely.
    is_first = within == np.arange(len(within))
    heads = np.flatnonzero(is_first)
    heads = heads[places_of_repeated(prints[places[heads]])]
    if not len(heads):
        return first, first
    again = np.zeros(len(within), np.bool_)
    again[heads] = True
    exactly = [filter_column(column, again) for column in few]
    loosely = [
        looser[place](column) for column, place in zip(exactly, places_of, strict=True)
    ]
    if all(one is other for one, other in zip(loosely, exactly, strict=True)):
        return first, first
    alike = own.copy()
    alike[places[heads]] = places[heads][_first_of_few(loosely)]
    return first, alike[first]


def _first_of_few(
    columns: Sequence[Column], known: Fingerprints | None = None
) -> Indices:
    """Return each record's first equal among some; `known` are their fingerprints."""
    first = first_equal(record_fingerprints(columns) if known is None else known)
    mend_accidents(first, columns)
    return first


class _Order(NamedTuple):
    """Positions of the fields that tell most records apart, and of the others."""

    telling: list[int]
    others: list[int]


def _telling_first(columns: Sequence[Column]) -> _Order:
    """
    Part the fields that tell most records apart from those that need not be looked at.

    A sample decides; the others are only compared between records that agree in the
    first ones, so that a wrong choice costs time and nothing else.
    """
    n = len(columns[0])
    if len(columns) == 1 or n < 4 * _SAMPLE_RECORDS:
        return _Order(list(range(len(columns))), [])
    starts = (0, n // 2, n - _SAMPLE_RECORDS)
    samples = [
        np.concatenate(
            [fingerprints(column.slice(start, _SAMPLE_RECORDS)) for start in starts]
        )
        for column in columns
    ]
    distinct = [len(np.unique(sample)) for sample in samples]
    order = sorted(range(len(columns)), key=lambda place: -distinct[place])
    enough = _TELLING_SHARE * len(samples[0])
    for used in range(1, len(order)):
        if (
            len(np.unique(combined([samples[place] for place in order[:used]])))
            > enough
        ):
            break
    else:
        used = len(order)
    return _Order(order[:used], order[used:])


def record_fingerprints(columns: Sequence[Column]) -> Fingerprints:
    """Return one fingerprint a record of the given fields; see `fingerprints`."""
    n = len(columns[0])
    starts = range(0, n, _STRETCH_RECORDS)

    def of_stretch(start: int) -> Fingerprints:
        stretch = (column.slice(start, _STRETCH_RECORDS) for column in columns)
        return combined([fingerprints(column) for column in stretch])

    if n <= _STRETCH_RECORDS:
        return of_stretch(0)
    return np.concatenate(mapped(of_stretch, starts))


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


def mend_accidents(first: Indices, columns: Sequence[Column]) -> None:
    """Part the records whose fingerprints agree and whose cells do not, in place."""
    repeats = np.flatnonzero(first != np.arange(len(first)))
    if not len(repeats):
        return
    differs = np.zeros(len(repeats), np.bool_)
    for column in columns:
        differs |= unlike(column, repeats, first[repeats])
    if not differs.any():
        return
    # Accidents are of the order of n² / 2⁶⁵: one in a billion lists of a million.
    for start in np.unique(first[repeats[differs]]).tolist():
        members = np.flatnonzero(first == start)
        keys = zip(
            *(taken(column, members).to_pylist() for column in columns),
            strict=True,
        )
        seen: dict[tuple[str, ...], int] = {}
        for member, key in zip(members.tolist(), keys, strict=True):
            first[member] = seen.setdefault(key, member)


def unlike(column: Column, places: Indices, others: Indices) -> Mask:
    """
    Mark where the cells at some places do not hold the text of those at others.

    Parameters
    ----------
    column : Column, n cells
    places, others : ndarray of int64, shape (m,)
        Faster where both rise, mostly.

    Returns
    -------
    ndarray of bool, shape (m,)
    """
    whole = joined(column)
    # What lies in files is read from first to last, as seldom as can be.
    size = _COMPARED_RECORDS * (1 if storage().holds_whole else 4)

    # A stretch at a time, so that no two copies of all of them are held.
    def of_stretch(start: int) -> Mask:
        stretch = slice(start, start + size)
        return unequal(taken(whole, places[stretch]), taken(whole, others[stretch]))

    starts = range(0, len(places), size)
    masks = storage().each(of_stretch, starts)
    return np.concatenate([np.zeros(0, np.bool_), *masks])


def index_in(column: Column, values: Sequence[str]) -> Indices:
    """
    For each cell, return the index of the value equal to it.

    Parameters
    ----------
    column : Column, n cells
    values : sequence of str
        Of two equal ones the first is meant.

    Returns
    -------
    ndarray of int64, shape (n,)
        -1 where no value is equal to the character.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> index_in(text_column(["B", "A", "a"]), ["A", "B"])
    array([ 1,  0, -1])
    """
    distinct = list(dict.fromkeys(values))
    if not len(column) or not distinct:
        return np.full(len(column), -1, np.int64)
    prints = fingerprints(text_column(distinct))
    order = np.argsort(prints)
    ordered = prints[order]
    if (ordered[1:] == ordered[:-1]).any():
        # An accident: rarer than one in a billion lists of values.
        at = {value: values.index(value) for value in distinct}
        cells = column.to_pylist()
        return np.fromiter((at.get(cell, -1) for cell in cells), np.int64)

    sizes = [len(value.encode()) for value in distinct]
    words = len(distinct) <= _FEW_VALUES and max(sizes) <= 8

    def of_stretch(start: int) -> Indices:
        stretch = column.slice(start, _STRETCH_RECORDS)
        mine = fingerprints(stretch)
        if words:
            # Texts of one length up to eight bytes have no fingerprint in common.
            lengths = np.concatenate(
                [np.diff(chunk.offsets) for chunk in text_chunks(stretch)]
            )
            found = np.full(len(stretch), -1, np.int64)
            for place in range(len(distinct)):
                found[(mine == prints[place]) & (lengths == sizes[place])] = place
            return found
        at = np.minimum(np.searchsorted(ordered, mine), len(ordered) - 1)
        found = np.where(ordered[at] == mine, order[at], -1)
        hit = found >= 0
        value = spread_column(distinct, found[hit])
        found[hit] = np.where(
            unequal(filter_column(stretch, hit), value), -1, found[hit]
        )
        return found

    # Indices among the distinct values, as indices among all of them.
    places: dict[str, int] = {}
    for place, value in enumerate(values):
        places.setdefault(value, place)
    first = np.array([*places.values(), -1], np.int64)
    starts = range(0, len(column), _STRETCH_RECORDS)
    found: Indices = np.concatenate(mapped(of_stretch, starts))
    return np.asarray(first[found], np.int64)


def blank_key_mask(columns: Sequence[Column]) -> Mask:
    """Mark the records with a blank in any of the key fields."""
    masks = [blank_mask(column) for column in columns]
    return np.logical_or.reduce(masks) if masks else np.zeros(0, np.bool_)


class KeyGroups(NamedTuple):
    """
    The g groups of n records with the same key, in the order of their first records.

    Attributes
    ----------
    is_first : ndarray of bool, shape (n,)
        Whether a record is the first of its group.
    numbers : ndarray of int64, shape (n,)
        The group of each record, counted from 0.
    """

    is_first: Mask
    numbers: Indices

    @property
    def firsts(self) -> Indices:
        """The first record of each group."""
        return np.flatnonzero(self.is_first)

    @property
    def sizes(self) -> Indices:
        """How many records each group has."""
        groups = int(np.count_nonzero(self.is_first))
        return np.bincount(self.numbers, minlength=groups)


def key_groups(first: npt.NDArray[np.int64]) -> KeyGroups:
    """
    Number the groups of records with the same key.

    Parameters
    ----------
    first : ndarray of int64, shape (n,)
        See `first_with_same_key`.

    Examples
    --------
    >>> key_groups(np.array([0, 1, 0, 3])).numbers
    array([0, 1, 0, 2])
    """
    is_first = first == np.arange(len(first))
    return KeyGroups(is_first, (np.cumsum(is_first) - 1)[first])


def group_sizes(first: npt.NDArray[np.int64]) -> Indices:
    """For each record, return how many records share its key, itself among them."""
    return np.bincount(first, minlength=len(first))[first].astype(np.int64)
