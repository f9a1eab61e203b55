"""Values written in a formula, and words with a meaning of their own."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from gruff_ledger.cells.dates.moments import DAY, SECOND, read_moment
from gruff_ledger.formula.nodes import (
    BadFormula,
    DateLiteral,
    Field,
    Interval,
    Literal,
    Node,
    Place,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from lark import Token


# Words of the language that cannot be the name of a field without quotes.
RESERVED = frozenset(
    (
        "OR",
        "AND",
        "NOT",
        "IS",
        "NULL",
        "TRUE",
        "FALSE",
        "UNKNOWN",
        "BETWEEN",
        "IN",
        "LIKE",
        "LIKE_REGEX",
        "ESCAPE",
        "CASE",
        "WHEN",
        "THEN",
        "ELSE",
        "END",
        "AS",
        "FROM",
        "FOR",
        "PLACING",
        "WITH",
    )
)


def without_operator(token: Token, place: Place) -> BadFormula:
    """Word that a value stands right behind another."""
    remedy = "Write an operator before it, such as + or AND."
    if token.type == "NAME":
        remedy += " A field with spaces in its name stands in double quotes."
    if token.type not in ("NAME", "QUOTED", "STRING", "NUMBER", "LPAR"):
        remedy = "Take it out, or write what is missing before it."
    return BadFormula(f"'{token}' was not expected here.", remedy, place)


COMPARISONS = frozenset(("=", "<>", "!=", "<", "<=", ">", ">="))
TESTS = frozenset(("NULL", "TRUE", "FALSE", "UNKNOWN"))
WORD_VALUES = {"NULL": None, "TRUE": True, "FALSE": False}
MICROS = {
    "DAY": DAY,
    "HOUR": 3600 * SECOND,
    "MINUTE": 60 * SECOND,
    "SECOND": SECOND,
}
UNITS = ("YEAR", "MONTH", *MICROS)
SIDES = ("LEADING", "TRAILING", "BOTH")
MODES = {
    "HALF UP": "half-up",
    "HALF EVEN": "half-even",
    "HALF DOWN": "half-down",
    "UP": "up",
    "DOWN": "down",
    "CEILING": "ceiling",
    "FLOOR": "floor",
}

# Functions whose arguments are not all values, and how they are written.
OWN_FORMS = {
    "CAST": "CAST(value AS type)",
    "EXTRACT": "EXTRACT(unit FROM date)",
    "ROUND": "ROUND(number, digits, mode)",
    "TRIM": "TRIM(text) or TRIM(BOTH 'characters' FROM text)",
}


def named_field(name: str, place: Place) -> Node:
    """Return the node of a name: a field, or a word that is a value."""
    upper = name.upper()
    if upper in WORD_VALUES:
        return Literal(WORD_VALUES[upper], place)
    if upper in RESERVED:
        raise word_for_value(name, place)
    return Field(name, place)


def word_for_value(word: str, place: Place) -> BadFormula:
    """Word that a word of the language stands where a value should."""
    return BadFormula(
        f"'{word}' is a word of the language, and a value is expected here.",
        "A field of that name stands in double quotes.",
        place,
    )


def typed_value(text: str, tree: Any, place: Place) -> Literal:
    """Read ``DATE '...'``, ``TIMESTAMP '...'`` or ``INTERVAL '...' unit``."""
    word, written, *units = tree.children
    kind = str(word).upper()
    if kind == "INTERVAL":
        return read_interval(written, units, place)
    start = Place(text, (units or [written])[-1].start_pos, place.end)
    if kind not in ("DATE", "TIMESTAMP") or units:
        raise without_operator((units or [written])[-1], start)
    moment = read_moment(unquoted(written))
    timed = kind == "TIMESTAMP"
    if moment is None or (moment[1] and not timed):
        form = "2026-05-01 14:30:00" if timed else "2026-05-01"
        raise BadFormula(
            f"{written} is no {'time' if timed else 'date'} of ISO 8601.",
            f"Write it as in {kind} '{form}'.",
            place,
        )
    return Literal(DateLiteral(moment[0], timed), place)


def read_interval(written: str, units: Sequence[str], place: Place) -> Literal:
    """Return an interval."""
    match = re.fullmatch(r"\s*([+-]?[0-9]{1,9})\s*", unquoted(written))
    unit = str(units[0]).upper() if units else ""
    if match is None or unit not in UNITS:
        raise BadFormula(
            f"{written} is no whole number."
            if match is None
            else "the unit is missing.",
            f"Write an interval as in INTERVAL '7' DAY; units are {', '.join(UNITS)}.",
            place,
        )
    count = int(match[1])
    months = {"YEAR": 12, "MONTH": 1}.get(unit, 0)
    return Literal(Interval(count * months, count * MICROS.get(unit, 0)), place)


def unquoted(text: str) -> str:
    """Return a text without its quotes."""
    return text[1:-1].replace(text[0] * 2, text[0])
