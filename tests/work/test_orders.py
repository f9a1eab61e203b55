"""Tests of orders: how they are written, and how cells rank in each way."""

import unittest

from gruff_ledger.problems import BadTerms
from gruff_ledger.work.orders import Key, in_order, parse_order
from tests.support import table


def ranked(key: str, *cells: str) -> list[str]:
    """Return cells in an order."""
    result, _, _ = in_order(table("x", *cells), key, "by")
    return result.cells("x").to_pylist()


class ParseOrderTest(unittest.TestCase):
    def test_ways_and_directions(self) -> None:
        self.assertEqual(
            parse_order('quay, "a, b" as code, n AS NUMBER desc', "by"),
            (
                Key("quay", None, False),
                Key("a, b", "code", False),
                Key("n", "number", True),
            ),
        )

    def test_what_cannot_be_read_is_quoted_back(self) -> None:
        for text, words in (("", "order ''"), ("a,,b", "a,,b"), ("a AS DAT", "DATE")):
            with self.subTest(text=text), self.assertRaisesRegex(BadTerms, words):
                parse_order(text, "by")


class OrderingTest(unittest.TestCase):
    def test_each_way_has_an_order_of_its_own(self) -> None:
        for key, cells, expected in (
            ("x AS TEXT", ("b10", "b9", "B1"), ["B1", "b10", "b9"]),
            ("x AS CODE", ("b10", "b9", "b1"), ["b1", "b9", "b10"]),
            ("x AS NUMBER", ("10", "9", "-1.5"), ["-1.5", "9", "10"]),
            ("x AS DATE", ("2026-10-01", "2025-01-31"), ["2025-01-31", "2026-10-01"]),
        ):
            with self.subTest(key=key):
                self.assertEqual(ranked(key, *cells), expected)
                self.assertEqual(ranked(f"{key} DESC", *cells), expected[::-1])

    def test_the_way_is_detected(self) -> None:
        self.assertEqual(ranked("x", "10", "9"), ["9", "10"])
        self.assertEqual(ranked("x", "10", "9", "b"), ["9", "10", "b"])

    def test_blanks_and_what_cannot_be_read_come_last_in_both_directions(self) -> None:
        for key in ("x AS NUMBER", "x AS NUMBER DESC"):
            with self.subTest(key=key):
                cells = ("", "b", "2", "1", "3", "4")
                self.assertEqual(set(ranked(key, *cells)[-2:]), {"", "b"})


if __name__ == "__main__":
    unittest.main()
