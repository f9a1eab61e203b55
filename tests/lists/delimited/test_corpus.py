"""Awkward delimited files, each read as the table that stands beside it."""

import json
import unittest
from pathlib import Path

from gruff_ledger.lists.delimited.read import read_delimited
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_path

CORPUS = Path(__file__).parents[2] / "corpus"


class CorpusTest(unittest.TestCase):
    def test_every_file_reads_as_it_should(self) -> None:
        files = sorted(CORPUS.glob("*.csv"))
        self.assertGreater(len(files), 40)
        for path in files:
            expected = json.loads(path.with_suffix(".json").read_text("utf-8"))
            terms = ReadingTerms(**expected.get("pinned", {}))
            for careful in (False, True):
                with self.subTest(file=path.stem, careful=careful):
                    opened = open_path(path, name="list")
                    reading = read_delimited(opened, terms, careful=careful)
                    self.check(reading, expected)

    def check(self, reading: object, expected: dict[str, object]) -> None:
        table, source = reading.table, reading.source
        self.assertEqual(list(table.headings), expected["headings"])
        self.assertEqual(list(map(list, table.records())), expected["records"])
        self.assertEqual(list(source.titles), expected.get("titles", []))
        self.assertEqual(source.trailing_blank, expected.get("trailing_blank", 0))
        texts = [text for aside in reading.aside for text in aside.text]
        self.assertEqual(texts, expected.get("aside", []))
        short = [number for found in reading.findings for number in found.origin.record]
        self.assertEqual(short, expected.get("short", []))
        counted = len(table) + len(texts) + source.trailing_blank
        self.assertEqual(source.records_in, counted)


if __name__ == "__main__":
    unittest.main()
