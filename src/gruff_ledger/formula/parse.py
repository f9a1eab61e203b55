"""Reading a formula: from text to nodes.

The language is a subset of the value expressions and search conditions of ISO/IEC
9075-2 (SQL, Foundation). A parser goes once over the tokens of the text, with a method
for each level of binding, from the loosest to the closest: each reads what binds closer
than itself and then the operators of its own. What binds equally close is worked out
from left to right, without one call in another, so only brackets, functions and cases
cost depth, which is bounded (`tokens.MOST_NESTED`). The first token that cannot stand
where it does is refused, with its place.
"""

from __future__ import annotations

import functools
from typing import TYPE_CHECKING

from gruff_ledger.formula.literals import VALUES, read_literal, read_typed, unquoted
from gruff_ledger.formula.nodes import (
    BadFormula,
    Call,
    Case,
    Chain,
    Field,
    Literal,
    Node,
    Place,
)
from gruff_ledger.formula.own_forms import OWN_FORMS, OtherForm, take_separator
from gruff_ledger.formula.tokens import VALUE, Cursor, Kind, Token

if TYPE_CHECKING:
    from collections.abc import Callable

_COMPARISONS = ("=", "<>", "!=", "<", "<=", ">", ">=")
_TESTS = ("NULL", "TRUE", "FALSE", "UNKNOWN")
# What can stand between two values: where one is left over, brackets are missing.
_OPERATORS = frozenset(
    (
        *_COMPARISONS,
        *("OR", "AND", "NOT", "IS", "BETWEEN", "IN", "LIKE", "LIKE_REGEX"),
        *("||", "+", "-", "*", "/"),
    )
)


@functools.lru_cache(maxsize=256)
def parse(text: str) -> Node:
    """
    Read a formula.

    Parameters
    ----------
    text : str
        At most `tokens.MOST_CHARACTERS` long and `tokens.MOST_NESTED` deep.

    Returns
    -------
    Node

    Raises
    ------
    BadFormula
        If it is none, with the place marked.
    """
    return _Parser(text).formula()


class _Parser:
    """Makes nodes of the tokens of one formula."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._cursor = Cursor(text)

    def formula(self) -> Node:
        """Return the node of the whole text."""
        node = self._expression()
        if self._cursor.next.kind is not Kind.END:
            self._cursor.refuse()
        return node

    def _span(self, first: Place, last: Place) -> Place:
        return Place(self._text, first.start, last.end)

    def _expression(self) -> Node:
        node = self._or()
        token = self._cursor.next
        if token.word in _OPERATORS:
            raise _needs_brackets(token)
        return node

    def _or(self) -> Node:
        return self._flat("OR", self._and)

    def _and(self) -> Node:
        return self._flat("AND", self._not)

    def _flat(self, name: str, closer: Callable[[], Node]) -> Node:
        nodes = [closer()]
        while self._cursor.takes(name):
            nodes.append(closer())
        if len(nodes) == 1:
            return nodes[0]
        return Call(name, tuple(nodes), self._span(nodes[0].place, nodes[-1].place))

    def _not(self) -> Node:
        first, negated = self._cursor.next, False
        while self._cursor.takes("NOT"):
            negated = not negated
        node = self._predicate()
        if not negated:
            return node
        return Call("NOT", (node,), self._span(first.place, node.place))

    def _predicate(self) -> Node:
        left = self._concat()
        operator = self._cursor.next
        if operator.word in _COMPARISONS:
            return self._comparison(left)
        if operator.word == "IS":
            return self._test(left)
        forms = {
            "BETWEEN": self._between,
            "IN": self._in,
            "LIKE": self._like,
            "LIKE_REGEX": self._like,
        }
        if operator.word == "NOT" and self._cursor.following.word not in forms:
            raise _needs_brackets(operator)
        negated = self._cursor.takes("NOT")
        name = self._cursor.next.word
        if name not in forms:
            return left
        self._cursor.take()
        node = forms[name](name, left)
        return Call("NOT", (node,), node.place) if negated else node

    def _comparison(self, left: Node) -> Call:
        name = self._cursor.take().word
        right = self._concat()
        name = "<>" if name == "!=" else name
        return Call(name, (left, right), self._span(left.place, right.place))

    def _test(self, left: Node) -> Call:
        self._cursor.take()
        negated = self._cursor.takes("NOT")
        token = self._cursor.take()
        if token.word not in _TESTS:
            raise BadFormula(
                f"{token.place.written} cannot follow IS.",
                "Write IS NULL, IS TRUE, IS FALSE or IS UNKNOWN; for equal write =.",
                token.place,
            )
        place = self._span(left.place, token.place)
        node = Call(f"IS {token.word}", (left,), place)
        return Call("NOT", (node,), place) if negated else node

    def _between(self, name: str, left: Node) -> Call:
        low = self._concat()
        if not self._cursor.takes("AND"):
            raise BadFormula(
                "BETWEEN has one end only.",
                "Write a BETWEEN b AND c.",
                self._span(left.place, low.place),
            )
        high = self._concat()
        return Call(name, (left, low, high), self._span(left.place, high.place))

    def _in(self, name: str, left: Node) -> Call:
        if self._cursor.next.word == "(":
            values, place = self._read_value_list()
            return Call(name, (left, *values), self._span(left.place, place))
        # Only POSITION and TRANSLATE_REGEX have this form.
        right = self._concat()
        return Call("IN TEXT", (left, right), self._span(left.place, right.place))

    def _like(self, name: str, left: Node) -> Call:
        nodes = [left, self._concat()]
        if name == "LIKE" and self._cursor.takes("ESCAPE"):
            nodes.append(self._concat())
        return Call(name, tuple(nodes), self._span(left.place, nodes[-1].place))

    def _concat(self) -> Node:
        return self._flat("||", self._sum)

    def _sum(self) -> Node:
        return self._chain(("+", "-"), self._product)

    def _product(self) -> Node:
        return self._chain(("*", "/"), self._signed)

    def _chain(self, operators: tuple[str, ...], closer: Callable[[], Node]) -> Node:
        first = closer()
        rest: list[tuple[str, Node]] = []
        while self._cursor.next.word in operators:
            rest.append((self._cursor.take().word, closer()))
        if not rest:
            return first
        return Chain(first, tuple(rest), self._span(first.place, rest[-1][1].place))

    def _signed(self) -> Node:
        first, negative = self._cursor.next, False
        while self._cursor.next.word in ("+", "-"):
            negative ^= self._cursor.take().word == "-"
        node = self._value()
        if not negative:
            return node
        return Call("-", (node,), self._span(first.place, node.place))

    def _value(self) -> Node:
        token = self._cursor.next
        if token.word == "(":
            return self._read_brackets()
        if token.kind in (Kind.NUMBER, Kind.TEXT):
            return read_literal(self._cursor)
        if token.kind is Kind.QUOTED:
            return Field(unquoted(self._cursor.take()), token.place)
        if token.word == "CASE":
            return self._case()
        if token.word == "NOT":
            raise _needs_brackets(token)
        if token.word in VALUES:
            return Literal(VALUES[token.word], self._cursor.take().place)
        if token.kind is not Kind.NAME or token.is_reserved:
            self._cursor.refuse(VALUE)
        if self._cursor.following.kind is Kind.TEXT:
            return read_typed(self._cursor)
        if self._cursor.following.word == "(":
            return self._call()
        return Field(token.place.written, self._cursor.take().place)

    def _read_value_list(self) -> tuple[tuple[Node, ...], Place]:
        """Return the values between two brackets, and where the brackets stand."""
        opening = self._cursor.open()
        values = [self._expression()]
        while self._cursor.takes(","):
            values.append(self._expression())
        return tuple(values), self._span(opening.place, self._cursor.close(")").place)

    def _read_brackets(self) -> Node:
        values, place = self._read_value_list()
        if len(values) > 1:
            raise BadFormula(
                "one value is expected here, not several.",
                "Such a list follows IN.",
                place,
            )
        return values[0]

    def _case(self) -> Case:
        first = self._cursor.open()
        operand = None
        if self._cursor.next.word != "WHEN":
            operand = self._expression()
        pairs: list[tuple[Node, Node]] = []
        while not pairs or self._cursor.next.word == "WHEN":
            self._expect("WHEN")
            condition = self._expression()
            if operand is not None:
                condition = Call("=", (operand, condition), condition.place)
            self._expect("THEN")
            pairs.append((condition, self._expression()))
        otherwise: Node | None = None
        if self._cursor.takes("ELSE"):
            otherwise = self._expression()
        place = self._span(first.place, self._cursor.close("END").place)
        return Case(tuple(pairs), otherwise or Literal(None, place), place)

    def _expect(self, word: str) -> None:
        if not self._cursor.takes(word):
            self._cursor.refuse(word)

    def _call(self) -> Call:
        first = self._cursor.take()
        self._cursor.open()
        form = OWN_FORMS.get(first.word)
        if form is None:
            args, words = self._arguments()
        else:
            try:
                args, words = form.read(self._cursor, self._expression)
                if self._cursor.next.word != ")":
                    take_separator(self._cursor)
                    raise OtherForm
            except OtherForm:
                raise BadFormula(
                    f"{first.word} is written differently.",
                    f"Write {form.written}.",
                    self._span(first.place, self._cursor.skip_call().place),
                ) from None
        place = self._span(first.place, self._cursor.close(")").place)
        return Call(first.word, args, place, words)

    def _arguments(self) -> tuple[tuple[Node, ...], tuple[str, ...]]:
        """Return the values of a call, and what stands between them."""
        if self._cursor.next.word == ")":
            return (), ()
        args = [self._expression()]
        words: list[str] = []
        while separator := take_separator(self._cursor):
            words.append(separator)
            args.append(self._expression())
        if isinstance(args[0], Call) and args[0].name == "IN TEXT":
            return (*args[0].args, *args[1:]), ("IN", *words)
        return tuple(args), tuple(words)


def _needs_brackets(token: Token) -> BadFormula:
    """Word that an operator cannot work on what stands before it."""
    return BadFormula(
        f"{token.place.written} was not expected here.",
        "Set brackets around what belongs together.",
        token.place,
    )
