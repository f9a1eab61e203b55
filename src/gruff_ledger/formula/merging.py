"""One value out of several, each for some of the records."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.cells.dates.moments import Moments
from gruff_ledger.cells.numbers.amounts import Amounts, chosen
from gruff_ledger.columns.types import Mask
from gruff_ledger.formula.context import Context
from gruff_ledger.formula.currencies import one_currency
from gruff_ledger.formula.nodes import BadFormula, Place
from gruff_ledger.formula.values import (
    KINDS,
    Cells,
    Dates,
    Nothing,
    Numbers,
    Span,
    Texts,
    Truths,
    Value,
    merge_columns,
)

Part = tuple[Mask, Value, Place]


def merged(context: Context, parts: Sequence[Part]) -> Value:
    """
    Put values together, each where its mask is true.

    Parameters
    ----------
    context : Context, of n records
    parts : sequence of (mask, value, place)
        Masks of shape (n,), of which no two are true of one record.

    Returns
    -------
    Value
        Cells of a field stay as they are written where the others are such cells, or
        numbers or dates.

    Raises
    ------
    BadFormula
        If the values are of kinds that cannot stand in one field.
    """
    some = [part for part in parts if not isinstance(part[1], Nothing)]
    if not some:
        return Nothing()
    kinds = {type(value) for _, value, _ in some}
    cells = [value for _, value, _ in some if isinstance(value, Cells)]
    stated = any(context.is_written(value) for value in cells)
    if Texts in kinds and kinds <= {Texts, Cells}:
        return _texts(context, some)
    if kinds == {Cells} and len({id(value) for _, value, _ in some}) > 1:
        return _texts(context, some) if not stated else _read(context, some)
    if kinds in ({Cells, Numbers}, {Cells, Dates}) and not stated:
        return _cells(context, some)
    if kinds <= {Numbers, Cells} and Numbers in kinds:
        return _numbers(context, some)
    if kinds <= {Dates, Cells} and Dates in kinds:
        return _dates(context, some)
    if kinds == {Truths}:
        return _truths(context, some)
    if kinds == {Cells}:
        return _cells(context, some)
    raise _unlike(some)


def _unlike(parts: Sequence[Part]) -> BadFormula:
    """Word that values cannot stand in one field."""
    kinds = [KINDS[type(value)] for _, value, _ in parts]
    for kind, (_, value, place) in zip(kinds, parts, strict=True):
        if isinstance(value, Span):
            return BadFormula(
                f"{place.written} is {kind}, which no field can hold.",
                "Add it to a date.",
                place,
            )
    other = next(place for place, kind in enumerate(kinds) if kind != kinds[0])
    return BadFormula(
        f"{parts[other][2].written} is {kinds[other]}, and {parts[0][2].written} is "
        f"{kinds[0]}: one field cannot hold both.",
        "Write one of them as the other, as in '0' for 0, or CAST(... AS VARCHAR).",
        parts[other][2],
    )


def _read(context: Context, parts: Sequence[Part]) -> Value:
    """Put together fields that are written in different ways, by what they mean."""
    values = [value for _, value, _ in parts if isinstance(value, Cells)]
    if any(context.detected(value) is Dates for value in values):
        return _dates(context, parts)
    return _numbers(context, parts)


def _masks(context: Context, parts: Sequence[Part]) -> list[Mask]:
    return [np.broadcast_to(mask, context.n) for mask, _, _ in parts]


def _blank(masks: Sequence[Mask], blanks: Sequence[Mask]) -> Mask:
    """Return where nothing was chosen, or what was chosen is blank."""
    blank = np.ones(len(masks[0]), np.bool_)
    for mask, mine in zip(masks, blanks, strict=True):
        blank = np.where(mask, mine, blank)
    return blank


def _texts(context: Context, parts: Sequence[Part]) -> Texts:
    masks = _masks(context, parts)
    texts = [context.texts(value, place) for _, value, place in parts]
    columns = [text.column for text in texts]
    column = merge_columns(list(zip(masks, columns, strict=True)), context.n)
    return Texts(column, _blank(masks, [text.blank for text in texts]))


def _cells(context: Context, parts: Sequence[Part]) -> Cells:
    masks = _masks(context, parts)
    columns = [
        value.column
        if isinstance(value, Cells)
        else context.written(value, context.n, mask)
        for mask, (_, value, _) in zip(masks, parts, strict=True)
    ]
    column = merge_columns(list(zip(masks, columns, strict=True)), context.n)
    blank = _blank(masks, [value.blank for _, value, _ in parts])  # type: ignore[union-attr]
    return Cells(column, blank, "")


def _numbers(context: Context, parts: Sequence[Part]) -> Numbers:
    masks = _masks(context, parts)
    numbers = []
    for mask, (_, value, place) in zip(masks, parts, strict=True):
        with context.only(mask):
            numbers.append(context.numbers(value, place))
    amounts = Amounts(np.zeros(1, np.int64), 0)
    for mask, number in zip(masks, numbers, strict=True):
        amounts = chosen(mask, number.amounts, amounts)
    digits = [number.digits for number in numbers if number.digits is not None]
    blank = _blank(masks, [number.blank for number in numbers])
    currency = one_currency(numbers, [place for _, _, place in parts])
    return Numbers(amounts, blank, max(digits, default=None), currency)


def _dates(context: Context, parts: Sequence[Part]) -> Dates:
    masks = _masks(context, parts)
    values = np.zeros(context.n, np.int64)
    timed = np.zeros(context.n, np.bool_)
    blanks = []
    for mask, (_, value, place) in zip(masks, parts, strict=True):
        with context.only(mask):
            date = context.dates(value, place)
        values = np.where(mask, date.moments.values, values)
        timed = np.where(mask, date.moments.timed, timed)
        blanks.append(date.blank)
    return Dates(Moments(values, timed), _blank(masks, blanks))


def _truths(context: Context, parts: Sequence[Part]) -> Truths:
    masks = _masks(context, parts)
    truths = [context.truths(value, place) for _, value, place in parts]
    true = np.zeros(context.n, np.bool_)
    for mask, truth in zip(masks, truths, strict=True):
        true = np.where(mask, truth.true, true)
    return Truths(true, _blank(masks, [truth.blank for truth in truths]))
