"""Tests of what is looked for in the XML of ODS workbooks before they are read."""

import hashlib
import io
import unittest
import warnings
import zipfile

from gruff_ledger.problems import UnreadableSource
from tests.lists.books import book_as_ods, by_odfpy, rewrite_member
from tests.lists.workbook.test_read import notes, read

CALCEXT = b'xmlns:calcext="urn:org:documentfoundation:names:experimental:calc"'


class OdsTest(unittest.TestCase):
    """What stands in the XML of an ODS workbook, as office programs write it."""

    def data(self, rows: str) -> bytes:
        plain = zipfile.ZipFile(io.BytesIO(by_odfpy([["boat", "berth"], ["A", "1"]])))
        sink = io.BytesIO()
        with zipfile.ZipFile(sink, "w") as archive:
            for name in plain.namelist():
                member = plain.read(name)
                if name == "content.xml":
                    member = member.replace(
                        b"</table:table>", rows.encode() + b"</table:table>"
                    )
                archive.writestr(name, member)
        return sink.getvalue()

    CELL = (
        '<table:table-cell office:value-type="string"><text:p>x</text:p>'
        "</table:table-cell>"
    )
    END = "</table:table-row>"

    def test_repeated_empty_cells_at_the_end_are_nothing(self) -> None:
        row = (
            '<table:table-row table:number-rows-repeated="1048573">'
            '<table:table-cell table:number-columns-repeated="16384"/>' + self.END
        )
        self.assertEqual(read(self.data(row)).table.records(), [("A", "1")])

    def test_repeated_records_are_records(self) -> None:
        row = f'<table:table-row table:number-rows-repeated="3">{self.CELL}{self.END}'
        self.assertEqual(len(read(self.data(row)).table), 4)

    def test_repeats_beyond_all_measure_are_refused(self) -> None:
        many = self.CELL.replace(" ", ' table:number-columns-repeated="16384" ', 1)
        for row in (
            f'<table:table-row table:number-rows-repeated="1048573">{many}{self.END}',
            '<table:table-row table:number-rows-repeated="1048573"><table:table-cell '
            'table:number-columns-repeated="16383"/></table:table-row>'
            '<table:table-row><table:table-cell table:number-columns-repeated="16383"/>'
            f"{self.CELL}{self.END}",
        ):
            with self.subTest(row=row[:60]), self.assertRaises(UnreadableSource) as it:
                read(self.data(row))
            self.assertIn("more than can be held", it.exception.what)

    def test_groups_of_rows_and_columns_are_no_rows_and_columns(self) -> None:
        """What stands in them is found where it is."""
        row = (
            '<table:table-row-group table:display="true">'
            f"<table:table-row>{self.CELL}{self.CELL}{self.END}"
            '<table:table-row table:visibility="collapse">'
            f'{self.CELL}<table:table-cell calcext:value-type="error" '
            'office:value-type="string"><text:p>#N/A</text:p></table:table-cell>'
            f"{self.END}</table:table-row-group>"
        )
        reading = read(
            rewrite_member(
                self.data(row),
                "content.xml",
                (b"<office:document-content", b"<office:document-content " + CALCEXT),
            )
        )
        (found,) = reading.findings
        self.assertEqual(found.rule, "error in the workbook")
        self.assertEqual(found.origin.record.tolist(), [3])
        self.assertEqual(reading.table.records()[2], ("x", "#N/A"))
        self.assertIn("1 record is in hidden rows", notes(reading))

    def test_xml_laid_out_for_people_is_read_alike(self) -> None:
        """With line ends and spaces between its elements, and the file's own hash."""
        plain = book_as_ods()
        with zipfile.ZipFile(io.BytesIO(plain)) as archive:
            xml = archive.read("content.xml")
        spread = xml.replace(b"><table:", b">\n   <table:").replace(
            b"><text:p>", b">\n  <text:p>"
        )
        laid_out = rewrite_member(plain, "content.xml", (xml, spread))
        reading = read(laid_out)
        self.assertEqual(reading.table.records(), read(plain).table.records())
        self.assertEqual(reading.source.sha256(), hashlib.sha256(laid_out).hexdigest())

    def test_a_leap_second_is_no_warning_of_pythons(self) -> None:
        cell = (
            '<table:table-cell office:value-type="date" '
            'office:date-value="2016-12-31T23:59:60"/>'
        )
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            reading = read(self.data(f"<table:table-row>{cell}{self.END}"))
        self.assertEqual(reading.table.records()[1][0], "2016-12-31T23:59:59")

    def test_hidden_rows_are_said(self) -> None:
        row = f'<table:table-row table:visibility="collapse">{self.CELL}{self.END}'
        self.assertIn("1 record is in hidden rows", notes(read(self.data(row))))


if __name__ == "__main__":
    unittest.main()
