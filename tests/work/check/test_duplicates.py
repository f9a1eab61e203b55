"""Tests of duplicates."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.account.balance import check_balance
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.check.duplicates.perform import perform
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
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
            with self.subTest(stays=keep):
                terms = DuplicatesTerms(by=("Berth",), stays=keep)
                outcome = perform(terms, LIST)
                self.assertEqual(outcome.table.origin.record.tolist(), kept)
                (aside,) = outcome.aside
                self.assertEqual(aside.table.origin.record.tolist(), gone)
                self.assertEqual(aside.kept.record.tolist(), instead)

    def test_says_how_many_and_which(self) -> None:
        """Repeats with their groups, and the records that could not be compared."""
        repeats, loosely, blank, whole = perform(
            DuplicatesTerms(by=("Berth",)), LIST
        ).notes
        self.assertEqual(repeats.what, "2 records repeat another by Berth, in 1 group.")
        self.assertEqual(repeats.origin.record.tolist(), [3, 4])
        self.assertIn("2 records have a blank key and match nothing", blank.what)
        self.assertEqual(blank.origin.record.tolist(), [5, 6])
        self.assertIn("Matched loosely, 1 more record repeats", loosely.what)
        self.assertEqual(
            whole.what,
            "1 of 2 records that repeat another is the same in every field, in 1 "
            "group; the others differ from the record kept, in Boat (1).",
        )


class MarkCountShowTest(unittest.TestCase):
    def added(self, treat: str, **terms: object) -> list[str]:
        """Return the field that is added."""
        outcome = perform(DuplicatesTerms(by=("Berth",), treat=treat, **terms), LIST)
        self.assertEqual(len(outcome.table), 7)
        return outcome.table.cells(outcome.table.headings[-1]).to_pylist()

    def test_mark_says_which_is_kept_and_which_repeats(self) -> None:
        """Records that stand alone have no mark."""
        self.assertEqual(
            self.added("mark"), ["kept", "", "repeats", "repeats", "", "", ""]
        )
        self.assertEqual(
            self.added("mark", stays="last"),
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
            [(number, cell, "") for number, cell in ("1x", "1x", "2y", "2y", "2y")],
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
        given_list = Table.of_records(["one", "two"], records)
        terms = DuplicatesTerms(by=by, stays=keep, treat=treat)
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


BOATS = table(
    "Boat|Berth|Phone|Paid",
    "Tern|1||2026-05-01",
    "TERN |1|555|2026-07-01",
    "Tern|1|556|",
    "Seal|2|777|2026-01-01",
    "Seal|3|777|2026-01-01",
)


def kept(**terms: object) -> list[int]:
    """Return the record numbers that stay of the boats, matched loosely."""
    outcome = perform(DuplicatesTerms(by=("Boat AS LOOSE",), **terms), BOATS)
    check_balance("duplicates", [BOATS], outcome)
    return outcome.table.origin.record.tolist()


class LevelsTest(unittest.TestCase):
    def test_each_field_has_its_own_level(self) -> None:
        """A level of all fields, or of one; written with AS."""
        for by, match, count in (
            (("Boat", "Berth"), "exact", 1),
            (("Boat AS LOOSE", "Berth"), "exact", 2),
            (("Boat", "Berth AS NUMBER"), "loose", 2),
            (("Boat",), "letters", 3),
            ((), "loose", 0),
        ):
            with self.subTest(by=by, match=match):
                outcome = perform(DuplicatesTerms(by=by, match=match), BOATS)
                gone = sum(len(aside.table) for aside in outcome.aside)
                self.assertEqual(gone, count)

    def test_what_has_no_key_at_a_level_matches_nothing(self) -> None:
        """A text is no number, and marks alone have no letters."""
        listed = table("a", "x", "y", "...", "--", "7", "07.0")
        for level, gone in (("NUMBER", [6]), ("LETTERS", [])):
            with self.subTest(level=level):
                outcome = perform(DuplicatesTerms(by=(f"a AS {level}",)), listed)
                found = [a.table.origin.record.tolist() for a in outcome.aside]
                self.assertEqual(found, [gone] if gone else [])

    def test_whole_records_compare_texts_as_such_at_any_level(self) -> None:
        listed = table("a|b", "x|7", "y|7", "x|07.0", "x|")
        outcome = perform(DuplicatesTerms(match="number"), listed)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 2, 4])

    def test_levels_and_weights_that_are_none_are_refused(self) -> None:
        for item, words in (
            ("Boat AS LOSE", "cannot be matched AS LOSE"),
            ("Boat WEIGHT many", "not a weight"),
            ("Boat WEIGHT 0", "not a weight"),
        ):
            with self.subTest(item=item), self.assertRaisesRegex(BadTerms, words):
                DuplicatesTerms(by=(item,))

    def test_a_reason_names_the_levels(self) -> None:
        outcome = perform(DuplicatesTerms(by=("Boat AS LOOSE",)), BOATS)
        reason = "repeats another record by Boat AS LOOSE"
        self.assertEqual(outcome.aside[0].reason, reason)


class KeepTest(unittest.TestCase):
    def test_which_record_stays(self) -> None:
        for terms, expected in (
            ({"stays": "first"}, [1, 4]),
            ({"stays": "last"}, [3, 5]),
            ({"stays": "fullest"}, [2, 4]),
            ({"stays": "greatest", "of": "Paid"}, [2, 4]),
            ({"stays": "least", "of": "Paid AS DATE"}, [1, 4]),
            ({"stays": "greatest", "of": "Berth"}, [1, 5]),
            ({"stays": "newest", "of": "Paid"}, [2, 4]),
            ({"stays": "oldest", "of": "Paid"}, [1, 4]),
            ({"stays": "none"}, []),
        ):
            with self.subTest(terms=terms):
                self.assertEqual(kept(**terms), expected)

    def test_terms_that_do_not_go_together(self) -> None:
        for terms, words in (
            ({"stays": "greatest"}, "is told by a field"),
            ({"of": "Paid"}, "only applies where one of newest"),
            ({"fill": True, "stays": "none"}, "no record is kept"),
            ({"fill": True, "treat": "mark"}, "all stay as they are"),
            ({"same_from": 90}, "with records that are alike"),
            ({"near": True, "same_from": 50}, "less than"),
            ({"near": True, "ask_from": 0}, "not a score"),
        ):
            with self.subTest(terms=terms), self.assertRaisesRegex(BadTerms, words):
                DuplicatesTerms(**terms)


class FillTest(unittest.TestCase):
    def test_blanks_are_filled_and_conflicts_said(self) -> None:
        """From the earliest copy that is not blank; all of it journaled."""
        terms = DuplicatesTerms(by=("Boat AS LOOSE",), fill=True)
        outcome = perform(terms, BOATS)
        self.assertEqual(
            outcome.table.records(),
            [("Tern", "1", "555", "2026-05-01"), ("Seal", "2", "777", "2026-01-01")],
        )
        (change,) = outcome.changes
        self.assertEqual((change.field, change.now.to_pylist()), ("Phone", ["555"]))
        self.assertEqual(
            [said for f in outcome.findings for said in f.messages.to_pylist()],
            [
                "Berth differs among the copies: '2' stays; also '3'.",
                "Phone differs among the copies: '555' stays; also '556'.",
                "Paid differs among the copies: '2026-05-01' stays; also '2026-07-01'.",
            ],
        )
        # The finding is on the cell as it is now.
        self.assertEqual(outcome.findings[1].value.to_pylist(), ["555"])
        check_balance("duplicates", [BOATS], outcome)


class OtherChoicesTest(unittest.TestCase):
    def test_are_said_whatever_is_done(self) -> None:
        """Before anything is taken out, too."""
        for treat in ("set-aside", "mark", "number", "count", "group", "show"):
            with self.subTest(treat=treat):
                terms = DuplicatesTerms(by=("Berth",), treat=treat)
                said = " ".join(note.what for note in perform(terms, LIST).notes)
                self.assertIn("1 of 2 records that repeat another is the same", said)
                self.assertIn("Matched loosely, 1 more record", said)

    def test_nothing_is_said_of_no_copies(self) -> None:
        (note,) = perform(DuplicatesTerms(by=("a",)), table("a", "1", "2")).notes
        self.assertEqual(note.what, "0 records repeat another by a.")


class NumbersTest(unittest.TestCase):
    def added(self, treat: str) -> list[str]:
        """Return the field that is added."""
        terms = DuplicatesTerms(by=("Boat AS LOOSE",), treat=treat)
        return [record[-1] for record in perform(terms, BOATS).table.records()]

    def test_copies_are_numbered_counted_and_grouped(self) -> None:
        self.assertEqual(self.added("number"), ["1", "2", "3", "1", "2"])
        self.assertEqual(self.added("count"), ["3", "3", "3", "2", "2"])
        self.assertEqual(self.added("group"), ["1", "1", "1", "2", "2"])

    def test_groups_side_by_side_with_what_differs(self) -> None:
        """Named in a field, and as a finding on each cell."""
        terms = DuplicatesTerms(by=("Boat AS LOOSE",), treat="show")
        outcome = perform(terms, BOATS)
        self.assertEqual(
            [(record[0], record[-1]) for record in outcome.table.records()],
            [
                ("1", ""),
                ("1", "Boat, Phone, Paid"),
                ("1", "Phone, Paid"),
                ("2", ""),
                ("2", "Berth"),
            ],
        )
        self.assertEqual(
            {f.field: f.origin.record.tolist() for f in outcome.findings},
            {"Boat": [2], "Phone": [2, 3], "Paid": [2, 3], "Berth": [5]},
        )


PEOPLE = table(
    "Name|Street|Born|Phone",
    "Anna Bergström|12 Quay Street|1970-05-01|01632 960456",
    "BERGSTROM Anna|12 Quay St.|1970-05-01|01632960456",
    "Otto Kelp|3 Harbour Lane|1951-01-30|0113 4960888",
    "Otto Kelp|77 Pier Road|1988-11-02|0114 4960333",
    "Mira Sund|5 Buoy Square|1999-09-09|0116 4960253",
    "Mira Snud|5 Buoy Sq|1999-09-08|0116 4960253",
    "Ivo Lark|9 Weir Walk|1961-02-03|0118 4960111",
    name="people",
)


class NearTest(unittest.TestCase):
    def test_what_is_alike_is_marked_and_explained(self) -> None:
        """Nothing goes, and namesakes are not alike."""
        outcome = perform(DuplicatesTerms(near=True), PEOPLE)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 2, 3, 4, 5, 6, 7])
        marked = dict(
            zip(
                outcome.table.headings,
                zip(*outcome.table.records(), strict=True),
                strict=True,
            )
        )
        self.assertEqual(
            marked["duplicate"], ("kept", "ask", "", "", "kept", "ask", "")
        )
        self.assertEqual(marked["group"], ("1", "1", "", "", "2", "2", ""))
        self.assertGreaterEqual(int(marked["likeness"][1]), 85)
        self.assertIn("words swapped", marked["why"][1])
        self.assertIn("Street", marked["why"][1])
        self.assertIn("one digit differs", marked["why"][5])
        self.assertEqual(len(outcome.detail.all), 2)

    def test_nothing_goes_without_a_decision(self) -> None:
        terms = DuplicatesTerms(near=True, treat="set-aside", same_from=80)
        outcome = perform(terms, PEOPLE)
        self.assertEqual((len(outcome.table), outcome.aside), (7, ()))

    def test_above_a_score_they_are_marked_the_same_if_asked(self) -> None:
        terms = DuplicatesTerms(near=True, same_from=80)
        outcome = perform(terms, PEOPLE)
        place = outcome.table.headings.index("duplicate")
        marks = [record[place] for record in outcome.table.records()]
        self.assertEqual(marks[1], "repeats")
        self.assertLess(len(outcome.detail.all), 2)

    def test_fields_that_must_match_and_weights(self) -> None:
        terms = DuplicatesTerms(near=True, by=("Name", "Born AS EXACT", "Phone"))
        groups = [q.group for q in perform(terms, PEOPLE).detail.all]
        self.assertEqual(groups, [1])
        with self.assertRaisesRegex(BadTerms, "none is left"):
            perform(DuplicatesTerms(near=True, by=("Name AS LOOSE",)), PEOPLE)
        weighted = DuplicatesTerms(near=True, by=("Name WEIGHT 100", "Born WEIGHT 1"))
        pairs = [(q.one, q.other) for q in perform(weighted, PEOPLE).detail.all]
        self.assertIn((2, 3), pairs)

    def test_empty_and_blank_lists(self) -> None:
        for listed in (table("a|b"), table("a|b", "|", "|"), table("a", "x")):
            with self.subTest(n=len(listed)):
                outcome = perform(DuplicatesTerms(near=True), listed)
                self.assertEqual(len(outcome.table), len(listed))
                self.assertEqual(outcome.detail.all, ())
