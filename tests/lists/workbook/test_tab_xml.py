"""Tests of what is looked for in the XML of a tab, beside what the library reads."""

import io
import unittest
import zipfile

import xlsxwriter

from gruff_ledger.lists.source import open_bytes
from gruff_ledger.lists.workbook.package_parts import Parts
from gruff_ledger.lists.workbook.tab_xml import (
    MANY_DIGITS,
    NEGATIVE_DATE,
    OVER_A_DAY,
    Look,
    look_at_xlsx,
)
from gruff_ledger.lists.workbook.xlsx_package import xlsx_package


def look(write) -> Look:
    """Look at the first tab of a workbook that a function writes into."""
    sink = io.BytesIO()
    book = xlsxwriter.Workbook(sink, {"in_memory": True})
    write(book, book.add_worksheet("East"))
    book.close()
    opened = open_bytes(sink.getvalue(), name="book", address="book.xlsx")
    with zipfile.ZipFile(io.BytesIO(sink.getvalue())) as archive:
        package = xlsx_package(opened, Parts(opened, archive))
        return look_at_xlsx(opened, package, archive.read("xl/worksheets/sheet1.xml"))


class LookTest(unittest.TestCase):
    def test_leading_zeros_and_percents_of_formats(self) -> None:
        def write(book, tab) -> None:
            tab.write_number("A1", 7, book.add_format({"num_format": "0000"}))
            tab.write_number("B2", 0.5, book.add_format({"num_format": "0%"}))

        found = look(write)
        self.assertEqual((found.padded, found.percent), ({(1, 1): 4}, [(2, 2)]))

    def test_times_that_cannot_be(self) -> None:
        def write(book, tab) -> None:
            tab.write_number("A1", -1, book.add_format({"num_format": "yyyy-mm-dd"}))
            tab.write_number("A2", 1.5, book.add_format({"num_format": "hh:mm"}))

        found = look(write)
        self.assertEqual(found.odd[NEGATIVE_DATE], {(1, 1): "-1"})
        self.assertEqual(list(found.odd[OVER_A_DAY]), [(2, 1)])

    def test_errors_and_hidden_rows_and_columns(self) -> None:
        def write(_, tab) -> None:
            tab.write_formula("A1", "=1/0", None, "#DIV/0!")
            tab.set_row(2, None, None, {"hidden": True})
            tab.write("A3", "x")
            tab.set_column("B:C", None, None, {"hidden": True})

        found = look(write)
        self.assertEqual(found.errors, {(1, 1): "#DIV/0!"})
        self.assertEqual((found.hidden_rows, found.hidden_cols), ([3], [2, 3]))

    def test_numbers_beyond_what_is_kept(self) -> None:
        def write(_, tab) -> None:
            tab.write_number("A1", 12345678901234567)

        self.assertEqual(list(look(write).odd[MANY_DIGITS]), [(1, 1)])


if __name__ == "__main__":
    unittest.main()
