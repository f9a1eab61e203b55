"""Tests of texts that a spreadsheet program would run, and of what goes with them."""

import unittest

from gruff_ledger.cells.formula_like import formula_mask, may_run, would_run
from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.cells.text.spaces import trim
from gruff_ledger.columns.arrays import text_column
from tests.support import FolderTest


class FormulaLikeTest(unittest.TestCase):
    def test_signs_behind_what_is_not_seen_may_run(self) -> None:
        """And their wide forms; numbers do not."""
        texts = (
            "=1",
            " =1",
            "\n=1",
            "\u200b=1",
            "\uff1d1",
            "\ufeff@x",
            "\tx",
            "-",
            "+x",
        )
        for text in texts:
            with self.subTest(text=text):
                self.assertTrue(may_run(text))
        for text in ("a=1", "-12.5", "+7", " -3 ", "", "1-2", "x@y"):
            with self.subTest(text=text):
                self.assertFalse(may_run(text))
        self.assertTrue(formula_mask(text_column(texts)).all())

    def test_a_survey_warns_of_what_would_run(self) -> None:
        """Not of signs alone, of amounts in any form, and of names."""
        for text in ("=A1", "@SUM(1)", "+cmd|x", "-A1*2"):
            self.assertTrue(would_run(text), text)
        for text in (
            "-",
            "-566,000",
            "- none",
            "@name",
            "+49 123",
            "-12 %",
            "-1.234,5 €",
        ):
            self.assertFalse(would_run(text), text)


class GuardedTest(FolderTest):
    def test_headings_set_aside_and_ledger_are_guarded_too(self) -> None:
        """Nothing that could run is in any file that is written."""
        self.write("list.csv", '"=cmd()",No\n" =1+1",1\n" =1+1",1\n\uff1d2,2\n')
        self.gruff(
            *("duplicates", "list.csv", "--by", "No", "--guard-formulas"),
            *("--to", "out.csv", "--aside", "aside.csv", "--ledger", "ledger"),
            *("--treat", "set-aside"),
        )
        self.assertEqual(self.text("out.csv").split(",")[0], "'=cmd()")
        self.assertEqual(self.text("out.csv").splitlines()[1], "' =1+1,1")
        for name in (
            "out.csv",
            "aside.csv",
            "ledger/set-aside.csv",
            "ledger/changes.csv",
        ):
            for record in self.records(name):
                for text in (*record, *record.values()):
                    self.assertFalse(may_run(text), (name, text))

    def test_the_outline_of_a_workbook_stays(self) -> None:
        """Detail lies beneath its figure, guarded or not."""
        import openpyxl

        self.write("a.csv", "Kind,Sum\n=x,5\ny,7\n")
        self.write("b.csv", "Kind,Sum\n=x,1\ny,2\n")
        self.gruff(
            *("rollup", "a.csv", "b.csv", "--detail", "beneath", "--guard-formulas"),
            *("--to", "out.xlsx"),
        )
        tab = openpyxl.load_workbook(self.folder / "out.xlsx").active
        levels = [tab.row_dimensions[row].outlineLevel for row in range(2, 8)]
        self.assertEqual(levels, [0, 1, 1, 0, 1, 1])
        self.assertEqual(tab["A2"].value, "'=x")


class SeenTest(FolderTest):
    def test_trimming_takes_white_space_only(self) -> None:
        """Variation selectors, joiners and fillers are for --no-invisible."""
        for mark in ("\ufe0f", "\u200d", "\u3164", "\x1f"):
            self.assertEqual(trim(f" Boat{mark} "), f"Boat{mark}")
            self.write("a.csv", f"Boat\n Tern{mark} \n")
            self.gruff("scrub", "a.csv", "--trim", "--to", "b.csv", "--replace")
            self.assertEqual(self.text("b.csv"), f"Boat\nTern{mark}\n")
        self.assertIsNone(number_of("7\x1f"))
        self.assertEqual(number_of("\u00a07 "), 7)

    def test_a_survey_tells_look_alikes_from_other_numbers(self) -> None:
        """A sign or a point makes another number, and no other spelling."""
        self.write(
            "a.csv",
            "Sum,Town\n683.000,Ely\n-683.000,ELY\nx,Ely\n-,Bath\n@name,x\ny,\u200b\n",
        )
        told = self.gruff("survey", "a.csv").stderr.decode()
        facts = self.gruff("survey", "a.csv").stdout.decode()
        self.assertNotIn("683.000' and", told)
        self.assertNotIn("a spreadsheet would run", told + facts)
        self.assertIn("1 cell with nothing but invisible characters", told)
        self.assertIn("'Ely' and 'ELY'", told)

    def test_odd_case_leaves_a_field_of_small_letters_alone(self) -> None:
        """Most of it is written so on purpose."""
        self.write("a.csv", "Mail,Name\nann@x,Ann Roe\nBEN@x,BEN POE\neva@x,Eva Mo\n")
        self.gruff("scrub", "a.csv", "--case", "title", "--odd-only", "--to", "b.csv")
        records = self.records("b.csv")
        self.assertEqual(
            [each["Mail"] for each in records], ["ann@x", "BEN@x", "eva@x"]
        )
        self.assertEqual(records[1]["Name"], "Ben Poe")


if __name__ == "__main__":
    unittest.main()
