"""The functions of the language by name, and the call of any of them.

`FUNCTIONS` are those a person writes with brackets; `OPERATORS` are the rest. Names and
forms are those of ISO/IEC 9075-2, but for ROUND and REPLACE, which it does not have and
which many programs write so.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np

from gruff_ledger.cells.dates.moments import DAY, SECOND, calendar_of
from gruff_ledger.cells.numbers.amounts import Amounts, absolute, remainders, rounded
from gruff_ledger.columns.types import Mask
from gruff_ledger.formula import operators, text_patterns
from gruff_ledger.formula.casting import cast
from gruff_ledger.formula.context import Context, Operation
from gruff_ledger.formula.merging import Part, merged
from gruff_ledger.formula.nodes import BadFormula, Call, Literal, Place
from gruff_ledger.formula.text_functions import (
    blank_value,
    length_of,
    on_texts,
    overlay_text,
    pad_text,
    position_of,
    replace_text,
    strip_text,
    substring_of,
    trim_text,
    whole_numbers,
)
from gruff_ledger.formula.values import (
    Cells,
    Dates,
    Nothing,
    Numbers,
    Span,
    Texts,
    Value,
)
from gruff_ledger.problems import nearest_or_all

# Digits that a person rounds to, before the point or after it.
_FURTHEST_DIGIT = 100


class Function(NamedTuple):
    """
    A function of the language.

    Attributes
    ----------
    written : str
        How it is written, for messages and the guide.
    purpose : str
    forms : tuple of tuple of str
        What may stand between its arguments, form by form.
    work : callable
    """

    written: str
    purpose: str
    forms: tuple[tuple[str, ...], ...]
    work: Operation


def called(context: Context, call: Call) -> Value:
    """
    Work out a call of a function or operator.

    Raises
    ------
    BadFormula
        If there is no such function, or it is written differently.
    """
    if call.name in OPERATORS:
        args = [context.value(node) for node in call.args]
        return OPERATORS[call.name](context, call, args)
    if call.name == "IN TEXT":
        raise BadFormula(
            "IN takes a list in brackets.",
            "Write as in class IN ('A', 'B'); for equal write =.",
            call.args[1].place,
        )
    function = FUNCTIONS.get(call.name)
    if function is None:
        near = nearest_or_all(call.name, FUNCTIONS, "functions")
        name = Place(
            call.place.text, call.place.start, call.place.start + len(call.name)
        )
        hint = _ELSEWHERE.get(call.name, near)
        raise BadFormula(f"there is no function {call.name}.", hint, name)
    if call.name in _VARYING:
        fits = bool(call.args) and set(call.detail) <= {","}
    else:
        fits = call.detail in function.forms and len(call.args) == len(call.detail) + 1
    if call.name not in _OWN_FORM and not fits:
        raise BadFormula(
            f"{call.name} is written differently.",
            f"Write {function.written}.",
            call.place,
        )
    # What is not chosen is not worked out, so that it is no finding.
    lazy = function.work is _first_filled
    args = [] if lazy else [context.value(node) for node in call.args]
    return function.work(context, call, args)


# What people look for under the name that another language has for it.
_ELSEWHERE = {
    "IF": "Write CASE WHEN condition THEN value ELSE value END.",
    "IIF": "Write CASE WHEN condition THEN value ELSE value END.",
    "IFNULL": "Write COALESCE(a, b).",
    "LEN": "Write CHAR_LENGTH(text).",
    "LENGTH": "Write CHAR_LENGTH(text).",
    "SUBSTR": "Write SUBSTRING(text FROM start FOR count).",
    "MID": "Write SUBSTRING(text FROM start FOR count).",
    "LEFT": "Write SUBSTRING(text FROM 1 FOR count).",
    "CONCAT": "Write a || b; blanks are skipped by the verb join.",
    "YEAR": "Write EXTRACT(YEAR FROM date).",
    "MONTH": "Write EXTRACT(MONTH FROM date).",
    "DAY": "Write EXTRACT(DAY FROM date).",
    "DATE": "Write DATE '2026-05-01', or CAST(text AS DATE).",
    "SUM": "A formula works on one record. The sum of a field is in survey.",
    "MAX": "A formula works on one record: write GREATEST(a, b).",
    "MIN": "A formula works on one record: write LEAST(a, b).",
    "NOW": "The result would differ from day to day: write the date itself.",
    "TODAY": "The result would differ from day to day: write the date itself.",
    "CURRENT_DATE": "The result would differ from day to day: write the date itself.",
    "TRUNC": "Write ROUND(number, digits, DOWN).",
    "TRUNCATE": "Write ROUND(number, digits, DOWN).",
    "POWER": "Write a power as a product.",
    "SQRT": "Numbers here are exact, and roots are not.",
}


def _absolute(context: Context, call: Call, args: Sequence[Value]) -> Value:
    number = context.numbers(args[0], call.args[0].place)
    return number._replace(amounts=absolute(number.amounts))


def _remainder(context: Context, call: Call, args: Sequence[Value]) -> Value:
    one, other = (
        context.numbers(value, node.place)
        for value, node in zip(args, call.args, strict=True)
    )
    blank = one.blank | other.blank
    other = operators.without_zeros(context, other, blank, call.place)
    return Numbers(remainders(one.amounts, other.amounts), blank | other.blank)


def _to_whole(mode: Any) -> Operation:
    def work(context: Context, call: Call, args: Sequence[Value]) -> Value:
        number = context.numbers(args[0], call.args[0].place)
        return number._replace(amounts=rounded(number.amounts, 0, mode), digits=None)

    return work


def _round(context: Context, call: Call, args: Sequence[Value]) -> Value:
    number = context.numbers(args[0], call.args[0].place)
    digits = 0
    if len(args) > 1:
        digits = _written_whole(call, 1)
    mode: Any = call.detail[0] if call.detail else "half-up"
    if not call.detail:
        context.say(
            f"{call.place.written} is rounded half up: a half goes away from zero.",
            "To say so, or to round differently, write ROUND(number, digits, HALF UP), "
            "HALF EVEN, HALF DOWN, UP, DOWN, CEILING or FLOOR.",
        )
    result = rounded(number.amounts, digits, mode)
    return number._replace(amounts=result, digits=max(0, digits))


def _written_whole(call: Call, place: int) -> int:
    """Return an argument that must be a whole number written in the formula."""
    node = call.args[place]
    sign = 1
    if isinstance(node, Call) and node.name == "-":
        node, sign = node.args[0], -1
    value = node.value if isinstance(node, Literal) else None
    whole = (
        whole_numbers(f"{value:f}")
        if not isinstance(value, str | bool) and hasattr(value, "as_tuple")
        else None
    )
    if whole is None or whole > _FURTHEST_DIGIT:
        raise BadFormula(
            f"{call.args[place].place.written} is not a number of digits.",
            f"Write a whole number up to {_FURTHEST_DIGIT}, the same for all records.",
            call.args[place].place,
        )
    return sign * whole


def _of_several(operator: str) -> Operation:
    """Return the work of GREATEST and LEAST."""

    def work(context: Context, call: Call, args: Sequence[Value]) -> Value:
        places = [node.place for node in call.args]
        kind = operators.common_kind(context, args, places)
        if kind is Nothing or any(isinstance(value, Nothing) for value in args):
            return Nothing()
        read: dict[type, Callable[[Value, Place], Value]] = {
            Numbers: context.numbers,
            Dates: context.dates,
            Texts: context.texts,
        }
        if kind not in read:
            raise BadFormula(
                f"{call.name} takes numbers, dates or texts.",
                "Choose by a condition with CASE WHEN ... END.",
                call.place,
            )
        values = [
            read[kind](value, place) for value, place in zip(args, places, strict=True)
        ]
        best = values[0]
        for value, place in zip(values[1:], places[1:], strict=True):
            better = operators.compare(
                context, operator, value, best, (place, places[0])
            )
            wins = np.broadcast_to(better.true, context.n)
            best = merged(
                context,
                [(wins, value, place), (~wins, best, places[0])],
            )
        blank = np.broadcast_to(blank_value(values), context.n)
        result: Value = best._replace(blank=blank)  # type: ignore[call-arg]
        return result

    return work


def _first_filled(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out COALESCE; it takes its arguments one by one, and none worked out."""
    left: Mask = np.ones(context.n, np.bool_)
    parts: list[Part] = []
    for node in call.args:
        with context.only(left):
            value = context.value(node)
        if isinstance(value, Nothing):
            continue
        mine = left if isinstance(value, Span) else left & ~value.blank
        parts.append((mine, value, node.place))
        left = left & ~mine
    return merged(context, parts)


def _nullif(context: Context, call: Call, args: Sequence[Value]) -> Value:
    value, other = args
    places = call.args[0].place, call.args[1].place
    equal = operators.compare(context, "=", value, other, places).true
    if isinstance(value, Nothing | Span):
        return Nothing()
    if isinstance(value, Cells):
        # The cells as they stand, but for those that are equal: empty.
        different = np.broadcast_to(~equal, context.n)
        return merged(context, [(different, value, places[0])])
    result: Value = value._replace(blank=value.blank | equal)
    return result


def _extract(context: Context, call: Call, args: Sequence[Value]) -> Value:
    unit = call.detail[0]
    dates = context.dates(args[0], call.args[0].place)
    values = dates.moments.values
    if unit in ("YEAR", "MONTH", "DAY"):
        calendar = calendar_of(values)
        found = getattr(calendar, unit.lower())
        return Numbers(Amounts(found, 0), dates.blank)
    of_day = values % DAY
    if unit == "SECOND":
        # With its fraction, exactly.
        return Numbers(Amounts(of_day % (60 * SECOND), 6), dates.blank)
    hours = of_day // (3600 * SECOND)
    minutes = of_day // (60 * SECOND) % 60
    return Numbers(Amounts(hours if unit == "HOUR" else minutes, 0), dates.blank)


_ONE: tuple[tuple[str, ...], ...] = ((),)
_TWO: tuple[tuple[str, ...], ...] = ((",",),)

# Functions that the parser checks, and those with any number of arguments.
_OWN_FORM = frozenset(("CAST", "EXTRACT", "TRIM", "ROUND"))
_VARYING = frozenset(("COALESCE", "GREATEST", "LEAST"))

FUNCTIONS: dict[str, Function] = {
    "ABS": Function("ABS(number)", "the number without its sign", _ONE, _absolute),
    "BTRIM": Function(
        "BTRIM(text) or BTRIM(text, characters)",
        "the text without spaces, or those characters, at both ends",
        _ONE + _TWO,
        strip_text(str.strip),
    ),
    "CAST": Function(
        "CAST(value AS type)",
        "the value read or written as another kind",
        (),
        cast,
    ),
    "CEILING": Function(
        "CEILING(number)",
        "the least whole number not below",
        _ONE,
        _to_whole("ceiling"),
    ),
    "CHAR_LENGTH": Function(
        "CHAR_LENGTH(text)", "how many characters it has", _ONE, length_of
    ),
    "COALESCE": Function(
        "COALESCE(a, b, ...)", "the first of them that is not blank", (), _first_filled
    ),
    "EXTRACT": Function(
        "EXTRACT(unit FROM date)",
        "YEAR, MONTH, DAY, HOUR, MINUTE or SECOND of a date",
        (),
        _extract,
    ),
    "FLOOR": Function(
        "FLOOR(number)", "the greatest whole number not above", _ONE, _to_whole("floor")
    ),
    "GREATEST": Function(
        "GREATEST(a, b, ...)", "the greatest of them", (), _of_several(">")
    ),
    "LEAST": Function("LEAST(a, b, ...)", "the least of them", (), _of_several("<")),
    "LOWER": Function("LOWER(text)", "in small letters", _ONE, on_texts(str.lower)),
    "LPAD": Function(
        "LPAD(text, length) or LPAD(text, length, fill)",
        "filled up in front, or cut, to a length",
        _TWO + ((",", ","),),
        pad_text(True),
    ),
    "LTRIM": Function(
        "LTRIM(text) or LTRIM(text, characters)",
        "the text without spaces, or those characters, in front",
        _ONE + _TWO,
        strip_text(str.lstrip),
    ),
    "MOD": Function(
        "MOD(a, b)", "what is left of a divided by b, with a's sign", _TWO, _remainder
    ),
    "NULLIF": Function("NULLIF(a, b)", "a, or blank where it equals b", _TWO, _nullif),
    "OVERLAY": Function(
        "OVERLAY(text PLACING new FROM start FOR count)",
        "the text with some characters replaced by others",
        (("PLACING", "FROM"), ("PLACING", "FROM", "FOR")),
        overlay_text,
    ),
    "POSITION": Function(
        "POSITION(part IN text)",
        "where a part begins, 0 if nowhere",
        (("IN",),),
        position_of,
    ),
    "REPLACE": Function(
        "REPLACE(text, old, new)",
        "the text with every old part replaced",
        ((",", ","),),
        replace_text,
    ),
    "ROUND": Function(
        "ROUND(number, digits, mode)",
        "rounded to so many decimals: HALF UP (the mode if none is written), HALF "
        "EVEN, HALF DOWN, UP, DOWN, CEILING or FLOOR",
        (),
        _round,
    ),
    "RPAD": Function(
        "RPAD(text, length) or RPAD(text, length, fill)",
        "filled up behind, or cut, to a length",
        _TWO + ((",", ","),),
        pad_text(False),
    ),
    "RTRIM": Function(
        "RTRIM(text) or RTRIM(text, characters)",
        "the text without spaces, or those characters, behind",
        _ONE + _TWO,
        strip_text(str.rstrip),
    ),
    "SUBSTRING": Function(
        "SUBSTRING(text FROM start FOR count)",
        "a part of the text; characters count from 1",
        (("FROM",), ("FROM", "FOR")),
        substring_of,
    ),
    "TRANSLATE_REGEX": Function(
        "TRANSLATE_REGEX(pattern IN text WITH new)",
        "the text with what matches a pattern (RE2) replaced; \\1 is its first group",
        (("IN", "WITH"),),
        text_patterns.translate_regex,
    ),
    "TRIM": Function(
        "TRIM(text) or TRIM(BOTH characters FROM text)",
        "the text without spaces, or those characters, at its ends: BOTH, LEADING or "
        "TRAILING",
        (),
        trim_text,
    ),
    "UPPER": Function("UPPER(text)", "in capitals", _ONE, on_texts(str.upper)),
}
FUNCTIONS["CEIL"] = FUNCTIONS["CEILING"]
FUNCTIONS["CHARACTER_LENGTH"] = FUNCTIONS["CHAR_LENGTH"]

OPERATORS: dict[str, Operation] = {
    "-": operators.negative,
    "||": operators.joined,
    "OR": operators.either,
    "AND": operators.both,
    "NOT": operators.opposite,
    "IS NULL": operators.is_null,
    "IS TRUE": operators.is_truth,
    "IS FALSE": operators.is_truth,
    "IS UNKNOWN": operators.is_truth,
    "=": operators.comparison,
    "<>": operators.comparison,
    "<": operators.comparison,
    "<=": operators.comparison,
    ">": operators.comparison,
    ">=": operators.comparison,
    "BETWEEN": operators.between,
    "IN": operators.is_in,
    "LIKE": text_patterns.like,
    "LIKE_REGEX": text_patterns.like_regex,
}
