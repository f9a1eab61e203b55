"""The functions on texts."""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.numbers.amounts import Amounts
from gruff_ledger.columns.arrays import spread_column
from gruff_ledger.columns.types import Mask
from gruff_ledger.formula.context import Context, Operation
from gruff_ledger.formula.deciding import decided
from gruff_ledger.formula.nodes import BadFormula, Call
from gruff_ledger.formula.values import Numbers, Texts, Value

# A text longer than this in every record would fill the memory.
_LONGEST_PADDED = 10_000


def _texts(context: Context, call: Call, args: Sequence[Value]) -> list[Texts]:
    return [
        context.texts(value, node.place)
        for value, node in zip(args, call.args, strict=True)
    ]


def blank_value(values: Sequence[Any]) -> Mask:
    """Return where one of the values is blank."""
    return functools.reduce(np.logical_or, [value.blank for value in values])


def on_texts(decide: Callable[..., str]) -> Operation:
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
    blank = blank_value(texts)
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
    return Numbers(Amounts(np.array(results, np.int64)[codes], 0), blank_value(texts))


def length_of(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """CHAR_LENGTH: how many characters a text has."""
    return _number_result(_texts(context, call, args), len)


def position_of(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """POSITION: where a part begins in a text, from 1; 0 where it does not."""
    texts = _texts(context, call, args)
    return _number_result(texts, lambda part, text: text.find(part) + 1)


def whole_numbers(text: str) -> int | None:
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


def substring_of(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """SUBSTRING: a part of a text."""
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
    begin, size = whole_numbers(start), None if count is None else whole_numbers(count)
    if begin is None or (count is not None and (size is None or size < 0)):
        return None
    end = len(text) + 1 if size is None else begin + size
    return text[max(begin, 1) - 1 : max(end, 1) - 1]


def overlay_text(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """OVERLAY: a text with a part of it replaced by another."""
    texts = _with_numbers(context, call, args, 2)

    def overlay(text: str, new: str, start: str, count: str = "") -> str | None:
        begin = whole_numbers(start)
        size = whole_numbers(count) if count else len(new)
        if begin is None or size is None or begin < 1 or size < 0:
            return None
        return text[: begin - 1] + new + text[begin - 1 + size :]

    return _text_result(context, call, texts, overlay)


def pad_text(to_left: bool) -> Operation:
    """Return LPAD or RPAD: a text made as wide as is asked."""

    def pad(text: str, width: str, mark: str = " ") -> str | None:
        size = whole_numbers(width)
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


def trim_text(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """TRIM: a text without marks at its ends."""
    text = context.texts(args[-1], call.args[-1].place)
    marks = " "
    if len(args) > 1:
        found = context.texts(args[0], call.args[0].place)
        if len(found.column) != 1:
            raise BadFormula(
                f"{call.args[0].place.written} is not a text in single quotes.",
                "Write the characters to take off in single quotes.",
                call.args[0].place,
            )
        marks = found.column[0].as_py()
    side = next((word for word in call.detail if word != "FROM"), "BOTH")
    strip = {"BOTH": str.strip, "LEADING": str.lstrip, "TRAILING": str.rstrip}[side]
    return _text_result(context, call, [text], lambda cell: strip(cell, marks))


def strip_text(strip: Callable[..., str]) -> Operation:
    """Return LTRIM, RTRIM or BTRIM, by what strips one text."""

    def work(context: Context, call: Call, args: Sequence[Value]) -> Value:
        texts = _texts(context, call, args)
        texts[1:] = [mark._replace(blank=np.zeros(1, np.bool_)) for mark in texts[1:]]
        return _text_result(
            context, call, texts, lambda cell, marks=" ": strip(cell, marks)
        )

    return work


def replace_text(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """REPLACE: a text with all of a part replaced."""
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
