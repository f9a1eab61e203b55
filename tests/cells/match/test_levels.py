"""Tests of matching: folding, and fingerprints of cells."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.keys.fingerprints import combined, fingerprints
from gruff_ledger.cells.match.levels import loose
from gruff_ledger.columns.arrays import concat_columns, text_column

cells = st.lists(st.text(max_size=40), min_size=1, max_size=30)


class LooseTest(unittest.TestCase):
    def test_folds_space_case_and_compatibility_characters(self) -> None:
        """Trimmed, squeezed, case folded, NFKC."""
        for text, folded in (
            ("  Berth\u00a0 No ", "berth no"),
            ("STRASSE", "strasse"),
            ("Straße", "strasse"),
            ("ﬁn", "fin"),
            ("①", "1"),
        ):
            with self.subTest(text=text):
                self.assertEqual(loose(text), folded)

    @given(st.text(max_size=20))
    def test_folding_twice_changes_nothing(self, text: str) -> None:
        """Folding is idempotent."""
        self.assertEqual(loose(loose(text)), loose(text))


class FingerprintsTest(unittest.TestCase):
    @given(cells)
    def test_equal_cells_and_only_they_have_equal_fingerprints(
        self, texts: list[str]
    ) -> None:
        """An accident would be one chance in billions."""
        prints = fingerprints(text_column(texts)).tolist()
        for text, found in zip(texts, prints, strict=True):
            same = [each == found for each in prints]
            self.assertEqual(same, [each == text for each in texts])

    @given(cells, st.integers(0, 30))
    def test_do_not_depend_on_chunks_or_neighbours(
        self, texts: list[str], cut: int
    ) -> None:
        """A cell's fingerprint is its own."""
        whole = fingerprints(text_column(texts))
        parts = concat_columns([text_column(texts[:cut]), text_column(texts[cut:])])
        self.assertEqual(fingerprints(parts).tolist(), whole.tolist())
        tail = fingerprints(text_column(texts).slice(len(texts) // 2))
        self.assertEqual(tail.tolist(), whole[len(texts) // 2 :].tolist())

    @given(
        st.integers(1, 40).flatmap(
            lambda size: st.lists(
                st.one_of(st.just(""), st.text("ab9", min_size=size, max_size=size)),
                min_size=1,
                max_size=30,
            )
        )
    )
    def test_cells_of_one_length_have_the_same_ones_as_among_others(
        self, texts: list[str]
    ) -> None:
        """They are found in another way, where all in a chunk are of one length."""
        among = fingerprints(text_column([*texts, "other", "x" * 41]))
        alone = fingerprints(text_column(texts))
        self.assertEqual(alone.tolist(), among[: len(texts)].tolist())

    def test_long_cells_are_told_apart_at_any_byte(self) -> None:
        """Also beyond the length up to which words are mixed."""
        base = "x" * 2000
        texts = [base, base[:-1] + "y", "y" + base[1:], base + "x"]
        self.assertEqual(len(set(fingerprints(text_column(texts)).tolist())), 4)

    def test_fields_are_combined_in_order(self) -> None:
        """The record (a, b) is not the record (b, a)."""
        one, other = (fingerprints(text_column([text])) for text in "ab")
        self.assertNotEqual(
            combined([one, other]).tolist(), combined([other, one]).tolist()
        )
        self.assertEqual(combined([one]).dtype, np.uint64)
