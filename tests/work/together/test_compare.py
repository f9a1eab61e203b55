"""Tests of the verb compare."""

import unittest
from collections import Counter

from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from gruff_ledger.account.balance import check_balance
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.together.compare.perform import perform
from gruff_ledger.work.together.compare.terms import CompareTerms
from tests.support import FolderTest, table

BEFORE = table(
    "Berth|Boat|Length",
    "1|Tern|7.0",
    "2|Seal|8.0",
    "3|Gull|9",
    "|Limpet|1",
    name="october",
)
NOW = table(
    "Boat|berth|Long|Class",
    "Tern|1|7|A",
    "Gull|3|9.5|B",
    "Otter|4|6|C",
    name="november",
)


def compare(one: Table = BEFORE, other: Table = NOW, **terms: object) -> Outcome:
    """Compare by berth, and check that it balances."""
    given = {"key": ("Berth",), "fields": ("Boat", "Length=Long"), **terms}
    outcome = perform(CompareTerms(**given), one, other)
    check_balance("compare", [one, other], outcome)
    return outcome


class CompareTest(unittest.TestCase):
    def test_a_marked_list(self) -> None:
        self.assertEqual(
            compare().table.records(),
            [
                ("was", "1", "Tern", "7.0", "", "", "Length"),
                ("now", "", "Tern", "7", "1", "A", "Length"),
                ("only first", "2", "Seal", "8.0", "", "", ""),
                ("was", "3", "Gull", "9", "", "", "Length"),
                ("now", "", "Gull", "9.5", "3", "B", "Length"),
                ("only first", "", "Limpet", "1", "", "", ""),
                ("only second", "", "Otter", "6", "4", "C", ""),
            ],
        )

    def test_cells_at_a_level(self) -> None:
        outcome = compare(cells="number", same=True)
        marks = outcome.table.cells("status").to_pylist()
        self.assertEqual(marks[0], "same")
        self.assertEqual(Counter(marks)["was"], 1)

    def test_changes_one_by_one(self) -> None:
        outcome = compare(give="changes")
        self.assertEqual(
            outcome.table.records(),
            [
                ("1", "Length", "7.0", "7", "1", "1"),
                ("3", "Length", "9", "9.5", "3", "2"),
            ],
        )
        self.assertEqual(outcome.table.headings[-2:], ("record before", "record now"))
        (found,) = outcome.findings
        self.assertEqual(
            found.said.to_pylist(), ["Length was '7.0'.", "Length was '9'."]
        )

    def test_changes_tell_the_rows_of_lists_that_have_them(self) -> None:
        before = structs.replace(BEFORE, heading_row=4)
        made = compare(before, give="changes").table
        self.assertEqual(made.headings[-2:], ("row before", "record now"))
        self.assertEqual(
            [each[-2:] for each in made.records()], [("5", "1"), ("7", "2")]
        )

    def test_in_numbers(self) -> None:
        rows = {
            record[0]: record[1:] for record in compare(give="numbers").table.records()
        }
        self.assertEqual(rows["records"], ("4", "3"))
        self.assertEqual(rows["only here"], ("2", "1"))
        self.assertEqual(rows["changed"], ("2", "2"))
        self.assertEqual(rows["the same"], ("0", "0"))
        self.assertEqual(rows["with a blank key"], ("1", "0"))
        self.assertEqual(rows["changed in Length"], ("2", "2"))

    def test_three_lists(self) -> None:
        beside = {key: made().records() for key, made in compare().beside.items()}
        self.assertEqual([r[1] for r in beside["only-first"]], ["Seal", "Limpet"])
        self.assertEqual([r[0] for r in beside["only-second"]], ["Otter"])
        self.assertEqual(len(beside["changed"]), 2)

    def test_fields_that_only_one_has_are_said(self) -> None:
        outcome = compare(fields=())
        told = " ".join(note.what for note in outcome.notes)
        self.assertIn("'Length' of october", told)
        self.assertIn("'Long', 'Class' of november", told)

    def test_apart_from(self) -> None:
        outcome = compare(apart_from=("Length",), give="numbers")
        self.assertNotIn(
            "changed in Length", outcome.table.cells("what is counted").to_pylist()
        )

    def test_repeated_keys_are_paired_in_order(self) -> None:
        one = table("k|v", "a|1", "a|2", "a|3", name="one")
        other = table("k|v", "a|1", "b|9", "a|5", name="two")
        outcome = compare(one, other, key=("k",), fields=())
        self.assertEqual(
            outcome.table.records(),
            [
                ("was", "a", "2", "v"),
                ("now", "a", "5", "v"),
                ("only first", "a", "3", ""),
                ("only second", "b", "9", ""),
            ],
        )
        told = " ".join(note.what for note in outcome.notes)
        self.assertIn("one: 2 records repeat the key", told)

    def test_whole_records(self) -> None:
        one = table("a|b", "1|2", "1|2", "3|", name="one")
        other = table("b|a", "2|1", "|3", "5|5", name="two")
        outcome = compare(one, other, key=(), fields=(), same=True)
        self.assertEqual(
            [(r[0], r[1], r[2]) for r in outcome.table.records()],
            [
                ("same", "1", "2"),
                ("only first", "1", "2"),
                ("same", "3", ""),
                ("only second", "5", "5"),
            ],
        )

    def test_what_cannot_be(self) -> None:
        with self.assertRaisesRegex(BadTerms, "two lists are compared, and 1 is"):
            perform(CompareTerms(), BEFORE)
        with self.assertRaisesRegex(BadTerms, "no field in common"):
            perform(CompareTerms(), table("a", "1"), table("b", "1"))
        with self.assertRaises(BadTerms):
            CompareTerms(fields=("a",))
        with self.assertRaises(UnknownField):
            compare(key=("Bert",))

    def test_empty_lists(self) -> None:
        none = table("Berth|Boat|Length", name="none")
        for give in ("list", "changes", "numbers"):
            for pair in ((none, BEFORE), (BEFORE, none), (none, none)):
                perform(CompareTerms(key=("Berth",), give=give), *pair)

    @given(
        *(
            [
                st.lists(
                    st.tuples(st.sampled_from("abcd"), st.sampled_from("xy")),
                    max_size=8,
                )
            ]
            * 2
        )
    )
    def test_accounts_for_every_record(
        self, mine: list[tuple[str, str]], theirs: list[tuple[str, str]]
    ) -> None:
        """Whatever the keys: each record of both is there once, the same ones twice."""
        one = Table.of_records(["k", "v"], mine, name="one")
        other = Table.of_records(["k", "v"], theirs, name="two", source=1)
        outcome = compare(one, other, key=("k",), fields=(), same=True)
        marks = Counter(outcome.table.cells("status").to_pylist())
        self.assertEqual(marks["was"] + marks["same"] + marks["only first"], len(mine))
        self.assertEqual(
            marks["now"] + marks["same"] + marks["only second"], len(theirs)
        )
        keys = Counter(k for k, _ in mine) & Counter(k for k, _ in theirs)
        self.assertEqual(marks["was"] + marks["same"], sum(keys.values()))
        mirrored = compare(other, one, key=("k",), fields=(), same=True)
        again = Counter(mirrored.table.cells("status").to_pylist())
        self.assertEqual(again["only second"], marks["only first"])
        self.assertEqual(again["was"], marks["was"])


class ProgramTest(FolderTest):
    def test_as_three_tabs_of_a_workbook(self) -> None:
        self.write("a.csv", "k,v\n1,x\n2,y\n3,z\n")
        self.write("b.csv", "k,v\n1,x\n2,Y\n4,z\n")
        self.gruff(
            *("compare", "a.csv", "b.csv", "--key", "k", "--to", "d.xlsx#sheet=All"),
            *("--only-first", "d.xlsx#sheet=Gone", "--only-second", "d.xlsx#sheet=New"),
            *("--changed", "d.xlsx#sheet=Changed"),
        )
        import openpyxl

        book = openpyxl.load_workbook(self.folder / "d.xlsx")
        self.assertEqual(book.sheetnames[:4], ["All", "Gone", "New", "Changed"])
        self.assertEqual(book["Gone"]["A2"].value, 3)
        self.assertEqual(book["Changed"]["D2"].value, "Y")
