"""Tests of exact figures on groups."""

import unittest
from collections import defaultdict

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.numbers.amounts import Amounts
from gruff_ledger.cells.numbers.group_figures import (
    group_counts,
    group_ends,
    group_extremes,
    group_sums,
    total_of,
)
from gruff_ledger.cells.totals_rows import begins_as_total, is_total_word

VALUES = st.lists(
    st.tuples(
        st.one_of(
            st.integers(-9, 9),
            st.integers(-(2**63) + 1, 2**63 - 1),
            st.integers(-(2**42), 2**42),
        ),
        st.integers(0, 3),
    ),
    max_size=30,
)


def as_arrays(pairs: list[tuple[int, int]]) -> tuple[Amounts, np.ndarray]:
    """Return values and groups."""
    values = np.array([value for value, _ in pairs], np.int64)
    return Amounts(values, 2), np.array([code for _, code in pairs], np.int64)


class SumsTest(unittest.TestCase):
    @given(VALUES)
    def test_as_python_adds(self, pairs: list[tuple[int, int]]) -> None:
        amounts, codes = as_arrays(pairs)
        groups = defaultdict(list)
        for value, code in pairs:
            groups[code].append(value)
        self.assertEqual(
            group_sums(amounts, codes, 4).values.tolist(),
            [sum(groups[code]) for code in range(4)],
        )
        self.assertEqual(total_of(amounts), sum(value for value, _ in pairs))
        self.assertEqual(
            group_counts(codes, 4).tolist(), [len(groups[code]) for code in range(4)]
        )
        for greatest, of in ((True, max), (False, min)):
            found = group_extremes(amounts, codes, 4, greatest=greatest)
            self.assertEqual(
                found.values.tolist(),
                [of(groups[code], default=0) for code in range(4)],
            )

    def test_beyond_64_bits(self) -> None:
        values = np.array([2**70, -1, 2**70], object)
        sums = group_sums(Amounts(values, 0), np.array([0, 1, 0]), 2)
        self.assertEqual(sums.values.tolist(), [2**71, -1])
        self.assertEqual(total_of(Amounts(values, 0)), 2**71 - 1)

    def test_ends(self) -> None:
        codes = np.array([2, 0, 2, 0])
        self.assertEqual(group_ends(codes, 4, last=False).tolist(), [1, -1, 0, -1])
        self.assertEqual(group_ends(codes, 4, last=True).tolist(), [3, -1, 2, -1])


class TotalsTest(unittest.TestCase):
    def test_words(self) -> None:
        for text, is_word, begins in (
            ("Total", True, True),
            ("GRAND TOTAL:", True, True),
            ("Total for May", False, True),
            ("Totality", False, False),
            ("Berths total", False, False),
            ("", False, False),
        ):
            with self.subTest(text=text):
                self.assertEqual(is_total_word(text), is_word)
                self.assertEqual(begins_as_total(text), begins)
