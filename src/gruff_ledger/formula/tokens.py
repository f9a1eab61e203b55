"""The words and signs of a formula: from a text to tokens, and a cursor over them.

A token is what ISO/IEC 9075-2 calls one: a number, a text, a name, a sign. Whether a
name is a word of the language or a field is told by where it stands, so the same kind
holds both. A text ends at the first character that begins no token: the cursor refuses
it only when it is reached, since what stands before it may be the true mistake.
"""

from __future__ import annotations

import re
from enum import Enum, auto
from typing import NamedTuple, NoReturn

from gruff_ledger.formula.nodes import BadFormula, Place
from gruff_ledger.late_patterns import late_pattern

# A formula that a person writes has a few hundred characters.
MOST_CHARACTERS = 10_000
# Brackets, functions and cases in one another: each takes a score of Python's calls, of
# which a thousand may be open.
MOST_NESTED = 32

# Words of the language that cannot be the name of a field without quotes.
RESERVED = frozenset(
    (
        *("OR", "AND", "NOT", "IS", "BETWEEN", "IN", "LIKE", "LIKE_REGEX", "ESCAPE"),
        *("NULL", "TRUE", "FALSE", "UNKNOWN"),
        *("CASE", "WHEN", "THEN", "ELSE", "END"),
        *("AS", "FROM", "FOR", "PLACING", "WITH"),
    )
)

# What is expected where no word of the language is.
VALUE = "a value"

TYPES_REMEDY = "The types are DECIMAL, INTEGER, VARCHAR, DATE, TIMESTAMP and BOOLEAN."

# What people write out of the habit of other languages.
_HINTS = {
    "%": "For the rest of a division write MOD(a, b).",
    "&": "For both conditions write AND, to join texts ||.",
    "|": "For one of two conditions write OR, to join texts ||.",
    "!": "For the opposite write NOT, for unequal <>.",
    "^": "Write a power as a product.",
    "==": "For equal write =.",
    "“": "Text goes in straight single quotes, a field in straight double ones.",
    "”": "Text goes in straight single quotes, a field in straight double ones.",
    "‘": "Text goes in straight single quotes: 'A'.",
    "’": "Text goes in straight single quotes: 'A'.",
    "`": "A field with spaces in its name goes in double quotes.",
    "[": "A field with spaces in its name goes in double quotes.",
    ";": "A formula is one expression, without an end mark.",
    "{": "Name a field as it is, or in double quotes.",
}


class Kind(Enum):
    """What a token is."""

    NUMBER = auto()
    TEXT = auto()
    QUOTED = auto()
    NAME = auto()
    SIGN = auto()
    UNKNOWN = auto()
    END = auto()


class Token(NamedTuple):
    """
    One word or sign of a formula.

    Attributes
    ----------
    kind : Kind
    place : Place
    word : str
        A name in capitals, a sign as it is, else nothing: what the language has to
        compare. Quoted words are never words of the language.
    """

    kind: Kind
    place: Place
    word: str = ""

    @property
    def is_reserved(self) -> bool:
        """Whether it is a word of the language."""
        return self.word in RESERVED


_TOKEN = late_pattern(
    r"""\s*(?:
      (?P<NUMBER> [0-9]+ (?: \. [0-9]* )? | \. [0-9]+ )
    | (?P<TEXT> ' (?: [^'] | '' )* ' )
    | (?P<QUOTED> " (?: [^"] | "" )* " )
    | (?P<NAME> [^\W\d] \w* )
    | (?P<SIGN> <> | != | <= | >= | \|\| | [-+*/<>(),] | =(?!=) )
    | (?P<UNKNOWN> == | \S )
    | (?P<END> \Z )
    )""",
    re.VERBOSE,
)


def tokenize(text: str) -> list[Token]:
    """
    Return the tokens of a formula.

    Parameters
    ----------
    text : str
        At most `MOST_CHARACTERS` long.

    Returns
    -------
    list of Token
        The last is an END, or the UNKNOWN character that nothing is read behind.

    Raises
    ------
    BadFormula
        If the text is empty or too long.
    """
    if not text.strip():
        raise BadFormula("the formula is empty.", "Write one.", Place(text, 0, 0))
    if len(text) > MOST_CHARACTERS:
        raise BadFormula(
            f"the formula has {len(text)} characters, and {MOST_CHARACTERS} are "
            "allowed.",
            "Compute parts of it in fields of their own.",
            Place(text[:200], 0, 1),
        )
    tokens: list[Token] = []
    while not tokens or tokens[-1].kind not in (Kind.END, Kind.UNKNOWN):
        match = _TOKEN.match(text, tokens[-1].place.end if tokens else 0)
        assert match is not None and match.lastgroup is not None
        kind, place = Kind[match.lastgroup], Place(text, *match.span(match.lastgroup))
        word = place.written if kind in (Kind.NAME, Kind.SIGN) else ""
        tokens.append(Token(kind, place, word.upper()))
    return tokens


class Cursor:
    """
    Goes over the tokens of a formula, and knows which brackets and cases are open.

    Attributes
    ----------
    next : Token
        The one to be taken.
    """

    def __init__(self, text: str) -> None:
        self._tokens = tokenize(text)
        self._at = 0
        self._opened: list[Token] = []

    @property
    def next(self) -> Token:
        """The token to be taken."""
        return self._tokens[self._at]

    @property
    def following(self) -> Token:
        """The token behind the next one, or that one where it is the last."""
        return self._tokens[min(self._at + 1, len(self._tokens) - 1)]

    def take(self) -> Token:
        """Return the next token and go on to the one behind it."""
        token = self.next
        if token.kind in (Kind.END, Kind.UNKNOWN):
            self.refuse()
        self._at += 1
        return token

    def takes(self, *words: str) -> bool:
        """Whether the next token is one of these words or signs, which is taken."""
        if self.next.word not in words:
            return False
        self._at += 1
        return True

    def open(self) -> Token:
        """Take a bracket or a CASE that is closed later, and return it."""
        token = self.take()
        self._opened.append(token)
        if len(self._opened) > MOST_NESTED:
            raise BadFormula(
                f"brackets and cases are nested more than {MOST_NESTED} deep.",
                "Compute parts of the formula in fields of their own.",
                Place(token.place.text, token.place.start, token.place.start + 1),
            )
        return token

    def close(self, word: str) -> Token:
        """Take what closes the bracket or case opened last, and return it."""
        if self.next.word != word:
            self.refuse(word)
        self._opened.pop()
        return self.take()

    def skip_call(self) -> Token:
        """Go on to behind the bracket that closes the one opened last; return it."""
        depth = 1
        while depth:
            token = self.take()
            depth += {"(": 1, ")": -1}.get(token.word, 0)
        return token

    def refuse(self, expected: str = "") -> NoReturn:
        """
        Raise that the next token cannot stand where it does.

        Parameters
        ----------
        expected : str
            The word of the language that should, or `VALUE`.
        """
        token = self.next
        if token.kind is Kind.END:
            raise self._ended()
        if token.kind is Kind.UNKNOWN:
            raise _unknown(token.place)
        if token.word == ")" and not self._opened:
            what = "a bracket is closed that was not opened."
            raise BadFormula(what, "Take it out.", token.place)
        if expected == VALUE:
            raise _no_value(token)
        if token.is_reserved and expected in RESERVED:
            what = f"'{token.place.written}' was not expected here."
            raise BadFormula(what, f"{expected} is missing.", token.place)
        raise without_operator(token)

    def _ended(self) -> BadFormula:
        """Word that the text is at its end, and what is open is not."""
        opened = self._opened[-1] if self._opened else None
        if opened is not None and opened.word == "(":
            return BadFormula(
                "a bracket is opened and not closed.",
                "Close it where it belongs.",
                opened.place,
            )
        remedy = "Write what is missing at its end."
        if opened is not None:
            remedy = "A CASE is closed by END."
        text = self.next.place.text
        end = len(text.rstrip())
        return BadFormula(
            "the formula ends too soon.", remedy, Place(text, end, end + 1)
        )


def _unknown(place: Place) -> BadFormula:
    """Word that a character begins nothing of the language."""
    mark = place.written
    if mark in "'\"":
        kind = "single" if mark == "'" else "double"
        return BadFormula(
            f"a {kind} quote is opened and not closed.",
            "Close it, or double a quote that belongs to the text.",
            place,
        )
    shown = mark if mark.isprintable() else f"U+{ord(mark):04X}"
    what = f"'{shown}' means nothing in a formula."
    remedy = "Take it out; a field with it in its name goes in double quotes."
    return BadFormula(what, _HINTS.get(mark, remedy), place)


def _no_value(token: Token) -> BadFormula:
    """Word that a sign or a word of the language stands where a value should."""
    written = token.place.written
    if token.kind is Kind.NAME:
        return BadFormula(
            f"'{written}' is a word of the language, and a value is expected here.",
            "A field of that name goes in double quotes.",
            token.place,
        )
    return BadFormula(
        f"a value is expected here, not '{written}'.",
        "Write a field, a number, a text in single quotes or a bracket before it.",
        token.place,
    )


def without_operator(token: Token) -> BadFormula:
    """Word that a value stands right behind another."""
    remedy = "Write an operator before it, such as + or AND."
    if token.kind is Kind.NAME and not token.is_reserved:
        remedy += " A field with spaces in its name goes in double quotes."
    elif token.kind in (Kind.NAME, Kind.SIGN) and token.word != "(":
        remedy = "Take it out, or write what is missing before it."
    return BadFormula(
        f"'{token.place.written}' was not expected here.", remedy, token.place
    )
