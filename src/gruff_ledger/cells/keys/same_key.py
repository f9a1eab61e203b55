"""Which records have the same key: array work on the key fields.

Each record gets one number of 64 bits for the cells of its key. Equal keys have equal
numbers; that two others share one is an accident, once in so many records that it will
happen to somebody. So numbers only propose: the cells of every record that was found to
repeat another are compared to the character, and where they differ the records of that
number are looked at one by one.

Keys of several fields begin with the field that tells most records apart, by a sample:
often the others need no look.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.equal_prints import first_equal, places_of_repeated
from gruff_ledger.cells.keys.few_values import first_of_few
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

# Records whose fingerprints are made at a time: the numbers of a stretch stay in the
# processor's cache, and stretches are spread over threads.
_STRETCH_RECORDS = 1 << 16

# Up to so many short values are looked for one by one.
_FEW_VALUES = 8

# Records compared cell by cell at a time.
_COMPARED_RECORDS = 1 << 16

# Records looked at, at three places of a list, to see which fields tell records apart,
# and the share of distinct ones that is enough.
_SAMPLE_RECORDS = 1000
_TELLING_SHARE = 0.8

# Where there are fewer records, nothing is spared by leaving a step out.
_SMALL_LIST = 1 << 16

# Records looked at to see whether most keys occur again.
_SPREAD_SAMPLE = 1 << 13


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
    found = first_of_few(columns)
    if found is not None:
        return found
    if _most_occur_again(columns):
        # To look for those first would only take time.
        return _first_of_few(columns)
    exact = [_as_it_is] * len(columns)
    return first_at_levels(columns, exact, exact)[0]


def _most_occur_again(columns: Sequence[Column]) -> bool:
    """Whether a sample shows that there are half as many keys as records, or fewer."""
    n = len(columns[0])
    if n < 8 * _SPREAD_SAMPLE or not storage().holds_whole:
        return False
    # Here and there, for records that stand together may repeat one another oftener.
    at = np.arange(_SPREAD_SAMPLE) * (n // _SPREAD_SAMPLE)
    sample = combined([fingerprints(taken(column, at)) for column in columns])
    # Of s records of D keys that are as frequent, s² / 2D repeat another of the s.
    repeats = len(sample) - len(np.unique(sample))
    return repeats * n > len(sample) ** 2


def _as_it_is(column: Column) -> Column:
    return column


@in_parts(5, 1, 2, 1, 2, 1)
def first_at_levels(
    columns: Sequence[Column],
    fold: Sequence[Folding],
    looser: Sequence[Folding],
    left_out: Mask | None = None,
    *,
    most_repeat: bool = False,
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
    most_repeat : bool
        Whether most records are expected to match others, as those of lists about the
        same things do: then it is not looked for these first.

    Returns
    -------
    first, alike : ndarray of int64, shape (n,)
        A record that no earlier one matches has its own index.
    """
    n = len(columns[0])
    if most_repeat and n > _SMALL_LIST and storage().holds_whole:
        return _at_levels_of_all(columns, fold, looser, left_out)
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


def _at_levels_of_all(
    columns: Sequence[Column],
    fold: Sequence[Folding],
    looser: Sequence[Folding],
    left_out: Mask | None,
) -> tuple[Indices, Indices]:
    """Do what `first_at_levels` does, with all records."""
    own = np.arange(len(columns[0]), dtype=np.int64)
    some: slice | Indices = slice(None)
    if left_out is not None and left_out.any():
        columns = [filter_column(column, ~left_out) for column in columns]
        some = np.flatnonzero(~left_out)
    mine = own[some]
    first, alike = own.copy(), own.copy()
    closely = [give(column) for give, column in zip(fold, columns, strict=True)]
    part_is_done()
    first[some] = mine[_first_of_few(closely)]
    part_is_done()
    loosely = [give(column) for give, column in zip(looser, columns, strict=True)]
    if all(one is other for one, other in zip(loosely, closely, strict=True)):
        return first, first
    alike[some] = mine[_first_of_few(loosely)]
    return first, alike


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
