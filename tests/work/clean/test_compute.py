"""Tests of the verb compute."""

import unittest

from gruff_ledger.problems import BadTerms
from gruff_ledger.work.clean.compute.perform import perform
from gruff_ledger.work.clean.compute.terms import ComputeTerms
from tests.support import FolderTest, table, written

LIST = table("boat|rate|length", "Amber|4.20|10.5", "Bold|4.20|", "Calm|x|7")


def compute(**terms):
    """Compute fields of the list."""
    return perform(ComputeTerms(**terms), LIST)


class ComputeTest(unittest.TestCase):
    def test_the_fee_is_blank_where_the_length_is(self) -> None:
        outcome = compute(formula={"fee": "rate * length"})
        self.assertEqual(outcome.table.headings, ("boat", "rate", "length", "fee"))
        self.assertEqual(outcome.table.cells("fee").to_pylist(), ["44.1", "", ""])
        (found,) = outcome.findings
        self.assertEqual((found.field, found.value.to_pylist()), ("rate", ["x"]))
        self.assertEqual(outcome.changes, ())

    def test_a_field_computed_before_can_be_used(self) -> None:
        outcome = compute(
            formula={"double": "length * 2", "more": "double + 1"}, after="boat"
        )
        headings = ("boat", "double", "more", "rate", "length")
        self.assertEqual(outcome.table.headings, headings)
        self.assertEqual(outcome.table.records()[2], ("Calm", "14", "15", "x", "7"))

    def test_a_field_is_changed_only_where_that_is_allowed(self) -> None:
        with self.assertRaises(BadTerms) as caught:
            compute(formula={"length": "length * 2"})
        self.assertIn("`overwrite`", caught.exception.remedy)
        outcome = compute(formula={"length": "length * 2"}, overwrite=True)
        self.assertEqual(outcome.table.headings, LIST.headings)
        (change,) = outcome.changes
        self.assertEqual(change.was.to_pylist(), ["10.5", "7"])
        self.assertEqual(change.now.to_pylist(), ["21", "14"])

    def test_forms_are_true_of_the_fields_as_they_came(self) -> None:
        list_ = written(table("fee", "1,5"), fee="1,5")
        terms = ComputeTerms(
            formula={"fee": "fee * 2", "more": "fee + 1"},
            overwrite=True,
        )
        self.assertEqual(perform(terms, list_).table.records(), [("3", "4")])

    def test_fractions_that_do_not_end_are_said(self) -> None:
        outcome = compute(formula={"third": "length / 9"})
        cells = ["1.166666666667", "", "0.777777777778"]
        self.assertEqual(outcome.table.cells("third").to_pylist(), cells)
        self.assertIn("2 fractions do not end", outcome.notes[0].what)

    def test_formulas_that_cannot_be_read_are_refused_at_once(self) -> None:
        for formula, words in (
            ({}, "no formula was given"),
            ({"a": "1 +"}, "ends too soon"),
            ({"a": ""}, "is empty"),
        ):
            with self.subTest(formula=formula):
                with self.assertRaises(BadTerms) as caught:
                    ComputeTerms(formula=formula)
                self.assertIn(words, caught.exception.what)
        with self.assertRaises(BadTerms) as caught:
            compute(formula={"a": "INTERVAL '1' DAY"})
        self.assertIn("an interval, which no cell can hold", caught.exception.what)


class ProgramTest(FolderTest):
    def test_a_problem_points_to_the_place(self) -> None:
        self.write("a.csv", "rate,length\n2,3\n")
        for formula, lines in (
            (
                "fee=rate * lenght",
                [
                    "gruff: --formula: a has no field 'lenght'. Did you mean 'length'? "
                    "A text goes in single quotes: 'lenght'.",
                    "    rate * lenght",
                    "           ^^^^^^",
                ],
            ),
            (
                "fee=rate * (length",
                [
                    "gruff: --formula: a bracket is opened and not closed. Close it "
                    "where it belongs.",
                    "    rate * (length",
                    "           ^",
                ],
            ),
        ):
            with self.subTest(formula=formula):
                done = self.gruff("compute", "a.csv", "--formula", formula, status=2)
                self.assertEqual(done.stderr.decode().splitlines(), lines)
                self.assertEqual(done.stdout, b"")

    def test_a_problem_in_a_docket_points_there_too(self) -> None:
        self.write("a.csv", "rate,length\n2,3\n")
        for formula, words in (
            ("rate * (length", "a bracket is opened"),
            ("rate * lenght", "no field 'lenght'"),
        ):
            self.write(
                "d.toml",
                'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "compute"\n'
                f'formula = {{ fee = "{formula}" }}\n',
            )
            with self.subTest(formula=formula):
                told = self.gruff("run", "d.toml", status=2).stderr.decode()
                first, line, carets = told.splitlines()
                self.assertIn("d.toml, entry 1 (compute), line ", first)
                self.assertIn(words, first)
                self.assertEqual(line.strip(), formula)
                self.assertTrue(carets.strip("^ ") == "" and "^" in carets)

    def test_hostile_data_and_formulas_on_the_command_line(self) -> None:
        self.write("a.csv", 'boat,"a=b"\n=1+1,\x1b[31mred\n')
        done = self.gruff(
            *("compute", "a.csv", "--formula", '"x=y"="a=b" || boat', "--to", "b.csv")
        )
        self.assertNotIn(b"\x1b", done.stderr)
        self.assertIn("x=y", self.text("b.csv"))
        told = self.gruff(
            *("compute", "a.csv", "--formula", "x=\x1b[31m + 1"), status=2
        ).stderr
        self.assertNotIn(b"\x1b", told)
        for bad in ("x", "=1", "x="):
            with self.subTest(bad=bad):
                self.problem("compute", "a.csv", "--formula", bad)


if __name__ == "__main__":
    unittest.main()
