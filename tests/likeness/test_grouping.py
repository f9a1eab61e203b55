"""Tests of candidates, scores and groups: chains of likeness join no strangers."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.columns.arrays import text_column
from gruff_ledger.likeness.candidates import Pairs, candidates, information
from gruff_ledger.likeness.grouping import grouped
from gruff_ledger.likeness.scoring import Scoring


def groups(n, scores, least=70.0, same=(), different=()):
    """Group `n` records by the scores of pairs; the others score 0."""
    pairs = sorted(scores)
    ones = np.array([one for one, _ in pairs], np.int64)
    others = np.array([other for _, other in pairs], np.int64)

    def score(asked):
        both = zip(asked.one.tolist(), asked.other.tolist(), strict=True)
        return np.array([float(scores.get(pair, 0)) for pair in both])

    known = np.array([float(scores[pair]) for pair in pairs])
    found = grouped(n, Pairs(ones, others), known, least, score, same, different)
    return found.tolist()


class GroupedTest(unittest.TestCase):
    def test_the_most_alike_are_joined_first(self) -> None:
        self.assertEqual(groups(3, {(0, 1): 90, (1, 2): 60}), [0, 0, 2])

    def test_a_chain_of_weak_likeness_joins_no_strangers(self) -> None:
        """Each is like the next, and the ends are not alike at all."""
        chain = {(0, 1): 80, (1, 2): 78, (2, 3): 76, (0, 2): 20, (1, 3): 15}
        self.assertEqual(groups(4, chain), [0, 0, 2, 2])

    def test_one_stranger_keeps_two_groups_apart(self) -> None:
        """However much alike the others are."""
        scores = {(0, 1): 99, (0, 2): 98, (1, 2): 98, (0, 3): 97, (1, 3): 97}
        self.assertEqual(groups(4, {**scores, (2, 3): 49}), [0, 0, 0, 3])
        self.assertEqual(groups(4, {**scores, (2, 3): 51}), [0, 0, 0, 0])

    def test_all_alike_are_one_group(self) -> None:
        alike = {(one, other): 85 for one in range(4) for other in range(one + 1, 4)}
        self.assertEqual(groups(4, alike), [0, 0, 0, 0])

    def test_decisions_hold_whatever_the_scores(self) -> None:
        scores = {(0, 1): 99, (1, 2): 90, (0, 2): 90}
        self.assertEqual(groups(3, scores, different=[(1, 0)]), [0, 1, 0])
        self.assertEqual(groups(3, {}, same=[(0, 2)]), [0, 1, 0])
        self.assertEqual(
            groups(3, {(0, 1): 99}, same=[(1, 2)], different=[(0, 2)]), [0, 1, 1]
        )

    @given(
        st.dictionaries(
            st.tuples(st.integers(0, 4), st.integers(5, 7)), st.integers(0, 100)
        )
    )
    def test_no_group_holds_strangers(self, scores: dict[tuple[int, int], int]) -> None:
        found = groups(8, scores)
        for one in range(8):
            self.assertLessEqual(found[one], one)
            for other in range(one + 1, 8):
                if found[one] == found[other]:
                    self.assertGreaterEqual(scores.get((one, other), 0), 50)


class CandidatesTest(unittest.TestCase):
    COLUMNS = (
        text_column(["Anna Berg", "Berg Anna", "Otto Kelp", "Ana Berg", "", "Mia"]),
        text_column(["12 Quay St", "12 Quay Street", "3 Weir", "12 Quay St", "", "x"]),
        text_column(["0400 123", "0400123", "0555 999", "0400 128", "", ""]),
    )

    def test_pairs_that_share_much_are_found_and_others_not(self) -> None:
        pairs = candidates(self.COLUMNS)
        found = set(zip(pairs.one.tolist(), pairs.other.tolist(), strict=True))
        self.assertLessEqual({(0, 1), (0, 3), (1, 3)}, found)
        self.assertNotIn((0, 2), found)
        self.assertFalse({4, 5} & {record for pair in found for record in pair})

    def test_one_field_is_enough(self) -> None:
        pairs = candidates(self.COLUMNS[:1])
        found = set(zip(pairs.one.tolist(), pairs.other.tolist(), strict=True))
        self.assertIn((0, 1), found)

    def test_a_score_is_the_weighed_likeness_of_fields(self) -> None:
        """As it is explained; a blank counts a quarter."""
        scoring = Scoring(["a", "b", "c"], self.COLUMNS, [None, 3, 1])
        (score,) = scoring.scores(Pairs(np.array([0]), np.array([3])))
        parts = scoring.explained(0, 3)
        total = sum(part.score * part.weight for part in parts)
        self.assertAlmostEqual(score, total / sum(p.weight for p in parts), delta=0.7)
        self.assertEqual([part.weight for part in parts[1:]], [3, 1])
        blank = scoring.explained(0, 5)[2]
        self.assertEqual((blank.weight, blank.why), (0.25, "blank"))

    def test_a_quick_look_loses_no_pair_that_scores(self) -> None:
        scoring = Scoring(["a", "b", "c"], self.COLUMNS, [None] * 3)
        pairs = candidates(self.COLUMNS)
        left = scoring.quick(pairs, 70)
        wanted = scoring.scores(pairs) >= 70
        self.assertLessEqual(int(wanted.sum()), len(left.one))

    def test_information_is_in_bits(self) -> None:
        none = np.zeros(4, np.bool_)
        self.assertAlmostEqual(information(np.arange(400) % 4, none), 2, delta=0.05)
        self.assertEqual(information(np.zeros(400, np.int64), none), 0.5)


if __name__ == "__main__":
    unittest.main()
