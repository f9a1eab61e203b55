"""Tests of dates and times in cells."""

import datetime
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.dates.moments import (
    DAY,
    DatePattern,
    Moments,
    calendar_of,
    moment_text,
    months_later,
    read_moment,
    read_moments,
    to_column,
)
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.problems import BadTerms

EPOCH = datetime.date(1970, 1, 1)


class IsoTest(unittest.TestCase):
    @given(st.lists(st.dates(), max_size=30))
    def test_every_day_of_the_calendar(self, days: list[datetime.date]) -> None:
        moments, is_date = read_moments(text_column(map(str, days)))
        self.assertTrue(is_date.all())
        self.assertEqual(
            moments.values.tolist(), [(day - EPOCH).days * DAY for day in days]
        )
        self.assertEqual(to_column(moments).to_pylist(), list(map(str, days)))
        found = calendar_of(moments.values)
        parts = zip(*(part.tolist() for part in found), strict=True)
        self.assertEqual(list(parts), [(d.year, d.month, d.day) for d in days])

    @given(st.lists(st.from_regex(r"\A[0-9T: .-]{9,11}\Z"), max_size=20))
    def test_whole_fields_agree_with_reading_one_by_one(self, cells) -> None:
        moments, is_date = read_moments(text_column(cells))
        for cell, value, good in zip(
            cells, moments.values.tolist(), is_date.tolist(), strict=True
        ):
            one = read_moment(cell)
            self.assertEqual((value, good), (one[0], True) if one else (0, False))

    def test_what_is_a_date_and_what_is_not(self) -> None:
        for text, is_date in (
            ("2024-02-29", True),
            ("2026-02-29", False),
            ("1900-02-29", False),
            ("2000-02-29", True),
            ("2026-00-10", False),
            ("2026-13-01", False),
            ("2026-04-31", False),
            ("0000-01-01", False),
            (" 2026-01-01 ", True),
            ("2026-01-01T10:05", True),
            ("2026-01-01 10:05:06.25", True),
            ("2026-01-01T10:05:06Z", True),
            ("2026-01-01T24:00", False),
            ("2026-1-1", False),
            ("20260101", False),
            ("２０２６-01-01", False),
            ("", False),
        ):
            with self.subTest(text=text):
                _, found = read_moments(text_column([text, "2026-01-01"]))
                self.assertEqual(found.tolist(), [is_date, True])

    def test_times_are_written_only_where_they_were_given(self) -> None:
        moments, _ = read_moments(text_column(["2026-01-01", "2026-01-01T00:00"]))
        self.assertEqual(
            to_column(moments).to_pylist(), ["2026-01-01", "2026-01-01T00:00:00"]
        )


class PatternTest(unittest.TestCase):
    def test_read_and_written(self) -> None:
        for pattern, text, expected, again in (
            ("dd/MM/yyyy", "1/5/2026", "2026-05-01", "01/05/2026"),
            ("d.M.yy", "01.05.26", "2026-05-01", "1.5.26"),
            ("d.M.yy", "1.5.69", "1969-05-01", "1.5.69"),
            ("yyyyMMdd", "20260501", "2026-05-01", "20260501"),
            ("d MMMM yyyy", "3 march 2026", "2026-03-03", "3 March 2026"),
            ("MMM d, yyyy", "Mar 3, 2026", "2026-03-03", "Mar 3, 2026"),
            ("EEE dd.MM.yyyy", "Fri 01.05.2026", "2026-05-01", "Fri 01.05.2026"),
            (
                "MM/dd/yyyy hh:mm a",
                "05/01/2026 12:30 am",
                "2026-05-01T00:30:00",
                "05/01/2026 12:30 AM",
            ),
            (
                "yyyy-MM-dd'T'HH:mm:ss.SSS",
                "2026-05-01T01:02:03.045",
                "2026-05-01T01:02:03.045000",
                "2026-05-01T01:02:03.045",
            ),
            ("d 'of' MMMM yyyy", "1 of May 2026", "2026-05-01", "1 of May 2026"),
        ):
            with self.subTest(pattern=pattern):
                moment = DatePattern(pattern).read(text)
                assert moment is not None
                self.assertEqual(moment_text(*moment), expected)
                self.assertEqual(DatePattern(pattern).write(moment), again)

    def test_what_does_not_fit_is_none(self) -> None:
        for pattern, text in (
            ("dd/MM/yyyy", "31/02/2026"),
            ("dd/MM/yyyy", "2026-05-01"),
            ("dd/MM/yyyy", "1/5/26"),
            ("EEE dd.MM.yyyy", "Mon 01.05.2026"),
            ("hh:mm a d/M/yyyy", "13:00 PM 1/5/2026"),
            ("yyyyMMdd", "2026511"),
        ):
            with self.subTest(pattern=pattern, text=text):
                self.assertIsNone(DatePattern(pattern).read(text))

    def test_patterns_that_are_none(self) -> None:
        for pattern in ("", "MM/yyyy", "dd/MM/yyyy 'at", "dd/MM/yyyy w", "d/M/y d"):
            with self.subTest(pattern=pattern), self.assertRaises(BadTerms):
                DatePattern(pattern)

    def test_whole_fields(self) -> None:
        column = text_column(["1/5/2026", "", "x", "2/5/2026", "1/5/2026"])
        moments, is_date = read_moments(column, DatePattern("d/M/yyyy"))
        self.assertEqual(is_date.tolist(), [True, False, False, True, True])
        self.assertEqual(
            (moments.values[[3, 4]] - moments.values[0]).tolist(), [DAY, 0]
        )


class MonthsTest(unittest.TestCase):
    def test_the_last_day_where_a_month_is_shorter(self) -> None:
        days = text_column(["2026-01-31", "2024-01-31", "2026-12-15", "2024-02-29"])
        moments, _ = read_moments(days)
        for months, expected in (
            (1, ["2026-02-28", "2024-02-29", "2027-01-15", "2024-03-29"]),
            (-12, ["2025-01-31", "2023-01-31", "2025-12-15", "2023-02-28"]),
        ):
            later = Moments(months_later(moments.values, months), np.zeros(4, np.bool_))
            self.assertEqual(to_column(later).to_pylist(), expected)


if __name__ == "__main__":
    unittest.main()
