"""Deciding on the distinct values of a field, and spreading the decision by codes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.keys.few_values import few_values, first_places
from gruff_ledger.cells.keys.same_key import first_with_same_key, key_groups
from gruff_ledger.columns.arrays import (
    concat_columns,
    filter_column,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.columns.shares import in_parts, in_turn, part_is_done
from gruff_ledger.columns.types import Column, Indices, Mask

# Texts that a loop goes through before it tells how far it is.
_LOOP_VALUES = 20_000

# Up to this many cells Python's own dictionary is faster than sorting fingerprints.
_FEW_CELLS = 20_000


class Distinct(NamedTuple):
    """
    The distinct values of a field of n cells.

    Attributes
    ----------
    values : list of str, in order of first occurrence
    codes : ndarray of int64, shape (n,)
        Cell i holds ``values[codes[i]]``.
    """

    values: list[str]
    codes: Indices


class Rewritten(NamedTuple):
    """A field of n cells after a rewriting, with a mark on the cells that changed."""

    column: Column
    changed: Mask


def distinct(column: Column) -> Distinct:
    """
    Return the distinct values of a field, compared exactly.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> distinct(text_column(["b", "a", "b"]))
    Distinct(values=['b', 'a'], codes=array([0, 1, 0]))
    """
    if len(column) <= _FEW_CELLS:
        places: dict[str, int] = {}
        cells = column.to_pylist()
        numbers = [places.setdefault(cell, len(places)) for cell in cells]
        return Distinct(list(places), np.array(numbers, np.int64))
    values, codes = distinct_cells(column)
    return Distinct(values.to_pylist(), codes)


def distinct_cells(column: Column) -> tuple[Column, Indices]:
    """Return the distinct values of a field as a column, and codes; see `distinct`."""
    few = few_values(column)
    if few is not None:
        return few
    groups = key_groups(first_with_same_key([column]))
    return filter_column(column, groups.is_first), groups.numbers


def combinations(columns: Sequence[Column]) -> tuple[list[tuple[str, ...]], Indices]:
    """
    Return the distinct records of several fields, in order, and a code a record.

    Parameters
    ----------
    columns : sequence of Column, n cells each, at least one

    Returns
    -------
    values : list of tuple of str
    codes : ndarray of int64, shape (n,)
    """
    each = [distinct(column) for column in columns]
    codes = each[0].codes
    for other in each[1:]:
        codes = codes * max(1, len(other.values)) + other.codes
        # Numbered anew each time, so that products cannot overflow.
        codes = numbered(codes)
    firsts = first_places(codes)
    values = list(
        zip(
            *(
                [one.values[code] for code in one.codes[firsts].tolist()]
                for one in each
            ),
            strict=True,
        )
    )
    return values, codes


def numbered(values: npt.NDArray[np.int64]) -> Indices:
    """Return numbers from 0 for equal values, in order of first occurrence."""
    _, first, inverse = np.unique(values, return_index=True, return_inverse=True)
    ranks = np.empty(len(first), np.int64)
    ranks[np.argsort(first)] = np.arange(len(first))
    return ranks[inverse]


@in_parts(1, 4)
def rewrite_distinct(
    column: Column, rewrite: Callable[[str], str], candidates: Mask | None = None
) -> Rewritten:
    """
    Rewrite the cells of a field; each distinct text is looked at once.

    Parameters
    ----------
    column : Column, n cells
    rewrite : callable
        From a text to what stands in its place.
    candidates : ndarray of bool, shape (n,), optional
        The cells that the rewriting could change; the others are left alone.
    """
    changed = np.zeros(len(column), np.bool_)
    if candidates is not None and not candidates.any():
        return Rewritten(column, changed)
    some = column if candidates is None else filter_column(column, candidates)
    values, codes = distinct(some)
    part_is_done()
    new: list[str] = []
    starts = range(0, len(values), _LOOP_VALUES)
    for start in in_turn(starts, len(starts)):
        new += [rewrite(value) for value in values[start : start + _LOOP_VALUES]]
    differs = np.fromiter(
        (old != now for old, now in zip(values, new, strict=True)), np.bool_, len(new)
    )
    if not differs.any():
        return Rewritten(column, changed)
    which = differs[codes]
    if candidates is None:
        changed = which
    else:
        changed[candidates] = which
    return Rewritten(
        with_cells(column, changed, spread_column(new, codes[which])), changed
    )


def with_cells(column: Column, changed: Mask, cells: Column) -> Column:
    """
    Return a column with other cells where `changed` is true.

    Parameters
    ----------
    column : Column, n cells
    changed : ndarray of bool, shape (n,)
    cells : Column
        As many as are changed, in order.
    """
    if len(cells) == len(column):
        return cells
    if len(column) <= _FEW_CELLS:
        new = iter(cells.to_pylist())
        old = column.to_pylist()
        return text_column(
            next(new) if change else cell
            for cell, change in zip(old, changed.tolist(), strict=True)
        )
    return concat_columns(_with_cells_by_chunk(column, changed, cells))


def _with_cells_by_chunk(
    column: Column, changed: Mask, cells: Column
) -> Iterator[Column]:
    # Chunks in which nothing changes are shared, not copied.
    at = used = 0
    for chunk in column.chunks:
        mine = changed[at : at + len(chunk)]
        count = int(np.count_nonzero(mine))
        part = column.slice(at, len(chunk))
        if count:
            places = np.arange(len(chunk), dtype=np.int64)
            places[mine] = len(chunk) + np.arange(count)
            both = concat_columns([part, cells.slice(used, count)])
            part = taken(both, places)
        yield part
        at += len(chunk)
        used += count
