"""Tests of writing delimited text."""

import csv
import io
import unittest
from unittest.mock import patch

import numpy as np

from gruff_ledger.columns.arrays import constant_column
from gruff_ledger.lists.delimited import write
from gruff_ledger.lists.delimited.write import write_delimited
from gruff_ledger.table import Table
from tests.support import table


def written(given: Table, delimiter: str = ",") -> str:
    """Return the text of a table."""
    sink = io.BytesIO()
    write_delimited(given, sink, delimiter)
    return sink.getvalue().decode("utf-8")


class WriteDelimitedTest(unittest.TestCase):
    def test_quotes_only_where_it_must(self) -> None:
        """The delimiter, quotes and line ends need them; spaces do not."""
        given = table("a|b", "1, 2|x", ' y |"q"', "l\nm|", "n\ro|p;q")
        self.assertEqual(
            written(given), 'a,b\n"1, 2",x\n y ,"""q"""\n"l\nm",\n"n\ro",p;q\n'
        )
        self.assertEqual(
            written(given, ";").splitlines()[1:3], ["1, 2;x", ' y ;"""q"""']
        )

    def test_a_single_blank_cell_is_not_an_empty_line(self) -> None:
        """Some readers pass over empty lines."""
        self.assertEqual(written(table("a", "x", "", "y")), 'a\nx\n""\ny\n')

    def test_a_mark_at_the_start_is_quoted(self) -> None:
        """Else it would be taken for the file's own."""
        self.assertEqual(written(table("\ufeffa|b")), '"\ufeffa",b\n')

    def test_many_records_keep_their_order(self) -> None:
        """They are formatted in threads; the standard module reads them back."""
        n = 70_000
        numbers = Table.of_records(["n"], ([str(i)] for i in range(n)))
        given = numbers.with_field("x", constant_column('a,"b"', n))
        given = given.keep_records(np.arange(n) % 3 > 0)
        rows = list(csv.reader(io.StringIO(written(given), newline="")))
        expected = [[str(i), 'a,"b"'] for i in range(n) if i % 3]
        self.assertEqual(rows, [["n", "x"], *expected])

    def test_records_left_out_of_a_long_list_are_gone_and_no_others(self) -> None:
        """Where few go, whole lines are left out; the text is that of the list."""
        n = 70_000
        wanted = np.arange(n) % 19 > 0
        wanted[16_384:32_768] = True
        wanted[32_768:49_152] = False
        wanted[49_152:] = True
        for cell in ("x", 'a,"b"', "", "é"):
            numbers = Table.of_records(["n"], ([str(i)] for i in range(n)))
            for given in (numbers, numbers.with_field("x", constant_column(cell, n))):
                with self.subTest(cell=cell, fields=len(given.headings)):
                    left = given.keep_records(wanted)
                    self.assertIsNotNone(left.before_keeping())
                    whole = left.with_fields(left.headings, list(left.all_cells))
                    self.assertIsNone(whole.before_keeping())
                    self.assertEqual(written(left), written(whole))
                    with patch.object(write, "_MOST_BYTES_IN_LINES", 100):
                        self.assertEqual(
                            written(given.keep_records(wanted)), written(whole)
                        )
