"""Operators: arithmetic, comparison, conditions, and likeness of texts."""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.kinds import dates_in_figures
from gruff_ledger.cells.numbers.amounts import (
    added,
    compared,
    divide,
    multiply,
    negated,
    subtract,
)
from gruff_ledger.cells.text.weave import by_stretches, bytes_of, woven
from gruff_ledger.cells.text_bytes import Chunk
from gruff_ledger.columns.arrays import arrow_functions, constant_column, text_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.formula.context import Context
from gruff_ledger.formula.currencies import one_currency
from gruff_ledger.formula.date_arithmetic import dates_moved, days_between
from gruff_ledger.formula.nodes import BadFormula, Call, Chain, Literal, Place
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
    stretched,
)


def chained(context: Context, chain: Chain) -> Value:
    """Work out values with ``+ - * /`` between them, from left to right."""
    left = context.value(chain.first)
    start = chain.first.place
    for operator, node in chain.rest:
        right = context.value(node)
        place = Place(start.text, start.start, node.place.end)
        left = _arithmetic(context, operator, left, right, (start, node.place), place)
        start = place
    return left


def _arithmetic(
    context: Context,
    operator: str,
    left: Value,
    right: Value,
    places: tuple[Place, Place],
    whole: Place,
) -> Value:
    if isinstance(right, Span) or (isinstance(left, Span) and operator == "+"):
        return dates_moved(context, operator, left, right, places, whole)
    if operator == "-" and _are_dates(context, left, right, places):
        return days_between(
            context.dates(left, places[0]), context.dates(right, places[1])
        )
    one = context.numbers(left, places[0])
    other = context.numbers(right, places[1])
    blank = one.blank | other.blank
    if operator == "/":
        other = without_zeros(context, other, blank, whole)
        blank = blank | other.blank
        return Numbers(divide(one.amounts, other.amounts), blank)
    if operator == "*":
        return Numbers(multiply(one.amounts, other.amounts), blank)
    currency = one_currency((one, other), places)
    work = added if operator == "+" else subtract
    return Numbers(work(one.amounts, other.amounts), blank, currency=currency)


def without_zeros(
    context: Context, value: Numbers, blank: Mask, place: Place
) -> Numbers:
    """Make divisors that are zero blank, and take note of them."""
    zero = value.amounts.values == 0
    if not zero.any():
        return value
    context.find(
        "nothing is divided by zero",
        f"{place.written} divides by zero",
        zero & ~blank,
        constant_column("0", 1),
    )
    # Blank records are worked out like the others, and must not fail.
    amounts = value.amounts._replace(values=np.where(zero, 1, value.amounts.values))
    return Numbers(amounts, value.blank | zero)


def _are_dates(
    context: Context, left: Value, right: Value, places: tuple[Place, Place]
) -> bool:
    if isinstance(left, Dates) or isinstance(right, Dates):
        return True
    if not (isinstance(left, Cells) and isinstance(right, Cells)):
        return False
    if context.detected(left) is not Dates or context.detected(right) is not Dates:
        return False
    context.say(
        f"{places[0].written} and {places[1].written} are taken as dates: the result "
        "is the days between them.",
        "",
    )
    return True


def negative(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``-a``."""
    if isinstance(args[0], Span):
        interval = args[0].interval
        return Span(interval._replace(months=-interval.months, micros=-interval.micros))
    number = context.numbers(args[0], call.args[0].place)
    return number._replace(amounts=negated(number.amounts))


def joined(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a || b``; blank where one of them is."""
    texts = [
        context.texts(value, node.place)
        for value, node in zip(args, call.args, strict=True)
    ]
    blank = functools.reduce(np.logical_or, [text.blank for text in texts])
    size = max(len(text.column) for text in texts)
    if any(not len(text.column) for text in texts):
        return Texts(text_column(()), blank[:0])
    context.room.check_joined([text.column for text in texts], size)
    columns = [stretched(text.column, size) for text in texts]

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        return [woven([bytes_of(chunk) for chunk in chunks])]

    (column,) = by_stretches(columns, of_stretch)
    return Texts(column, blank)


def either(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a OR b``: true where one is, blank where that cannot be told."""
    truths = _truths(context, call, args)
    true = functools.reduce(np.logical_or, [truth.true for truth in truths])
    false = functools.reduce(np.logical_and, [truth.false for truth in truths])
    return Truths(true, ~(true | false))


def both(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a AND b``: false where one is, blank where that cannot be told."""
    truths = _truths(context, call, args)
    true = functools.reduce(np.logical_and, [truth.true for truth in truths])
    false = functools.reduce(np.logical_or, [truth.false for truth in truths])
    return Truths(true, ~(true | false))


def opposite(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``NOT a``: blank stays blank."""
    (truth,) = _truths(context, call, args)
    return Truths(truth.false, truth.blank)


def _truths(context: Context, call: Call, args: Sequence[Value]) -> list[Truths]:
    return [
        context.truths(value, node.place)
        for value, node in zip(args, call.args, strict=True)
    ]


def is_null(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a IS NULL``, which is never blank itself."""
    value = args[0]
    if isinstance(value, Nothing):
        return Truths(np.ones(1, np.bool_), np.zeros(1, np.bool_))
    if isinstance(value, Span):
        return Truths(np.zeros(1, np.bool_), np.zeros(1, np.bool_))
    return Truths(value.blank, np.zeros(1, np.bool_))


def is_truth(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a IS TRUE``, ``IS FALSE`` and ``IS UNKNOWN``."""
    (truth,) = _truths(context, call, args)
    masks = {"TRUE": truth.true, "FALSE": truth.false, "UNKNOWN": truth.blank}
    return Truths(masks[call.name.split()[1]], np.zeros(1, np.bool_))


def comparison(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a = b`` and the like."""
    places = call.args[0].place, call.args[1].place
    return compare(context, call.name, args[0], args[1], places)


_TESTS: dict[str, Callable[[Any], Any]] = {
    "=": lambda order: order == 0,
    "<>": lambda order: order != 0,
    "<": lambda order: order < 0,
    "<=": lambda order: order <= 0,
    ">": lambda order: order > 0,
    ">=": lambda order: order >= 0,
}

_ARROW_TESTS = {
    "=": "equal",
    "<>": "not_equal",
    "<": "less",
    "<=": "less_equal",
    ">": "greater",
    ">=": "greater_equal",
}


def compare(
    context: Context,
    operator: str,
    one: Value,
    other: Value,
    places: tuple[Place, Place],
) -> Truths:
    """
    Compare two values as numbers, dates or texts.

    Two fields are compared as what both hold. Texts are compared character by
    character, by the numbers of Unicode.

    Raises
    ------
    BadFormula
        If they are of kinds that cannot be compared.
    """
    kind = common_kind(context, [one, other], places)
    pairs = list(zip((one, other), places, strict=True))
    if kind is Numbers:
        a, b = (context.numbers(each, place) for each, place in pairs)
        one_currency((a, b), places)
        order = compared(a.amounts, b.amounts)
        return truth(_TESTS[operator](order), a.blank | b.blank)
    if kind is Dates:
        c, d = (context.dates(each, place) for each, place in pairs)
        order = np.sign(c.moments.values - d.moments.values)
        return truth(_TESTS[operator](order), c.blank | d.blank)
    if kind is Truths:
        e, f = (context.truths(each, place) for each, place in pairs)
        order = e.true.astype(np.int8) - f.true.astype(np.int8)
        return truth(_TESTS[operator](order), e.blank | f.blank)
    if kind is Nothing:
        return Truths(np.zeros(1, np.bool_), np.ones(1, np.bool_))
    return _texts_compared(context, operator, one, other, places)


def truth(true: Mask, blank: Mask) -> Truths:
    """Return truths that are unknown where a value is blank."""
    shape = np.broadcast_shapes(true.shape, blank.shape)
    return Truths(true & ~blank, np.broadcast_to(blank, shape))


def _texts_compared(
    context: Context,
    operator: str,
    one: Value,
    other: Value,
    places: tuple[Place, Place],
) -> Truths:
    a = context.texts(one, places[0])
    b = context.texts(other, places[1])
    for text, place in ((a, places[0]), (b, places[1])):
        is_literal = place.written[:1] == "'" and len(text.column) == 1
        if is_literal and is_blank(text.column[0].as_py()):
            raise BadFormula(
                "a comparison with a blank text is never true.",
                "To find blanks write IS NULL, for the others IS NOT NULL.",
                place,
            )
    left, right = (
        text.column[0] if len(text.column) == 1 and context.n != 1 else text.column
        for text in (a, b)
    )
    found = arrow_functions().call_function(_ARROW_TESTS[operator], [left, right])
    if isinstance(found, pa.Scalar):
        true = np.array([found.as_py()])
    else:
        true = np.asarray(found.to_numpy(), np.bool_)
    return truth(true, a.blank | b.blank)


def common_kind(
    context: Context, values: Sequence[Value], places: Sequence[Place]
) -> type:
    """
    Tell as what several values are to be compared.

    Raises
    ------
    BadFormula
        If they are of kinds that cannot be compared.
    """
    kinds = {type(value) for value in values} - {Nothing, Cells}
    fields = [
        (value, place)
        for value, place in zip(values, places, strict=True)
        if isinstance(value, Cells)
    ]
    if not kinds and not fields:
        return Nothing
    if len(kinds) == 1:
        (kind,) = kinds
        if kind is Span:
            raise _incomparable(values, places)
        if kind is Texts:
            _warn_of_texts(context, values, places)
        if kind is Truths and fields:
            raise _incomparable(values, places)
        return kind
    if len(kinds) > 1:
        raise _incomparable(values, places)
    for value, place in fields:
        _refuse_figures(context, value, place)
    found = {context.detected(value) for value, _ in fields} - {Cells}
    kind = found.pop() if len(found) == 1 else Texts
    if kind is not Texts:
        names = " and ".join(dict.fromkeys(place.written for _, place in fields))
        noun = "numbers" if kind is Numbers else "dates"
        context.say(
            f"{names} are compared as {noun}, which they hold for the most part.",
            "To compare them as texts write CAST(... AS VARCHAR).",
        )
    return kind


def _refuse_figures(context: Context, value: Cells, place: Place) -> None:
    """Refuse to compare as texts what are dates in figures, such as 1/5/2026."""
    if context.detected(value) is not Texts:
        return
    forms = dates_in_figures(value.column)
    if 2 * forms.count > int(np.count_nonzero(~value.blank)):
        raise BadFormula(
            f"{place.written} holds dates that are not of ISO 8601, and it is not "
            "known how they are written.",
            f"Show it in `written`, as in '{value.field}=31/12/2026'; to compare texts "
            "write CAST(... AS VARCHAR).",
            place,
        )


def _warn_of_texts(
    context: Context, values: Sequence[Value], places: Sequence[Place]
) -> None:
    """Say that a field of numbers or dates is compared as text, before all else."""
    for value, place in zip(values, places, strict=True):
        if not isinstance(value, Cells):
            continue
        kind = context.detected(value)
        if kind not in (Numbers, Dates):
            continue
        if kind is Dates:
            context.warn(
                f"'{place.written}' holds dates and is compared with a text here, "
                "character by character.",
                "Write the date as in DATE '2026-05-01'.",
            )
        else:
            context.warn(
                f"'{place.written}' holds numbers and is compared with a text here, "
                "character by character: '9' comes after '10'.",
                "Write the number without quotes.",
            )


def _incomparable(values: Sequence[Value], places: Sequence[Place]) -> BadFormula:
    kinds = [KINDS[type(value)] for value in values]
    place = places[-1]
    others = [kind for kind in kinds if kind not in (kinds[-1], "a field", "NULL")]
    remedy = "Compare values of one kind."
    if {Dates, Texts} <= {type(value) for value in values}:
        remedy = "Write a date as in DATE '2026-05-01'."
    elif {Numbers, Texts} <= {type(value) for value in values}:
        remedy = "Write a number without quotes, or the other as a text."
    return BadFormula(
        f"{kinds[-1]} cannot be compared with {(others or kinds)[0]}.", remedy, place
    )


def between(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a BETWEEN b AND c``: both ends belong to it."""
    value, low, high = args
    first, second, third = (node.place for node in call.args)
    above = compare(context, ">=", value, low, (first, second))
    below = compare(context, "<=", value, high, (first, third))
    return both(context, call._replace(args=call.args[:2]), [above, below])


def is_in(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a IN (b, c)``."""
    value, *others = args
    place = call.args[0].place
    if isinstance(value, Cells) and len(others) > _FEW_TEXTS:
        found = _in_texts(value, others)
        if found is not None:
            return found
    truths: list[Value] = [
        compare(context, "=", value, other, (place, node.place))
        for other, node in zip(others, call.args[1:], strict=True)
    ]
    return either(context, call._replace(args=call.args[1:]), truths)


# Up to so many, comparing with each in turn is faster.
_FEW_TEXTS = 8


def _in_texts(value: Cells, others: Sequence[Value]) -> Truths | None:
    """Look texts up all at once, where they are written in the formula."""
    texts = [each for each in others if isinstance(each, Texts)]
    if len(texts) < len(others) or any(
        len(text.column) != 1 or text.blank.any() for text in texts
    ):
        return None
    known = [text.column[0].as_py() for text in texts]
    return Truths((index_in(value.column, known) >= 0) & ~value.blank, value.blank)


def written_text(call: Call, place: int) -> str:
    """
    Return an argument that must be a text written in the formula.

    Raises
    ------
    BadFormula
        If it is worked out, so that it could differ from record to record.
    """
    node = call.args[place]
    if not isinstance(node, Literal) or not isinstance(node.value, str):
        raise BadFormula(
            f"{node.place.written} is not a text in single quotes.",
            "Write it in single quotes; it is the same for all records.",
            node.place,
        )
    return node.value
