"""Functions whose arguments are not all values, each with the way it is written.

A form reads what stands between its brackets, and raises `OtherForm` where that is not
written as it should be; whoever calls it marks the whole call then.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from gruff_ledger.formula.literals import UNITS, read_literal
from gruff_ledger.formula.nodes import BadFormula, Literal, Node, Place
from gruff_ledger.formula.tokens import TYPES_REMEDY, Cursor, Kind, Token

# Words that part the arguments of a function, as a comma does.
SEPARATORS = ("AS", "FROM", "FOR", "PLACING", "WITH")

_SIDES = ("LEADING", "TRAILING", "BOTH")
_MODES = {
    "HALF UP": "half-up",
    "HALF EVEN": "half-even",
    "HALF DOWN": "half-down",
    "UP": "up",
    "DOWN": "down",
    "CEILING": "ceiling",
    "FLOOR": "floor",
}

Arguments = tuple[tuple[Node, ...], tuple[str, ...]]


class OtherForm(Exception):
    """What stands between the brackets of a call is written in another way."""


class OwnForm(NamedTuple):
    """How a function is written, and what reads what stands between its brackets."""

    written: str
    read: Callable[[Cursor, Callable[[], Node]], Arguments]


def take_separator(cursor: Cursor) -> str:
    """Take a comma or word behind an argument; nothing where the call is closed."""
    token = cursor.next
    if token.word == ")":
        return ""
    if not cursor.takes(",", *SEPARATORS):
        cursor.refuse()
    return token.word


def _expect(cursor: Cursor, word: str) -> None:
    """Take a word that must stand behind an argument."""
    if take_separator(cursor) != word:
        raise OtherForm


def _between(first: Token, last: Token) -> Place:
    return Place(first.place.text, first.place.start, last.place.end)


def _take_names(cursor: Cursor) -> Place | None:
    """Take the names that stand behind one another, and return their place."""
    first = last = cursor.next
    if first.kind is not Kind.NAME:
        return None
    while cursor.next.kind is Kind.NAME and not cursor.next.is_reserved:
        last = cursor.take()
    return _between(first, last)


def _read_cast(cursor: Cursor, read: Callable[[], Node]) -> Arguments:
    value = read()
    _expect(cursor, "AS")
    first = cursor.next
    place = _take_names(cursor)
    if place is None:
        cursor.take()
        place = first.place
    if place.end > first.place.end or first.kind is not Kind.NAME:
        raise BadFormula(f"{place.written} is not a type.", TYPES_REMEDY, place)
    return (value,), (first.word, *_take_sizes(cursor))


def _take_sizes(cursor: Cursor) -> list[str]:
    """Take one or two whole numbers in brackets, where there are any."""
    sizes: list[str] = []
    if cursor.next.word != "(":
        return sizes
    cursor.open()
    while not sizes or (len(sizes) == 1 and cursor.takes(",")):
        sizes.append(cursor.take().place.written)
        if not sizes[-1].isdigit():
            raise OtherForm
    if cursor.next.word != ")":
        raise OtherForm
    cursor.close(")")
    return sizes


def _read_extract(cursor: Cursor, read: Callable[[], Node]) -> Arguments:
    unit = cursor.next
    place = unit.place
    if unit.kind is Kind.NAME and cursor.following.word in (*SEPARATORS, ",", ")"):
        cursor.take()
    else:
        place = read().place
    _expect(cursor, "FROM")
    if place.written.upper() not in UNITS:
        raise BadFormula(
            f"{place.written} is not a part of a date.",
            f"The parts are {', '.join(UNITS)}.",
            place,
        )
    return (read(),), (unit.word,)


def _read_round(cursor: Cursor, read: Callable[[], Node]) -> Arguments:
    if cursor.next.word == ")":
        raise OtherForm
    args = [read()]
    while separator := take_separator(cursor):
        if separator != ",":
            raise OtherForm
        if len(args) == 2:
            return tuple(args), (_read_mode(cursor, read),)
        args.append(read())
    return tuple(args), ()


def _read_mode(cursor: Cursor, read: Callable[[], Node]) -> str:
    names = _take_names(cursor)
    place = names or read().place
    mode = _MODES.get(" ".join(place.written.upper().split()))
    if mode is None or names is None:
        raise BadFormula(
            f"{place.written} is not a way of rounding.",
            f"The ways are {', '.join(_MODES)}.",
            place,
        )
    return mode


def _read_trim(cursor: Cursor, read: Callable[[], Node]) -> Arguments:
    side = cursor.next.word if cursor.next.word in _SIDES else ""
    if side and cursor.following.word == "FROM":
        cursor.take()
        cursor.take()
        return (read(),), (side, "FROM")
    if side and cursor.following.kind is Kind.TEXT:
        cursor.take()
        characters: Node = read_literal(cursor)
        assert isinstance(characters, Literal)
        _expect(cursor, "FROM")
        return (characters, read()), (side, "FROM")
    first = read()
    separator = take_separator(cursor)
    if not separator:
        return (first,), ()
    if separator != "FROM":
        raise OtherForm
    return (first, read()), ("FROM",)


OWN_FORMS = {
    "CAST": OwnForm("CAST(value AS type)", _read_cast),
    "EXTRACT": OwnForm("EXTRACT(unit FROM date)", _read_extract),
    "ROUND": OwnForm("ROUND(number, digits, mode)", _read_round),
    "TRIM": OwnForm("TRIM(text) or TRIM(BOTH 'characters' FROM text)", _read_trim),
}
