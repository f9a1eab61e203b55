"""Tests of finding out how a field writes its dates."""

import datetime
import itertools
import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.cells.dates.found import FoundDates, find_dates
from gruff_ledger.cells.dates.moments import to_column
from gruff_ledger.cells.dates.shapes import DateStyle
from gruff_ledger.columns.arrays import text_column

FORMS = (
    *("%Y-%m-%d", "%d/%m/%Y", "%m/%d/%Y", "%d.%m.%y", "%Y/%m/%d", "%m-%d-%Y"),
    *("%d %b %Y", "%B %d, %Y", "%d/%m/%Y %H:%M"),
)
DAYS = st.lists(
    st.datetimes(datetime.datetime(1970, 1, 1), datetime.datetime(2060, 1, 1)),
    min_size=1,
    max_size=10,
)
# A day over 12 settles the order.
SETTLING = datetime.datetime(2026, 12, 31, 14, 30)


def find(*cells: str, **more: object) -> FoundDates:
    """Find the dates of some cells."""
    return find_dates(text_column(cells), **more)  # type: ignore[arg-type]


def days(found: FoundDates) -> list[str]:
    """Return the days that were read, without times."""
    return [text[:10] for text in to_column(found.moments).to_pylist()]


class LawTest(unittest.TestCase):
    @given(st.sampled_from(FORMS), DAYS, st.randoms())
    def test_read_back_equal_among_others_that_settle_it(
        self, form: str, when: list[datetime.datetime], chance: random.Random
    ) -> None:
        when = [*when, SETTLING]
        chance.shuffle(when)
        found = find(*(each.strftime(form) for each in when))
        self.assertIsNone(found.doubts)
        self.assertEqual(days(found), [each.date().isoformat() for each in when])

    @given(st.sampled_from(FORMS), st.integers(1, 12), st.integers(1, 12))
    def test_asked_where_nothing_settles_it(
        self, form: str, day: int, month: int
    ) -> None:
        when = datetime.datetime(2026, month, day)
        found = find(when.strftime(form))
        is_open = "%Y-" not in form and "%b" not in form and "%B" not in form
        is_open &= not form.startswith("%Y") and day != month
        self.assertEqual(found.doubts is not None, is_open)

    @settings(max_examples=30, deadline=None)
    @given(DAYS, st.randoms())
    def test_of_two_forms_each_is_read_or_it_is_asked(
        self, when: list[datetime.datetime], chance: random.Random
    ) -> None:
        for one, other in itertools.combinations(FORMS, 2):
            pairs = [(each, chance.choice((one, other))) for each in when]
            pairs += [(SETTLING, one), (SETTLING, other)]
            chance.shuffle(pairs)
            found = find(*(each.strftime(form) for each, form in pairs))
            if found.doubts is None:
                expected = [each.date().isoformat() for each, _ in pairs]
                self.assertEqual(days(found), expected, (one, other))


class OrderTest(unittest.TestCase):
    def test_proven_one_way_both_or_not_at_all(self) -> None:
        self.assertEqual(find("03/04/2026", "13/04/2026").order, "day")
        self.assertEqual(find("03/04/2026", "04/13/2026").order, "month")
        both = find("03/04/2026", "04/13/2026", "13/04/2026")
        self.assertEqual((both.order, both.doubts and both.doubts.size), ("", 1))
        self.assertIsNone(find("04/13/2026", "13/04/2026", "2026-01-01").doubts)
        self.assertEqual(days(find("05/05/2026")), ["2026-05-05"])

    def test_names_prove_nothing_of_figures(self) -> None:
        found = find("13 Dec 2026", "Dec 13, 2026", "03/04/2026")
        self.assertEqual(found.doubts and found.doubts.first, 2)

    def test_only_what_is_stated(self) -> None:
        cells = ("03/04/2026", "3.4.26", "2026-01-01", "5 Mai 2026")
        stated = (DateStyle("month", "/"),)
        found = find(*cells, stated=stated)
        self.assertEqual(found.is_date.tolist(), [True, False, True, False])
        self.assertEqual(days(found)[0], "2026-03-04")
        stated = (DateStyle("day", ".", 2), DateStyle("day", " ", has_name=True))
        found = find(*cells, stated=stated)
        self.assertEqual(found.is_date.tolist(), [False, True, True, True])

    def test_some_cells_are_read_by_what_the_whole_list_proved(self) -> None:
        self.assertEqual(days(find("03/04/2026", order="month")), ["2026-03-04"])
        self.assertIsNotNone(find("03/04/2026", order="").doubts)

    def test_how_many_are_written_in_each_way(self) -> None:
        found = find("31/12/2026", "1/2/2026", "31.12.26", "3 Dec 2026", "2026-05-01")
        sizes = {style.example: group.size for style, group in found.styles.items()}
        self.assertEqual(
            sizes, {"2026-12-31": 1, "31/12/2026": 2, "31.12.26": 1, "31 Dec 2026": 1}
        )


if __name__ == "__main__":
    unittest.main()
