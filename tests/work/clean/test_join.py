"""Tests of the verb join."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.columns.arrays import text_column
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.clean.join.perform import by_template, perform, with_separator
from gruff_ledger.work.clean.join.terms import JoinTerms
from tests.support import table

LIST = table("first|last|boat", "Ada|Holm|Amber", " |Keel|Bold", "Élise||", "||Calm")
CELLS = st.lists(st.tuples(*[st.text("a b", max_size=4)] * 3), min_size=1, max_size=10)


def join(**terms):
    """Join fields of the list."""
    return perform(JoinTerms(**terms), LIST)


class SeparatorTest(unittest.TestCase):
    def test_blanks_are_skipped(self) -> None:
        outcome = join(fields=("last", "first"), heading="name", separator=", ")
        self.assertEqual(outcome.table.headings, ("name", "boat"))
        names = outcome.table.cells("name").to_pylist()
        self.assertEqual(names, ["Holm, Ada", "Keel", "Élise", ""])

    @given(CELLS)
    def test_agrees_with_python(self, records) -> None:
        columns = [text_column(each[place] for each in records) for place in range(3)]
        expected = ["-".join(c for c in each if c.strip()) for each in records]
        self.assertEqual(with_separator(columns, "-").to_pylist(), expected)


class TemplateTest(unittest.TestCase):
    def test_text_stands_between_the_fields(self) -> None:
        outcome = join(template="{{{last}}} {first}!", heading="name", keep=True)
        names = outcome.table.cells("name").to_pylist()
        self.assertEqual(names, ["{Holm} Ada!", "{Keel}  !", "{} Élise!", ""])

    @given(CELLS)
    def test_agrees_with_python(self, records) -> None:
        columns = [text_column(each[place] for each in records) for place in range(2)]
        made = by_template(["(", 0, ") ", 1, 0], columns).to_pylist()
        expected = [
            f"({a}) {b}{a}" if a.strip() or b.strip() else "" for a, b, _ in records
        ]
        self.assertEqual(made, expected)


class PlaceTest(unittest.TestCase):
    def test_where_the_new_field_stands(self) -> None:
        for terms, expected in (
            ({}, ("first", "n")),
            ({"first": True}, ("n", "first")),
            ({"after": "first"}, ("first", "n")),
            ({"keep": True}, ("first", "n", "last", "boat")),
            ({"keep": True, "first": True}, ("n", "first", "last", "boat")),
        ):
            with self.subTest(terms=terms):
                outcome = join(fields=("last", "boat"), heading="n", **terms)
                self.assertEqual(outcome.table.headings, expected)

    def test_into_one_of_its_sources(self) -> None:
        outcome = join(fields=("first", "last"), heading="first")
        self.assertEqual(outcome.table.headings, ("first", "boat"))
        (change,) = outcome.changes
        self.assertEqual(change.now.to_pylist(), ["Ada Holm", "Keel"])

    def test_terms_that_cannot_be_followed(self) -> None:
        for terms, words in (
            ({}, "no fields are named"),
            ({"fields": ("a",), "template": "{a}"}, "named once"),
            ({"template": "x"}, "names no field"),
            ({"template": "{a"}, "a brace has no partner"),
            ({"template": "a}"}, "a brace has no partner"),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(BadTerms) as caught:
                    join(heading="n", **terms)
                self.assertIn(words, caught.exception.what)
        with self.assertRaises(BadTerms):
            join(fields=("first", "last"), heading="boat")
        with self.assertRaises(BadTerms):
            join(fields=("first", "last"), heading="n", first=True, after="boat")
        with self.assertRaises(UnknownField):
            join(template="{frist}", heading="n")

    def test_no_records(self) -> None:
        outcome = perform(JoinTerms(fields=("a", "b"), heading="c"), table("a|b"))
        self.assertEqual((outcome.table.headings, len(outcome.table)), (("c",), 0))


if __name__ == "__main__":
    unittest.main()
