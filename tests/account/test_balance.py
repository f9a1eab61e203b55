"""Tests of the balance."""

import unittest

import numpy as np

from gruff_ledger.account.balance import check_balance
from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.outcome import Lineage, Outcome, SetAside
from gruff_ledger.problems import OutOfBalance
from tests.support import table

LIST = table("a", "1", "2", "3")


class CheckBalanceTest(unittest.TestCase):
    def part(self, *places: int) -> object:
        """Return some records of the list."""
        return LIST.pick_records(np.array(places, np.int64))

    def test_accepts_what_goes_out_or_is_set_aside(self) -> None:
        """In any order."""
        aside = SetAside("why", self.part(1))
        check_balance("x", [LIST], Outcome(self.part(2, 0), (aside,)))

    def test_records_made_of_others_have_the_origin_of_those(self) -> None:
        """Each record that came in is to be found at least once."""
        made = Outcome(self.part(0, 0, 1, 2, 2), lineage=Lineage(made=2))
        check_balance("x", [LIST], made)
        for places, count in (((0, 0, 1, 1, 1), 2), ((0, 0, 1, 2), 2), ((0, 1), 0)):
            with self.subTest(places=places), self.assertRaises(OutOfBalance):
                outcome = Outcome(self.part(*places), lineage=Lineage(made=count))
                check_balance("x", [LIST], outcome)

    def test_refuses_a_lost_an_invented_and_a_doubled_record(self) -> None:
        """Also where the numbers agree."""
        for places, what in (
            ((0, 1), "3 came in, 2 went out"),
            ((0, 1, 2, 2), "3 came in, 4 went out"),
            ((0, 1, 1), "not the same records"),
        ):
            with self.subTest(places=places):
                with self.assertRaises(OutOfBalance) as caught:
                    check_balance("entry 1", [LIST], Outcome(self.part(*places)))
                self.assertIn(what, caught.exception.what)
                self.assertEqual(caught.exception.entry, "entry 1")


class StrikeBalanceTest(unittest.TestCase):
    def account(self, *entries: tuple[str, int, int, tuple[str, ...]]) -> Account:
        """Return an account of two sources of 3 records and the given entries."""
        account = Account("test", "now")
        for name in ("north", "south"):
            account.sources.append(Line.of("r", name, 5, Outcome(LIST), {}, left_out=2))
        for result, records_in, records_out, lists in entries:
            outcome = Outcome(LIST.pick_records(np.zeros(records_out, np.int64)))
            account.entries.append(Line.of("e", result, records_in, outcome, {}))
            account.uses.update(lists)
        return account

    def test_adds_up_lists_used_once_never_and_again(self) -> None:
        """A list that two entries use comes in once more."""
        merged = ("merged", 6, 6, ("north", "south"))
        balance = self.account(merged).strike_balance()
        self.assertEqual((balance.records_in, balance.records_out), (10, 6))
        self.assertEqual((balance.left_out, balance.used_again), (4, 0))
        again = ("again", 3, 3, ("north",))
        balance = self.account(merged, again).strike_balance()
        self.assertEqual((balance.used_again, balance.records_out), (3, 9))

    def test_refuses_a_run_that_lost_records(self) -> None:
        """Nothing may be written then."""
        account = self.account(("merged", 6, 5, ("north", "south")))
        with self.assertRaisesRegex(OutOfBalance, "does not balance: 10 records"):
            account.strike_balance()
