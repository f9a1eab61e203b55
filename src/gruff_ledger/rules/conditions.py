"""What one rule asks of cells by themselves: datatypes, patterns, bounds, lengths."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa

from gruff_ledger.cells.dates.found import find_dates
from gruff_ledger.cells.dates.moments import DatePattern, read_moments
from gruff_ledger.cells.dates.shapes import ISO
from gruff_ledger.cells.keys.distinct import combinations
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.numbers.amounts import compared, constant, to_column
from gruff_ledger.cells.numbers.forms import PLAIN, number_pattern
from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.cells.numbers.shapes import shape_of
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.columns.arrays import arrow_functions, text_column
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.formula.evaluate import Evaluation
from gruff_ledger.formula.values import Cells
from gruff_ledger.problems import BadTerms
from gruff_ledger.rules.rule import DATES, NUMBERS, Rule
from gruff_ledger.written.way import Way

_TIME = r"(?:[01][0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]{1,6})?)?"

_DATATYPES = {
    "number": "a number",
    "decimal": "a number",
    "integer": "a whole number",
    "date": "a date",
    "datetime": "a date with a time",
    "time": "a time (hh:mm)",
}


class Breach(NamedTuple):
    """
    What part of a rule some records break.

    Attributes
    ----------
    name : str
        The rule in words.
    says : str
        The message, unless the rule has one of its own.
    mask : ndarray of bool, shape (n,)
    nearest : callable, optional
        From the mask in force, the allowed value most like each cell found.
    """

    name: str
    says: str
    mask: Mask
    nearest: Callable[[Mask], Column] | None = None


def not_of_datatype(
    evaluation: Evaluation, rule: Rule, heading: str, cells: Cells
) -> Breach:
    """Find cells that do not hold the datatype of a rule."""
    assert rule.datatype is not None
    form = evaluation.form_words(cells)
    if rule.datatype in NUMBERS:
        numbers, wrong = evaluation.as_numbers(cells)
        if rule.datatype == "integer":
            wrong = wrong | _has_part(numbers.amounts)
    elif rule.datatype in DATES:
        dates, wrong = evaluation.as_dates(cells)
        if rule.datatype == "date" and cells.way is None:
            wrong = wrong | dates.moments.timed
        elif rule.datatype == "datetime" and cells.way is None:
            wrong = wrong | ~dates.moments.timed
    elif rule.datatype == "time":
        wrong = ~matches(cells.column, _TIME)
    else:
        words = rule.truths()
        what = " or ".join(words[:2])
        wrong = index_in(cells.column, words) < 0
        return Breach(f"{heading} is {what}", f"{heading} is not {what}.", wrong)
    what = _DATATYPES[rule.datatype] + form
    return Breach(f"{heading} is {what}", f"{heading} is not {what}.", wrong)


def not_in_pattern(
    evaluation: Evaluation, rule: Rule, heading: str, cells: Cells
) -> Breach:
    """Find numbers that the pattern of a rule would write otherwise."""
    assert rule.format_ is not None
    pattern, form = number_pattern(rule.format_), PLAIN
    (way, *others) = evaluation.table.writing(heading).ways
    if isinstance(way, Way) and way.numbers and not others:
        form = way.numbers[0]
    group = form.group or ("," if form.decimal == "." else ".")
    numbers, wrong = evaluation.as_numbers(cells)
    plain, _ = to_column(numbers.amounts)
    texts, codes = combinations([cells.column, plain])

    def differs(text: str, number: str) -> bool:
        written = pattern.write(Decimal(number), form.decimal, group)
        return written != text

    mask = np.fromiter((differs(*pair) for pair in texts), np.bool_, len(texts))[codes]
    # What is no number is said already.
    mask &= ~(wrong | numbers.blank)
    what = f"written as {rule.format_}"
    return Breach(f"{heading} is {what}", f"{heading} is not {what}.", mask)


def out_of_bounds(
    evaluation: Evaluation, rule: Rule, heading: str, cells: Cells
) -> Iterator[Breach]:
    """Find cells below the least or above the greatest value of a rule."""
    stated = [each for each in rule.bounds() if each is not None]
    if not stated:
        return
    is_date = rule.datatype in DATES or (
        rule.datatype is None and number_of(stated[0]) is None
    )
    if rule.datatype is None:
        # Without a datatype the bound tells what a cell must be to keep it.
        kind = "date" if is_date else "number"
        as_said = Rule(field=rule.field, datatype=kind)  # type: ignore[arg-type]
        yield not_of_datatype(evaluation, as_said, heading, cells)
    sides = (
        ("minimum", rule.minimum, "below", "at least", (-1,)),
        ("maximum", rule.maximum, "above", "at most", (1,)),
        ("min-exclusive", rule.min_exclusive, "not above", "above", (-1, 0)),
        ("max-exclusive", rule.max_exclusive, "not below", "below", (1, 0)),
    )
    for term, bound, is_wrong, should_be, signs in sides:
        if bound is None:
            continue
        order, readable = _compare_to_bound(
            evaluation, cells, bound, term, is_date=is_date
        )
        yield Breach(
            f"{heading} is {should_be} {bound}",
            f"{heading} is {is_wrong} {bound}.",
            _is_one_of(order, signs) & readable,
        )


def _compare_to_bound(
    evaluation: Evaluation, cells: Cells, bound: str, term: str, *, is_date: bool
) -> tuple[Any, Mask]:
    """Return the order of cells to a bound, and which cells can be compared."""
    if is_date:
        read = _moment_of(bound, cells)
        if read is None:
            raise BadTerms(
                f"the {term} '{bound}' is not a date of ISO 8601.",
                "Write it as in 2026-05-01.",
            )
        dates, wrong = evaluation.as_dates(cells)
        values = dates.moments.values
        return (values > read[0]).astype(np.int8) - (values < read[0]), ~wrong
    number = number_of(bound)
    if number is None:
        shape = shape_of(bound)
        number = None if shape is None or shape.doubt else shape.value
    if number is None:
        raise BadTerms(f"the {term} '{bound}' is not a number.", "Write it as in 12.5.")
    numbers, wrong = evaluation.as_numbers(cells)
    return compared(numbers.amounts, constant(Decimal(number))), ~wrong


def _moment_of(bound: str, cells: Cells) -> tuple[int, bool] | None:
    """Return the moment that a bound is, where it can be one only."""
    column = text_column([bound])
    found = find_dates(column, () if cells.way is None else (*cells.way.dates, ISO))
    moments, is_date = found.moments, found.is_date
    if not is_date.all() and cells.way is not None:
        for pattern in cells.way.patterns:
            moments, is_date = read_moments(column, DatePattern(pattern))
    if found.doubts is not None or not is_date.all():
        return None
    return int(moments.values[0]), bool(moments.timed[0])


def _is_one_of(order: Any, signs: Sequence[int]) -> Mask:
    """Mark where an order is one of -1, 0 and 1."""
    found: Mask = np.logical_or.reduce([order == sign for sign in signs])
    return found


def _has_part(amounts: Any) -> Mask:
    """Mark the numbers that are not whole."""
    if not amounts.scale:
        return np.zeros(len(amounts.values), np.bool_)
    found: Mask = amounts.values % 10**amounts.scale != 0
    return found.astype(np.bool_)


def matches(column: Column, pattern: str) -> Mask:
    """Mark the cells that a pattern (RE2) matches from their start to their end."""
    try:
        return matching(column, rf"\A(?:{pattern})\z")
    except pa.ArrowInvalid as error:
        reason = re.sub(r"^Invalid regular expression: ", "", str(error).split("\n")[0])
        raise BadTerms(
            f"the pattern '{pattern}' cannot be used: {reason.rstrip('.')}.",
            "Correct it; it is of the RE2 dialect.",
        ) from None


def of_wrong_length(rule: Rule, heading: str, column: Column) -> Iterator[Breach]:
    """Find cells that are shorter or longer than a rule says."""
    sides = (
        (rule.length, "exactly", (-1, 1)),
        (rule.min_length, "at least", (-1,)),
        (rule.max_length, "at most", (1,)),
    )
    if all(wanted is None for wanted, _, _ in sides):
        return
    lengths = arrow_functions().call_function("utf8_length", [column]).to_numpy()
    for wanted, how, signs in sides:
        if wanted is None:
            continue
        order = (lengths > wanted).astype(np.int8) - (lengths < wanted)
        what = f"{how} {wanted} {'character' if wanted == 1 else 'characters'}"
        yield Breach(
            f"{heading} has {what}",
            f"{heading} does not have {what}.",
            _is_one_of(order, signs),
        )
