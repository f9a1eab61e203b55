"""Tests of reading JSON, JSON Lines, Parquet and SQLite."""

import contextlib
import datetime
import decimal
import json
import sqlite3
import unittest
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as parquet

from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.problems import BadTerms, UnreadableSource
from tests.support import FolderTest


def read(path: Path, **pinned: object) -> Reading:
    """Read the one list of a file."""
    terms = ReadingTerms(**pinned)
    (found,) = find_lists(str(path), name="list", terms=terms)
    return read_list(found.opened, found.address, terms, source=0, hashed=True)


class ParquetTest(FolderTest):
    def test_types_come_in_as_their_text(self) -> None:
        moment = datetime.datetime(2026, 5, 1, 13, 30)
        columns = {
            "code": pa.array(["007", None]),
            "whole": pa.array([12, -3]),
            "money": pa.array([decimal.Decimal("12.50"), None]),
            "share": pa.array([0.1, 12.0]),
            "day": pa.array([datetime.date(2026, 5, 1), None]),
            "at": pa.array([moment, None], pa.timestamp("s")),
            "yes": pa.array([True, None]),
            "kind": pa.array(["a", "b"]).dictionary_encode(),
            "raw": pa.array([b"ok", b"\xff"]),
            "nest": pa.array([[1, 2], None]),
            "none": pa.nulls(2),
        }
        parquet.write_table(pa.table(columns), self.folder / "a.parquet")
        self.gruff("merge", "a.parquet", "--to", "a.csv")
        one, two = self.records("a.csv")
        self.assertEqual(
            list(one.values()),
            [
                *("007", "12", "12.50", "0.1", "2026-05-01", "2026-05-01T13:30:00"),
                *("true", "a", "ok", "[1,2]", ""),
            ],
        )
        self.assertEqual(
            list(two.values()),
            ["", "-3", "", "12", "", "", "", "b", "ff", "", ""],
        )

    def test_a_damaged_file_is_told(self) -> None:
        self.write("a.parquet", b"PAR1 nothing PAR1")
        self.assertIn("cannot be read as a Parquet", self.problem("merge", "a.parquet"))

    def test_fewer_records_than_promised_are_told(self) -> None:
        """A footer that says more than the rest holds is no reason to read none."""
        path = self.folder / "list.parquet"
        parquet.write_table(pa.table({"a": ["x"] * 12345}), path)
        # The number of records comes first in the footer: a zigzag varint (Thrift).
        promised, more = b"\xf2\xc0\x01", b"\xf4\xc0\x01"
        data = path.read_bytes()
        start = len(data) - 8 - int.from_bytes(data[-8:-4], "little")
        footer = data[start:]
        self.assertIn(promised, footer)
        path.write_bytes(data[:start] + footer.replace(promised, more, 1))
        with self.assertRaisesRegex(UnreadableSource, "12,346 records, and 12,345"):
            read(path)


class SqliteTest(FolderTest):
    def test_text_that_is_not_utf_8_is_told_and_can_be_read(self) -> None:
        """With its record and field; in the encoding that is given."""
        path = self.folder / "old.db"
        with contextlib.closing(sqlite3.connect(path)) as made:
            made.execute("CREATE TABLE t (name TEXT, place TEXT)")
            made.execute("INSERT INTO t VALUES ('Ann', 'x')")
            made.execute("INSERT INTO t VALUES (CAST(? AS TEXT), 'y')", (b"Zo\xeb",))
            made.commit()
        with self.assertRaises(UnreadableSource) as caught:
            read(path)
        self.assertEqual((caught.exception.record, caught.exception.field), (2, "name"))
        self.assertIn("encoding", caught.exception.remedy)
        records = read(path, encoding="windows-1252").table.records()
        self.assertEqual(records[1], ("Zoë", "y"))
        with self.assertRaises(BadTerms):
            read(path, encoding="no such")

    def setUp(self) -> None:
        super().setUp()
        with sqlite3.connect(self.folder / "r.db") as database:
            database.execute('CREATE TABLE "the berths" (code, paid REAL, n INT, b)')
            database.execute(
                'INSERT INTO "the berths" VALUES (?, ?, ?, ?)',
                ("007", 12.5, 12345678901234567, b"\xff\x00"),
            )
            database.execute(
                'INSERT INTO "the berths" VALUES (?, ?, ?, ?)', (None, 7, None, b"ok")
            )
            database.execute("CREATE TABLE other (a)")
            database.execute("CREATE VIEW codes AS SELECT code FROM 'the berths'")
        database.close()

    def read(self, part: str) -> list[tuple[str, ...]]:
        terms = ReadingTerms()
        address = str(self.folder / "r.db") + part
        (found,) = find_lists(address, name="list", terms=terms)
        reading = read_list(found.opened, found.address, terms, source=0, hashed=True)
        return reading.table.records()

    def test_tables_and_views(self) -> None:
        self.assertEqual(
            self.read("#table=the berths"),
            [("007", "12.5", "12345678901234567", "ff00"), ("", "7.0", "", "ok")],
        )
        self.assertEqual(self.read("#table=codes"), [("007",)])
        self.assertEqual(sorted(each.name for each in self.folder.iterdir()), ["r.db"])

    def test_a_table_that_is_not_there_is_told(self) -> None:
        self.assertIn("has 2 tables", self.problem("merge", "r.db"))
        told = self.problem("merge", "r.db#table=the bertsh")
        self.assertIn("Did you mean 'the berths'?", told)
        self.write("x.db", b"SQLite format 3\x00" + b"x" * 200)
        self.assertIn("cannot be read as a SQLite", self.problem("merge", "x.db"))

    def test_headings_that_differ_in_case_only_are_refused(self) -> None:
        self.write("a.csv", "Boat,boat\nA,B\n")
        told = self.problem("merge", "a.csv", "--to", "b.db")
        self.assertIn("differ in case only", told)


class ExponentTest(FolderTest):
    def test_numbers_of_typed_sources_are_numbers(self) -> None:
        """Whatever exponent they come with, and exactly."""
        self.write("a.json", '[{"n": 1.25e3}, {"n": 2E-2}, {"n": "3e2"}]')
        self.write("b.jsonl", '{"n": -1e1}\n{"n": 1}\n')
        path = self.folder / "c.parquet"
        parquet.write_table(pa.table({"n": [1e20, 1.5e-7, None]}), path)
        with contextlib.closing(sqlite3.connect(self.folder / "d.db")) as made:
            made.execute("CREATE TABLE t (n REAL)")
            made.execute("INSERT INTO t VALUES (1e20), (1.5e-7)")
            made.commit()
        for name, expected in (
            ("a.json", ["1250", "0.02", "3e2"]),
            ("b.jsonl", ["-10", "1"]),
            ("c.parquet", ["100000000000000000000", "0.00000015"]),
            ("d.db", ["100000000000000000000", "0.00000015"]),
        ):
            with self.subTest(name=name):
                records = read(self.folder / name).table.records()
                self.assertEqual([record[0] for record in records], expected)


class ValueTypesTest(FolderTest):
    """What was a number, a truth value or null in JSON is one in JSON again."""

    def test_values_stay_what_they_were(self) -> None:
        """Through renames, merges and changes; texts that look so are texts."""
        self.write(
            "a.json",
            '[{"No": "007", "Sum": 12.50, "Paid": true, "Note": null, "Tags": [1]},'
            '{"No": "8", "Sum": "9", "Paid": false, "Note": "n", "Tags": {"a": 0}}]',
        )
        self.write("b.csv", "No,Sum\n9,7\n")
        self.gruff("scrub", "a.json", "--trim", "--to", "c.json")
        self.assertEqual(
            json.loads(self.text("c.json")),
            json.loads(self.text("a.json")),
        )
        self.assertIn("12.50", self.text("c.json"))
        self.gruff("fields", "a.json", "--rename", "Sum=Due", "--to", "d.jsonl")
        first = json.loads(self.text("d.jsonl").splitlines()[0])
        self.assertEqual((first["Due"], first["No"]), (12.5, "007"))
        self.gruff("merge", "a.json", "b.csv", "--to", "e.json", "--ledger", "l")
        sums = [each["Sum"] for each in json.loads(self.text("e.json"))]
        self.assertEqual(sums, [12.5, "9", "7"])
        self.gruff(
            *("compute", "c.json", "--formula", "Sum=Sum * 2", "--overwrite"),
            *("--to", "f.json"),
        )
        self.assertEqual(json.loads(self.text("f.json"))[0]["Sum"], 25)
        self.gruff(
            "split",
            "a.json",
            "--field",
            "Note",
            "--at",
            ";",
            "--records",
            "--to",
            "g.json",
        )
        self.assertEqual(json.loads(self.text("g.json"))[0]["Paid"], True)


if __name__ == "__main__":
    unittest.main()
