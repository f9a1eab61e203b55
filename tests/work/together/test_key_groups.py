"""Groups of records with one key are put in order, and picked, as by a plain model."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.work.together.merge.by_key import _by_group
from gruff_ledger.work.together.merge.tell import KeyedGroups

_KEYS = st.lists(st.integers(0, 4), min_size=1, max_size=24)


def _first(keys: list[int]) -> np.ndarray:
    return np.array([keys.index(key) for key in keys], np.int64)


def _members(first: np.ndarray) -> np.ndarray:
    return np.flatnonzero(np.bincount(first, minlength=len(first))[first] > 1)


class GroupsTest(unittest.TestCase):
    @given(_KEYS, st.data())
    def test_groups_are_in_order(self, keys: list[int], data: st.DataObject) -> None:
        first = _first(keys)
        members = _members(first)
        drawn = st.lists(
            st.integers(0, 3), min_size=len(members), max_size=len(members)
        )
        ranks = np.array(data.draw(drawn), np.int64)
        model = sorted(
            range(len(members)), key=lambda at: (first[members[at]], ranks[at])
        )
        found = _by_group(members, first, ranks)
        self.assertEqual(found.tolist(), [int(members[at]) for at in model])

    @given(st.permutations(range(8)), st.permutations(range(11)))
    def test_pairs_are_in_order(self, one: list[int], other: list[int]) -> None:
        """Each key once in each of two lists, and some in one alone."""
        first = _first([*one, *other])
        members = _members(first)
        found = _by_group(members, first, (members >= len(one)).astype(np.int64))
        pairs = [[at, len(one) + other.index(key)] for at, key in enumerate(one)]
        self.assertEqual(found.reshape(-1, 2).tolist(), pairs)

    @given(_KEYS, st.lists(st.booleans(), min_size=24, max_size=24))
    def test_some_groups_are_picked(self, keys: list[int], wishes: list[bool]) -> None:
        first = _first(keys)
        members = _by_group(_members(first), first, np.zeros(len(_members(first))))
        heads, starts = np.unique(first[members], return_index=True)
        groups = KeyedGroups(first, members, starts, np.arange(len(starts)))
        wanted = np.array(wishes[: len(starts)], np.bool_)
        some = groups.picked(wanted)
        self.assertEqual(some.heads.tolist(), heads[wanted].tolist())
        expected = [at for at in members.tolist() if first[at] in heads[wanted]]
        self.assertEqual(some.members.tolist(), expected)
        self.assertEqual(some.numbers.tolist(), np.flatnonzero(wanted).tolist())
        self.assertEqual(some.sizes.sum(), len(expected))


if __name__ == "__main__":
    unittest.main()
