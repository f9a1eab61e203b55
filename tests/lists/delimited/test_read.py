"""Tests of reading delimited text."""

import io
import itertools
import unittest
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.lists import source
from gruff_ledger.lists.delimited import parse
from gruff_ledger.lists.delimited.write import write_delimited
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.outcome import Severity
from gruff_ledger.problems import BadTerms, UnreadableSource
from gruff_ledger.table import Table
from tests.support import read

BOTH_WAYS = (False, True)

# Characters that trouble delimited text, among plain ones.
TROUBLE = st.text(
    alphabet=st.sampled_from('ab0 ,;"\n\r\té\u2028\x00\ufeff|漢😀=-'), max_size=6
)


@st.composite
def tables(draw: st.DrawFn) -> Table:
    """Return tables that delimited text can hold: no blank record at the end."""
    width = draw(st.integers(1, 4))
    headings = draw(
        st.lists(
            TROUBLE.filter(lambda text: text.strip(" \t\r\n\u2028\ufeff") != ""),
            min_size=width,
            max_size=width,
            unique=True,
        )
    )
    records = draw(st.lists(st.lists(TROUBLE, min_size=width, max_size=width)))
    records.append(["end"] * width)
    return Table.of_records(headings, records)


class RoundTripTest(unittest.TestCase):
    @settings(max_examples=300)
    @given(tables(), st.sampled_from(",;\t|"), st.booleans())
    def test_any_table_written_and_read_back_is_identical(
        self, table: Table, delimiter: str, careful: bool
    ) -> None:
        """To the character, in both ways of reading."""
        sink = io.BytesIO()
        write_delimited(table, sink, delimiter)
        back = read(
            sink.getvalue(),
            careful=careful,
            delimiter=delimiter,
            encoding="utf-8",
            skip_rows=0,
        )
        self.assertEqual(back.table.headings, table.headings)
        self.assertEqual(back.table.records(), table.records())
        self.assertEqual(
            back.table.origin.record.tolist(), table.origin.record.tolist()
        )


class BothWaysTest(unittest.TestCase):
    @settings(max_examples=400)
    @given(st.text(alphabet='ab ,"\n\ré', max_size=60))
    def test_fast_and_careful_reading_agree_on_any_text(self, text: str) -> None:
        """On tables, records set aside, findings, and refusals alike."""
        self.assertEqual(
            self._told(text, careful=False), self._told(text, careful=True)
        )

    def _told(self, text: str, *, careful: bool) -> object:
        data = ("a,b\n" + text).encode()
        try:
            reading = read(data, careful=careful, delimiter=",", skip_rows=0)
        except UnreadableSource as problem:
            return problem.paragraph()
        return (
            reading.table.records(),
            reading.table.origin.record.tolist(),
            [
                (each.reason, each.text, each.table.origin.record.tolist())
                for each in reading.aside
            ],
            [(each.rule, each.origin.record.tolist()) for each in reading.findings],
            reading.source.records_in,
            reading.source.trailing_blank,
        )

    def test_a_source_that_arrow_refuses_is_read_carefully(self) -> None:
        """A record longer than any block of Arrow's is no reason to give up."""
        long = "x" * 5000
        data = f'a,b\n1,"{long}"\n2,"y\nz"\n'.encode()
        with mock.patch.object(parse, "_BLOCK_BYTES", (1000, 2000)):
            records = read(data).table.records()
        self.assertEqual(records, [("1", long), ("2", "y\nz")])

    def test_line_breaks_in_cells_may_fall_on_the_edges_of_blocks(self) -> None:
        """Arrow parses in blocks, and must not cut one inside a cell."""
        records = [(str(number), "x\n" * (number % 7)) for number in range(500)]
        data = "a,b\n" + "".join(f'{a},"{b}"\n' for a, b in records)
        with mock.patch.object(parse, "_BLOCK_BYTES", (100, 1 << 20)):
            self.assertEqual(read(data.encode()).table.records(), records)

    def test_no_line_end_in_a_cell_is_lost_at_any_edge_of_a_block(self) -> None:
        """A block may end between a carriage return and its line feed."""
        for inner, outer in itertools.product(("\r\n", "\r", "\n"), repeat=2):
            records = [("a" * (n % 5), f"b{inner}c{inner}") for n in range(60)]
            body = "".join(f'{a},"{b}"{outer}' for a, b in records)
            for block, careful in itertools.product(range(24, 60), BOTH_WAYS):
                with (
                    self.subTest(inner=inner, outer=outer, block=block),
                    mock.patch.object(parse, "_BLOCK_BYTES", (block, 1 << 20)),
                    mock.patch.object(source, "_BLOCK_BYTES", block),
                ):
                    table = read(
                        f"a,b{outer}{body}".encode(), careful=careful, skip_rows=0
                    ).table
                    self.assertEqual(table.records(), records)

    def test_a_delimiter_of_several_bytes_is_read_carefully(self) -> None:
        """One character is one character."""
        self.assertEqual(
            read("a¦b\n1¦2\n".encode(), delimiter="¦").table.records(), [("1", "2")]
        )

    def test_a_quote_far_down_is_noticed(self) -> None:
        """Fast reading begins as if there were no quotes, and begins again."""
        body = "x,y\n" * 400_000
        data = f'a,b\n{body}"p\nq",z\n'.encode()
        table = read(data).table
        self.assertEqual(len(table), 400_001)
        self.assertEqual(table.records(400_000), [("p\nq", "z")])


class CellsTest(unittest.TestCase):
    def test_cells_stay_as_they_are_to_the_character(self) -> None:
        """Zeros, exponents, spaces, long numbers, accents, quotes, line breaks."""
        cells = ("007", "1e5", " padded ", "12345678901234567890", "é", "a, b", "x\ny")
        line = '007,1e5, padded ,12345678901234567890,é,"a, b","x\ny"\n'
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                reading = read(("a,b,c,d,e,f,g\n" + line).encode(), careful=careful)
                self.assertEqual(reading.table.records(), [cells])

    def test_words_for_nothing_are_text(self) -> None:
        """Nothing is read as missing."""
        records = read(b"a,b\nNULL,NaN\nn/a,\n").table.records()
        self.assertEqual(records, [("NULL", "NaN"), ("n/a", "")])

    def test_line_ends_of_all_systems_end_records(self) -> None:
        """Also mixed."""
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                records = read(b"a,b\r\n1,2\r3,4\n5,6", careful=careful).table.records()
                self.assertEqual(records, [("1", "2"), ("3", "4"), ("5", "6")])


class RaggedTest(unittest.TestCase):
    def test_too_few_cells_are_filled_with_blanks(self) -> None:
        """And each such record is a finding."""
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                reading = read(b"a,b,c\n1,2,3\n4\n5,6,7\n", careful=careful)
                expected = [("1", "2", "3"), ("4", "", ""), ("5", "6", "7")]
                self.assertEqual(reading.table.records(), expected)
                (finding,) = reading.findings
                self.assertIs(finding.severity, Severity.WARN)
                self.assertEqual(finding.origin.record.tolist(), [2])

    def test_too_many_cells_set_the_record_aside_with_its_text(self) -> None:
        """The numbers of the records after it count it."""
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                reading = read(b'a,b\n1,2\n3,"4,",5\n6,7\n', careful=careful)
                self.assertEqual(reading.table.records(), [("1", "2"), ("6", "7")])
                self.assertEqual(reading.table.origin.record.tolist(), [1, 3])
                (aside,) = reading.aside
                self.assertEqual(aside.text, ('3,"4,",5',))
                self.assertEqual(aside.table.records(), [("3", "4,")])
                self.assertEqual(aside.table.origin.record.tolist(), [2])
                self.assertEqual(reading.source.records_in, 3)
                self.assertIn("1 record was set aside with more", reading.notes[0].what)
                self.assertIn("`delimiter`", reading.notes[0].remedy)

    def test_extra_cells_that_are_blank_are_left_out_and_counted(self) -> None:
        """The record stays."""
        reading = read(b"a,b\n1,2,, \n3,4\n")
        self.assertEqual(reading.table.records(), [("1", "2"), ("3", "4")])
        self.assertIn("1 record has more cells", reading.notes[0].what)

    def test_blank_records_at_the_end_are_dropped_and_gaps_kept(self) -> None:
        """A gap is part of the list; what trails is not."""
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                data = b"a,b\n1,2\n\n,\n3,4\n \n,\n\n"
                reading = read(data, careful=careful)
                expected = [("1", "2"), ("", ""), ("", ""), ("3", "4")]
                self.assertEqual(reading.table.records(), expected)
                self.assertEqual(reading.source.trailing_blank, 3)
                self.assertEqual(reading.source.records_in, 7)
                self.assertEqual(reading.findings, ())

    def test_many_blank_records_at_the_end_are_dropped(self) -> None:
        """Also more than are looked at in one go."""
        reading = read(b"a,b\n1,2\n" + b",\n" * 5000)
        self.assertEqual(len(reading.table), 1)
        self.assertEqual(reading.source.trailing_blank, 5000)


class HeadingTest(unittest.TestCase):
    def test_is_found_below_titles(self) -> None:
        """Titles are kept for the account."""
        data = b"Berth register;;\n\nBerth;Boat;Class\n1;Tern;A\n2;Seal;B\n"
        reading = read(data)
        self.assertEqual(reading.table.headings, ("Berth", "Boat", "Class"))
        self.assertEqual(reading.source.heading_row, 3)
        self.assertEqual(reading.source.titles, ("Berth register",))
        self.assertEqual(len(reading.table), 2)

    def test_can_be_pinned(self) -> None:
        """Rows above it are then titles, whatever they look like."""
        reading = read(b"x,y\na,b\n1,2\n", skip_rows=1)
        self.assertEqual(reading.table.headings, ("a", "b"))
        self.assertEqual(reading.source.titles, ("x,y",))

    def test_can_be_missing(self) -> None:
        """Fields are then numbered."""
        reading = read(b"1,2\n3,4\n", header_rows=0)
        self.assertEqual(reading.table.headings, ("field 1", "field 2"))
        self.assertEqual(reading.table.records(), [("1", "2"), ("3", "4")])

    def test_made_up_headings_are_said(self) -> None:
        """Blank and repeated ones."""
        reading = read(b"a,,a\n1,2,3\n")
        self.assertEqual(reading.table.headings, ("a", "field 2", "a (2)"))
        self.assertIn("'a (2)' for a second 'a'", reading.notes[0].what)

    def test_a_heading_without_records_is_an_empty_list(self) -> None:
        """Not an error."""
        for data in (b"a,b\n", b"a,b", b"a,b\n\n,\n"):
            with self.subTest(data=data):
                self.assertEqual(len(read(data).table), 0)

    def test_an_empty_row_pinned_as_heading_is_refused(self) -> None:
        """There would be no field; the row is named."""
        with self.assertRaises(UnreadableSource) as caught:
            read(b"title\n\na,b\n1,2\n", skip_rows=1)
        self.assertEqual(caught.exception.row, 2)

    def test_nothing_but_blank_rows_is_refused(self) -> None:
        """There is no list in it."""
        with self.assertRaisesRegex(UnreadableSource, "nothing but blank rows"):
            read(b"\n , \n")


class DelimiterTest(unittest.TestCase):
    def test_is_detected(self) -> None:
        """The one by which most rows have the same number of cells."""
        for delimiter in ",;\t|":
            rows = [["Boat", "Length", "Fee"], ["Tern", "7", "1"], ["A b", "8", "2"]]
            text = "\n".join(delimiter.join(row) for row in rows)
            with self.subTest(delimiter=delimiter):
                self.assertEqual(
                    read(text.encode()).source.written["delimiter"], delimiter
                )

    def test_decimal_commas_do_not_mislead(self) -> None:
        """Semicolons part more cells."""
        data = b"Boat;Length;Fee\nTern;7,5;1,20\nSeal;8,0;2,10\n"
        self.assertEqual(read(data).table.headings, ("Boat", "Length", "Fee"))

    def test_one_field_has_none(self) -> None:
        """Blank cells between the others stay."""
        self.assertEqual(
            read(b"Boat\nTern\n\nSeal\n").table.records(), [("Tern",), ("",), ("Seal",)]
        )

    def test_can_be_pinned_by_name(self) -> None:
        """A tab is hard to type."""
        self.assertEqual(
            read(b"a,b\tc\n1,2\t3\n", delimiter="tab").table.headings, ("a,b", "c")
        )

    def test_refuses_what_cannot_be_one(self) -> None:
        """Two characters, a quote, a line end."""
        for delimiter in (";;", '"', "\n", "", "\0"):
            with self.subTest(delimiter=delimiter), self.assertRaises(BadTerms):
                ReadingTerms(delimiter=delimiter)


class EncodingTest(unittest.TestCase):
    TEXT = "Boat,Keeper\nÉlodie,Ondée\nZoë,Åse\n"

    def test_is_detected(self) -> None:
        """By mark, by validity, else by likeness; a guess is said."""
        for codec, mark, name, guessed in (
            ("utf-8", b"", "utf-8", False),
            ("utf-8", b"\xef\xbb\xbf", "utf-8", False),
            ("utf-16-le", b"\xff\xfe", "utf-16-le", False),
            ("utf-16-be", b"\xfe\xff", "utf-16-be", False),
            ("utf-16-le", b"", "utf-16-le", True),
            ("utf-16-be", b"", "utf-16-be", True),
            ("cp1252", b"", "windows-1252", True),
        ):
            with self.subTest(codec=codec, mark=mark):
                reading = read(mark + self.TEXT.encode(codec))
                self.assertEqual(reading.table.records()[0], ("Élodie", "Ondée"))
                self.assertEqual(reading.source.written["encoding"], name)
                said = any("not UTF-8" in note.what for note in reading.notes)
                self.assertEqual(said, guessed)

    def test_can_be_pinned(self) -> None:
        """Then nothing is guessed."""
        reading = read(self.TEXT.encode("cp1252"), encoding="windows-1252")
        self.assertEqual(reading.table.records()[1], ("Zoë", "Åse"))
        self.assertEqual(reading.notes, ())

    def test_is_detected_far_down(self) -> None:
        """A first accent beyond the head of a list is no fault of the list."""
        data = b"a,b\n" + b"x,y\n" * 400_000 + "Zoë,z\n".encode("cp1252")
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                reading = read(data, careful=careful)
                self.assertEqual(reading.source.written["encoding"], "windows-1252")
                self.assertEqual(reading.table.records(400_000), [("Zoë", "z")])

    def test_a_wrong_pin_is_refused_with_the_place(self) -> None:
        """The line and the byte."""
        with self.assertRaises(UnreadableSource) as caught:
            read(b"a,b\n1,2\n\xe9,3\n", encoding="utf-8")
        self.assertEqual(caught.exception.line, 3)
        self.assertIn("byte E9", caught.exception.what)

    def test_an_unknown_encoding_is_refused(self) -> None:
        """With the nearest."""
        with self.assertRaises(BadTerms) as caught:
            read(b"a\n", encoding="utf8000")
        self.assertEqual(caught.exception.term, "encoding")

    def test_encodings_that_do_not_tell_the_place_are_refused_too(self) -> None:
        """Whatever codec is named, the list ends in a problem."""
        for encoding in ("utf-16", "idna", "punycode"):
            with self.subTest(encoding=encoding), self.assertRaises(UnreadableSource):
                read(b"a..b,\xff\n1,2-\t\xe9", encoding=encoding)

    def test_binary_files_are_refused_by_their_kind(self) -> None:
        """What it is, where that can be told."""
        for data, kind in (
            (b"PK\x03\x04" + bytes(50), "workbook"),
            (b"%PDF-1.7\n", "PDF"),
            (b"ab\x00\x01\x02" * 50, "of a program's own"),
        ):
            with (
                self.subTest(kind=kind),
                self.assertRaisesRegex(UnreadableSource, kind),
            ):
                read(data)


class OpenQuoteTest(unittest.TestCase):
    def test_is_refused_where_it_opens(self) -> None:
        """Not at the end of the list, and in both ways of reading."""
        for careful in BOTH_WAYS:
            for body, record, field in (
                ('1,2\n"3,4\n5,6\n', 2, "a"),
                ('1,2\n3,"4\n5,6', 2, "b"),
                ('1,"', 1, "b"),
                ('1,"2""', 1, "b"),
                ('1,"' + "x" * 100_000, 1, "b"),
            ):
                with self.subTest(careful=careful, body=body[:12]):
                    with self.assertRaises(UnreadableSource) as caught:
                        read(b"a,b\n" + body.encode(), careful=careful)
                    problem = caught.exception
                    self.assertEqual(
                        (problem.record, problem.row, problem.field),
                        (record, record + 1, field),
                    )

    def test_a_closed_one_at_the_end_is_fine(self) -> None:
        """Also empty, doubled, or followed by no line end."""
        for last in ('""', '"x"', '"x"""', '""""', '"x"\n', 'x"y'):
            with self.subTest(last=last):
                reading = read(b"a,b\n1,2\n3," + last.encode())
                self.assertEqual(len(reading.table), 2)

    def test_one_that_swallows_records_and_closes_again_is_pointed_out(self) -> None:
        """However the field counts come out; with the record where it opens."""
        for careful in BOTH_WAYS:
            for body, number in (
                ('1,"T,A\n2,S,B\n3,"G,C\n4,P,D\n', 1),
                ('1,T,A\n2,"S,B\n3,G" x,C\n4,P,D\n', 2),
                ('1,T,A\n2,S,"B\n3,G,C\n4,P,"D\n', 2),
                ('1,T,A\n2,S,B\n"3,G,C\n4,P"x,D\n', 3),
            ):
                with self.subTest(careful=careful, body=body):
                    reading = read(b"n,b,c\n" + body.encode(), careful=careful)
                    notes = [each.what for each in reading.notes]
                    place = [
                        each.origin.record.tolist()
                        for each in reading.notes
                        if "swallowed by a double quote" in each.what
                    ]
                    self.assertEqual(place, [[number]], notes)

    def test_a_cell_that_is_meant_to_hold_line_ends_is_not(self) -> None:
        """Neither a remark at the end nor an address with commas."""
        data = b'n,b,c\n1,T,"two\nlines"\n2,"a, b\nc, d\ne, f",x\n3,G,\n'
        self.assertEqual(read(data).notes, ())

    def test_a_list_without_quoting_keeps_its_quotes(self) -> None:
        """A quote is then a character like any other, in both ways of reading."""
        data = b'n,b\n1,"Tern\n2,Seal\n3,"Gull"\n4,x"y\n'
        expected = [("1", '"Tern'), ("2", "Seal"), ("3", '"Gull"'), ("4", 'x"y')]
        for careful in BOTH_WAYS:
            with self.subTest(careful=careful):
                reading = read(data, careful=careful, quote="none")
                self.assertEqual(reading.table.records(), expected)
                self.assertEqual(reading.notes, ())

    def test_in_the_heading_is_refused(self) -> None:
        """It would swallow the whole list."""
        with self.assertRaisesRegex(UnreadableSource, "never closed"):
            read(b'a,"b\n1,2\n', skip_rows=0)
