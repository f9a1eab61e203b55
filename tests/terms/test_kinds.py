"""Tests of the kinds of value that terms have: one object each, used everywhere."""

import datetime
import json
import unittest

from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.kinds import (
    Choice,
    Flag,
    Kind,
    Names,
    OrderText,
    PlainText,
    Texts,
    Whole,
)
from gruff_ledger.terms.kinds_of_each import (
    ExamplesOfEach,
    FormulaOfEach,
    ListOfEach,
    NameOfEach,
    NamesOfEach,
    TextOfEach,
    ValueOfEach,
)

# A kind, what is typed for its option, and what a docket says for the same.
SAID = (
    (Kind(), "a, b", "a, b"),
    (Whole(), "12", 12),
    (Choice(("first", "last")), "last", "last"),
    (OrderText(), ("quay", "berth DESC"), "quay, berth DESC"),
    (Texts(), ("a, b", "c"), ["a, b", "c"]),
    (Names(), ('quay, "a, b"', "c"), ["quay", "a, b", "c"]),
    (TextOfEach(), ("quay=East", "berth=a=b"), {"quay": "East", "berth": "a=b"}),
    (NameOfEach(), ("Quay=quay",), {"Quay": "quay"}),
    (FormulaOfEach(), ("x=a = b",), {"x": "a = b"}),
    (NamesOfEach(), ("whole=first, last",), {"whole": ["first", "last"]}),
    (ExamplesOfEach(), ("Fee=1.234,5 €",), {"Fee": ["1.234,5 €"]}),
    (ValueOfEach(), ("Length=1,5=x",), {"Length": "1,5=x"}),
    (ListOfEach(), ("Class=Code IN t.csv",), {"Class": "Code IN t.csv"}),
)


class OneMeaningTest(unittest.TestCase):
    def test_an_option_says_what_a_docket_says(self) -> None:
        for kind, typed, written in SAID:
            with self.subTest(kind=type(kind).__name__):
                said = kind.of_option(typed)
                self.assertTrue(kind.fits(said))
                self.assertEqual(said, written)

    def test_what_the_terms_hold_is_written_again_as_it_was(self) -> None:
        for kind, _, written in SAID:
            with self.subTest(kind=type(kind).__name__):
                held = kind.settled(kind.widened(written))
                if isinstance(kind, ExamplesOfEach):
                    # One example is written without a list around it.
                    written = {name: each[0] for name, each in written.items()}
                self.assertEqual(kind.plain(held), written)
                json.dumps(kind.schema())

    def test_values_of_another_kind_do_not_fit(self) -> None:
        for kind, wrong in (
            (Kind(), 1),
            (Flag(), "yes"),
            (Whole(), True),
            (Whole(), 1.5),
            (Texts(), [1]),
            (TextOfEach(), {"a": 1}),
            (NamesOfEach(), {"a": [1]}),
        ):
            with self.subTest(kind=type(kind).__name__, wrong=wrong):
                self.assertFalse(kind.fits(kind.widened(wrong)))


class RefusalTest(unittest.TestCase):
    def test_what_is_typed_in_another_form(self) -> None:
        for kind, typed, words in (
            (TextOfEach(), ("quay",), "quay"),
            (FormulaOfEach(), ("=Qty*Price",), '"Value=Qty'),
            (FormulaOfEach(), ("Qty*Price",), '"Value=Qty'),
        ):
            with self.subTest(typed=typed), self.assertRaisesRegex(BadTerms, words):
                kind.of_option(typed)

    def test_a_text_is_no_whole_number(self) -> None:
        for typed in ("many", "1.5", ""):
            self.assertFalse(Whole().fits(Whole().of_option(typed)))
        with self.assertRaisesRegex(BadTerms, "18 digits"):
            Whole().check(Whole().of_option("9" * 5000))

    def test_a_choice_names_the_nearest(self) -> None:
        with self.assertRaisesRegex(BadTerms, "first"):
            Choice(("first", "last", "fullest")).check("frist")


class PlainTextTest(unittest.TestCase):
    def test_numbers_and_dates_of_toml_become_cells(self) -> None:
        for value, cell in (
            (3, "3"),
            (2.50, "2.5"),
            (datetime.date(2026, 5, 1), "2026-05-01"),
            ("007", "007"),
        ):
            self.assertEqual(PlainText().widened(value), cell)


if __name__ == "__main__":
    unittest.main()
