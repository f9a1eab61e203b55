"""The options that verbs share, and those of dockets, through the built program."""

import json
import re
import unittest
from collections.abc import Sequence

from tests.cli.test_every_option import (
    COMMON,
    FILES,
    KEEPING,
    READING,
    WRITING,
    options,
)
from tests.support import FolderTest


class SharedTest(FolderTest):
    """What all verbs have, with each of them."""

    def setUp(self) -> None:
        super().setUp()
        for file, text in FILES.items():
            self.write(file, text)

    def typed(self, name: str, words: Sequence[str]) -> list[str]:
        """Leave out the options that a verb does not have, with their values."""
        known = options(name)
        kept: list[str] = []
        wanted = True
        for word in words:
            if word.startswith("--"):
                wanted = word in known
            if wanted:
                kept.append(word)
        return kept

    def test_reading_keeping_and_writing(self) -> None:
        for name, common in COMMON.items():
            with self.subTest(name):
                to = ("--to", "out.xlsx" if name == "form" else "out.csv")
                given = self.typed(name, (*READING, *KEEPING, *WRITING))
                done = self.gruff(name, *common, *given, *to, status=None)
                self.assertIn(done.returncode, (0, 1), done.stderr)
                account = json.loads(self.text("ledger/account.json"))
                self.assertEqual(account["entries"][0]["do"], name)
                if name == "form":
                    continue
                written = (self.folder / "out.csv").read_bytes()
                self.assertTrue(written.startswith(b"\xef\xbb\xbf"))
                self.assertEqual(written.count(b"\n"), written.count(b"\r\n"))
                self.assertIn(b";", written)
                self.assertTrue(self.text("aside.csv").startswith("entry,reason"))

    def test_summaries(self) -> None:
        for name, common in COMMON.items():
            with self.subTest(name):
                to = ("--to", "out.xlsx", "--replace")
                told = self.gruff(name, *common, *to, "--json", status=None)
                said = json.loads(told.stdout)
                self.assertEqual((said["verb"], told.stderr), (name, b""))
                self.assertTrue(said["account"]["balance"]["balances"])
                quiet = self.gruff(name, *common, *to, "--quiet", status=None)
                self.assertEqual((quiet.stdout, quiet.stderr), (b"", b""))

    def test_findings_are_left_out_of_workbooks(self) -> None:
        for name, common in COMMON.items():
            if name == "form":
                continue
            with self.subTest(name):
                to = ("--to", "out.xlsx", "--replace", "--no-findings")
                done = self.gruff(name, *common, *to, status=None)
                self.assertIn(done.returncode, (0, 1), done.stderr)

    def test_every_verb_can_be_entered_in_a_docket(self) -> None:
        for name, common in COMMON.items():
            with self.subTest(name):
                ending = "xlsx" if name == "form" else "csv"
                to = ("--to", f"{name}.{ending}", "--enter", f"{name}.toml")
                done = self.gruff(name, *common, *to, status=None)
                self.assertIn(done.returncode, (0, 1), done.stderr)
                self.assertIn(f'do = "{name}"', self.text(f"{name}.toml"))
                again = self.gruff("run", f"{name}.toml", "--replace", status=None)
                self.assertIn(again.returncode, (0, 1), again.stderr)


class DocketOptionsTest(FolderTest):
    """The options of the other commands that are not tested by name elsewhere."""

    def test_all_options_of_run_at_once(self) -> None:
        self.write("boats.csv", FILES["boats.csv"])
        self.write(
            "job.toml",
            'docket = 1\n[ask.class]\nsay = "Which?"\ndefault = "A"\n[lists.boats]\n'
            'from = "boats.csv"\n[[entry]]\ndo = "pick"\n'
            "where = \"Class = '{class}'\"\n"
            '[[out]]\nto = "out.csv"\n',
        )
        common = (
            *("run", "job.toml", "--set", "class=B", "--anywhere", "--replace"),
            *("--ledger", "kept-ledger", "--memory", "1 GB", "--scratch", "."),
            *("--kept", "kept", "--offline", "--tries", "1", "--time-limit", "9"),
            *("--size-limit", "9"),
        )
        self.gruff(*common, "--since-last", "--json")
        self.assertEqual(len(self.records("out.csv")), 2)
        told = self.gruff(*common, "--if-changed").stdout
        self.assertTrue(re.search(b"Nothing changed", told), told)
        self.assertEqual(self.gruff(*common, "--quiet").stdout, b"")
        for option in (("--dry-run",), ("--stop-after", "1"), ("--diagram",)):
            self.gruff(*common, *option)


class ReadingOfAllListsTest(FolderTest):
    """What a command says of reading holds for every list of it."""

    def setUp(self) -> None:
        super().setUp()
        self.write("parcels.csv", "No;Class;Town\n1;A;Zoë\n2;B;x\n".encode("cp1252"))
        self.write("rates.csv", "Code,note;Rate\nA;Köln\nB;y\n".encode("cp1252"))
        self.write("plain.csv", "Code,Rate\nA,1\nB,2\n")

    READ = ("--delimiter", ";", "--encoding", "windows-1252")

    def test_holds_for_the_reference_list(self) -> None:
        """And is entered in the docket for it."""
        self.gruff(
            *("lookup", "parcels.csv", "--in", "rates.csv", *self.READ),
            *("--key", 'Class="Code,note"', "--take", "Rate", "--to", "out.csv"),
            *("--enter", "job.toml"),
        )
        self.assertEqual(self.records("out.csv")[0]["Rate"], "Köln")
        (self.folder / "out.csv").unlink()
        self.gruff("run", "job.toml")
        self.assertEqual(self.records("out.csv")[0]["Rate"], "Köln")

    def test_a_list_can_be_given_its_own(self) -> None:
        """At the end of its address."""
        self.gruff(
            *("lookup", "parcels.csv", "--in", "plain.csv#delimiter=,/encoding=utf-8"),
            *(*self.READ, "--key", "Class=Code", "--take", "Rate"),
            *("--to", "out.csv", "--enter", "job.toml"),
        )
        self.assertEqual(self.records("out.csv")[1]["Rate"], "2")
        (self.folder / "out.csv").unlink()
        self.gruff("run", "job.toml")
        self.assertEqual(self.records("out.csv")[1]["Rate"], "2")

    def test_is_left_out_for_formats_that_have_no_such_thing(self) -> None:
        """But refused where no list has it."""
        self.gruff("scrub", "plain.csv", "--trim", "--to", "rates.xlsx")
        self.gruff(
            *("lookup", "parcels.csv", "--in", "rates.xlsx", *self.READ),
            *("--key", "Class=Code", "--take", "Rate", "--to", "out.csv"),
        )
        self.assertEqual(self.records("out.csv")[1]["Rate"], "2")
        told = self.problem("merge", "rates.xlsx", "--delimiter", ";")
        self.assertIn("--delimiter", told)

    def test_an_unknown_word_at_an_address_is_told(self) -> None:
        """With the nearest."""
        self.assertIn("delimiter", self.problem("merge", "plain.csv#delimitr=;"))
        self.assertIn("encoding", self.problem("merge", "plain.csv#encoding=x-none"))
        self.assertIn("9x", self.problem("merge", "plain.csv#skip-rows=9x"))


if __name__ == "__main__":
    unittest.main()
