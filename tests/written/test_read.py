"""Tests of reading a field in the ways of the lists that its cells are of."""

import unittest

import numpy as np
import openpyxl
from msgspec import structs

from gruff_ledger.cells.numbers.amounts import to_column
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Origin, Table
from gruff_ledger.work.together.lookup.perform import perform as lookup
from gruff_ledger.work.together.lookup.terms import LookupTerms
from gruff_ledger.work.together.merge.perform import perform as merge
from gruff_ledger.work.together.merge.terms import MergeTerms
from gruff_ledger.written.of_list import with_ways
from gruff_ledger.written.read import read_dates, read_numbers
from gruff_ledger.written.way import kind_said
from tests.support import FolderTest, table, written


def of_source(number: int, made: Table) -> Table:
    """Return a list as one of several sources."""
    source = np.full(len(made), number, np.int32)
    made = structs.replace(made, origin=Origin(source, made.origin.record))
    return with_ways(made, {})[0]


def numbers(made: Table, heading: str) -> list[str]:
    """Return the numbers of a field as texts."""
    return to_column(read_numbers(made, heading).amounts)[0].to_pylist()


EURO = of_source(0, table("Boat|Fee", "Auk|1.234,50", "Tern|1.234", name="euro"))
POUND = of_source(1, table("Boat|Fee", "Auk|1,234.50", "Wren|1,234", name="pound"))


class EachListInItsWayTest(unittest.TestCase):
    def test_merged_end_to_end(self) -> None:
        merged = merge(MergeTerms(), EURO, POUND).table
        self.assertEqual(numbers(merged, "Fee"), ["1234.5", "1234", "1234.5", "1234"])
        few = merged.keep_records(np.array([False, True, False, True]))
        self.assertEqual(numbers(few, "Fee"), ["1234", "1234"])
        last = merged.pick_records(np.array([3, 0]))
        self.assertEqual(numbers(last, "Fee"), ["1234", "1234.5"])

    def test_merged_by_key(self) -> None:
        """A cell that moves keeps the way of the list it came from."""
        blank = of_source(0, table("Boat|Fee", "Wren|", "Auk|2,5", name="blank"))
        merged = merge(MergeTerms(key=("Boat",), precedence="filled"), blank, POUND)
        self.assertEqual(
            dict(
                zip(
                    merged.table.texts("Boat"),
                    numbers(merged.table, "Fee"),
                    strict=True,
                )
            ),
            {"Wren": "1234", "Auk": "2.5"},
        )

    def test_looked_up(self) -> None:
        boats = of_source(2, table("Boat|Fee", "Auk|", "Wren|7,5", name="boats"))
        terms = LookupTerms(in_="p", key=("Boat",), take=("Fee=Due",))
        done = lookup(terms, boats, {"p": POUND}).table
        self.assertEqual(numbers(done, "Due"), ["1234.5", "1234"])
        terms = LookupTerms(in_="p", key=("Boat",), take=("Fee",), field_there="fill")
        done = lookup(terms, boats, {"p": POUND}).table
        self.assertEqual(numbers(done, "Fee"), ["1234.5", "7.5"])

    def test_matched_by_value(self) -> None:
        terms = LookupTerms(in_="p", key=("Fee",), match="number", take=("Boat=Other",))
        done = lookup(terms, EURO, {"p": POUND}).table
        self.assertEqual(done.texts("Other"), ["Auk", "Wren"])
        days = table("Day", "3 Dec 2026", "2026-12-04")
        other = table("Day|What", "13/12/2026|x", "03/12/2026|y", name="o")
        terms = LookupTerms(in_="o", key=("Day AS DATE",), take=("What",))
        self.assertEqual(
            lookup(terms, days, {"o": other}).table.texts("What"), ["y", ""]
        )

    def test_what_was_said_comes_first(self) -> None:
        said = written(table("Fee", "1,234", "7"), Fee="1,5")
        self.assertEqual(numbers(said, "Fee"), ["1.234", "7"])
        self.assertEqual(kind_said(said, "Fee"), "number")
        self.assertEqual(read_dates(said, "Fee").is_date.tolist(), [False, False])


class AskedTest(unittest.TestCase):
    def test_with_the_two_ways_to_say_it(self) -> None:
        for cells, read, words in (
            (
                ("1,234",),
                read_numbers,
                "`written` 'a=1,234.5' if it parts thousands, 'a=1",
            ),
            (("5 €", "$7"), read_numbers, "several currencies: EUR (1) and USD (1)"),
            (("03/04/2026",), read_dates, "`written` 'a=31/12/2026' for the day"),
        ):
            with self.subTest(cells=cells), self.assertRaises(BadTerms) as caught:
                read(table("a", *cells), "a")
            problem = caught.exception
            self.assertIn(words, f"{problem.what} {problem.remedy}")
            self.assertEqual(problem.field, "a")

    def test_how_it_was_read_is_said_in_one_line(self) -> None:
        cells = ["1.234,56 €"] * 3 + ["130.50"]
        (note,) = read_numbers(table("a", *cells), "a").notes
        self.assertEqual(
            note.what, "a is read as 1.234,56 € (3 cells) and 1234.56 (1)."
        )
        self.assertEqual(read_numbers(table("a", "1.5", "x"), "a").notes, ())


class ProgramTest(FolderTest):
    def test_numbers_of_typed_sources_are_never_in_doubt(self) -> None:
        """A text beside them can be: here points part its thousands."""
        self.write("a.json", '[{"Fee": 1.234}, {"Fee": "1.234.567"}, {"Fee": "2.500"}]')
        self.gruff(
            "scrub", "a.json", "--fields", "Fee", "--number", "plain", "--to", "o.csv"
        )
        self.assertEqual(self.text("o.csv"), "Fee\n1.234\n1234567\n2500\n")

    def test_neither_are_those_of_a_workbook(self) -> None:
        book = openpyxl.Workbook()
        for row in (["Paid in May"], [], ["Boat", "Fee"]):
            book.active.append(row)
        for fee in (1.234, "1.234.567", "2.500"):
            book.active.append(["Auk", fee])
        book.save(self.folder / "a.xlsx")
        self.gruff(
            "scrub", "a.xlsx", "--fields", "Fee", "--number", "plain", "--to", "o.csv"
        )
        self.assertEqual(
            self.text("o.csv"), "Boat,Fee\nAuk,1.234\nAuk,1234567\nAuk,2500\n"
        )

    def test_a_docket_says_it_once_of_its_list(self) -> None:
        self.write("a.csv", 'Boat;Fee\nAuk;1.234\nTern;"7,5"\n')
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\nwritten = { Fee = "1.234,5" }\n'
            '[[entry]]\ndo = "fields"\nrename = { Fee = "Due" }\n'
            '[[entry]]\ndo = "compute"\nformula = { Twice = "Due * 2" }\n'
            '[[entry]]\ndo = "sort"\nby = "Due"\n[[out]]\nto = "o.csv"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(
            self.text("o.csv"), 'Boat,Due,Twice\nTern,"7,5",15\nAuk,1.234,2468\n'
        )

    def test_a_command_with_an_example_is_entered(self) -> None:
        self.write("a.csv", "Boat,Day\nAuk,03/04/2026\nTern,02/05/2026\n")
        said = self.problem("sort", "a.csv", "--by", "Day")
        self.assertIn("--written 'Day=31/12/2026' for the day", said)
        self.gruff(
            *("sort", "a.csv", "--by", "Day", "--written", "Day=12/31/2026"),
            *("--to", "o.csv", "--enter", "d.toml"),
        )
        self.assertEqual(self.records("o.csv")[0]["Boat"], "Tern")
        self.assertIn('written = { Day = "12/31/2026" }', self.text("d.toml"))
        self.gruff("run", "d.toml", "--replace")
        self.assertEqual(self.records("o.csv")[0]["Boat"], "Tern")

    def test_a_field_that_no_list_has(self) -> None:
        self.write("a.csv", "Boat,Day\nAuk,03/04/2026\n")
        said = self.problem("sort", "a.csv", "--by", "Boat", "--written", "Dya=1,5")
        self.assertIn("Did you mean 'Day'", said)


if __name__ == "__main__":
    unittest.main()
