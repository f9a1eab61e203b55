"""Tests of the docket's schema."""

import unittest

from gruff_ledger.docket.schema import docket_schema
from gruff_ledger.terms.declared import describe
from gruff_ledger.work.registry import VERBS


class DocketSchemaTest(unittest.TestCase):
    def test_has_every_verb_with_every_term(self) -> None:
        """Made from the declarations, so that nothing can be left out."""
        schema = docket_schema()
        entries = schema["properties"]["entry"]["items"]["oneOf"]
        by_verb = {each["properties"]["do"]["const"]: each for each in entries}
        self.assertEqual(list(by_verb), list(VERBS))
        for name, verb in VERBS.items():
            for term in describe(verb.terms):
                with self.subTest(verb=name, term=term.key):
                    said = by_verb[name]["properties"][term.key]
                    self.assertEqual(said["description"], term.description)
        self.assertIn("lists", by_verb["merge"]["properties"])
        self.assertIn("list", by_verb["flag"]["properties"])
        self.assertEqual(schema["required"], ["docket", "lists"])
