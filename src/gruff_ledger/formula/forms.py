"""How the numbers and dates of fields are written, as the person states it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, NamedTuple

from msgspec import Meta

from gruff_ledger.cells.dates.moments import DatePattern
from gruff_ledger.cells.numbers.forms import PLAIN, NumberForm
from gruff_ledger.field_names import find_fields
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Terms


class FormTerms(Terms, frozen=True, kw_only=True):
    """How the cells of some fields are written."""

    fields: Annotated[
        tuple[str, ...],
        Meta(description="The fields it is true of; in scrub, those it names if none."),
    ] = ()
    decimal: Annotated[
        str, Meta(description="The character before the decimals of a number.")
    ] = "."
    group: Annotated[
        str,
        Meta(description="The character between groups of digits, or 'space'."),
    ] = ""
    currency: Annotated[
        str,
        Meta(description="A sign or word that may stand before or after a number."),
    ] = ""
    percent: Annotated[
        bool,
        Meta(description="Whether a per cent sign divides the number by 100."),
    ] = False
    brackets: Annotated[
        bool, Meta(description="Whether a number in brackets is negative.")
    ] = False
    trailing_minus: Annotated[
        bool, Meta(description="Whether a minus may stand after its number.")
    ] = False
    date: Annotated[
        str | None,
        Meta(description="The pattern (LDML) of dates, as in dd/MM/yyyy."),
    ] = None

    def __post_init__(self) -> None:
        """Refuse forms that nothing could be written in."""
        marks = {"decimal": self.decimal, "group": self.group_character}
        for term, mark in marks.items():
            if len(mark) > 1 or mark.isalnum() or mark in set("+-()%") - {""}:
                raise BadTerms(
                    f"'{mark}' cannot be the {term} character of a number.",
                    f"Give `{term}` one character that is no digit, letter or sign.",
                    term="form",
                )
        if not self.decimal or self.decimal == self.group_character:
            raise BadTerms(
                "the decimal character is the group character too."
                if self.decimal
                else "there is no decimal character.",
                "State both, as in decimal = ',' and group = '.'.",
                term="form",
            )
        if any(mark.isdigit() for mark in self.currency):
            raise BadTerms(
                f"'{self.currency}' cannot be a currency.",
                "Give a sign or word without digits.",
                term="form",
            )
        if self.date is not None:
            with said_by("form"):
                DatePattern(self.date)

    @property
    def group_character(self) -> str:
        """The group character itself."""
        return " " if self.group == "space" else self.group

    @property
    def form(self) -> Form:
        """What the terms state."""
        number = NumberForm(
            decimal=self.decimal,
            group=self.group_character,
            currency=self.currency.strip(),
            percent=self.percent,
            brackets=self.brackets,
            trailing_minus=self.trailing_minus,
        )
        return Form(number, None if self.date is None else DatePattern(self.date))


class Form(NamedTuple):
    """How the cells of a field are written, where that was stated."""

    number: NumberForm = PLAIN
    date: DatePattern | None = None

    @property
    def states_number(self) -> bool:
        """Whether the form of numbers was stated."""
        return self.number != PLAIN


def forms_of(
    terms: Sequence[FormTerms], table: Table, fields: Sequence[str]
) -> tuple[dict[str, Form], tuple[Note, ...]]:
    """
    Return the stated form of each field.

    Parameters
    ----------
    terms : sequence of FormTerms
    table : Table
    fields : sequence of str
        Headings that a form without fields of its own is true of; where there are
        none, such a form is refused.

    Raises
    ------
    UnknownField
        If a form names a field that the list does not have.
    BadTerms
        If two forms are stated for one field, or one for none.
    """
    forms: dict[str, Form] = {}
    notes: tuple[Note, ...] = ()
    for each in terms:
        named, said = find_fields(table, each.fields, "form")
        notes += said
        if not named and not fields:
            raise BadTerms(
                "a form is stated, and not of which fields.",
                "Name them in it, as in fields = ['fee'].",
                term="form",
            )
        for heading in named or fields:
            if heading in forms:
                raise BadTerms(
                    f"the form of '{heading}' is stated twice.",
                    "State it once.",
                    term="form",
                )
            forms[heading] = each.form
    return forms, notes


FORM = Meta(
    description="How cells are written: a table with fields, decimal, group, currency, "
    "percent, brackets, trailing-minus, date. Numbers are plain (-1234.50) and dates "
    "ISO 8601 (2026-05-01) unless stated."
)
