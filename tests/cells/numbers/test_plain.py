"""Tests of exact numbers in cells."""

import unittest
from decimal import Decimal
from fractions import Fraction

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.numbers.plain import (
    chunk_numbers,
    exact,
    exact_sum,
    number_of,
    plain_text,
    sum_of,
)
from gruff_ledger.cells.text_bytes import chunk_of, kinds_in
from gruff_ledger.columns.arrays import text_column

CELLS = st.lists(
    st.one_of(
        st.from_regex(r"[+-]?[0-9]{0,21}\.?[0-9]{0,12}", fullmatch=True),
        st.text("0123456789+-. eé\u00a0\u3000\t", max_size=8),
    ),
    min_size=1,
    max_size=12,
)


class OneByOneTest(unittest.TestCase):
    def test_the_plain_form(self) -> None:
        for text, number in (
            ("12", "12"),
            ("-12.50", "-12.50"),
            ("+.5", "0.5"),
            ("5.", "5"),
            ("007", "7"),
            ("\u00a0 3 \t", "3"),
            ("12345678901234567890.123", "12345678901234567890.123"),
        ):
            with self.subTest(text=text):
                self.assertEqual(number_of(text), Decimal(number))

    def test_what_is_no_number(self) -> None:
        for text in (
            "",
            " ",
            ".",
            "-",
            "+.",
            "1e5",
            "1,000",
            "1 000",
            "--1",
            "1-",
            "٣",
        ):
            with self.subTest(text=text):
                self.assertIsNone(number_of(text))

    def test_very_many_digits_are_a_text(self) -> None:
        """A number has up to 400 digits before the point, and after it."""
        for text, is_number in (
            ("9" * 400, True),
            ("-" + "9" * 400 + "." + "1" * 400, True),
            ("9" * 401, False),
            ("0." + "1" * 401, False),
            ("9" * 5000, False),
        ):
            with self.subTest(digits=len(text)):
                self.assertEqual(number_of(text) is not None, is_number)
                found = chunk_numbers(chunk_of(pa.array(["7", text])))
                self.assertEqual(found.places.tolist(), [0, 1][: 1 + is_number])

    def test_written_without_an_exponent(self) -> None:
        self.assertEqual(plain_text(exact(-5, 3)), "-0.005")
        self.assertEqual(plain_text(exact(10**30, 0)), "1" + "0" * 30)


class FieldTest(unittest.TestCase):
    @given(CELLS)
    def test_fields_agree_with_reading_one_by_one(self, cells: list[str]) -> None:
        numbers = chunk_numbers(chunk_of(text_column(cells).chunks[0]))
        found = {
            place: exact(int(value), numbers.scale)
            for place, value in zip(
                numbers.places.tolist(), numbers.values, strict=True
            )
        }
        expected = {
            place: number
            for place, cell in enumerate(cells)
            if (number := number_of(cell)) is not None
        }
        self.assertEqual(found, expected)

    @given(CELLS)
    def test_sums_are_exact(self, cells: list[str]) -> None:
        total = sum(
            (Fraction(number) for cell in cells if (number := number_of(cell))),
            Fraction(0),
        )
        self.assertEqual(Fraction(exact_sum(text_column(cells))), total)

    @given(
        st.lists(
            st.tuples(
                st.integers(-(10**18) + 1, 10**18 - 1), st.integers(0, 2**31 // 50)
            ),
            max_size=40,
        )
    )
    def test_weighted_sums_do_not_overflow(self, pairs: list[tuple[int, int]]) -> None:
        values = np.array([value for value, _ in pairs], np.int64)
        weights = np.array([weight for _, weight in pairs], np.int64)
        self.assertEqual(sum_of(values, weights), sum(a * b for a, b in pairs))
        self.assertEqual(sum_of(values), sum(value for value, _ in pairs))

    def test_cells_that_are_passed_over(self) -> None:
        chunk = chunk_of(text_column(["5", "6", "x"]).chunks[0])
        kinds = kinds_in(chunk)
        kinds[0] = 0
        self.assertEqual(chunk_numbers(chunk, kinds).places.tolist(), [1])

    def test_slices_and_empty_cells(self) -> None:
        array = text_column(["1", "", "2.5", "x", ""]).chunks[0].slice(1, 3)
        numbers = chunk_numbers(chunk_of(array))
        self.assertEqual((numbers.places.tolist(), numbers.scale), ([1], 1))


if __name__ == "__main__":
    unittest.main()
