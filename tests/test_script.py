"""Tests of calling the program from Python, and of the guide's examples."""

import contextlib
import io
import os
import re
import subprocess
import sys
import unittest
from pathlib import Path

import gruff_ledger
from gruff_ledger import Problem, Run, do, make_list, read, run, write
from gruff_ledger.problems import BadTerms, UnreadableSource, UnwritableOutput
from tests.postgres import PASSWORD, server
from tests.support import FolderTest

GUIDE = Path(__file__).parents[1] / "docs" / "python.md"


class ScriptTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("boats.csv", "Boat,Berth\nTern,007\nGull,12\nTern,007\n")
        before = Path.cwd()
        os.chdir(self.folder)
        self.addCleanup(os.chdir, before)

    def test_a_list_is_read_as_it_is(self) -> None:
        boats = read("boats.csv")
        self.assertEqual(boats.headings, ("Boat", "Berth"))
        self.assertEqual(boats.records(0, 1), [("Tern", "007")])
        self.assertEqual(
            read(Path("boats.csv"), header_rows=0).records(0, 1)[0][0], "Boat"
        )

    def test_work_tells_all_that_happened(self) -> None:
        done = do("duplicates", read("boats.csv"))
        self.assertEqual(len(done.table), 2)
        self.assertEqual(done.aside[0].table.records(), [("Tern", "007")])

    def test_a_table_can_stand_for_a_list_that_a_term_names(self) -> None:
        rates = make_list(["Name", "Rate"], [("Tern", "4.10")])
        done = do(
            "lookup", read("boats.csv"), in_=rates, key={"Boat": "Name"}, take="Rate"
        )
        self.assertEqual(
            [each[-1] for each in done.table.records()], ["4.10", "", "4.10"]
        )
        write(rates, "rates.csv")
        done = do(
            "lookup",
            read("boats.csv"),
            in_="rates.csv",
            key={"Boat": "Name"},
            take="Rate",
        )
        self.assertEqual(done.table.records()[0][-1], "4.10")

    def test_lists_made_here_can_be_put_together(self) -> None:
        one = make_list(["a"], [("1",)], name="one")
        two = make_list(["a"], [("2",)], name="two")
        done = do("merge", one, two, name_source="from")
        self.assertEqual(done.table.records(), [("1", "one"), ("2", "two")])

    def test_records_that_do_not_fit_are_refused_and_not_cut(self) -> None:
        for headings, records, words in (
            (["a"], [("1",), ("1", "2")], "record 2 has 2 cells"),
            (["a", "b"], [("1",)], "record 1 has 1 cells"),
            (["a", "a"], [], "two headings"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                make_list(headings, records)
        none = make_list(["a"], [])
        self.assertEqual(do("duplicates", none).table.records(), [])

    def test_how_many_lists_a_verb_takes_is_said(self) -> None:
        boats = read("boats.csv")
        for given, words in (
            ((boats, boats), "one list, and 2"),
            ((), "none is given"),
        ):
            with self.assertRaises(BadTerms) as caught:
                do("sort", *given, by="Boat")
            self.assertIn(words, caught.exception.paragraph())
        with self.assertRaises(BadTerms), Run() as work:
            work.do("sort", by="Boat")

    def test_a_list_is_written_whole_and_not_over_another(self) -> None:
        boats = read("boats.csv")
        write(boats, "out.tsv", line_ends="crlf")
        self.assertEqual(self.text("out.tsv").splitlines()[1], "Tern\t007")
        with self.assertRaises(UnwritableOutput):
            write(boats, "out.tsv")
        write(boats, "out.tsv", replace=True)
        write(boats, "book.xlsx#sheet=May")
        self.assertEqual(read("book.xlsx#sheet=May").records(), boats.records())

    def test_problems_say_what_to_do(self) -> None:
        boats = read("boats.csv")
        write(boats, "more.csv")
        for wrong, kind, words in (
            (lambda: do("duplicate", boats), BadTerms, "Did you mean 'duplicates'?"),
            (lambda: do("sort", boats, bye="Boat"), BadTerms, "no such key"),
            (lambda: do("sort", boats, by="Boot"), Problem, "Boat"),
            (lambda: read("boat.csv"), UnreadableSource, "Did you mean"),
            (lambda: read("*.csv"), Problem, "2 lists"),
        ):
            with self.subTest(words), self.assertRaises(kind) as caught:
                wrong()
            self.assertIn(words, caught.exception.paragraph())

    def test_a_run_writes_everything_at_its_end(self) -> None:
        with Run("Boats", ledger="ledger") as work:
            boats = work.read("boats.csv")
            once = work.do("duplicates", boats)
            self.assertEqual(len(boats.table), 3)
            self.assertEqual(len(once.table), 2)
            kept = work.do("pick", once, where="Boat = 'Gull'", name="gulls")
            work.write(kept, "gulls.csv")
            self.assertFalse(Path("gulls.csv").exists())
        assert work.done is not None
        self.assertEqual(self.text("gulls.csv"), "Boat,Berth\nGull,12\n")
        self.assertEqual(work.done.balance.set_aside, 2)
        self.assertIn('"result": "gulls"', self.text("ledger/account.json"))
        self.assertIn(
            b"boats, row 3", self.gruff("trace", "gulls.csv", "--record", "1").stdout
        )

    def test_a_run_that_fails_writes_nothing(self) -> None:
        with self.assertRaises(ZeroDivisionError), Run(ledger="ledger") as work:
            work.write(work.read("boats.csv"), "out.csv")
            print(1 / 0)
        with self.assertRaises(Problem), Run() as work:
            work.write(work.do("sort", work.read("boats.csv"), by="Boot"), "out.csv")
        self.assertEqual([each.name for each in self.folder.iterdir()], ["boats.csv"])

    def test_a_docket_is_run(self) -> None:
        self.write(
            "job.toml",
            'docket = 1\n[ask.keep]\nsay = "Which?"\ndefault = "Tern"\n[lists.boats]\n'
            'from = "boats.csv"\n[[entry]]\ndo = "pick"\nwhere = "Boat = \'{keep}\'"\n'
            '[[out]]\nto = "out.csv"\n',
        )
        done = run("job.toml", answers={"keep": "Gull"})
        assert done.result is not None
        self.assertEqual(done.result.records(), [("Gull", "12")])
        self.assertEqual(self.text("out.csv"), "Boat,Berth\nGull,12\n")

    def test_a_table_on_a_server_is_written(self) -> None:
        there = server()
        there.do("DROP TABLE IF EXISTS scripted")
        before = dict(os.environ)
        self.addCleanup(lambda: (os.environ.clear(), os.environ.update(before)))
        os.environ["PGPASSWORD"] = PASSWORD
        write(read("boats.csv"), f"{there.address}#table=scripted")
        self.assertEqual(len(read(f"{there.address}#table=scripted")), 3)


class GuideTest(FolderTest):
    def test_its_examples_run(self) -> None:
        self.gruff("demo", "harbour", "--quiet")
        text = GUIDE.read_text(encoding="utf-8")
        blocks = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
        self.assertGreater(len(blocks), 6)
        before = Path.cwd()
        os.chdir(self.folder / "harbour")
        self.addCleanup(os.chdir, before)
        names: dict[str, object] = {}
        with contextlib.redirect_stdout(io.StringIO()) as told:
            for block in blocks:
                exec(compile(block, str(GUIDE), "exec"), names)
        said = told.getvalue()
        self.assertIn("Boat, Mooring no", said)
        self.assertIn("'Boats'", said)
        self.assertIn("True", said)
        traced = self.gruff("trace", "harbour/rated.csv", "--record", "5").stdout
        self.assertIn(b"as in north-quay, row 6", traced)


class PackageTest(unittest.TestCase):
    def test_it_is_typed_and_imports_nothing_until_asked(self) -> None:
        folder = Path(gruff_ledger.__file__).parent
        self.assertTrue((folder / "py.typed").is_file())
        code = (
            "import sys, gruff_ledger; assert not {'numpy', 'pyarrow', 'click'} & "
            "set(sys.modules); gruff_ledger.read; assert 'click' not in sys.modules"
        )
        subprocess.run([sys.executable, "-c", code], check=True)
        self.assertIn("do", dir(gruff_ledger))
        with self.assertRaises(AttributeError):
            gruff_ledger.reed  # noqa: B018


class ProblemsTest(FolderTest):
    def test_problems_name_parameters(self) -> None:
        """As a script gives them, and keys where a docket is at fault."""
        boats = make_list(["Boat"], [["Tern"]])
        for call, told in (
            (lambda: do("merge", boats, name_source=7), "`name_source`: 7 is not"),
            (lambda: do("lookup", boats, key="Boat"), "`in_`: it is required"),
            (lambda: read(self.folder / "x.csv", dlimiter=";"), "`dlimiter`: there is"),
        ):
            with self.subTest(told=told), self.assertRaises(Problem) as caught:
                call()
            self.assertIn(told, str(caught.exception))
            self.assertNotIn("--", str(caught.exception))
        write(boats, self.folder / "boats.csv")
        with self.assertRaisesRegex(Problem, "add `replace=True` to replace it"):
            write(boats, self.folder / "boats.csv")
        text = 'docket = 1\n[lists.a]\nfrom = "boats.csv"\n[[out]]\nto = "../x.csv"\n'
        docket = self.write("job.toml", text)
        with self.assertRaisesRegex(Problem, "allow it with `anywhere`"):
            run(docket)
        self.write("job.toml", text.replace("[[out]]", "[[uot]]"))
        with self.assertRaisesRegex(Problem, "key 'uot'"):
            run(docket)

    def test_notes_do_so_too(self) -> None:
        """What settles them can be given."""
        outcome = do("sort", make_list(["Boat"], [["Tern"]]), by="Boat")
        for note in outcome.notes:
            self.assertNotIn("--", note.remedy)


if __name__ == "__main__":
    unittest.main()
