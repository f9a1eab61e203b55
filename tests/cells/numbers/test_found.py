"""Tests of finding out how a field writes its numbers."""

import itertools
import random
import unittest
from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.cells.numbers.amounts import exact_of
from gruff_ledger.cells.numbers.found import (
    _COULD_BE_NUMBER,
    FoundNumbers,
    find_numbers,
)
from gruff_ledger.cells.numbers.shapes import shape_of
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.columns.arrays import text_column

# The decimal mark, the group mark and what stands around.
FORMS = (
    *((".", "", "{}"), (".", ",", "{}"), (",", ".", "{}"), (",", "", "{}")),
    *(
        (",", " ", "{} €"),
        (".", "'", "CHF {}"),
        (",", "\u202f", "{}"),
        (".", ",", "£{}"),
    ),
)


PIECES = (
    *("1", "20", "0", ".", ",", "'", "\u2019", " ", "\u00a0", "\u202f", "-", "\u2212"),
    *("+", "(", ")", "%", "€", "$", "US$", "EUR", "kr", "Fr.", "zł", "E+3", "e-2"),
)


def write(cents: int, form: tuple[str, str, str]) -> str:
    """Write an amount in a form; independent of the program."""
    decimal, group, around = form
    whole = str(abs(cents) // 100)
    if group:
        parts = []
        while len(whole) > 3:
            parts.insert(0, whole[-3:])
            whole = whole[:-3]
        whole = group.join([whole, *parts])
    text = f"{whole}{decimal}{abs(cents) % 100:02}" if cents % 100 else whole
    return ("-" if cents < 0 else "") + around.format(text)


def values(found: FoundNumbers) -> list[Decimal]:
    """Return the numbers of a field."""
    amounts = found.amounts
    return [
        exact_of(amounts._replace(values=amounts.values[at : at + 1]))
        for at in range(len(amounts.values))
    ]


def find(*cells: str) -> FoundNumbers:
    """Find the numbers of some cells."""
    return find_numbers(text_column(cells))


AMOUNTS = st.lists(st.integers(-10_000_000, 10_000_000), min_size=1, max_size=12)


class LawTest(unittest.TestCase):
    @given(st.sampled_from(FORMS), AMOUNTS, st.randoms())
    def test_read_back_equal_among_others_that_settle_it(
        self, form: tuple[str, str, str], cents: list[int], chance: random.Random
    ) -> None:
        cents = [*cents, 123_456_789, 1250]
        chance.shuffle(cents)
        found = find(*(write(each, form) for each in cents))
        self.assertEqual(found.doubts, {})
        self.assertEqual(values(found), [Decimal(each) / 100 for each in cents])

    @given(st.sampled_from(FORMS), st.integers(1, 999))
    def test_asked_where_nothing_settles_it(
        self, form: tuple[str, str, str], thousands: int
    ) -> None:
        _, group, _ = form
        found = find(write(thousands * 100_000 + 23_400, form))
        self.assertEqual(bool(found.doubts), group == ",")
        if group == ".":
            # A plain number is what it is.
            self.assertEqual(values(found), [Decimal(thousands) + Decimal("0.234")])

    @settings(max_examples=30, deadline=None)
    @given(AMOUNTS, st.randoms())
    def test_of_two_forms_each_is_read_or_it_is_asked(
        self, cents: list[int], chance: random.Random
    ) -> None:
        for one, other in itertools.combinations(FORMS, 2):
            pairs = [(each, chance.choice((one, other))) for each in cents]
            pairs += [
                (123_456_789, one),
                (1250, one),
                (123_456_789, other),
                (1250, other),
            ]
            chance.shuffle(pairs)
            found = find(*(write(*pair) for pair in pairs))
            if not found.doubts:
                expected = [Decimal(each) / 100 for each, _ in pairs]
                self.assertEqual(values(found), expected, (one, other))

    def test_many_cells_are_read_as_few_are(self) -> None:
        """By patterns over the whole field, and one by one."""
        chance = random.Random(5)
        for forms in ((FORMS[2],), FORMS[4:6], FORMS):
            cells = [
                chance.choice(["", "x", "12-", "(1.250,50)"])
                if chance.random() < 0.1
                else write(chance.randrange(-(10**9), 10**9), chance.choice(forms))
                for _ in range(4000)
            ]
            with self.subTest(forms=forms):
                whole = find(*cells)
                few = [find(*cells[at : at + 100]) for at in range(0, 4000, 100)]
                if not (whole.doubts or any(each.doubts for each in few)):
                    parts = [value for each in few for value in values(each)]
                    self.assertEqual(values(whole), parts)
                sizes = sum(group.size for group in whole.styles.values())
                sizes += sum(group.size for group in whole.doubts.values())
                self.assertEqual(sizes, int(whole.is_number.sum()))


class PatternTest(unittest.TestCase):
    @given(st.lists(st.sampled_from(PIECES), max_size=8).map("".join))
    def test_what_could_be_a_number_is_never_passed_over(self, text: str) -> None:
        if shape_of(text) is not None:
            pattern = matching(text_column([text]), _COULD_BE_NUMBER)
            self.assertTrue(pattern.all(), text)


class RoleTest(unittest.TestCase):
    def test_what_the_cells_settle(self) -> None:
        for cells, expected in (
            (("1.234,56 €", "1.234"), "1234"),
            (("1.234.567", "1.234"), "1234"),
            (("1.234,5", "1.234"), "1234"),
            (("1,234.5", "1,234"), "1234"),
            (("12.50", "1,234"), "1234"),
            (("12,5", "1,234"), "1.234"),
            (("0,125", "1,234"), "1.234"),
            (("12.5", "1.234"), "1.234"),
            (("1.234",), "1.234"),
        ):
            with self.subTest(cells=cells):
                found = find(*cells)
                self.assertEqual(found.doubts, {})
                self.assertEqual(values(found)[-1], Decimal(expected))

    def test_what_they_leave_open(self) -> None:
        for cells, mark in (
            (("1,234",), ","),
            (("1,234", "12"), ","),
            (("12,5", "1.234"), "."),
            (("1.234,5", "12.5", "1.234"), "."),
            (("1,234.5", "12,5", "1,234"), ","),
        ):
            with self.subTest(cells=cells):
                self.assertEqual(list(find(*cells).doubts), [mark])

    def test_some_cells_are_read_by_what_the_whole_list_proved(self) -> None:
        whole = find("1.234,56", "1.234", "7")
        some = find_numbers(text_column(["1.234", "7"]), whole.roles)
        self.assertEqual(values(some), [Decimal(1234), Decimal(7)])

    def test_currencies_are_told_apart(self) -> None:
        found = find("5 €", "EUR 7", "$3", "8")
        sizes = {code: group.size for code, group in found.currencies.items()}
        self.assertEqual(sizes, {"EUR": 2, "USD": 1})

    def test_all_digits_are_kept_in_the_plain_form(self) -> None:
        cells = ["1.250,50 €", "(3,10)", "7", "", "x", "1.000", "5,- €"]
        found = find(*cells)
        self.assertEqual(
            found.plain().to_pylist(),
            ["1250.50", "-3.10", "7", "", "x", "1000", "5.00"],
        )
        self.assertEqual(found.amounts.scale, 2)


if __name__ == "__main__":
    unittest.main()
