"""CAST: a value read or written as another kind (ISO/IEC 9075-2, cast specification).

Nothing is rounded or cut off on the way: what does not fit is a finding, and blank.
"""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

import numpy as np

from gruff_ledger.cells.blank import strip_space
from gruff_ledger.cells.dates.moments import DAY, Moments
from gruff_ledger.cells.numbers.amounts import absolute, compared, constant, rounded
from gruff_ledger.columns.arrays import constant_column
from gruff_ledger.formula.context import Context
from gruff_ledger.formula.deciding import decided
from gruff_ledger.formula.nodes import BadFormula, Call
from gruff_ledger.formula.tokens import TYPES_REMEDY
from gruff_ledger.formula.values import (
    Cells,
    Dates,
    Numbers,
    Texts,
    Truths,
    Value,
    column_of,
)

_MOST_DIGITS = 100

_WHOLE = ("INTEGER", "INT", "BIGINT", "SMALLINT")
_DECIMAL = ("DECIMAL", "NUMERIC", "DEC")
_TEXT = ("VARCHAR", "CHAR", "CHARACTER")


def cast(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """
    Work out ``CAST(a AS type)``.

    Raises
    ------
    BadFormula
        If there is no such type, or the value cannot be of it.
    """
    kind, *sizes = call.detail
    numbers = [int(size) for size in sizes]
    value = args[0]
    if kind in _TEXT:
        return _as_text(context, call, value, numbers)
    if kind in _DECIMAL:
        return _as_decimal(context, call, value, numbers)
    if numbers:
        raise BadFormula(f"{kind} has no length.", f"Write {kind}.", call.place)
    if kind in _WHOLE:
        return _as_decimal(context, call, value, [_MOST_DIGITS, 0])
    if kind in ("DATE", "TIMESTAMP"):
        dates = context.dates(_as_cells(value), call.args[0].place)
        values, timed = dates.moments
        if kind == "DATE":
            return Dates(Moments(values - values % DAY, timed & False), dates.blank)
        return Dates(Moments(values, timed | True), dates.blank)
    if kind == "BOOLEAN":
        return _as_truth(context, call, value)
    raise BadFormula(f"there is no type {kind}.", TYPES_REMEDY, call.place)


def _as_cells(value: Value) -> Value:
    """Take a text as the cells of a field without a name, to be read."""
    if isinstance(value, Texts):
        return Cells(value.column, value.blank, "")
    return value


def _as_text(context: Context, call: Call, value: Value, sizes: list[int]) -> Value:
    if sizes:
        raise BadFormula(
            f"{call.detail[0]} takes no length here.",
            "To cut a text off write SUBSTRING(text FROM 1 FOR count).",
            call.place,
        )
    if isinstance(value, Truths):
        column = context.written(value, context.n)
        return Texts(column, np.broadcast_to(value.blank, context.n))
    return context.texts(value, call.args[0].place)


def _as_decimal(context: Context, call: Call, value: Value, sizes: list[int]) -> Value:
    number = context.numbers(_as_cells(value), call.args[0].place)
    if not sizes:
        # Said to be a bare number, of no currency.
        return number._replace(currency="")
    digits, scale = sizes[0], sizes[1] if len(sizes) > 1 else 0
    if not 0 < digits <= _MOST_DIGITS or scale > digits:
        raise BadFormula(
            f"a number cannot have {digits} digits and {scale} of them decimals.",
            f"Write DECIMAL(digits, decimals), with at most {_MOST_DIGITS} digits.",
            call.place,
        )
    result = rounded(number.amounts, scale, "half-up")
    limit = constant(Decimal(f"1E{digits - scale}"))
    more = compared(number.amounts, result) != 0
    large = compared(absolute(result), limit) >= 0
    cells, _ = column_of(number, len(number.amounts.values))
    for what, mask in (
        (f"has more than {scale} decimals" if scale else "is not whole", more),
        (f"has more than {digits} digits", large),
    ):
        context.find(
            f"{call.args[0].place.written} fits {' '.join(call.detail[:1])}",
            f"{call.args[0].place.written} {what}",
            mask & ~number.blank,
            cells,
        )
    return Numbers(result, number.blank | more | large, scale)


def _as_truth(context: Context, call: Call, value: Value) -> Value:
    if isinstance(value, Truths):
        return value
    text = context.texts(value, call.args[0].place)
    words = {"true": True, "false": False}
    results, codes = decided([text], lambda cell: words.get(strip_space(cell).lower()))
    true = np.array([result is True for result in results])[codes]
    unknown = np.array([result is None for result in results])[codes]
    context.find(
        f"{call.args[0].place.written} is true or false",
        f"{call.args[0].place.written} is neither true nor false",
        unknown & ~text.blank,
        text.column if len(text.column) else constant_column("", 1),
    )
    return Truths(true & ~text.blank, text.blank | unknown)
