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
from gruff_ledger.cells.numbers.amounts import (
    Amounts,
    at_scale,
    decimal_text,
    read_amounts,
)
from gruff_ledger.cells.numbers.forms import NumberForm
from gruff_ledger.cells.numbers.group_figures import total_of
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.totals_rows import (
    TOTAL_PATTERN,
    begins_as_total,
    is_total_record,
    is_total_word,
)
from gruff_ledger.columns.arrays import filtered, taken, text_column
from gruff_ledger.columns.threads import mapped_whole
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import expand_names, find_field, take_aliases
from gruff_ledger.formula.forms import Form, FormTerms
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.outcome import Finding, Note, SetAside, Severity
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.words import counted
from gruff_ledger.work.together.rollup.terms import RollupTerms

NO_LABEL = "no label"

# What the reader calls a field whose heading is blank.
MADE_HEADING = re.compile(r"field \d+")

# A result of more columns than this could be read by nobody.
_MOST_ACROSS = 10_000

# Fields that a message names.
_NAMED_FIELDS = 6

_PER_CENT = re.compile(r"%|\bper ?cent(age)?\b|\bpct\b", re.IGNORECASE)


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


def counted_cells(terms: RollupTerms, numbers: Numbers) -> Mask:
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


class _Said:
    """Collects what is said, found and set aside."""

    def __init__(self) -> None:
        self.aside: list[SetAside] = []
        self.findings: list[Finding] = []
        self.notes: list[Note] = []

    def warn(self, what: str, remedy: str = "", table: Table | None = None) -> None:
        origin = None if table is None else table.origin
        self.notes.append(Note(what, remedy, origin, warning=True))


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
    known = {heading for table in tables for heading in table.headings}
    known |= set(terms.aliases.values())
    for each in terms.form:
        for name in each.fields:
            if not any(loose(name) == loose(heading) for heading in known):
                raise UnknownField(
                    f"no list has a field '{name}'.", "Correct it in `form`."
                )
    said = _Said()
    brought = [_brought(terms, table, said) for table in tables]
    return Gathered(brought, tuple(said.aside), tuple(said.findings), tuple(said.notes))


def _brought(terms: RollupTerms, table: Table, said: _Said) -> Brought:
    table = _with_aliases(table, terms.aliases)
    terms = structs.replace(
        terms,
        down=expand_names(table.headings, terms.down),
        value=expand_names(table.headings, terms.value),
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
    looked = mapped_whole(lambda heading: distinct(table.cells(heading)), with_labels)
    labels = dict(zip(with_labels, looked, strict=True))
    out = _total_rows(terms, table, labels, across, values, said)
    if out is not None:
        table = table.keep_records(~out)
        labels = {heading: distinct(table.cells(heading)) for heading in labels}
    if not is_long:
        values = _without_total_columns(terms, table, down, values, said)
        is_text_fit = terms.gives_cells or terms.figure == "count"
        if not terms.by_position and not is_text_fit:
            values = _with_numbers(terms, table, values, said)
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
    for place, heading in enumerate(headings):
        if heading in headings[:place]:
            raise BadTerms(
                f"two fields of {table.name} would both be '{heading}'.",
                "Let no two fields of one list have the same heading.",
                term="aliases",
            )
    return table.with_fields(headings, table.held)


def _found(table: Table, name: str | None) -> str | None:
    """Return the heading that a name means, or None."""
    if name is None:
        return None
    try:
        return find_field(table, name, "value")[0]
    except UnknownField:
        return None


def _label_fields(
    terms: RollupTerms, table: Table, is_long: bool, said: _Said
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


def _total_rows(
    terms: RollupTerms,
    table: Table,
    labels: Mapping[str, Distinct],
    across: str | None,
    values: Sequence[str],
    said: _Said,
) -> Mask | None:
    """Point out rows of totals; return those to be left out, or None."""
    mask = np.zeros(len(table), np.bool_)
    for texts, codes in labels.values():
        words = [is_total_word(text) or begins_as_total(text) for text in texts]
        if any(words):
            mask |= np.array(words, np.bool_)[codes]
    mask |= _total_words_beside(table, labels)
    if not mask.any():
        mask = _row_of_sums(terms, table, values)
    if not mask.any():
        return None
    looks = counted(int(np.count_nonzero(mask)), "record looks", "records look")
    rows = table.keep_records(mask)
    if not terms.leave_out_totals:
        said.warn(
            f"{table.name}: {looks} like totals of the others, but "
            f"{_counted_words(len(rows))}.",
            "To leave them out, set `leave-out-totals`.",
            rows,
        )
        return None
    said.aside.append(SetAside("a row of totals", rows))
    said.notes.append(
        Note(
            f"{table.name}: {looks} like totals and "
            f"{'was' if len(rows) == 1 else 'were'} left out.",
            "",
            rows.origin,
        )
    )
    if len(rows) == 1 and across is None:
        _check_total_row(terms, table.keep_records(~mask), rows, values, said)
    return mask


def _total_words_beside(table: Table, labels: Mapping[str, Distinct]) -> Mask:
    """
    Mark rows of totals whose word stands in another field than the labels.

    Their labels are blank or numbers: a row with a name is one of what it names.
    """
    mask = np.zeros(len(table), np.bool_)
    may_be = np.ones(len(table), np.bool_)
    for texts, codes in labels.values():
        nameless = [not any(map(str.isalpha, text)) for text in texts]
        may_be &= np.array(nameless, np.bool_)[codes]
    places = np.flatnonzero(may_be)
    if not len(places):
        return mask
    found = np.zeros(len(places), np.bool_)
    for heading in table.headings:
        if heading not in labels:
            cells = taken(table.cells(heading), places)
            found |= matching(cells, TOTAL_PATTERN)
    for place in places[found].tolist():
        (record,) = table.records(place, place + 1)
        mask[place] = is_total_record(record)
    return mask


def _row_of_sums(terms: RollupTerms, table: Table, values: Sequence[str]) -> Mask:
    """Mark a last record whose figures are the sums of all above."""
    mask = np.zeros(len(table), np.bool_)
    if len(table) < 4 or terms.value:
        return mask
    for heading in values:
        amounts, is_number = read_amounts(
            table.cells(heading), _form(terms.form, heading)
        )
        own = int(amounts.values[-1])
        if not is_number[-1] or not own or total_of(amounts) != 2 * own:
            return mask
    mask[-1] = bool(values)
    return mask


def _check_total_row(
    terms: RollupTerms, rest: Table, row: Table, values: Sequence[str], said: _Said
) -> None:
    """Say where a row of totals is not what its column adds up to."""
    for heading in values:
        form = _form(terms.form, heading)
        amounts, is_number = read_amounts(row.cells(heading), form)
        if not is_number[0]:
            continue
        others, _ = read_amounts(rest.cells(heading), form)
        _compare_totals(heading, total_of(others), others.scale, amounts, row, said)


def _compare_totals(
    heading: str, total: int, scale: int, stated: Amounts, row: Table, said: _Said
) -> None:
    common = max(scale, stated.scale)
    mine = total * 10 ** (common - scale)
    theirs = int(at_scale(stated, common).values[0])
    if mine == theirs:
        return
    sums = decimal_text(mine, common, common)
    said.findings.append(
        Finding(
            f"{heading} adds up to its total",
            Severity.WARN,
            f"The total of {heading} says {decimal_text(theirs, common, common)}, and "
            f"what it is of adds up to {sums}.",
            heading,
            row.origin,
            row.cells(heading),
        )
    )


def _counted_words(count: int) -> str:
    return "was counted as a label" if count == 1 else "were counted as labels"


def _without_total_columns(
    terms: RollupTerms,
    table: Table,
    down: Sequence[str],
    values: Sequence[str],
    said: _Said,
) -> list[str]:
    """Point out columns of totals, and leave them out where asked."""
    totals = [
        heading
        for heading in values
        if is_total_word(heading) or begins_as_total(heading)
    ]
    if not totals or len(totals) == len(values):
        return list(values)
    words = ", ".join(f"'{heading}'" for heading in totals)
    words = f"the {'field' if len(totals) == 1 else 'fields'} {words}"
    if not terms.leave_out_totals:
        said.warn(
            f"{table.name}: {words} may hold totals of the others, but "
            f"{_counted_words(len(totals))}.",
            "To leave them out, set `leave-out-totals`.",
        )
        return list(values)
    rest = [heading for heading in values if heading not in totals]
    said.notes.append(Note(f"{table.name}: totals were left out: {words}."))
    if len(totals) == 1:
        _check_total_column(terms, table, rest, totals[0], said)
    return rest


def _with_numbers(
    terms: RollupTerms, table: Table, values: Sequence[str], said: _Said
) -> list[str]:
    """Leave out fields of a grid that hold texts and no number at all."""
    texts = []
    for heading in values:
        column = table.cells(heading)
        _, is_number = read_amounts(column, _form(terms.form, heading))
        if not is_number.any() and not blank_mask(column).all():
            texts.append(heading)
    if not texts or len(texts) == len(values):
        return list(values)
    words = ", ".join(f"'{heading}'" for heading in texts[:_NAMED_FIELDS])
    more = len(texts) - _NAMED_FIELDS
    tail = f" and {more} more" if more > 0 else ""
    said.warn(
        f"{table.name}: left out, as they hold no numbers: {words}{tail}.",
        "To see which cells are none, name them in `value`; to count them, set "
        "`figure` to count.",
    )
    return [heading for heading in values if heading not in texts]


def _check_total_column(
    terms: RollupTerms, table: Table, values: Sequence[str], total: str, said: _Said
) -> None:
    """Find the records whose total is not what their cells add up to."""
    stated, is_number = read_amounts(table.cells(total), _form(terms.form, total))
    read = [
        read_amounts(table.cells(heading), _form(terms.form, heading))[0]
        for heading in values
    ]
    scale = max([stated.scale, *(each.scale for each in read)])
    sums = sum(
        (at_scale(each, scale).values.astype(object) for each in read),
        np.zeros(len(table), object),
    )
    wrong = is_number & (at_scale(stated, scale).values.astype(object) != sums)
    wrong = wrong.astype(np.bool_)
    if not wrong.any():
        return
    told = [
        f"{total} says {decimal_text(int(mine), scale, scale)}, and what it is of adds "
        f"up to {decimal_text(int(theirs), scale, scale)}."
        for mine, theirs in zip(
            at_scale(stated, scale).values[wrong].tolist(),
            sums[wrong].tolist(),
            strict=True,
        )
    ]
    said.findings.append(
        Finding(
            f"{total} is the total of its record",
            Severity.WARN,
            f"{total} is not what its record adds up to.",
            total,
            table.origin.pick(wrong),
            filtered(table.cells(total), wrong),
            text_column(told),
        )
    )


def _labels(
    table: Table,
    down: Sequence[str],
    known: Mapping[str, Distinct],
    values: Sequence[str],
    said: _Said,
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
    said: _Said,
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


def _form(forms: Sequence[FormTerms], heading: str) -> NumberForm:
    fitting = [
        each
        for each in forms
        if not each.fields or any(loose(name) == loose(heading) for name in each.fields)
    ]
    if len(fitting) > 1:
        raise BadTerms(
            f"two forms are given for the field '{heading}'.",
            "Give one, or name in each the `fields` it is true of.",
            term="form",
        )
    return fitting[0].form.number if fitting else Form().number


def _numbers(
    terms: RollupTerms, table: Table, heading: str, across: Indices, said: _Said
) -> Numbers:
    """Read the numbers of a field; say what are none."""
    column = table.cells(heading)
    form = _form(terms.form, heading)
    amounts, is_number = read_amounts(column, form)
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
                filtered(column, wrong),
            )
        )
    if terms.figure == "sum":
        _question_per_cent(table, heading, column, form, wrong, said)
    return Numbers(heading, amounts, is_number, is_filled, across)


def _question_per_cent(
    table: Table,
    heading: str,
    column: Column,
    form: NumberForm,
    wrong: Mask,
    said: _Said,
) -> None:
    """Ask whether percentages are meant to be added up."""
    in_cells = form.percent
    if wrong.any() and not in_cells:
        few = filtered(column, wrong).slice(0, 100).to_pylist()
        in_cells = any(text.strip().endswith("%") for text in few)
    if in_cells or _PER_CENT.search(heading):
        said.warn(
            f"{table.name}: '{heading}' holds percentages, and they are being summed.",
            "To take their mean, set `figure` to mean.",
        )
