"""Reading a formula: from text to nodes.

The language is a subset of the value expressions and search conditions of ISO/IEC
9075-2 (SQL, Foundation). Before the parser sees a text, its length, its nesting and its
quotes and brackets are checked, so that a hostile one is refused at once.
"""

from __future__ import annotations

import functools
import re
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from gruff_ledger.cells.moments import DAY, SECOND, read_moment
from gruff_ledger.formula.nodes import (
    BadFormula,
    Call,
    Case,
    Chain,
    DateLiteral,
    Field,
    Interval,
    Literal,
    Node,
    Place,
)

if TYPE_CHECKING:
    from lark import Lark, Token, Tree

# A formula that a person writes has a few hundred characters.
MOST_CHARACTERS = 10_000
# Brackets, functions and cases in one another; the parser's own stack bears far more.
MOST_NESTED = 64

_GRAMMAR = r"""
start: or_
or_: and_ (OR and_)*
and_: not_ (AND not_)*
not_: NOT* predicate
predicate: concat (comparison | test | between | in_ | like)?
comparison: COMPARE concat
test: IS NOT? (NULL | TRUE | FALSE | UNKNOWN)
between: NOT? BETWEEN concat AND concat
in_: NOT? IN "(" or_ ("," or_)* ")"
like: NOT? LIKE concat (ESCAPE concat)?
    | NOT? LIKE_REGEX concat
concat: sum (BARS sum)*
sum: product ((PLUS | MINUS) product)*
product: signed ((STAR | SLASH) signed)*
signed: (PLUS | MINUS)* _atom
_atom: NUMBER | STRING | NULL | TRUE | FALSE | field | date | interval | brackets
    | case | cast | extract | position | trim | round | replace | call
brackets: "(" or_ ")"
field: NAME | QUOTED | DATE | TIMESTAMP | INTERVAL | CAST | EXTRACT | POSITION | TRIM
    | ROUND | TRANSLATE_REGEX
date: (DATE | TIMESTAMP) STRING
interval: INTERVAL (PLUS | MINUS)? STRING UNIT
case: CASE or_? when+ (ELSE or_)? END
when: WHEN or_ THEN or_
cast: CAST "(" or_ AS type ")"
type: (NAME | DATE | TIMESTAMP) ("(" NUMBER ("," NUMBER)? ")")?
extract: EXTRACT "(" UNIT FROM or_ ")"
position: POSITION "(" concat IN concat ")"
trim: TRIM "(" (SIDE or_? FROM)? or_ ")"
    | TRIM "(" or_ FROM or_ ")"
round: ROUND "(" or_ ("," or_ ("," MODE)?)? ")"
replace: TRANSLATE_REGEX "(" concat IN concat WITH concat ")"
call: NAME "(" (or_ ((COMMA | FROM | FOR | PLACING) or_)*)? ")"

OR: "OR"i
AND: "AND"i
NOT: "NOT"i
IS: "IS"i
NULL: "NULL"i
TRUE: "TRUE"i
FALSE: "FALSE"i
UNKNOWN: "UNKNOWN"i
BETWEEN: "BETWEEN"i
IN: "IN"i
LIKE: "LIKE"i
LIKE_REGEX: "LIKE_REGEX"i
ESCAPE: "ESCAPE"i
CASE: "CASE"i
WHEN: "WHEN"i
THEN: "THEN"i
ELSE: "ELSE"i
END: "END"i
CAST: "CAST"i
AS: "AS"i
FROM: "FROM"i
FOR: "FOR"i
PLACING: "PLACING"i
WITH: "WITH"i
DATE: "DATE"i
TIMESTAMP: "TIMESTAMP"i
INTERVAL: "INTERVAL"i
EXTRACT: "EXTRACT"i
POSITION: "POSITION"i
TRIM: "TRIM"i
ROUND: "ROUND"i
TRANSLATE_REGEX: "TRANSLATE_REGEX"i
UNIT.2: /(YEAR|MONTH|DAY|HOUR|MINUTE|SECOND)\b/i
SIDE.2: /(LEADING|TRAILING|BOTH)\b/i
MODE: /HALF\s+(UP|EVEN|DOWN)\b|(UP|DOWN|CEILING|FLOOR)\b/i
COMPARE: "<>" | "!=" | "<=" | ">=" | "<" | ">" | "="
BARS: "||"
PLUS: "+"
MINUS: "-"
STAR: "*"
SLASH: "/"
COMMA: ","
NUMBER: /[0-9]+(\.[0-9]*)?|\.[0-9]+/
STRING: /'(?:[^']|'')*'/
QUOTED: /"(?:[^"]|"")*"/
NAME: /[^\W\d]\w*/i
%ignore /\s+/
"""

# Words of the language that cannot be the name of a field without quotes.
_RESERVED = frozenset(
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


TYPES_REMEDY = "The types are DECIMAL, INTEGER, VARCHAR, DATE, TIMESTAMP and BOOLEAN."


@functools.cache
def _parser() -> Lark:
    from lark import Lark

    return Lark(_GRAMMAR, parser="lalr", lexer="contextual", propagate_positions=True)


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
    return _Reader(text).node(tree.children[0])


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
    if token.upper() in _RESERVED and "NAME" in expected:
        return BadFormula(
            f"'{token}' is a word of the language, and a value is expected here.",
            "A field of that name stands in double quotes.",
            place,
        )
    for word in ("MODE", "UNIT"):
        if word in expected:
            return BadFormula(
                f"'{token}' was not expected here.",
                f"Expected is {_SAID[word]}.",
                place,
            )
    if re.search(r"\bAS\s*$", text[:at], re.I):
        return BadFormula(f"'{token}' is no type.", TYPES_REMEDY, place)
    if "NAME" in expected:
        return BadFormula(
            f"'{token}' stands where a value is expected.",
            "Write a field, a number, a text in single quotes or a bracket before it.",
            place,
        )
    if token.type in ("NAME", "QUOTED", "STRING", "NUMBER", "LPAR"):
        remedy = "Write an operator before it, such as + or AND."
        if token.type == "NAME":
            remedy += " A field with spaces in its name stands in double quotes."
        return BadFormula(f"'{token}' was not expected here.", remedy, place)
    told = sorted(_SAID[name] for name in expected if name in _SAID)
    remedy = f"Expected is {' or '.join(told[:6])}." if told else "Correct it here."
    return BadFormula(f"'{token}' was not expected here.", remedy, place)


_SAID = {
    "RPAR": "a closing bracket",
    "LPAR": "an opening bracket",
    "STRING": "a text in single quotes",
    "UNIT": "YEAR, MONTH, DAY, HOUR, MINUTE or SECOND",
    "MODE": "HALF UP, HALF EVEN, HALF DOWN, UP, DOWN, CEILING or FLOOR",
    "AND": "AND",
    "THEN": "THEN",
    "WHEN": "WHEN",
    "END": "END",
    "AS": "AS",
    "FROM": "FROM",
    "IN": "IN",
    "WITH": "WITH",
    "NULL": "NULL",
    "NUMBER": "a number",
}


def _ended(text: str) -> BadFormula:
    end = len(text.rstrip())
    cases = len(re.findall(r"\bCASE\b", text, re.I))
    if cases > len(re.findall(r"\bEND\b", text, re.I)):
        remedy = "A CASE is closed by END."
    else:
        remedy = "Write what is missing at its end."
    return BadFormula("the formula ends too soon.", remedy, Place(text, end, end + 1))


class _Reader:
    """Makes nodes of the parser's tree; there is a method for each of its rules."""

    def __init__(self, text: str) -> None:
        self._text = text

    def node(self, part: Any) -> Node:
        """Return the node of a tree or token."""
        from lark import Token

        if isinstance(part, Token):
            return self._token(part)
        node: Node = getattr(self, f"_{part.data.strip('_')}")(part)
        return node

    def _place(self, part: Any) -> Place:
        from lark import Token

        if isinstance(part, Token):
            return Place(self._text, part.start_pos or 0, part.end_pos or 0)
        return Place(self._text, part.meta.start_pos, part.meta.end_pos)

    def _token(self, token: Token) -> Literal:
        place = self._place(token)
        if token.type == "NUMBER":
            return Literal(Decimal(token), place)
        if token.type == "STRING":
            return Literal(_unquoted(token), place)
        values = {"NULL": None, "TRUE": True, "FALSE": False}
        return Literal(values[token.type], place)

    def _chain(self, tree: Tree[Token]) -> Node:
        """Call the operators between values from left to right."""
        first = self.node(tree.children[0])
        if len(tree.children) == 1:
            return first
        place = self._place(tree)
        operators = [str(operator).upper() for operator in tree.children[1::2]]
        others = [self.node(part) for part in tree.children[2::2]]
        if operators[0] in _FLAT:
            return Call(operators[0], (first, *others), place)
        return Chain(first, tuple(zip(operators, others, strict=True)), place)

    _or = _and = _concat = _sum = _product = _chain

    def _not(self, tree: Tree[Token]) -> Node:
        node = self.node(tree.children[-1])
        if (len(tree.children) - 1) % 2:
            return Call("NOT", (node,), self._place(tree))
        return node

    def _signed(self, tree: Tree[Token]) -> Node:
        node = self.node(tree.children[-1])
        if sum(sign == "-" for sign in tree.children[:-1]) % 2:
            return Call("NEGATIVE", (node,), self._place(tree))
        return node

    def _brackets(self, tree: Tree[Token]) -> Node:
        return self.node(tree.children[0])

    def _field(self, tree: Tree[Token]) -> Field:
        name = str(tree.children[0])
        if name.startswith('"'):
            name = _unquoted(name)
        return Field(name, self._place(tree))

    def _predicate(self, tree: Tree[Token]) -> Node:
        left = self.node(tree.children[0])
        if len(tree.children) == 1:
            return left
        test: Any = tree.children[1]
        kind, place = test.data, self._place(tree)
        if kind == "test":
            words = [str(word).upper() for word in test.children]
            found = Call(f"IS {words[-1]}", (left,), place)
            return Call("NOT", (found,), place) if "NOT" in words else found
        words = [str(word).upper() for word in test.children if _is_word(word)]
        args = tuple(self.node(part) for part in test.children if not _is_word(part))
        if kind == "comparison":
            name = "<>" if words[0] == "!=" else words[0]
            return Call(name, (left, *args), place)
        negated = "NOT" in words
        name = kind.strip("_").upper()
        if "LIKE_REGEX" in words:
            name = "LIKE_REGEX"
        found = Call(name, (left, *args), place)
        return Call("NOT", (found,), place) if negated else found

    def _date(self, tree: Tree[Token]) -> Literal:
        place = self._place(tree)
        word, text = tree.children
        moment = read_moment(_unquoted(str(text)))
        timed = str(word).upper() == "TIMESTAMP"
        if moment is None or (moment[1] and not timed):
            form = "2026-05-01 14:30:00" if timed else "2026-05-01"
            raise BadFormula(
                f"{text} is no {'time' if timed else 'date'} of ISO 8601.",
                f"Write it as in {str(word).upper()} '{form}'.",
                place,
            )
        return Literal(DateLiteral(moment[0], timed), place)

    def _interval(self, tree: Tree[Token]) -> Literal:
        place = self._place(tree)
        *signs, text, unit = (str(part) for part in tree.children[1:])
        match = re.fullmatch(r"\s*([+-]?)([0-9]{1,9})\s*", _unquoted(text))
        if match is None:
            raise BadFormula(
                f"{text} is no whole number.",
                "Write an interval as in INTERVAL '7' DAY.",
                place,
            )
        count = int(match[2])
        if ("-" in signs) != (match[1] == "-"):
            count = -count
        months = {"YEAR": 12, "MONTH": 1}.get(unit.upper(), 0)
        micros = {
            "DAY": DAY,
            "HOUR": 3600 * SECOND,
            "MINUTE": 60 * SECOND,
            "SECOND": SECOND,
        }.get(unit.upper(), 0)
        return Literal(Interval(count * months, count * micros), place)

    def _case(self, tree: Tree[Token]) -> Case:
        parts: list[Any] = [part for part in tree.children if not _is_word(part)]
        place = self._place(tree)
        whens = [part for part in parts if getattr(part, "data", "") == "when"]
        before = parts.index(whens[0])
        operand = self.node(parts[0]) if before else None
        after = parts[before + len(whens) :]
        otherwise = self.node(after[0]) if after else Literal(None, place)
        pairs = []
        for when in whens:
            condition, value = (
                self.node(part) for part in when.children if not _is_word(part)
            )
            if operand is not None:
                condition = Call("=", (operand, condition), condition.place)
            pairs.append((condition, value))
        return Case(tuple(pairs), otherwise, place)

    def _cast(self, tree: Tree[Token]) -> Call:
        _, value, _, kind = tree.children
        assert not isinstance(kind, str)
        words = tuple(str(word).upper() for word in kind.children)
        return Call("CAST", (self.node(value),), self._place(tree), words)

    def _extract(self, tree: Tree[Token]) -> Call:
        _, unit, _, value = tree.children
        detail = (str(unit).upper(),)
        return Call("EXTRACT", (self.node(value),), self._place(tree), detail)

    def _words_and_values(self, tree: Tree[Token], name: str) -> Call:
        parts = tree.children[1:]
        words = tuple(str(part).upper() for part in parts if _is_word(part))
        args = tuple(self.node(part) for part in parts if not _is_word(part))
        return Call(name, args, self._place(tree), words)

    def _position(self, tree: Tree[Token]) -> Call:
        return self._words_and_values(tree, "POSITION")

    def _trim(self, tree: Tree[Token]) -> Call:
        return self._words_and_values(tree, "TRIM")

    def _round(self, tree: Tree[Token]) -> Call:
        call = self._words_and_values(tree, "ROUND")
        mode = tuple("-".join(word.lower().split()) for word in call.detail)
        return call._replace(detail=mode)

    def _replace(self, tree: Tree[Token]) -> Call:
        return self._words_and_values(tree, "TRANSLATE_REGEX")

    def _call(self, tree: Tree[Token]) -> Call:
        return self._words_and_values(tree, str(tree.children[0]).upper())


_FLAT = frozenset(("OR", "AND", "||"))


def _is_word(part: Any) -> bool:
    """Tell a word of the language from a value."""
    values = ("NUMBER", "STRING", "NULL", "TRUE", "FALSE")
    kind = getattr(part, "type", None)
    return kind is not None and kind not in values


def _unquoted(text: str) -> str:
    return text[1:-1].replace(text[0] * 2, text[0])
