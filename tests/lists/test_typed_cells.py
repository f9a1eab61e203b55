"""Tests of which cells are written as numbers and dates, and come back alike."""

import json
import unittest
from unittest import mock

import openpyxl
import pyarrow.parquet as parquet
from hypothesis import given, settings
from hypothesis import strategies as st

from gruff_ledger.columns.arrays import text_column
from gruff_ledger.lists import typed_cells
from gruff_ledger.lists.typed_cells import (
    DATE,
    TEXT,
    FieldType,
    day_number,
    field_type,
    typed_kinds,
)
from tests.support import FolderTest

CELLS = st.one_of(
    st.sampled_from(
        [
            *("", "0", "-0", "007", "1.50", "-3", "+5", ".5", "5.", "1e5", "1,5", "x"),
            *("123456789012345", "1234567890123456", "0.1", "-0.10", "100.000000"),
            *(
                "2026-05-01",
                "2026-02-30",
                "1900-02-28",
                "1900-03-01",
                "2026-05-01T10:00",
            ),
        ]
    ),
    st.decimals(allow_nan=False, allow_infinity=False, places=2).map(str),
    st.dates().map(lambda day: day.isoformat()),
)


class KindsTest(unittest.TestCase):
    def test_each_cell(self) -> None:
        column = text_column(["12", "1.50", "2026-05-01", "x", "-0", "1e5", "+5"])
        kinds = typed_kinds(column)
        assert kinds is not None
        self.assertEqual(kinds.tolist(), [0, 2, DATE, TEXT, TEXT, TEXT, TEXT])

    def test_codes_make_a_field_one_of_texts(self) -> None:
        self.assertIsNone(typed_kinds(text_column(["007", "113"])))
        self.assertIsNone(typed_kinds(text_column(["Tern", "", "N-12"])))

    @given(st.lists(CELLS, max_size=40))
    def test_few_cells_are_told_as_many_are(self, cells) -> None:
        """Law: one by one or by arrays, the kinds are the same."""
        few = typed_kinds(text_column(cells))
        with mock.patch.object(typed_cells, "_SHORT_CELLS", -1):
            many = typed_kinds(text_column(cells))
        self.assertEqual(
            None if few is None else few.tolist(),
            None if many is None else many.tolist(),
        )

    def test_types_of_fields(self) -> None:
        for cells, expected in (
            (("1", "", "-20"), FieldType("whole")),
            (("1.50", "2.25"), FieldType("decimal", 2)),
            (("2026-05-01", ""), FieldType("date")),
            (("1.5", "2.25"), None),
            (("1", "x"), None),
            (("1", "2026-05-01"), None),
        ):
            with self.subTest(cells=cells):
                self.assertEqual(field_type(text_column(cells)), expected)
        mixed = field_type(text_column(["1.5", "2.25"]), scales_may_differ=True)
        self.assertEqual(mixed, FieldType("decimal", 2))

    def test_days_as_workbooks_count_them(self) -> None:
        self.assertEqual(day_number("1900-03-01"), 61)
        self.assertEqual(day_number("2026-11-29"), 46355)


class ComesBackTest(FolderTest):
    ENDINGS = ("xlsx", "json", "jsonl", "parquet", "db")

    @settings(max_examples=8, deadline=None)
    @given(st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=12))
    def test_to_the_character(self, rows: list[tuple[str, str]]) -> None:
        rows = [*rows, ("end", "end")]
        text = "a,b\n" + "".join(f'"{a}","{b}"\n' for a, b in rows)
        self.write("in.csv", text)
        self.gruff("fields", "in.csv", "--keep", "a, b", "--to", "in2.csv", "--replace")
        for ending in self.ENDINGS:
            to = f"out.{ending}"
            self.gruff("fields", "in2.csv", "--keep", "a, b", "--to", to, "--replace")
            self.gruff("fields", to, "--keep", "a, b", "--to", "o.csv", "--replace")
            self.assertEqual(self.text("o.csv"), self.text("in2.csv"), ending)

    def test_as_other_libraries_see_it(self) -> None:
        text = "Code,Qty,Price,Day\n007,12,150.00,2026-05-01\n012,,0.10,\n"
        self.write("in.csv", text)
        for ending in ("xlsx", "json", "parquet"):
            self.gruff("sort", "in.csv", "--by", "Code", "--to", f"o.{ending}")
        (sheet,) = openpyxl.load_workbook(self.folder / "o.xlsx").worksheets
        row = [(cell.value, cell.number_format) for cell in sheet[2]]
        self.assertEqual(row[:3], [("007", "@"), (12, "General"), (150, "0.00")])
        self.assertEqual(row[3][0].date().isoformat(), "2026-05-01")
        self.assertEqual(sum(cell.value for cell in sheet["C"][1:]), 150.1)
        self.assertIn('"Price":150.00', self.text("o.json"))
        self.assertEqual(json.loads(self.text("o.json"))[1]["Qty"], None)
        schema = parquet.read_schema(self.folder / "o.parquet")
        types = [str(schema.field(name).type) for name in schema.names]
        self.assertEqual(types, ["string", "int64", "decimal128(38, 2)", "date32[day]"])

    def test_decimals_that_differ_are_typed_where_asked(self) -> None:
        self.write("in.csv", "a\n1.5\n2.25\n")
        self.gruff("sort", "in.csv", "--by", "a", "--to", "o.parquet", "--typed")
        done = self.gruff("fields", "o.parquet", "--keep", "a")
        self.assertEqual(done.stdout.decode(), "a\n1.50\n2.25\n")


if __name__ == "__main__":
    unittest.main()
