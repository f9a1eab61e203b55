"""Numbers and dates of a field put in one form, whatever ways they are written in."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import NamedTuple

import msgspec
import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.moments import DatePattern, Moments
from gruff_ledger.cells.dates.moments import to_column as write_iso
from gruff_ledger.cells.keys.distinct import distinct, with_cells
from gruff_ledger.cells.numbers.amounts import constant, exact_of, rounded
from gruff_ledger.cells.numbers.forms import NumberForm, number_pattern
from gruff_ledger.cells.numbers.shapes import currency_code, is_currency, shape_of
from gruff_ledger.columns.arrays import filter_column, spread_column, unequal
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.formula.readable import check_readable
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table, Writing
from gruff_ledger.work.clean.scrub.terms import ISO, PLAIN, ScrubTerms
from gruff_ledger.written.examples import ISO_WAY, PLAIN_WAY
from gruff_ledger.written.read import kind_of_field, read_dates, read_numbers
from gruff_ledger.written.way import Way


class RewrittenValues(NamedTuple):
    """
    A field of n cells with its numbers or dates in one form.

    Attributes
    ----------
    column : Column
    changed, unread : ndarray of bool, shape (n,)
        The cells that are others now, and those that could not be put in the form.
    writing : Writing
        How the field is written now.
    made : list of (str, Column)
        The field of currencies, where one was asked for.
    notes : tuple of Note
    finding : Finding
        On the cells that could not be put in the form.
    """

    column: Column
    changed: Mask
    unread: Mask
    writing: Writing
    made: list[tuple[str, Column]]
    notes: tuple[Note, ...]
    finding: Finding


def rewrite_values(
    terms: ScrubTerms, table: Table, heading: str, column: Column
) -> RewrittenValues:
    """
    Put the numbers or dates of a field in one form.

    Parameters
    ----------
    terms : ScrubTerms
    table : Table, n records
    heading : str
    column : Column, n cells
        The field as it is by now.

    Raises
    ------
    BadTerms
        If cells could be two values, or most are none.
    """
    now = table.with_fields((heading,), [column])
    if terms.number and terms.date:
        terms = _only_of(kind_of_field(now, heading), terms, heading)
    kind = "number" if terms.number else "date"
    if terms.number:
        read = read_numbers(now, heading, with_currencies=bool(terms.currency_to))
        good, notes = read.is_number, read.notes
        written = read.plain()
    else:
        dates = read_dates(now, heading)
        good, notes = dates.is_date, dates.notes
        written = _write_dates(terms, dates.moments)
    filled = ~blank_mask(column)
    unread = filled & ~good
    if unread.any():
        left = "left as written"
        count = int(np.count_nonzero(filled))
        check_readable(now, heading, unread, count, kind, kind, left)
    if terms.number and terms.number != PLAIN:
        fits, written = _write_by_pattern(terms, filter_column(written, good))
        odd = good.copy()
        odd[good] = ~fits
        unread, good = unread | odd, good & ~odd
        written = filter_column(written, fits)
    else:
        written = filter_column(written, good)
    changed = np.zeros(len(column), np.bool_)
    changed[good] = unequal(filter_column(column, good), written)
    result = with_cells(column, good, written) if changed.any() else column
    made = []
    if terms.currency_to:
        made.append((terms.currency_to, _currencies(column)))
    finding = _finding(terms, table, heading, filter_column(column, unread), unread)
    return RewrittenValues(
        result, changed, unread, Writing((_way(terms),)), made, notes, finding
    )


def _only_of(kind: str, terms: ScrubTerms, heading: str) -> ScrubTerms:
    """Return the terms for numbers alone, or for dates, as a field holds."""
    if kind == "text":
        raise BadTerms(
            f"neither numbers nor dates are in most filled cells of '{heading}'. "
            "Nothing was done.",
            "Name other fields, or show in `written` how its cells are written.",
            term="fields",
            field=heading,
        )
    if kind == "date":
        return msgspec.structs.replace(terms, number=None, currency_to=None)
    return msgspec.structs.replace(terms, date=None)


def _write_dates(terms: ScrubTerms, moments: Moments) -> Column:
    if terms.date == ISO:
        return write_iso(moments)
    pattern = DatePattern(str(terms.date))
    pairs, codes = np.unique(moments.values * 2 + moments.timed, return_inverse=True)
    texts = [pattern.write((pair // 2, bool(pair % 2))) for pair in pairs.tolist()]
    return spread_column(texts, codes)


def _write_by_pattern(terms: ScrubTerms, plain: Column) -> tuple[Mask, Column]:
    """Write plain numbers by a pattern; return which of them fit it, and the cells."""
    pattern = number_pattern(str(terms.number))
    texts, codes = distinct(plain)
    write: Callable[[Decimal], str | None] = pattern.write
    numbers = [Decimal(text.strip()) for text in texts]
    if terms.rounding != "none":
        numbers = [
            exact_of(rounded(constant(number), pattern.most_part, terms.rounding))
            for number in numbers
        ]
    written = [write(number) for number in numbers]
    fits = np.array([text is not None for text in written], np.bool_)[codes]
    return fits, spread_column([text or "" for text in written], codes)


def _currencies(column: Column) -> Column:
    """Return the currency of each amount, by its code where that is known."""
    texts, codes = distinct(column)
    shapes = [shape_of(text) for text in texts]
    return spread_column(
        [currency_code(shape.currency) if shape else "" for shape in shapes], codes
    )


def _way(terms: ScrubTerms) -> Way:
    """Return the way in which the field is written from now on."""
    if terms.date:
        if terms.date == ISO:
            return ISO_WAY
        return Way((terms.date,), (), (), (terms.date,))
    if terms.number == PLAIN:
        return PLAIN_WAY
    pattern = number_pattern(str(terms.number))
    around = [each.strip() for each in (pattern.before, pattern.after)]
    currency = next((each for each in around if is_currency(each)), "")
    form = NumberForm(group="," if pattern.group else "", currency=currency)
    return Way((str(pattern.write(Decimal("1234"))),), (form,))


def _finding(
    terms: ScrubTerms, table: Table, heading: str, cells: Column, unread: Mask
) -> Finding:
    kind = "number" if terms.number else "date"
    if kind == "number" and terms.number != PLAIN and terms.rounding == "none":
        kind = f"number that fits {terms.number}"
    return Finding(
        f"{heading} is a {kind}",
        Severity.WARN,
        f"{heading} is not a {kind}; the cell was left as it is.",
        heading,
        table.origin.pick(unread),
        cells,
    )
