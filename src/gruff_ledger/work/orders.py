"""Orders as a person states them: ``quay, joined DESC, berth AS CODE``.

The words are those of the sort specification list of ISO/IEC 9075-2.
"""

from __future__ import annotations

import contextlib
import functools
import re
from collections.abc import Callable, Sequence
from typing import Any, Literal, NamedTuple, TypeVar

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.few_values import few_values
from gruff_ledger.cells.kinds import kind_of
from gruff_ledger.cells.numbers.amounts import Amounts
from gruff_ledger.cells.order import code_ranks, number_ranks, sort_places, text_ranks
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.shares import in_parts, in_turn, part_is_done
from gruff_ledger.columns.types import Indices, Mask
from gruff_ledger.field_names import find_field, first_repeated, parse_names
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import BadTerms, nearest_or_all
from gruff_ledger.table import Origin, Table
from gruff_ledger.written.ask import InDoubt
from gruff_ledger.written.read import (
    FieldDates,
    FieldNumbers,
    read_dates,
    read_numbers,
)
from gruff_ledger.written.way import kind_said

_Read = TypeVar("_Read", FieldNumbers, FieldDates)

Way = Literal["text", "code", "number", "date"]

_WAYS = ("TEXT", "CODE", "NUMBER", "DATE")

_ITEM = late_pattern(
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
                "with a comma goes in double quotes.",
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


def ordering(table: Table, key: Key, term: str) -> tuple[str, Ordering]:
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
    cells = _Cells(table, heading)
    way = key.way or _detect_way(cells)
    bad = np.zeros(len(table), np.bool_)
    if way == "number":
        amounts, bad = cells.numbers
        ranks = number_ranks(amounts)[cells.codes]
    elif way == "date":
        moments, bad = cells.dates
        ranks = moments[cells.codes]
    else:
        rank = code_ranks if way == "code" else text_ranks
        ranks = rank(cells.column)[cells.codes]
    notes += tuple(cells.notes)
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
                filter_column(table.cells(heading), bad),
                is_noted=True,
            ),
        )
    return heading, Ordering(ranks, cells.blank | bad, way, findings, notes)


class _Cells:
    """
    The cells of a field, read once however often they are asked for.

    Of a field with few values each is read once, where they are written plainly.

    Attributes
    ----------
    column : Column
        The values that `codes` gives to cells.
    codes : ndarray of int64, shape (n,), or slice
    blank : ndarray of bool, shape (n,)
    notes : list of Note
        How the field was read.
    """

    def __init__(self, table: Table, heading: str) -> None:
        whole = table.cells(heading)
        self.said = kind_said(table, heading)
        few = None if self.said else few_values(whole)
        self.column = whole
        self.codes: Indices | slice = slice(None)
        if few is not None:
            self.column, self.codes = few
        self._blank = blank_mask(self.column)
        self.blank = self._blank[self.codes]
        self.notes: list[Note] = []
        self._table, self._heading = table, heading
        origin = Origin.counted(0, 1, len(self.column))
        self._values = Table((heading,), (self.column,), origin)
        self._is_few = few is not None

    def _read(self, read: Callable[[Table, str], _Read]) -> _Read:
        """Read the values, or where they are not plain the whole field as it is."""
        if self._is_few:
            with contextlib.suppress(InDoubt):
                found = read(self._values, self._heading)
                if found.is_plain:
                    return found
            self._use_whole()
        found = read(self._table, self._heading)
        self.notes += found.notes
        return found

    def _use_whole(self) -> None:
        self.column, self.codes = self._table.cells(self._heading), slice(None)
        self._blank, self._is_few = self.blank, False

    @functools.cached_property
    def numbers(self) -> tuple[Amounts, Mask]:
        """The values as numbers, and which filled cells are none."""
        read = self._read(read_numbers)
        return read.amounts, (~read.is_number & ~self._blank)[self.codes]

    @functools.cached_property
    def dates(self) -> tuple[Indices, Mask]:
        """The values as dates, and which filled cells are none."""
        read = self._read(read_dates)
        return read.moments.values, (~read.is_date & ~self._blank)[self.codes]


def _detect_way(cells: _Cells) -> Way:
    kind = kind_of(
        cells.column,
        blank_mask(cells.column),
        lambda: cells.numbers[1],
        lambda: cells.dates[1],
        said=cells.said,
    )
    return kind if kind == "number" or kind == "date" else "text"


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
    remedy = "To order differently, write AS TEXT, AS CODE, AS NUMBER or AS DATE."
    return (Note(f"Ordered: {', '.join(told)}.", remedy, is_headline=True),)


@in_parts(3, 2, 1)
def in_order(
    table: Table, by: str, term: str
) -> tuple[Table, tuple[Finding, ...], tuple[Note, ...]]:
    """
    Put the records of a list in order.

    Parameters
    ----------
    table : Table, n records
    by : str
        The order, as a person states it.
    term : str
        What states the order, for messages.

    Raises
    ------
    UnknownField, BadTerms
        As `perform` does.
    """
    keys = parse_order(by, term)
    found = [ordering(table, key, term) for key in in_turn(keys, len(keys))]
    part_is_done()
    headings = [heading for heading, _ in found]
    twice = first_repeated(headings)
    if twice is not None:
        raise BadTerms(
            f"the field '{twice}' is named twice.", "Name it once.", term=term
        )
    orderings = [each for _, each in found]
    places = sort_places(
        [
            (each.ranks, each.last, key.descending)
            for each, key in zip(orderings, keys, strict=True)
        ]
    )
    part_is_done()
    findings: list[Finding] = []
    said: list[Note] = []
    for each in orderings:
        findings += each.findings
        said += each.notes
    said += ways_note(headings, orderings, keys)
    in_order = bool((np.diff(places) == 1).all()) if len(places) else True
    if in_order:
        said.append(Note("The records were in this order already."))
    result = table if in_order else table.in_order(places)
    return result, tuple(findings), tuple(said)
