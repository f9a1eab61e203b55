"""Tests of loading dockets."""

from pathlib import Path

from gruff_ledger import speakers
from gruff_ledger.docket.load import load_docket
from gruff_ledger.docket.sections import AskTerms
from gruff_ledger.job.engine import run
from gruff_ledger.problems import BadDocket, UnreadableSource
from tests.support import FolderTest

DOCKET = """\
docket = 1
title = "Berths, {month}"

[ask.month]
say = "Which month?"
choices = ["May", "June"]

[lists.north]
from = "{month}/north.csv"
delimiter = ";"

[lists.south]
from = "south.csv"

[[entry]]
do = "merge"
name-source = "Quay {class}"
as = "both"

[[entry]]
do = "flag"
required = "Berth"

[[entry.rule]]
field = "Class"
allowed = ["A"]

[[entry]]
do = "duplicates"
list = "both"
by = ["Berth"]

[[out]]
to = "out/{month}.csv"

[[out]]
to = "both.csv"
list = "both"
"""


class LoadDocketTest(FolderTest):
    def load(self, text: str = DOCKET, **options: object) -> object:
        """Write a docket and load it."""
        options.setdefault("answers", {"month": "May"})
        return load_docket(self.write("job.toml", text), **options)

    def refused(self, text: str, **options: object) -> str:
        """Return the paragraph with which a docket is refused."""
        with self.assertRaises(BadDocket) as caught:
            self.load(text, **options)
        caught.exception.said_to(speakers.DOCKET)
        return caught.exception.paragraph().removeprefix(f"{self.folder}/")

    def test_makes_a_job_of_it(self) -> None:
        """Answers are filled in, lists in hand are followed, paths start there."""
        job = self.load()
        self.assertEqual(job.title, "Berths, May")
        self.assertEqual(job.lists[0].address, "May/north.csv")
        self.assertEqual(job.lists[0].reading.delimiter, ";")
        self.assertEqual(
            [(entry.verb.name, entry.lists, entry.result) for entry in job.entries],
            [
                ("merge", ("north", "south"), "both"),
                ("flag", ("both",), "entry 2"),
                ("duplicates", ("both",), "entry 3"),
            ],
        )
        self.assertEqual(job.entries[0].terms.name_source, "Quay {class}")
        self.assertEqual(job.entries[1].terms.rule[0].field, "Class")
        self.assertEqual(
            [(out.path.relative_to(self.folder), out.list_name) for out in job.outs],
            [(Path("out/May.csv"), "entry 3"), (Path("both.csv"), "both")],
        )
        self.assertEqual(job.ledger, self.folder / "ledger")

    def test_refuses_what_is_unknown_or_ill_typed_with_its_place(self) -> None:
        """File, entry, line, key, and the nearest that is known."""
        for was, now, told in (
            ("docket = 1", "docket = 2", "line 1, key 'docket': its layout is"),
            (
                "title =",
                "titel =",
                "line 2, key 'titel': there is no such key. Did you",
            ),
            ("say =", "sya =", "question 'month', line 5, key 'sya'"),
            ("delimiter", "delimeter", "list 'north', line 10, key 'delimeter'"),
            ('do = "merge"', 'do = "merg"', "entry 1, line 16, key 'do': there is no"),
            ("name-source", "nmae-source", "entry 1 (merge), line 17, key 'nmae-s"),
            ('list = "both"\nby', 'list = "boht"\nby', "line 30, key 'list': there"),
            ('by = ["Berth"]', "by = 7", "entry 3 (duplicates), line 31, key 'by': 7"),
            ('field = "Class"', 'feild = "Class"', "table 1, 'feild': there is no"),
            ('as = "both"', 'as = "north"', "line 18, key 'as': there is a list 'no"),
            ('to = "both.csv"', "ot = 1", "out 2, line 37, key 'ot': there is no"),
            ('[[out]]\nto = "both', '[out]\nto = "both', "it is not TOML"),
        ):
            with self.subTest(now=now):
                text = self.refused(DOCKET.replace(was, now, 1))
                self.assertTrue(text.startswith("job.toml"), text)
                self.assertIn(told, text)
                self.assertNotIn("--", text)

    def test_refuses_tables_of_the_wrong_form(self) -> None:
        """A docket may be TOML and still no docket."""
        for text, told in (
            ("", "it is required"),
            ("docket = 1", "names no list"),
            ("docket = 1\nlists = 3", "tables of the form [lists.NAME]"),
            ("docket = 1\n[entry]\ndo = 'merge'", "tables of the form [[entry]]"),
            ("docket = 1\nentry = [1]", "tables of the form [[entry]]"),
        ):
            with self.subTest(text=text):
                self.assertIn(told, self.refused(text, answers={}))

    def test_writes_only_below_its_folder(self) -> None:
        """Unless anywhere is allowed; links and answers do not help it out."""
        for now in ("../out.csv", "/tmp/out.csv", "x/../../out.csv"):
            with self.subTest(now=now):
                text = DOCKET.replace("both.csv", now)
                self.assertIn("lies outside the docket's folder", self.refused(text))
                self.load(text, anywhere=True)
        text = DOCKET.replace('choices = ["May", "June"]', "")
        text = text.replace('to = "out/{month}.csv"', 'to = "{month}"')
        self.assertIn("outside", self.refused(text, answers={"month": "../x.csv"}))
        self.assertIn("outside", self.refused('ledger = "../l"\n' + DOCKET))

    def test_asks_what_is_not_answered(self) -> None:
        """Else takes the default; an answer must be one of the choices."""
        job = self.load(answers={}, ask=lambda name, question: "June")
        self.assertEqual(job.title, "Berths, June")
        asked = DOCKET.replace('say = "', 'default = "May"\nsay = "')
        self.assertEqual(self.load(asked, answers={}).title, "Berths, May")
        self.assertIn("not answered", self.refused(DOCKET, answers={}))
        told = self.refused(DOCKET, answers={"month": "Jun"})
        self.assertIn("'Jun' is not an answer", told)
        self.assertIn("Did you mean 'June'?", told)
        self.assertIn("no question 'moth'", self.refused(DOCKET, answers={"moth": ""}))
        self.assertIsNone(AskTerms(say="x").default)

    def test_several_lists_need_a_name_for_the_one_in_hand(self) -> None:
        """It cannot know which is meant."""
        text = DOCKET[: DOCKET.index("[[entry]]")] + '[[entry]]\ndo = "duplicates"\n'
        self.assertIn("no list is in hand yet", self.refused(text))

    def test_paths_and_depths_that_cannot_be_are_said(self) -> None:
        """However odd a docket is, it ends in a problem."""
        self.assertIn(
            "cannot be followed", self.refused(DOCKET.replace("both.csv", "a\\u0000b"))
        )
        self.assertIn("too deeply", self.refused("docket = " + "[" * 5000))

    def test_a_missing_or_unreadable_docket_is_said(self) -> None:
        """As for any file."""
        with self.assertRaises(UnreadableSource):
            load_docket(self.folder / "none.toml")
        self.write("odd.toml", b"title = '\xe9'")
        with self.assertRaisesRegex(BadDocket, "not written in UTF-8"):
            load_docket(self.folder / "odd.toml")


class FaultsTest(FolderTest):
    TEXT = """docket = 1
titel = "Berths"
[ask.month]
sya = "Which?"
[lists.north]
from = "north.csv"
delimeter = ";"
header-rows = "two"
[[entry]]
do = "sort"
as = "sorted"
[[entry]]
do = "pcik"
[[entry]]
do = "count"
lists = ["sorted"]
by = 7
ovr = 1
[[out]]
list = "srted"
to = "../out.csv"
"""

    def test_all_are_told_at_once(self) -> None:
        """In the order of the docket; what hangs on another fault is not one."""
        path = self.write("job.toml", self.TEXT.replace("[ask.month]\nsya", "#"))
        with self.assertRaises(BadDocket) as caught:
            load_docket(path)
        told = [(each.line, each.term) for each in caught.exception.every()]
        self.assertEqual(
            told,
            [
                (2, "titel"),
                (6, "delimeter"),
                (7, "header-rows"),
                (8, "by"),
                (12, "do"),
                (17, "ovr"),
                (16, "by"),
                (19, "list"),
            ],
        )

    def test_the_command_says_each_in_a_paragraph(self) -> None:
        """Questions come first: without answers nothing else can be told."""
        self.write("job.toml", self.TEXT)
        told = self.gruff("run", "job.toml", status=2).stderr.decode().splitlines()
        self.assertEqual(len(told), 3)
        self.assertTrue(all(line.startswith("gruff: job.toml, ") for line in told))
        self.assertIn("key 'titel': there is no such key", told[0])
        self.assertIn("key 'sya': there is no such key", told[1])
        self.assertIn("key 'say': it is required", told[2])

    def test_orders_can_be_lists(self) -> None:
        """Wherever the fields of an order are named, as wherever fields are."""
        self.write("n.csv", 'Boat,"Last, first"\nTern,b\nSeal,c\nGull,c\n')
        for by, expected in (
            ('["Boat"]', ["Gull", "Seal"]),
            ('["Last, first", "Boat DESC"]', ["Tern", "Seal"]),
            ("['\"Last, first\" DESC', 'Boat']", ["Gull", "Seal"]),
        ):
            for do in ("sort", "pick"):
                with self.subTest(by=by, do=do):
                    top = "top = 2\n" if do == "pick" else ""
                    path = self.write(
                        "job.toml",
                        'docket = 1\n[lists.n]\nfrom = "n.csv"\n'
                        f'[[entry]]\ndo = "{do}"\nby = {by}\n{top}',
                    )
                    done = run(load_docket(path), keep_result=True, write=False)
                    assert done.result is not None
                    boats = done.result.cells("Boat").to_pylist()
                    self.assertEqual(sorted(boats[:2]), sorted(expected))
        done = self.gruff("sort", "n.csv", "--by", '"Last, first" DESC', "--by", "Boat")
        self.assertEqual(done.stdout.split()[2][:4], b"Gull")
