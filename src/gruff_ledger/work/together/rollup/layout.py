"""Laying figures out: which row and which column shows what."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.numbers.amounts import Amounts, subtract, to_column
from gruff_ledger.cells.numbers.group_figures import group_ends
from gruff_ledger.columns.arrays import (
    concat_columns,
    emptied,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import free_heading, make_headings
from gruff_ledger.table import Origin, Table
from gruff_ledger.work.together.rollup.cube import (
    TOTAL,
    Cube,
    Figures,
    figures_of,
    some_parts,
)
from gruff_ledger.work.together.rollup.labels import Sides
from gruff_ledger.work.together.rollup.sources import MADE_HEADING, NO_LABEL, Brought
from gruff_ledger.work.together.rollup.terms import RollupTerms


class Grid:
    """Figures of a cube as columns of text, with totals where asked."""

    def __init__(self, terms: RollupTerms, cube: Cube, scales: Sequence[int]) -> None:
        self._terms = terms
        self._cube = cube
        rows, columns, sources = cube.shape
        self.below = terms.totals in ("below", "both")
        self.beside = terms.totals in ("beside", "both")
        self.rows = rows + self.below
        self.columns = columns + self.beside
        self.sources = sources
        self._find_scales = scales
        # With one scale all columns are written at once.
        self._is_even = len(set(scales[: self.columns])) == 1

    def of(self, source: int | None = None) -> Figures:
        """Return the figures of all lists or of one, column by column."""
        cube = self._cube
        values, row, column = cube.values, cube.row, cube.column
        if cube.texts is not None:
            # The figure of a group is the place of one of its cells.
            values = Amounts(np.arange(len(row), dtype=np.int64), 0)
        if source is not None:
            mine = cube.source == source
            values, row, column = some_parts(values, mine), row[mine], column[mine]
        rows, columns = cube.shape[:2]
        parts = [(row, column)]
        if self.below:
            parts.append((np.full(len(row), rows), column))
        if self.beside:
            parts += [(each, np.full(len(row), columns)) for each, _ in list(parts)]
        codes = np.concatenate([c * self.rows + r for r, c in parts])
        if len(parts) > 1:
            values = values._replace(values=np.tile(values.values, len(parts)))
        return figures_of(self._terms.figure, values, codes, self.rows * self.columns)

    def texts(self, figures: Figures) -> list[Column]:
        """Return all columns as text."""
        zero = self._terms.missing == "zero"
        if self._is_even:
            whole = self._text(figures, 0, zero)
            return [whole.slice(place * self.rows, self.rows) for place in self._all]
        return [
            self._text(
                figures.part(place * self.rows, (place + 1) * self.rows), place, zero
            )
            for place in self._all
        ]

    @property
    def _all(self) -> range:
        return range(self.columns)

    def changes(self, before: Figures, after: Figures, place: int) -> Column:
        """Return how much one column changed, blank where a figure is missing."""
        a, b = (
            each.part(place * self.rows, (place + 1) * self.rows)
            for each in (before, after)
        )
        there = a.there & b.there
        if self._terms.missing == "zero":
            there = np.ones(len(there), np.bool_)
        change = Figures(subtract(b.amounts, a.amounts), there)
        return self._text(change, place, zero=False)

    def _text(self, part: Figures, place: int, zero: bool) -> Column:
        if self._cube.texts is not None:
            cells = concat_columns([self._cube.texts, text_column(["0", ""])])
            missing = len(cells) - 1 - zero
            at = np.where(part.there, part.amounts.values.astype(np.int64), missing)
            return taken(cells, at)
        digits = self._find_scales[place]
        if part.amounts.divisor is None and part.amounts.scale > digits:
            # The scale is that of the longest decimal anywhere.
            part = part._replace(amounts=_shortened(part.amounts, digits))
        column, _ = to_column(
            part.amounts, digits if self._terms.figure != "mean" else None
        )
        if zero or part.there.all():
            return column
        return emptied(column, ~part.there)


def _shortened(amounts: Amounts, scale: int) -> Amounts:
    """Return numbers at a lower scale that holds them exactly."""
    unit = 10 ** (amounts.scale - scale)
    values = amounts.values
    if not (values % unit == 0).all():
        return amounts
    return Amounts(values // unit, scale)


def _find_scales(
    terms: RollupTerms, brought: Sequence[Brought], sides: Sides
) -> list[int]:
    """Return for each column, and one of totals, how many decimals its numbers have."""
    found = np.zeros(len(sides.across), np.int64)
    for each, columns in zip(brought, sides.columns, strict=True):
        for numbers in each.numbers:
            if terms.figure != "count":
                places = columns[is_there(numbers.across)]
                found[places] = np.maximum(found[places], numbers.amounts.scale)
    return [*found.tolist(), int(found.max(initial=0))]


def is_there(codes: Indices) -> Indices:
    """Return the codes that occur, each once; they are few."""
    return np.flatnonzero(np.bincount(codes))


class Layout(NamedTuple):
    """
    Which record and which field of the result shows what.

    A kind tells of which lists a figure is: 0 for all, 2 s + 1 for list s, 2 s + 2 for
    the change from the list before it to list s + 1.

    Attributes
    ----------
    headings : tuple of str
    columns : tuple of Column
    rows : Indices, shape (records,)
        The row of the cube each record shows; one behind the last is the totals'.
    row_kinds : Indices, shape (records,)
        The kind of its figures; 0 where kinds are told by field.
    figures : tuple of pairs of int
        For each field behind the labels the column of the cube, or -1 for the totals',
        and the kind.
    """

    headings: tuple[str, ...]
    columns: tuple[Column, ...]
    rows: Indices
    row_kinds: Indices
    figures: tuple[tuple[int, int], ...]

    @property
    def labels(self) -> int:
        """How many fields of labels stand before the figures."""
        return len(self.headings) - len(self.figures)

    @property
    def base(self) -> list[int]:
        """The fields with the figures of all lists, without that of totals."""
        shown = enumerate(self.figures, self.labels)
        return [at for at, (column, kind) in shown if column >= 0 and not kind]


class _Columns:
    """The figures of a cube as columns of text: of all lists, of each, of changes."""

    def __init__(self, terms: RollupTerms, grid: Grid, sources: int) -> None:
        self._grid = grid
        numbers = range(sources) if terms.detail != "none" else ()
        self._figures = [grid.of(number) for number in numbers]
        self._whole = grid.texts(grid.of())
        self._texts = [grid.texts(each) for each in self._figures]
        self._has_changes = terms.change

    def kinds(self) -> list[int]:
        """Return all kinds there are, in order."""
        kinds = [0]
        for number in range(len(self._figures)):
            kinds.append(2 * number + 1)
            kinds += [2 * number + 2] if self._has_changes and number else []
        return kinds

    def of(self, kind: int, place: int) -> Column:
        """Return the figures of a kind in one column."""
        if not kind:
            return self._whole[place]
        number = (kind - 1) // 2
        if kind % 2:
            return self._texts[number][place]
        before = self._figures[number - 1]
        return self._grid.changes(before, self._figures[number], place)


def lay_out(
    terms: RollupTerms, brought: Sequence[Brought], sides: Sides, cube: Cube
) -> Layout:
    """Return the result's headings and columns, and what each of them shows."""
    grid = Grid(terms, cube, _find_scales(terms, brought, sides))
    made = _Columns(terms, grid, len(brought))
    labels = list(sides.down)
    if grid.below:
        ends = [TOTAL, *([""] * (len(labels) - 1))]
        labels = [
            concat_columns([each, text_column([end])])
            for each, end in zip(labels, ends, strict=True)
        ]
    headings = _name_corners(terms, brought)
    across = [*sides.across, *([TOTAL] if grid.beside else [])]
    codes = [*range(len(sides.across)), *([-1] if grid.beside else [])]
    names = [each.name for each in brought]
    told = ["", *(text for name in names for text in (name, f"change to {name}"))]
    rows, row_kinds = np.arange(grid.rows), np.zeros(grid.rows, np.int64)
    columns, figures = list(labels), []
    kinds = made.kinds()
    if terms.detail == "beneath":
        rows, row_kinds = _rows_beneath(terms, sides, grid.rows)
        columns = [taken(each, rows) for each in labels]
        headings.append(free_heading("source", headings))
        columns.append(spread_column(told, row_kinds))
        # The blocks of kinds stand one beneath the other.
        at = np.searchsorted(kinds, row_kinds) * grid.rows + rows
        for place, name in enumerate(across):
            blocks = [made.of(kind, place) for kind in kinds]
            headings.append(name)
            columns.append(taken(concat_columns(blocks), at))
            figures.append((codes[place], 0))
    else:
        for place, name in enumerate(across):
            for kind in kinds:
                headings.append(f"{name} {told[kind]}" if kind else name)
                columns.append(made.of(kind, place))
                figures.append((codes[place], kind))
    return Layout(
        make_headings(headings)[0], tuple(columns), rows, row_kinds, tuple(figures)
    )


def _name_corners(terms: RollupTerms, brought: Sequence[Brought]) -> list[str]:
    """Return the headings of the label fields: every corner has a name."""
    found = list(brought[0].corner)
    for place, heading in enumerate(found):
        if terms.down and place < len(terms.down):
            found[place] = terms.down[place]
        elif MADE_HEADING.fullmatch(heading):
            others = [
                each.corner[place]
                for each in brought[1:]
                if not MADE_HEADING.fullmatch(each.corner[place])
            ]
            found[place] = others[0] if others else "label"
    if terms.corner is not None:
        found[0] = terms.corner
    return found


def _rows_beneath(
    terms: RollupTerms, sides: Sides, rows: int
) -> tuple[Indices, Indices]:
    """Return row and kind of each record, where each list's part stands beneath."""
    has = np.zeros((len(sides.rows), rows), np.bool_)
    for number, places in enumerate(sides.rows):
        has[number, places] = True
        # A row of totals has a part of every list.
        has[number, len(sides.down[0]) :] = True
    found = [(np.arange(rows), np.zeros(rows, np.int64))]
    for number in range(len(has)):
        mine = np.flatnonzero(has[number])
        found.append((mine, np.full(len(mine), 2 * number + 1)))
        if terms.change and number:
            both = np.flatnonzero(has[number] & has[number - 1])
            found.append((both, np.full(len(both), 2 * number + 2)))
    row = np.concatenate([each for each, _ in found])
    kind = np.concatenate([each for _, each in found])
    order = np.lexsort((kind, row))
    return row[order], kind[order]


def origins_of_rows(brought: Sequence[Brought], sides: Sides) -> Origin:
    """Return for each row, and for totals, the first record that has its label."""
    whole = Origin.concat([each.table.origin for each in brought])
    rows = np.concatenate(
        [places[each.down] for each, places in zip(brought, sides.rows, strict=True)]
    )
    if not len(rows):
        return Origin.counted(0, 1, len(sides.down[0]) + 1)
    first = group_ends(rows, len(sides.down[0]), last=False)
    return whole.pick(np.append(first, 0))


def idle_label(table: Table, labels: int) -> Mask:
    """Mark records without a label that no list has a figure for."""
    mask = np.array(table.cells(table.headings[0]).to_pylist(), object) == NO_LABEL
    if mask.any():
        records = table.records()
        for place in np.flatnonzero(mask).tolist():
            cells = records[place][labels:]
            mask[place] = all(cell in ("", "0") for cell in cells)
    return np.asarray(mask, np.bool_)
