"""Text of fixed width: columns found from blanks and lines, or stated."""

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists.address import WHOLE, parse_address
from gruff_ledger.lists.laid_out.columns import find_columns
from gruff_ledger.lists.laid_out.fixed_width import is_likely, read_fixed_width
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.problems import Problem, UnreadableSource
from tests.support import FolderTest

STOCK = """\
Yard stock, Monday

Code   Item                  Qty    Price
W001   Winch handle             12    14.50
W002   Rope 12mm, red          140     1.20
W003   Möwe lamp                 3   120.00
W004                             7     9.99
"""
ROWS = [
    ("W001", "Winch handle", "12", "14.50"),
    ("W002", "Rope 12mm, red", "140", "1.20"),
    ("W003", "Möwe lamp", "3", "120.00"),
    ("W004", "", "7", "9.99"),
]


def read(data: str | bytes, fragment: str = "", **stated: object) -> Reading:
    """Read a text of fixed width."""
    raw = data.encode() if isinstance(data, str) else data
    opened = open_bytes(raw, name="stock", address="stock.txt")
    part = parse_address(f"a#{fragment}").fragment if fragment else WHOLE
    return read_fixed_width(opened, ReadingTerms(**stated), part)


def rows(reading: Reading) -> list[tuple[str, ...]]:
    """Return the records of a list."""
    columns = [column.to_pylist() for column in reading.table.all_cells]
    return list(zip(*columns, strict=True))


class FoundTest(unittest.TestCase):
    def test_by_blanks_that_all_rows_share(self) -> None:
        """Below titles; numbers at the right, a name of several words, an umlaut."""
        reading = read(STOCK)
        self.assertEqual(reading.table.headings, ("Code", "Item", "Qty", "Price"))
        self.assertEqual(rows(reading), ROWS)
        self.assertEqual(reading.source.titles, ("Yard stock, Monday",))
        self.assertEqual(reading.source.heading_row, 3)
        self.assertEqual(reading.source.written["columns"], "1-7, 8-29, 30-36, 37-")
        self.assertIn("`widths 7,22,7,99`", reading.notes[-1].remedy)

    def test_by_a_ruled_line(self) -> None:
        """Also where the blanks would not tell; more such lines are set aside."""
        ruled = STOCK.replace(
            "Price\n", "Price\n-----  --------------------  -----  --------\n"
        )
        reading = read(ruled + "-----  --------------------  -----  --------\n")
        self.assertEqual(rows(reading), ROWS)
        self.assertEqual([len(each.table) for each in reading.aside], [1])
        self.assertEqual(reading.source.records_in, 5)
        narrow = "A  B\n== =\n1  2\n3  4\n"
        self.assertEqual(rows(read(narrow)), [("1", "2"), ("3", "4")])

    def test_as_stated(self) -> None:
        """Dense columns, without a heading; the last has the rest of the line."""
        dense = "20260101ABC  12\n20260102DEF   7 kg\n2026\n"
        reading = read(dense, widths=("8", "3", "4"), header_rows=0)
        expected = [("20260101", "ABC", "12"), ("20260102", "DEF", "7 kg")]
        self.assertEqual(rows(reading), [*expected, ("2026", "", "")])
        titled = "Report\nDay      N\n1        2\n"
        reading = read(titled, widths=("9", "1"), skip_rows=1)
        self.assertEqual(rows(reading), [("1", "2")])

    def test_without_a_heading(self) -> None:
        body = STOCK.partition("Price\n")[2]
        self.assertEqual(rows(read(body, header_rows=0)), ROWS)

    def test_comments_tabs_line_ends_and_encodings(self) -> None:
        self.assertEqual(rows(read("# made by hand\n" + STOCK)), ROWS)
        tabbed = "Code\tQty\nW1\t12\nW2\t7\nW3\t9\n"
        self.assertEqual(rows(read(tabbed))[0], ("W1", "12"))
        for data in (
            STOCK.replace("\n", "\r\n").encode(),
            STOCK.replace("\n", "\r").encode(),
            STOCK.encode("windows-1252"),
            STOCK.encode("utf-16"),
        ):
            with self.subTest(data[:20]):
                self.assertEqual(rows(read(data)), ROWS)

    def test_rows_and_columns_of_an_address(self) -> None:
        self.assertEqual(rows(read(STOCK, "row=3-5")), ROWS[:2])
        reading = read(STOCK, "col=1;3")
        self.assertEqual(reading.table.headings, ("Code", "Qty"))

    def test_a_long_list_is_held_against_its_first_lines(self) -> None:
        """Where a later line does not fit them, all lines are looked at."""
        lines = ["Code  Item     Qty"]
        lines += [f"{number:04}  ab       {number % 90:3}" for number in range(5000)]
        lines[4500] = "4499  abcdefgh  49"
        reading = read("\n".join(lines))
        self.assertEqual(rows(reading)[4499], ("4499", "abcdefgh", "49"))
        self.assertEqual(rows(reading)[0], ("0000", "ab", "0"))

    def test_what_cannot_be_read_is_said(self) -> None:
        for data, stated, said in (
            ("\n \n", {}, "there is nothing in it"),
            ("one\ntwo\n", {}, "no two columns can be told"),
            ("a  b\n1  2\n", {"skip_rows": 7}, "it has no row 8"),
        ):
            with self.subTest(said), self.assertRaises(UnreadableSource) as caught:
                read(data, **stated)
            self.assertIn(said, caught.exception.paragraph())

    def test_is_told_from_names_prose_and_delimited_text(self) -> None:
        self.assertTrue(is_likely(STOCK.encode()))
        for text in (
            "Name\nAnn Lee\nBob Ray\nTom Fox\n",
            "Code;Item\n1;a  b\n2;c  d\n3;e  f\n",
            "It was late when we came home, and there was no light.\nNobody spoke.\n",
            "one\ntwo\nthree\nfour\n",
            "",
        ):
            with self.subTest(text):
                self.assertFalse(is_likely(text.encode()))
        self.assertFalse(is_likely(b"\x89PNG\r\n\x1a\n"))

    def test_broken_text_is_a_problem_or_a_list(self) -> None:
        chance = random.Random(24)
        for _ in range(300):
            data = bytearray(STOCK.encode())
            for _ in range(chance.randint(1, 6)):
                data[chance.randrange(len(data))] = chance.randrange(256)
            try:
                read(bytes(data))
            except Problem:
                continue


_WORDS = st.text("abcXYZ0189.,;-äéß漢", min_size=1, max_size=8)
_CELLS = st.one_of(st.just(""), _WORDS, st.tuples(_WORDS, _WORDS).map(" ".join))


class LawTest(unittest.TestCase):
    @given(
        st.lists(st.tuples(_CELLS, _CELLS, _CELLS), min_size=1, max_size=30),
        st.lists(st.booleans(), min_size=3, max_size=3),
    )
    def test_what_is_laid_out_is_read_back(self, records, right) -> None:
        """Law: cells of any text, at the left or the right, with stated widths."""
        widths = [
            max(6, *(len(record[place]) for record in records)) + 2
            for place in range(3)
        ]
        lines = [
            "".join(
                cell.rjust(width - 2) + "  " if at_right else cell.ljust(width)
                for cell, width, at_right in zip(record, widths, right, strict=True)
            )
            for record in [("One", "Two", "Three"), *records]
        ]
        stated = tuple(map(str, widths))
        reading = read("\n".join(lines) + "\n", widths=stated)
        expected = list(records)
        while expected and not any(expected[-1]):
            expected.pop()
        self.assertEqual(rows(reading), expected)

    @given(st.lists(st.lists(_WORDS, min_size=4, max_size=4), min_size=2, max_size=40))
    def test_columns_are_found_where_they_were_laid(self, records) -> None:
        """Law: two blanks between columns of filled cells are enough."""
        heading = ["Code", "Name", "Town", "Sum"]
        widths = [
            max(len(record[place]) for record in [heading, *records]) + 2
            for place in range(4)
        ]
        lines = [
            "".join(map(str.ljust, record, widths)) for record in [heading, *records]
        ]
        found = find_columns(lines, None, has_heading=True)
        self.assertIsNotNone(found)
        starts = tuple(sum(widths[:place]) for place in range(4))
        self.assertEqual(found.starts, starts)


class CommandTest(FolderTest):
    def test_the_ending_or_the_text_tells(self) -> None:
        """A file, a pipe, an address; and `split`, which has widths of its own."""
        self.write("stock.prn", STOCK)
        self.write("stock.txt", STOCK)
        names = ("Code", "Item", "Qty", "Price")
        expected = [dict(zip(names, row, strict=True)) for row in ROWS]
        for name in ("stock.prn", "stock.txt"):
            done = self.gruff("show", name, "--to", "out.csv", "--replace")
            self.assertEqual(self.records("out.csv"), expected)
            self.assertIn(b"at characters 1-7, 8-29, 30-36, 37-.", done.stderr)
        piped = self.gruff("show", "-", stdin=STOCK.encode()).stdout
        self.assertEqual(piped, (self.folder / "out.csv").read_bytes())
        self.write("dense.dat", "20260101ABC\n20260102DEF\n")
        told = self.gruff("show", "dense.dat#widths=8,3/header-rows=0").stdout
        self.assertIn(b"20260101,ABC", told)
        words = ("split", "dense.dat", "--list-widths", "8,3", "--header-rows", "0")
        told = self.gruff(*words, "--field", "field 1", "--widths", "4,4").stdout
        self.assertIn(b"2026,0102,DEF", told)

    def test_written_and_read_back(self) -> None:
        """As wide as the cells, numbers at the right; or as stated, and never cut."""
        self.write("stock.csv", "Code,Item,Qty\nW1,Winch handle,12\nW2,Möwe,140\n")
        self.gruff("show", "stock.csv", "--to", "out.prn")
        self.assertEqual(
            self.text("out.prn"),
            "Code  Item          Qty\n"
            "W1    Winch handle   12\n"
            "W2    Möwe          140\n",
        )
        self.assertEqual(
            self.gruff("show", "out.prn").stdout, self.gruff("show", "stock.csv").stdout
        )
        words = ("show", "stock.csv", "--to", "wide.txt", "--to-widths")
        self.gruff(*words, "4,12,3", "--line-ends", "crlf")
        self.assertIn("W1  Winch handle 12\r\n", self.text("wide.txt"))
        said = self.problem(*words[:3], "a.txt", "--to-widths", "4,6,3")
        self.assertIn("a.txt, record 1, field 'Item': it is 12 characters long", said)
        self.assertIn("in --to-widths, or leave --to-widths out", said)
        said = self.problem(*words[:3], "a.txt", "--to-widths", "4,6")
        self.assertIn("a.txt, --to-widths: 2 widths for 3 fields.", said)
        self.assertIn("or leave --to-widths out", said)
        for wrong in ("x", "0", "-1", "1000000", "9" * 5000):
            said = self.problem(*words[:3], "a.txt", "--to-widths", f"4, {wrong}")
            self.assertIn(f"'{wrong}' is not a whole number from 1", said)
        self.write("lines.csv", 'A,B\n1,"x\ny"\n')
        said = self.problem("show", "lines.csv", "--to", "a.prn")
        self.assertIn("record 1, field 'B': a cell holds a line end", said)
        said = self.problem("show", "stock.csv", "--to", "a.xlsx", "--to-widths", "9")
        self.assertIn("an XLSX workbook has no such thing", said)

    def test_widths_of_a_docket(self) -> None:
        """As numbers; and as they are entered from a command."""
        self.write("dense.dat", "20260101ABC\n20260102DEF\n")
        words = ("sort", "dense.dat", "--widths", "8,3", "--header-rows", "0")
        self.gruff(*words, "--by", "field 2 DESC", "--enter", "day.toml")
        self.assertIn("widths = [8, 3]", self.text("day.toml"))
        self.write("day.toml", self.text("day.toml") + '[[out]]\nto = "o.csv"\n')
        self.gruff("run", "day.toml")
        self.assertEqual(self.records("o.csv")[0]["field 2"], "DEF")


if __name__ == "__main__":
    unittest.main()
