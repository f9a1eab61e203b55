"""Tests of control totals: what each entry explains, and what it does not."""

import json
import unittest
from collections import Counter
from fractions import Fraction

from hypothesis import assume, given
from hypothesis import strategies as st

from gruff_ledger.account.control import Control, decimal_words, sum_of
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.outcome import Outcome, SetAside
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.registry import VERBS
from tests.support import FolderTest, table

LIST = table("Boat|Rate", "a|1.5", "b|2", "b|2", "c|x", "d|", name="north")


def chain_of(outcome: Outcome, *given: Table):
    """Return the chain of one entry on lists that were just read."""
    control = Control(["Rate"])
    for each in given:
        control.source(each.name, each, ())
    names = [each.name for each in given]
    control.entry("1 work", "result", names, given, outcome)
    uses = Counter(names)
    control.close(uses, ())
    return control.chains[0]


class StepTest(unittest.TestCase):
    def test_a_source(self) -> None:
        chain = chain_of(Outcome(LIST), LIST)
        (source,) = chain.sources
        self.assertEqual(source.came_in, Fraction("5.5"))
        self.assertEqual(source.no_numbers, 1)
        self.assertTrue(chain.closes)

    def test_set_aside_and_folded(self) -> None:
        import numpy as np

        mask = np.array([False, False, True, False, False])
        kept = LIST.origin.pick(np.array([1]))
        aside = SetAside("again", LIST.keep_records(mask), kept)
        chain = chain_of(Outcome(LIST.keep_records(~mask), (aside,)), LIST)
        self.assertEqual(chain.entries[0].folded, 2)
        self.assertTrue(chain.closes)

    def test_a_difference_that_nothing_explains_is_named(self) -> None:
        """A cell that changed without a word, or a record lost."""
        changed = LIST.with_fields(
            LIST.headings, [LIST.held[0], text_column(["1.5", "2", "3", "x", ""])]
        )
        for wrong, difference in (
            (changed, 1),
            (LIST.cut_records(0, 4).cut_records(1, 4), "-1.5"),
        ):
            chain = chain_of(Outcome(wrong), LIST)
            self.assertFalse(chain.closes)
            (step,) = chain.differing
            self.assertEqual(step.label, "1 work")
            self.assertEqual(step.difference, Fraction(difference))

    def test_a_chain_that_does_not_close(self) -> None:
        chain = chain_of(Outcome(LIST), LIST)
        chain.at_end += 1
        self.assertEqual(chain.differing, [])
        self.assertFalse(chain.closes)

    def test_words(self) -> None:
        for value, words in (
            ("0", "0"),
            ("-0.05", "-0.05"),
            ("12", "12"),
            ("1.50", "1.5"),
        ):
            self.assertEqual(decimal_words(Fraction(value)), words)
        self.assertEqual(sum_of(table("a", "0.1", "0,2", "z"), "a"), Fraction("0.3"))


CELLS = st.sampled_from(["", "1", "2.5", "-3", "x", "0.1", " 4"])
KEYS = st.sampled_from(["", "a", "b", "c"])
LISTS = st.lists(st.tuples(KEYS, CELLS, st.sampled_from(["p", "q", ""])), max_size=8)

# Each verb with terms that do something to the field Rate.
WORK = (
    ("merge", {}),
    ("merge", {"key": ("Boat",)}),
    ("merge", {"key": ("Boat",), "precedence": "filled"}),
    ("merge", {"key": ("Boat",), "update": True, "status": "S"}),
    ("merge", {"key": ("Boat",), "precedence": "newest", "of": "Rate AS NUMBER"}),
    ("merge", {"shared_only": True, "sort": "Rate"}),
    ("duplicates", {"by": ("Boat",)}),
    ("duplicates", {"by": ("Boat",), "fill": True, "stays": "last"}),
    ("duplicates", {"by": ("Boat",), "stays": "none"}),
    (
        "lookup",
        {"in_": "ref", "key": ("Boat",), "take": ("Rate=New",), "which": "every"},
    ),
    (
        "lookup",
        {
            "in_": "ref",
            "key": ("Boat",),
            "take": ("Rate",),
            "which": "every",
            "field_there": "overwrite",
        },
    ),
    (
        "lookup",
        {
            "in_": "ref",
            "key": ("Boat",),
            "take": ("Rate",),
            "which": "last",
            "field_there": "fill",
        },
    ),
    ("pick", {"where": "Rate > 1"}),
    ("fields", {"rename": {"Rate": "Tariff"}}),
    ("fields", {"drop": ("Rate",)}),
    ("compute", {"formula": {"Twice": "Rate * 2"}}),
    ("scrub", {"fields": ("Rate",), "trim": True, "fill": "7"}),
    ("split", {"field": "Boat", "at": ("b",), "records": True}),
    ("sort", {"by": "Rate"}),
    ("flag", {"required": ("Rate",), "severity": "stop", "set_aside_stops": True}),
    ("count", {"by": ("Boat",)}),
    ("rollup", {"down": ("Boat",), "value": ("Rate",), "totals": "both"}),
    ("rollup", {"down": ("Boat",), "value": ("Rate",), "detail": "beneath"}),
    ("compare", {"key": ("Boat",)}),
)


class LawTest(unittest.TestCase):
    @given(st.sampled_from(WORK), LISTS, LISTS)
    def test_every_verb_explains_what_it_does(
        self, work: tuple[str, dict], mine: list, theirs: list
    ) -> None:
        name, terms = work
        verb = VERBS[name]
        headings = ["Boat", "Rate", "More"]
        one = Table.of_records(headings, mine, name="one", source=0)
        other = Table.of_records(
            [*headings[:2], "Else"], theirs, name="other", source=1
        )
        given = [one, other] if verb.several else [one]
        beside = {"references": {"ref": other}} if name == "lookup" else {}
        try:
            outcome = verb.perform(verb.terms(**terms), *given, **beside)
            chain = chain_of(outcome, *given)
        except BadTerms:
            # Most cells of a field cannot be read.
            assume(False)
        self.assertEqual([step.difference for step in chain.differing], [])
        self.assertTrue(chain.closes)


class ProgramTest(FolderTest):
    def test_a_docket_carries_them_to_the_outputs(self) -> None:
        self.write("a.csv", "Boat,Rate\nx,1.10\ny,2\ny,2\n")
        self.write("b.csv", "Boat,Price\nz,4\n")
        self.write(
            "d.toml",
            'docket = 1\ncontrol = ["Rate", "Nothing"]\n[lists.a]\nfrom = "a.csv"\n'
            '[lists.b]\nfrom = "b.csv"\n[[entry]]\ndo = "merge"\n'
            'aliases = { Price = "Rate" }\n[[entry]]\ndo = "duplicates"\n'
            '[[entry]]\ndo = "fields"\nrename = { Rate = "Tariff" }\n'
            '[[out]]\nto = "out.csv"\n',
        )
        told = self.gruff("run", "d.toml").stdout.decode()
        self.assertIn("The control total of Rate closes", told)
        self.assertIn("No list has a field 'Nothing'", told)
        facts = json.loads(self.text("ledger/account.json"))["control"][0]
        self.assertEqual(facts["sources"][0]["came_in"], "5.1")
        self.assertEqual(facts["entries"][0]["begun"], "4")
        self.assertEqual(facts["entries"][1]["folded"], "2")
        self.assertEqual(facts["outs"][0]["out"], "7.1")
        self.assertTrue(facts["closes"])

    def test_a_command_has_them_too(self) -> None:
        self.write("a.csv", "Boat,Rate\nx,1\ny,2\n")
        done = self.gruff("pick", "a.csv", "--where", "Rate > 1", "--control", "rate")
        told = done.stderr.decode()
        self.assertIn("Control total of rate", told)
        self.assertIn("closes", told)

    def test_a_total_that_differs_ends_with_status_1(self) -> None:
        """As a program with a fault would have it."""
        from pathlib import Path
        from unittest import mock

        from gruff_ledger.docket.load import load_docket
        from gruff_ledger.job.engine import run
        from gruff_ledger.work.clean.sort import perform

        self.write("a.csv", "Boat,Rate\nx,1\ny,2\n")
        self.write(
            "d.toml",
            'docket = 1\ncontrol = "Rate"\n[lists.a]\nfrom = "a.csv"\n'
            '[[entry]]\ndo = "sort"\nby = "Boat"\n[[out]]\nto = "out.csv"\n',
        )

        def at_fault(terms: object, given: Table) -> Outcome:
            cells = text_column(["1", "20"])
            return Outcome(given.with_fields(given.headings, [given.held[0], cells]))

        with mock.patch.object(perform, "perform", at_fault):
            done = run(load_docket(Path(self.folder / "d.toml")))
        self.assertTrue(done.account.totals_differ())
        from gruff_ledger.account.words import control_words

        words = control_words(done.account.control[0])
        self.assertIn("1 sort does not explain 18 of Rate", words[0][1])


class UnreadableControlTest(FolderTest):
    def test_a_total_that_would_leave_most_out_is_refused(self) -> None:
        """With the count, before anything is written."""
        self.write("a.csv", "No,Fee\n1,5\n2,6 to 8\n3,7 to 8\n")
        words = ("merge", "a.csv", "--control", "Fee", "--to", "b.csv")
        said = self.problem(*words)
        self.assertIn("2 of 3 filled cells of 'Fee' in a are not numbers", said)
        self.assertFalse((self.folder / "b.csv").exists())
        self.write("a.csv", "No,Fee\n1,5\n2,6 to 8\n3,7\n")
        told = self.gruff(*words).stderr.decode()
        self.assertIn("1 cell is not a number, and in no sum", told)
