"""Tests of how one date is written, of names of months, and what is left open."""

import datetime
import subprocess
import sys
import unittest

from babel import Locale
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.dates.names import LANGUAGES, month_of, weekday_of
from gruff_ledger.cells.dates.shapes import UNKNOWN, date_shape


class ShapeTest(unittest.TestCase):
    def test_dates_as_people_write_them(self) -> None:
        for text, day in (
            ("31/12/2026", "2026-12-31"),
            ("12/31/2026", "2026-12-31"),
            ("31.12.26", "2026-12-31"),
            ("31.12.75", "1975-12-31"),
            ("2026/1/5", "2026-01-05"),
            ("3 Dec 2026", "2026-12-03"),
            ("3. Dezember 2026", "2026-12-03"),
            ("Dec 3, 2026", "2026-12-03"),
            ("December 3rd, 2026", "2026-12-03"),
            ("3-Dec-26", "2026-12-03"),
            ("Thu 3 Dec 2026", "2026-12-03"),
            ("3 de diciembre de 2026", "2026-12-03"),
            ("1er août 2026", "2026-08-01"),
            ("15. Mrz 2026", "2026-03-15"),
            ("domenica 6 dicembre 2026", "2026-12-06"),
            ("15 mrt 2026", "2026-03-15"),
        ):
            with self.subTest(text=text):
                shape = date_shape(text)
                assert shape is not None
                found = datetime.date(shape.year, shape.month, shape.day)
                self.assertEqual(found.isoformat(), day)
                self.assertNotEqual(shape.style.order, UNKNOWN)

    def test_times(self) -> None:
        for text, minutes in (
            ("31/12/2026 14:30", 870),
            ("12/31/2026 2:30 PM", 870),
            ("31.12.2026, 0:05 Uhr", 5),
            ("12/31/2026 12:00 a.m.", 0),
        ):
            shape = date_shape(text)
            assert shape is not None
            self.assertEqual(shape.micros, minutes * 60_000_000)
        self.assertIsNone(date_shape("31/12/2026 25:00"))
        self.assertIsNone(date_shape("31/12/2026 13:00 PM"))

    def test_the_order_is_open_where_both_could_be_the_day(self) -> None:
        for text in ("03/04/2026", "3.4.26", "12-11-2026"):
            shape = date_shape(text)
            assert shape is not None
            self.assertEqual(shape.style.order, UNKNOWN)

    def test_what_is_no_date(self) -> None:
        for text in (
            *("", "12", "31/31/2026", "30/02/2026", "1-2-3", "A-12-2026", "dec-26"),
            *("3 Quay 2026", "Mon 3 Dec 2026", "31.12", "31/12-2026", "2026-13-01"),
        ):
            with self.subTest(text=text):
                self.assertIsNone(date_shape(text))

    @given(st.text(alphabet="0123456789/.-: DecMzjuin,", max_size=20))
    def test_whatever_it_is_no_fault(self, text: str) -> None:
        shape = date_shape(text)
        if shape is not None:
            datetime.date(shape.year, shape.month, shape.day)


class NamesTest(unittest.TestCase):
    def test_months_of_six_languages(self) -> None:
        for names, month in (
            (
                ("January", "Jan.", "Januar", "janvier", "enero", "gennaio", "januari"),
                1,
            ),
            (("May", "Mai", "mayo", "maggio", "mei", "MAI"), 5),
            (("Aug", "août", "aout", "agosto", "augustus"), 8),
            (("Dez", "déc.", "dic", "Dezember"), 12),
        ):
            for name in names:
                self.assertEqual(month_of(name), month, name)
        for name in ("", "ja", "Quay", "Juno", "mayday"):
            self.assertIsNone(month_of(name), name)

    def test_every_name_of_the_library_is_known(self) -> None:
        for language in LANGUAGES:
            for width in ("wide", "abbreviated"):
                for use in ("format", "stand-alone"):
                    months = Locale.parse(language).months[use][width]
                    for number, name in months.items():
                        self.assertEqual(month_of(name), number, name)

    def test_other_words_do_not_load_the_library(self) -> None:
        code = (
            "import sys; from gruff_ledger.cells.dates.shapes import date_shape; "
            "[date_shape(t) for t in ('Pier 5', 'N-12', '12 Pontoon 26', 'Row 3 B')]; "
            "sys.exit('babel' in sys.modules)"
        )
        subprocess.run([sys.executable, "-c", code], check=True)

    def test_days(self) -> None:
        self.assertEqual([weekday_of(x) for x in ("Mon", "lundi", "So.")], [0, 0, 6])
        self.assertIsNone(weekday_of("Quay"))


if __name__ == "__main__":
    unittest.main()
