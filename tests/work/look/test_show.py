"""Tests of the verb show."""

import json
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.look.show.perform import perform
from gruff_ledger.work.look.show.terms import ShowTerms
from tests.support import FolderTest, table

LIST = table("Berth|Boat|Paid", *(f"{n}|Boat {n}|{n}.50" for n in range(1, 11)))


def numbers(**terms: object) -> list[int]:
    """Return the records that are shown of ten."""
    return perform(ShowTerms(**terms), LIST).table.origin.record.tolist()


class ShowTest(unittest.TestCase):
    def test_which_records(self) -> None:
        every = list(range(1, 11))
        for terms, expected in (
            ({}, every),
            ({"records": ("3",)}, [3]),
            ({"records": ("2-4", "9 - *")}, [2, 3, 4, 9, 10]),
            ({"records": ("8-99", "11")}, [8, 9, 10]),
            ({"first": 2}, [1, 2]),
            ({"last": 2}, [9, 10]),
            ({"first": 1, "last": 1}, [1, 10]),
            ({"first": 99}, every),
            ({"sample": 3}, [1, 5, 10]),
            ({"sample": 99}, every),
        ):
            with self.subTest(terms=terms):
                self.assertEqual(numbers(**terms), expected)

    def test_records_beyond_the_list_are_told(self) -> None:
        outcome = perform(ShowTerms(records=("2", "11", "30-*")), LIST)
        self.assertEqual(outcome.table.origin.record.tolist(), [2])
        self.assertEqual(
            outcome.notes[-1].what,
            "The list has 10 records: there is no record 11, 30.",
        )

    def test_rows_are_those_of_the_source(self) -> None:
        """Also of a list in another order; not of one of several sources."""
        turned = LIST.pick_records(np.arange(10)[::-1])
        turned = structs.replace(turned, heading_row=3)
        for rows, expected in (
            (("4",), [1]),
            (("5-6", "12 - *"), [10, 9, 3, 2]),
        ):
            outcome = perform(ShowTerms(rows=rows), turned)
            self.assertEqual(outcome.table.origin.record.tolist(), expected)
        for given_, rows, words in (
            (turned, ("3",), "no record in row 3"),
            (turned, ("14",), "no record in row 14"),
            (LIST, ("4",), "no rows of one source"),
        ):
            with self.assertRaisesRegex(BadTerms, words):
                perform(ShowTerms(rows=rows), given_)

    def test_fields_in_the_order_named(self) -> None:
        shown = perform(ShowTerms(fields=("paid", "Berth"), first=1), LIST)
        self.assertEqual(shown.table.headings, ("Paid", "Berth"))
        self.assertEqual(shown.table.records(), [("1.50", "1")])
        self.assertEqual(shown.notes[0].what, "10 records, 2 fields of 3; 1 asked for.")
        with self.assertRaises(UnknownField):
            perform(ShowTerms(fields=("Bort",)), LIST)

    @given(st.integers(1, 12), st.integers(1, 12), st.integers(1, 12))
    def test_no_record_is_lost(self, first: int, last: int, sample: int) -> None:
        """Law: shown and set aside are the list."""
        terms = ShowTerms(first=first, last=last, sample=sample)
        outcome = perform(terms, LIST)
        aside = [n for each in outcome.aside for n in each.table.origin.record]
        shown = outcome.table.origin.record.tolist()
        self.assertEqual(sorted([*aside, *shown]), list(range(1, 11)))

    def test_what_cannot_be_shown(self) -> None:
        for terms in (
            {"records": ("0",)},
            {"records": ("x",)},
            {"records": ("4-2",)},
            {"first": 0},
            {"last": -1},
            {"sample": 0},
        ):
            with self.subTest(terms=terms), self.assertRaises(BadTerms):
                ShowTerms(**terms)

    def test_a_list_without_records(self) -> None:
        empty = table("Berth|Boat")
        self.assertEqual(len(perform(ShowTerms(sample=3), empty).table), 0)


class ProgramTest(FolderTest):
    def test_another_format(self) -> None:
        self.write("a.csv", "Berth,Boat\n007,Tern\n008,Auk\n")
        self.gruff("show", "a.csv", "--to", "a.json")
        self.assertEqual(json.loads(self.text("a.json"))[1]["Boat"], "Auk")
        told = self.gruff("show", "a.csv", "--first", "1").stderr.decode()
        self.assertIn("Nothing was changed.", told)
        told = self.gruff("show", "a.csv", "--last", "1", "--to", "b.csv").stderr
        self.assertIn(b"2 records in: 1 out, 1 set aside. Balanced.", told)


if __name__ == "__main__":
    unittest.main()
