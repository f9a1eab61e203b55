"""`--enter`: commands written down in a docket, which then does the same."""

from __future__ import annotations

from gruff_ledger.work.registry import VERBS
from tests.cli import test_program
from tests.support import FolderTest

LIST = "Berth,Boat,Length\nN-01, Grey Heron,9.4\nN-02,Old Seal,\nN-01,Grey Heron,9.4\n"


class EnterTest(FolderTest):
    """Commands are entered; then their outputs go away, and the docket makes them."""

    def setUp(self) -> None:
        """Write a list."""
        super().setUp()
        self.write("north.csv", LIST)

    def again(self, *outs: str, docket: str = "job.toml") -> None:
        """Run a docket, and compare what it writes with what is there."""
        before = {name: (self.folder / name).read_bytes() for name in outs}
        for name in outs:
            (self.folder / name).unlink()
        self.gruff("run", docket, "--replace", "--quiet", status=None)
        for name, data in before.items():
            self.assertEqual((self.folder / name).read_bytes(), data, name)

    def test_every_verb_can_be_entered(self) -> None:
        """A history of commands becomes one docket, which gives the same bytes."""
        self.write("a.csv", test_program.LIST + "007,\n")
        self.write("b.csv", "Berth,Boat,Class\n007,Amber,A\n007,Bold,B\n9,Tern,C\n")
        outs = []
        for verb, (options, _) in test_program.SameByDocketTest.CASES.items():
            to = f"{verb}.xlsx" if verb == "form" else f"{verb}.csv"
            lists = ["a.csv", "b.csv"] if verb == "compare" else ["a.csv"]
            with self.subTest(verb=verb):
                self.gruff(verb, *lists, *options, "--to", to, "--enter", "job.toml")
                if verb != "form":
                    outs.append(to)
        self.assertEqual(self.text("job.toml").count("[[entry]]"), len(VERBS))
        self.assertEqual(self.text("job.toml").count('from = "a.csv"'), 1)
        (self.folder / "form.xlsx").unlink()
        self.again(*outs)
        self.assertTrue((self.folder / "form.xlsx").exists())

    def test_commands_on_each_others_results_become_a_chain(self) -> None:
        """A list that the docket writes is taken from its entry, and not read."""
        enter = ("--enter", "job.toml")
        self.gruff("scrub", "north.csv", "--trim", "--to", "clean.csv", *enter)
        self.gruff(
            *("duplicates", "clean.csv", "--by", "Berth", "--to", "once.xlsx"), *enter
        )
        self.gruff(
            *("flag", "once.xlsx", "--required", "Length", "--to", "seen.csv"), *enter
        )
        self.gruff("sort", "seen.csv", "--by", "Boat", "--to", "end.xlsx", *enter)
        self.gruff("count", "seen.csv", "--by", "Boat", "--to", "count.csv", *enter)
        text = self.text("job.toml")
        self.assertEqual(text.count("[lists."), 1)
        self.assertIn('list = "seen"', text)
        self.again("clean.csv", "once.xlsx", "seen.csv", "end.xlsx", "count.csv")

    def test_lists_beside_the_result_are_entered_too(self) -> None:
        """Keys without a match, control totals and how the result is written."""
        self.write("rates.csv", "Berth,Rate\nN-01,5\n")
        self.gruff(
            *("lookup", "north.csv", "--in", "rates.csv", "--key", "Berth"),
            *("--take", "Rate", "--unmatched", "lost.csv", "--delimiter", ","),
            *("--to", "rated.csv", "--to-delimiter", ";", "--control", "Length"),
            *("--enter", "job.toml"),
        )
        text = self.text("job.toml")
        self.assertIn('control = ["Length"]', text)
        self.assertIn('list = "rated.unmatched"', text)
        self.again("rated.csv", "lost.csv")

    def test_paths_start_from_the_docket(self) -> None:
        """Lists, rules, results and charts keep their places from another folder."""
        self.write("in/rules.toml", 'rules = 1\n[[rule]]\nfield = "Boat"\nlength = 9\n')
        enter = ("--enter", "jobs/job.toml")
        (self.folder / "jobs").mkdir()
        self.gruff(
            *("flag", "north.csv", "--rules", "in/rules.toml"),
            *("--to", "jobs/out/a.csv", *enter),
        )
        self.gruff(
            *("survey", "north.csv", "--chart", "jobs/chart.svg"),
            *("--to", "jobs/survey.csv", *enter),
        )
        text = self.text("jobs/job.toml")
        for said in ("../north.csv", "../in/rules.toml", "out/a.csv", "chart.svg"):
            self.assertIn(f'"{said}"', text)
        (self.folder / "jobs/chart.svg").unlink()
        self.again("jobs/out/a.csv", "jobs/survey.csv", docket="jobs/job.toml")
        self.assertTrue((self.folder / "jobs/chart.svg").exists())

    def test_what_people_wrote_stays(self) -> None:
        """Comments stay; what went without a list is named, as it would change."""
        self.write(
            "job.toml",
            '# The quays.\ndocket = 1\n[lists.north]\nfrom = "north.csv"\n'
            '[[entry]]  # first\ndo = "sort"\nby = "Boat"\n'
            '[[out]]\nto = "sorted.csv"  # kept\n',
        )
        self.gruff("run", "job.toml")
        self.write("south.csv", "Berth,Boat\nS-01,Tern\n")
        self.gruff(
            *("merge", "north.csv", "south.csv", "--to", "all.csv"),
            *("--enter", "job.toml"),
        )
        text = self.text("job.toml")
        for said in ("# The quays.", "[[entry]]  # first", '"sorted.csv"  # kept'):
            self.assertIn(said, text)
        self.assertIn('[[entry]]  # first\nlist = "north"', text)
        self.assertIn('[[out]]\nlist = "entry 1"', text)
        self.again("sorted.csv", "all.csv")

    def test_tables_in_strings_are_no_tables(self) -> None:
        """What is added goes to the true ones."""
        text = (
            'title = """\n[[out]]\ndocket = 1\n"""\ndocket = 1\n'
            '[lists.north]\nfrom = "north.csv"\n[[entry]]\ndo = "scrub"\n'
            'trim = true\nnull = """-\n[[out]]"""\n[[out]]\nto = "first.csv"\n'
        )
        self.write("job.toml", text)
        command = ["sort", "north.csv", "--by", "Boat", "--to", "second.csv"]
        self.gruff(*command, "--enter", "job.toml", "--control", "Length")
        now = self.text("job.toml")
        self.assertTrue(now.startswith('title = """\n[[out]]\ndocket = 1\n"""\n'))
        self.assertIn('null = """-\n[[out]]"""\n[[out]]\nlist = "entry 1"\n', now)
        self.assertIn('docket = 1\ncontrol = ["Length"]\n', now)

    def test_headings_of_every_kind_can_be_entered(self) -> None:
        """Quotes, line ends and signs in names and values are written down rightly."""
        self.write("odd.csv", '"a ""b"" = c","é\n\\",x\n1,2,"t\tab"\n')
        self.gruff(
            *("fields", "odd.csv", "--first", "x", "--to", "out.csv"),
            *("--enter", "job.toml"),
        )
        self.gruff(
            *("scrub", "odd.csv", "--map", '2=\x7f"#\\', "--to", "two.csv"),
            *("--enter", "job.toml"),
        )
        self.again("out.csv", "two.csv")

    def test_what_cannot_be_entered_is_refused(self) -> None:
        """Before any work: standard input, results that are written, or outside."""
        enter = ("--enter", "jobs/job.toml")
        (self.folder / "jobs").mkdir()
        work = ("sort", "north.csv", "--by", "Boat")
        self.gruff(*work, "--to", "jobs/a.csv", *enter)
        for arguments, said in (
            (("sort", "-", "--by", "Boat"), "standard input cannot be read again"),
            ((*work, "--to", "jobs/a.csv", "--replace"), "writes 'a.csv' already"),
            ((*work, "--to", "b.csv"), "lies outside the docket's folder"),
        ):
            with self.subTest(arguments=arguments):
                before = self.text("jobs/job.toml")
                self.assertIn(said, self.problem(*arguments, *enter))
                self.assertEqual(self.text("jobs/job.toml"), before)
        self.assertFalse((self.folder / "b.csv").exists())

    def test_another_result_is_not_entered(self) -> None:
        """Where sources changed meanwhile, the docket would not give the same."""
        enter = ("--enter", "job.toml")
        self.gruff("scrub", "north.csv", "--trim", "--to", "clean.csv", *enter)
        before = self.text("job.toml")
        self.write("north.csv", LIST.replace("Old Seal", "New Seal"))
        work = ("sort", "clean.csv", "--by", "Boat", "--to", "end.csv")
        said = self.gruff(*work, *enter, status=2).stderr.decode()
        self.assertIn("done, but not entered: the docket would give another", said)
        self.assertIn("'Old Seal', and would be 'New Seal'", said)
        self.assertEqual(self.text("job.toml"), before)
        self.assertTrue((self.folder / "end.csv").exists())
