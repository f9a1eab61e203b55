"""Tests of finding equal keys."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.keys import equal_prints, same_key
from gruff_ledger.cells.keys.equal_prints import first_equal, places_of_repeated
from gruff_ledger.cells.keys.same_key import (
    first_at_levels,
    first_with_same_key,
    index_in,
    key_groups,
    unlike,
)
from gruff_ledger.cells.match.folded_fields import folding, without_key
from gruff_ledger.columns.arrays import concat_columns, text_column

FEW_TEXTS = st.sampled_from(["", "a", "b", "ab", "a" * 9, "a" * 8 + "b", "é"])
RECORDS = st.lists(st.tuples(FEW_TEXTS, FEW_TEXTS), min_size=1, max_size=40)


def by_hand(records: list[tuple[str, ...]]) -> list[int]:
    """Return the index of the first equal record, by the simplest means."""
    return [records.index(record) for record in records]


class FirstWithSameKeyTest(unittest.TestCase):
    @given(RECORDS, st.integers(0, 40))
    def test_finds_the_first_equal_record(
        self, records: list[tuple[str, str]], cut: int
    ) -> None:
        """In columns of any chunks."""
        columns = [
            concat_columns([text_column(cells[:cut]), text_column(cells[cut:])])
            for cells in zip(*records, strict=True)
        ]
        self.assertEqual(first_with_same_key(columns).tolist(), by_hand(records))

    @given(RECORDS)
    def test_accidents_of_fingerprints_are_mended(
        self, records: list[tuple[str, str]]
    ) -> None:
        """With fingerprints of three values, nearly all agree by accident."""
        true_prints = same_key.fingerprints

        def poor(column: object) -> np.ndarray:
            return true_prints(column) % np.uint64(3)  # type: ignore[arg-type]

        columns = [text_column(cells) for cells in zip(*records, strict=True)]
        with mock.patch.object(same_key, "fingerprints", poor):
            first = first_with_same_key(columns)
        self.assertEqual(first.tolist(), by_hand(records))

    @given(st.lists(st.sampled_from([0, 1, 2**61, 2**61 + 1, 2**63, 2**64 - 1])))
    def test_values_find_each_other_in_parts_too(self, values: list[int]) -> None:
        prints = np.array(values, np.uint64)
        with mock.patch.object(equal_prints, "_PARTED_FROM", 1):
            first = first_equal(prints)
        self.assertEqual(first.tolist(), [values.index(each) for each in values])

    @given(RECORDS)
    def test_where_most_occur_again_none_is_looked_for_first(
        self, records: list[tuple[str, str]]
    ) -> None:
        """Also with fingerprints that agree by accident."""
        columns = [text_column(cells) for cells in zip(*records, strict=True)]
        true_prints = same_key.fingerprints
        for modulus in (np.uint64(2**63), np.uint64(3)):
            with (
                mock.patch.object(same_key, "_most_occur_again", return_value=True),
                mock.patch.object(
                    same_key,
                    "fingerprints",
                    lambda column, of=modulus: true_prints(column) % of,
                ),
                mock.patch.object(same_key, "first_at_levels") as looked_for,
            ):
                first = first_with_same_key(columns)
            looked_for.assert_not_called()
            self.assertEqual(first.tolist(), by_hand(records))

    @given(
        st.lists(
            st.tuples(*[st.sampled_from(["a", "A", " a", "b", "", "-", "B."])] * 2),
            min_size=1,
            max_size=30,
        ),
        st.sampled_from([("exact", "loose"), ("loose", "letters"), ("exact", "exact")]),
        st.booleans(),
    )
    def test_where_most_repeat_all_levels_are_as_ever(
        self, records: list[tuple[str, str]], levels: tuple[str, str], leave: bool
    ) -> None:
        columns = [text_column(cells) for cells in zip(*records, strict=True)]
        close, loose = ([folding(level)] * 2 for level in levels)
        left_out = without_key(columns, [levels[0]] * 2) if leave else None
        expected = first_at_levels(columns, close, loose, left_out)
        with mock.patch.object(same_key, "_SMALL_LIST", 0):
            found = first_at_levels(columns, close, loose, left_out, most_repeat=True)
        for one, other in zip(found, expected, strict=True):
            self.assertEqual(one.tolist(), other.tolist())

    def test_a_sample_tells_whether_most_occur_again(self) -> None:
        random = np.random.default_rng(5)
        n = 16 * same_key._SPREAD_SAMPLE
        for values, expected in ((n, False), (n // 8, True)):
            column = text_column(map(str, random.integers(0, values, n)))
            self.assertEqual(same_key._most_occur_again([column]), expected)

    def test_looks_at_telling_fields_first_on_long_lists(self) -> None:
        """The result does not depend on which they are."""
        n = 20_000
        random = np.random.default_rng(3)
        number = [str(each) for each in random.integers(0, n, n)]
        letter = [str(each) for each in random.integers(0, 2, n)]
        columns = [text_column(letter), text_column(number)]
        first: dict[tuple[str, str], int] = {}
        expected = [
            first.setdefault(key, place)
            for place, key in enumerate(zip(letter, number, strict=True))
        ]
        self.assertEqual(first_with_same_key(columns).tolist(), expected)


class KeyGroupsTest(unittest.TestCase):
    @given(RECORDS)
    def test_groups_are_numbered_in_order(self, records: list[tuple[str, str]]) -> None:
        groups = key_groups(np.array(by_hand(records)))
        distinct = list(dict.fromkeys(records))
        numbers = [distinct.index(record) for record in records]
        self.assertEqual(groups.numbers.tolist(), numbers)
        self.assertEqual([records[at] for at in groups.firsts.tolist()], distinct)
        self.assertEqual(groups.sizes.tolist(), list(map(records.count, distinct)))

    @given(st.lists(FEW_TEXTS, min_size=1, max_size=40), st.randoms())
    def test_unlike_cells_are_marked(self, cells: list[str], random) -> None:
        """Stretch by stretch, in any order."""
        places = [random.randrange(len(cells)) for _ in range(30)]
        others = [random.randrange(len(cells)) for _ in range(30)]
        expected = [
            cells[one] != cells[other]
            for one, other in zip(places, others, strict=True)
        ]
        with mock.patch.object(same_key, "_COMPARED_RECORDS", 7):
            found = unlike(text_column(cells), np.array(places), np.array(others))
        self.assertEqual(found.tolist(), expected)


class PlacesOfRepeatedTest(unittest.TestCase):
    @given(st.lists(st.integers(0, 50)))
    def test_leaves_out_no_repeated_value(self, values: list[int]) -> None:
        """It may name a few more."""
        spread = np.array(values, np.uint64) * np.uint64(0x9E3779B97F4A7C15)
        places = places_of_repeated(spread).tolist()
        repeated = [p for p, value in enumerate(values) if values.count(value) > 1]
        self.assertLessEqual(set(repeated), set(places))


class IndexInTest(unittest.TestCase):
    def test_compares_to_the_character(self) -> None:
        """Of equal values the first is meant; blanks are values too."""
        found = index_in(text_column(["B", "a", "", "A "]), ["A", "B", "", "B"])
        self.assertEqual(found.tolist(), [1, -1, 2, -1])
        self.assertEqual(index_in(text_column([]), ["A"]).tolist(), [])
        self.assertEqual(index_in(text_column(["A"]), []).tolist(), [-1])

    def test_accidents_of_fingerprints_change_nothing(self) -> None:
        """Whether among the values or between a value and a cell."""
        true_prints = same_key.fingerprints
        values = ["A", "B", "C"]
        column = text_column(["C", "x", "B", "y", "A", ""])
        for modulus in (2, 50):

            def poor(column: object, modulus: int = modulus) -> np.ndarray:
                return true_prints(column) % np.uint64(modulus)  # type: ignore[arg-type]

            with (
                self.subTest(modulus=modulus),
                mock.patch.object(same_key, "fingerprints", poor),
            ):
                found = index_in(column, values).tolist()
                self.assertEqual(found, [2, -1, 1, -1, 0, -1])
