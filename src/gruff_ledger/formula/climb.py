"""Which operator binds closer: from flat lists of values and operators to a tree."""

from __future__ import annotations

from decimal import Decimal
from typing import TYPE_CHECKING, Any

from gruff_ledger.formula.constants import (
    COMPARISONS,
    MODES,
    OWN_FORMS,
    RESERVED,
    SIDES,
    TESTS,
    UNITS,
    named_field,
    typed_value,
    unquoted,
    without_operator,
    word_for_value,
)
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

if TYPE_CHECKING:
    from collections.abc import Callable


TYPES_REMEDY = "The types are DECIMAL, INTEGER, VARCHAR, DATE, TIMESTAMP and BOOLEAN."


class Expression:
    """
    Makes a node of values with operators between them.

    There is a method for each level of binding, from the loosest to the closest. What
    binds equally close is worked out from left to right, without one call in another.
    """

    def __init__(self, text: str, tree: Any) -> None:
        self._text = text
        self._parts: list[Any] = tree.children
        self._at = 0

    def node(self) -> Node:
        """Return the node of all parts."""
        node = self._or()
        if self._at < len(self._parts):
            raise self._not_here(self._parts[self._at])
        return node

    def _operator(self) -> str:
        """Return the operator that comes next, or an empty text."""
        if self._at >= len(self._parts):
            return ""
        part = self._parts[self._at]
        is_operator = getattr(part, "type", "") in ("OPERATOR", "SIGN", "NOT")
        return str(part).upper() if is_operator else ""

    def _take(self) -> Any:
        self._at += 1
        return self._parts[self._at - 1]

    def _place(self, part: Any) -> Place:
        if hasattr(part, "meta"):
            return Place(self._text, part.meta.start_pos, part.meta.end_pos)
        return Place(self._text, part.start_pos, part.end_pos)

    def _span(self, first: Node, last: Node) -> Place:
        return Place(self._text, first.place.start, last.place.end)

    def _not_here(self, part: Any) -> BadFormula:
        place = self._place(part)
        return BadFormula(
            f"{place.written} was not expected here.",
            "Set brackets around what belongs together.",
            place,
        )

    def _or(self) -> Node:
        return self._flat("OR", self._and)

    def _and(self) -> Node:
        return self._flat("AND", self._not)

    def _flat(self, name: str, closer: Callable[[], Node]) -> Node:
        nodes = [closer()]
        while self._operator() == name:
            self._take()
            nodes.append(closer())
        if len(nodes) == 1:
            return nodes[0]
        return Call(name, tuple(nodes), self._span(nodes[0], nodes[-1]))

    def _not(self) -> Node:
        first = self._parts[self._at]
        negated = False
        while self._operator() == "NOT":
            self._take()
            negated = not negated
        node = self._predicate()
        if not negated:
            return node
        place = Place(self._text, self._place(first).start, node.place.end)
        return Call("NOT", (node,), place)

    def _predicate(self) -> Node:
        left = self._concat()
        name = self._operator()
        negated = name == "NOT"
        if negated:
            self._take()
            name = self._operator()
        if name in COMPARISONS and not negated:
            self._take()
            right = self._concat()
            name = "<>" if name == "!=" else name
            found = Call(name, (left, right), self._span(left, right))
            if self._operator() in COMPARISONS:
                raise self._not_here(self._parts[self._at])
            return found
        if name == "IS" and not negated:
            return self._test(left)
        forms = {
            "BETWEEN": self._between,
            "IN": self._in,
            "LIKE": self._like,
            "LIKE_REGEX": self._like,
        }
        if name not in forms:
            if negated:
                raise self._not_here(self._parts[self._at - 1])
            return left
        self._take()
        found = forms[name](name, left)
        return Call("NOT", (found,), found.place) if negated else found

    def _test(self, left: Node) -> Node:
        self._take()
        negated = self._operator() == "NOT"
        if negated:
            self._take()
        word = self._take()
        place = Place(self._text, left.place.start, self._place(word).end)
        name = str(word).upper()
        if getattr(word, "type", "") != "NAME" or name not in TESTS:
            raise BadFormula(
                f"{self._place(word).written} cannot follow IS.",
                "Write IS NULL, IS TRUE, IS FALSE or IS UNKNOWN; for equal write =.",
                self._place(word),
            )
        found = Call(f"IS {name}", (left,), place)
        return Call("NOT", (found,), place) if negated else found

    def _between(self, name: str, left: Node) -> Call:
        low = self._concat()
        if self._operator() != "AND":
            raise BadFormula(
                "BETWEEN has one end only.",
                "Write a BETWEEN b AND c.",
                self._span(left, low),
            )
        self._take()
        high = self._concat()
        return Call(name, (left, low, high), self._span(left, high))

    def _in(self, name: str, left: Node) -> Call:
        part = self._parts[self._at]
        if getattr(part, "data", "") == "brackets":
            self._take()
            values = self._values(part)
            place = Place(self._text, left.place.start, self._place(part).end)
            return Call(name, (left, *values), place)
        # Only POSITION and TRANSLATE_REGEX have this form.
        right = self._concat()
        return Call("IN TEXT", (left, right), self._span(left, right))

    def _like(self, name: str, left: Node) -> Call:
        nodes = [left, self._concat()]
        if self._operator() == "ESCAPE" and name == "LIKE":
            self._take()
            nodes.append(self._concat())
        return Call(name, tuple(nodes), self._span(left, nodes[-1]))

    def _concat(self) -> Node:
        return self._flat("||", self._sum)

    def _sum(self) -> Node:
        return self._chain("+-", self._product)

    def _product(self) -> Node:
        return self._chain("*/", self._signed)

    def _chain(self, operators: str, closer: Callable[[], Node]) -> Node:
        first = closer()
        rest: list[tuple[str, Node]] = []
        while (name := self._operator()) and name in operators:
            self._take()
            rest.append((name, closer()))
        if not rest:
            return first
        return Chain(first, tuple(rest), self._span(first, rest[-1][1]))

    def _signed(self) -> Node:
        first = self._parts[self._at]
        negative = False
        while self._operator() in ("+", "-"):
            negative ^= str(self._take()) == "-"
        if self._operator() == "NOT":
            raise self._not_here(self._parts[self._at])
        node = self._value(self._take())
        if not negative:
            return node
        place = Place(self._text, self._place(first).start, node.place.end)
        return Call("-", (node,), place)

    def _value(self, part: Any) -> Node:
        place = self._place(part)
        kind = getattr(part, "type", "") or part.data
        if kind == "NUMBER":
            return Literal(Decimal(part), place)
        if kind == "STRING":
            return Literal(unquoted(part), place)
        if kind == "QUOTED":
            return Field(unquoted(part), place)
        if kind == "NAME":
            return named_field(str(part), place)
        if kind == "words":
            raise without_operator(part.children[1], self._place(part.children[1]))
        if kind == "typed":
            return typed_value(self._text, part, place)
        if kind == "brackets":
            values = self._values(part)
            if len(values) > 1:
                raise BadFormula(
                    "several values stand where one is expected.",
                    "Such a list follows IN.",
                    place,
                )
            return values[0]
        return self._case(part, place) if kind == "case" else self._call(part, place)

    def _values(self, part: Any) -> tuple[Node, ...]:
        return tuple(
            Expression(self._text, child).node()
            for child in part.children
            if hasattr(child, "data")
        )

    def _case(self, tree: Any, place: Place) -> Case:
        words = [
            str(part).upper() for part in tree.children if not hasattr(part, "data")
        ]
        nodes = iter(self._values(tree))
        has_operand = hasattr(tree.children[1], "data")
        operand = next(nodes) if has_operand else None
        pairs = []
        for _ in range(words.count("WHEN")):
            condition, value = next(nodes), next(nodes)
            if operand is not None:
                condition = Call("=", (operand, condition), condition.place)
            pairs.append((condition, value))
        return Case(tuple(pairs), next(nodes, Literal(None, place)), place)

    def _call(self, tree: Any, place: Place) -> Call:
        name = str(tree.children[0]).upper()
        if name in RESERVED:
            raise word_for_value(tree.children[0], self._place(tree.children[0]))
        if name in OWN_FORMS:
            own = {
                "CAST": self._cast,
                "EXTRACT": self._extract,
                "ROUND": self._round,
                "TRIM": self._trim,
            }
            found = own[name](tree, place)
            if found is None:
                raise BadFormula(
                    f"{name} is written otherwise.",
                    f"Write {OWN_FORMS[name]}.",
                    place,
                )
            return found
        words = tuple(
            str(part).upper() for part in tree.children[1:] if not hasattr(part, "data")
        )
        args = self._values(tree)
        if args and isinstance(args[0], Call) and args[0].name == "IN TEXT":
            args, words = (*args[0].args, *args[1:]), ("IN", *words)
        return Call(name, args, place, words)

    def _only_part(self, tree: Any, place: int) -> Any:
        """Return the only part of an argument, or None where it has several."""
        parts = [part for part in tree.children[1:] if hasattr(part, "data")]
        if place >= len(parts) or len(parts[place].children) != 1:
            return None
        return parts[place].children[0]

    def _separators(self, tree: Any) -> tuple[str, ...]:
        parts = tree.children[1:]
        return tuple(str(part).upper() for part in parts if not hasattr(part, "data"))

    def _arg(self, tree: Any, place: int) -> Node:
        parts = [part for part in tree.children[1:] if hasattr(part, "data")]
        return Expression(self._text, parts[place]).node()

    def _cast(self, tree: Any, place: Place) -> Call | None:
        kind = self._only_part(tree, 1)
        if self._separators(tree) != ("AS",) or kind is None:
            return None
        if getattr(kind, "type", "") == "NAME":
            words: tuple[str, ...] = (str(kind).upper(),)
        elif getattr(kind, "data", "") == "call":
            sizes = [self._only_part(kind, n) for n in range(len(kind.children) // 2)]
            if len(sizes) > 2 or not all(str(size).isdigit() for size in sizes):
                return None
            words = (str(kind.children[0]).upper(), *map(str, sizes))
        else:
            raise BadFormula(
                f"{self._place(kind).written} is no type.",
                TYPES_REMEDY,
                self._place(kind),
            )
        return Call("CAST", (self._arg(tree, 0),), place, words)

    def _extract(self, tree: Any, place: Place) -> Call | None:
        if self._separators(tree) != ("FROM",):
            return None
        unit = self._only_part(tree, 0)
        if str(unit).upper() not in UNITS:
            where = self._place(unit) if unit is not None else place
            raise BadFormula(
                f"{where.written} is no part of a date.",
                f"The parts are {', '.join(UNITS)}.",
                where,
            )
        return Call("EXTRACT", (self._arg(tree, 1),), place, (str(unit).upper(),))

    def _round(self, tree: Any, place: Place) -> Call | None:
        separators = self._separators(tree)
        if separators not in ((), (",",), (",", ",")) or len(tree.children) == 1:
            return None
        args = [self._arg(tree, 0)]
        if separators:
            args.append(self._arg(tree, 1))
        if len(separators) < 2:
            return Call("ROUND", tuple(args), place)
        part = self._only_part(tree, 2)
        words = getattr(part, "children", [part])
        mode = MODES.get(" ".join(str(word).upper() for word in words))
        if mode is None:
            where = self._place(part) if part is not None else place
            raise BadFormula(
                f"{where.written} is no way of rounding.",
                f"The ways are {', '.join(MODES)}.",
                where,
            )
        return Call("ROUND", tuple(args), place, (mode,))

    def _trim(self, tree: Any, place: Place) -> Call | None:
        separators = self._separators(tree)
        if not separators and len(tree.children) == 2:
            return Call("TRIM", (self._arg(tree, 0),), place)
        if separators != ("FROM",):
            return None
        part = self._only_part(tree, 0)
        text = self._arg(tree, 1)
        if getattr(part, "type", "") == "NAME" and str(part).upper() in SIDES:
            return Call("TRIM", (text,), place, (str(part).upper(), "FROM"))
        if getattr(part, "data", "") == "typed":
            side, marks = part.children[:2]
            if str(side).upper() in SIDES and len(part.children) == 2:
                node = Literal(unquoted(marks), self._place(marks))
                return Call("TRIM", (node, text), place, (str(side).upper(), "FROM"))
        return Call("TRIM", (self._arg(tree, 0), text), place, ("FROM",))
