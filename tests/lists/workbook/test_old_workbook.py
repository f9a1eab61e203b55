"""Old workbooks (.xls), written by another library than the one that reads them."""

import datetime
import io
import random
import struct
import unittest
from typing import Any

import openpyxl
import xlwt

from gruff_ledger.lists.reading import Reading
from gruff_ledger.problems import Problem, UnreadableSource
from tests.lists.workbook.test_read import notes, read
from tests.support import FolderTest


def book(rows: list[list[Any]], *, begins_1904: bool = False) -> xlwt.Workbook:
    """Return a workbook; a cell is a value, or a value and its number format."""
    made = xlwt.Workbook()
    made.dates_1904 = begins_1904
    styles: dict[str, Any] = {}
    sheet = made.add_sheet("Berths")
    for at, row in enumerate(rows):
        for place, cell in enumerate(row):
            if isinstance(cell, tuple):
                code = cell[1]
                if code not in styles:
                    styles[code] = xlwt.easyxf(num_format_str=code)
                sheet.write(at, place, cell[0], styles[code])
            elif cell is not None:
                sheet.write(at, place, cell)
    return made


def saved(made: xlwt.Workbook) -> bytes:
    """Return the bytes of a workbook."""
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def cells(reading: Reading) -> list[tuple[str, ...]]:
    """Return the records that were read."""
    return reading.table.records()


class OldWorkbookTest(unittest.TestCase):
    def test_values_by_their_formats(self) -> None:
        day = datetime.date(2026, 10, 5)
        at = datetime.datetime(2026, 10, 5, 8, 15, 30)
        rows = [
            ["a", "b", "c", "d", "e", "f"],
            [(7, "00000"), "Möwe", 12.5, (day, "DD/MM/YYYY"), 0.25, True],
            [
                (12345, "00000"),
                " x ",
                4.9000000000000004,
                (at, "DD/MM/YYYY HH:MM"),
                (datetime.time(14, 30), "HH:MM"),
                False,
            ],
            [-3, 1e20, 0.00000015, (1.5, "[h]:mm"), (0.5, "0%"), "001"],
        ]
        self.assertEqual(
            cells(read(saved(book(rows)))),
            [
                ("00007", "Möwe", "12.5", "2026-10-05", "0.25", "TRUE"),
                ("12345", " x ", "4.9", "2026-10-05T08:15:30", "14:30:00", "FALSE"),
                ("-3", "100000000000000000000", "0.00000015", "36:00:00", "0.5", "001"),
            ],
        )
        self.assertIn("1 cell is shown as per cent", notes(read(saved(book(rows)))))

    def test_days_at_the_edges_of_the_calendars(self) -> None:
        """29 February 1900 never was; the other calendar begins four years later."""
        style = "DD/MM/YYYY"
        rows = [["day"], [(1, style)], [(59, style)], [(60, style)], [(61, style)]]
        rows += [[(-2, style)], [(1.5, "HH:MM")]]
        reading = read(saved(book(rows)))
        self.assertEqual(
            [record[0] for record in cells(reading)],
            [
                *("1900-01-01", "1900-02-28", "1900-02-29", "1900-03-01", "-2"),
                "36:00:00",
            ],
        )
        rules = {found.rule for found in reading.findings}
        self.assertEqual(rules, {"negative date", "no such day", "time over 24 hours"})
        later = read(
            saved(book([["day"], [(0, style)], [(61, style)]], begins_1904=True))
        )
        self.assertEqual(
            [record[0] for record in cells(later)], ["1904-01-01", "1904-03-02"]
        )

    def test_what_is_special_is_said(self) -> None:
        made = book([["title"], [], [None, "a", "b"], [None, "x", 1], [None, "y", 2]])
        sheet = made.get_sheet("Berths")
        sheet.row(3).set_cell_error(3, "#DIV/0!")
        sheet.write(2, 3, "c")
        sheet.write_merge(5, 5, 1, 2, "z")
        sheet.row(4).hidden = True
        sheet.col(2).hidden = True
        hidden = made.add_sheet("Kept")
        hidden.visibility = 1
        hidden.write(0, 0, "k")
        data = saved(made)
        reading = read(data)
        self.assertEqual(cells(reading)[0], ("x", "1", "#DIV/0!"))
        (found,) = reading.findings
        self.assertEqual(found.rule, "error in the workbook")
        told = notes(reading)
        for words in ("hidden rows", "hidden column", "merged area", "1 title row"):
            self.assertIn(words, told)
        self.assertEqual(reading.source.format, "xls")
        self.assertEqual(read(data, "#sheet=Kept").table.headings, ("k",))
        self.assertEqual(cells(read(data, "#col=2/row=3-*")), [("x",), ("y",), ("z",)])

    def test_it_reads_as_the_same_book_in_xlsx(self) -> None:
        """Law: a value is the same text in either kind of workbook."""
        chance = random.Random(5)
        for _ in range(20):
            rows: list[list[Any]] = [["a", "b", "c", "d"]]
            for _ in range(15):
                moment = datetime.datetime(1900, 3, 1) + datetime.timedelta(
                    days=chance.randrange(80_000), seconds=chance.randrange(86_400)
                )
                rows.append(
                    [
                        chance.choice(["é", "x y", "007", "1e5", ""]) or None,
                        round(chance.uniform(-1e6, 1e6), chance.randrange(6)),
                        (moment, "DD/MM/YYYY HH:MM"),
                        (moment.date(), "DD/MM/YYYY"),
                    ]
                )
            other = openpyxl.Workbook()
            for at, row in enumerate(rows, 1):
                for place, cell in enumerate(row, 1):
                    value, code = cell if isinstance(cell, tuple) else (cell, "")
                    made = other.active.cell(at, place, value)
                    if code:
                        made.number_format = code
            out = io.BytesIO()
            other.save(out)
            self.assertEqual(
                cells(read(saved(book(rows)))), cells(read(out.getvalue()))
            )

    def test_names_that_mean_nothing_here(self) -> None:
        """Areas that are relative to where a name is used, and formulas of add-ins."""
        for formula in (b"\x2c\0\0\0\xc0", b"\x2d\0\0\5\0\0\xc0\1\xc0", b"\x77\1"):
            made = book([["Boat", "Berth"], ["Amber", 7]])
            name = b"Area"
            head = struct.pack("<HBBHHHI", 0, 0, len(name), len(formula), 0, 0, 0)
            body = head + b"\0" + name + formula
            record = struct.pack("<HH", 0x18, len(body)) + body
            # It stands among the records of the whole workbook ([MS-XLS], 2.4.150).
            made._Workbook__palette_rec = lambda record=record: record
            reading = read(saved(made))
            self.assertEqual(cells(reading), [("Amber", "7")])

    def test_damaged_ones_are_problems(self) -> None:
        """Whatever is cut off or written over: never a traceback."""
        rows = [["a", "b"], *([f"text {at}", at / 7] for at in range(300))]
        data = saved(book(rows))
        chance = random.Random(11)
        for number in range(200):
            broken = bytearray(data)
            if number % 2:
                del broken[chance.randrange(8, len(broken)) :]
            else:
                for _ in range(chance.randrange(1, 30)):
                    broken[chance.randrange(8, len(broken))] = chance.randrange(256)
            try:
                read(bytes(broken))
            except Problem:
                continue

    def test_what_is_no_workbook(self) -> None:
        with self.assertRaises(UnreadableSource):
            read(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600))
        with self.assertRaisesRegex(UnreadableSource, "nothing in it"):
            read(saved(book([])))


class ProgramTest(FolderTest):
    def test_by_ending_and_under_another_name(self) -> None:
        data = saved(book([["Berth", "Boat"], ["1", "Tern"]]))
        for name in ("a.xls", "book"):
            (self.folder / name).write_bytes(data)
            done = self.gruff("show", name)
            self.assertEqual(done.stdout, b"Berth,Boat\n1,Tern\n")
        (self.folder / "a.csv").write_bytes(data)
        told = self.problem("show", "a.csv")
        self.assertIn("not delimited text but an old workbook (.xls)", told)
        self.assertIn("--format xls", told)
        done = self.gruff("show", "a.csv", "--format", "xls")
        self.assertEqual(done.stdout, b"Berth,Boat\n1,Tern\n")
        self.assertIn(
            "can be read, and not written",
            self.problem("show", "a.xls", "--to", "b.xls"),
        )


if __name__ == "__main__":
    unittest.main()
