"""Tests of finding out the delimiter and the way of quoting."""

import unittest

from gruff_ledger.lists.delimited.delimiter import detect_delimiter, detect_quoting
from gruff_ledger.lists.delimited.rows import cut_row, read_rows
from gruff_ledger.lists.quote_watch import QuoteWatch
from gruff_ledger.outcome import Note
from tests.support import FolderTest, read

BOTH_WAYS = (False, True)


class DetectDelimiterTest(unittest.TestCase):
    def test_the_heading_row_counts_too(self) -> None:
        """A mark that all records have and the heading has not is in the cells."""
        for expected, heading, record in (
            (";", "Name;Fee", "Boat1;1,5"),
            (";", "Name;Fee", "Boat1;1,234,567"),
            (";", "Nr;Net;Gross;Due", "7;1,5;2,5;3,5"),
            ("\t", "Name\tPlace", "Tern\tEly, Cambs"),
            ("\t", "Name\tPlace, county", "Tern\tEly, Cambs"),
            ("\t", "Name\tTags", "Tern\tred;old"),
            ("|", "Name|Place", "Tern|Ely, Cambs"),
            (",", "Name,Tags", "Tern,red;old"),
            (",", "Berth, Boat", "1, Tern"),
        ):
            for count in (1, 2, 20, 300):
                text = f"{heading}\n" + f"{record}\n" * count
                with self.subTest(heading=heading, record=record, count=count):
                    self.assertEqual(detect_delimiter(text, True), expected)

    def test_a_title_with_other_marks_does_not_mislead(self) -> None:
        """It is no heading, whatever it holds."""
        text = "Harbour, register\nName;Fee\n" + "Boat;1,5\n" * 20
        self.assertEqual(read(text.encode()).table.headings, ("Name", "Fee"))
        text = "Parcels, week 12\n\nKilos\tNo\n" + "2,98\t7\n" * 20 + "3,1\n"
        self.assertEqual(read(text.encode()).table.headings, ("Kilos", "No"))
        text = "Harbour register\n\nBoat,Berth\n" + "Tern,1\n" * 3
        self.assertEqual(read(text.encode()).table.headings, ("Boat", "Berth"))

    def test_ragged_rows_do_not_speak_for_a_mark_within_cells(self) -> None:
        """A few records too short are no reason to take the semicolon of every cell."""
        text = "a,b,c,d\n" + "1,x;y,3,4\n" * 50 + "1,x;y\n" * 3
        self.assertEqual(detect_delimiter(text, True), ",")

    def test_names_one_a_line_are_one_field(self) -> None:
        """``Roe, Ann`` below a heading without a comma."""
        for text in (
            "Name\nRoe, Ann\nPoe, Ben\n",
            "Name\nRoe, Ann\nPoe, Ben\nLo\nMo, Eva\n",
        ):
            with self.subTest(text=text):
                table = read(text.encode()).table
                self.assertEqual(table.headings, ("Name",))
                self.assertEqual(table.records()[0], ("Roe, Ann",))

    def test_the_ending_speaks_for_the_tab(self) -> None:
        """Where tabs part the rows at all."""
        text = "Tern\tEly, Cambs\n"
        self.assertEqual(detect_delimiter(text, True, expected="\t"), "\t")
        self.assertEqual(detect_delimiter("a,b\n1,2\n", True, expected="\t"), ",")


class ManyEqualRecordsTest(FolderTest):
    def test_are_not_taken_for_headings(self) -> None:
        """Twenty thousand records alike are records."""
        self.write("fees.csv", "Name;Fee\n" + "Boat1;1,5\n" * 20_000)
        self.gruff("merge", "fees.csv", "--to", "out.csv")
        self.assertEqual(len(self.records("out.csv")), 20_000)
        self.write("same.csv", "Boat1;1,5\n" * 20_000)
        told = self.gruff("merge", "same.csv", "--to", "same-out.csv").stderr.decode()
        self.assertEqual(len(self.records("same-out.csv")), 19_999)
        self.assertIn("19,999", told)
        self.assertIn("give --header-rows 0", told)


class OddQuoteTest(unittest.TestCase):
    CASES = (
        ('"big" boat', '"big" boat'),
        ('"y"z"w"', '"y"z"w"'),
        ('"z"  ', '"z"  '),
        ('"a ""b"" c" d', '"a ""b"" c" d'),
        ('""x', '""x'),
        ('"p, q" r', '"p, q" r'),
        ('5" pipe', '5" pipe'),
        ('a "b" c', 'a "b" c'),
        ('"a ""b"""', 'a "b"'),
        ('""', ""),
        ('""""', '"'),
    )

    def test_is_kept_as_it_is_written(self) -> None:
        """Anywhere in a long list, in both ways of reading."""
        for written, cell in self.CASES:
            for above in (0, 30_000):
                for careful in BOTH_WAYS:
                    data = "a,b\n" + 'x,"y z"\n' * above + f"{written},1\n2,{written}\n"
                    with self.subTest(written=written, above=above, careful=careful):
                        reading = read(data.encode(), careful=careful, quote="double")
                        self.assertEqual(
                            reading.table.records(above), [(cell, "1"), ("2", cell)]
                        )

    def test_is_said_with_its_records(self) -> None:
        """Only where quotes would have been dropped."""
        reading = read(b'a,b\n1,2\n"big" boat,1\n5" pipe,"x"\n')
        said = _about_quotes(reading.notes)
        self.assertEqual([each.origin.record.tolist() for each in said], [[2]])

    def test_is_kept_in_a_heading(self) -> None:
        """And said."""
        reading = read(b'"big" boat,b\n1,2\n')
        self.assertEqual(reading.table.headings, ('"big" boat', "b"))
        self.assertTrue(any("of a heading" in each.what for each in reading.notes))

    def test_the_watch_agrees_with_the_rows(self) -> None:
        """However the text is cut into blocks."""
        for written, _ in self.CASES:
            text = f'a,"b"\n{written},1\n"c\n""d",{written}\n'
            is_odd = any(row.odd for row in read_rows([*_lines(text)], ",", "double"))
            for size in range(1, len(text) + 1):
                watch = QuoteWatch(b",")
                for at in range(0, len(text), size):
                    watch.add(text[at : at + size].encode())
                with self.subTest(written=written, size=size):
                    self.assertEqual(watch.is_odd, is_odd)


class QuotingTest(unittest.TestCase):
    def test_backslashes_before_quotes_are_recognised(self) -> None:
        """And said; other backslashes stay."""
        reading = read(b'a,b\n1,"say \\"hi\\", now"\n2,"C:\\\\dir\\\\"\n3,C:\\x\n')
        self.assertEqual(
            reading.table.records(),
            [("1", 'say "hi", now'), ("2", "C:\\\\dir\\\\"), ("3", "C:\\x")],
        )
        self.assertTrue(any("backslash" in each.what for each in reading.notes))

    def test_spaces_around_quotes_are_recognised(self) -> None:
        """Where rows fit by it that would not otherwise; and said."""
        reading = read(b'a, b\n1, "x, y"\n2, "z" \n')
        self.assertEqual(reading.table.records(), [("1", "x, y"), ("2", "z")])
        self.assertTrue(any("spaces around" in each.what for each in reading.notes))

    def test_a_space_before_a_quote_is_said_where_it_stays(self) -> None:
        """With its record."""
        reading = read(b'a,b\n1,2\n1, "x"\n')
        self.assertEqual(reading.table.records()[1], ("1", ' "x"'))
        said = _about_quotes(reading.notes)
        self.assertEqual([each.origin.record.tolist() for each in said], [[2]])

    def test_a_pinned_way_holds(self) -> None:
        """Nothing is detected then, and nothing said of it."""
        data = b'a,b\n1,"say \\"hi\\" now"\n'
        reading = read(data, quote="double")
        self.assertEqual(reading.table.records(), [("1", '"say \\"hi\\" now"')])
        self.assertEqual(read(data, quote="backslash").notes, ())

    def test_doubled_quotes_and_backslashes_at_the_end_are_no_escapes(self) -> None:
        """A folder's name in quotes ends with a backslash."""
        text = 'a,b\n"C:\\dir\\",1\n"say ""x""",2\n'
        self.assertEqual(detect_quoting(text, True, ","), "double")

    def test_a_row_is_cut_in_linear_time(self) -> None:
        """Whatever quotes it holds."""
        text = '"' + 'a""' * 200_000 + "\\" * 50_000
        for quoting in ("double", "backslash", "spaced"):
            self.assertTrue(cut_row(text, ",", quoting).is_open)


def _about_quotes(notes: tuple[Note, ...]) -> list[Note]:
    return [each for each in notes if "quote" in each.what and each.origin is not None]


def _lines(text: str) -> list[str]:
    return text.splitlines(keepends=True)


if __name__ == "__main__":
    unittest.main()
