"""Tests of workbooks that ask for more than any list needs."""

import io
import random
import tracemalloc
import unittest
import zipfile

from gruff_ledger.lists.address import Fragment
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.lists.workbook.ods.tags import tags_in, widest_row
from gruff_ledger.lists.workbook.read import read_workbook, workbook_parts
from gruff_ledger.lists.workbook.tab_sizes import (
    _parse_extent,
    _stands_for_itself,
    check_ods,
    check_xlsx_tab,
    column_number,
)
from gruff_ledger.problems import UnreadableSource
from tests.lists.books import by_odfpy, rewrite_member
from tests.lists.workbook.test_read import by_openpyxl, saved

ROWS = [["Berth", "Dues"], ["N-1", 12], ["N-2", 7.5]]
OPENED = open_bytes(b"x", name="book", address="book.xlsx")
SHEET = "xl/worksheets/sheet1.xml"
LAST = b'<c r="B3"'


def read(data: bytes) -> list[tuple[str, ...]]:
    """Return the records of the first tab of a workbook."""
    opened = open_bytes(data, name="book", address="book")
    return read_workbook(opened, ReadingTerms(), Fragment()).table.records()


class FarCellTest(unittest.TestCase):
    """One cell in the last corner, however its place is written."""

    def test_a_far_cell_is_refused_and_one_that_is_near_is_read(self) -> None:
        book = saved(by_openpyxl(ROWS))
        for written in (
            b'<c r="%s"',
            b'<c r = "%s"',
            b"<c r='%s'",
            b'<c\nr="%s"',
            b'<c\t\tr\r\n=\n"%s"',
            b'<c s="0" r="%s"',
            b'<c r="&#x%x;%s"',
        ):
            for far, near in ((b"XFD1048576", b"B3"), (b"xfd1048576", b"b3")):
                with self.subTest(written=written, far=far):
                    if b"%x" in written:
                        far_, near_ = (
                            written % (each[0], each[1:]) for each in (far, near)
                        )
                    else:
                        far_, near_ = written % far, written % near
                    with self.assertRaisesRegex(UnreadableSource, "span 1048576 rows"):
                        read(rewrite_member(book, SHEET, (LAST, far_)))
                    if b"&" not in written:
                        records = read(rewrite_member(book, SHEET, (LAST, near_)))
                        self.assertEqual(records[-1], ("N-2", "7.5"))

    def test_a_tag_with_two_places_is_refused(self) -> None:
        """It is no XML; the library takes one of them."""
        book = saved(by_openpyxl(ROWS))
        for tag in (
            b'<c r="B3"r="XFD1048576"',
            b'<c r="B3" s="0"r="XFD1048576"',
            b'<c r="B3" r="XFD1048576"',
        ):
            with (
                self.subTest(tag=tag),
                self.assertRaisesRegex(UnreadableSource, "damaged"),
            ):
                read(rewrite_member(book, SHEET, (LAST, tag)))

    def test_cells_of_another_prefix_are_seen(self) -> None:
        """Those before what looks like the only rows, too."""
        book = saved(by_openpyxl(ROWS))
        far = b'<x:sheetData xmlns:x="y"><row><c r = "XFD1048576"/></row></x:sheetData>'
        with self.assertRaises(UnreadableSource):
            read(rewrite_member(book, SHEET, (b"<sheetData>", far + b"<sheetData>")))

    def test_a_far_row_counts_for_cells_without_a_place(self) -> None:
        book = saved(by_openpyxl(ROWS))
        far = (b'<row r="3">', b'<row r="99999999">')
        no_place = [(b'<c r="%s3"' % each, b"<c") for each in (b"A", b"B")]
        with self.assertRaisesRegex(UnreadableSource, "span 99999999 rows"):
            read(rewrite_member(book, SHEET, far, *no_place))

    def test_a_column_that_no_tab_has_is_refused(self) -> None:
        """However few rows there are."""
        for far in (b"XFE1", b"ZZZ1", b"NAKA1", b"A1048577"):
            xml = b'<sheetData><row r="1"><c r="%s"/></row></sheetData>' % far
            with self.subTest(far=far), self.assertRaises(UnreadableSource):
                check_xlsx_tab(OPENED, xml)

    def test_rows_that_are_not_in_order_are_refused(self) -> None:
        """The library would lose cells, or count rows backwards and end the program."""
        for rows in (
            b'<row r="2"><c r="A2"/></row><row r="1"><c r="A1"/></row>',
            b'<row r="5"><c r="A5"/></row><row r="6"><c r="A4"/></row>',
            b'<row r="1"><c r="A1"/><c r="B3"/></row><row r="2"><c r="A2"/></row>',
            b'<row r="2"><c r="A2"/></row><row><c r = "A1"/></row>',
            b'<row r="1"><c r="A1"/></row><row r="1"><c r="A1"/><c r="A0"/></row>',
        ):
            xml = b"<sheetData>" + rows + b"</sheetData>"
            with self.subTest(rows=rows), self.assertRaises(UnreadableSource):
                check_xlsx_tab(OPENED, xml)

    def test_a_tab_is_found_by_any_case_of_its_name(self) -> None:
        """What is checked is what is read."""
        book = saved(by_openpyxl(ROWS))
        links = "xl/_rels/workbook.xml.rels"
        other = rewrite_member(
            book, links, (b"worksheets/sheet1", b"WorkSheets/Sheet1")
        )
        self.assertEqual(read(other)[0], ("N-1", "12"))
        far = rewrite_member(other, SHEET, (LAST, b'<c r="XFD1048576"'))
        with self.assertRaisesRegex(UnreadableSource, "span 1048576 rows"):
            read(far)

    def test_a_part_that_is_there_twice_is_refused(self) -> None:
        """Nobody knows which of them another program would read."""
        book = saved(by_openpyxl(ROWS))
        for name in (SHEET, SHEET.upper(), "xl/sharedStrings.xml"):
            sink = io.BytesIO(book)
            with zipfile.ZipFile(sink, "a") as archive:
                archive.writestr(name, b"<worksheet/>")
                if name.startswith("xl/shared"):
                    archive.writestr(name.swapcase(), b"<sst/>")
            with (
                self.subTest(name=name),
                self.assertRaisesRegex(UnreadableSource, "damaged"),
            ):
                read(sink.getvalue())

    def test_a_cell_at_the_end_of_a_tab_is_no_harm(self) -> None:
        """As one that was left over far below the list."""
        rows = b'<row r="1"><c r="A1"/></row><row r="1048576"><c r="H1048576"/></row>'
        xml = b"<sheetData>" + rows + b"</sheetData>"
        self.assertEqual(check_xlsx_tab(OPENED, xml), 8 * 1_048_576)

    def test_plain_and_parsed_extents_agree(self) -> None:
        """The quick look never gives less than a parse."""
        chance = random.Random(3)
        for _ in range(200):
            numbers = sorted({chance.choice((1, 9, 10, 99, 5000)) for _ in range(5)})
            cells = b"".join(
                b'<row r="%d">%s</row>'
                % (
                    row,
                    b"".join(
                        b'<c r="%s%d" s="1"><v>1</v></c>'
                        % (
                            chance.choice((b"A", b"Z", b"AA", b"XFD")),
                            chance.choice((row, row, row, row + 1, 123456)),
                        )
                        for _ in range(chance.randrange(4))
                    ),
                )
                for row in numbers
            )
            xml = b"<worksheet><sheetData>" + cells + b"</sheetData></worksheet>"
            with self.subTest(xml=xml):
                try:
                    rows, columns, filled = _parse_extent(OPENED, xml)
                except UnreadableSource:
                    # Rows that are not in order, which the quick look sees in part.
                    continue
                if rows * columns > max(1 << 24, 16 * filled):
                    with self.assertRaises(UnreadableSource):
                        check_xlsx_tab(OPENED, xml)
                else:
                    cells = check_xlsx_tab(OPENED, xml)
                    self.assertGreaterEqual(cells, rows * columns)


class PartsTest(unittest.TestCase):
    """Sizes of what lies beside the cells."""

    def test_texts_without_end_are_refused(self) -> None:
        book = saved(by_openpyxl(ROWS))
        sink = io.BytesIO(book)
        empty = b"<sst>" + b"<si/>" * (17 << 20) + b"</sst>"
        with zipfile.ZipFile(sink, "a", zipfile.ZIP_DEFLATED) as archive:
            names = archive.namelist()
            self.assertNotIn("xl/sharedStrings.xml", names)
            archive.writestr("xl/sharedStrings.xml", empty)
        with self.assertRaises(UnreadableSource):
            read(sink.getvalue())

    def test_declarations_are_refused(self) -> None:
        """They could stand for anything, many times over."""
        bomb = b'<!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;">]>'
        book = saved(by_openpyxl(ROWS))
        for name in (SHEET, "xl/workbook.xml", "xl/styles.xml"):
            start = zipfile.ZipFile(io.BytesIO(book)).read(name)[:10]
            with (
                self.subTest(name=name),
                self.assertRaisesRegex(UnreadableSource, "damaged"),
            ):
                read(rewrite_member(book, name, (start, bomb + start)))

    def test_xml_of_two_bytes_a_letter_is_refused(self) -> None:
        """The quick look would see nothing in it."""
        far = '<worksheet><sheetData><row><c r="XFD1048576"/></row></sheetData>'
        for encoding in ("utf-16", "utf-16-le", "utf-16-be"):
            with self.subTest(encoding), self.assertRaises(UnreadableSource):
                check_xlsx_tab(OPENED, (far + "</worksheet>").encode(encoding))


class OdsTest(unittest.TestCase):
    """The same for the other kind of workbook."""

    def refused(self, old: bytes, new: bytes) -> str:
        """Return why a workbook with something replaced is refused."""
        with self.assertRaises(UnreadableSource) as caught:
            read(rewrite_member(by_odfpy(ROWS), "content.xml", (old, new)))
        return caught.exception.paragraph()

    def test_repeats_and_spaces_are_counted_as_parsed(self) -> None:
        cell = b'<table:table-cell office:value-type="string"'
        for more in (
            b' table:number-columns-repeated="99999999"',
            b" table:number-columns-repeated = '99999999'",
            b'\ntable:number-columns-repeated\n=\n"99999999"',
            b' table:number-columns-repeated="&#57;9999999"',
        ):
            with self.subTest(more=more):
                self.assertIn("span", self.refused(cell, cell + more))
        row = b"<table:table-row>"
        many = b'<table:table-row table:number-rows-repeated="99999999">'
        self.assertIn("span", self.refused(row, many))
        for spaces in (b'text:c="2000000000"', b"text:c = '2000000000'"):
            text = b"<text:p>N-1"
            said = self.refused(text, text + b"<text:s " + spaces + b"/>")
            self.assertIn("repeated texts", said)
        long = b"<text:p>" + b"x" * 10_000
        said = self.refused(
            cell + b"><text:p>N-1",
            cell + b' table:number-columns-repeated="16000">' + long,
        )
        self.assertIn("repeated texts", said)

    def test_xml_that_ends_too_soon_is_refused(self) -> None:
        """The library would look for its end for ever."""
        xml = zipfile.ZipFile(io.BytesIO(by_odfpy(ROWS))).read("content.xml")
        chance = random.Random(5)
        for end in [len(xml) - 1, *(chance.randrange(len(xml)) for _ in range(40))]:
            with self.subTest(end=end), self.assertRaises(UnreadableSource):
                check_ods(OPENED, xml[:end], 0)

    def test_cells_that_stand_for_no_others_are_counted_by_their_tags(self) -> None:
        """They are parsed one by one only where that could matter."""
        row = b"<table:table-row><table:table-cell/><table:table-cell/>"
        row += b"</table:table-row>"
        small = b"<office:x><table:table>" + row * 9 + b"</table:table></office:x>"
        tags = tags_in(small)
        self.assertEqual((len(tags.rows), widest_row(tags)), (9, 2))
        self.assertTrue(_stands_for_itself(small))
        for mark in (
            b'<table:table-cell table:number-columns-repeated="2"/>',
            b'<text:s text:c="99999999"/>',
            b"<text:s text:c='2'/>",
        ):
            with self.subTest(mark):
                self.assertFalse(_stands_for_itself(small.replace(row, mark, 1)))
        check_ods(OPENED, small, 18)
        with self.assertRaisesRegex(UnreadableSource, "damaged"):
            check_ods(OPENED, small.replace(b"</table:table>", b""), 18)

    def test_nothing_large_is_held_meanwhile(self) -> None:
        """Of a small file that says it is large."""
        cell = b'<table:table-cell office:value-type="string"'
        many = cell + b' table:number-columns-repeated="16777216"'
        data = rewrite_member(by_odfpy(ROWS), "content.xml", (cell, many))
        tracemalloc.start()
        try:
            with self.assertRaises(UnreadableSource):
                read(data)
            self.assertLess(tracemalloc.get_traced_memory()[1], 20_000_000)
        finally:
            tracemalloc.stop()


class SeveralTabsTest(unittest.TestCase):
    def test_tabs_that_are_wanted_are_loaded_together(self) -> None:
        """Names, order and dates are those of the workbook."""
        book = by_openpyxl(ROWS)
        for name in ("Ünï & <Co>", "June"):
            book.create_sheet(name).append([name, "x"])
            book[name].append(["1", "2"])
        opened = open_bytes(saved(book), name="book", address="book")
        parts, _ = workbook_parts(opened, Fragment(sheet="*"))
        self.assertEqual([name for name, _ in parts], ["May", "Ünï & <Co>", "June"])
        for name, fragment in parts[1:]:
            reading = read_workbook(opened, ReadingTerms(), fragment)
            self.assertEqual(reading.table.headings, (name, "x"))


class ColumnNumberTest(unittest.TestCase):
    def test_letters_are_digits_to_the_base_of_26(self) -> None:
        for letters, number in (("A", 1), ("Z", 26), ("AA", 27), ("XFD", 16384)):
            self.assertEqual(column_number(letters), number)


if __name__ == "__main__":
    unittest.main()
