"""What `rollup` does.

Each list brings numbers, and for each the label down the side and the label across the
top (`sources`); a grid and a long list become the same by that. The labels of all lists
are united, side by side (`labels`): then each number has a row and a column in one cube
of rows, columns and lists, and is added up there (`cube`), once for the cells and once
for each total, so that no total is the sum of what was rounded. The result is laid out
of the cube (`layout`), and what went into each of its figures is told by the same
groups (`lineage`).

What always holds: the sum of each list, as it was read, is that of its part of the cube
and of the result; where it is not, the run is refused.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec import structs

from gruff_ledger.cells.numbers.amounts import decimal_text, read_amounts
from gruff_ledger.cells.numbers.group_figures import total_of
from gruff_ledger.columns.arrays import (
    concat_columns,
    filter_column,
    joined,
    text_column,
)
from gruff_ledger.columns.shares import in_parts, part_is_done
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.outcome import Lineage, Note, Outcome
from gruff_ledger.problems import OutOfBalance
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted, first_few
from gruff_ledger.work.together.rollup.cube import (
    Cube,
    Figures,
    figures_of,
    fill_cube,
    some_parts,
)
from gruff_ledger.work.together.rollup.labels import (
    Sides,
    notes_on_labels,
    sort_labels,
    unite_by_position,
    unite_labels,
)
from gruff_ledger.work.together.rollup.layout import (
    idle_label,
    is_there,
    lay_out,
    origins_of_rows,
)
from gruff_ledger.work.together.rollup.lineage import find_drawn
from gruff_ledger.work.together.rollup.sources import Brought, gathered
from gruff_ledger.work.together.rollup.terms import RollupTerms

__all__ = ["RollupTerms", "perform"]


# How many fields a note names.
_TOLD_FIELDS = 8


class Charted(NamedTuple):
    """What a chart of a rollup shows."""

    cube: Cube
    sides: Sides
    names: tuple[str, ...]
    terms: RollupTerms

    def across(self, source: int | None = None) -> Figures:
        """Return the figure of each label across, of all lists or of one."""
        return self._of(self.cube.column, self.cube.shape[1], source)

    def down(self, source: int | None = None) -> Figures:
        """Return the figure of each label down, of all lists or of one."""
        return self._of(self.cube.row, self.cube.shape[0], source)

    def row(self, row: int) -> Figures:
        """Return the figures of one label down."""
        values, mine = self.cube.numbers(self.cube.row == row)
        codes = self.cube.column[mine]
        return figures_of(self.terms.figure, values, codes, self.cube.shape[1])

    def _of(self, codes: Indices, size: int, source: int | None) -> Figures:
        where = None if source is None else self.cube.source == source
        values, mine = self.cube.numbers(where)
        return figures_of(self.terms.figure, values, codes[mine], size)


@in_parts(4, 1, 2, 1)
def perform(terms: RollupTerms, *tables: Table) -> Outcome:
    """
    Add lists up, label by label.

    Parameters
    ----------
    terms : RollupTerms
    *tables : Table

    Returns
    -------
    Outcome
        Its table has a record a label down, and a field a label across; its detail is
        what a chart shows. Rows of totals that are left out are set aside.

    Raises
    ------
    UnknownField
        If a list has not a field that is named.
    BadTerms
        If a list has no figures; if lists are put on each other that have not one
        shape; if the result would be beyond all measure.
    """
    got = gathered(terms, tables)
    part_is_done()
    brought, notes = got.brought, list(got.notes)
    findings = list(got.findings)
    if terms.by_position:
        sides = unite_by_position(brought, findings)
    else:
        sides = unite_labels(terms, brought)
        notes += notes_on_labels(brought, sides)
    sides = sort_labels(terms, sides)
    part_is_done()
    cube = fill_cube(terms, brought, sides)
    part_is_done()
    layout = lay_out(terms, brought, sides, cube)
    origin = origins_of_rows(brought, sides).pick(layout.rows)
    result = Table(layout.headings, layout.columns, origin, "the rollup")
    idle = idle_label(result, len(sides.down))
    if idle.any():
        result = result.keep_records(~idle)
    labels = layout.labels
    result = structs.replace(
        result,
        beneath=layout.headings[labels - 1] if terms.detail == "beneath" else "",
        figures=frozenset(layout.headings[labels:]),
    )
    carried: dict[str, tuple[int, int]] = {}
    if terms.figure == "sum":
        sums = [_source_sum(each) for each in brought]
        carried = _check_sums(terms, brought, sides, result, layout.base, sums)
        notes[:0] = _sum_notes(brought, sums)
    elif terms.figure == "count":
        notes.insert(0, _count_note(brought))
    down = len(sides.down[0]) - bool(idle.any())
    many = f"{counted(down, 'label')} down, {len(sides.across)} across"
    notes.append(Note(f"{many}, from {counted(len(brought), 'list', 'lists')}."))
    aside = sum(len(each.table) for each in got.aside)
    return Outcome(
        result,
        got.aside,
        findings=tuple(findings),
        notes=tuple(notes),
        detail=Charted(cube, sides, tuple(each.name for each in brought), terms),
        lineage=Lineage(
            summed=sum(map(len, tables)) - aside,
            carried=carried,
            renamed=(terms.aliases,) * len(tables),
            drawn=lambda: find_drawn(terms, brought, cube, layout, ~idle),
        ),
    )


def _source_sum(each: Brought) -> tuple[int, int]:
    """Return the exact sum of all numbers of a list, and its scale."""
    scale = max((numbers.amounts.scale for numbers in each.numbers), default=0)
    total = sum(
        total_of(some_parts(numbers.amounts, numbers.is_number))
        * 10 ** (scale - numbers.amounts.scale)
        for numbers in each.numbers
    )
    return total, scale


def _sum_notes(
    brought: Sequence[Brought], sums: Sequence[tuple[int, int]]
) -> list[Note]:
    scale = max(each for _, each in sums)
    total = sum(value * 10 ** (scale - mine) for value, mine in sums)
    parts = " + ".join(
        f"{each.name} {decimal_text(value, mine, mine)}"
        for each, (value, mine) in zip(brought[:8], sums[:8], strict=True)
    )
    more = f" + {len(brought) - 8} more" if len(brought) > 8 else ""
    whole = decimal_text(total, scale, scale)
    said = f"All figures add up to {whole}"
    if len(brought) > 1:
        said = f"{parts}{more} = {whole}, as in the result"
    left_out, filled, origins, cells = _count_unread(brought)
    if not left_out:
        return [Note(f"{said}.", is_headline=True)]
    are = "is not a number and is" if left_out == 1 else "are not numbers and are"
    return [
        Note(
            f"{said}; {left_out:,} of {filled:,} filled cells {are} left out.",
            "",
            origins,
            cells,
            warning=True,
            is_headline=True,
        )
    ]


def _count_unread(brought: Sequence[Brought]) -> tuple[int, int, Origin, Column]:
    """Count the filled cells that are no numbers, and all filled ones."""
    wrong = [
        (each.table, numbers.heading, numbers.is_filled & ~numbers.is_number)
        for each in brought
        for numbers in each.numbers
    ]
    filled = sum(
        int(np.count_nonzero(numbers.is_filled))
        for each in brought
        for numbers in each.numbers
    )
    count = sum(int(np.count_nonzero(mask)) for *_, mask in wrong)
    origins = [table.origin.pick(mask) for table, _, mask in wrong]
    cells = [filter_column(table.cells(name), mask) for table, name, mask in wrong]
    return count, filled, Origin.concat(origins), concat_columns(cells)


def _count_note(brought: Sequence[Brought]) -> Note:
    """Say what is counted: filled cells, whatever is in them."""
    fields = list(
        dict.fromkeys(numbers.heading for each in brought for numbers in each.numbers)
    )
    told = first_few([f"'{field}'" for field in fields], _TOLD_FIELDS)
    what = f"The filled cells of {told} are counted, numbers or not."
    return Note(what, is_headline=True)


def _check_sums(
    terms: RollupTerms,
    brought: Sequence[Brought],
    sides: Sides,
    result: Table,
    base: Sequence[int],
    sums: Sequence[tuple[int, int]],
) -> dict[str, tuple[int, int]]:
    """
    Check that the result holds what the lists brought, read anew from its cells.

    Returns
    -------
    dict
        By the heading of the lists' field, its sum in the result and the scale.
    """
    labels = len(sides.down)
    wanted = np.ones(len(result), np.bool_)
    if terms.detail == "beneath":
        there = result.cells(result.headings[labels]).to_pylist()
        wanted &= np.array([text == "" for text in there], np.bool_)
    if terms.totals in ("below", "both") and len(result):
        at = np.flatnonzero(wanted)[-1]
        wanted[at] = False
    cells = concat_columns(
        [filter_column(result.cells(result.headings[at]), wanted) for at in base]
        or [text_column(())]
    )
    amounts, _ = read_amounts(joined(cells))
    parts = amounts.values.reshape(len(base), int(np.count_nonzero(wanted)))
    per_column = [
        (total_of(amounts._replace(values=part)), amounts.scale) for part in parts
    ]
    scale = max((each for _, each in (*per_column, *sums)), default=0)
    mine = sum(value * 10 ** (scale - each) for value, each in per_column)
    theirs = sum(value * 10 ** (scale - each) for value, each in sums)
    if mine != theirs:
        raise OutOfBalance(
            f"the lists add up to {decimal_text(theirs, scale, scale)}, and the "
            f"result to {decimal_text(mine, scale, scale)}. Nothing was written.",
            "This is a fault of the program and not of the lists: please report it.",
        )
    return _carry_sums(brought, sides, per_column, scale)


def _carry_sums(
    brought: Sequence[Brought],
    sides: Sides,
    per_column: Sequence[tuple[int, int]],
    scale: int,
) -> dict[str, tuple[int, int]]:
    """Return the sum in the result of each field that columns belong to alone."""
    owners: list[set[str]] = [set() for _ in sides.across]
    for each, columns in zip(brought, sides.columns, strict=True):
        for numbers in each.numbers:
            for place in {*columns[is_there(numbers.across)].tolist()}:
                owners[place].add(numbers.heading)
    carried: dict[str, tuple[int, int]] = {}
    for owner, (value, mine) in zip(owners, per_column, strict=True):
        if len(owner) == 1:
            (heading,) = owner
            before = carried.get(heading, (0, scale))[0]
            carried[heading] = (before + value * 10 ** (scale - mine), scale)
    shared = {heading for owner in owners if len(owner) > 1 for heading in owner}
    # What a list has and did not bring is in no figure.
    for each in brought:
        shared |= {*each.table.headings} - {one.heading for one in each.numbers}
    return {key: value for key, value in carried.items() if key not in shared}
