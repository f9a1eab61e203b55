"""Binary workbooks (.xlsb): read as the same book in XLSX is."""

import datetime
import io
import random
import unittest
import zipfile
from typing import Any

import openpyxl
import python_calamine
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.utils.datetime import CALENDAR_MAC_1904

from gruff_ledger.lists.reading import Reading
from gruff_ledger.problems import Problem, UnreadableSource
from tests.lists.books import member_of, rewrite_member
from tests.lists.workbook.binary_book import As, Sheet, binary_book, record
from tests.lists.workbook.test_old_workbook import book, saved
from tests.lists.workbook.test_read import notes, read
from tests.support import FolderTest

TODAY = datetime.date(2026, 10, 5)
DAY, MOMENT = "dd/mm/yyyy", "dd/mm/yyyy hh:mm"


def cells(reading: Reading) -> list[tuple[str, ...]]:
    """Return the records that were read."""
    return reading.table.records()


def of_rows(*rows: list[Any], begins_1904: bool = False) -> bytes:
    """Return a workbook of one tab."""
    return binary_book(Sheet("Berths", rows), begins_1904=begins_1904)


def in_xlsx(rows: list[list[Any]], *, begins_1904: bool = False) -> bytes:
    """Return the same as XLSX."""
    made = openpyxl.Workbook()
    if begins_1904:
        made.epoch = CALENDAR_MAC_1904
    for at, row in enumerate(rows, 1):
        for place, cell in enumerate(row, 1):
            value, code, _ = cell if isinstance(cell, As) else (cell, "", "")
            written = made.active.cell(at, place, value)
            if isinstance(value, str):
                written.data_type = "s"
            if code:
                written.number_format = code
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def in_xls(rows: list[list[Any]], *, begins_1904: bool = False) -> bytes:
    """Return the same as an old workbook."""
    return saved(book([list(row) for row in rows], begins_1904=begins_1904))


def with_part(data: bytes, name: str, part: bytes) -> bytes:
    """Return a workbook in which one part is another."""
    return rewrite_member(data, name, (member_of(data, name), part))


class BinaryWorkbookTest(unittest.TestCase):
    def test_values_by_their_types_and_formats(self) -> None:
        data = of_rows(
            ["a", "b", "c", "d", "e"],
            [
                As(7, "00000"),
                "Möwe 🚢",
                12.5,
                As(datetime.date(2026, 10, 5), DAY),
                True,
            ],
            [As(12345, "00000"), As(" x ", kind="rich"), 4.9, None, False],
            [-3, As("y", kind="text"), 0.1 + 0.2, As(0.5, "0%"), As(1.5, "[h]:mm")],
            [
                As(1.25, kind="formula"),
                As("z", kind="formula"),
                As(True, kind="formula"),
                As("#N/A", kind="formula"),
                As(9007199254740993, kind="real"),
            ],
        )
        reading = read(data)
        self.assertEqual(
            cells(reading),
            [
                ("00007", "Möwe 🚢", "12.5", "2026-10-05", "TRUE"),
                ("12345", " x ", "4.9", "", "FALSE"),
                ("-3", "y", "0.3", "0.5", "36:00:00"),
                ("1.25", "z", "TRUE", "#N/A", "9007199254740990"),
            ],
        )
        self.assertEqual(reading.source.format, "xlsb")
        rules = {found.rule for found in reading.findings}
        self.assertEqual(rules, {"error in the workbook", "more than 15 digits"})
        self.assertIn("1 cell is shown as per cent", notes(reading))

    def test_what_is_special_is_said(self) -> None:
        rows = [["title"], [], [None, "a", "b"], [None, "x", 1], [None, "y", 2]]
        berths = Sheet("Berths", rows, 0, [4], [2], [(3, 4, 1, 1)])
        data = binary_book(berths, Sheet("Kept", [["k"]], 1))
        reading = read(data)
        self.assertEqual(cells(reading), [("x", "1"), ("y", "2")])
        told = notes(reading)
        for words in (
            "1 record is in hidden rows",
            "hidden column",
            "merged area",
            "1 title row",
        ):
            self.assertIn(words, told)
        self.assertEqual(read(data, "#sheet=Kept").table.headings, ("k",))

    def test_the_other_calendar(self) -> None:
        rows = [["day"], [As(0, DAY)], [As(61, DAY)]]
        self.assertEqual(
            cells(read(of_rows(*rows, begins_1904=True))),
            [("1904-01-01",), ("1904-03-02",)],
        )
        self.assertEqual(
            cells(read(of_rows(["day"], [As(60, DAY)]))), [("1900-02-29",)]
        )

    def test_numbers_that_a_format_of_dates_cannot_show(self) -> None:
        """They are read and told as those in XLSX, and in old workbooks."""
        numbers = [*range(-2, 3), 0.25, 1.5, 59, 60, 60.5, 61.25, 9999.5, 40293.75]
        codes = (DAY, MOMENT, "hh:mm", "[h]:mm", "0", "000")
        for begins_1904 in (False, True):
            rows = [list(codes)] + [
                [As(each, code) for code in codes] for each in numbers
            ]
            readings = [
                read(of_rows(*rows, begins_1904=begins_1904)),
                read(in_xlsx(rows, begins_1904=begins_1904)),
                read(in_xls(rows, begins_1904=begins_1904)),
            ]
            self.assertEqual(*map(cells, readings[:2]))
            self.assertEqual(*map(cells, readings[1:]))
            rules = [
                sorted(
                    (found.rule, found.field, number)
                    for found in reading.findings
                    for number in found.origin.record.tolist()
                )
                for reading in readings
            ]
            self.assertEqual(rules[0], rules[1])
            self.assertEqual(rules[1], rules[2])

    @given(
        st.lists(
            st.lists(
                st.one_of(
                    st.none(),
                    st.text(
                        st.characters(exclude_categories=["Cs", "Cc"]), max_size=9
                    ).filter(lambda said: said and not said.startswith("=")),
                    st.floats(-1e9, 1e9).map(lambda number: round(number, 4)),
                    st.integers(-(10**14), 10**14),
                    st.booleans(),
                    st.datetimes(
                        datetime.datetime(1900, 3, 1), datetime.datetime(2100, 1, 1)
                    ).map(lambda at: As(at.replace(microsecond=0), MOMENT)),
                ),
                min_size=3,
                max_size=3,
            ),
            max_size=8,
        )
    )
    def test_it_reads_as_the_same_book_in_xlsx(self, rows: list[list[Any]]) -> None:
        """Law: a value is the same text in either kind of workbook."""
        rows = [["a", "b", "c"], *rows]
        self.assertEqual(cells(read(of_rows(*rows))), cells(read(in_xlsx(rows))))

    def test_another_library_reads_what_is_written_here(self) -> None:
        data = of_rows(["a", "b"], ["Möwe", 1.5], [As("z", kind="text"), 12345678.125])
        made = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        self.assertEqual(
            made.get_sheet_by_index(0).to_python(),
            [["a", "b"], ["Möwe", 1.5], ["z", 12345678.125]],
        )


class HostileTest(unittest.TestCase):
    def test_damaged_ones_are_problems(self) -> None:
        """Whatever is cut off or written over, in the file or in a part of it."""
        rows = [["a", "b"], *([f"text {at}", at / 7] for at in range(60))]
        data = of_rows(*rows)
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            parts = {
                name: archive.read(name)
                for name in archive.namelist()
                if name.endswith(".bin")
            }
        chance = random.Random(12)
        for number in range(400):
            name = chance.choice(list(parts)) if number % 3 else ""
            broken = bytearray(parts[name] if name else data)
            if number % 2:
                del broken[chance.randrange(len(broken)) :]
            else:
                for _ in range(chance.randrange(1, 9)):
                    broken[chance.randrange(len(broken))] = chance.randrange(256)
            whole = with_part(data, name, bytes(broken)) if name else bytes(broken)
            try:
                read(whole)
            except Problem:
                continue

    def test_a_cut_tab_is_refused(self) -> None:
        data = of_rows(["a"], *([str(at)] for at in range(50)))
        name = "xl/worksheets/sheet1.bin"
        part = member_of(data, name)
        for end in (len(part) // 2, len(part) - 4, part.rindex(record(146))):
            with self.assertRaisesRegex(UnreadableSource, "damaged"):
                read(with_part(data, name, part[:end]))

    def test_a_cell_in_the_last_corner_is_refused(self) -> None:
        data = of_rows(["a"], ["b"])
        far = record(0, bytes.fromhex("ffff0f00") + bytes(13))
        far += record(2, bytes.fromhex("ff3f0000") + bytes(8))
        name = "xl/worksheets/sheet1.bin"
        part = member_of(data, name).replace(record(146), far + record(146))
        with self.assertRaisesRegex(UnreadableSource, "span 1048576 rows"):
            read(with_part(data, name, part))

    def test_more_records_than_a_workbook_has_are_refused(self) -> None:
        """In any of its parts, and soon."""
        data = of_rows(["a"], ["b"])
        for name in ("workbook", "styles", "sharedStrings", "worksheets/sheet1"):
            name = f"xl/{name}.bin"
            part = record(200) * 2_000_000 + member_of(data, name)
            with self.assertRaisesRegex(UnreadableSource, "damaged"):
                read(with_part(data, name, part))

    def test_columns_hidden_many_times_over_take_no_time(self) -> None:
        data = binary_book(Sheet("Berths", [["a"], ["b"]], hidden_cols=[0]))
        name = "xl/worksheets/sheet1.bin"
        all_columns = record(60, bytes(4) + b"\xff\x3f\0\0" + bytes(8) + b"\1\0")
        part = member_of(data, name)
        part = part[:3] + all_columns * 50_000 + part[3:]
        self.assertIn("hidden column", notes(read(with_part(data, name, part))))


class ProgramTest(FolderTest):
    def test_by_ending_inside_an_archive_and_under_another_name(self) -> None:
        data = of_rows(["Berth", "Boat"], ["1", "Tern"])
        (self.folder / "a.xlsb").write_bytes(data)
        (self.folder / "b.xlsx").write_bytes(data)
        with zipfile.ZipFile(self.folder / "c.zip", "w") as archive:
            archive.writestr("in/a.xlsb", data)
        for name in ("a.xlsb", "b.xlsx", "c.zip"):
            done = self.gruff("show", name)
            self.assertEqual(done.stdout, b"Berth,Boat\n1,Tern\n", name)
        self.assertIn(
            "can be read, and not written",
            self.problem("show", "a.xlsb", "--to", "b.xlsb"),
        )


if __name__ == "__main__":
    unittest.main()
