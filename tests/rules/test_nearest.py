"""Tests of the nearest allowed value."""

import unittest

from gruff_ledger.columns.arrays import text_column
from gruff_ledger.rules.nearest import nearest_values


def nearest(wrong: list[str], allowed: list[str], **more: object) -> list[str]:
    """Return the suggestions for wrong values."""
    return nearest_values(text_column(wrong), allowed, **more).to_pylist()


class NearestTest(unittest.TestCase):
    def test_case_and_accents_count_least(self) -> None:
        self.assertEqual(
            nearest(["elodie", "Tren"], ["Tern", "Élodie"]), ["Élodie", "Tern"]
        )

    def test_nothing_is_suggested_where_nothing_is_alike(self) -> None:
        self.assertEqual(nearest(["Zebra", "", "x"], ["Tern", "Seal"]), ["", "", ""])
        self.assertEqual(nearest(["x"], []), [""])

    def test_another_number_is_no_likeness(self) -> None:
        self.assertEqual(nearest(["14", "7351"], ["1", "12", "7350"]), ["", "7350"])

    def test_only_among_those_of_the_same_record(self) -> None:
        found = nearest_values(
            text_column(["B1", "B1"]),
            text_column(["B2", "B3"]),
            [text_column(["North", "south "])],
            [text_column(["North", "South"])],
            "loose",
        )
        self.assertEqual(found.to_pylist(), ["B2", "B3"])


if __name__ == "__main__":
    unittest.main()
