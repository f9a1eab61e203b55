"""Cells that are read without the library: the same as with it, whatever there is."""

import datetime
import io
import random
import unittest
import zipfile
from types import ModuleType
from unittest import mock

import openpyxl
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.styles import numbers as formats

from gruff_ledger.lists.address import WHOLE
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.lists.workbook.read import read_workbook
from gruff_ledger.lists.workbook.regular import cells
from gruff_ledger.lists.workbook.regular.cells import plain_styles, regular_cells
from gruff_ledger.lists.workbook.write_xlsx import write_workbook
from gruff_ledger.problems import Problem
from gruff_ledger.table import Table

LEAST = "_LEAST_CELLS"


def read(data: bytes) -> Reading:
    """Read the first tab of a workbook."""
    opened = open_bytes(data, name="book", address="book.xlsx")
    return read_workbook(opened, ReadingTerms(header_rows=0), WHOLE)


def told(
    data: bytes, least: int, room: ModuleType = cells, name: str = LEAST
) -> object:
    """Return all that a reading gives, or the problem, with so many cells at least."""
    with mock.patch.object(room, name, least):
        try:
            reading = read(data)
        except Problem as problem:
            return type(problem), problem.what
    kinds = {key: codes.tolist() for key, codes in reading.kinds.items()}
    found = [(each.rule, each.origin.record.tolist()) for each in reading.findings]
    notes = [note.what for note in reading.notes]
    return (
        *(reading.table.headings, reading.table.records(), kinds, found, notes),
        *(reading.source.heading_row, reading.source.titles),
    )


def by_openpyxl(rows: list[list[object]], inline: bool = False) -> bytes:
    """Write rows with formats of many kinds."""
    book = openpyxl.Workbook(write_only=inline)
    sheet = book.create_sheet("A") if inline else book.active
    for row in rows:
        sheet.append(row)
    if not inline:
        for number, row in enumerate(sheet.iter_rows()):
            for place, cell in enumerate(row):
                if isinstance(cell.value, int | float) and (number + place) % 3 == 0:
                    cell.number_format = FORMATS[(number + place) % len(FORMATS)]
    sink = io.BytesIO()
    book.save(sink)
    return sink.getvalue()


def by_xlsxwriter(rows: list[list[object]]) -> bytes:
    """Write rows with texts that cells share."""
    sink = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False}
    with xlsxwriter.Workbook(sink, {**options, "strings_to_urls": False}) as book:
        tab = book.add_worksheet()
        made = [book.add_format({"num_format": code}) for code in FORMATS]
        for number, row in enumerate(rows):
            for place, value in enumerate(row):
                form = made[(number + place) % len(made)]
                if isinstance(value, datetime.datetime):
                    tab.write_datetime(number, place, value, form)
                elif (number + place) % 3:
                    tab.write(number, place, value)
                else:
                    tab.write(number, place, value, form)
    return sink.getvalue()


FORMATS = (
    *("0000", "0.00", "0%", "yyyy-mm-dd", "hh:mm", "[h]:mm", "#,##0.00 €", "@"),
    *(formats.FORMAT_DATE_XLSX14, '"days" 0', "General", "0.00E+00"),
)

_TEXTS = st.one_of(
    st.text("abÄé漢 &<>'\"\t\n_x0041;", max_size=8),
    st.sampled_from(["_x0041_", "&amp;", " a ", "", "1", "TRUE", "a\r\nb"]),
)
_VALUES = st.one_of(
    st.none(),
    _TEXTS,
    st.integers(-(10**17), 10**17),
    st.floats(allow_nan=False, allow_infinity=False, width=32),
    st.decimals(-1000, 1000, places=2).map(float),
    st.booleans(),
    st.datetimes(datetime.datetime(1950, 1, 1), datetime.datetime(2050, 1, 1)),
    st.sampled_from(["=1+1", "=A1"]),
)


class SameTest(unittest.TestCase):
    """Law: read in either way, a workbook is the same."""

    def check(self, data: bytes) -> None:
        """Read with as few regular cells as there are, and with none."""
        self.assertEqual(told(data, 0), told(data, 1 << 60))

    @given(st.lists(st.lists(_VALUES, min_size=1, max_size=4), min_size=1, max_size=6))
    def test_any_cells(self, rows: list[list[object]]) -> None:
        """Of two writers, shared texts and those in cells."""
        clean = [
            [
                value.replace("\r", "") if isinstance(value, str) else value
                for value in row
            ]
            for row in rows
        ]
        self.check(by_openpyxl(clean))
        self.check(by_openpyxl(clean, inline=True))
        self.check(by_xlsxwriter(clean))

    @given(st.lists(st.tuples(_TEXTS, _TEXTS), min_size=1, max_size=6))
    def test_our_own(self, rows: list[tuple[str, str]]) -> None:
        made = Table.of_records(
            ["A", "B", "C"], [(a, b, f"{n}.50") for n, (a, b) in enumerate(rows)]
        )
        sink = io.BytesIO()
        write_workbook(Output((("x", made),)), sink)
        self.check(sink.getvalue())

    def test_what_stands_apart(self) -> None:
        """A list that does not begin at A1, gaps, rich texts, errors, merged cells."""
        sink = io.BytesIO()
        with xlsxwriter.Workbook(sink, {"in_memory": True}) as book:
            tab = book.add_worksheet()
            bold = book.add_format({"bold": True})
            day = book.add_format({"num_format": "dd/mm/yy"})
            tab.write_row(4, 2, ["Berth", "Boat", "Paid"])
            for row in range(5, 60):
                tab.write_number(row, 2, row * 1.25)
                tab.write_string(row, 3, f" boat & {row % 7} ")
                tab.write_number(row, 4, 45000 + row, day)
            tab.write_rich_string(8, 3, "a ", bold, "b")
            tab.write_formula(9, 2, "=1/0", None, "#DIV/0!")
            tab.write_formula(10, 2, "=1+1", None, 2)
            tab.write_boolean(11, 3, True)
            tab.merge_range(20, 6, 21, 7, "far")
            tab.write_blank(30, 9, None, bold)
        self.check(sink.getvalue())

    def test_mutants(self) -> None:
        """300 tabs with some bytes changed: the same list, or the same problem."""
        rows = [[f"b{n % 9}", n, n / 8, f"x & {n}"] for n in range(30)]
        whole = by_xlsxwriter([["A", "B", "C", "D"], *rows])
        with zipfile.ZipFile(io.BytesIO(whole)) as book:
            parts = {name: book.read(name) for name in book.namelist()}
        names = ["xl/worksheets/sheet1.xml", "xl/sharedStrings.xml"]
        chance = random.Random(30)
        marks = (b"<", b">", b'"', b"&", b"/", b"<c ", b"</v>", b' s="1"', b"9", b"\r")
        for number in range(300):
            name = names[number % 2]
            xml = bytearray(parts[name])
            for _ in range(chance.randint(1, 3)):
                at = chance.randrange(len(xml))
                end = at + chance.choice((0, 1, 3))
                xml[at:end] = chance.choice(marks) if chance.random() < 0.7 else b""
            sink = io.BytesIO()
            with zipfile.ZipFile(sink, "w") as book:
                for each, data in parts.items():
                    book.writestr(each, bytes(xml) if each == name else data)
            one, other = told(sink.getvalue(), 0), told(sink.getvalue(), 1 << 60)
            with self.subTest(number):
                self.assertEqual(one, other)


class RegularTest(unittest.TestCase):
    def test_blocks_of_rows(self) -> None:
        """However the XML is cut, nothing is lost at an edge."""
        rows = "".join(
            f'<row r="{n}"><c r="A{n}"><v>{n}</v></c><c r="C{n}" t="b"><v>1</v></c>'
            "</row>"
            for n in range(1, 200)
        )
        xml = f"<worksheet><sheetData>{rows}</sheetData></worksheet>".encode()
        for size in (1, 100, 1 << 24):
            with (
                mock.patch.object(cells, "_BLOCK_BYTES", size),
                mock.patch.object(cells, LEAST, 0),
            ):
                found = regular_cells(xml, b"", frozenset({0}), {})
            assert found is not None
            self.assertEqual(found.texts.to_pylist(), [str(n) for n in range(1, 200)])
            self.assertEqual(found.extent, (199, 3, 398))
            self.assertEqual(found.rest.count(b"<c "), 199)

    def test_formats_that_are_surely_numbers(self) -> None:
        codes = {0: "General", 1: "0.00", 2: "#,##0 €", 3: "yy", 4: "[Red]0", 5: "?"}
        self.assertEqual(plain_styles(codes), {0, 1, 2})


if __name__ == "__main__":
    unittest.main()
