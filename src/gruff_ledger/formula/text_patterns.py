"""LIKE and LIKE_REGEX: patterns on texts."""

from __future__ import annotations

import contextlib
import functools
import re
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.blank import blank_mask, is_blank
from gruff_ledger.cells.text.room import text_bytes
from gruff_ledger.columns.arrays import arrow_functions
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.formula.context import Context
from gruff_ledger.formula.deciding import decided
from gruff_ledger.formula.nodes import BadFormula, Call, Literal, Place
from gruff_ledger.formula.operators import truth, written_text
from gruff_ledger.formula.values import Texts, Value

# What matches of a pattern need not be counted for.
_SURELY_SMALL_BYTES = 1 << 26


def like(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a LIKE b``: ``%`` stands for any text, ``_`` for one character."""
    texts = [
        context.texts(value, node.place)
        for value, node in zip(args, call.args, strict=True)
    ]
    for node in call.args[1:]:
        if (
            isinstance(node, Literal)
            and isinstance(node.value, str)
            and is_blank(node.value)
        ):
            raise BadFormula(
                "nothing is LIKE a blank text.",
                "To find blanks write IS NULL.",
                node.place,
            )
    escape = call.args[2].place if len(call.args) > 2 else None
    try:
        alike = _like_all(texts)
    except ValueError as error:
        raise BadFormula(
            f"the pattern cannot be used: {error}.",
            "The escape character must be followed by %, _ or itself.",
            escape or call.args[1].place,
        ) from None
    blank = functools.reduce(np.logical_or, [text.blank for text in texts])
    return truth(alike, blank)


def _like_all(texts: Sequence[Texts]) -> Mask:
    """Tell which texts are like their patterns."""
    text, *others = texts
    if len(text.column) > 1 and all(len(each.column) == 1 for each in others):
        # One pattern for all: a regular expression of it looks at all bytes at once.
        pattern, *escape = (each.column[0].as_py() for each in others)
        runs = _like_pieces(pattern, "".join(escape))
        options = arrow_functions().MatchSubstringOptions(_as_regex(runs))
        with contextlib.suppress(pa.ArrowInvalid):  # A very long pattern.
            call = arrow_functions().call_function
            found = call("match_substring_regex", [text.column], options)
            return np.asarray(found.to_numpy(), np.bool_)
    results, codes = decided(
        texts, lambda text, pattern, mark="": is_like(text, pattern, mark)
    )
    return np.array(results, np.bool_)[codes]


def _as_regex(runs: Sequence[_Run]) -> str:
    """Return a regular expression (RE2) of the parts of a pattern."""
    parts = (
        "".join("." if mark is None else re.escape(mark) for mark in run.marks)
        for run in runs
    )
    return rf"(?s)\A{'.*?'.join(parts)}\z"


class _Run(NamedTuple):
    """Characters of a pattern between two ``%``; None for any one."""

    marks: tuple[str | None, ...]
    plain: str | None

    def fits(self, text: str, at: int) -> bool:
        """Whether they stand there."""
        if self.plain is not None:
            return text.startswith(self.plain, at)
        return all(
            mark is None or text[at + place] == mark
            for place, mark in enumerate(self.marks)
        )

    def found(self, text: str, at: int, end: int) -> int:
        """Return the first place where they stand before the end; -1 for none."""
        if self.plain is not None:
            return text.find(self.plain, at, end)
        last = end - len(self.marks)
        return next((each for each in range(at, last + 1) if self.fits(text, each)), -1)


@functools.lru_cache(maxsize=1024)
def _like_pieces(pattern: str, escape: str) -> tuple[_Run, ...]:
    """Part a pattern at ``%`` into runs of characters."""
    if escape and len(escape) != 1:
        raise ValueError("an escape is one character")
    runs: list[list[str | None]] = [[]]
    marks = iter(pattern)
    for mark in marks:
        if escape and mark == escape:
            following = next(marks, "")
            if following not in ("%", "_", escape) or not following:
                raise ValueError(f"'{mark}{following}' escapes nothing")
            runs[-1].append(following)
        elif mark == "%":
            runs.append([])
        else:
            runs[-1].append(None if mark == "_" else mark)
    return tuple(
        _Run(tuple(run), None if None in run else "".join(map(str, run)))
        for run in runs
    )


def is_like(text: str, pattern: str, escape: str = "") -> bool:
    """
    Whether a text is like a pattern (ISO/IEC 9075-2, like predicate).

    Raises
    ------
    ValueError
        If the escape is not one character, or stands before what needs none.

    Examples
    --------
    >>> is_like("North pier", "N%pier"), is_like("A7", "A_"), is_like("5%", "5!%", "!")
    (True, True, True)
    """
    runs = _like_pieces(pattern, escape)
    if len(runs) == 1:
        return len(text) == len(runs[0].marks) and runs[0].fits(text, 0)
    first, *inner, last = runs
    end = len(text) - len(last.marks)
    at = len(first.marks)
    if end < at or not first.fits(text, 0) or not last.fits(text, end):
        return False
    # The earliest place of each run leaves most for the others: no way back is needed.
    for run in inner:
        at = run.found(text, at, end)
        if at < 0:
            return False
        at += len(run.marks)
    return True


def like_regex(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``a LIKE_REGEX b``: whether the pattern (RE2) matches anywhere."""
    text = context.texts(args[0], call.args[0].place)
    pattern = written_text(call, 1)
    options = arrow_functions().MatchSubstringOptions(pattern)
    found = _matched(
        lambda array: arrow_functions().call_function(
            "match_substring_regex", [array], options
        ),
        text.column,
        call.args[1].place,
    )
    return truth(np.asarray(found.to_numpy(), np.bool_), text.blank)


def _matched(work: Callable[[Any], Any], column: Any, place: Place) -> Any:
    """Use a pattern, and say what is wrong with it."""
    try:
        # On one blank text first: on none at all it is not even looked at.
        work(pa.chunked_array([pa.array([""], pa.string())]))
        return work(column)
    except pa.ArrowInvalid as error:
        reason = str(error).split("\n")[0]
        reason = re.sub(r"^Invalid regular expression: ", "", reason).rstrip(".")
        raise BadFormula(
            f"the pattern cannot be used: {reason}.",
            "Correct it; it is of the RE2 dialect.",
            place,
        ) from None


def translate_regex(context: Context, call: Call, args: Sequence[Value]) -> Value:
    """Work out ``TRANSLATE_REGEX(a IN b WITH c)``."""
    text = context.texts(args[1], call.args[1].place)
    pattern, new = written_text(call, 0), written_text(call, 2)
    _check_replaced(context, call, text.column, pattern, new)
    options = arrow_functions().ReplaceSubstringOptions(pattern, new)
    column = _matched(
        lambda array: arrow_functions().call_function(
            "replace_substring_regex", [array], options
        ),
        text.column,
        call.args[0].place,
    )
    return Texts(column, text.blank | blank_mask(column))


def _check_replaced(
    context: Context, call: Call, column: Column, pattern: str, new: str
) -> None:
    """Check how much text would be there after all matches were replaced."""
    size = text_bytes(column)
    # The new text can hold what was matched, or groups of it, several times.
    held = size * (1 + new.count("\\"))
    more = len(new.encode("utf-8"))
    matches = size + len(column)
    if held + matches * more > _SURELY_SMALL_BYTES:
        options = arrow_functions().MatchSubstringOptions(pattern)

        def counted(array: Any) -> Any:
            call_function = arrow_functions().call_function
            return call_function("count_substring_regex", [array], options)

        found = _matched(counted, column, call.args[0].place)
        matches = int(found.to_numpy().sum())
    context.room.take(held + matches * more)
