"""What a formula is made of, once it was read.

Everything that works on values is a `Call`, operators too: ``a + b`` calls ``+``.
"""

from __future__ import annotations

from decimal import Decimal
from typing import NamedTuple

from gruff_ledger.problems import BadTerms


class Place(NamedTuple):
    """Where in the text of a formula something stands."""

    text: str
    start: int
    end: int

    @property
    def written(self) -> str:
        """What stands there."""
        return self.text[self.start : self.end]


class Interval(NamedTuple):
    """A span of time: whole months, and microseconds."""

    months: int
    micros: int


class DateLiteral(NamedTuple):
    """A date, or a date with its time, as microseconds since 1970."""

    value: int
    timed: bool


class Literal(NamedTuple):
    """A value as it is written; None for NULL."""

    value: Decimal | str | bool | DateLiteral | Interval | None
    place: Place


class Field(NamedTuple):
    """The cell of a field."""

    name: str
    place: Place


class Call(NamedTuple):
    """
    A function or operator on values.

    Attributes
    ----------
    name : str
        In capitals, with the words between the arguments that tell forms apart.
    args : tuple of nodes
    place : Place
    detail : tuple of str
        Words that are no values: a type, a unit, a way of rounding.
    """

    name: str
    args: tuple[Node, ...]
    place: Place
    detail: tuple[str, ...] = ()


class Chain(NamedTuple):
    """
    Values with operators between them, worked out from left to right.

    A long chain is one node, and not one in another: its length costs no depth.
    """

    first: Node
    rest: tuple[tuple[str, Node], ...]
    place: Place


class Case(NamedTuple):
    """Conditions with the value each one gives, and the value where none holds."""

    whens: tuple[tuple[Node, Node], ...]
    otherwise: Node
    place: Place


Node = Literal | Field | Call | Chain | Case

# How much of a formula is shown around what is wrong with it.
_SHOWN_CHARACTERS = 72


class BadFormula(BadTerms):
    """
    A formula that cannot be followed.

    Parameters
    ----------
    what, remedy : str
    place : Place
        What is marked by carets beneath the formula.
    """

    def __init__(self, what: str, remedy: str, place: Place) -> None:
        super().__init__(what, remedy)
        self.excerpt = _marked(place)


def _marked(place: Place) -> str:
    """Return the line of a formula with carets beneath what is wrong."""
    begin = place.text.rfind("\n", 0, place.start) + 1
    end = place.text.find("\n", place.start)
    line = place.text[begin : end if end >= 0 else None]
    at = place.start - begin
    width = max(1, min(place.end - begin, len(line)) - at)
    cut = max(0, at - _SHOWN_CHARACTERS // 2)
    shown = line[cut : cut + _SHOWN_CHARACTERS]
    # Each character keeps its place: what cannot be shown is shown as a space.
    shown = "".join(mark if mark.isprintable() else " " for mark in shown)
    before, after = "..." if cut else "", "..." if len(line) > cut + len(shown) else ""
    indent = len(before) + at - cut
    carets = "^" * max(1, min(width, len(shown) - (at - cut)))
    return f"    {before}{shown}{after}\n    {' ' * indent}{carets}"
