"""What each list brings to a rollup: labels of both sides, and numbers where they meet.

A grid has its labels in its first fields and in its headings. A long list has them in
fields, and one number a record. Both become the same: for each number the label down
the side and the label across the top.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from msgspec import structs

from gruff_ledger.cells.blank import blank_mask, is_blank
from gruff_ledger.cells.keys.distinct import Distinct, combinations, distinct
from gruff_ledger.cells.match.levels import loose
from gruff_ledger.cells.numbers.amounts import Amounts, read_amounts
from gruff_ledger.columns.arrays import filter_column, text_column
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.threads import map_whole
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import (
    expand_names,
    find_field,
    first_repeated,
    take_aliases,
)
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.outcome import Finding, Note, SetAside, Severity
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.together.rollup.terms import RollupTerms
from gruff_ledger.work.together.rollup.totals import (
    Said,
    fields_with_numbers,
    find_total_rows,
    leave_total_columns_out,
)

NO_LABEL = "no label"

# What the reader calls a field whose heading is blank.
MADE_HEADING = late_pattern(r"field \d+")

# A result of more columns than this could be read by nobody.
_MOST_ACROSS = 10_000


_PER_CENT = late_pattern(r"%|\bper ?cent(age)?\b|\bpct\b", re.IGNORECASE)


class Numbers(NamedTuple):
    """
    The numbers of one field of figures.

    Attributes
    ----------
    heading : str
    amounts : Amounts, n records
    is_number, is_filled : ndarray of bool, shape (n,)
    across : ndarray of int64, shape (n,)
        Position of the label across of each record, among those of the list.
    """

    heading: str
    amounts: Amounts
    is_number: Mask
    is_filled: Mask
    across: Indices


def find_counted_cells(terms: RollupTerms, numbers: Numbers) -> Mask:
    """Return the cells that figures are made of: numbers, or whatever is filled."""
    is_text_fit = terms.gives_cells or terms.figure == "count"
    return numbers.is_filled if is_text_fit else numbers.is_number


class Brought(NamedTuple):
    """
    What a list brings.

    Attributes
    ----------
    name : str
    table : Table, n records
        Without rows of totals that are left out.
    labels : list of Column
        The distinct labels down, a column for each label field.
    down : ndarray of int64, shape (n,)
        The label of each record, among them.
    across : list of str
        The distinct labels across.
    numbers : list of Numbers
    corner : tuple of str
        The headings of the label fields.
    is_long : bool
    """

    name: str
    table: Table
    labels: list[Column]
    down: Indices
    across: list[str]
    numbers: list[Numbers]
    corner: tuple[str, ...]
    is_long: bool


class Gathered(NamedTuple):
    """What all lists bring, and what was said and found on the way."""

    brought: list[Brought]
    aside: tuple[SetAside, ...]
    findings: tuple[Finding, ...]
    notes: tuple[Note, ...]


def gathered(terms: RollupTerms, tables: Sequence[Table]) -> Gathered:
    """
    Read labels and numbers of all lists.

    Raises
    ------
    UnknownField
        If a list has not a field that is named.
    BadTerms
        If a list has no figures, or very many labels across.
    """
    said = Said()
    brought = [_brought(terms, table, said) for table in in_turn(tables, len(tables))]
    return Gathered(brought, tuple(said.aside), tuple(said.findings), tuple(said.notes))


def _brought(terms: RollupTerms, table: Table, said: Said) -> Brought:
    table = _with_aliases(table, terms.aliases)
    down_named = expand_names(table.headings, terms.down)
    elsewhere = {*down_named, terms.across}.difference(terms.value)
    terms = structs.replace(
        terms,
        down=down_named,
        # Week * are the figures, and not a label that is named as such.
        value=tuple(
            name
            for name in expand_names(table.headings, terms.value)
            if name not in elsewhere
        ),
    )
    across = _found(table, terms.across)
    values = [found for name in terms.value if (found := _found(table, name))]
    # In a long list the figures are named; a list without them is a grid.
    is_long = len(values) == len(terms.value) > 0 and (
        terms.across is None or across is not None
    )
    if terms.across is not None and not is_long and (values or across):
        lacks = terms.across if across is None else terms.value[0]
        find_field(table, lacks, "across" if across is None else "value")
    down = _label_fields(terms, table, is_long, said)
    if not is_long:
        values = [heading for heading in table.headings if heading not in down]
        across = None
    named = [*down, *([] if across is None else [across]), *values]
    for place, heading in enumerate(named):
        if heading in named[:place]:
            raise BadTerms(
                f"the field '{heading}' of {table.name} is named twice.",
                "Let each be a label down, a label across or a figure, once.",
                term="value" if heading in values else "down",
            )
    if not values:
        raise BadTerms(
            f"{table.name} has no field of figures beside its labels.",
            "Name label fields in `down` and figures in `value`.",
            term="value" if terms.value else "down",
        )
    with_labels = [*down, *([] if across is None else [across])]
    # Each thread looks through a field of its own.
    looked = map_whole(lambda heading: distinct(table.cells(heading)), with_labels)
    labels = dict(zip(with_labels, looked, strict=True))
    out = find_total_rows(terms, table, labels, across, values, said)
    if out is not None:
        table = table.keep_records(~out)
        labels = {heading: distinct(table.cells(heading)) for heading in labels}
    if not is_long:
        values = leave_total_columns_out(terms, table, down, values, said)
        is_text_fit = terms.gives_cells or terms.figure == "count"
        if not terms.by_position and not is_text_fit:
            values = fields_with_numbers(terms, table, values, said)
    down_labels, codes = _labels(table, down, labels, values, said)
    names, positions = _across_labels(terms, table, across, labels, values, said)
    numbers = [
        _numbers(terms, table, heading, positions[place], said)
        for place, heading in enumerate(values)
    ]
    return Brought(
        table.name, table, down_labels, codes, names, numbers, tuple(down), is_long
    )


def _with_aliases(table: Table, aliases: Mapping[str, str]) -> Table:
    meant = take_aliases(table.headings, aliases, loose)
    headings = [meant.get(heading, heading) for heading in table.headings]
    twice = first_repeated(headings)
    if twice is not None:
        raise BadTerms(
            f"two fields of {table.name} would both be '{twice}'.",
            "Let no two fields of one list have the same heading.",
            term="aliases",
        )
    return table.with_headings(headings)


def _found(table: Table, name: str | None) -> str | None:
    """Return the heading that a name means, or None."""
    if name is None:
        return None
    try:
        return find_field(table, name, "value")[0]
    except UnknownField:
        return None


def _label_fields(
    terms: RollupTerms, table: Table, is_long: bool, said: Said
) -> list[str]:
    """Return the fields with the labels down; a grid's corner may have any heading."""
    down: list[str] = []
    for place, name in enumerate(terms.down):
        found = _found(table, name)
        if found is None and is_long:
            find_field(table, name, "down")
        if found is None:
            if place >= len(table.headings):
                find_field(table, name, "down")
            found = table.headings[place]
            said.notes.append(
                Note(
                    f"{table.name} has no field '{name}': the labels in "
                    f"'{found}', its field {place + 1}, were taken.",
                    "To say which field means it, use `aliases`.",
                )
            )
        down.append(found)
    if terms.down or not table.headings:
        return down
    named = {
        *(_found(table, name) for name in terms.value),
        _found(table, terms.across),
    }
    first = table.headings[0]
    if is_long:
        first = next((each for each in table.headings if each not in named), first)
    return [first]


def _labels(
    table: Table,
    down: Sequence[str],
    known: Mapping[str, Distinct],
    values: Sequence[str],
    said: Said,
) -> tuple[list[Column], Indices]:
    """Return the distinct labels down, and each record's."""
    if len(down) == 1:
        texts, codes = known[down[0]]
        labels = [list(texts)]
    else:
        rows, codes = combinations([table.cells(heading) for heading in down])
        labels = [[row[place] for row in rows] for place in range(len(down))]
    nameless = [all(map(is_blank, each)) for each in zip(*labels, strict=True)]
    blank = np.array(nameless, np.bool_)[codes] if any(nameless) else np.zeros(0, bool)
    if any(nameless):
        for place, is_nameless in enumerate(nameless):
            if is_nameless:
                labels[0][place] = NO_LABEL
        filled = [~blank_mask(table.cells(heading)) for heading in values]
        blank &= np.logical_or.reduce(filled)
    if blank.any():
        has = counted(int(blank.sum()), "record has", "records have")
        said.warn(
            f"{table.name}: {has} no label in '{down[0]}': called '{NO_LABEL}'.",
            "",
            table.keep_records(blank),
        )
    return [text_column(each) for each in labels], codes


def _across_labels(
    terms: RollupTerms,
    table: Table,
    across: str | None,
    known: Mapping[str, Distinct],
    values: Sequence[str],
    said: Said,
) -> tuple[list[str], list[Indices]]:
    """Return the distinct labels across, and those of each field of figures."""
    n = len(table)
    if across is None:
        names = list(values)
        return names, [np.full(n, place, np.int64) for place in range(len(names))]
    labels, codes = known[across]
    blank = np.array([is_blank(text) for text in labels], np.bool_)
    if blank.any():
        mask = blank[codes]
        has = counted(int(mask.sum()), "record has", "records have")
        said.warn(
            f"{table.name}: {has} no label in '{across}': called '{NO_LABEL}'.",
            "",
            table.keep_records(mask),
        )
        labels = [NO_LABEL if is_blank(text) else text for text in labels]
    if len(labels) * len(values) > _MOST_ACROSS:
        raise BadTerms(
            f"'{across}' of {table.name} has {len(labels)} different values, and the "
            f"result would have as many fields; {_MOST_ACROSS} are the most.",
            "Name a field with fewer values, or leave `across` out and name it in "
            "`down`.",
            term="across",
        )
    if len(values) == 1:
        return labels, [codes]
    names = [f"{label} {value}" for value in values for label in labels]
    return names, [codes + len(labels) * place for place in range(len(values))]


def _numbers(
    terms: RollupTerms, table: Table, heading: str, across: Indices, said: Said
) -> Numbers:
    """Read the numbers of a field; say what are none."""
    column = table.cells(heading)
    if terms.gives_cells or terms.figure == "count":
        # Cells count, whatever they mean.
        amounts, is_number = read_amounts(column)
    else:
        read = said.numbers(table, heading)
        amounts, is_number = read.amounts, read.is_number
        said.notes += read.notes
    is_filled = ~blank_mask(column)
    wrong = is_filled & ~is_number
    if wrong.any() and not (terms.gives_cells or terms.figure == "count"):
        left_out = check_readable(
            table,
            heading,
            wrong,
            int(np.count_nonzero(is_filled)),
            "number",
            "value" if terms.value else "down",
            "in no figure",
        )
        if terms.figure != "sum":
            # A sum says it in its own sentence.
            said.notes[:0] = left_out
        said.findings.append(
            Finding(
                f"{heading} is a number",
                Severity.WARN,
                f"{heading} is not a number, and is in no figure.",
                heading,
                table.origin.pick(wrong),
                filter_column(column, wrong),
                is_noted=True,
            )
        )
    if terms.figure == "sum":
        _question_per_cent(table, heading, column, said)
    return Numbers(heading, amounts, is_number, is_filled, across)


def _question_per_cent(
    table: Table,
    heading: str,
    column: Column,
    said: Said,
) -> None:
    """Ask whether percentages are meant to be added up."""
    few = column.slice(0, 100).to_pylist()
    in_cells = any(text.strip().endswith("%") for text in few)
    if in_cells or _PER_CENT.search(heading):
        said.warn(
            f"{table.name}: '{heading}' holds percentages, and they are being summed.",
            "To take their mean, give `figure mean`.",
        )
