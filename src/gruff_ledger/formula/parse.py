"""Reading a formula: from text to nodes.

The language is a subset of the value expressions and search conditions of ISO/IEC
9075-2 (SQL, Foundation). Before the parser sees a text, its length, its nesting and its
quotes and brackets are checked, so that a hostile one is refused at once.
"""

from __future__ import annotations

import functools
import re
from importlib import resources
from typing import TYPE_CHECKING

from gruff_ledger.formula.climb import TYPES_REMEDY, Expression
from gruff_ledger.formula.constants import RESERVED, without_operator
from gruff_ledger.formula.nodes import BadFormula, Node, Place

if TYPE_CHECKING:
    from lark import Lark, Token

# A formula that a person writes has a few hundred characters.
MOST_CHARACTERS = 10_000
# Brackets, functions and cases in one another: each takes a score of Python's calls, of
# which a thousand may be open.
MOST_NESTED = 32


# What people write out of the habit of other languages.
_HINTS = {
    "%": "For the rest of a division write MOD(a, b).",
    "&": "For both conditions write AND, to join texts ||.",
    "|": "For one of two conditions write OR, to join texts ||.",
    "!": "For the opposite write NOT, for unequal <>.",
    "^": "Write a power as a product.",
    "==": "For equal write =.",
    "“": "Text stands in straight single quotes, a field in straight double ones.",
    "”": "Text stands in straight single quotes, a field in straight double ones.",
    "‘": "Text stands in straight single quotes: 'A'.",
    "’": "Text stands in straight single quotes: 'A'.",
    "`": "A field with spaces in its name stands in double quotes.",
    "[": "A field with spaces in its name stands in double quotes.",
    ";": "A formula is one expression, without an end mark.",
    "{": "Name a field as it is, or in double quotes.",
}


@functools.cache
def _parser() -> Lark:
    """Return the parser, by the tables made when the package was built if they fit."""
    from lark import Lark, __version__

    folder = resources.files("gruff_ledger.formula")
    made = folder / f"formula-{__version__}.tables"
    if made.is_file():
        with made.open("rb") as stream:
            return Lark.load(stream)
    grammar = (folder / "formula.lark").read_text(encoding="utf-8")
    # As in hatch_build.py.
    return Lark(grammar, parser="lalr", lexer="contextual", propagate_positions=True)


@functools.lru_cache(maxsize=256)
def parse(text: str) -> Node:
    """
    Read a formula.

    Parameters
    ----------
    text : str
        At most `MOST_CHARACTERS` long and `MOST_NESTED` deep.

    Returns
    -------
    Node

    Raises
    ------
    BadFormula
        If it is none, with the place marked.
    """
    _check(text)
    from lark import UnexpectedCharacters, UnexpectedInput, UnexpectedToken

    try:
        tree = _parser().parse(text)
    except UnexpectedCharacters as error:
        raise _unknown_character(text, error.pos_in_stream or 0) from None
    except UnexpectedToken as error:
        raise _unexpected(text, error.token, error.accepts | error.expected) from None
    except UnexpectedInput:
        raise _ended(text) from None
    return Expression(text, tree.children[0]).node()


def _check(text: str) -> None:
    """Refuse texts that are empty, too long, nested too deeply or not closed."""
    if not text.strip():
        raise BadFormula("the formula is empty.", "Write one.", Place(text, 0, 0))
    if len(text) > MOST_CHARACTERS:
        raise BadFormula(
            f"the formula has {len(text)} characters, and {MOST_CHARACTERS} are "
            "allowed.",
            "Compute parts of it in fields of their own.",
            Place(text[:200], 0, 1),
        )
    opened: list[tuple[str, int]] = []
    for match in re.finditer(
        r"'(?:[^']|'')*('?)|\"(?:[^\"]|\"\")*(\"?)|[()]|\b(?:CASE|END)\b", text, re.I
    ):
        mark, at = match[0], match.start()
        place = Place(text, at, at + 1)
        if mark[0] in "'\"" and not (match[1] or match[2]):
            kind = "single" if mark[0] == "'" else "double"
            raise BadFormula(
                f"a {kind} quote is opened and not closed.",
                "Close it, or double a quote that belongs to the text.",
                place,
            )
        if mark in "()" or mark.upper() in ("CASE", "END"):
            _balance(opened, mark.upper(), place)
    if opened:
        mark, at = opened[-1]
        if mark == "(":
            raise BadFormula(
                "a bracket is opened and not closed.",
                "Close it where it belongs.",
                Place(text, at, at + 1),
            )


def _balance(opened: list[tuple[str, int]], mark: str, place: Place) -> None:
    if mark in ("(", "CASE"):
        opened.append((mark, place.start))
        if len(opened) > MOST_NESTED:
            raise BadFormula(
                f"brackets and cases stand more than {MOST_NESTED} deep in one "
                "another.",
                "Compute parts of the formula in fields of their own.",
                place,
            )
        return
    if mark == "END":
        # A field can be called so: only one that closes a case counts.
        if opened and opened[-1][0] == "CASE":
            opened.pop()
        return
    while opened and opened[-1][0] != "(":
        opened.pop()
    if not opened:
        raise BadFormula(
            "a bracket is closed that was not opened.", "Take it out.", place
        )
    opened.pop()


def _unknown_character(text: str, at: int) -> BadFormula:
    mark = text[at]
    hint = _HINTS.get(
        mark, "Take it out; a field with it in its name stands in double quotes."
    )
    shown = mark if mark.isprintable() else f"U+{ord(mark):04X}"
    what = f"the character '{shown}' means nothing in a formula."
    return BadFormula(what, hint, Place(text, at, at + 1))


def _unexpected(text: str, token: Token, expected: set[str]) -> BadFormula:
    if token.type == "$END":
        return _ended(text)
    at = token.start_pos or 0
    place = Place(text, at, at + len(token))
    if text[max(0, at - 1) : at + 1] == "==":
        return BadFormula("'==' means nothing in a formula.", _HINTS["=="], place)
    if re.search(r"\bAS\s*$", text[:at], re.I):
        return BadFormula(f"'{token}' is no type.", TYPES_REMEDY, place)
    if "NUMBER" in expected:
        return BadFormula(
            f"'{token}' stands where a value is expected.",
            "Write a field, a number, a text in single quotes or a bracket before it.",
            place,
        )
    for word in ("WHEN", "THEN", "END"):
        if word in expected and token.upper() in RESERVED:
            return BadFormula(
                f"'{token}' was not expected here.", f"{word} is missing.", place
            )
    return without_operator(token, place)


def _ended(text: str) -> BadFormula:
    end = len(text.rstrip())
    cases = len(re.findall(r"\bCASE\b", text, re.I))
    if cases > len(re.findall(r"\bEND\b", text, re.I)):
        remedy = "A CASE is closed by END."
    else:
        remedy = "Write what is missing at its end."
    return BadFormula("the formula ends too soon.", remedy, Place(text, end, end + 1))
