"""Values written in a formula: numbers, texts, dates, times and spans of time."""

from __future__ import annotations

import re
from decimal import Decimal

from gruff_ledger.cells.dates.moments import DAY, SECOND, read_moment
from gruff_ledger.formula.nodes import (
    BadFormula,
    DateLiteral,
    Interval,
    Literal,
    Place,
)
from gruff_ledger.formula.tokens import Cursor, Kind, Token, without_operator

# Words that are a value.
VALUES: dict[str, bool | None] = {"NULL": None, "TRUE": True, "FALSE": False}
MICROS = {
    "DAY": DAY,
    "HOUR": 3600 * SECOND,
    "MINUTE": 60 * SECOND,
    "SECOND": SECOND,
}
UNITS = ("YEAR", "MONTH", *MICROS)


def read_literal(cursor: Cursor) -> Literal:
    """Take a number or a text, and return its value."""
    token = cursor.take()
    if token.kind is Kind.NUMBER:
        return Literal(Decimal(token.place.written), token.place)
    return Literal(unquoted(token), token.place)


def read_typed(cursor: Cursor) -> Literal:
    """
    Take ``DATE '...'``, ``TIMESTAMP '...'`` or ``INTERVAL '...' unit``.

    Raises
    ------
    BadFormula
        If another word stands before the text, or the text is not of that type.
    """
    word, written = cursor.take(), cursor.take()
    place = Place(word.place.text, word.place.start, written.place.end)
    if word.word == "INTERVAL":
        return _interval(cursor, place, written)
    if word.word not in ("DATE", "TIMESTAMP"):
        raise without_operator(written)
    moment = read_moment(unquoted(written))
    timed = word.word == "TIMESTAMP"
    if moment is None or (moment[1] and not timed):
        form = "2026-05-01 14:30:00" if timed else "2026-05-01"
        kind = "time" if timed else "date"
        raise BadFormula(
            f"{written.place.written} is not a {kind} of ISO 8601.",
            f"Write it as in {word.word} '{form}'.",
            place,
        )
    return Literal(DateLiteral(moment[0], timed), place)


def _interval(cursor: Cursor, place: Place, written: Token) -> Literal:
    """Return the span of time whose unit is the next token."""
    unit = ""
    if cursor.next.kind is Kind.NAME and not cursor.next.is_reserved:
        unit = cursor.next.word
        place = Place(place.text, place.start, cursor.take().place.end)
    match = re.fullmatch(r"\s*([+-]?[0-9]{1,9})\s*", unquoted(written))
    if match is None or unit not in UNITS:
        raise BadFormula(
            f"{written.place.written} is not a whole number."
            if match is None
            else "the unit is missing.",
            f"Write an interval as in INTERVAL '7' DAY; units are {', '.join(UNITS)}.",
            place,
        )
    count = int(match[1])
    months = {"YEAR": 12, "MONTH": 1}.get(unit, 0)
    return Literal(Interval(count * months, count * MICROS.get(unit, 0)), place)


def unquoted(token: Token) -> str:
    """Return a text or name without its quotes."""
    text = token.place.written
    return text[1:-1].replace(text[0] * 2, text[0])
