"""Tests of what a survey tells of numbers and dates as people write them."""

import unittest

from gruff_ledger.work.look.survey.field_summary import FieldFacts
from gruff_ledger.work.look.survey.perform import perform
from gruff_ledger.work.look.survey.terms import SurveyTerms
from gruff_ledger.written.of_list import with_ways
from tests.support import FolderTest, table, written


def facts_of(*cells: str, said: str = "") -> FieldFacts:
    """Return what a survey finds of a field of these cells."""
    made = table("a", *cells)
    made = written(made, a=said) if said else with_ways(made, {})[0]
    ((one,),) = (perform(SurveyTerms(), made).detail,)
    return one.fields[0]


class AsWrittenTest(unittest.TestCase):
    def test_amounts(self) -> None:
        facts = facts_of("1.234,50 €", "-2,50 €", "0", "x", "")
        self.assertEqual(facts.kind_words, "number 1.234,56 € / 1234,56 € and 1 more")
        self.assertEqual((facts.least, facts.greatest), ("-2.5", "1234.5"))
        self.assertEqual(facts.ends_shown, ("-2,50 €", "1.234,50 €"))
        self.assertEqual(facts.sum, "1232")
        counts = (facts.negative, facts.zero, facts.positive, facts.not_a_number)
        self.assertEqual(counts, (1, 1, 1, 1))

    def test_dates(self) -> None:
        facts = facts_of("31/12/2026", "3 Dec 2026", "2026-01-05", "x")
        self.assertEqual(facts.kind, "date")
        self.assertEqual((facts.least, facts.greatest), ("2026-01-05", "2026-12-31"))
        self.assertEqual(facts.ends_shown[1], "31/12/2026")

    def test_what_was_said(self) -> None:
        facts = facts_of("1,234", "7", said="1.234,5")
        self.assertEqual((facts.kind, facts.sum), ("number", "8.234"))

    def test_plain_fields_are_as_ever(self) -> None:
        self.assertEqual(facts_of("1.5", "2").kind_words, "number")
        self.assertEqual(facts_of("2026-01-05").kind_words, "date yyyy-MM-dd")
        self.assertEqual(facts_of("a", "1.234,5", "b").kind_words, "text")


class DoubtTest(FolderTest):
    def test_it_is_said_with_a_line_that_settles_it(self) -> None:
        self.write("a.csv", 'Fee\n"1,234"\n"2,345"\n7\n')
        told = self.gruff("survey", "a.csv").stderr.decode()
        self.assertIn("2 cells that could be two numbers: '1,234' is 1234, or 1", told)
        self.assertIn("gruff scrub a.csv --fields Fee --number plain", told)
        self.gruff(
            *("scrub", "a.csv", "--fields", "Fee", "--number", "plain"),
            *("--written", "Fee=1,234.5", "--to", "tidy.csv"),
        )
        self.assertEqual(self.text("tidy.csv"), "Fee\n1234\n2345\n7\n")


if __name__ == "__main__":
    unittest.main()
