"""Tests of findings shown at the cells of a workbook, read by another library."""

import unittest

import openpyxl

from gruff_ledger.lists.outputs.cell_findings import remarks_on
from gruff_ledger.outcome import Severity
from gruff_ledger.rules.rule import Rule
from gruff_ledger.work.check.flag.perform import perform
from gruff_ledger.work.check.flag.terms import FlagTerms
from tests.support import FolderTest, table

LIST = table("Boat|Class|Fee", "Tern|a|5", "|B|7", "Seal|A|", "Gull|B|99")
RULES = FlagTerms(
    required=("Boat", "Fee"),
    rule=(
        Rule(field="Class", allowed=("A", "B"), severity="stop"),
        Rule(holds="Fee < 50", severity="note", message="{Boat} pays much."),
    ),
)


class RemarksTest(unittest.TestCase):
    def test_remarks_follow_their_records(self) -> None:
        """Into another order, and not to records that are gone."""
        findings = perform(RULES, LIST).findings
        import numpy as np

        moved = LIST.pick_records(np.array([3, 0]))
        self.assertEqual(
            [(r.record, r.field, r.text) for r in remarks_on(moved, findings).all],
            [
                (0, None, "Gull pays much."),
                (1, 1, "Class is not one of A, B. Perhaps A?"),
            ],
        )

    def test_a_cell_that_was_changed_since_has_none(self) -> None:
        findings = perform(RULES, LIST).findings
        fixed = table("Boat|Class|Fee", "Tern|A|5", "|B|7", "Seal|A|", "Gull|B|99")
        fields = {remark.field for remark in remarks_on(fixed, findings).all}
        self.assertEqual(fields, {0, 2, None})

    def test_the_worst_of_a_cell_comes_first(self) -> None:
        rules = (
            Rule(field="Class", allowed=("x",), severity="note"),
            Rule(field="Class", allowed=("y",), severity="stop"),
        )
        findings = perform(FlagTerms(rule=rules), LIST).findings
        (said, *_) = remarks_on(LIST, findings).by_record()[0].values()
        self.assertEqual([each.severity for each in said], [Severity.STOP, "note"])


class WorkbookTest(FolderTest):
    def flagged(self, *more: str) -> "openpyxl.Workbook":
        """Flag a list into a workbook, and open it."""
        self.write("a.csv", "Boat,Class,Fee\nTern,a,5\n,B,7\nSeal,A,\nGull,B,99\n")
        self.gruff(
            *("flag", "a.csv", "--required", "Boat, Fee", "--allowed", "Class=A, B"),
            *("--holds", "Fee < 50", "--to", "b.xlsx", "--replace", *more),
        )
        return openpyxl.load_workbook(self.folder / "b.xlsx")

    def test_cells_are_coloured_with_notes_and_listed(self) -> None:
        book = self.flagged()
        self.assertEqual(book.sheetnames, ["b", "Findings"])
        sheet = book["b"]
        self.assertEqual(sheet.freeze_panes, "A2")
        filled = {
            cell.coordinate
            for row in sheet.iter_rows()
            for cell in row
            if cell.fill.fgColor.rgb not in ("00000000", None)
        }
        self.assertEqual(filled, {"B2", "A3", "C4", "A5"})
        said = sheet["B2"].comment.text
        self.assertEqual(said, "warn: Class is not one of A, B. Perhaps A?")
        self.assertIn("It is not true that Fee < 50.", sheet["A5"].comment.text)
        # A number stays a number, and a blank one blank.
        self.assertEqual((sheet["C5"].value, sheet["C4"].value), (99, None))
        listed = [[cell.value for cell in row] for row in book["Findings"].iter_rows()]
        self.assertEqual(listed[0][:5], ["tab", "row", "field", "value", "perhaps"])
        self.assertEqual(
            [row[1:4] for row in listed[1:]],
            [
                [2, "Class", "a"],
                [3, "Boat", None],
                [4, "Fee", None],
                [5, None, None],
            ],
        )
        self.assertEqual(listed[1][8:], ["a", 1])

    def test_the_corrected_workbook_is_fed_back(self) -> None:
        """Its list is taken, not the tab of findings, and nothing is found."""
        book = self.flagged()
        for place, value in (("B2", "A"), ("A3", "Auk"), ("C4", 9), ("C5", 9)):
            book["b"][place] = value
        book.save(self.folder / "c.xlsx")
        done = self.gruff(
            *("flag", "c.xlsx", "--required", "Boat, Fee", "--allowed", "Class=A, B"),
            *("--holds", "Fee < 50", "--to", "d.csv"),
        )
        self.assertIn("nothing was found", done.stderr.decode())
        self.assertEqual(
            self.text("d.csv"),
            "Boat,Class,Fee\nTern,A,5\nAuk,B,7\nSeal,A,9\nGull,B,9\n",
        )

    def test_findings_can_be_left_out(self) -> None:
        book = self.flagged("--no-findings")
        self.assertEqual(book.sheetnames, ["b"])
        self.assertIsNone(book["b"]["B2"].comment)

    def test_hostile_cells_stay_text(self) -> None:
        """In notes and in the tab of findings too."""
        self.write("a.csv", 'Boat,Class\n"=1+1",x\n')
        self.gruff(
            *("flag", "a.csv", "--to", "b.xlsx"),
            *("--rule", 'field="Boat", allowed=["x"], message="{value}"'),
        )
        book = openpyxl.load_workbook(self.folder / "b.xlsx")
        cell = book["Findings"]["G2"]
        self.assertEqual((cell.value, cell.data_type), ("=1+1", "s"))

    def test_findings_of_a_docket_come_with_the_list(self) -> None:
        """Whatever was done after they were found."""
        self.write("a.csv", "Boat,Class\nTern,x\nAuk,A\n")
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "flag"\n'
            'allowed = { Class = "A" }\n[[entry]]\ndo = "sort"\nby = "Boat"\n'
            '[[out]]\nto = "o.xlsx#sheet=Boats"\n',
        )
        self.gruff("run", "d.toml")
        book = openpyxl.load_workbook(self.folder / "o.xlsx")
        self.assertIn("Class is not A", book["Boats"]["B3"].comment.text)


if __name__ == "__main__":
    unittest.main()
