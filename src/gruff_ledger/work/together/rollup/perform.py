"""What `rollup` does."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec import structs

from gruff_ledger.cells.keys.distinct import with_cells
from gruff_ledger.cells.keys.same_key import first_with_same_key, key_groups
from gruff_ledger.cells.match.folded_fields import folded
from gruff_ledger.cells.match.levels import LEVELS, loose
from gruff_ledger.cells.numbers.amounts import (
    Amounts,
    Integers,
    at_scale,
    decimal_text,
    read_amounts,
    subtracted,
    to_column,
)
from gruff_ledger.cells.numbers.group_figures import (
    group_counts,
    group_ends,
    group_extremes,
    group_sums,
    total_of,
)
from gruff_ledger.cells.order import code_ranks, sorted_places
from gruff_ledger.columns.arrays import (
    concat_columns,
    constant_column,
    filtered,
    joined,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import free_heading, made_headings
from gruff_ledger.outcome import Drawn, Finding, Lineage, Note, Outcome, Severity, Span
from gruff_ledger.problems import BadTerms, OutOfBalance
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted
from gruff_ledger.work.orders import Key, Ordering, ordering
from gruff_ledger.work.together.rollup.sources import (
    MADE_HEADING,
    NO_LABEL,
    Brought,
    counted_cells,
    gathered,
)
from gruff_ledger.work.together.rollup.terms import RollupTerms

__all__ = ["RollupTerms", "perform"]

TOTAL = "Total"

# How many fields a note names.
_TOLD_FIELDS = 8

# More cells than this would not fit a memory.
_MOST_CELLS = 100_000_000


class Sides(NamedTuple):
    """
    The labels of the result.

    Attributes
    ----------
    down : list of Column, R labels each
    across : list of str, C labels
    rows : list of ndarray of int64
        For each list, the row of each of its labels down.
    columns : list of ndarray of int64
        For each list, the column of each of its labels across.
    """

    down: list[Column]
    across: list[str]
    rows: list[Indices]
    columns: list[Indices]


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
        return _some(self.values, wanted), wanted


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
        return _figures(self.terms.figure, values, codes, self.cube.shape[1])

    def _of(self, codes: Indices, size: int, source: int | None) -> Figures:
        where = None if source is None else self.cube.source == source
        values, mine = self.cube.numbers(where)
        return _figures(self.terms.figure, values, codes[mine], size)


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
    brought, notes = got.brought, list(got.notes)
    findings = list(got.findings)
    if terms.by_position:
        sides = _by_position(brought, findings)
    else:
        sides = _united(terms, brought)
        notes += _label_notes(brought, sides)
    sides = _sorted(terms, sides)
    cube = _cube(terms, brought, sides)
    headings, columns, is_base = _laid_out(terms, brought, sides, cube)
    origin = _origins(brought, sides)
    rows = _row_order(terms, brought, sides, cube)
    result = Table(headings, columns, origin.pick(rows), "the rollup")
    idle = _idle_label(result, len(sides.down))
    if idle.any():
        result = result.keep_records(~idle)
    labels = len(sides.down) + (terms.detail == "beneath")
    result = structs.replace(
        result,
        beneath=headings[labels - 1] if terms.detail == "beneath" else "",
        figures=frozenset(headings[labels:]),
    )
    carried: dict[str, tuple[int, int]] = {}
    if terms.figure == "sum":
        sums = [_source_sum(each) for each in brought]
        carried = _checked(terms, brought, sides, result, is_base, sums)
        if terms.form:
            # In another form numbers are others than a control total reads.
            carried = {}
        notes[:0] = _sum_notes(brought, sums)
    elif terms.figure == "count":
        notes.insert(0, _count_note(brought))
    down = len(sides.down[0]) - bool(idle.any())
    many = f"{down} labels down, {len(sides.across)} across"
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
            drawn=lambda: _drawn(terms, brought, sides, cube, headings, ~idle),
        ),
    )


def _united(terms: RollupTerms, brought: Sequence[Brought]) -> Sides:
    """Unite the labels of all lists, in order of appearance."""
    count = len(brought[0].labels)
    for each in brought:
        if len(each.labels) != count:
            raise BadTerms(
                f"{brought[0].name} has {count} label fields, and {each.name} has "
                f"{len(each.labels)}.",
                "Name the label fields in `down`.",
                term="down",
            )
    whole = [
        concat_columns([each.labels[place] for each in brought])
        for place in range(count)
    ]
    keys = [folded(column, terms.match, or_text=True) for column in whole]
    numbers = np.zeros(0, np.int64)
    down = whole
    if len(whole[0]):
        groups = key_groups(first_with_same_key(keys))
        numbers = groups.numbers
        down = [filtered(column, groups.is_first) for column in whole]
    ends = np.cumsum([len(each.labels[0]) for each in brought])
    rows = np.split(numbers, ends[:-1])
    fold = LEVELS[terms.match]
    across: dict[str, int] = {}
    names: list[str] = []
    columns = []
    for each in brought:
        places = []
        for name in each.across:
            key = fold(name) or name
            if key not in across:
                across[key] = len(names)
                names.append(name)
            places.append(across[key])
        columns.append(np.array(places, np.int64))
    return Sides(down, names, list(rows), columns)


def _label_notes(brought: Sequence[Brought], sides: Sides) -> list[Note]:
    """Say which labels not all lists have, and which differ only loosely."""
    notes: list[Note] = []
    if sides.down and len(sides.down) == 1:
        notes += _loose_notes(sides.down[0].to_pylist(), "down")
    notes += _loose_notes(sides.across, "across")
    if len(brought) < 2:
        return notes
    for names, found, side in (
        (
            [" / ".join(each) for each in zip(*_texts(sides.down), strict=True)],
            sides.rows,
            "down",
        ),
        (sides.across, sides.columns, "across"),
    ):
        lacks = []
        for each, places in zip(brought, found, strict=True):
            there = np.zeros(len(names), np.bool_)
            there[places] = True
            out = np.flatnonzero(~there)
            if len(out):
                words = ", ".join(f"'{names[at]}'" for at in out[:4].tolist())
                more = f" and {len(out) - 4} more" if len(out) > 4 else ""
                lacks.append(f"{each.name} lacks {words}{more}")
        if lacks:
            notes.append(Note(f"Labels {side}: {'; '.join(lacks)}."))
    return notes


def _texts(columns: Sequence[Column]) -> list[list[str]]:
    return [column.to_pylist() for column in columns]


def _loose_notes(names: Sequence[str], side: str) -> list[Note]:
    """Say which labels differ only in case, spaces or Unicode."""
    by_key: dict[str, list[str]] = {}
    for name in names:
        by_key.setdefault(loose(name), []).append(name)
    pairs = [each for each in by_key.values() if len(each) > 1]
    if not pairs:
        return []
    words = ", ".join(
        " and ".join(f"'{name}'" for name in each[:3]) for each in pairs[:3]
    )
    more = f" and {len(pairs) - 3} more" if len(pairs) > 3 else ""
    return [
        Note(
            f"Labels {side} differ only in case, spaces or Unicode: {words}{more}.",
            "To make one of them, set `match` to loose.",
            warning=True,
        )
    ]


def _by_position(brought: list[Brought], findings: list[Finding]) -> Sides:
    """Put grids on each other cell by cell, and check that their labels agree."""
    first = brought[0]
    shape = len(first.table), len(first.numbers)
    for each in brought:
        if each.is_long and len(each.across) != len(each.numbers):
            raise BadTerms(
                f"{each.name} is a long list, and by position grids are added up.",
                "Leave `by-position` out.",
                term="by-position",
            )
        mine = len(each.table), len(each.numbers)
        if mine != shape:
            raise BadTerms(
                f"{each.name} has {mine[0]} rows and {mine[1]} columns of figures, and "
                f"{first.name} has {shape[0]} and {shape[1]}.",
                "By position all must have one shape; leave `by-position` out to match "
                "them by label, or see to totals with `leave-out-totals`.",
                term="by-position",
            )
    down = [taken(column, first.down) for column in first.labels]
    for place, each in enumerate(brought):
        findings += _disagreeing(first, each) if place else ()
        brought[place] = each._replace(down=np.arange(shape[0]))
    rows = [np.arange(shape[0])] * len(brought)
    columns = [np.arange(shape[1])] * len(brought)
    return Sides(down, list(first.across), rows, columns)


def _disagreeing(first: Brought, other: Brought) -> list[Finding]:
    """Find the labels of a grid that are not those of the first one."""
    findings = []
    for place, (mine, theirs) in enumerate(
        zip(first.labels, other.labels, strict=False)
    ):
        texts = taken(mine, first.down).to_pylist()
        others = taken(theirs, other.down).to_pylist()
        wrong = np.array(
            [loose(a) != loose(b) for a, b in zip(texts, others, strict=True)], np.bool_
        )
        if wrong.any():
            told = [
                f"'{b}' stands where {first.name} has '{a}'."
                for a, b, out in zip(texts, others, wrong, strict=True)
                if out
            ]
            findings.append(
                Finding(
                    "labels down agree",
                    Severity.WARN,
                    "The label is not that of the first list.",
                    other.corner[place],
                    other.table.origin.pick(wrong),
                    filtered(text_column(others), wrong),
                    text_column(told),
                )
            )
    for a, b in zip(first.across, other.across, strict=True):
        if loose(a) != loose(b):
            findings.append(
                Finding(
                    "labels across agree",
                    Severity.WARN,
                    f"The heading '{b}' stands where {first.name} has '{a}'.",
                    b,
                    other.table.origin.pick(slice(0, 1)),
                    text_column([b] * min(1, len(other.table))),
                )
            )
    return findings


def _sorted(terms: RollupTerms, sides: Sides) -> Sides:
    """Put labels in order, where that is asked."""
    down, across, rows, columns = sides
    if terms.order in ("sorted", "sorted-down"):
        places = sorted_places([(*_ranks(column), False) for column in down])
        back = _inverse(places)
        down = [taken(column, places) for column in down]
        rows = [back[each] for each in rows]
    if terms.order in ("sorted", "sorted-across"):
        places = sorted_places([(*_ranks(text_column(across)), False)])
        back = _inverse(places)
        across = [across[place] for place in places.tolist()]
        columns = [back[each] for each in columns]
    return Sides(down, across, rows, columns)


def _ranks(labels: Column) -> tuple[Indices, Mask]:
    """Rank labels as what they are: numbers, dates, or texts with numbers in them."""
    n = len(labels)
    if not n:
        return np.zeros(0, np.int64), np.zeros(0, np.bool_)
    listed = Table(("label",), (labels,), Origin.counted(0, 1, n))
    ranked: Ordering | None
    try:
        _, ranked = ordering(listed, Key("label", None, False), {}, "order")
    except BadTerms:
        ranked = None
    if ranked is None or ranked.way == "text" or ranked.last.any():
        return code_ranks(labels), np.zeros(n, np.bool_)
    return ranked.ranks, ranked.last


def _inverse(places: Indices) -> Indices:
    back = np.empty(len(places), np.int64)
    back[places] = np.arange(len(places))
    return back


def _cube(terms: RollupTerms, brought: Sequence[Brought], sides: Sides) -> Cube:
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
            mine = counted_cells(terms, numbers)
            place = (rows, sides.columns[source][numbers.across])
            amounts = numbers.amounts
            if not mine.all():
                at = np.flatnonzero(mine)
                amounts = amounts._replace(values=amounts.values.take(at))
                place = (place[0].take(at), place[1].take(at))
            values.append(amounts)
            parts.append((*place, np.full(len(place[0]), source, np.int64)))
            if terms.gives_cells:
                texts.append(filtered(each.table.cells(numbers.heading), mine))
                are_numbers.append(numbers.is_number[mine])
    scale = max((each.scale for each in values), default=0)
    whole = [at_scale(each, scale).values for each in values]
    row, column, where = (
        _end_to_end([part[place] for part in parts]) for place in range(3)
    )
    cube = Cube(Amounts(_end_to_end(whole), scale), row, column, where, shape)
    if not terms.gives_cells:
        return cube
    return cube._replace(
        texts=concat_columns(texts) if texts else text_column(()),
        is_number=np.concatenate([np.zeros(0, np.bool_), *are_numbers]),
    )


def _end_to_end(parts: Sequence[Integers]) -> Integers:
    if len(parts) == 1:
        return parts[0]
    return np.concatenate(parts) if parts else np.zeros(0, np.int64)


def _some(amounts: Amounts, mask: Mask) -> Amounts:
    return amounts._replace(values=amounts.values[mask])


def _figures(figure: str, values: Amounts, codes: Indices, size: int) -> Figures:
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


class _Grid:
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
        self._scales = scales
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
            values, row, column = _some(values, mine), row[mine], column[mine]
        rows, columns = cube.shape[:2]
        parts = [(row, column)]
        if self.below:
            parts.append((np.full(len(row), rows), column))
        if self.beside:
            parts += [(each, np.full(len(row), columns)) for each, _ in list(parts)]
        codes = np.concatenate([c * self.rows + r for r, c in parts])
        if len(parts) > 1:
            values = values._replace(values=np.tile(values.values, len(parts)))
        return _figures(self._terms.figure, values, codes, self.rows * self.columns)

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
        change = Figures(subtracted(b.amounts, a.amounts), there)
        return self._text(change, place, zero=False)

    def _text(self, part: Figures, place: int, zero: bool) -> Column:
        if self._cube.texts is not None:
            cells = concat_columns([self._cube.texts, text_column(["0", ""])])
            missing = len(cells) - 1 - zero
            at = np.where(part.there, part.amounts.values.astype(np.int64), missing)
            return taken(cells, at)
        digits = self._scales[place]
        if part.amounts.divisor is None and part.amounts.scale > digits:
            # The scale is that of the longest decimal anywhere.
            part = part._replace(amounts=_shortened(part.amounts, digits))
        column, _ = to_column(
            part.amounts, digits if self._terms.figure != "mean" else None
        )
        if zero or part.there.all():
            return column
        blank = ~part.there
        return with_cells(column, blank, constant_column("", int(blank.sum())))


def _shortened(amounts: Amounts, scale: int) -> Amounts:
    """Return numbers at a lower scale that holds them exactly."""
    unit = 10 ** (amounts.scale - scale)
    values = amounts.values
    if not (values % unit == 0).all():
        return amounts
    return Amounts(values // unit, scale)


def _scales(terms: RollupTerms, brought: Sequence[Brought], sides: Sides) -> list[int]:
    """Return for each column, and one of totals, how many decimals its numbers have."""
    found = np.zeros(len(sides.across), np.int64)
    for each, columns in zip(brought, sides.columns, strict=True):
        for numbers in each.numbers:
            if terms.figure != "count":
                places = columns[_there(numbers.across)]
                found[places] = np.maximum(found[places], numbers.amounts.scale)
    return [*found.tolist(), int(found.max(initial=0))]


def _there(codes: Indices) -> Indices:
    """Return the codes that occur, each once; they are few."""
    return np.flatnonzero(np.bincount(codes))


def _laid_out(
    terms: RollupTerms, brought: Sequence[Brought], sides: Sides, cube: Cube
) -> tuple[tuple[str, ...], tuple[Column, ...], Indices]:
    """Return headings and columns, and which of the columns hold the base figures."""
    grid = _Grid(terms, cube, _scales(terms, brought, sides))
    names = [each.name for each in brought]
    labels = list(sides.down)
    if grid.below:
        ends = [TOTAL, *([""] * (len(labels) - 1))]
        labels = [
            concat_columns([each, text_column([end])])
            for each, end in zip(labels, ends, strict=True)
        ]
    headings = _corners(terms, brought)
    across = [*sides.across, *([TOTAL] if grid.beside else [])]
    whole = grid.of()
    sources = (
        [grid.of(number) for number in range(len(brought))]
        if terms.detail != "none"
        else []
    )
    whole_texts = grid.texts(whole)
    source_texts = [grid.texts(each) for each in sources]
    columns = list(labels)
    base: list[int] = []
    if terms.detail == "beneath":
        rows = _row_order(terms, brought, sides, cube)
        kinds = _kinds(terms, brought, sides, cube)
        told = ["", *(text for name in names for text in (name, f"change to {name}"))]
        columns = [taken(each, rows) for each in labels]
        headings.append(free_heading("source", headings))
        columns.append(spread_column(told, kinds))
        at = kinds * grid.rows + rows
        for place, name in enumerate(across):
            blocks = [whole_texts[place]]
            for number, each in enumerate(sources):
                blocks.append(source_texts[number][place])
                before = sources[max(0, number - 1)]
                blocks.append(
                    grid.changes(before, each, place)
                    if terms.change
                    else constant_column("", grid.rows)
                )
            base.append(len(columns)) if place < len(sides.across) else None
            headings.append(name)
            columns.append(taken(concat_columns(blocks), at))
        return made_headings(headings)[0], tuple(columns), np.array(base, np.int64)
    for place, name in enumerate(across):
        base.append(len(columns)) if place < len(sides.across) else None
        headings.append(name)
        columns.append(whole_texts[place])
        for number, each in enumerate(sources):
            headings.append(f"{name} {names[number]}")
            columns.append(source_texts[number][place])
            if terms.change and number:
                headings.append(f"{name} change to {names[number]}")
                columns.append(grid.changes(sources[number - 1], each, place))
    return made_headings(headings)[0], tuple(columns), np.array(base, np.int64)


def _corners(terms: RollupTerms, brought: Sequence[Brought]) -> list[str]:
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


def _row_order(
    terms: RollupTerms, brought: Sequence[Brought], sides: Sides, cube: Cube
) -> Indices:
    """Return the row of each record of the result."""
    rows = cube.shape[0] + (terms.totals in ("below", "both"))
    if terms.detail != "beneath":
        return np.arange(rows)
    return _detail(terms, brought, sides, rows)[0]


def _kinds(
    terms: RollupTerms, brought: Sequence[Brought], sides: Sides, cube: Cube
) -> Indices:
    """Return what each record is: 0 for all, 2 s + 1 for list s, 2 s + 2 its change."""
    rows = cube.shape[0] + (terms.totals in ("below", "both"))
    return _detail(terms, brought, sides, rows)[1]


def _detail(
    terms: RollupTerms, brought: Sequence[Brought], sides: Sides, rows: int
) -> tuple[Indices, Indices]:
    """Return row and kind of each record, where each list's part stands beneath."""
    has = np.zeros((len(brought), rows), np.bool_)
    for number, places in enumerate(sides.rows):
        has[number, places] = True
        # A row of totals has a part of every list.
        has[number, len(sides.down[0]) :] = True
    found = [(np.arange(rows), np.zeros(rows, np.int64))]
    for number in range(len(brought)):
        mine = np.flatnonzero(has[number])
        found.append((mine, np.full(len(mine), 2 * number + 1)))
        if terms.change and number:
            both = np.flatnonzero(has[number] & has[number - 1])
            found.append((both, np.full(len(both), 2 * number + 2)))
    row = np.concatenate([each for each, _ in found])
    kind = np.concatenate([each for _, each in found])
    order = np.lexsort((kind, row))
    return row[order], kind[order]


def _origins(brought: Sequence[Brought], sides: Sides) -> Origin:
    """Return for each row, and for totals, the first record that has its label."""
    whole = Origin.concat([each.table.origin for each in brought])
    rows = np.concatenate(
        [places[each.down] for each, places in zip(brought, sides.rows, strict=True)]
    )
    if not len(rows):
        return Origin.counted(0, 1, len(sides.down[0]) + 1)
    first = group_ends(rows, len(sides.down[0]), last=False)
    return whole.pick(np.append(first, 0))


def _idle_label(table: Table, labels: int) -> Mask:
    """Mark records without a label that no list has a figure for."""
    mask = np.array(table.cells(table.headings[0]).to_pylist(), object) == NO_LABEL
    if mask.any():
        records = table.records()
        for place in np.flatnonzero(mask).tolist():
            cells = records[place][labels:]
            mask[place] = all(cell in ("", "0") for cell in cells)
    return np.asarray(mask, np.bool_)


def _drawn(
    terms: RollupTerms,
    brought: Sequence[Brought],
    sides: Sides,
    cube: Cube,
    headings: Sequence[str],
    stays: Mask,
) -> Drawn:
    """Return the records whose numbers are in the figures, in the order of the cube."""
    origins = []
    fields: dict[str, int] = {}
    codes = []
    for each in brought:
        for numbers in each.numbers:
            mine = counted_cells(terms, numbers)
            origins.append(each.table.origin.pick(mine))
            code = fields.setdefault(numbers.heading, len(fields))
            codes.append(np.full(len(origins[-1]), code, np.int64))
    at = _row_order(terms, brought, sides, cube)[stays]
    kinds = np.zeros(len(at), np.int64)
    if terms.detail == "beneath":
        kinds = _kinds(terms, brought, sides, cube)[stays]
    rows = [
        _span(row if row < cube.shape[0] else -1, kind, len(brought))
        for row, kind in zip(at.tolist(), kinds.tolist(), strict=True)
    ]
    return Drawn(
        Origin.concat(origins),
        cube.row,
        cube.column,
        cube.source,
        cube.values.values,
        cube.values.scale,
        _end_to_end(codes),
        tuple(fields),
        tuple(rows),
        _spans_across(terms, brought, sides, headings),
        figure=terms.figure,
    )


def _spans_across(
    terms: RollupTerms,
    brought: Sequence[Brought],
    sides: Sides,
    headings: Sequence[str],
) -> dict[str, Span]:
    """Return what is in each field of figures, in the order of `_laid_out`."""
    codes = [*range(len(sides.across))]
    codes += [-1] if terms.totals in ("beside", "both") else []
    kinds = [0]
    if terms.detail not in ("none", "beneath"):
        for number in range(len(brought)):
            kinds.append(2 * number + 1)
            kinds += [2 * number + 2] if terms.change and number else []
    spans = [_span(code, kind, len(brought)) for code in codes for kind in kinds]
    labels = len(headings) - len(spans)
    return dict(zip(headings[labels:], spans, strict=True))


def _span(code: int, kind: int, lists: int) -> Span:
    """Return what is in figures of one kind; see `_kinds`."""
    if not kind:
        return Span(code, 0, lists - 1)
    number = (kind - 1) // 2
    is_change = kind % 2 == 0
    return Span(code, number - is_change, number, is_change)


def _source_sum(each: Brought) -> tuple[int, int]:
    """Return the exact sum of all numbers of a list, and its scale."""
    scale = max((numbers.amounts.scale for numbers in each.numbers), default=0)
    total = sum(
        total_of(_some(numbers.amounts, numbers.is_number))
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
    left_out, filled, origins = _unread(brought)
    if not left_out:
        return [Note(f"{said}.")]
    are = "is not a number and is" if left_out == 1 else "are not numbers and are"
    return [
        Note(
            f"{said}; {left_out:,} of {filled:,} filled cells {are} left out.",
            "",
            origins,
            warning=True,
        )
    ]


def _unread(brought: Sequence[Brought]) -> tuple[int, int, Origin]:
    """Count the filled cells that are no numbers, and all filled ones."""
    wrong = [
        (each.table.origin, numbers.is_filled & ~numbers.is_number)
        for each in brought
        for numbers in each.numbers
    ]
    filled = sum(
        int(np.count_nonzero(numbers.is_filled))
        for each in brought
        for numbers in each.numbers
    )
    count = sum(int(np.count_nonzero(mask)) for _, mask in wrong)
    return count, filled, Origin.concat([origin.pick(mask) for origin, mask in wrong])


def _count_note(brought: Sequence[Brought]) -> Note:
    """Say what is counted: filled cells, whatever is in them."""
    fields = list(
        dict.fromkeys(numbers.heading for each in brought for numbers in each.numbers)
    )
    told = ", ".join(f"'{field}'" for field in fields[:_TOLD_FIELDS])
    if len(fields) > _TOLD_FIELDS:
        told += f" and {len(fields) - _TOLD_FIELDS} more"
    return Note(f"The filled cells of {told} are counted, numbers or not.")


def _checked(
    terms: RollupTerms,
    brought: Sequence[Brought],
    sides: Sides,
    result: Table,
    base: Indices,
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
        [filtered(result.cells(result.headings[at]), wanted) for at in base.tolist()]
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
    return _carried(brought, sides, per_column, scale)


def _carried(
    brought: Sequence[Brought],
    sides: Sides,
    per_column: Sequence[tuple[int, int]],
    scale: int,
) -> dict[str, tuple[int, int]]:
    """Return the sum in the result of each field that columns belong to alone."""
    owners: list[set[str]] = [set() for _ in sides.across]
    for each, columns in zip(brought, sides.columns, strict=True):
        for numbers in each.numbers:
            for place in {*columns[_there(numbers.across)].tolist()}:
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
