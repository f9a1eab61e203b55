"""Tests of form: what is planned, and the workbook as another library reads it."""

import unittest
from typing import Any

import openpyxl
from odf import teletype
from odf.opendocument import load
from odf.table import ContentValidation, ErrorMessage, HelpMessage
from odf.table import Table as OdfTable

from gruff_ledger.problems import BadTerms
from gruff_ledger.rules.rule import Rule
from gruff_ledger.work.check.form.perform import perform
from gruff_ledger.work.check.form.terms import FormTerms
from tests.support import FolderTest, table

RULES = """rules = 1
fields = "Boat, Quay, Pontoon, Class, Length, Arrived, Nights, Code"
[[rule]]
field = "Boat"
required = true
unique = true
[[rule]]
field = "Pontoon"
allowed-from = "pontoons.csv"
per = "Quay"
severity = "stop"
message = "{Quay} has no pontoon {value}."
[[rule]]
field = "Quay"
allowed = "North, South"
severity = "stop"
[[rule]]
field = "Class"
allowed = ["A, small", "B"]
hint = "Ask the harbour master."
[[rule]]
field = "Length"
datatype = "number"
minimum = 3.5
maximum = 40
[[rule]]
field = "Arrived"
datatype = "date"
minimum = 2026-01-01
[[rule]]
field = "Nights"
datatype = "integer"
min-exclusive = 0
severity = "note"
[[rule]]
field = "Code"
length = 3
pattern = "[0-9]+"
[[rule]]
holds = "Nights < 300"
"""
PONTOONS = "Quay,Pontoon\nSouth,S1\nNorth,A\nNorth,B\n"


def plan(given: Any = None, references: Any = None, **terms: Any) -> Any:
    """Return the plan of a form, and its notes."""
    outcome = perform(FormTerms(**terms), given, references)
    return outcome.detail, [note.what for note in outcome.notes]


class PlanTest(unittest.TestCase):
    def test_fields_are_those_named_of_the_list_or_of_the_rules(self) -> None:
        rules = {"required": ("b", "a")}
        listed = table("a|b|c", "1|2|3")
        for given, terms, expected in (
            (None, {}, ["b", "a"]),
            (None, {"fields": ("a", "b", "x")}, ["a", "b", "x"]),
            (listed, {}, ["a", "b", "c"]),
            (listed, {"fields": ("b", "a")}, ["b", "a"]),
        ):
            with self.subTest(terms=terms):
                made, _ = plan(given, **rules, **terms)
                self.assertEqual([field.heading for field in made.fields], expected)
        with self.assertRaisesRegex(BadTerms, "no fields"):
            plan(holds=("1 = 1",))

    def test_records_stand_in_it_unless_left_out(self) -> None:
        listed = table("a|b", "1|2", "3|4")
        self.assertEqual(len(plan(listed, required=("a",))[0].records), 2)
        self.assertEqual(len(plan(listed, required=("a",), empty=True)[0].records), 0)

    def test_hints_say_what_is_wanted(self) -> None:
        for rule, hint in (
            ({"required": True}, "Must not be blank."),
            ({"allowed": ("A", "B")}, "One of A, B."),
            ({"minimum": "1", "maximum": "5"}, "A number from 1 to 5."),
            ({"datatype": "integer", "max_exclusive": "5"}, "A whole number below 5."),
            ({"datatype": "date"}, "A date."),
            ({"datatype": "number", "maximum": "9"}, "A number up to 9."),
            ({"length": 3}, "Characters: from 3 to 3."),
            ({"unique": True}, "No two rows may have the same."),
            ({"datatype": "date", "format_": "d/M/yyyy"}, "Written as d/M/yyyy."),
            ({"required": True, "hint": "Own."}, "Own."),
        ):
            with self.subTest(rule=rule):
                made, _ = plan(rule=(Rule(field="a", **rule),))
                self.assertEqual(made.fields[0].hint, hint)

    def test_what_a_workbook_cannot_check_is_said(self) -> None:
        rules = (
            Rule(field="a", allowed=("x",), max_length=3, pattern="x+"),
            Rule(holds="a = 'x'"),
            Rule(key=("a", "b")),
            Rule(field="b", required=True, where="a = 'x'"),
        )
        _, notes = plan(rule=rules)
        said = " ".join(notes)
        for words in (
            "its length is not checked",
            "its pattern is not checked",
            "b: a condition on a rule is not checked",
            "that a = 'x'; that a with b is unique",
        ):
            self.assertIn(words, said)

    def test_rows_that_no_form_has(self) -> None:
        with self.assertRaisesRegex(BadTerms, "0 rows"):
            FormTerms(required=("a",), rows=0)


class WorkbookTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("rules.toml", RULES)
        self.write("pontoons.csv", PONTOONS)

    def made(self, *arguments: str) -> "openpyxl.Workbook":
        """Make a form, and open it."""
        options = ("--rules", "rules.toml", "--to", "form.xlsx", "--replace")
        self.gruff("form", *arguments, *options)
        return openpyxl.load_workbook(self.folder / "form.xlsx")

    def test_limits_choices_hints_and_messages(self) -> None:
        book = self.made("--rows", "50")
        sheet = book["Form"]
        self.assertEqual(
            [cell.value for cell in sheet[1]][:3], ["Boat", "Quay", "Pontoon"]
        )
        self.assertEqual(sheet.freeze_panes, "A2")
        self.assertEqual(book["Choices"].sheet_state, "hidden")
        held = {str(each.sqref): each for each in sheet.data_validations.dataValidation}
        self.assertEqual(set(held), {f"{letter}2:{letter}51" for letter in "ABCDEFGH"})
        facts = {
            letter: (v.type, v.operator, v.formula1, v.formula2, v.errorStyle)
            for letter, v in ((key[0], value) for key, value in held.items())
        }
        self.assertEqual(
            facts["A"], ("custom", None, "COUNTIF($A$2:$A$51,A2)=1", None, "warning")
        )
        self.assertEqual(facts["B"][0], "list")
        self.assertEqual(facts["B"][4], None)  # stop, which is the default
        self.assertEqual(facts["E"], ("decimal", None, "3.5", "40", "warning"))
        self.assertEqual(facts["F"][:2], ("date", "greaterThanOrEqual"))
        self.assertEqual(facts["G"], ("whole", "greaterThan", "0", None, "information"))
        self.assertEqual(facts["H"][:4], ("textLength", None, "3", "3"))
        self.assertEqual(held["C2:C51"].error, "Its Quay has no pontoon this.")
        self.assertEqual(held["D2:D51"].prompt, "Ask the harbour master.")
        self.assertEqual(held["E2:E51"].prompt, "A number from 3.5 to 40.")

    def test_the_same_as_ods(self) -> None:
        """Read by odfpy: limits, choices, hints, messages; and fed back by us."""
        headings = "Boat,Quay,Pontoon,Class,Length,Arrived,Nights,Code"
        self.write("in.csv", f"{headings}\nTern,North,A,B,8.5,2026-05-01,3,abc\n")
        self.gruff("form", "in.csv", "--rules", "rules.toml", "--to", "f.ods")
        book = load(self.folder / "f.ods")
        held = {
            each.getAttribute("basecelladdress"): each
            for each in book.spreadsheet.getElementsByType(ContentValidation)
        }
        said = {
            address: each.getAttribute("condition") for address, each in held.items()
        }
        self.assertIn("is-true-formula(COUNTIF([.$A$2:", said["Form.A2"])
        self.assertIn("cell-content-is-in-list([$Choices.", said["Form.B2"])
        self.assertIn("OFFSET([$Choices.", " ".join(filter(None, said.values())))
        self.assertIn("cell-content()>=3.5 and cell-content()<=40", str(said))
        self.assertIn("cell-content-text-length()>=3", str(said))
        kinds = {
            message.getAttribute("messagetype")
            for each in held.values()
            for message in each.getElementsByType(ErrorMessage)
        }
        self.assertEqual(kinds, {"stop", "warning", "information"})
        hints = [
            teletype.extractText(hint)
            for each in held.values()
            for hint in each.getElementsByType(HelpMessage)
        ]
        self.assertIn("Ask the harbour master.", hints)
        tabs = [
            tab.getAttribute("name")
            for tab in book.spreadsheet.getElementsByType(OdfTable)
        ]
        self.assertEqual(tabs, ["Form", "Choices"])
        shown = self.gruff("show", "f.ods").stdout.decode()
        self.assertIn("Tern,North", shown)

    def test_choices_depend_on_another_cell(self) -> None:
        """Sorted by what they depend on, and found from there."""
        book = self.made()
        choices = [[cell.value for cell in row] for row in book["Choices"].iter_rows()]
        columns = list(zip(*choices, strict=True))
        self.assertIn(("North", "North", "South"), columns)
        self.assertIn(("A", "B", "S1"), columns)
        formulas = [
            each.formula1 for each in book["Form"].data_validations.dataValidation
        ]
        (found,) = [formula for formula in formulas if "OFFSET" in formula]
        self.assertIn("MATCH($B2,Choices!", found)
        # A comma in a choice is part of it.
        self.assertTrue(any("A, small" in column for column in columns))

    def test_a_form_filled_in_goes_through_flag_without_a_finding(self) -> None:
        book = self.made()
        sheet = book["Form"]
        from datetime import date

        rows = (
            ("Tern", "North", "A", "B", 12.5, date(2026, 5, 1), 3, "007"),
            ("Auk", "South", "S1", "A, small", 9, date(2026, 5, 2), 1, "120"),
        )
        for row, cells in enumerate(rows, 2):
            for column, value in enumerate(cells, 1):
                sheet.cell(row, column).value = value
        book.save(self.folder / "filled.xlsx")
        options = ("--rules", "rules.toml", "--to", "out.csv", "--replace")
        done = self.gruff("flag", "filled.xlsx", *options)
        self.assertIn("nothing was found", done.stderr.decode())
        self.assertEqual(
            self.text("out.csv").splitlines()[1],
            "Tern,North,A,B,12.5,2026-05-01,3,007",
        )
        sheet["C2"], sheet["G3"] = "S1", 0
        book.save(self.folder / "wrong.xlsx")
        done = self.gruff("flag", "wrong.xlsx", *options, status=1)
        told = done.stderr.decode()
        self.assertIn("North has no pontoon S1", told)
        self.assertIn("Nights is not above 0", told)

    def test_around_the_records_of_a_list(self) -> None:
        """Numbers and dates as such, codes as text; with rows to fill in below."""
        self.write(
            "a.csv",
            "Boat,Quay,Pontoon,Class,Length,Arrived,Nights,Code\n"
            "Tern,North,A,B,12.5,2026-05-01,x,007\nAuk,,,,9.50,,,\n",
        )
        book = self.made("a.csv", "--rows", "5")
        sheet = book["Form"]
        self.assertEqual((sheet["E2"].value, sheet["E3"].value), (12.5, "9.50"))
        self.assertEqual(sheet["F2"].value.isoformat()[:10], "2026-05-01")
        self.assertEqual((sheet["G2"].value, sheet["H2"].value), ("x", "007"))
        ranges = {str(v.sqref) for v in sheet.data_validations.dataValidation}
        self.assertIn("A2:A8", ranges)
        emptied = self.made("a.csv", "--empty")["Form"]
        self.assertIsNone(emptied["A2"].value)

    def test_in_a_docket_and_without_a_place_to_go(self) -> None:
        self.write("a.csv", "Boat,Quay\nTern,North\n")
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "form"\n'
            'required = "Boat"\nto = "form.xlsx"\n',
        )
        self.gruff("run", "d.toml")
        self.assertTrue((self.folder / "form.xlsx").exists())
        told = self.problem("form", "--required", "Boat")
        self.assertIn("--to: no output path was given.", told)
        told = self.problem("form", "--required", "Boat", "--to", "f.csv")
        self.assertIn("does not end in .xlsx", told)


if __name__ == "__main__":
    unittest.main()
