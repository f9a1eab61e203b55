"""Tests of the verb card, and of choosing a key on a terminal."""

import sys
import unittest

from gruff_ledger.account.balance import check_balance
from gruff_ledger.cli.screen.choose import Choices, State, after_key, keys_in
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.together.card.perform import perform
from gruff_ledger.work.together.card.terms import CardTerms
from tests.support import FolderTest, table

LIST = table(
    "Boat|Berth|Skipper",
    "Tern|1|Oar",
    "Seal|2|",
    "Tern|3|Keel",
    "|4|x",
    "7.0|5|y",
    name="boats",
)


def card(**terms: object) -> Outcome:
    """Show a card by boat, and check that it balances."""
    outcome = perform(CardTerms(**{"key": ("Boat",), **terms}), LIST)
    check_balance("card", [LIST], outcome)
    return outcome


class CardTest(unittest.TestCase):
    def test_down(self) -> None:
        outcome = card(value=("Seal",))
        self.assertEqual(outcome.table.headings, ("field", "record 2"))
        self.assertEqual(
            outcome.table.records(), [("Boat", "Seal"), ("Berth", "2"), ("Skipper", "")]
        )

    def test_all_with_the_key(self) -> None:
        outcome = card(value=("Tern",), fields=("Skipper", "Berth"))
        self.assertEqual(outcome.table.headings, ("field", "record 1", "record 3"))
        self.assertEqual(outcome.table.records()[0], ("Skipper", "Oar", "Keel"))
        across = card(value=("Tern",), fields=("Skipper", "Berth"), lay="across")
        self.assertEqual(across.table.records(), [("Oar", "1"), ("Keel", "3")])

    def test_several_keys_and_levels(self) -> None:
        outcome = card(key=("Boat AS LOOSE", "Berth"), value=(" tern", "3"))
        self.assertEqual(outcome.table.headings, ("field", "record 3"))
        outcome = card(key=("Boat AS NUMBER",), value=("7",))
        self.assertEqual(outcome.table.headings, ("field", "record 5"))

    def test_very_many_records(self) -> None:
        many = table("k|v", *(f"a|{number}" for number in range(60)))
        outcome = perform(CardTerms(key=("k",), value=("a",)), many)
        self.assertEqual(len(outcome.table.headings), 51)
        self.assertIn("10 more records are not shown", outcome.notes[-1].what)

    def test_what_is_not_there(self) -> None:
        for terms, said in (
            (
                {"value": ("seal",)},
                "'Seal' is there: write it so, or give `match loose`",
            ),
            ({"value": ("Sael",)}, "Did you mean 'Seal'"),
            ({"value": ("Zzzzzz",)}, "See what there is"),
            ({}, "was given"),
            ({"value": (" ",)}, "can be no key"),
            ({"value": ("a", "b")}, "2 values are given for 1 field"),
        ):
            with self.subTest(**terms), self.assertRaises(BadTerms) as caught:
                card(**terms)
            self.assertIn(said, caught.exception.what + caught.exception.remedy)
        with self.assertRaises(UnknownField):
            card(key=("Boot",), value=("x",))
        with self.assertRaises(BadTerms):
            perform(CardTerms(key=("k",), value=("a",)), table("k"))


class ChoosingTest(unittest.TestCase):
    CHOICES = Choices(["Old Otter", "Otter", "Élodie", "Red Tern"])

    def test_what_is_typed_narrows_down(self) -> None:
        self.assertEqual(self.CHOICES.left("ot"), [1, 0])
        self.assertEqual(self.CHOICES.left("elo"), [2])
        self.assertEqual(self.CHOICES.left("er red"), [3])
        self.assertEqual(self.CHOICES.left(""), [0, 1, 2, 3])

    def test_keys(self) -> None:
        state = State()
        for key, expected in (
            ("o", State("o", 0)),
            ("\x1b[B", State("o", 1)),
            ("\xe0P", State("o", 2)),
            ("\x1b[B", State("o", 2)),
            ("\x1b[A", State("o", 1)),
            ("\x1b[5~", State("o", 1)),
            ("t", State("ot", 0)),
            ("\x7f", State("o", 0)),
        ):
            state = after_key(self.CHOICES, state, key)
            self.assertEqual(state, expected, key)
        self.assertEqual(keys_in("ab\x1b[B\r"), ["a", "b", "\x1b[B", "\r"])
        self.assertEqual(keys_in("\x1b[5~"), [])


@unittest.skipIf(sys.platform == "win32", "there are no pseudo-terminals")
class TerminalTest(FolderTest):
    def test_a_key_is_searched_and_chosen(self) -> None:
        self.write("a.csv", "Boat,Berth\nTern,1\nOld Otter,2\nOtter,3\n,4\n")
        command = ("card", "a.csv", "--key", "Boat")
        shown = self.on_terminal(command, ["ot\x1b[B", "\r"], "Esc leaves")
        self.assertIn("2 choices", shown)
        self.assertIn("1 record has Boat 'Old Otter'", shown)
        self.assertRegex(shown, r"Old Otter +2")
        for key in ("\x1b", "\x03", "\x04"):
            left = self.on_terminal(command, [key], "Esc leaves")
            self.assertIn("interrupted", left)

    def test_without_a_terminal_the_value_is_needed(self) -> None:
        self.write("a.csv", "Boat,Berth\nTern,1\n")
        told = self.problem("card", "a.csv", "--key", "Boat")
        self.assertIn("was given", told)
        done = self.gruff("card", "a.csv", "--key", "Boat", "--value", "Tern")
        self.assertEqual(done.stdout, b"field,row 2\nBoat,Tern\nBerth,1\n")
