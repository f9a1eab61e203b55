"""Tests of count: how often each value occurs."""

import unittest
from collections import Counter

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.match.levels import letters, loose
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.look.count.perform import perform
from gruff_ledger.work.look.count.terms import CountTerms
from tests.support import table

VALUES = st.lists(st.text("aAá -.", max_size=3), max_size=15)


class CountTest(unittest.TestCase):
    def test_a_value_is_shown_as_most_spell_it(self) -> None:
        """The first of those met, where two are as frequent; in the order asked for."""
        given_ = table("Town", "kiel", "ULM", "Kiel", "ulm", "Kiel", "Bonn")
        outcome = perform(CountTerms(by=("Town",), match="loose"), given_)
        self.assertEqual(
            [record[:2] for record in outcome.table.records()],
            [("Kiel", "3"), ("ULM", "2"), ("Bonn", "1")],
        )
        self.assertEqual(outcome.table.origin.record.tolist(), [3, 2, 6])
        terms = CountTerms(by=("Town",), match="loose", order="value")
        values = perform(terms, given_).table.cells("Town").to_pylist()
        self.assertEqual(values, ["Bonn", "Kiel", "ULM"])

    def test_most_frequent_first_then_as_they_appear(self) -> None:
        made = table("boat|class", "x|B", "y|A", "z|A", "w|", "v|C")
        outcome = perform(CountTerms(by=("class",)), made)
        self.assertEqual(outcome.table.headings, ("class", "count", "share"))
        self.assertEqual(
            outcome.table.records(),
            [
                ("A", "2", "40.0%"),
                ("B", "1", "20.0%"),
                ("", "1", "20.0%"),
                ("C", "1", "20.0%"),
            ],
        )
        self.assertEqual(outcome.lineage.summed, 5)
        self.assertEqual(outcome.table.origin.record.tolist(), [2, 1, 4, 5])

    def test_orders(self) -> None:
        made = table("n", "b", "a", "b")
        for order, values in (("value", ["a", "b"]), ("appearance", ["b", "a"])):
            outcome = perform(CountTerms(by=("n",), order=order), made)
            self.assertEqual([r[0] for r in outcome.table.records()], values)

    def test_only_above_a_limit(self) -> None:
        outcome = perform(CountTerms(by=("n",), over=1), table("n", "b", "a", "b"))
        self.assertEqual(outcome.table.records(), [("b", "2", "66.7%")])
        self.assertIn("stand for 1 record.", outcome.notes[-1].what)

    def test_spellings_at_a_match_level(self) -> None:
        made = table("n", "Ann", "ANN ", "Ann", "Á. Nn", "Bob", name="one")
        outcome = perform(CountTerms(by=("n",), match="loose"), made)
        self.assertEqual(
            outcome.table.records()[0], ("Ann", "3", "60.0%", "'Ann' 2, 'ANN ' 1")
        )
        self.assertEqual(outcome.table.records()[2][3], "")
        made = table("n", "St. Ann", "st ann", "ST ÀNN")
        outcome = perform(CountTerms(by=("n",), match="letters"), made)
        self.assertEqual(outcome.table.records()[0][:2], ("St. Ann", "3"))

    def test_several_lists_and_fields(self) -> None:
        one = table("boat|class", "x|A", "y|B", name="north")
        two = table("class|boat", "A|x", "A|z", name="south")
        outcome = perform(CountTerms(by=("class", "boat")), one, two)
        self.assertEqual(
            outcome.table.records()[0], ("A", "x", "2", "50.0%", "north 1, south 1")
        )
        with self.assertRaises(BadTerms):
            perform(CountTerms(), one, two)

    def test_a_field_named_like_a_figure(self) -> None:
        outcome = perform(CountTerms(by=("count",)), table("count", "a", "a"))
        self.assertEqual(outcome.table.headings, ("count", "count (2)", "share"))
        self.assertEqual(outcome.measured, "count (2)")

    def test_empty_lists(self) -> None:
        outcome = perform(CountTerms(by=("n",)), table("n"))
        self.assertEqual((len(outcome.table), outcome.lineage.summed), (0, 0))
        self.assertEqual(len(perform(CountTerms(), table("n")).table), 0)

    @given(VALUES, VALUES, st.sampled_from(["exact", "loose", "letters"]))
    def test_agrees_with_counting_one_by_one(
        self, one: list[str], two: list[str], match: str
    ) -> None:
        fold = {"exact": str, "loose": loose, "letters": letters}[match]
        lists = [
            Table.of_records(("n",), [(v,) for v in values]) for values in (one, two)
        ]
        outcome = perform(CountTerms(by=("n",), match=match), *lists)
        counted = {fold(r[0]): int(r[1]) for r in outcome.table.records()}
        self.assertEqual(counted, Counter(map(fold, one + two)))
        self.assertEqual(len(counted), len(outcome.table))


if __name__ == "__main__":
    unittest.main()
