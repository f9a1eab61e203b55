"""Tests of merge."""

import unittest

from gruff_ledger.account.balance import check_balance
from gruff_ledger.problems import BadTerms
from gruff_ledger.work.together.merge.perform import perform
from gruff_ledger.work.together.merge.terms import MergeTerms
from tests.support import table

NORTH = table("Berth|Boat", "001|Tern", "002|Seal", name="north")
SOUTH = table("Boat|Berth|Length", "Gull|S1|7.0", name="south")


class PerformTest(unittest.TestCase):
    def test_puts_lists_end_to_end_by_heading(self) -> None:
        """Fields in the order in which they first appear; what lacks is blank."""
        outcome = perform(MergeTerms(), NORTH, SOUTH)
        self.assertEqual(outcome.table.headings, ("Berth", "Boat", "Length"))
        self.assertEqual(
            outcome.table.records(),
            [("001", "Tern", ""), ("002", "Seal", ""), ("S1", "Gull", "7.0")],
        )
        check_balance("merge", [NORTH, SOUTH], outcome)

    def test_names_the_source_on_request(self) -> None:
        """In a field added last."""
        merged = perform(MergeTerms(name_source="Quay"), NORTH, SOUTH).table
        self.assertEqual(merged.cells("Quay").to_pylist(), ["north", "north", "south"])
        with self.assertRaisesRegex(BadTerms, "already has a field 'Boat'"):
            perform(MergeTerms(name_source="Boat"), NORTH)

    def test_reports_unmatched_headings_with_the_nearest(self) -> None:
        """And what would settle it."""
        east = table("Berth|Boats", "E1|Whelk", name="east")
        notes = perform(MergeTerms(), NORTH, east).notes
        self.assertEqual(
            [(note.what, note.remedy) for note in notes if not note.is_headline],
            [
                (
                    "'Boat' is only in north: blank in 1 record of east.",
                    "If 'Boats' means the same, add `aliases Boats=Boat`.",
                ),
                ("'Boats' is only in east: blank in 2 records of north.", ""),
            ],
        )

    def test_aliases_settle_it(self) -> None:
        """The heading of the result is the one that is stood for."""
        east = table("Berth|Boats", "E1|Whelk", name="east")
        outcome = perform(MergeTerms(aliases={"Boats": "Boat"}), NORTH, east)
        self.assertEqual(outcome.table.headings, ("Berth", "Boat"))
        self.assertEqual([note.is_headline for note in outcome.notes], [True])

    def test_refuses_aliases_that_cannot_be_followed(self) -> None:
        """Of an unknown heading, or two fields of one list under one heading."""
        for aliases, what in (
            ({"Bots": "Boat"}, "no list has a field 'Bots'"),
            ({"Boat": "Berth"}, "would both be 'Berth'"),
        ):
            with self.subTest(what=what), self.assertRaisesRegex(BadTerms, what):
                perform(MergeTerms(aliases=aliases), NORTH)

    def test_takes_a_loose_match_of_headings_and_says_so(self) -> None:
        """Unless the list has the other heading as well."""
        east = table(" BERTH|Boat", "E1|Whelk", name="east")
        outcome = perform(MergeTerms(), NORTH, east)
        self.assertEqual(outcome.table.headings, ("Berth", "Boat"))
        self.assertIn("' BERTH' was taken for 'Berth'", outcome.notes[0].what)
        both = table("BERTH|Berth|Boat", "E1|E2|Whelk", name="both")
        merged = perform(MergeTerms(), NORTH, both).table
        self.assertEqual(merged.headings, ("Berth", "Boat", "BERTH"))
        self.assertEqual(merged.records(2), [("E2", "Whelk", "E1")])

    def test_a_list_may_be_empty_or_alone(self) -> None:
        """Its headings count all the same."""
        merged = perform(MergeTerms(), table("x", name="none"), NORTH).table
        self.assertEqual(merged.headings, ("x", "Berth", "Boat"))
        self.assertEqual(perform(MergeTerms(), NORTH).table.records(), NORTH.records())
