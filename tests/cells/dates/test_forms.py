"""Tests of dates in cells: their forms, and which can be read both ways."""

import datetime
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.dates.forms import DateForms, chunk_dates
from gruff_ledger.cells.text_bytes import chunk_of
from gruff_ledger.columns.arrays import text_column

DAYS = st.dates(datetime.date(1900, 1, 1), datetime.date(2100, 12, 31))


def forms(*cells: str, weights: list[int] | None = None) -> DateForms:
    """Return the forms of the dates among some cells."""
    found = DateForms()
    chunk = chunk_of(text_column(cells).chunks[0])
    each = None if weights is None else np.array(weights, np.int64)
    chunk_dates(chunk, np.arange(len(cells)), 0, found, each)
    return found


class FormsTest(unittest.TestCase):
    @given(st.lists(DAYS, min_size=1, max_size=8))
    def test_iso_dates(self, days: list[datetime.date]) -> None:
        found = forms(*(day.isoformat() for day in days))
        self.assertEqual((found.count, found.iso), (len(days), len(days)))
        self.assertEqual(found.least, min(days).isoformat())
        self.assertEqual(found.greatest, max(days).isoformat())
        self.assertEqual((found.pattern, found.is_settled), ("yyyy-MM-dd", True))

    @given(st.lists(DAYS, min_size=1, max_size=8), st.sampled_from("-/."))
    def test_day_first_dates(self, days: list[datetime.date], mark: str) -> None:
        found = forms(*(day.strftime(f"%d{mark}%m{mark}%Y") for day in days))
        self.assertEqual(found.count, len(days))
        self.assertEqual(found.day_first, sum(day.day > 12 for day in days))
        self.assertEqual(found.month_first, 0)
        both = sum(day.day <= 12 and day.day != day.month for day in days)
        self.assertEqual(found.two_ways, both)
        if found.day_first:
            self.assertEqual(found.pattern, f"dd{mark}MM{mark}yyyy")
            self.assertEqual(found.least, min(days).isoformat())
            self.assertEqual(found.greatest, max(days).isoformat())

    @given(DAYS)
    def test_month_first_without_leading_zeros(self, day: datetime.date) -> None:
        found = forms(f"{day.month}/{day.day}/{day.year}", "1/31/2000")
        self.assertEqual(found.count, 2)
        self.assertTrue(found.is_settled)
        self.assertTrue(found.pattern.startswith("M/d"))

    def test_cells_stand_for_several(self) -> None:
        found = forms("2026-05-01", "01/02/2026", "x", weights=[3, 5, 7])
        self.assertEqual((found.count, found.iso, found.two_ways), (8, 3, 5))
        self.assertEqual(np.concatenate(found.two_ways_at).tolist(), [1])

    def test_what_is_no_date(self) -> None:
        for cell in (
            *("2026-00-01", "2026-01-32", "2026/01/02x", "00/01/2026", "13/13/2026"),
            *("1-2/2026", "1/2", "1//2026", "", "20260501", "2026-05-01T1:00"),
        ):
            with self.subTest(cell=cell):
                self.assertEqual(forms(cell).count, 0)


if __name__ == "__main__":
    unittest.main()
