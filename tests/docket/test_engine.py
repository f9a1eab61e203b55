"""Tests of running jobs."""

from unittest import mock

from gruff_ledger.docket.engine import run
from gruff_ledger.docket.load import load_docket
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import OutOfBalance
from gruff_ledger.table import Table
from gruff_ledger.work import duplicates
from tests.support import FolderTest

DOCKET = """\
docket = 1
[lists.a]
from = "a.csv"
[lists.unused]
from = "nowhere.csv"
[[entry]]
do = "duplicates"
list = "a"
as = "clean"
[[entry]]
do = "duplicates"
list = "a"
treat = "count"
[[out]]
to = "clean.csv"
list = "clean"
[[out]]
to = "counted.csv"
"""


class RunTest(FolderTest):
    def setUp(self) -> None:
        """Write a docket and its list."""
        super().setUp()
        self.write("a.csv", "x,y\n1,2\n1,2\n3,4\n")
        self.docket = self.write("job.toml", DOCKET)

    def test_a_list_may_be_used_again(self) -> None:
        """It is counted once more in the balance; unused lists are said, not read."""
        done = run(load_docket(self.docket))
        self.assertEqual(self.text("clean.csv"), "x,y\n1,2\n3,4\n")
        counted = "x,y,copies\n1,2,2\n1,2,2\n3,4,1\n"
        self.assertEqual(self.text("counted.csv"), counted)
        self.assertEqual((done.balance.records_in, done.balance.used_again), (3, 3))
        self.assertEqual((done.balance.records_out, done.balance.set_aside), (5, 1))
        self.assertIn("No entry works on 'unused'", done.account.notes[0].what)

    def test_an_unbalanced_entry_fails_the_run_and_writes_nothing(self) -> None:
        """Whatever it loses or invents."""

        def losing(terms: object, table: Table) -> Outcome:
            return Outcome(table.slice(0, len(table) - 1))

        with (
            mock.patch.object(duplicates, "perform", losing),
            self.assertRaises(OutOfBalance) as caught,
        ):
            run(load_docket(self.docket))
        self.assertIn("entry 1 (duplicates), line 6", caught.exception.paragraph())
        self.assertEqual(
            sorted(path.name for path in self.folder.iterdir()), ["a.csv", "job.toml"]
        )
