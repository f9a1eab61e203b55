"""Tests of groups of records with one key: who is kept, and what it is given."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.work.keys.groups import (
    best_of_group,
    differing,
    filled,
    filled_cells,
    last_of_group,
)
from tests.support import table

BOATS = table("boat|quay|fee", "Wren|East|", "Wren||12", "Tern|West|9", "Wren|North|12")
FIRST = np.array([0, 0, 2, 0])
MEMBERS = np.array([0, 1, 3])


class WhoIsKeptTest(unittest.TestCase):
    def test_the_last(self) -> None:
        self.assertEqual(last_of_group(FIRST).tolist(), [3, 3, 2, 3])

    def test_the_best_and_of_equals_the_earlier(self) -> None:
        scores = filled_cells(BOATS, MEMBERS)
        self.assertEqual(scores.tolist(), [2, 2, 3])
        self.assertEqual(best_of_group(FIRST, MEMBERS, scores).tolist(), [3, 3, 2, 3])
        even = np.zeros(3, np.int64)
        self.assertEqual(best_of_group(FIRST, MEMBERS, even).tolist(), [0, 0, 2, 0])

    @given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 3)), max_size=30))
    def test_as_a_plain_loop_finds_it(self, pairs: list[tuple[int, int]]) -> None:
        keys = [key for key, _ in pairs]
        first = np.array([keys.index(key) for key in keys], np.int64)
        members = np.flatnonzero([keys.count(key) > 1 for key in keys])
        scores = np.array([score for _, score in pairs], np.int64)[members]
        expected = [
            max(
                (place for place, key in enumerate(keys) if key == mine),
                key=lambda place: (pairs[place][1], -place),
            )
            for mine in keys
        ]
        self.assertEqual(best_of_group(first, members, scores).tolist(), expected)


class FilledTest(unittest.TestCase):
    def test_blanks_are_filled_and_conflicts_are_found(self) -> None:
        kept = np.array([0, 0, 2, 0])
        done = filled(BOATS, FIRST, kept, MEMBERS, leave=())
        self.assertEqual(done.table.records()[0], ("Wren", "East", "12"))
        (change,) = done.changes
        self.assertEqual((change.field, change.now.to_pylist()), ("fee", ["12"]))
        (finding,) = done.findings
        self.assertEqual(finding.field, "quay")

    def test_fields_that_are_left_alone(self) -> None:
        done = filled(BOATS, FIRST, np.array([0, 0, 2, 0]), MEMBERS, ("fee", "quay"))
        self.assertEqual(done.table.records(), BOATS.records())
        self.assertEqual((done.changes, done.findings), ((), ()))


class DifferingTest(unittest.TestCase):
    def test_copies_that_are_the_same_and_the_fields_of_the_others(self) -> None:
        again = table("boat|quay", "Wren|East", "Wren|East", "Wren|West")
        found = differing(again, np.array([1, 2]), np.array([0, 0]))
        self.assertEqual(found.same.tolist(), [True, False])
        self.assertIn("quay", found.words(np.array([False, True])))


if __name__ == "__main__":
    unittest.main()
