"""Tests of how one number is written, and what that leaves open."""

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.numbers.shapes import currency_code, is_currency, shape_of


class ShapeTest(unittest.TestCase):
    def test_numbers_as_people_write_them(self) -> None:
        for text, value, decimal, group in (
            ("1.234,56 €", "1234.56", ",", "."),
            ("£2.40", "2.40", ".", ""),
            ("(4.00)", "-4.00", ".", ""),
            ("12-", "-12", "", ""),
            ("\u22125", "-5", "", ""),
            ("1\u202f234,5", "1234.5", ",", " "),
            ("1\u2019234.50", "1234.50", ".", "'"),
            ("12,5 %", "0.125", ",", ""),
            ("1.5E+03", "1500", ".", ""),
            ("€ -5", "-5", "", ""),
            ("-US$ 5.5", "-5.5", ".", ""),
            ("1200 kr.", "1200", "", ""),
            ("Fr. 12.50", "12.50", ".", ""),
            ("1.234.567", "1234567", "", "."),
            ("12,34,567", "1234567", "", ","),
            ("0,123", "0.123", ",", ""),
            ("1234,567", "1234.567", ",", ""),
            (",5", "0.5", ",", ""),
            ("1.250,- €", "1250.00", ",", "."),
            ("(Fr. 12.--)", "-12.00", ".", ""),
            ("kr 5,\u2014", "5.00", ",", ""),
        ):
            with self.subTest(text=text):
                shape = shape_of(text)
                assert shape is not None
                self.assertEqual(shape.value, Decimal(value))
                self.assertEqual((shape.decimal, shape.group), (decimal, group))
                self.assertEqual(shape.doubt, "")

    def test_a_lone_mark_before_three_digits_is_in_doubt(self) -> None:
        for text, mark in (("1,234", ","), ("1.234", "."), ("-123,456 EUR", ",")):
            shape = shape_of(text)
            assert shape is not None
            self.assertEqual(shape.doubt, mark)
            self.assertEqual(shape.grouped_value, shape.value * 1000)

    def test_what_is_no_number(self) -> None:
        for text in (
            *("", " ", "-", "%", "()", "(", "N-12", "12E3", "12ABC", "ABC 12", "EUR"),
            *(
                "01.02.2026",
                "1.2.3",
                "1,2,3",
                "1..2",
                "1, 234",
                "192.168.1.1",
                "1,23,4",
            ),
            *("5 £ €", "12 34", "0.123.456", "1'23", "9" * 500, "1,234.5.6", "--5"),
        ):
            with self.subTest(text=text):
                self.assertIsNone(shape_of(text))

    @given(st.text(alphabet="0123456789.,' -+()%€EURk$", max_size=12))
    def test_whatever_it_is_no_fault(self, text: str) -> None:
        shape = shape_of(text)
        if shape is not None:
            self.assertTrue(any(map(str.isdigit, text)))


class CurrencyTest(unittest.TestCase):
    def test_signs_codes_and_words(self) -> None:
        for text in ("€", "$", "US$", "R$", "EUR", "kr", "Fr.", "zł"):
            self.assertTrue(is_currency(text), text)
        for text in ("", "ABC", "eur", "km", "$$$$$", "12$"):
            self.assertFalse(is_currency(text), text)

    def test_a_sign_and_its_code_are_one_currency(self) -> None:
        for sign, code in (("€", "EUR"), ("CA$", "CAD"), ("₩", "KRW"), ("kr.", "kr")):
            self.assertEqual(currency_code(sign), currency_code(code))
            self.assertTrue(is_currency(sign), sign)
        self.assertNotEqual(currency_code("CA$"), currency_code("$"))


if __name__ == "__main__":
    unittest.main()
