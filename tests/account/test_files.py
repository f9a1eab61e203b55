"""Tests of the ledger's files."""

import unittest

from gruff_ledger.account.files import account_facts, ledger_tables
from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.outcome import Change, Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.table import Origin
from tests.support import table


def account() -> Account:
    """Return an account in which everything happened once."""
    north = table("Berth|reason", "1|x", "2|y", name="north")
    one = north.cut_records(0, 1)
    other = Origin.counted(0, 2, 1)
    account = Account("job", "2026-10-01T08:00:00Z")
    facts = {"heading_row": 3, "sha256": lambda: "abc"}
    account.sources.append(Line.of("reading north", "north", 2, Outcome(north), facts))
    done = Outcome(
        north.cut_records(1, 2),
        aside=(SetAside("twice", one, other, ("1,x,",)),),
        changes=(Change("Berth", other, text_column(["02"]), text_column(["2"])),),
        findings=(
            Finding(
                "Berth is odd", Severity.WARN, "Odd.", "Berth", other, text_column("2")
            ),
        ),
        notes=(Note("A note.", "Set `by`."),),
    )
    account.entries.append(Line.of("1 scrub", "entry 1", 2, done, {"do": "scrub"}))
    account.uses["north"] = 1
    return account


class LedgerTablesTest(unittest.TestCase):
    def test_every_record_and_cell_has_its_place(self) -> None:
        """Source, record number, row; a data heading of ours gets another name."""
        files = ledger_tables(account())
        (aside,) = files["set-aside.csv"]
        (findings,) = files["findings.csv"]
        (changes,) = files["changes.csv"]
        self.assertEqual(aside.headings[-2:], ("Berth", "reason (2)"))
        self.assertEqual(
            aside.records(),
            [("1 scrub", "twice", "north", "1", "4", "north", "2", "1,x,", "1", "x")],
        )
        self.assertEqual(
            findings.records(),
            [
                (
                    "1 scrub",
                    "warn",
                    "Berth is odd",
                    "Berth",
                    "2",
                    "Odd.",
                    "",
                    "north",
                    "2",
                    "5",
                ),
            ],
        )
        self.assertEqual(
            changes.records(),
            [("1 scrub", "Berth", "02", "2", "north", "2", "5")],
        )

    def test_files_have_headings_also_when_nothing_happened(self) -> None:
        """A reader finds the same fields every time."""
        files = ledger_tables(Account("job", "now"))
        self.assertEqual({len(each[0]) for each in files.values()}, {0})
        self.assertEqual(files["changes.csv"][0].headings[:2], ("entry", "field"))


class AccountFactsTest(unittest.TestCase):
    def test_tells_everything_in_numbers(self) -> None:
        """The hash is waited for; keys are as documented."""
        told = account()
        facts = account_facts(told, told.strike_balance())
        self.assertEqual(facts["sources"][0]["sha256"], "abc")
        (entry,) = facts["entries"]
        self.assertEqual(entry["records_in"], 2)
        self.assertEqual(entry["set_aside_by_reason"], {"twice": 1})
        self.assertEqual(entry["cells_changed"], 1)
        self.assertEqual(facts["findings"][0]["severity"], "warn")
        self.assertTrue(facts["balance"]["balances"])
        self.assertEqual(facts["notes"], [{"note": "A note.", "remedy": "Set by."}])
