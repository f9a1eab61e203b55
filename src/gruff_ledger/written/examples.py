"""What examples say of how a field is written: numbers, dates, patterns of LDML."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from gruff_ledger.cells.dates.moments import DatePattern
from gruff_ledger.cells.dates.shapes import (
    DAY_FIRST,
    MONTH_FIRST,
    UNKNOWN,
    DateStyle,
    date_shape,
)
from gruff_ledger.cells.numbers.forms import NumberForm
from gruff_ledger.cells.numbers.shapes import Shape, shape_of
from gruff_ledger.problems import BadTerms
from gruff_ledger.written.way import Way

# The ways of numbers and dates that are written plainly, as typed sources give them.
PLAIN_WAY = Way(("1234.56",), (NumberForm(),))
ISO_WAY = Way(("2026-12-31",), (), (DateStyle("year"),))


def way_of(examples: Sequence[str], field: str) -> Way:
    """
    Return the way that examples show.

    Parameters
    ----------
    examples : sequence of str
        Each a number, a date, or a pattern of LDML for dates (letters, no figures). One
        text may hold several, parted by a comma and a space.
    field : str
        What is written so, for messages.

    Raises
    ------
    BadTerms
        If one is neither, or could be two; if some are numbers and others dates.

    Examples
    --------
    >>> way_of(["1.234,56 €"], "Fee").numbers[0].decimal
    ','
    >>> [style.order for style in way_of(["31/12/2026, Dec 3, 2026"], "Day").dates]
    ['day', 'month']
    """
    shapes: list[tuple[Shape, str]] = []
    dates: list[DateStyle] = []
    patterns: list[str] = []
    told = _each_example(examples)
    for example in told:
        shape, date = shape_of(example), date_shape(example)
        if _is_pattern(example):
            patterns.append(DatePattern(example).pattern)
        elif shape is not None:
            shapes.append((shape, example))
        elif date is not None:
            dates.append(_settled_style(date.style, example, field))
        else:
            raise BadTerms(
                f"'{example}' is neither a number nor a date.",
                f"Show how '{field}' is written, as in `written` '{field}=1.234,56 €' "
                f"or '{field}=31/12/2026'.",
                term="written",
            )
    if shapes and (dates or patterns):
        raise BadTerms(
            f"'{field}' is shown with a number and with a date: {', '.join(told)}.",
            "Show one or the other.",
            term="written",
        )
    if not told:
        raise BadTerms(
            f"no example of '{field}' was given.",
            f"Give one, as in '{field}=1.234,56 €'.",
            term="written",
        )
    return Way(tuple(told), _forms_of(shapes, field), tuple(dates), tuple(patterns))


def _each_example(examples: Sequence[str]) -> list[str]:
    """Part texts of several examples; a date such as ``Dec 31, 2026`` stays whole."""
    found: list[str] = []
    for text in examples:
        pieces = [piece for piece in re.split(r",\s+", text.strip()) if piece]
        while pieces:
            # The shortest beginning that is one date, else a single piece.
            lengths = range(1, len(pieces) + 1)
            whole = next((n for n in lengths if _is_date(", ".join(pieces[:n]))), 1)
            found.append(", ".join(pieces[:whole]).strip())
            del pieces[:whole]
    return found


def _is_date(text: str) -> bool:
    return _is_pattern(text) or date_shape(text) is not None


def _is_pattern(text: str) -> bool:
    """Whether a text is a pattern for dates: letters of one, and no figure."""
    bare = re.sub(r"'[^']*'", "", text)
    has_letters = {"y", "M", "d"} <= {*bare}
    return has_letters and re.fullmatch(r"[^0-9]*", text) is not None


def _forms_of(
    shapes: Sequence[tuple[Shape, str]], field: str
) -> tuple[NumberForm, ...]:
    """Return the form of each number; one without marks has those of the first."""
    forms = [_form_of(shape, example, field) for shape, example in shapes]
    marked = [
        each for each, (shape, _) in zip(forms, shapes, strict=True) if shape.decimal
    ]
    if not marked:
        return tuple(forms)
    first = marked[0]
    return tuple(
        form
        if shape.decimal or shape.group
        else msgspec.structs.replace(form, decimal=first.decimal, group=first.group)
        for form, (shape, _) in zip(forms, shapes, strict=True)
    )


def _form_of(shape: Shape, example: str, field: str) -> NumberForm:
    if shape.doubt:
        mark, other = shape.doubt, "," if shape.doubt == "." else "."
        raise BadTerms(
            f"'{example}' could be {shape.value:f} or {shape.grouped_value:f}.",
            f"Show it by '{field}=1{mark}234{other}5' if '{mark}' parts thousands, or "
            f"by '{field}=1234{mark}5' if decimals follow it.",
            term="written",
        )
    return NumberForm(
        decimal=shape.decimal or ("," if shape.group == "." else "."),
        group=shape.group,
        currency=shape.currency,
        percent=shape.is_percent,
        brackets=shape.in_brackets,
        trailing_minus=shape.has_trailing_minus,
        exponent=shape.has_exponent,
    )


def _settled_style(style: DateStyle, example: str, field: str) -> DateStyle:
    if style.order != UNKNOWN:
        return style
    day = style._replace(order=DAY_FIRST, has_time=False).example
    month = style._replace(order=MONTH_FIRST, has_time=False).example
    raise BadTerms(
        f"'{example}' could be a date with the day or with the month first.",
        f"Show it by '{field}={day}' or by '{field}={month}'.",
        term="written",
    )
