"""Which records of one list have the key of which records of another.

The reference list is put in a table by fingerprints; the other asks it, stretch by
stretch. What is found is compared to the character afterwards, as in `cells.keys`.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.keys.equal_prints import TABLE_SPREADS
from gruff_ledger.cells.keys.fingerprints import Fingerprints
from gruff_ledger.cells.keys.same_key import (
    first_with_same_key,
    mend_accidents,
    record_fingerprints,
)
from gruff_ledger.columns.arrays import filter_column, taken, unequal
from gruff_ledger.columns.shares import in_parts, part_is_done
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Indices, Mask

# Records that ask at a time: their numbers stay in the processor's cache.
STRETCH_RECORDS = 1 << 16


class Between(NamedTuple):
    """
    Keys of n records found among those of m others.

    Attributes
    ----------
    found : ndarray of int64, shape (n,)
        For each record the first of the others with its key, or -1.
    first : ndarray of int64, shape (m,)
        For each of the others, the first of them with the same key.
    """

    found: Indices
    first: Indices


@in_parts(1, 1, 2, 1)
def found_in(
    columns: Sequence[Column],
    others: Sequence[Column],
    left_out: Mask | None = None,
    others_left_out: Mask | None = None,
) -> Between:
    """
    Find the keys of records among those of others.

    Parameters
    ----------
    columns : sequence of Column, n records each
        The keys: cells are compared exactly, so fold them first.
    others : sequence of Column, m records each
    left_out, others_left_out : ndarray of bool, shape (n,) and (m,), optional
        Records that match nothing.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> found = found_in([text_column("BAC")], [text_column("AAB")])
    >>> found.found, found.first
    (array([ 2,  0, -1]), array([0, 0, 2]))
    """
    n, m = len(columns[0]), len(others[0])
    if not m or not n:
        first = first_with_same_key(others) if m else np.zeros(0, np.int64)
        return Between(np.full(n, -1, np.int64), first)
    heads = np.arange(m, dtype=np.int64)
    if others_left_out is not None and others_left_out.any():
        heads = heads[~others_left_out]
    first = np.arange(m, dtype=np.int64)
    known = record_fingerprints(others)
    if len(heads) < m:
        known = known[heads]
    part_is_done()
    tables, repeats = print_tables(known)
    if repeats:
        first = _first_equal(others, heads, known, tables)
    part_is_done()
    found = _asked(columns, known, tables)
    part_is_done()
    if left_out is not None:
        found[left_out] = -1
    hit = found >= 0
    if len(heads) < m:
        found[hit] = heads[found[hit]]
    _mend_accidents(found, hit, columns, others, heads)
    return Between(found, first)


PrintTables = list[tuple[np.uint64, np.uint64, npt.NDArray[np.int32]]]


def print_tables(known: Fingerprints) -> tuple[PrintTables, bool]:
    """
    Put fingerprints in tables: what finds another in its place goes to the next one.

    Returns
    -------
    tables : list of (spread, shift, table of indices)
    repeats : bool
        Whether some occur more than once; the first of them stands for all.
    """
    tables: PrintTables = []
    repeats = False
    waiting = np.arange(len(known), dtype=np.int32)
    for spread in itertools.cycle(TABLE_SPREADS):
        if not len(waiting):
            break
        bits = max(8, (3 * len(waiting)).bit_length())
        shift = np.uint64(64 - bits)
        slots = (known[waiting] * spread) >> shift
        table = np.full(1 << bits, -1, np.int32)
        table[slots[::-1]] = waiting[::-1]
        tables.append((spread, shift, table))
        there = table[slots]
        is_in = known[there] == known[waiting]
        repeats |= bool((is_in & (there != waiting)).any())
        waiting = waiting[~is_in]
    return tables, repeats


def _asked(
    columns: Sequence[Column], known: Fingerprints, tables: PrintTables
) -> Indices:
    """Return for each record the index of a known fingerprint equal to its own."""

    def of_stretch(start: int) -> Indices:
        stretch = [column.slice(start, STRETCH_RECORDS) for column in columns]
        return looked_up(record_fingerprints(stretch), known, tables)

    return by_stretch(of_stretch, len(columns[0]))


def by_stretch(work: Callable[[int], Indices], n: int) -> Indices:
    """Do work on stretches of n records, in threads where there are several."""
    starts = range(0, n, STRETCH_RECORDS)
    parts = mapped(work, starts) if len(starts) > 1 else [work(at) for at in starts]
    return np.concatenate(parts) if parts else np.zeros(0, np.int64)


def looked_up(
    prints: Fingerprints, known: Fingerprints, tables: PrintTables
) -> Indices:
    """Return for each fingerprint the index of a known one equal to it, or -1."""
    some = prints
    result = np.full(len(prints), -1, np.int64)
    left: Indices | None = None
    for spread, shift, table in tables:
        # As signed numbers they are indices as they are.
        at = table.take(((some * spread) >> shift).view(np.int64))
        equal = (known.take(at, mode="wrap") == some) & (at >= 0)
        if left is None:
            result = np.where(equal, at, -1).astype(np.int64)
            left = np.flatnonzero(~equal)
        else:
            result[left[equal]] = at[equal]
            left = left[~equal]
        if not len(left):
            break
        some = prints.take(left)
    return result


def _first_equal(
    others: Sequence[Column], heads: Indices, known: Fingerprints, tables: PrintTables
) -> Indices:
    """Return for each of the others the first with its key; `heads` can have one."""

    def of_stretch(start: int) -> Indices:
        mine = known[start : start + STRETCH_RECORDS]
        return looked_up(mine, known, tables)

    first = np.arange(len(others[0]), dtype=np.int64)
    first[heads] = heads[by_stretch(of_stretch, len(heads))]
    mend_accidents(first, others)
    return first


def _mend_accidents(
    found: Indices,
    hit: Mask,
    columns: Sequence[Column],
    others: Sequence[Column],
    heads: Indices,
) -> None:
    """Take back what agrees in fingerprints only, in place."""
    if not hit.any():
        return
    wrong = np.zeros(len(found), np.bool_)
    few = 2 * int(np.count_nonzero(hit)) < len(found)
    # To compare a few in vain is less work than to leave them out.
    at = found[hit] if few else np.maximum(found, 0)
    for mine, theirs in zip(columns, others, strict=True):
        cells = filter_column(mine, hit) if few else mine
        wrong[hit] |= unequal(cells, taken(theirs, at))[slice(None) if few else hit]
    if not wrong.any():
        return
    # An accident: rarer than one in a billion lists of a million.
    places = np.flatnonzero(wrong)
    known = zip(*(taken(each, heads).to_pylist() for each in others), strict=True)
    of_key: dict[tuple[str, ...], int] = {}
    for key, head in zip(known, heads.tolist(), strict=True):
        of_key.setdefault(key, head)
    keys = zip(*(taken(each, places).to_pylist() for each in columns), strict=True)
    found[places] = [of_key.get(key, -1) for key in keys]


def occurrences(first: Indices) -> Indices:
    """
    Number the records of each group from 0, in order.

    Parameters
    ----------
    first : ndarray of int64, shape (n,)
        The first record of each one's group.

    Examples
    --------
    >>> occurrences(np.array([0, 1, 0, 0]))
    array([0, 0, 1, 2])
    """
    order = np.argsort(first, kind="stable")
    ordered = first[order]
    starts = np.ones(len(order), np.bool_)
    starts[1:] = ordered[1:] != ordered[:-1]
    at = np.arange(len(order))
    places = np.empty(len(order), np.int64)
    places[order] = at - np.maximum.accumulate(np.where(starts, at, 0))
    return places
