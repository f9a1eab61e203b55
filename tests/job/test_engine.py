"""Tests of running jobs."""

from unittest import mock

from gruff_ledger.docket.load import load_docket
from gruff_ledger.job.engine import Run, run
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import BadTerms, OutOfBalance
from gruff_ledger.table import Table
from gruff_ledger.work.check.duplicates import perform
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
            return Outcome(table.cut_records(0, len(table) - 1))

        with (
            mock.patch.object(perform, "perform", losing),
            self.assertRaises(OutOfBalance) as caught,
        ):
            run(load_docket(self.docket))
        self.assertIn("entry 1 (duplicates), line 6", caught.exception.paragraph())
        self.assertEqual(
            sorted(path.name for path in self.folder.iterdir()), ["a.csv", "job.toml"]
        )


BESIDE = """\
docket = 1
[lists.boats]
from = "boats.csv"
[lists.tariff]
from = "tariff.csv"
[[entry]]
do = "lookup"
in = "tariff"
key = "Class"
take = ["Rate"]
as = "rated"
"""


class BesideTest(FolderTest):
    """Lists that an entry makes beside its result."""

    def setUp(self) -> None:
        """Write two lists."""
        super().setUp()
        self.write("boats.csv", "Boat,Class\nTern,A\nSeal,X\nGull,X\nAuk,Y\n")
        self.write("tariff.csv", "Class,Rate\nA,4.10\nB,3.40\n")

    def job(self, more: str) -> Run:
        """Run the docket with more to it."""
        return run(load_docket(self.write("job.toml", BESIDE + more)))

    def test_are_written_and_worked_on(self) -> None:
        done = self.job(
            '[[entry]]\ndo = "sort"\nlist = "rated.unmatched"\nby = "Class DESC"\n'
            'as = "keys"\n[[entry]]\ndo = "count"\nlists = ["rated.unmatched"]\n'
            'by = "records"\n'
            '[[out]]\nlist = "rated"\nto = "rated.csv"\n'
            '[[out]]\nlist = "keys"\nto = "keys.csv"\n'
            '[[out]]\nlist = "rated.unused"\nto = "unused.csv"\n'
        )
        self.assertEqual(
            self.text("keys.csv"), "Class,records,nearest known\nY,1,\nX,2,\n"
        )
        self.assertEqual(self.text("unused.csv"), "Class,Rate\nB,3.40\n")
        balance = done.balance
        self.assertTrue(balance.holds)
        # Two records of a list made anew, for each of the two entries on it; and the
        # two that the count made.
        self.assertEqual((balance.records_in, balance.made), (4, 6))

    def test_can_be_looked_into(self) -> None:
        self.job(
            '[[entry]]\ndo = "lookup"\nlist = "boats"\nin = "rated.unmatched"\n'
            'key = "Class"\ntake = ["records"]\nseverity = "note"\n'
            '[[out]]\nto = "out.csv"\n'
        )
        cells = [record["records"] for record in self.records("out.csv")]
        self.assertEqual(cells, ["", "2", "2", "1"])

    def test_a_name_that_is_none(self) -> None:
        with self.assertRaisesRegex(BadTerms, "no list 'rated.unmatchd'"):
            self.job('[[out]]\nlist = "rated.unmatchd"\nto = "out.csv"\n')
        with self.assertRaisesRegex(BadTerms, "there is a list 'rated.unused' already"):
            self.job('[[entry]]\ndo = "sort"\nby = "Boat"\nas = "rated.unused"\n')

    def test_one_that_these_terms_do_not_make(self) -> None:
        docket = BESIDE.replace('take = ["Rate"]', "check = true")
        path = self.write(
            "job.toml", docket + '[[out]]\nlist = "rated.unused"\nto = "out.csv"\n'
        )
        with self.assertRaisesRegex(
            BadTerms, "makes no list 'unused' with these terms"
        ):
            run(load_docket(path))
        self.assertFalse((self.folder / "out.csv").exists())
