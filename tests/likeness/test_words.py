"""Tests of the likeness of two cells, and of its reasons."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.likeness.words import likeness, words_of

TEXTS = st.text("abAÉ12 .-'", max_size=12)


class LikenessTest(unittest.TestCase):
    def test_each_kind_of_difference_and_its_reason(self) -> None:
        for one, other, least, most, why in (
            ("Anna", "ANNA", 1, 1, ""),
            ("Élodie", "Elodie", 1, 1, ""),
            ("Nettlemere-Moor", "Nettlemere Moor", 1, 1, ""),
            ("O'Hara", "OHara", 1, 1, ""),
            ("01632 960071", "01632960071", 0.95, 0.99, "split differently"),
            ("Sundberg", "Sunberg", 0.85, 0.95, "one slip"),
            ("Sundberg", "Sudnberg", 0.85, 0.95, "one slip"),
            ("Anna Berg", "Berg Anna", 0.95, 0.99, "words swapped"),
            ("Quay Street", "Quay St.", 0.9, 0.97, "shortened"),
            ("Ropewalk Road", "Ropewalk Rd", 0.9, 0.97, "shortened"),
            ("Anna Berg", "A. Berg", 0.85, 0.95, "an initial"),
            ("Anna Maria Berg", "Anna Berg", 0.7, 0.85, "a word more"),
            ("2026-05-01", "2026-05-11", 0.6, 0.8, "one digit differs"),
            ("2026-05-01", "2026-05-10", 0.6, 0.8, "two digits swapped"),
            ("123456", "12345", 0.6, 0.8, "one digit more or less"),
            ("12345678", "12945671", 0.2, 0.4, "two digits differ"),
            ("12", "13", 0, 0, "differs"),
            ("Quay 12", "Quay 13", 0, 0.6, "words more"),
            ("Tern", "Otter", 0, 0.5, ""),
            ("...", "Tern", 0, 0, "differs"),
        ):
            with self.subTest(one=one, other=other):
                found = likeness(one, other)
                self.assertTrue(least <= found.value <= most, found)
                self.assertIn(why, found.why)

    @given(TEXTS, TEXTS)
    def test_is_a_share_and_the_same_either_way(self, one: str, other: str) -> None:
        found = likeness(one, other)
        self.assertTrue(0 <= found.value <= 1)
        self.assertAlmostEqual(found.value, likeness(other, one).value, 2)

    @given(TEXTS)
    def test_a_text_is_like_itself(self, text: str) -> None:
        self.assertEqual(likeness(text, text).value, 1)
        self.assertEqual(words_of(text.upper()), words_of(text.lower()))


if __name__ == "__main__":
    unittest.main()
