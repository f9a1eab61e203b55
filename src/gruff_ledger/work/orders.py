"""Orders as a person states them: ``quay, joined DESC, berth AS CODE``.

The words are those of the sort specification list of ISO/IEC 9075-2.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Mapping, Sequence
from typing import Any, Literal, NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.moments import DatePattern, read_moments
from gruff_ledger.cells.keys.distinct import few_values
from gruff_ledger.cells.kinds import dates_in_figures, kind_of
from gruff_ledger.cells.numbers.amounts import Amounts, read_amounts
from gruff_ledger.cells.order import code_ranks, number_ranks, sort_places, text_ranks
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import find_field, parse_names
from gruff_ledger.formula.forms import Form, FormTerms, forms_of
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import BadTerms, nearest_or_all
from gruff_ledger.table import Table

Way = Literal["text", "code", "number", "date"]

_WAYS = ("TEXT", "CODE", "NUMBER", "DATE")

_ITEM = re.compile(
    r'\s*((?:"(?:[^"]|"")*"|[^",])+?)(?:\s+AS\s+(\w+))?(?:\s+(ASC|DESC))?\s*(?=,|\Z)',
    re.IGNORECASE,
)


class Key(NamedTuple):
    """One field of an order; its way is detected where none is stated."""

    name: str
    way: Way | None
    descending: bool


class Ordering(NamedTuple):
    """
    What a key says of n records.

    Attributes
    ----------
    ranks : ndarray of int64, shape (n,)
        Rising with the order, whatever the direction of the key.
    last : ndarray of bool, shape (n,)
        Blank cells, and those that cannot be read: they stand last.
    way : str
    findings, notes : tuple
    """

    ranks: Indices
    last: Mask
    way: Way
    findings: tuple[Finding, ...]
    notes: tuple[Note, ...]


def parse_order(text: str, term: str) -> tuple[Key, ...]:
    """
    Read an order.

    Parameters
    ----------
    text : str
        Names of fields separated by commas, each with ``AS TEXT``, ``AS CODE``,
        ``AS NUMBER`` or ``AS DATE`` and with ``ASC`` or ``DESC`` where wanted.
    term : str
        What states it, for messages.

    Raises
    ------
    BadTerms
        If it names nothing, or a way that there is not.

    Examples
    --------
    >>> parse_order("quay, berth AS CODE DESC", "by")[1]
    Key(name='berth', way='code', descending=True)
    """
    keys = []
    at = 0
    while True:
        match = _ITEM.match(text, at)
        if match is None or not match[1].strip():
            raise BadTerms(
                f"the order '{text}' cannot be read.",
                "Write fields separated by commas, as in 'quay, joined DESC'; a name "
                "with a comma stands in double quotes.",
                term=term,
            )
        way = (match[2] or "").upper()
        if way and way not in _WAYS:
            raise BadTerms(
                f"'{match[1].strip()}' cannot be ordered AS {match[2]}.",
                nearest_or_all(way, _WAYS, "ways"),
                term=term,
            )
        (name,) = parse_names(match[1])
        found: Any = way.lower() or None
        keys.append(Key(name, found, (match[3] or "").upper() == "DESC"))
        if match.end() == len(text):
            return tuple(keys)
        at = match.end() + 1


def ordering(
    table: Table, key: Key, forms: Mapping[str, Form], term: str
) -> tuple[str, Ordering]:
    """
    Rank the records of a list by one field.

    Returns
    -------
    heading : str
    ordering : Ordering

    Raises
    ------
    UnknownField
        If the list has not the field.
    BadTerms
        If it holds dates whose day and month could be read both ways.
    """
    heading, notes = find_field(table, key.name, term)
    column = table.cells(heading)
    # Of a field with few values, each is read once.
    few = few_values(column)
    values, codes = few or (column, slice(None))
    cells = _Cells(values, blank_mask(values), codes, forms.get(heading, Form()))
    way = key.way
    if way is None:
        way, said = _detected(cells, heading, term)
        notes += said
    elif way == "date" and cells.pattern is None:
        notes += _with_pattern(cells, heading, term)
    bad = np.zeros(len(table), np.bool_)
    if way == "number":
        amounts, bad = cells.numbers
        ranks = number_ranks(amounts)[codes]
    elif way == "date":
        moments, bad = cells.dates
        ranks = moments[codes]
    else:
        ranks = (code_ranks(values) if way == "code" else text_ranks(values))[codes]
    if bad.any():
        filled = len(table) - int(np.count_nonzero(cells.blank))
        left_out = check_readable(
            table, heading, bad, filled, way, term, "not in the order"
        )
        notes = left_out + notes
    findings: tuple[Finding, ...] = ()
    if bad.any():
        findings = (
            Finding(
                f"{heading} is a {way}",
                Severity.WARN,
                f"{heading} is not a {way}; the record comes last.",
                heading,
                table.origin.pick(bad),
                filter_column(column, bad),
            ),
        )
    return heading, Ordering(ranks, cells.blank | bad, way, findings, notes)


class _Cells:
    """
    The cells of a field, read once however often they are asked for.

    Parameters
    ----------
    column, blank
        Its values, each of which `codes` gives to its cells.
    """

    def __init__(
        self, column: Column, blank: Mask, codes: Indices | slice, form: Form
    ) -> None:
        self.column = column
        self._blank = blank
        self._codes = codes
        self.blank = blank[codes]
        self.form = form
        self.pattern = form.date

    @property
    def values_filled(self) -> int:
        """How many of its values are not blank."""
        return int(np.count_nonzero(~self._blank))

    @functools.cached_property
    def numbers(self) -> tuple[Amounts, Mask]:
        """The values as numbers, and which filled cells are none."""
        amounts, is_number = read_amounts(self.column, self.form.number)
        return amounts, (~is_number & ~self._blank)[self._codes]

    @functools.cached_property
    def dates(self) -> tuple[Indices, Mask]:
        """The values as dates, and which filled cells are none."""
        moments, is_date = read_moments(self.column, self.pattern)
        return moments.values, (~is_date & ~self._blank)[self._codes]


def _detected(cells: _Cells, heading: str, term: str) -> tuple[Way, tuple[Note, ...]]:
    kind = kind_of(
        cells.column,
        cells.blank,
        lambda: cells.numbers[1],
        lambda: cells.dates[1],
        number_is_stated=cells.form.states_number,
        date_is_stated=cells.form.date is not None,
    )
    if kind == "number" or kind == "date":
        return kind, ()
    forms = dates_in_figures(cells.column)
    if kind != "text" or 2 * forms.count <= cells.values_filled:
        return "text", ()
    return "date", _with_pattern(cells, heading, term)


def _with_pattern(cells: _Cells, heading: str, term: str) -> tuple[Note, ...]:
    """
    Read dates in figures by the pattern that their cells settle, where most are such.

    Raises
    ------
    BadTerms
        If they leave open which comes first, day or month.
    """
    forms = dates_in_figures(cells.column)
    if 2 * forms.count <= cells.values_filled:
        return ()
    if not forms.is_settled or " or " in forms.pattern:
        raise BadTerms(
            f"'{heading}' holds dates in which day and month could be read both ways: "
            f"{forms.pattern}.",
            f"State which in `form`, as in fields = ['{heading}'], "
            f"date = 'dd/MM/yyyy'; or order it AS TEXT in `{term}`.",
            field=heading,
        )
    # Read anew, by the pattern.
    cells.pattern = DatePattern(forms.pattern)
    cells.__dict__.pop("dates", None)
    said = f"{heading}: its dates are read by the pattern {forms.pattern}."
    return (Note(said, "To read them differently, give their `form`."),)


def ways_note(
    headings: Sequence[str], orderings: Sequence[Ordering], keys: Sequence[Key]
) -> tuple[Note, ...]:
    """Say as what each field was ordered, where that was detected."""
    nouns = {"text": "texts", "code": "codes", "number": "numbers", "date": "dates"}
    told = [
        f"{heading} as {nouns[each.way]}"
        for heading, each, key in zip(headings, orderings, keys, strict=True)
        if key.way is None
    ]
    if not told:
        return ()
    remedy = "To order otherwise, write AS TEXT, AS CODE, AS NUMBER or AS DATE."
    return (Note(f"Ordered: {', '.join(told)}.", remedy),)


def in_order(
    table: Table, by: str, form: Sequence[FormTerms], term: str
) -> tuple[Table, tuple[Finding, ...], tuple[Note, ...]]:
    """
    Put the records of a list in order.

    Parameters
    ----------
    table : Table, n records
    by : str
        The order, as a person states it.
    form : sequence of FormTerms
    term : str
        What states the order, for messages.

    Raises
    ------
    UnknownField, BadTerms
        As `perform` does.
    """
    keys = parse_order(by, term)
    forms, notes = forms_of(form, table, ())
    found = [ordering(table, key, forms, term) for key in keys]
    headings = [heading for heading, _ in found]
    for place, heading in enumerate(headings):
        if heading in headings[:place]:
            raise BadTerms(
                f"the field '{heading}' is named twice.", "Name it once.", term=term
            )
    orderings = [each for _, each in found]
    places = sort_places(
        [
            (each.ranks, each.last, key.descending)
            for each, key in zip(orderings, keys, strict=True)
        ]
    )
    findings: list[Finding] = []
    said: list[Note] = list(notes)
    for each in orderings:
        findings += each.findings
        said += each.notes
    said += ways_note(headings, orderings, keys)
    in_order = bool((np.diff(places) == 1).all()) if len(places) else True
    if in_order:
        said.append(Note("The records were in this order already."))
    result = table if in_order else table.in_order(places)
    return result, tuple(findings), tuple(said)
