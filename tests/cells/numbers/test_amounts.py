"""Tests of exact arithmetic on whole fields, against Python's decimal."""

import decimal
import unittest
from decimal import Decimal
from fractions import Fraction

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.numbers.amounts import (
    absolute,
    added,
    chosen,
    compared,
    constant,
    divide,
    multiply,
    negated,
    read_amounts,
    remainders,
    rounded,
    subtract,
    to_column,
)
from gruff_ledger.cells.numbers.wide import MOST_DIGITS, TooLong
from gruff_ledger.columns.arrays import text_column

# More digits than any result here has.
EXACT = decimal.Context(prec=400)

MODES = {
    "half-up": decimal.ROUND_HALF_UP,
    "half-even": decimal.ROUND_HALF_EVEN,
    "half-down": decimal.ROUND_HALF_DOWN,
    "up": decimal.ROUND_UP,
    "down": decimal.ROUND_DOWN,
    "ceiling": decimal.ROUND_CEILING,
    "floor": decimal.ROUND_FLOOR,
}

# Short ones, that NumPy computes, and some of thirty digits, that it cannot.
SHORT = st.builds(
    lambda value, scale: Decimal(value).scaleb(-scale),
    st.integers(-(10**6), 10**6),
    st.integers(0, 4),
)
LONG = st.builds(
    lambda value, scale: Decimal(
        (0 if value >= 0 else 1, tuple(map(int, str(abs(value)))), -scale)
    ),
    st.integers(-(10**30), 10**30),
    st.integers(0, 12),
)
PAIRS = st.lists(st.tuples(SHORT | LONG, SHORT | LONG), min_size=1, max_size=12)
SHORT_PAIRS = st.lists(st.tuples(SHORT, SHORT), min_size=1, max_size=12)


def field(numbers):
    """Write numbers in cells and read them as a field."""
    amounts, is_number = read_amounts(text_column(f"{each:f}" for each in numbers))
    assert is_number.all()
    return amounts


def written(amounts, digits=None):
    """Write a field and return its cells."""
    return to_column(amounts, digits)[0].to_pylist()


def plain(number: Decimal) -> str:
    """Write a number without zeros that mean nothing."""
    text = f"{number:f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text


class ArithmeticTest(unittest.TestCase):
    def check(self, pairs) -> None:
        one, other = field([a for a, _ in pairs]), field([b for _, b in pairs])
        for work, exact in (
            (added, EXACT.add),
            (subtract, EXACT.subtract),
            (multiply, EXACT.multiply),
        ):
            expected = [plain(exact(a, b)) for a, b in pairs]
            self.assertEqual(written(work(one, other)), expected)
        order = [int(EXACT.compare(a, b)) for a, b in pairs]
        self.assertEqual(compared(one, other).tolist(), order)

    @given(PAIRS)
    def test_agrees_with_decimal(self, pairs) -> None:
        """Thirty digits and mixed scales among them."""
        self.check(pairs)

    @given(SHORT_PAIRS)
    def test_agrees_with_decimal_in_64_bits(self, pairs) -> None:
        self.check(pairs)

    @given(PAIRS)
    def test_a_quotient_times_its_divisor_is_the_number(self, pairs) -> None:
        pairs = [(a, b) for a, b in pairs if b]
        if pairs:
            one, other = field([a for a, _ in pairs]), field([b for _, b in pairs])
            quotient = divide(one, other)
            expected = [plain(a) for a, _ in pairs]
            self.assertEqual(written(multiply(quotient, other)), expected)

    @given(PAIRS)
    def test_quotients_are_exact_fractions(self, pairs) -> None:
        pairs = [(a, b) for a, b in pairs if b]
        if not pairs:
            return
        one, other = field([a for a, _ in pairs]), field([b for _, b in pairs])
        quotient = divide(one, other)
        column, inexact = to_column(quotient)
        for text, rough, (a, b) in zip(
            column.to_pylist(), inexact.tolist(), pairs, strict=True
        ):
            difference = abs(Fraction(text) - Fraction(a) / Fraction(b))
            self.assertLessEqual(difference, Fraction(1, 2 * 10**12))
            self.assertEqual(rough, difference != 0)

    @given(PAIRS)
    def test_remainders_have_the_sign_of_the_number(self, pairs) -> None:
        pairs = [(a, b) for a, b in pairs if b]
        if pairs:
            one, other = field([a for a, _ in pairs]), field([b for _, b in pairs])
            expected = [plain(EXACT.remainder(a, b)) for a, b in pairs]
            self.assertEqual(written(remainders(one, other)), expected)

    def test_division_by_zero_is_refused(self) -> None:
        for work in (divide, remainders):
            with self.assertRaises(ZeroDivisionError):
                work(constant(Decimal(1)), constant(Decimal(0)))

    def test_without_sign_and_with_the_other(self) -> None:
        numbers = field([Decimal("-2.5"), Decimal(3)])
        self.assertEqual(written(absolute(numbers)), ["2.5", "3"])
        self.assertEqual(written(negated(numbers)), ["2.5", "-3"])

    def test_one_number_stands_for_all(self) -> None:
        numbers = field([Decimal("1.5"), Decimal(2)])
        self.assertEqual(written(multiply(numbers, constant(Decimal(3)))), ["4.5", "6"])
        self.assertEqual(written(divide(constant(Decimal(3)), numbers)), ["2", "1.5"])

    def test_numbers_that_grow_beyond_the_limit_are_refused(self) -> None:
        number = constant(Decimal(10) ** 400)
        square = multiply(number, number)
        self.assertEqual(len(written(square)[0]), 801)
        with self.assertRaises(TooLong):
            multiply(square, number)
        self.assertLess(801, MOST_DIGITS)

    def test_chosen_by_a_mask(self) -> None:
        one, other = (
            field([Decimal("1.25"), Decimal(2)]),
            field([Decimal(7), Decimal(8)]),
        )
        third = divide(other, constant(Decimal(3)))
        mask = np.array([True, False])
        self.assertEqual(written(chosen(mask, one, other)), ["1.25", "8"])
        self.assertEqual(written(chosen(mask, one, third)), ["1.25", "2.666666666667"])


class RoundingTest(unittest.TestCase):
    @given(st.lists(SHORT | LONG, min_size=1, max_size=12), st.integers(-3, 6))
    def test_agrees_with_decimal_in_every_mode(self, numbers, digits) -> None:
        amounts = field(numbers)
        unit = Decimal(1).scaleb(-digits)
        for mode, rounding in MODES.items():
            expected = [
                plain(number.quantize(unit, rounding, context=EXACT))
                for number in numbers
            ]
            with self.subTest(mode=mode):
                self.assertEqual(written(rounded(amounts, digits, mode)), expected)

    @given(SHORT_PAIRS)
    def test_fractions_are_rounded_once(self, pairs) -> None:
        """Not first to some decimals and then to fewer."""
        pairs = [(a, b) for a, b in pairs if b]
        if not pairs:
            return
        one, other = field([a for a, _ in pairs]), field([b for _, b in pairs])
        quotient = divide(one, other)
        for mode, rounding in MODES.items():
            expected = [
                plain(EXACT.divide(a, b).quantize(Decimal("0.01"), rounding, EXACT))
                for a, b in pairs
            ]
            with self.subTest(mode=mode):
                self.assertEqual(written(rounded(quotient, 2, mode)), expected)

    def test_decimals_that_are_always_written(self) -> None:
        numbers = field([Decimal("2.5"), Decimal(-3), Decimal(0), Decimal("-0.05")])
        self.assertEqual(written(numbers, 2), ["2.50", "-3.00", "0.00", "-0.05"])
        long = field([Decimal(10) ** 20])
        self.assertEqual(written(long, 1), ["1" + "0" * 20 + ".0"])

    def test_no_records(self) -> None:
        amounts, _ = read_amounts(text_column([]))
        self.assertEqual(written(rounded(amounts, 2, "half-up")), [])
        self.assertEqual(written(added(amounts, constant(Decimal(1)))), [])


if __name__ == "__main__":
    unittest.main()
