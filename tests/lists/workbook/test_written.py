"""Workbooks as they are written: read by two other libraries, the same each time."""

import datetime
import io
import unittest
import zipfile
from unittest import mock
from xml.etree import ElementTree

import openpyxl
from hypothesis import given
from hypothesis import strategies as st
from odf import teletype
from odf.office import Annotation
from odf.opendocument import load
from odf.style import Style, TableCellProperties
from odf.table import Table as OdfTable
from odf.table import TableCell, TableRow
from python_calamine import CalamineWorkbook

from gruff_ledger.lists.joined_rows import JOINED_RECORDS
from gruff_ledger.lists.output import Output, WritingTerms
from gruff_ledger.lists.workbook import tab_limits
from gruff_ledger.lists.workbook.ods.rows import paragraphs
from gruff_ledger.lists.workbook.ods.write import write_ods
from gruff_ledger.lists.workbook.streamed import may_be_large, write_parts
from gruff_ledger.lists.workbook.write_xlsx import write_workbook
from gruff_ledger.lists.workbook.xlsx_rows import escape
from gruff_ledger.outcome import Finding, Severity
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.table import Table
from tests.support import FolderTest, table

BERTHS = table(
    "Berth|Boat|Dues|Paid",
    "007|Tern & Auk|12.50|2026-05-01",
    "N-1| two  blanks |x|2026-05-32",
    "N-2||-3|",
    "N-3|<b>\tx\n2nd|150.00|1900-02-28",
    name="Berths",
)


def finding(record: int, field: str | None = "Dues") -> Finding:
    """Return a finding on a record of the berths."""
    place = slice(record, record + 1)
    column = BERTHS.cells(field or "Boat").slice(record, 1)
    origin = BERTHS.origin.pick(place)
    return Finding(
        "Dues is a number", Severity.WARN, "Dues is no sum.", field, origin, column
    )


def xlsx(*parts: tuple[str, Table], **said: object) -> bytes:
    """Write lists as XLSX."""
    sink = io.BytesIO()
    write_workbook(Output(parts, **said), sink)
    return sink.getvalue()


def ods(*parts: tuple[str, Table], **said: object) -> bytes:
    """Write lists as ODS."""
    sink = io.BytesIO()
    write_ods(Output(parts, **said), sink)
    return sink.getvalue()


class XlsxTest(unittest.TestCase):
    def test_values_and_formats(self) -> None:
        """By openpyxl: texts, numbers that show their decimals, days, nothing."""
        (sheet,) = openpyxl.load_workbook(io.BytesIO(xlsx(("Berths", BERTHS))))
        self.assertEqual(
            list(sheet.iter_rows(values_only=True)),
            [
                ("Berth", "Boat", "Dues", "Paid"),
                ("007", "Tern & Auk", 12.5, datetime.datetime(2026, 5, 1)),
                ("N-1", " two  blanks ", "x", "2026-05-32"),
                ("N-2", None, -3, None),
                ("N-3", "<b>\tx\n2nd", 150, "1900-02-28"),
            ],
        )
        formats = [sheet[place].number_format for place in ("A2", "C2", "C4", "C5")]
        self.assertEqual(formats, ["@", "0.00", "0", "0.00"])
        self.assertEqual(sheet["D2"].number_format, "yyyy-mm-dd")
        self.assertEqual((sheet.freeze_panes, sheet.dimensions), ("A2", "A1:D5"))
        self.assertEqual(sheet.auto_filter.ref, "A1:D5")
        self.assertTrue(sheet["A1"].font.bold)

    def test_the_other_library(self) -> None:
        """By calamine, which finds the same."""
        data = io.BytesIO(xlsx(("Berths", BERTHS)))
        rows = CalamineWorkbook.from_filelike(data).get_sheet_by_index(0).to_python()
        self.assertEqual(
            rows[1], ["007", "Tern & Auk", 12.5, datetime.date(2026, 5, 1)]
        )
        self.assertEqual(rows[4][:3], ["N-3", "<b>\tx\n2nd", 150])

    def test_findings(self) -> None:
        """Coloured, also where nothing stands; with a note; and listed."""
        found = [finding(1), finding(2), finding(0, None)]
        book = openpyxl.load_workbook(
            io.BytesIO(
                xlsx(("Berths", BERTHS), findings=found, source_names=["the list"])
            )
        )
        sheet, listed = book
        self.assertEqual(listed.title, "Findings")
        for place in ("C3", "C4", "A2"):
            self.assertEqual(sheet[place].fill.fgColor.rgb, "FFFBE3A4", place)
            self.assertIn("Dues is no sum.", sheet[place].comment.text)
        self.assertEqual(sheet["C4"].value, -3)
        self.assertIsNone(sheet["D3"].fill.fill_type)
        rows = list(listed.iter_rows(values_only=True))
        self.assertEqual(rows[0][:4], ("tab", "row", "field", "value"))
        self.assertEqual([row[1] for row in rows[1:]], [2, 3, 4])
        self.assertEqual(rows[2][:4], ("Berths", 3, "Dues", "x"))

    def test_several_tabs_and_empty_lists(self) -> None:
        none = table("A|B")
        book = openpyxl.load_workbook(
            io.BytesIO(xlsx(("One", none), ("Two & <3>", BERTHS), ("Three", none)))
        )
        self.assertEqual(book.sheetnames, ["One", "Two & <3>", "Three"])
        self.assertEqual(list(book["One"].values), [("A", "B")])
        self.assertEqual(book["Two & <3>"]["A2"].value, "007")

    def test_detail_is_on_a_level_of_its_own(self) -> None:
        import msgspec

        made = msgspec.structs.replace(BERTHS, beneath="Boat")
        (sheet,) = openpyxl.load_workbook(io.BytesIO(xlsx(("Berths", made))))
        levels = [sheet.row_dimensions[row].outlineLevel for row in range(2, 6)]
        self.assertEqual(levels, [1, 1, 0, 1])

    def test_the_same_list_gives_the_same_bytes(self) -> None:
        for write in (xlsx, ods):
            with self.subTest(write):
                one, other = (write(("Berths", BERTHS)) for _ in range(2))
                self.assertEqual(one, other)
                with zipfile.ZipFile(io.BytesIO(one)) as book:
                    dates = {each.date_time[0] for each in book.infolist()}
                    self.assertEqual(dates, {1980})
                    for each in book.namelist():
                        if each.endswith(".xml"):
                            ElementTree.fromstring(book.read(each))

    @given(st.text(max_size=20))
    def test_escapes(self, text: str) -> None:
        """Law: what stands in the XML means the text, by the rules of the standard."""
        text = text.replace("\ufffe", "").replace("\uffff", "")
        xml = f"<t>{escape(text)}</t>".encode("utf-8", "surrogatepass")
        try:
            read = ElementTree.fromstring(xml).text or ""
        except ElementTree.ParseError:
            # Half a character, which no list holds.
            return
        from openpyxl.utils.escape import unescape

        self.assertEqual(unescape(read), text)

    def test_rows_beyond_one_batch(self) -> None:
        """Numbers of rows go on, and so do marks."""
        n = JOINED_RECORDS + 3
        made = Table.of_records(["A", "B"], [(str(k), f"b{k}") for k in range(n)])
        sheet = openpyxl.load_workbook(io.BytesIO(xlsx(("x", made))), read_only=True)
        rows = list(sheet["x"].values)
        self.assertEqual(rows[-1], (n - 1, f"b{n - 1}"))
        self.assertEqual(len(rows), n + 1)
        read = CalamineWorkbook.from_filelike(io.BytesIO(ods(("x", made))))
        rows = read.get_sheet_by_index(0).to_python()
        self.assertEqual(rows[-1], [n - 1, f"b{n - 1}"])


class OdsTest(unittest.TestCase):
    def cells(self, data: bytes) -> list[list[TableCell]]:
        """Return the cells of the first tab, by odfpy."""
        self.book = load(io.BytesIO(data))
        self.tabs = self.book.spreadsheet.getElementsByType(OdfTable)
        rows = self.tabs[0].getElementsByType(TableRow)
        return [row.getElementsByType(TableCell) for row in rows]

    def test_values(self) -> None:
        """By odfpy: types, values as they are written, and what is shown."""
        rows = self.cells(ods(("Berths", BERTHS)))
        first = rows[1]
        self.assertEqual(
            [cell.getAttribute("valuetype") for cell in first],
            ["string", "string", "float", "date"],
        )
        self.assertEqual(first[2].getAttribute("value"), "12.50")
        self.assertEqual(first[3].getAttribute("datevalue"), "2026-05-01")
        shown = [[teletype.extractText(cell) for cell in row] for row in rows]
        self.assertEqual(shown[0], ["Berth", "Boat", "Dues", "Paid"])
        self.assertEqual(shown[1], ["007", "Tern & Auk", "12.50", "2026-05-01"])
        self.assertEqual(shown[2][1], " two  blanks ")
        self.assertEqual(shown[3], ["N-2", "", "-3", ""])

    def test_the_other_library(self) -> None:
        data = io.BytesIO(ods(("Berths", BERTHS), ("Two", BERTHS)))
        book = CalamineWorkbook.from_filelike(data)
        self.assertEqual(book.sheet_names, ["Berths", "Two"])
        rows = book.get_sheet_by_index(1).to_python()
        self.assertEqual(
            rows[1], ["007", "Tern & Auk", 12.5, datetime.date(2026, 5, 1)]
        )
        self.assertEqual(rows[3][2], -3)

    def test_findings(self) -> None:
        """Coloured, also where nothing stands; with a note; and listed."""
        found = [finding(1), finding(2), finding(0, None)]
        rows = self.cells(
            ods(("Berths", BERTHS), findings=found, source_names=["the list"])
        )
        fills = {
            style.getAttribute("name"): properties.getAttribute("backgroundcolor")
            for style in self.book.automaticstyles.getElementsByType(Style)
            for properties in style.getElementsByType(TableCellProperties)
        }
        for cell in (rows[2][2], rows[3][2], rows[1][0]):
            self.assertEqual(fills[cell.getAttribute("stylename")], "#FBE3A4")
            (note,) = cell.getElementsByType(Annotation)
            self.assertIn("Dues is no sum.", teletype.extractText(note))
        self.assertEqual([tab.getAttribute("name") for tab in self.tabs][1], "Findings")
        listed = self.tabs[1].getElementsByType(TableRow)
        cells = listed[2].getElementsByType(TableCell)
        told = [teletype.extractText(cell) for cell in cells]
        self.assertEqual(told[:4], ["Berths", "3", "Dues", "x"])

    def test_the_heading_is_frozen_and_detail_is_grouped(self) -> None:
        import msgspec

        made = msgspec.structs.replace(BERTHS, beneath="Boat")
        data = ods(("It's", made))
        with zipfile.ZipFile(io.BytesIO(data)) as book:
            self.assertEqual(book.namelist()[0], "mimetype")
            settings, content = book.read("settings.xml"), book.read("content.xml")
        self.assertIn(b'"VerticalSplitPosition" config:type="int">1<', settings)
        self.assertIn(b"'It''s'.A1:'It''s'.D5", content)
        groups = content.split(b"<table:table-row-group>")[1:]
        sizes = [
            each.split(b"</table:table-row-group>")[0].count(b"<table:table-row>")
            for each in groups
        ]
        self.assertEqual(sizes, [2, 1])
        self.assertEqual(content.count(b"</table:table-row-group>"), 2)

    def test_white_space(self) -> None:
        self.assertEqual(
            paragraphs(" a\tb\r\nc  d "),
            '<text:s text:c="1"/>a<text:tab/>b</text:p><text:p>c '
            '<text:s text:c="1"/>d<text:s text:c="1"/>',
        )


class PartsTest(unittest.TestCase):
    def test_large_parts_are_told_so(self) -> None:
        self.assertFalse(may_be_large(10_000_000, 800_000))
        self.assertTrue(may_be_large(400_000_000, 0))
        self.assertTrue(may_be_large(0, 16_000_000))
        sink = io.BytesIO()
        write_parts(
            sink, [("mimetype", [b"x"]), ("a.xml", [b"y", b"z"])], {"a.xml": True}
        )
        with zipfile.ZipFile(sink) as book:
            self.assertEqual(book.read("a.xml"), b"yz")
            self.assertEqual(book.getinfo("mimetype").compress_type, 0)


class FurtherTabsTest(unittest.TestCase):
    def test_a_list_goes_on_in_further_tabs(self) -> None:
        """Each with the headings; findings stand where their records do."""
        terms = WritingTerms(further_tabs=True)
        parts = (("Berths", BERTHS), ("Berths 2", table("A", "1")))
        found = [finding(3)]
        for write in (xlsx, ods):
            with (
                self.subTest(write),
                mock.patch.object(tab_limits, "MOST_ROWS", 3),
            ):
                data = write(*parts, terms=terms, findings=found)
            book = CalamineWorkbook.from_filelike(io.BytesIO(data))
            names = ["Berths", "Berths 3", "Berths 2", "Findings"]
            self.assertEqual(book.sheet_names, names)
            rows = [book.get_sheet_by_name(name).to_python() for name in names]
            self.assertEqual([len(each) for each in rows], [3, 3, 2, 2])
            self.assertEqual(rows[1][0], ["Berth", "Boat", "Dues", "Paid"])
            self.assertEqual(rows[1][2][0], "N-3")
            self.assertEqual(rows[3][1][:2], ["Berths 3", 3])

    def test_unless_that_is_asked_for_it_is_refused(self) -> None:
        with (
            mock.patch.object(tab_limits, "MOST_ROWS", 3),
            self.assertRaisesRegex(UnwritableOutput, "further-tabs"),
        ):
            xlsx(("Berths", BERTHS))


class CommandTest(FolderTest):
    def test_both_say_the_same_of_a_list(self) -> None:
        """Flagged into either, and fed back."""
        self.write("a.csv", "Boat,Dues\nTern,12.50\nAuk,x\n")
        for ending in ("xlsx", "ods"):
            name = f"out.{ending}"
            self.gruff(
                "flag", "a.csv", "--minimum", "Dues=1", "--to", name, status=None
            )
            shown = self.gruff("show", name).stdout
            self.assertEqual(shown, (self.folder / "a.csv").read_bytes())
            told = self.gruff("show", f"{name}#sheet=Findings").stdout.decode()
            self.assertIn("out,3,Dues,x", told)
            self.gruff("show", "a.csv", "--to", f"tab.{ending}#sheet=Berths")
            shown = self.gruff("show", f"tab.{ending}#sheet=Berths").stdout
            self.assertEqual(shown, (self.folder / "a.csv").read_bytes())


if __name__ == "__main__":
    unittest.main()
