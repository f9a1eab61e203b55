"""Tests of duplicates."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.account.balance import check_balance
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.duplicates import DuplicatesTerms, perform
from tests.support import table

LIST = table(
    "Berth|Boat",
    "001|Tern",
    "002|Seal",
    "001|Tern",
    "001|Otter",
    "|Gull",
    "|Gull",
    "002 |Seal",
)


class SetAsideTest(unittest.TestCase):
    def test_by_the_whole_record(self) -> None:
        """Cells are compared to the character; blank cells too."""
        outcome = perform(DuplicatesTerms(), LIST)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 2, 4, 5, 7])
        (aside,) = outcome.aside
        self.assertEqual(aside.table.origin.record.tolist(), [3, 6])
        self.assertEqual(aside.kept.record.tolist(), [1, 5])

    def test_by_fields_keeps_the_first_or_the_last(self) -> None:
        """And points to the record kept; a blank key matches nothing."""
        for keep, kept, gone, instead in (
            ("first", [1, 2, 5, 6, 7], [3, 4], [1, 1]),
            ("last", [2, 4, 5, 6, 7], [1, 3], [4, 4]),
        ):
            with self.subTest(keep=keep):
                terms = DuplicatesTerms(by=("Berth",), keep=keep)
                outcome = perform(terms, LIST)
                self.assertEqual(outcome.table.origin.record.tolist(), kept)
                (aside,) = outcome.aside
                self.assertEqual(aside.table.origin.record.tolist(), gone)
                self.assertEqual(aside.kept.record.tolist(), instead)

    def test_says_how_many_and_which(self) -> None:
        """Repeats with their groups, and the records that could not be compared."""
        repeats, blank = perform(DuplicatesTerms(by=("Berth",)), LIST).notes
        self.assertEqual(repeats.what, "2 records repeat another by Berth, in 1 group.")
        self.assertEqual(repeats.origin.record.tolist(), [3, 4])
        self.assertIn("2 records match nothing", blank.what)
        self.assertEqual(blank.origin.record.tolist(), [5, 6])


class MarkCountShowTest(unittest.TestCase):
    def added(self, treat: str, **terms: object) -> list[str]:
        """Return the field that is added."""
        outcome = perform(DuplicatesTerms(by=("Berth",), treat=treat, **terms), LIST)
        self.assertEqual(len(outcome.table), 7)
        return outcome.table.column(outcome.table.headings[-1]).to_pylist()

    def test_mark_says_which_is_kept_and_which_repeats(self) -> None:
        """Records that stand alone have no mark."""
        self.assertEqual(
            self.added("mark"), ["kept", "", "repeats", "repeats", "", "", ""]
        )
        self.assertEqual(
            self.added("mark", keep="last"),
            ["repeats", "", "repeats", "kept", "", "", ""],
        )

    def test_count_gives_the_size_of_the_group(self) -> None:
        """One for a record that stands alone."""
        self.assertEqual(self.added("count"), ["3", "1", "3", "3", "1", "1", "1"])

    def test_show_brings_the_groups_together(self) -> None:
        """Numbered in the order in which they begin; the others are set aside."""
        terms = DuplicatesTerms(treat="show", field="set")
        given = table("a", "x", "y", "z", "y", "x", "y")
        outcome = perform(terms, given)
        self.assertEqual(
            outcome.table.records(),
            [("1", "x"), ("1", "x"), ("2", "y"), ("2", "y"), ("2", "y")],
        )
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 5, 2, 4, 6])
        self.assertEqual(outcome.aside[0].table.records(), [("z",)])

    def test_refuses_a_heading_that_is_there_or_not_wanted(self) -> None:
        """Nothing is overwritten."""
        with self.assertRaisesRegex(BadTerms, "already has a field 'Boat'"):
            perform(DuplicatesTerms(treat="mark", field="Boat"), LIST)
        with self.assertRaisesRegex(BadTerms, "adds no field"):
            DuplicatesTerms(field="x")


class AnyListTest(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.sampled_from("ab "), st.sampled_from("xy")), max_size=12),
        st.sampled_from(["first", "last"]),
        st.sampled_from(["set-aside", "mark", "count", "show"]),
        st.sampled_from([(), ("one",), ("one", "two")]),
    )
    def test_balances_and_leaves_no_duplicate(
        self, records: list[tuple[str, str]], keep: str, treat: str, by: tuple[str, ...]
    ) -> None:
        """Whatever the list and the terms; done twice it equals once."""
        given_list = Table.from_records(["one", "two"], records)
        terms = DuplicatesTerms(by=by, keep=keep, treat=treat)
        outcome = perform(terms, given_list)
        check_balance("duplicates", [given_list], outcome)
        if treat == "set-aside":
            again = perform(terms, outcome.table)
            self.assertEqual(again.table.records(), outcome.table.records())
            self.assertEqual(again.aside, ())

    def test_unknown_fields_are_refused(self) -> None:
        """With the nearest."""
        with self.assertRaises(UnknownField) as caught:
            perform(DuplicatesTerms(by=("Bert",)), LIST)
        self.assertEqual(caught.exception.remedy, "Did you mean 'Berth'?")

    def test_an_empty_list_stays_empty(self) -> None:
        """With every treatment."""
        for treat in ("set-aside", "mark", "count", "show"):
            with self.subTest(treat=treat):
                outcome = perform(DuplicatesTerms(treat=treat), table("a|b"))
                self.assertEqual(len(outcome.table), 0)
