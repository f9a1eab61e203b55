"""Working out a formula over a whole list, field by field."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.moments import Moments
from gruff_ledger.cells.numbers.amounts import constant
from gruff_ledger.cells.numbers.wide import TooLong
from gruff_ledger.cells.text.room import TooMuchText
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.field_names import find_field
from gruff_ledger.formula.context import Context
from gruff_ledger.formula.functions import called
from gruff_ledger.formula.merging import merged
from gruff_ledger.formula.nodes import (
    BadFormula,
    Case,
    Chain,
    DateLiteral,
    Field,
    Interval,
    Literal,
    Node,
    Place,
)
from gruff_ledger.formula.operators import chained
from gruff_ledger.formula.values import (
    ALL,
    NONE,
    Cells,
    Dates,
    Nothing,
    Numbers,
    Span,
    Texts,
    Truths,
    Value,
)
from gruff_ledger.problems import UnknownField
from gruff_ledger.table import Table


class Evaluation(Context):
    """
    The working out of formulas over one list; see `Context` for the parameters.

    Fields are read once, however often formulas name them.
    """

    def __init__(
        self,
        table: Table,
        outcome: str = "the result is blank",
    ) -> None:
        super().__init__(table, outcome)
        self._cells: dict[str, Cells] = {}

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
            return (
                chained(self, node) if isinstance(node, Chain) else called(self, node)
            )
        except TooMuchText as error:
            raise BadFormula(
                f"{error.said}.",
                "Join or replace less, or work on a part of the list.",
                node.place,
            ) from None
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
            # What is written in a formula is no blank cell: an empty text joins as
            # nothing, and a space as a space.
            return Texts(text_column([value]), NONE)
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
            parts = [f"A text goes in single quotes: '{node.name}'.", problem.remedy]
            if problem.remedy.startswith("Did you mean"):
                parts.reverse()
            remedy = " ".join(parts)
            raise BadFormula(problem.what, remedy, node.place) from None
        self.notes += [note for note in said if note not in self.notes]
        return self.cells_of(heading)

    def cells_of(self, heading: str) -> Cells:
        """Return the cells of a field, by its exact heading."""
        if heading not in self._cells:
            column = self.table.cells(heading)
            self._cells[heading] = Cells(column, blank_mask(column), heading)
        return self._cells[heading]

    def _case(self, node: Case) -> Value:
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
