"""Files that other people made, as the packages we need ship them, read and compared.

Each is read by our own reader and, apart from it, by the library of its format. What is
not there on a machine is left out.
"""

import csv
import datetime
import importlib.util
import unittest
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path

import pyarrow.parquet as parquet

from gruff_ledger.cells.dates.moments import to_column as moments_to_column
from gruff_ledger.cells.dates.shapes import date_shape
from gruff_ledger.cells.numbers.group_figures import total_of
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.written.of_list import with_ways
from gruff_ledger.written.read import read_dates, read_numbers

_LEAST_DELIMITED, _LEAST_PARQUET = 10, 3


def shipped(package: str, *patterns: str) -> Iterator[Path]:
    """Yield files that a package ships."""
    found = importlib.util.find_spec(package)
    if found is None or found.origin is None:
        return
    for pattern in patterns:
        yield from sorted(Path(found.origin).parent.glob(pattern))


def read(path: Path) -> Reading:
    """Read the one list of a file, with nothing stated."""
    terms = ReadingTerms()
    (one,) = find_lists(str(path), name="list", terms=terms)
    return read_list(one.opened, one.address, one.terms, source=0, hashed=False)


class ValuesTest(unittest.TestCase):
    """Numbers and dates as people wrote them, against a plain model."""

    def test_days_and_figures_of_a_market(self) -> None:
        for path in shipped("matplotlib", "mpl-data/sample_data/msft.csv"):
            with path.open(encoding="utf-8", newline="") as source:
                rows = list(csv.DictReader(source))
            made = with_ways(read(path).table, {})[0]
            dates = read_dates(made, "Date")
            expected = [
                datetime.datetime.strptime(row["Date"], "%d-%b-%y").date().isoformat()
                for row in rows
            ]
            self.assertEqual(moments_to_column(dates.moments).to_pylist(), expected)
            self.assertTrue(dates.is_date.all())
            for field in ("Open", "Volume"):
                numbers = read_numbers(made, field)
                total = Decimal(total_of(numbers.amounts))
                total = total.scaleb(-numbers.amounts.scale)
                self.assertEqual(total, sum(Decimal(row[field]) for row in rows))

    def test_days_in_the_notes_of_packages(self) -> None:
        """In many forms; a date that is read is one that is written there."""
        found = 0
        for path in shipped("matplotlib", "mpl-data/sample_data/*.csv"):
            for column in read(path).table.all_cells:
                for text in set(column.to_pylist()[:500]):
                    shape = date_shape(text)
                    if shape is not None:
                        found += 1
                        self.assertIn(str(shape.year)[-2:], text)
                        self.assertIn(str(shape.day), text)
        self.assertGreater(found, 60)


class DelimitedFilesTest(unittest.TestCase):
    FILES = (
        *shipped("numpy", "_core/tests/data/*.csv", "random/tests/data/*.csv"),
        *shipped("matplotlib", "mpl-data/sample_data/*.csv"),
        *shipped("tzdata", "zoneinfo/*.tab"),
    )

    def test_every_cell_is_that_of_the_standard_module(self) -> None:
        """Below the heading that was found, with the delimiter that was found."""
        if len(self.FILES) < _LEAST_DELIMITED:
            self.skipTest("the packages of this machine ship no such files")
        for path in self.FILES:
            with self.subTest(file=path.name):
                reading = read(path)
                written = reading.source.written
                with path.open(encoding=written["encoding"], newline="") as lines:
                    rows = list(csv.reader(lines, delimiter=written["delimiter"]))
                below = rows[reading.source.heading_row :]
                while below and not any(map(str.strip, below[-1])):
                    below.pop()
                width = len(reading.table.headings)
                expected = [
                    tuple((row + [""] * width)[:width])
                    for row in below
                    if not any(map(str.strip, row[width:]))
                ]
                self.assertEqual(reading.table.records(), expected)
                aside = sum(len(each.table) for each in reading.aside)
                self.assertEqual(aside, len(below) - len(expected))

    def test_tab_files_are_parted_at_tabs(self) -> None:
        """Below lines of comments, however many, with more commas than tabs."""
        for path in shipped("tzdata", "zoneinfo/*.tab"):
            with self.subTest(file=path.name):
                reading = read(path)
                self.assertEqual(reading.source.written["delimiter"], "\t")
                self.assertGreater(len(reading.table.headings), 1)
                self.assertEqual(sum(len(each.table) for each in reading.aside), 0)


class ParquetFilesTest(unittest.TestCase):
    FILES = tuple(shipped("pyarrow", "tests/data/parquet/*.parquet"))

    def test_every_value_is_that_of_the_library(self) -> None:
        """As text, nulls as blanks."""
        if len(self.FILES) < _LEAST_PARQUET:
            self.skipTest("the packages of this machine ship no such files")
        for path in self.FILES:
            with self.subTest(file=path.name):
                table = parquet.read_table(path)
                reading = read(path)
                self.assertEqual(len(reading.table), table.num_rows)
                for place, column in enumerate(table.columns):
                    ours = reading.table.all_cells[place].to_pylist()
                    for cell, value in zip(ours, column.to_pylist(), strict=True):
                        if value is None:
                            self.assertEqual(cell, "")
                        elif isinstance(value, float):
                            self.assertEqual(float(cell), value)
                        elif isinstance(value, str | int):
                            self.assertEqual(cell, str(value))


if __name__ == "__main__":
    unittest.main()
