"""Dates moved by intervals, and the days between two."""

from __future__ import annotations

from decimal import Decimal

import numpy as np

from gruff_ledger.cells.dates.moments import DAY, Moments, months_later
from gruff_ledger.cells.numbers.amounts import Amounts, constant, divide
from gruff_ledger.columns.arrays import constant_column
from gruff_ledger.formula.context import Context
from gruff_ledger.formula.nodes import BadFormula, Place
from gruff_ledger.formula.values import Dates, Numbers, Span, Value

# Years 1 to 9999, as in ISO 8601 without agreement on more figures.
_FIRST_MOMENT = -62_135_596_800 * 1_000_000
_LAST_MOMENT = 253_402_300_800 * 1_000_000 - 1


def days_between(one: Dates, other: Dates) -> Numbers:
    """Return the days from the second to the first, in exact parts of a day."""
    micros = one.moments.values - other.moments.values
    blank = one.blank | other.blank
    if not (micros % DAY).any():
        return Numbers(Amounts(micros // DAY, 0), blank)
    return Numbers(divide(Amounts(micros, 0), constant(Decimal(DAY))), blank)


def dates_moved(
    context: Context,
    operator: str,
    left: Value,
    right: Value,
    places: tuple[Place, Place],
    whole: Place,
) -> Value:
    """
    Move dates by an interval.

    Raises
    ------
    BadFormula
        If the interval stands where none can.
    """
    if isinstance(left, Span) and not isinstance(right, Span):
        left, right, places = right, left, (places[1], places[0])
    if operator not in "+-" or isinstance(left, Span):
        raise BadFormula(
            f"an interval cannot come on this side of {operator}.",
            "Write a date, then + or -, then the interval.",
            whole,
        )
    assert isinstance(right, Span)
    sign = -1 if operator == "-" else 1
    date = context.dates(left, places[0])
    values = date.moments.values
    if right.interval.months:
        # Within the years there are, so that no calendar runs over.
        months = max(-120_000, min(120_000, sign * right.interval.months))
        values = months_later(values, months)
    micros = sign * right.interval.micros
    far = np.abs(values.astype(np.float64) + micros) > 4e17
    values = np.where(far, _LAST_MOMENT + 1, values + np.where(far, 0, micros))
    outside = (values < _FIRST_MOMENT) | (values > _LAST_MOMENT)
    context.find(
        "dates lie in the years 1 to 9999",
        f"{whole.written} lies outside the years 1 to 9999",
        outside & ~date.blank,
        constant_column("", 1),
    )
    timed = date.moments.timed | bool(right.interval.micros % DAY)
    moments = Moments(np.where(outside, 0, values), timed)
    return Dates(moments, date.blank | outside)
