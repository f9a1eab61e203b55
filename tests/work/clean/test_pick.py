"""Tests of the verb pick."""

import unittest

from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.clean.pick.perform import perform
from gruff_ledger.work.clean.pick.terms import PickTerms
from tests.support import FolderTest, table

LIST = table(
    "boat|quay|paid",
    "Amber|north|30",
    "Bold|south|20",
    "Calm|north|30",
    "Dawn|south|x",
    "Elan|north|",
    "Fern|south|10",
)


def pick(**terms):
    """Return the boats that are picked, and the outcome."""
    outcome = perform(PickTerms(**terms), LIST)
    boats = "".join(boat[0] for boat in outcome.table.cells("boat").to_pylist())
    return boats, outcome


class ConditionTest(unittest.TestCase):
    def test_the_others_are_set_aside_with_their_reason(self) -> None:
        boats, outcome = pick(where="paid >= 20")
        self.assertEqual(boats, "ABC")
        fails, unknown = outcome.aside
        self.assertEqual(fails.reason, "does not meet: paid >= 20")
        self.assertEqual(fails.table.cells("boat").to_pylist(), ["Fern"])
        self.assertEqual(
            unknown.reason, "cannot be told for a blank or unread cell: paid >= 20"
        )
        self.assertEqual(unknown.table.cells("boat").to_pylist(), ["Dawn", "Elan"])
        self.assertEqual(outcome.findings[0].value.to_pylist(), ["x"])
        self.assertIn("1 of 5 filled cells of 'paid'", outcome.notes[0].what)
        self.assertIn("holds in 3 of 6 records, and fails in 1", outcome.notes[1].what)

    def test_all_or_none(self) -> None:
        self.assertEqual(pick(where="TRUE")[0], "ABCDEF")
        self.assertEqual(pick(where="TRUE")[1].aside, ())
        self.assertEqual(pick(where="FALSE")[0], "")
        self.assertEqual(pick(where="NULL")[0], "")

    def test_what_is_no_condition(self) -> None:
        for where in ("paid", "1", "'a'", "NULL + 1"):
            with self.subTest(where=where), self.assertRaises(BadTerms):
                pick(where=where)


class TopTest(unittest.TestCase):
    def test_the_first_in_an_order_keep_their_places(self) -> None:
        for terms, expected in (
            ({"top": 2, "by": "paid DESC"}, "AC"),
            ({"top": 1, "by": "paid DESC"}, "A"),
            ({"top": 1, "by": "paid DESC", "ties": True}, "AC"),
            ({"top": 1, "by": "paid"}, "F"),
            ({"top": 3, "by": "paid AS NUMBER"}, "ABF"),
            ({"top": 1, "by": "paid DESC", "per": ("quay",)}, "AB"),
            ({"top": 1, "by": "paid DESC", "per": ("quay",), "ties": True}, "ABC"),
            ({"top": 99, "by": "boat"}, "ABCDEF"),
            ({"top": 2, "by": "boat DESC", "where": "quay = 'north'"}, "CE"),
            ({"top": 1, "by": "quay, boat DESC"}, "E"),
        ):
            with self.subTest(terms=terms):
                self.assertEqual(pick(**terms)[0], expected)

    def test_the_rest_is_set_aside_and_ties_are_said(self) -> None:
        _, outcome = pick(top=1, by="paid DESC", per=("quay",))
        (aside,) = outcome.aside
        self.assertEqual(
            aside.reason, "not among the first 1 of each quay by paid DESC"
        )
        self.assertEqual(len(aside.table), 4)
        self.assertTrue(any("1 record ties" in note.what for note in outcome.notes))

    def test_terms_that_cannot_be_followed(self) -> None:
        for terms, words in (
            ({}, "no condition and no number of records was given"),
            ({"top": 0, "by": "a"}, "cannot be picked"),
            ({"top": 1}, "no order was given"),
            ({"by": "a", "where": "TRUE"}, "only applies with a number"),
            ({"where": "TRUE", "ties": True}, "only apply where a number"),
            ({"where": "1 +"}, "ends too soon"),
            ({"top": 1, "by": "a AS x"}, "cannot be ordered AS x"),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(BadTerms) as caught:
                    PickTerms(**terms)
                self.assertIn(words, caught.exception.what)
        with self.assertRaises(UnknownField):
            pick(top=1, by="pad")
        with self.assertRaises(UnknownField):
            pick(top=1, by="paid", per=("quai",))

    def test_no_records(self) -> None:
        for terms in ({"where": "a > 1"}, {"top": 1, "by": "a", "per": ("a",)}):
            with self.subTest(terms=terms):
                outcome = perform(PickTerms(**terms), table("a"))
                self.assertEqual((len(outcome.table), outcome.aside), (0, ()))


class ProgramTest(FolderTest):
    def test_records_set_aside_are_in_the_ledger(self) -> None:
        self.write("a.csv", "boat,paid\nAmber,30\nBold,\nCalm,5\n")
        done = self.gruff(
            *("pick", "a.csv", "--where", "paid > 10", "--to", "b.csv"),
            *("--aside", "rest.csv", "--ledger", "l"),
        )
        self.assertEqual(self.text("b.csv"), "boat,paid\nAmber,30\n")
        self.assertIn("3 records in: 1 out, 2 set aside", done.stderr.decode())
        reasons = {each["boat"]: each["reason"] for each in self.records("rest.csv")}
        self.assertEqual(
            reasons,
            {
                "Calm": "does not meet: paid > 10",
                "Bold": "cannot be told for a blank or unread cell: paid > 10",
            },
        )
        self.assertEqual(self.records("rest.csv"), self.records("l/set-aside.csv"))


if __name__ == "__main__":
    unittest.main()
