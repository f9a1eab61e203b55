"""Tests of near-duplicates on a labelled list, at the default settings."""

import importlib.util
import unittest
from pathlib import Path

from gruff_ledger.table import Table
from gruff_ledger.work.check.duplicates.perform import perform
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms

PEOPLE = Path(__file__).parents[2] / "bench" / "people.py"


class PeopleTest(unittest.TestCase):
    def test_copies_are_found_and_namesakes_left_alone(self) -> None:
        """Precision and recall of pairs are both at least 0.95."""
        spec = importlib.util.spec_from_file_location("people", PEOPLE)
        assert spec is not None and spec.loader is not None
        people = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(people)
        records = people.people(77, 3000)
        listed = Table.of_records(["who", *people.FIELDS], records)
        terms = DuplicatesTerms(near=True, by=people.FIELDS, treat="group")
        found = perform(terms, listed).table.cells("group").to_pylist()
        right, all_ = people.judged([record[0] for record in records], found)
        self.assertGreaterEqual(right, 0.95)
        self.assertGreaterEqual(all_, 0.95)


if __name__ == "__main__":
    unittest.main()
