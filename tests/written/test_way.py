"""Tests of saying by example how a field is written."""

import unittest

from gruff_ledger.cells.numbers.forms import NumberForm
from gruff_ledger.problems import BadTerms
from gruff_ledger.written.examples import way_of


class WayTest(unittest.TestCase):
    def test_numbers(self) -> None:
        for example, form in (
            ("1.234,56 €", NumberForm(decimal=",", group=".", currency="€")),
            ("1234.5", NumberForm()),
            ("(4.00)", NumberForm(brackets=True)),
            ("12,5%", NumberForm(decimal=",", percent=True)),
            ("1.234.567", NumberForm(decimal=",", group=".")),
            ("1.5E+03", NumberForm(exponent=True)),
        ):
            with self.subTest(example=example):
                self.assertEqual(way_of([example], "Fee").numbers, (form,))

    def test_several_in_one_text_or_in_several(self) -> None:
        one = way_of(["31/12/2026, 31.12.26, Dec 31, 2026"], "Day")
        self.assertEqual(one.examples, ("31/12/2026", "31.12.26", "Dec 31, 2026"))
        self.assertEqual(one, way_of(list(one.examples), "Day"))
        self.assertEqual([style.order for style in one.dates], ["day", "day", "month"])

    def test_one_without_marks_has_those_of_the_others(self) -> None:
        _, second = way_of(["1.234,5, (12)"], "Fee").numbers
        self.assertEqual((second.decimal, second.group), (",", "."))

    def test_patterns(self) -> None:
        self.assertEqual(
            way_of(["dd/MM/yyyy, d. MMM yy"], "Day").patterns[1], "d. MMM yy"
        )

    def test_what_is_refused_and_what_would_do(self) -> None:
        for example, words in (
            ("1,234", "'Fee=1,234.5' if ',' parts thousands, or by 'Fee=1234,5'"),
            ("1.234", "'Fee=1.234,5'"),
            ("03/04/2026", "by 'Fee=31/12/2026' or by 'Fee=12/31/2026'"),
            ("three", "neither a number nor a date"),
            ("1,5, 31/12/2026", "a number and with a date"),
            ("dd/MM/yyyy/d", "twice"),
            ("", "no example"),
        ):
            with self.subTest(example=example), self.assertRaises(BadTerms) as caught:
                way_of([example], "Fee")
            self.assertIn(words, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
