"""Tests of finding the keys of one list among those of another."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.keys import pairs, same_key
from gruff_ledger.cells.keys.pairs import found_in, occurrences
from gruff_ledger.columns.arrays import text_column

FEW_TEXTS = st.sampled_from(["", "a", "b", "ab", "a" * 9, "a" * 8 + "b", "é"])
RECORDS = st.lists(st.tuples(FEW_TEXTS, FEW_TEXTS), max_size=30)


def columns_of(records: list[tuple[str, str]]) -> list:
    """Return the two fields of some records."""
    return [text_column(record[place] for record in records) for place in (0, 1)]


def by_hand(
    mine: list[tuple[str, str]], theirs: list[tuple[str, str]]
) -> tuple[list[int], list[int]]:
    """Return what is found, by the simplest means."""
    found = [theirs.index(record) if record in theirs else -1 for record in mine]
    return found, [theirs.index(record) for record in theirs]


class FoundInTest(unittest.TestCase):
    @given(RECORDS, RECORDS)
    def test_finds_the_first_with_the_key(
        self, mine: list[tuple[str, str]], theirs: list[tuple[str, str]]
    ) -> None:
        found = found_in(columns_of(mine), columns_of(theirs))
        self.assertEqual(
            (found.found.tolist(), found.first.tolist()), by_hand(mine, theirs)
        )

    @given(RECORDS, RECORDS)
    def test_accidents_of_fingerprints_are_mended(
        self, mine: list[tuple[str, str]], theirs: list[tuple[str, str]]
    ) -> None:
        """With fingerprints of three values, nearly all agree by accident."""
        true_prints = same_key.fingerprints
        with mock.patch.object(
            same_key, "fingerprints", lambda column: true_prints(column) % np.uint64(3)
        ):
            found = found_in(columns_of(mine), columns_of(theirs))
        self.assertEqual(found.found.tolist(), by_hand(mine, theirs)[0])

    @given(RECORDS, RECORDS, st.data())
    def test_what_is_left_out_matches_nothing(
        self,
        mine: list[tuple[str, str]],
        theirs: list[tuple[str, str]],
        data: st.DataObject,
    ) -> None:
        marks = [
            np.array(data.draw(st.lists(st.booleans(), min_size=n, max_size=n)), bool)
            for n in (len(mine), len(theirs))
        ]
        found = found_in(columns_of(mine), columns_of(theirs), *marks).found.tolist()
        there = [
            record if not out else None
            for record, out in zip(theirs, marks[1], strict=True)
        ]
        expected = [
            there.index(record) if record in there and not out else -1
            for record, out in zip(mine, marks[0], strict=True)
        ]
        self.assertEqual(found, expected)

    def test_many_in_threads(self) -> None:
        """More records than one stretch has, in another order."""
        n = pairs.STRETCH_RECORDS * 2 + 5
        order = np.random.default_rng(3).permutation(n)
        theirs = text_column(f"code {number}" for number in range(n))
        mine = text_column(f"code {number}" for number in order.tolist())
        np.testing.assert_array_equal(found_in([mine], [theirs]).found, order)

    def test_occurrences_count_each_group(self) -> None:
        first = np.array([0, 1, 0, 1, 4, 0])
        self.assertEqual(occurrences(first).tolist(), [0, 0, 1, 1, 0, 2])
