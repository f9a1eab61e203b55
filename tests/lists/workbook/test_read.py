"""Tests of reading workbooks, made by other libraries than the one that reads them."""

import datetime
import io
import re
import unittest
import zipfile
from pathlib import Path

import openpyxl
import xlsxwriter
from openpyxl.utils.datetime import CALENDAR_MAC_1904

from gruff_ledger.lists.address import parse_address
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.lists.workbook.read import read_workbook, workbook_parts
from gruff_ledger.problems import UnreadableSource
from tests.lists.books import (
    book_as_ods,
    book_as_xlsx,
    by_odfpy,
    by_openpyxl,
    member_of,
    rewrite_member,
    saved,
)
from tests.support import FolderTest


def read(data: bytes, part: str = "", **pinned: object) -> Reading:
    """Read a tab of a workbook."""
    opened = open_bytes(data, name="book", address="book.xlsx")
    fragment = parse_address("book.xlsx" + part).fragment
    return read_workbook(opened, ReadingTerms(**pinned), fragment, hashed=True)


def notes(reading: Reading) -> str:
    """Return all that was said of a list."""
    return "\n".join(f"{note.what} {note.remedy}" for note in reading.notes)


class CellTest(unittest.TestCase):
    def assert_texts(self, data: bytes, *texts: str) -> None:
        records = read(data, "#sheet=May").table.records()
        self.assertEqual([record[1] for record in records], list(texts))

    def test_values_are_read_as_a_person_would_copy_them(self) -> None:
        moment = datetime.datetime(2026, 5, 1, 13, 30)
        rows = [["kind", "value"]] + [
            ["x", value]
            for value in (
                "007",
                12,
                12.0,
                4.9000000000000004,
                -0.5,
                True,
                datetime.date(2026, 5, 1),
                moment,
                datetime.time(9, 5),
                datetime.timedelta(hours=26, minutes=30),
                " padded ",
                "two\nlines",
                1e20,
                0.1 + 0.2,
                "'=quoted",
            )
        ]
        self.assert_texts(
            saved(by_openpyxl(rows)),
            "007",
            "12",
            "12",
            "4.9",
            "-0.5",
            "TRUE",
            "2026-05-01",
            "2026-05-01T13:30:00",
            "09:05:00",
            "26:30:00",
            " padded ",
            "two\nlines",
            "100000000000000000000",
            "0.3",
            "'=quoted",
        )

    def test_dates_count_from_either_epoch(self) -> None:
        rows = [["kind", "value"], ["x", datetime.date(2026, 5, 1)]]
        for epoch in (openpyxl.utils.datetime.CALENDAR_WINDOWS_1900, CALENDAR_MAC_1904):
            with self.subTest(epoch=epoch):
                self.assert_texts(saved(by_openpyxl(rows, epoch=epoch)), "2026-05-01")

    def test_formats_of_per_cent_currency_and_leading_zeros(self) -> None:
        book = by_openpyxl([["kind", "value"], ["x", 0.254], ["x", 12.5], ["x", 7]])
        for cell, form in (("B2", "0%"), ("B3", "#,##0.00 €"), ("B4", "00000")):
            book["May"][cell].number_format = form
        data = saved(book)
        self.assert_texts(data, "0.254", "12.5", "00007")
        self.assertIn("1 cell is shown as per cent", notes(read(data, "#sheet=May")))

    def test_stored_results_of_formulas_and_errors(self) -> None:
        sink = io.BytesIO()
        with xlsxwriter.Workbook(sink, {"in_memory": True}) as book:
            tab = book.add_worksheet("May")
            for row, (formula, result) in enumerate(
                (
                    ("=1+1", 2),
                    ('="a"&"b"', "ab"),
                    ("=1/0", "#DIV/0!"),
                    ("=NA()", "#N/A"),
                )
            ):
                tab.write_formula(row + 1, 1, formula, None, result)
            tab.write_row(0, 0, ["kind", "value"])
        data = sink.getvalue()
        self.assert_texts(data, "2", "ab", "#DIV/0!", "#N/A")
        (found,) = read(data, "#sheet=May").findings
        self.assertEqual(found.field, "value")
        self.assertEqual(found.origin.record.tolist(), [3, 4])
        self.assertEqual(found.value.to_pylist(), ["#DIV/0!", "#N/A"])

    def test_a_formula_without_a_stored_result_is_a_finding(self) -> None:
        data = saved(by_openpyxl([["kind", "value"], ["x", "=1+1"], ["y", "z"]]))
        (found,) = read(data).findings
        self.assertEqual(found.rule, "formula without a result")
        self.assertEqual(found.origin.record.tolist(), [1])

    def test_ods_values(self) -> None:
        day = datetime.date(2026, 5, 1)
        rows = [["kind", "value"]] + [["x", value] for value in ("007", 12, 4.5, day)]
        self.assert_texts(by_odfpy(rows), "007", "12", "4.5", "2026-05-01")

    def test_numbers_that_a_format_of_dates_cannot_show(self) -> None:
        """They are read as numbers or lengths of time, and told, not as times."""
        cases = (
            (-1.5, "yyyy-mm-dd", "-1.5", "negative date"),
            (-0.25, "hh:mm", "-0.25", "negative date"),
            (0, "dd/mm/yyyy", "0", "negative date"),
            (60, "dd/mm/yyyy", "1900-02-29", "no such day"),
            (59, "dd/mm/yyyy", "1900-02-28", ""),
            (61, "dd/mm/yyyy", "1900-03-01", ""),
            (1.25, "hh:mm", "30:00:00", "time over 24 hours"),
            (40293.75, "hh:mm", "2010-04-25T18:00:00", "time with a date"),
            (0.25, "hh:mm", "06:00:00", ""),
            (0, "hh:mm", "00:00:00", ""),
            (-0.25, "[h]:mm", "-6:00:00", ""),
            (1.25, "[h]:mm", "30:00:00", ""),
            (-1.5, "0.0", "-1.5", ""),
            (-12, '"May" 0', "-12", ""),
            (-12, "#,##0;[Red]-#,##0", "-12", ""),
        )
        book = by_openpyxl([["kind", "value"]] + [["x", each[0]] for each in cases])
        for row, (_, form, _, _) in enumerate(cases, 2):
            book["May"].cell(row, 2).number_format = form
        data = saved(book)
        self.assert_texts(data, *(each[2] for each in cases))
        rules = {
            number: found.rule
            for found in read(data).findings
            for number in found.origin.record.tolist()
        }
        self.assertEqual(
            rules,
            {number: each[3] for number, each in enumerate(cases, 1) if each[3]},
        )

    def test_a_number_with_a_needless_point_is_read_without(self) -> None:
        book = by_openpyxl([["kind", "value"], ["x", -1], ["y", 0]])
        for row in (2, 3):
            book["May"].cell(row, 2).number_format = "dd/mm/yyyy"
        change = (b"<v>-1<", b"<v>-1.0<")
        data = rewrite_member(saved(book), "xl/worksheets/sheet1.xml", change)
        self.assert_texts(data, "-1", "0")

    def test_cells_that_do_not_say_where_they_stand(self) -> None:
        """Some programs leave the place out of some cells and rows, or of all."""
        day = datetime.date(2026, 5, 1)
        rows = [["kind", "value", "day"], ["w", 0, None], ["x", "#N/A", day]]
        book = by_openpyxl(rows)
        book["May"]["B2"].number_format = "dd/mm/yyyy"
        book["May"]["B3"].data_type = "e"
        book["May"].row_dimensions[3].hidden = True
        whole = saved(book)
        xml = member_of(whole, "xl/worksheets/sheet1.xml")
        for pattern in (rb' r="[A-Z]+\d+"', rb' r="[B-Z]+\d+"', rb' r="[A-Z]*\d+"'):
            data = rewrite_member(
                whole, "xl/worksheets/sheet1.xml", (xml, re.sub(pattern, b"", xml))
            )
            self.assertEqual(
                read(data).table.records(), read(whole).table.records(), pattern
            )
            self.assertEqual(
                {found.rule: found.field for found in read(data).findings},
                {"error in the workbook": "value", "negative date": "value"},
            )
            self.assertIn("hidden rows", notes(read(data)))

    def test_numbers_of_many_digits_are_told(self) -> None:
        """Written out they keep all digits; else they are rounded to 15."""
        data = rewrite_member(
            saved(by_openpyxl([["kind", "value"]] + [["x", 1.5], ["y", 2.5]])),
            "xl/worksheets/sheet1.xml",
            (b"<v>1.5<", b"<v>1234567890123456789<"),
            (b"<v>2.5<", b"<v>1.2345678901234567E+18<"),
        )
        self.assert_texts(data, "1234567890123456789", "1234567890123460000")
        (found,) = read(data).findings
        self.assertEqual(found.rule, "more than 15 digits")
        self.assertEqual(found.origin.record.tolist(), [1, 2])

    def test_both_formats_give_the_same_list(self) -> None:
        """Texts, numbers, dates, times, formats, merged areas, errors."""
        one, other = read(book_as_xlsx()), read(book_as_ods())
        self.assertEqual(one.table.records(), other.table.records())
        self.assertEqual(one.table.records()[0], ("a\tb", "x"))
        self.assertEqual(notes(one), notes(other))
        for said in ("merged area", "per cent", "hidden column"):
            self.assertIn(said, notes(one))
        findings = [
            {
                (each.rule, each.field): each.origin.record.tolist()
                for each in reading.findings
            }
            for reading in (one, other)
        ]
        self.assertEqual(findings[0], findings[1])
        self.assertIn(("error in the workbook", "value"), findings[0])


class PlaceTest(unittest.TestCase):
    """An offset block: titles above, notes below, a totals row, blank columns."""

    ROWS = (
        ["", "", "Berths, May"],
        [],
        ["", "", "", "printed 2026-05-31"],
        ["", "", "boat", "berth", "paid", ""],
        ["", "", "Amber", "001", 5],
        ["", "", "Bold", "002", 7.5],
        ["", "", "", "", ""],
        ["", "", "Calm", "003", 1],
        ["", "", "Total", "", 13.5],
        [],
        ["", "", "Paid in cash unless stated."],
        [],
    )

    def data(self) -> bytes:
        rows: list[list[object]] = [list(row) for row in self.ROWS]
        return saved(by_openpyxl([[cell or None for cell in row] for row in rows]))

    def test_is_found(self) -> None:
        reading = read(self.data())
        self.assertEqual(reading.table.headings, ("boat", "berth", "paid"))
        self.assertEqual(reading.source.heading_row, 4)
        titles = ("Berths, May", "printed 2026-05-31")
        self.assertEqual(reading.source.titles, titles)
        self.assertEqual(reading.table.records()[2], ("", "", ""))
        self.assertIn("row of totals", notes(reading))
        self.assertIn("below a blank one at the end", notes(reading))
        self.assertIn("#row=4-9.", notes(reading))

    def test_totals_are_left_out_only_when_asked(self) -> None:
        reading = read(self.data(), no_totals=True)
        (aside,) = reading.aside
        self.assertEqual(aside.table.records(), [("Total", "", "13.5")])
        self.assertEqual(aside.table.origin.record.tolist(), [5])
        self.assertNotIn(("Total", "", "13.5"), reading.table.records())

    def test_a_block_is_just_that(self) -> None:
        for part in ("#cell=4,3-8,4", "#row=4-8/col=3-4", "#sheet=May/cell=4,3-8,4"):
            with self.subTest(part=part):
                reading = read(self.data(), part)
                self.assertEqual(
                    reading.table.records(),
                    [("Amber", "001"), ("Bold", "002"), ("", ""), ("Calm", "003")],
                )
                self.assertEqual(reading.source.titles, ())
                self.assertEqual(reading.source.records_in, 4)

    def test_blank_records_at_an_open_end_are_counted(self) -> None:
        reading = read(self.data(), "#cell=4,4-*,4")
        self.assertEqual(reading.source.trailing_blank, 3)
        self.assertEqual(reading.table.records()[-1], ("003",))

    def test_a_block_outside_the_cells_is_refused(self) -> None:
        for part, told in (("#row=40-", "rows 1 to 11"), ("#col=9-", "columns 3 to")):
            with self.subTest(part=part), self.assertRaises(UnreadableSource) as caught:
                read(self.data(), part)
            self.assertIn(told, caught.exception.what)


class TabTest(FolderTest):
    def book(self) -> Path:
        book = by_openpyxl([["boat", "berth"], ["Amber", "001"], ["Bold", "002"]])
        june = book.create_sheet("June")
        june.append(["boat", "berth"])
        june.append(["Calm", "003"])
        book.create_sheet("Old").append(["boat", "berth"])
        book["Old"].sheet_state = "hidden"
        book["Old"].append(["Dusk", "004"])
        book["May"].row_dimensions[3].hidden = True
        book["May"].merge_cells("A5:B5")
        book["May"]["A5"] = "Extra"
        return self.write("book.xlsx", saved(book))

    def names(self, part: str) -> list[str]:
        data = self.book().read_bytes()
        opened = open_bytes(data, name="book", address="book.xlsx")
        parts, _ = workbook_parts(opened, parse_address("book.xlsx" + part).fragment)
        return [name for name, _ in parts]

    def test_are_named_in_many_ways(self) -> None:
        self.assertEqual(self.names(""), ["May"])
        self.assertEqual(self.names("#sheet=June"), ["June"])
        self.assertEqual(self.names("#sheet=2"), ["June"])
        self.assertEqual(self.names("#sheet=june"), ["June"])
        self.assertEqual(self.names("#sheet=*"), ["May", "June"])
        self.assertEqual(self.names("#sheet=J*"), ["June"])
        self.assertEqual(self.names("#sheet=Old"), ["Old"])
        with self.assertRaises(UnreadableSource) as caught:
            self.names("#sheet=Jun3")
        self.assertIn("Did you mean 'June'?", caught.exception.paragraph())

    def test_what_is_hidden_or_merged_is_said(self) -> None:
        told = notes(read(self.book().read_bytes(), "#sheet=May"))
        self.assertIn("1 record is in hidden rows", told)
        self.assertIn("1 merged area", told)

    def test_only_what_lies_in_the_block_is_said(self) -> None:
        told = notes(read(self.book().read_bytes(), "#sheet=May/row=1-2"))
        self.assertEqual(told, "")

    def test_become_lists_of_their_own(self) -> None:
        self.book()
        done = self.gruff(
            *("merge", "book.xlsx#sheet=*", "--name-source", "month", "--keep-blank"),
            *("--to", "all.csv"),
        )
        self.assertIn("hidden tabs were left out: 'Old'", done.stderr.decode())
        self.assertEqual(
            [(each["month"], each["berth"]) for each in self.records("all.csv")],
            [("May", "001"), ("May", "002"), ("May", ""), ("May", ""), ("June", "003")],
        )


class HostileTest(unittest.TestCase):
    def test_an_archive_that_unpacks_to_gigabytes_is_refused_at_once(self) -> None:
        plain = zipfile.ZipFile(io.BytesIO(saved(by_openpyxl([["a"], ["b"]]))))
        sink = io.BytesIO()
        with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as bomb:
            for name in plain.namelist():
                if "sheet1" not in name:
                    bomb.writestr(name, plain.read(name))
            with bomb.open("xl/worksheets/sheet1.xml", "w", force_zip64=True) as member:
                block = b" " * (1 << 24)
                for _ in range(80):
                    member.write(block)
        with self.assertRaisesRegex(UnreadableSource, "would unpack from"):
            read(sink.getvalue())

    def test_an_archive_that_lies_about_its_sizes_is_refused(self) -> None:
        data = saved(by_openpyxl([["a"], *[[str(n)] for n in range(5000)]]))
        archive = zipfile.ZipFile(io.BytesIO(data))
        info = archive.getinfo("xl/worksheets/sheet1.xml")
        real = info.file_size.to_bytes(4, "little")
        self.assertIn(real, data)
        lying = data.replace(real, (100).to_bytes(4, "little"))
        with self.assertRaisesRegex(UnreadableSource, "damaged"):
            read(lying)

    def test_stray_cells_far_away_are_refused_and_not_held(self) -> None:
        book = by_openpyxl([["a"], ["b"]])
        book["May"].cell(row=1048576, column=16384, value="far")
        with self.assertRaisesRegex(UnreadableSource, "span 1048576 rows"):
            read(saved(book))

    def test_what_is_no_workbook_is_told_apart(self) -> None:
        sink = io.BytesIO()
        with zipfile.ZipFile(sink, "w") as archive:
            archive.writestr("letter.txt", "hello")
        for data, told in (
            (sink.getvalue(), "no workbook .XLSX, XLSB or ODS."),
            (b"PK\x03\x04" + b"x" * 100, "damaged"),
            (b"\xd0\xcf\x11\xe0" + b"x" * 600, "damaged"),
            (saved(by_openpyxl([])), "nothing in it"),
        ):
            with (
                self.subTest(told=told),
                self.assertRaisesRegex(UnreadableSource, told),
            ):
                read(data)


if __name__ == "__main__":
    unittest.main()
