"""Working out a formula over a whole list, field by field.

A cell is read as a number or a date where one is needed. A cell that is none is a
finding, and blank there. What a branch of a CASE does not choose is no finding.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np

from gruff_ledger.cells.amounts import Amounts, TooLong, constant, read_amounts
from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.kinds import kind_of
from gruff_ledger.cells.moments import DatePattern, Moments, read_moments
from gruff_ledger.cells.number_form import PLAIN, NumberForm
from gruff_ledger.formula.nodes import (
    BadFormula,
    Call,
    Case,
    Chain,
    DateLiteral,
    Field,
    Interval,
    Literal,
    Node,
    Place,
)
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
    texts_of,
)
from gruff_ledger.naming import find_field
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import UnknownField
from gruff_ledger.table import Column, Mask, Table, filtered, text_column


class Evaluation:
    """
    The working out of formulas over one list.

    Parameters
    ----------
    table : Table, n records
    forms : mapping
        By heading, how numbers and dates are written, where that was stated.
    outcome : str
        What becomes of a record whose cell cannot be read, for the findings:
        ``fee is blank``.
    """

    def __init__(
        self,
        table: Table,
        forms: Mapping[str, tuple[NumberForm, DatePattern | None]] | None = None,
        outcome: str = "the result is blank",
    ) -> None:
        self.table = table
        self.n = len(table)
        self.notes: list[Note] = []
        self._forms = forms or {}
        self._outcome = outcome
        self._wanted: Mask = ALL
        self._found: dict[tuple[str, str, str], tuple[Mask, Column]] = {}
        self._cells: dict[str, Cells] = {}
        self._numbers: dict[str, tuple[Numbers, Mask]] = {}
        self._kinds: dict[str, type[Value]] = {}
        self._dates: dict[str, tuple[Dates, Mask]] = {}

    def findings(self) -> tuple[Finding, ...]:
        """Return what was found in the records so far, rule by rule."""
        return tuple(
            Finding(
                rule,
                Severity.WARN,
                message,
                field,
                self.table.origin.pick(mask),
                filtered(stretched(column, self.n), mask),
            )
            for (rule, message, field), (mask, column) in self._found.items()
        )

    def value(self, node: Node) -> Value:
        """
        Work out a node.

        Raises
        ------
        BadFormula
            If a value is of a kind that is not fit for what is done with it.
        UnknownField
            If a field is named that the list does not have.
        """
        if isinstance(node, Literal):
            return self._literal(node)
        if isinstance(node, Field):
            return self._field(node)
        if isinstance(node, Case):
            return self._case(node)
        try:
            if isinstance(node, Chain):
                from gruff_ledger.formula.operators import chained

                return chained(self, node)
            from gruff_ledger.formula.functions import called

            return called(self, node)
        except TooLong:
            raise BadFormula(
                "a number would have more than a thousand digits here.",
                "Correct the formula, or the field that holds such numbers.",
                node.place,
            ) from None

    def _literal(self, node: Literal) -> Value:
        value = node.value
        if value is None:
            return Nothing()
        if isinstance(value, bool):
            return Truths(ALL if value else NONE, NONE)
        if isinstance(value, str):
            return texts_of([value])
        if isinstance(value, DateLiteral):
            moments = Moments(np.array([value.value]), np.array([value.timed]))
            return Dates(moments, NONE)
        if isinstance(value, Interval):
            return Span(value)
        return Numbers(constant(value), NONE)

    def _field(self, node: Field) -> Cells:
        try:
            heading, said = find_field(self.table, node.name, "formula")
        except UnknownField as problem:
            raise BadFormula(problem.what, problem.remedy, node.place) from None
        self.notes += [note for note in said if note not in self.notes]
        if heading not in self._cells:
            column = self.table.column(heading)
            number, date = self._forms.get(heading, (PLAIN, None))
            self._cells[heading] = Cells(
                column, blank_mask(column), heading, number, date
            )
        return self._cells[heading]

    def _case(self, node: Case) -> Value:
        from gruff_ledger.formula.merging import merged

        left: Mask = np.ones(self.n, np.bool_)
        parts: list[tuple[Mask, Value, Place]] = []
        for condition, chosen in node.whens:
            with self.only(left):
                holds = left & self.truths(self.value(condition), condition.place).true
            with self.only(holds):
                parts.append((holds, self.value(chosen), chosen.place))
            left = left & ~holds
        with self.only(left):
            otherwise = self.value(node.otherwise)
        parts.append((left, otherwise, node.otherwise.place))
        return merged(self, parts)

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
                form = "" if value.number == PLAIN else " in the form stated"
                self.find(
                    f"{name} is a number",
                    f"{name} is not a number{form}",
                    bad,
                    value.column,
                    value.field,
                )
            return found
        raise self._unfit(value, "a number", place)

    def as_numbers(self, cells: Cells) -> tuple[Numbers, Mask]:
        """Return cells as numbers, and where they are none."""
        if cells.field not in self._numbers:
            amounts, is_number = read_amounts(cells.column, cells.number)
            bad = ~is_number & ~cells.blank
            result = Numbers(amounts, ~is_number), bad
            if not cells.field:
                return result
            self._numbers[cells.field] = result
        return self._numbers[cells.field]

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
                form = "ISO 8601" if value.date is None else value.date.pattern
                self.find(
                    f"{name} is a date",
                    f"{name} is not a date of the form {form}",
                    bad,
                    value.column,
                    value.field,
                )
            return found
        raise self._unfit(value, "a date", place)

    def as_dates(self, cells: Cells) -> tuple[Dates, Mask]:
        """Return cells as dates, and where they are none."""
        if cells.field not in self._dates:
            moments, is_date = read_moments(cells.column, cells.date)
            result = Dates(moments, ~is_date), ~is_date & ~cells.blank
            if not cells.field:
                return result
            self._dates[cells.field] = result
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
            column, _ = column_of(value, size)
            return Texts(column, value.blank)
        raise self._unfit(value, "a text", place)

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
            number_is_stated=cells.number != PLAIN,
            date_is_stated=cells.date is not None,
        )
        kinds: dict[str, type[Value]] = {"number": Numbers, "date": Dates}
        found = kinds.get(kind, Cells if kind == "blank" else Texts)
        if cells.field:
            self._kinds[cells.field] = found
        return found

    def say(self, what: str, remedy: str) -> None:
        """Tell the person something once."""
        note = Note(what, remedy)
        if not any(each.what == what for each in self.notes):
            self.notes.append(note)


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


Operation = Callable[[Evaluation, Call, Sequence[Value]], Value]
