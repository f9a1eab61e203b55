"""Tests of what the programs that measure tell; nothing here is timed."""

import json
import sys
import unittest
from pathlib import Path

from tests.support import FolderTest

sys.path.insert(0, str(Path(__file__).parent.parent / "bench"))


class RecordedTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        from measure import Recorded, Row

        self.path = self.folder / "recorded.json"
        self.recorded = lambda: Recorded(self.path)
        self.row = Row("sort", [], "column pass", [], 2.0)

    def test_a_row_that_fell_a_quarter_behind_is_told(self) -> None:
        before = self.recorded()
        before.take("100 records", self.row, 2.0)
        before.keep()
        for ratio, expected in ((2.49, 0), (2.51, 1)):
            now = self.recorded()
            now.take("100 records", self.row, ratio)
            self.assertEqual(len(now.behind()), expected)
        self.assertIn("2.51, recorded 2.00", now.behind()[0])

    def test_other_sizes_are_kept_and_new_rows_are_not_behind(self) -> None:
        self.write("recorded.json", json.dumps({"9 records": {"a / b": 1.0}}))
        now = self.recorded()
        now.take("100 records", self.row, 9.0)
        self.assertEqual(now.behind(), [])
        now.keep()
        self.assertEqual(
            json.loads(self.text("recorded.json")),
            {"9 records": {"a / b": 1.0}, "100 records": {"sort / column pass": 9.0}},
        )


if __name__ == "__main__":
    unittest.main()
