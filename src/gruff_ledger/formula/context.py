"""What formulas are worked out over: reading cells as numbers, dates and texts.

A cell is read as a number or a date where one is needed. A cell that is none is a
finding, and blank there. What a branch of a CASE does not choose is no finding.
"""

from __future__ import annotations

import abc
import contextlib
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.moments import Moments
from gruff_ledger.cells.kinds import kind_of
from gruff_ledger.cells.numbers.amounts import QUOTIENT_DIGITS, Amounts
from gruff_ledger.cells.text.room import TextRoom
from gruff_ledger.columns.arrays import filter_column, text_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.formula.nodes import BadFormula, Call, Node, Place
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.formula.values import (
    ALL,
    KINDS,
    NONE,
    Cells,
    Dates,
    Nothing,
    Numbers,
    Span,
    Texts,
    Truths,
    Value,
    column_of,
    stretched,
)
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.table import Origin, Table, Writing
from gruff_ledger.written.read import read_dates, read_numbers
from gruff_ledger.written.way import Way, kind_said


class Context(abc.ABC):
    """
    The list that formulas are worked out over, and what is found and said on the way.

    Parameters
    ----------
    table : Table, n records
    outcome : str
        What becomes of a record whose cell cannot be read, for the findings:
        ``fee is blank``.
    """

    def __init__(
        self,
        table: Table,
        outcome: str = "the result is blank",
    ) -> None:
        self.table = table
        self.n = len(table)
        self.room = TextRoom(table)
        self.notes: list[Note] = []
        self._outcome = outcome
        self._becomes = f"left out: there {outcome}"
        self._wanted: Mask = ALL
        # Rules of which a note says what was left out.
        self._noted: set[str] = set()
        self._found: dict[tuple[str, str, str], tuple[Mask, Column]] = {}
        self._numbers: dict[str, tuple[Numbers, Mask]] = {}
        self._kinds: dict[str, type[Value]] = {}
        # Fields whose numbers or dates are not in the plain form.
        self._written: set[str] = set()
        self._dates: dict[str, tuple[Dates, Mask]] = {}

    @abc.abstractmethod
    def value(self, node: Node) -> Value:
        """Work out a node; see `gruff_ledger.formula.evaluate`."""

    def findings(self) -> tuple[Finding, ...]:
        """Return what was found in the records so far, rule by rule."""
        return tuple(
            Finding(
                rule,
                Severity.WARN,
                message,
                field,
                self.table.origin.pick(mask),
                filter_column(stretched(column, self.n), mask),
                is_noted=rule in self._noted,
            )
            for (rule, message, field), (mask, column) in self._found.items()
        )

    def check_readable(self, term: str) -> None:
        """
        Refuse the work where most filled cells of a field could not be read.

        Raises
        ------
        BadTerms
        """
        for (rule, _, field), (mask, column) in self._found.items():
            kind = rule.rpartition(" is a ")[2]
            if field and rule == f"{field} is a {kind}" and kind in ("number", "date"):
                self._noted.add(rule)
                blank = blank_mask(stretched(column, self.n))
                filled = self.n - int(np.count_nonzero(blank))
                self.notes[:0] = check_readable(
                    self.table, field, mask, filled, kind, term, self._becomes
                )

    @contextlib.contextmanager
    def only(self, mask: Mask) -> Iterator[None]:
        """Take note of findings only in some records."""
        before = self._wanted
        self._wanted = before & mask
        yield
        self._wanted = before

    def find(
        self, rule: str, what: str, mask: Mask, column: Column, field: str = ""
    ) -> None:
        """
        Take note of records whose cells are not fit for what is done with them.

        Parameters
        ----------
        rule : str
        what : str
            What is wrong; what becomes of the record is added.
        mask : Mask
            The records.
        column : Column
            The cells.
        field : str
            Their heading, where they are of one field.
        """
        wanted = np.broadcast_to(mask & self._wanted, self.n)
        if not wanted.any():
            return
        key = (rule, f"{what}; {self._outcome}.", field)
        before = self._found.get(key)
        if before is not None:
            wanted = wanted | before[0]
        self._found[key] = (wanted, column)

    def numbers(self, value: Value, place: Place) -> Numbers:
        """Take a value as numbers; cells that are none are blank, and findings."""
        if isinstance(value, Numbers):
            return value
        if isinstance(value, Nothing):
            return Numbers(Amounts(np.zeros(1, np.int64), 0), ALL)
        if isinstance(value, Cells):
            found, bad = self.as_numbers(value)
            if bad.any():
                name = value.field or "the value"
                self.find(
                    f"{name} is a number",
                    f"{name} is not a number{self.form_words(value)}",
                    bad,
                    value.column,
                    value.field,
                )
            return found
        raise self._unfit(value, "a number", place)

    def as_numbers(self, cells: Cells) -> tuple[Numbers, Mask]:
        """Return cells as numbers, and where they are none."""
        if cells.field not in self._numbers:
            read = read_numbers(*self._list_of(cells))
            self._take_notes(read.notes)
            bad = _not_blank(cells.column, ~read.is_number)
            (currency, *_) = (*read.currencies, "")
            found = Numbers(read.amounts, ~read.is_number, currency=currency)
            result = found, bad
            if not cells.field:
                return result
            self._numbers[cells.field] = result
            if not read.is_plain:
                self._written.add(cells.field)
        return self._numbers[cells.field]

    def _list_of(self, cells: Cells) -> tuple[Table, str]:
        """Return the list that cells are read in, and their heading there."""
        heading = cells.field
        if heading and cells.way is None:
            return self.table, heading
        heading = heading.partition("\0")[0] or "the value"
        origin = self.table.origin
        if len(cells.column) != len(origin):
            origin = Origin.counted(0, 1, len(cells.column))
        written = {} if cells.way is None else {heading: Writing((cells.way,))}
        return Table((heading,), (cells.column,), origin, written=written), heading

    def form_words(self, cells: Cells) -> str:
        """Say in which form cells are to be, where a person said it."""
        way = cells.way
        if way is None and cells.field:
            (said, *others) = self.table.writing(cells.field).ways
            way = said if isinstance(said, Way) and not others else None
        return "" if way is None else f" written as {way.words}"

    def is_written(self, cells: Cells) -> bool:
        """Whether a field holds numbers or dates, and not in their plain form."""
        if not cells.field:
            return False
        kind = self.detected(cells)
        if kind is Numbers:
            self.as_numbers(cells)
        elif kind is Dates:
            self.as_dates(cells)
        return cells.field in self._written

    def dates(self, value: Value, place: Place) -> Dates:
        """Take a value as dates; cells that are none are blank, and findings."""
        if isinstance(value, Dates):
            return value
        if isinstance(value, Nothing):
            return Dates(Moments(np.zeros(1, np.int64), NONE), ALL)
        if isinstance(value, Cells):
            found, bad = self.as_dates(value)
            if bad.any():
                name = value.field or "the value"
                self.find(
                    f"{name} is a date",
                    f"{name} is not a date{self.form_words(value)}",
                    bad,
                    value.column,
                    value.field,
                )
            return found
        raise self._unfit(value, "a date", place)

    def as_dates(self, cells: Cells) -> tuple[Dates, Mask]:
        """Return cells as dates, and where they are none."""
        if cells.field not in self._dates:
            read = read_dates(*self._list_of(cells))
            self._take_notes(read.notes)
            bad = _not_blank(cells.column, ~read.is_date)
            result = Dates(read.moments, ~read.is_date), bad
            if not cells.field:
                return result
            self._dates[cells.field] = result
            if not read.is_plain:
                self._written.add(cells.field)
        return self._dates[cells.field]

    def texts(self, value: Value, place: Place) -> Texts:
        """Take a value as texts; numbers and dates are written in their plain form."""
        if isinstance(value, Texts):
            return value
        if isinstance(value, Cells):
            return Texts(value.column, value.blank)
        if isinstance(value, Nothing):
            return Texts(text_column([""]), ALL)
        if isinstance(value, Numbers | Dates):
            values = value.amounts if isinstance(value, Numbers) else value.moments
            size = max(len(values.values), len(value.blank)) if self.n else 0
            return Texts(self.written(value, size), value.blank)
        raise self._unfit(value, "a text", place)

    def written(self, value: Value, n: int, where: Mask = ALL) -> Column:
        """Write a value as cells, and say what was rounded by that, and is used."""
        column, rounded = column_of(value, n)
        rounded = rounded & (where if len(where) == len(rounded) else ALL)
        count = int(np.count_nonzero(rounded))
        if count:
            self.say(
                f"{rounded_words(count)}.",
                "To round differently, write ROUND(..., digits, mode).",
            )
        return column

    def truths(self, value: Value, place: Place) -> Truths:
        """Take a value as a condition."""
        if isinstance(value, Truths):
            return value
        if isinstance(value, Nothing):
            return Truths(NONE, ALL)
        raise self._unfit(value, "a condition", place)

    def _unfit(self, value: Value, wanted: str, place: Place) -> BadFormula:
        kind = KINDS[type(value)]
        remedy = _REMEDIES.get((type(value), wanted))
        if isinstance(value, Cells):
            remedy = f"Compare it with something, as in {place.written} = 'yes'."
        return BadFormula(
            f"{place.written} is {kind}, and {wanted} is needed here.",
            remedy or "Correct the formula here.",
            place,
        )

    def detected(self, cells: Cells) -> type[Value]:
        """
        Tell from its cells what a field holds: numbers, dates or texts.

        It holds what more than half of its filled cells are. Whole numbers that begin
        with a zero are codes, and codes are texts.
        """
        if cells.field in self._kinds:
            return self._kinds[cells.field]
        kind = kind_of(
            cells.column,
            cells.blank,
            lambda: self.as_numbers(cells)[1],
            lambda: self.as_dates(cells)[1],
            said=kind_said(self.table, cells.field) if cells.field else "",
        )
        kinds: dict[str, type[Value]] = {"number": Numbers, "date": Dates}
        found = kinds.get(kind, Cells if kind == "blank" else Texts)
        if cells.field:
            self._kinds[cells.field] = found
        return found

    def _take_notes(self, notes: Sequence[Note]) -> None:
        """Say how a field was read, once."""
        for note in notes:
            self.say(note.what, note.remedy)

    def warn(self, what: str, remedy: str) -> None:
        """Tell the person something that may be wrong, once and before the rest."""
        note = Note(what, remedy, warning=True)
        if note not in self.notes:
            self.notes.insert(0, note)

    def say(self, what: str, remedy: str) -> None:
        """Tell the person something once."""
        note = Note(what, remedy)
        if not any(each.what == what for each in self.notes):
            self.notes.append(note)


def rounded_words(count: int) -> str:
    """Say that fractions were rounded as they were written."""
    fractions = "1 fraction does" if count == 1 else f"{count} fractions do"
    were = "was" if count == 1 else "were"
    return (
        f"{fractions} not end within {QUOTIENT_DIGITS} decimals and {were} rounded to "
        "them, half up"
    )


def _not_blank(column: Column, mask: Mask) -> Mask:
    """Leave blank cells out of those that are marked; only these are looked at."""
    if not mask.any():
        return mask
    found = np.zeros(len(mask), np.bool_)
    found[mask] = ~blank_mask(filter_column(column, mask))
    return found


_REMEDIES: dict[tuple[type, str], str] = {
    (Texts, "a number"): "Text is joined by ||; to read it as a number write "
    "CAST(... AS DECIMAL).",
    (Texts, "a date"): "Write a date as in DATE '2026-05-01', or CAST(... AS DATE).",
    (Texts, "a condition"): "Compare it with something.",
    (Numbers, "a condition"): "Compare it with something, as in length > 12.",
    (Dates, "a condition"): "Compare it with something.",
    (Dates, "a number"): "For a part of a date write EXTRACT(YEAR FROM ...), for the "
    "days between two write one minus the other.",
    (Numbers, "a date"): "To move a date write as in joined + INTERVAL '7' DAY.",
    (Span, "a number"): "An interval is added to a date, or taken from one.",
    (Span, "a text"): "An interval is added to a date, or taken from one.",
    (Truths, "a number"): "To choose a number by a condition write CASE WHEN ... END.",
    (Truths, "a text"): "To choose a text by a condition write CASE WHEN ... END.",
}


Operation = Callable[[Context, Call, Sequence[Value]], Value]
