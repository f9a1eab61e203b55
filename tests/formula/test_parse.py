"""Tests of reading formulas: what they mean, and what is said where they are none."""

import unittest

from gruff_ledger.formula.nodes import BadFormula, Call, Case, Chain, Field, Literal
from gruff_ledger.formula.parse import parse
from gruff_ledger.formula.tokens import MOST_CHARACTERS, MOST_NESTED


def shown(node) -> str:
    """Write a node with brackets around every call."""
    if isinstance(node, Literal):
        return repr(node.value) if isinstance(node.value, str) else str(node.value)
    if isinstance(node, Field):
        return node.name
    if isinstance(node, Chain):
        rest = "".join(f" {name} {shown(each)}" for name, each in node.rest)
        return f"({shown(node.first)}{rest})"
    if isinstance(node, Case):
        whens = " ".join(f"{shown(a)}:{shown(b)}" for a, b in node.whens)
        return f"[{whens} {shown(node.otherwise)}]"
    assert isinstance(node, Call)
    words = f"/{','.join(node.detail)}" if node.detail else ""
    return f"{node.name}{words}({' '.join(map(shown, node.args))})"


class MeaningTest(unittest.TestCase):
    def test_what_binds_closer(self) -> None:
        for text, expected in (
            ("a + b * c - d", "(a + (b * c) - d)"),
            ("-a * b", "(-(a) * b)"),
            ("- - a", "a"),
            ("a || b + c", "||(a (b + c))"),
            ("a = b + 1 AND c OR d", "OR(AND(=(a (b + 1)) c) d)"),
            ("NOT a = b AND c", "AND(NOT(=(a b)) c)"),
            ("NOT NOT a IS NULL", "IS NULL(a)"),
            ("a IS NOT NULL", "NOT(IS NULL(a))"),
            ("a BETWEEN 1 AND 2 AND b", "AND(BETWEEN(a 1 2) b)"),
            ("a NOT BETWEEN 1 AND 2", "NOT(BETWEEN(a 1 2))"),
            ("a NOT IN (1, 2)", "NOT(IN(a 1 2))"),
            ("a LIKE 'x' ESCAPE '!' OR b", "OR(LIKE(a 'x' '!') b)"),
            ("a + b IN (c)", "IN((a + b) c)"),
            ("a != b", "<>(a b)"),
            ("(a)", "a"),
            ("CASE WHEN a THEN 1 ELSE 2 END + 1", "([a:1 2] + 1)"),
            ("CASE a WHEN 1 THEN b END", "[=(a 1):b None]"),
            ("CAST(a AS DECIMAL(6, 2))", "CAST/DECIMAL,6,2(a)"),
            ("EXTRACT(YEAR FROM a)", "EXTRACT/YEAR(a)"),
            ("POSITION('x' IN a)", "POSITION/IN('x' a)"),
            ("TRIM(BOTH 'x' FROM a)", "TRIM/BOTH,FROM('x' a)"),
            ("TRIM(LEADING FROM a)", "TRIM/LEADING,FROM(a)"),
            ("ROUND(a, 2, HALF EVEN)", "ROUND/half-even(a 2)"),
            ("round(a, 2, floor)", "ROUND/floor(a 2)"),
            ("SUBSTRING(a FROM 1 FOR 2)", "SUBSTRING/FROM,FOR(a 1 2)"),
            ("'it''s'", '"it\'s"'),
            ('"a ""b"""', 'a "b"'),
        ):
            with self.subTest(text=text):
                self.assertEqual(shown(parse(text)), expected)

    def test_words_that_fields_can_be_called(self) -> None:
        """Only where a word could mean something else it must stand in quotes."""
        for name in ("date", "year", "position", "up", "floor", "leading", "trim"):
            with self.subTest(name=name):
                self.assertEqual(shown(parse(f"{name} + 1")), f"({name} + 1)")

    def test_a_long_chain_is_not_deep(self) -> None:
        for operator in ("+", "*", "||", "AND"):
            with self.subTest(operator=operator):
                text = f" {operator} ".join(["a"] * 1500)
                self.assertTrue(shown(parse(text)))
        self.assertEqual(shown(parse("-" * 9000 + "a")), "a")


class RefusalTest(unittest.TestCase):
    CASES = (
        ("", "is empty", ""),
        ("a +", "ends too soon", ""),
        ("(a", "opened and not closed", "("),
        ("a)", "closed that was not opened", ")"),
        ("'abc", "single quote is opened", "'"),
        ('"abc', "double quote is opened", '"'),
        ("a b", "'b' was not expected", "b"),
        ("a == b", "'==' means nothing", "="),
        ("a % b", "'%' means nothing", "%"),
        ("a $ b", "'$' means nothing", "$"),
        ("“a”", "'“' means nothing", "“"),
        ("a\x00", "'U+0000' means nothing", "\x00"),
        ("a + * b", "a value is expected", "*"),
        ("AND a", "", "a"),
        ("f(,)", "a value is expected", ","),
        ("a IN b", "", ""),
        ("a < b < c", "< was not expected", "<"),
        ("a IS 5", "5 cannot follow IS", "5"),
        ("a BETWEEN 1", "one end only", "a BETWEEN 1"),
        ("a NOT = b", "NOT was not expected", "NOT"),
        ("CASE WHEN a THEN b", "ends too soon", ""),
        ("CASE a END", "'END' was not expected", "END"),
        ("CAST(a AS 5)", "5 is not a type", "5"),
        ("ROUND(a, 2, SIDEWAYS)", "not a way of rounding", "SIDEWAYS"),
        ("EXTRACT(WEEK FROM a)", "not a part of a date", "WEEK"),
        ("DATE '2026-13-01'", "not a date of ISO 8601", "DATE '2026-13-01'"),
        ("INTERVAL '1.5' DAY", "not a whole number", "INTERVAL '1.5' DAY"),
        ("INTERVAL '1'", "the unit is missing", "INTERVAL '1'"),
        ("(a, b)", "not several", "(a, b)"),
        ("BETWEEN(a, 1, 2)", "'BETWEEN' is a word of the language", "BETWEEN"),
        ("1 + and(a)", "'and' is a word of the language", "and"),
        ("12E3", "'E3' was not expected", "E3"),
        ("a; b", "';' means nothing", ";"),
        ("__import__('os').system('x')", "'.' means nothing", "."),
    )

    def test_one_paragraph_with_the_place_marked(self) -> None:
        for text, words, marked in self.CASES:
            if not words:
                continue
            with self.subTest(text=text):
                with self.assertRaises(BadFormula) as caught:
                    parse(text)
                problem = caught.exception
                self.assertIn(words, problem.what)
                self.assertTrue(problem.remedy)
                line, carets = problem.excerpt.split("\n")
                self.assertEqual(len(carets) - len(carets.lstrip("^ ")), len(carets))
                at = carets.index("^")
                if marked.isprintable() and marked:
                    self.assertEqual(line[at : at + len(marked)], marked)

    def test_hostile_ones_are_refused_at_once(self) -> None:
        for text in (
            "a" * (MOST_CHARACTERS + 1),
            "(" * 5000,
            "(" * (MOST_NESTED + 1) + "a" + ")" * (MOST_NESTED + 1),
            "f(" * 3000 + ")" * 3000,
            "CASE WHEN a THEN " * 500 + "1" + " END" * 500,
            "'" + "a" * 9000,
            "a IN (" * 100 + "1" + ")" * 100,
            "\U0001f600" * 5000,
            "NOT " * 2400,
            "a." * 4000,
        ):
            with self.subTest(text=text[:20]):
                with self.assertRaises(BadFormula) as caught:
                    parse(text)
                self.assertLess(len(caught.exception.excerpt), 250)

    def test_brackets_up_to_the_limit(self) -> None:
        for opening, inner, closing in (
            ("(", "a", ")"),
            ("ABS(", "a", ")"),
            ("NOT (a OR -(", "a", "))"),
            ("CASE WHEN a THEN ", "a", " END"),
            ("a IN (", "a", ")"),
        ):
            levels = MOST_NESTED // max(1, opening.count("("))
            with self.subTest(opening=opening):
                self.assertTrue(parse(opening * levels + inner + closing * levels))

    def test_long_formulas_are_shown_around_the_place(self) -> None:
        with self.assertRaises(BadFormula) as caught:
            parse("a + " * 100 + "$ + b\n+ c")
        line, carets = caught.exception.excerpt.split("\n")
        self.assertTrue(line.strip().startswith("...") and len(line) < 90)
        self.assertEqual(line[carets.index("^")], "$")


if __name__ == "__main__":
    unittest.main()
