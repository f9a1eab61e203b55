"""Tests of drafted rules: what is said of each kind of field."""

import io
import json
import unittest
from typing import Any

from gruff_ledger.report.rules import write_draft_rules
from gruff_ledger.table import Table
from gruff_ledger.work.look.survey.perform import perform
from gruff_ledger.work.look.survey.terms import SurveyTerms


def drafted(cells: list[str], **terms: object) -> dict[str, Any]:
    """Return the rules of a field of these cells, after a field of numbers."""
    records = [(str(n), cell) for n, cell in enumerate(cells)]
    made = Table.of_records(("n", "the field!"), records)
    sink = io.BytesIO()
    write_draft_rules(perform(SurveyTerms(**terms), made).detail, sink, ".json", {})
    rules = json.loads(sink.getvalue())
    return rules["tableSchema"]["columns"][1]  # type: ignore[no-any-return]


class RulesTest(unittest.TestCase):
    def test_names_titles_and_required(self) -> None:
        column = drafted(["a", "b"])
        self.assertEqual(column["name"], "the_field")
        self.assertEqual(column["titles"], "the field!")
        self.assertTrue(column["required"])
        self.assertNotIn("required", drafted(["a", ""]))

    def test_datatypes(self) -> None:
        cases: list[tuple[list[str], object]] = [
            (["5", "-7"], {"base": "integer", "minimum": "-7", "maximum": "5"}),
            (["5", "1.5"], {"base": "decimal", "minimum": "1.5", "maximum": "5.0"}),
            (["5", "x"], {"base": "string", "minLength": 1, "maxLength": 1}),
            (["007", "08"], {"base": "string", "format": "[0-9]{2,3}"}),
            (["2026-05-01"], {"base": "date", "format": "yyyy-MM-dd"}),
            (["31/12/2026"], {"base": "date", "format": "dd/MM/yyyy"}),
            (["01/02/2026"], {"base": "string", "minLength": 10, "maxLength": 10}),
            (["A+", "B"] * 4, {"base": "string", "format": r"A\+|B"}),
            (["", ""], "string"),
        ]
        for cells, datatype in cases:
            with self.subTest(cells=cells):
                self.assertEqual(drafted(cells)["datatype"], datatype)

    def test_words_for_nothing(self) -> None:
        self.assertEqual(drafted(["n/a", "5"], null=("n/a",))["null"], ["", "n/a"])


if __name__ == "__main__":
    unittest.main()
