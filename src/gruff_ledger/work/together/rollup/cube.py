"""The figures of a rollup: by row, column and list."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.numbers.amounts import Amounts, at_scale
from gruff_ledger.cells.numbers.group_figures import (
    group_counts,
    group_ends,
    group_extremes,
    group_sums,
)
from gruff_ledger.cells.numbers.wide import Integers
from gruff_ledger.columns.arrays import concat_columns, filter_column, text_column
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.problems import BadTerms
from gruff_ledger.work.together.rollup.labels import Sides
from gruff_ledger.work.together.rollup.sources import Brought, find_counted_cells
from gruff_ledger.work.together.rollup.terms import RollupTerms

TOTAL = "Total"

# More cells than this would not fit a memory.
_MOST_CELLS = 100_000_000


class Cube(NamedTuple):
    """
    All numbers of all lists: n of them.

    Attributes
    ----------
    values : Amounts
    row, column, source : ndarray of int64, shape (n,)
        Where each belongs, and the list it is from.
    shape : tuple of int
        R rows, C columns, S lists.
    texts : Column, n cells, optional
        The cells as they are written, where the figure is one of them.
    is_number : ndarray of bool, shape (n,), optional
        Which of them are numbers, where not all are.
    """

    values: Amounts
    row: Indices
    column: Indices
    source: Indices
    shape: tuple[int, int, int]
    texts: Column | None = None
    is_number: Mask | None = None

    def numbers(self, mask: Mask | None = None) -> tuple[Amounts, Mask]:
        """Return those of some that are numbers, and which they are."""
        wanted = np.ones(len(self.row), np.bool_) if mask is None else mask
        if self.is_number is not None:
            wanted = wanted & self.is_number
        return some_parts(self.values, wanted), wanted


class Figures(NamedTuple):
    """Figures of groups of numbers, and which groups have any."""

    amounts: Amounts
    there: Mask

    def part(self, start: int, stop: int) -> Figures:
        """Return some of them."""
        values, scale, divisor = self.amounts
        if divisor is not None:
            divisor = divisor[start:stop]
        return Figures(
            Amounts(values[start:stop], scale, divisor), self.there[start:stop]
        )


def fill_cube(terms: RollupTerms, brought: Sequence[Brought], sides: Sides) -> Cube:
    """Bring all numbers together, list by list."""
    shape = len(sides.down[0]), len(sides.across), len(brought)
    cells = shape[0] * shape[1] * (shape[2] if terms.detail != "none" else 1)
    if cells > _MOST_CELLS:
        raise BadTerms(
            f"the result would have {shape[0]} × {shape[1]} cells.",
            "Name label fields with fewer values.",
            term="down",
        )
    values: list[Amounts] = []
    parts: list[tuple[Indices, Indices, Indices]] = []
    texts: list[Column] = []
    are_numbers: list[Mask] = []
    for source, each in enumerate(brought):
        rows = sides.rows[source][each.down]
        for numbers in each.numbers:
            mine = find_counted_cells(terms, numbers)
            place = (rows, sides.columns[source][numbers.across])
            amounts = numbers.amounts
            if not mine.all():
                at = np.flatnonzero(mine)
                amounts = amounts._replace(values=amounts.values.take(at))
                place = (place[0].take(at), place[1].take(at))
            values.append(amounts)
            parts.append((*place, np.full(len(place[0]), source, np.int64)))
            if terms.gives_cells:
                texts.append(filter_column(each.table.cells(numbers.heading), mine))
                are_numbers.append(numbers.is_number[mine])
    scale = max((each.scale for each in values), default=0)
    whole = [at_scale(each, scale).values for each in values]
    row, column, where = (
        end_to_end([part[place] for part in parts]) for place in range(3)
    )
    cube = Cube(Amounts(end_to_end(whole), scale), row, column, where, shape)
    if not terms.gives_cells:
        return cube
    return cube._replace(
        texts=concat_columns(texts) if texts else text_column(()),
        is_number=np.concatenate([np.zeros(0, np.bool_), *are_numbers]),
    )


def end_to_end(parts: Sequence[Integers]) -> Integers:
    """Return numbers end to end."""
    if len(parts) == 1:
        return parts[0]
    return np.concatenate(parts) if parts else np.zeros(0, np.int64)


def some_parts(amounts: Amounts, mask: Mask) -> Amounts:
    """Return the amounts where a mask is true."""
    return amounts._replace(values=amounts.values[mask])


def figures_of(figure: str, values: Amounts, codes: Indices, size: int) -> Figures:
    """Work out the figure of each group, exactly."""
    counts = group_counts(codes, size)
    there = counts > 0
    if figure == "count":
        return Figures(Amounts(counts, 0), there)
    if figure in ("sum", "mean"):
        sums = group_sums(values, codes, size)
        if figure == "mean":
            sums = sums._replace(divisor=np.maximum(counts, 1))
        return Figures(sums, there)
    if figure in ("least", "greatest"):
        most = group_extremes(values, codes, size, greatest=figure == "greatest")
        return Figures(most, there)
    ends = group_ends(codes, size, last=figure == "last")
    found: Integers = np.zeros(size, values.values.dtype)
    found[there] = values.values[ends[there]]
    return Figures(Amounts(found, values.scale), there)
