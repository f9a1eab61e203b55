"""Tests of the guide to formulas: its examples are run, and no function is left out."""

import re
import unittest
from pathlib import Path

from gruff_ledger.formula.functions import FUNCTIONS
from gruff_ledger.table import Table
from gruff_ledger.work.clean.compute.perform import perform
from gruff_ledger.work.clean.compute.terms import ComputeTerms

GUIDE = Path(__file__).parents[2] / "docs" / "formulas.md"


def cells(line: str) -> list[str]:
    """Return the cells of a row of a Markdown table."""
    parts = re.split(r"(?<!\\)\|", line.strip())[1:-1]
    return [part.strip().replace("\\|", "|") for part in parts]


class GuideTest(unittest.TestCase):
    def setUp(self) -> None:
        """Read the tables of the guide."""
        self.text = GUIDE.read_text(encoding="utf-8")
        lines = self.text.splitlines()
        start = next(n for n, line in enumerate(lines) if line.startswith("| boat"))
        self.table = Table.of_records(cells(lines[start]), [cells(lines[start + 2])])
        self.examples = [
            (row[0].strip("`"), row[1])
            for line in lines
            if line.startswith("| `") and (row := cells(line))
        ]

    def test_every_example_gives_what_it_says(self) -> None:
        self.assertGreater(len(self.examples), 80)
        for formula, expected in self.examples:
            with self.subTest(formula=formula):
                terms = ComputeTerms(formula={"result": formula})
                result = perform(terms, self.table).table.cells("result")
                self.assertEqual(result.to_pylist(), [expected])

    def test_every_function_has_an_example(self) -> None:
        for name in FUNCTIONS:
            with self.subTest(name=name):
                self.assertRegex(self.text, rf"`{name}[`(]|`[^`]*\b{name}\(")

    def test_small_letters_do_as_well(self) -> None:
        words = re.compile(r"'[^']*'|\"[^\"]*\"|[A-Z_]{2,}")
        for formula, expected in self.examples:
            small = words.sub(
                lambda match: match[0] if match[0][0] in "'\"" else match[0].lower(),
                formula,
            )
            with self.subTest(formula=small):
                terms = ComputeTerms(formula={"result": small})
                result = perform(terms, self.table).table.cells("result")
                self.assertEqual(result.to_pylist(), [expected])


if __name__ == "__main__":
    unittest.main()
