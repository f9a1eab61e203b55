"""Tests of the order of cells."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.cells.order import (
    byte_ranks,
    code_key,
    code_ranks,
    sort_places,
    text_key,
    text_ranks,
)
from gruff_ledger.columns.arrays import concat_columns, text_column

TEXTS = st.lists(st.text(max_size=6) | st.text("ab", max_size=70), max_size=30)


def dense(values):
    """Return ranks without gaps, which any two right rankings share."""
    return (
        np.unique(np.asarray(values), return_inverse=True)[1].tolist()
        if len(values)
        else []
    )


class RanksTest(unittest.TestCase):
    @given(TEXTS)
    def test_bytes_are_ranked_as_python_orders_them(self, cells: list[str]) -> None:
        cells = [cell.replace("\0", "") for cell in cells]
        expected = {cell: rank for rank, cell in enumerate(sorted(set(cells)))}
        ranks = byte_ranks(text_column(cells))
        self.assertEqual(dense(ranks), [expected[cell] for cell in cells])

    @given(TEXTS)
    def test_texts_are_ranked_by_their_keys(self, cells: list[str]) -> None:
        cells = [cell.replace("\0", "") for cell in cells]
        keys = [text_key(cell) for cell in cells]
        expected = {key: rank for rank, key in enumerate(sorted(set(keys)))}
        ranks = text_ranks(text_column(cells))
        self.assertEqual(dense(ranks), [expected[key] for key in keys])

    def test_case_accents_and_stray_spaces_do_not_count(self) -> None:
        ranks = text_ranks(text_column([" Élodie  II", "elodie ii", "ELODIE\u00a0II"]))
        self.assertEqual(len(set(ranks.tolist())), 1)

    @given(
        st.lists(
            st.text("aB0019- é", max_size=8)
            | st.sampled_from(["0", "00", "a0", "9" * 130, "0" * 9, "7" * 126]),
            max_size=20,
        )
    )
    def test_whole_fields_of_codes_agree_with_one_by_one(
        self, cells: list[str]
    ) -> None:
        ranks = code_ranks(text_column(cells)).tolist()
        keys = [code_key(cell) for cell in cells]
        ordered = sorted(set(keys))
        rank_of = dict(zip(sorted(set(ranks)), ordered, strict=True))
        self.assertEqual([rank_of[rank] for rank in ranks], keys)

    def test_codes_count_runs_of_figures_as_numbers(self) -> None:
        codes = ["A9", "A10", "a10b", "A010", "B1", "9", "10", "A", "A" + "9" * 200]
        expected = ["9", "10", "A", "A9", "A10", "A010", "a10b", "A" + "9" * 200, "B1"]
        self.assertEqual(sorted(codes, key=code_key), expected)
        ranks = code_ranks(text_column(codes))
        ordered = [codes[place] for place in np.argsort(ranks, kind="stable")]
        self.assertEqual(ordered, expected)

    def test_many_equal_long_cells(self) -> None:
        """Among short ones, in several chunks."""
        cells = ["x" * 5000, "x" * 4999 + "a", "x", "x" * 40] * 3
        column = concat_columns([text_column(cells[:5]), text_column(cells[5:])])
        ordered = [cells[place] for place in np.argsort(byte_ranks(column))]
        self.assertEqual(ordered, sorted(cells))


class SortedTest(unittest.TestCase):
    @settings(max_examples=60)
    @given(
        st.lists(
            st.tuples(
                st.integers(-(10**18), 10**18) | st.integers(0, 3),
                st.integers(0, 3),
                st.booleans(),
            ),
            max_size=30,
        ),
        st.booleans(),
        st.booleans(),
    )
    def test_as_python_sorts(self, records, first_down, second_down) -> None:
        """Stable, by both keys, with the last ones last in both directions."""
        a, b = (np.array([each[k] for each in records], np.int64) for k in (0, 1))
        last = np.array([each[2] for each in records], np.bool_)
        none = np.zeros(len(records), np.bool_)
        places = sort_places([(a, last, first_down), (b, none, second_down)])
        expected = sorted(
            range(len(records)),
            key=lambda n: (
                last[n],
                0 if last[n] else (-a[n] if first_down else a[n]),
                -b[n] if second_down else b[n],
            ),
        )
        self.assertEqual(places.tolist(), expected)


if __name__ == "__main__":
    unittest.main()
