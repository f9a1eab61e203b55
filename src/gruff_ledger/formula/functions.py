"""The functions of the language by name, and the call of any of them.

`FUNCTIONS` are those a person writes with brackets; `OPERATORS` are the rest. Names and
forms are those of ISO/IEC 9075-2, but for ROUND and REPLACE, which it does not have and
which many programs write so.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.moments import DAY, SECOND, calendar_of
from gruff_ledger.cells.numbers.amounts import (
    Amounts,
    absolute,
    remainders,
    rounded,
)
from gruff_ledger.columns.arrays import spread_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.formula import operators
from gruff_ledger.formula.casting import cast
from gruff_ledger.formula.context import Context, Operation
from gruff_ledger.formula.deciding import decided
from gruff_ledger.formula.merging import Part, merged
from gruff_ledger.formula.nodes import BadFormula, Call, Literal, Place
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

# A text longer than this in every record would fill the memory.
_LONGEST_PADDED = 10_000

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
        If there is no such function, or it is written otherwise.
    """
    if call.name in OPERATORS:
        args = [context.value(node) for node in call.args]
        return OPERATORS[call.name](context, call, args)
    if call.name == "IN TEXT":
        raise BadFormula(
            "behind IN stands a list in brackets.",
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
            f"{call.name} is written otherwise.",
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
    "SUM": "A formula works on one record. The sum of a field stands in survey.",
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


def _texts(context: Context, call: Call, args: Sequence[Value]) -> list[Texts]:
    return [
        context.texts(value, node.place)
        for value, node in zip(args, call.args, strict=True)
    ]


def _blank(values: Sequence[Any]) -> Mask:
    """Return where one of the values is blank."""
    return functools.reduce(np.logical_or, [value.blank for value in values])


def _on_texts(decide: Callable[..., str]) -> Operation:
    """Return the work of a function from texts to a text."""

    def work(context: Context, call: Call, args: Sequence[Value]) -> Value:
        texts = _texts(context, call, args)
        return _text_result(context, call, texts, decide)

    return work


def _text_result(
    context: Context,
    call: Call,
    texts: Sequence[Texts],
    decide: Callable[..., str | None],
) -> Texts:
    """Spread what was decided; None is a finding, and blank."""
    made = 0

    def bounded(*given: str) -> str | None:
        nonlocal made
        result = decide(*given)
        made += len(result or "")
        context.room.check(made)
        return result

    results, codes = decided(texts, bounded)
    lengths = np.array([len(result or "") for result in results], np.int64)
    context.room.take(int(lengths[codes].sum()))
    blank = _blank(texts)
    bad = np.array([result is None for result in results])[codes]
    if bad.any():
        context.find(
            f"{call.name} is given whole numbers that fit",
            f"{call.name} is given a number that does not fit",
            bad & ~blank,
            texts[-1].column,
        )
    column = spread_column([result or "" for result in results], codes)
    return Texts(column, blank | blank_mask(column))


def _number_result(texts: Sequence[Texts], decide: Callable[..., int]) -> Numbers:
    results, codes = decided(texts, decide)
    return Numbers(Amounts(np.array(results, np.int64)[codes], 0), _blank(texts))


def _length(context: Context, call: Call, args: Sequence[Value]) -> Value:
    return _number_result(_texts(context, call, args), len)


def _position(context: Context, call: Call, args: Sequence[Value]) -> Value:
    texts = _texts(context, call, args)
    return _number_result(texts, lambda part, text: text.find(part) + 1)


def _whole(text: str) -> int | None:
    """Read a whole number of a size that a text can have."""
    bare = text.lstrip("-")
    return int(text) if bare.isdecimal() and len(bare) < 10 else None


def _with_numbers(
    context: Context, call: Call, args: Sequence[Value], first: int
) -> list[Texts]:
    """Take arguments as texts; those from `first` on as numbers that were written."""
    numbers: list[Value] = [
        context.numbers(value, node.place)
        for value, node in zip(args[first:], call.args[first:], strict=True)
    ]
    return _texts(context, call, [*args[:first], *numbers])


def _substring(context: Context, call: Call, args: Sequence[Value]) -> Value:
    return _text_result(context, call, _with_numbers(context, call, args, 1), substring)


def substring(text: str, start: str, count: str | None = None) -> str | None:
    """
    Return a part of a text (ISO/IEC 9075-2, character substring function).

    Characters are counted from 1, and those before the first are not there. None for
    numbers that are not whole, or a negative count.

    Examples
    --------
    >>> substring("North", "2", "3"), substring("North", "0", "2")
    ('ort', 'N')
    """
    begin, size = _whole(start), None if count is None else _whole(count)
    if begin is None or (count is not None and (size is None or size < 0)):
        return None
    end = len(text) + 1 if size is None else begin + size
    return text[max(begin, 1) - 1 : max(end, 1) - 1]


def _overlay(context: Context, call: Call, args: Sequence[Value]) -> Value:
    texts = _with_numbers(context, call, args, 2)

    def overlay(text: str, new: str, start: str, count: str = "") -> str | None:
        begin = _whole(start)
        size = _whole(count) if count else len(new)
        if begin is None or size is None or begin < 1 or size < 0:
            return None
        return text[: begin - 1] + new + text[begin - 1 + size :]

    return _text_result(context, call, texts, overlay)


def _padded(to_left: bool) -> Operation:
    def pad(text: str, width: str, mark: str = " ") -> str | None:
        size = _whole(width)
        if size is None or not 0 <= size <= _LONGEST_PADDED:
            return None
        if len(text) >= size or not mark:
            return text[:size]
        missing = size - len(text)
        more = (mark * (missing // len(mark) + 1))[:missing]
        return more + text if to_left else text + more

    def work(context: Context, call: Call, args: Sequence[Value]) -> Value:
        width = context.numbers(args[1], call.args[1].place)
        texts = _texts(context, call, [args[0], width, *args[2:]])
        # What is filled up with may be white space.
        marks = texts[2:]
        texts[2:] = [mark._replace(blank=np.zeros(1, np.bool_)) for mark in marks]
        return _text_result(context, call, texts, pad)

    return work


def _trim(context: Context, call: Call, args: Sequence[Value]) -> Value:
    text = context.texts(args[-1], call.args[-1].place)
    marks = " "
    if len(args) > 1:
        found = context.texts(args[0], call.args[0].place)
        if len(found.column) != 1:
            raise BadFormula(
                f"{call.args[0].place.written} is no text that is written here.",
                "Write the characters to take off in single quotes.",
                call.args[0].place,
            )
        marks = found.column[0].as_py()
    side = next((word for word in call.detail if word != "FROM"), "BOTH")
    strip = {"BOTH": str.strip, "LEADING": str.lstrip, "TRAILING": str.rstrip}[side]
    return _text_result(context, call, [text], lambda cell: strip(cell, marks))


def _stripping(strip: Callable[..., str]) -> Operation:
    def work(context: Context, call: Call, args: Sequence[Value]) -> Value:
        texts = _texts(context, call, args)
        texts[1:] = [mark._replace(blank=np.zeros(1, np.bool_)) for mark in texts[1:]]
        return _text_result(
            context, call, texts, lambda cell, marks=" ": strip(cell, marks)
        )

    return work


def _replace(context: Context, call: Call, args: Sequence[Value]) -> Value:
    texts = _texts(context, call, args)
    # Taking something out is replacing it by a blank text.
    texts[1:] = [each._replace(blank=np.zeros(1, np.bool_)) for each in texts[1:]]

    def replaced(text: str, old: str, new: str) -> str:
        if not old:
            return text
        if len(new) > len(old) and len(text) * len(new) > _LONGEST_PADDED:
            # Before it is made: one cell could fill the memory.
            context.room.check(len(text) + text.count(old) * (len(new) - len(old)))
        return text.replace(old, new)

    return _text_result(context, call, texts, replaced)


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
        return Numbers(rounded(number.amounts, 0, mode), number.blank)

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
            "To say so, or to round otherwise, write ROUND(number, digits, HALF UP), "
            "HALF EVEN, HALF DOWN, UP, DOWN, CEILING or FLOOR.",
        )
    result = rounded(number.amounts, digits, mode)
    return Numbers(result, number.blank, max(0, digits))


def _written_whole(call: Call, place: int) -> int:
    """Return an argument that must be a whole number written in the formula."""
    node = call.args[place]
    sign = 1
    if isinstance(node, Call) and node.name == "-":
        node, sign = node.args[0], -1
    value = node.value if isinstance(node, Literal) else None
    whole = (
        _whole(f"{value:f}")
        if not isinstance(value, str | bool) and hasattr(value, "as_tuple")
        else None
    )
    if whole is None or whole > _FURTHEST_DIGIT:
        raise BadFormula(
            f"{call.args[place].place.written} is no number of digits.",
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
        blank = np.broadcast_to(_blank(values), context.n)
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
        _stripping(str.strip),
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
        "CHAR_LENGTH(text)", "how many characters it has", _ONE, _length
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
    "LOWER": Function("LOWER(text)", "in small letters", _ONE, _on_texts(str.lower)),
    "LPAD": Function(
        "LPAD(text, length) or LPAD(text, length, fill)",
        "filled up in front, or cut, to a length",
        _TWO + ((",", ","),),
        _padded(True),
    ),
    "LTRIM": Function(
        "LTRIM(text) or LTRIM(text, characters)",
        "the text without spaces, or those characters, in front",
        _ONE + _TWO,
        _stripping(str.lstrip),
    ),
    "MOD": Function(
        "MOD(a, b)", "what is left of a divided by b, with a's sign", _TWO, _remainder
    ),
    "NULLIF": Function("NULLIF(a, b)", "a, or blank where it equals b", _TWO, _nullif),
    "OVERLAY": Function(
        "OVERLAY(text PLACING new FROM start FOR count)",
        "the text with some characters replaced by others",
        (("PLACING", "FROM"), ("PLACING", "FROM", "FOR")),
        _overlay,
    ),
    "POSITION": Function(
        "POSITION(part IN text)",
        "where a part begins, 0 if nowhere",
        (("IN",),),
        _position,
    ),
    "REPLACE": Function(
        "REPLACE(text, old, new)",
        "the text with every old part replaced",
        ((",", ","),),
        _replace,
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
        _padded(False),
    ),
    "RTRIM": Function(
        "RTRIM(text) or RTRIM(text, characters)",
        "the text without spaces, or those characters, behind",
        _ONE + _TWO,
        _stripping(str.rstrip),
    ),
    "SUBSTRING": Function(
        "SUBSTRING(text FROM start FOR count)",
        "a part of the text; characters count from 1",
        (("FROM",), ("FROM", "FOR")),
        _substring,
    ),
    "TRANSLATE_REGEX": Function(
        "TRANSLATE_REGEX(pattern IN text WITH new)",
        "the text with what matches a pattern (RE2) replaced; \\1 is its first group",
        (("IN", "WITH"),),
        operators.translate_regex,
    ),
    "TRIM": Function(
        "TRIM(text) or TRIM(BOTH characters FROM text)",
        "the text without spaces, or those characters, at its ends: BOTH, LEADING or "
        "TRAILING",
        (),
        _trim,
    ),
    "UPPER": Function("UPPER(text)", "in capitals", _ONE, _on_texts(str.upper)),
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
    "LIKE": operators.like,
    "LIKE_REGEX": operators.like_regex,
}
