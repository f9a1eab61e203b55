"""Tests of the forms numbers are written in."""

import itertools
import unittest
from decimal import Decimal

import msgspec
from hypothesis import example, given
from hypothesis import strategies as st

from gruff_ledger.cells.numbers.forms import (
    PLAIN,
    NumberForm,
    in_plain_form,
    number_pattern,
    plain_cells,
)
from gruff_ledger.cells.numbers.plain import plain_text
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.problems import BadTerms

COMMA = NumberForm(decimal=",", group=".")


class ReadingTest(unittest.TestCase):
    def test_stated_forms(self) -> None:
        money = NumberForm(decimal=",", group=".", currency="€", brackets=True)
        behind = NumberForm(trailing_minus=True, currency="GBP", group=",")
        for form, text, expected in (
            (COMMA, "1.250,50", "1250.50"),
            (COMMA, "1250,5", "1250.5"),
            (COMMA, " -7 ", "-7"),
            (COMMA, "1.250,-", "1250.00"),
            (COMMA, "1.25", None),
            (COMMA, "1.2500", None),
            (COMMA, "1.250.50", None),
            (money, "1.250,50 €", "1250.50"),
            (money, "€ 3", "3"),
            (money, "-€3", "-3"),
            (money, "€-3", "-3"),
            (money, "(3,5 €)", "-3.5"),
            (money, "(-3)", None),
            (money, "€3€", None),
            (money, "--3", None),
            (behind, "1,250.50-", "-1250.50"),
            (behind, "GBP 12-", "-12"),
            (behind, "-12-", None),
            (NumberForm(percent=True), "12.5 %", "0.125"),
            (NumberForm(percent=True), "12.5", "12.5"),
            (NumberForm(percent=True), "5%%", None),
            (NumberForm(group=" "), "1\u202f250\u202f000", "1250000"),
            (NumberForm(group=" "), "1 250\u00a0000", None),
            (NumberForm(group="'"), "1\u2019250", "1250"),
            (NumberForm(group=","), "12,34,567", "1234567"),
            (NumberForm(group=","), ",250", None),
            (NumberForm(decimal=","), "\u22125,5", "-5.5"),
            (COMMA, "", None),
            (COMMA, "n/a", None),
            (COMMA, ",", None),
            (PLAIN, "1,5", None),
        ):
            with self.subTest(form=form, text=text):
                number = form.read(text)
                self.assertEqual(
                    number, None if expected is None else Decimal(expected)
                )

    def test_very_many_digits_are_a_text(self) -> None:
        for text, is_number in (("1" * 400 + ",5", True), ("1" * 401 + ",5", False)):
            self.assertEqual(COMMA.read(text) is not None, is_number)
        self.assertIsNone(COMMA.read("0," + "1" * 401))

    def test_numbers_of_any_length_are_exact(self) -> None:
        text = "9" * 40 + "," + "1" * 20
        self.assertEqual(str(COMMA.read(text)), text.replace(",", "."))
        share = NumberForm(percent=True).read("1" * 40 + "%")
        self.assertEqual(f"{share:f}", "1" * 38 + ".11")

    def test_what_is_no_number_in_the_form_is_none_in_the_plain_one(self) -> None:
        column = in_plain_form(text_column(["1,5", "1.5", " ", "x"]), COMMA)
        self.assertEqual(column.to_pylist(), ["1.5", "?", " ", "?"])


FIELDS = given(
    st.lists(
        st.text("0123,.-+ €%()'\u2212é", max_size=7)
        | st.builds(
            "".join,
            st.tuples(
                st.sampled_from(["", "-", "€", "€ ", "-€", "Fr. ", "€ -", "5"]),
                st.sampled_from(["7", "007", "1.250", "12.345.678", "1 250", "1.25"]),
                st.sampled_from(["", ",5", ",", ".50"]),
                st.sampled_from(["", " €", "€", " Fr.", "-", " 5", "%"]),
            ),
        ),
        max_size=20,
    ),
    st.builds(
        NumberForm,
        decimal=st.sampled_from([",", ".", "'", "é", " "]),
        group=st.sampled_from(["", " ", ";", "'"]),
        currency=st.sampled_from(["", "€", "Fr.", "5", "-"]),
        percent=st.booleans(),
        brackets=st.booleans(),
        trailing_minus=st.booleans(),
    ),
)


class FieldTest(unittest.TestCase):
    @example(["0-"], NumberForm(decimal=",", currency="-"))
    @example(["0  "], NumberForm(decimal=" "))
    @FIELDS
    def test_whole_fields_agree_with_reading_one_by_one(self, cells, form) -> None:
        if form.decimal == "," and form.group == ";":
            form = msgspec.structs.replace(form, group=".")
        if form.decimal == form.group:
            form = msgspec.structs.replace(form, group="")
        column = in_plain_form(text_column(cells), form).to_pylist()
        self.assertEqual(
            [PLAIN.read(cell) for cell in column], [form.read(cell) for cell in cells]
        )

    @FIELDS
    def test_what_is_quickly_written_is_as_one_by_one(self, cells, form) -> None:
        usual, plain = plain_cells(text_column([*cells, "9" * 401]), form)
        self.assertFalse(usual[-1])
        numbers = [form.read(cell) for cell in itertools.compress(cells, usual)]
        self.assertNotIn(None, numbers)
        self.assertEqual(plain.to_pylist(), list(map(plain_text, numbers)))


class PatternTest(unittest.TestCase):
    def test_numbers_are_written(self) -> None:
        for pattern, number, expected in (
            ("#,##0.00", "-1234567.5", "-1,234,567.50"),
            ("0.##", "3.50", "3.5"),
            ("0.##", "3", "3"),
            ("0000", "7", "0007"),
            ("#,##,##0", "1234567", "12,34,567"),
            ("#.00", "0.5", ".50"),
            ("#", "0", "0"),
            ("0.0", "-0.00", "0.0"),
            ("0.00 'EUR'", "2", "2.00 EUR"),
            ("€#,##0", "1250", "€1,250"),
            ("0.00", "1.255", None),
        ):
            with self.subTest(pattern=pattern, number=number):
                self.assertEqual(
                    number_pattern(pattern).write(Decimal(number)), expected
                )

    @given(st.decimals(allow_nan=False, allow_infinity=False, places=2))
    def test_what_is_written_reads_back(self, number: Decimal) -> None:
        text = number_pattern("#,##0.00").write(number)
        self.assertEqual(NumberForm(group=",").read(text or ""), number)

    def test_patterns_that_are_none(self) -> None:
        for pattern in ("", "x", "0.00E0", "#0%", "0;0", "0,0,", "00#", "0.0.0"):
            with self.subTest(pattern=pattern), self.assertRaises(BadTerms):
                number_pattern(pattern)


if __name__ == "__main__":
    unittest.main()
