"""Dockets again: if changed, since the last run, dry, in part, drawn, watched."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from gruff_ledger.system.locks import only_one
from tests.support import PROGRAM, FolderTest

NORTH = "Berth,Boat,Length\nN-01,Grey Heron,9.4\nN-02,Old Seal,12\n"
DOCKET = """docket = 1
[ask.month]
say = "Which month?"
default = "May"
[lists.quays]
from = "in/*.csv"
[lists.rates]
from = "rates.csv"
[[entry]]
do = "merge"
lists = ["quays"]
[[entry]]
do = "flag"
rules = "rules.toml"
[[entry]]
do = "lookup"
in = "rates"
key = "Berth"
take = "Rate"
as = "rated"
[[out]]
list = "rated"
to = "out/{month}.csv"
key = "Berth"
"""
NOTHING = "Nothing changed since the run of"


class DocketTest(FolderTest):
    """A docket with a pattern, rules, a reference and a question."""

    def setUp(self) -> None:
        """Write all of it."""
        super().setUp()
        self.write("in/north.csv", NORTH)
        self.write("rates.csv", "Berth,Rate\nN-01,12.50\nN-02,8\n")
        self.write(
            "rules.toml", 'rules = 1\n[[rule]]\nfield = "Length"\nrequired=true\n'
        )
        self.write("job.toml", DOCKET)

    def said(self, *arguments: str, status: int = 0) -> str:
        """Run the docket, and return all that it says."""
        done = self.gruff("run", "job.toml", *arguments, status=status)
        return done.stdout.decode() + done.stderr.decode()


class IfChangedTest(DocketTest):
    """`--if-changed` goes by content."""

    def test_the_answer_needs_nothing_that_works_on_lists(self) -> None:
        """So it comes at once."""
        self.said("--if-changed")
        command = [sys.executable, "-X", "importtime", "-m", "gruff_ledger"]
        command += ["run", "job.toml", "--if-changed"]
        done = subprocess.run(command, cwd=self.folder, capture_output=True, check=True)
        self.assertIn(NOTHING.encode(), done.stdout + done.stderr)
        lines = done.stderr.decode().splitlines()
        loaded = {line.rpartition("|")[2].strip() for line in lines}
        self.assertIn("click", loaded)
        self.assertEqual(loaded & {"numpy", "pyarrow"}, set())

    def test_nothing_is_done_when_nothing_changed(self) -> None:
        """Not when times alone changed; results stay untouched."""
        self.said("--if-changed")
        out = self.folder / "out" / "May.csv"
        before = out.stat().st_mtime_ns
        for path in self.folder.rglob("*"):
            if path.is_file() and path != out:
                os.utime(path, (0, 4_000_000_000))
        self.assertIn(NOTHING, self.said("--if-changed"))
        self.assertEqual(out.stat().st_mtime_ns, before)

    def test_whatever_changed_makes_it_run(self) -> None:
        """A source, rules, a reference, the docket, an answer, a result."""
        self.said()
        for change, said in (
            (lambda: self.write("in/north.csv", NORTH.replace("9.4", "9.5")), "north"),
            (lambda: self.write("rates.csv", "Berth,Rate\nN-01,1\n"), "rates.csv"),
            (lambda: self.write("rules.toml", "rules = 1\nrule = []\n"), "rules.toml"),
            (lambda: self.write("job.toml", DOCKET + "# more\n"), "the docket changed"),
            (lambda: self.write("in/south.csv", NORTH), "other files match in/*.csv"),
            (lambda: (self.folder / "out/May.csv").unlink(), "is not there any more"),
            (lambda: self.write("out/May.csv", "mine"), "was changed since"),
        ):
            with self.subTest(said=said):
                change()
                told = self.said("--if-changed", "--replace")
                self.assertIn("Run, because", told)
                self.assertIn(said, told)
                self.assertIn(NOTHING, self.said("--if-changed"))
        told = self.said("--if-changed", "--set", "month=June", "--replace")
        self.assertIn("the answers to its questions changed", told)

    def test_a_clock_set_back_does_not_matter(self) -> None:
        """Neither times of the future nor an account of the future are believed."""
        self.said()
        path = self.folder / "ledger" / "account.json"
        account = json.loads(path.read_text())
        account["started"] = "2199-01-01T00:00:00Z"
        path.write_text(json.dumps(account))
        self.assertIn(NOTHING, self.said("--if-changed"))
        self.write("rates.csv", "Berth,Rate\nN-01,1\n")
        os.utime(self.folder / "rates.csv", (0, 0))
        self.assertIn("rates.csv changed", self.said("--if-changed", "--replace"))

    def test_the_status_stays(self) -> None:
        """A run that found stops is still one when nothing changed."""
        rule = 'rules = 1\n[[rule]]\nfield = "Boat"\nallowed = "x"\nseverity = "stop"\n'
        self.write("rules.toml", rule)
        self.said(status=1)
        self.assertIn(NOTHING, self.said("--if-changed", status=1))

    def test_a_damaged_account_makes_it_run(self) -> None:
        """Without an account, or with half of one, the docket is run."""
        self.said()
        path = self.folder / "ledger" / "account.json"
        path.write_bytes(path.read_bytes()[:100])
        self.assertIn("cannot be read", self.said("--if-changed", "--replace"))
        path.unlink()
        told = self.said("--if-changed", "--replace")
        self.assertIn("there is no account of a run before", told)

    def test_lists_from_the_web_are_asked_after(self) -> None:
        """With what is known of the kept copy; only another content counts."""
        from gruff_ledger.demo.publisher import Publisher

        asked: list[int] = []
        with Publisher(0, lambda _, status: asked.append(status)) as web:
            name = "north-quay.csv"
            self.write(
                "web.toml",
                f'docket = 1\n[lists.north]\nfrom = "{web.address}/{name}"\n'
                '[[entry]]\ndo = "sort"\nby = "Boat"\n[[out]]\nto = "web.csv"\n',
            )
            self.gruff("run", "web.toml")
            done = self.gruff("run", "web.toml", "--if-changed")
            self.assertIn(NOTHING, done.stdout.decode())
            self.assertEqual(asked, [200, 304])
        done = self.gruff("run", "web.toml", "--if-changed", "--replace", status=2)
        self.assertIn("cannot be fetched", done.stderr.decode())


class SinceLastTest(DocketTest):
    """`--since-last` compares each result with the one before."""

    def test_new_gone_and_changed_records_are_told(self) -> None:
        """By the key of the out; each of them is in the ledger."""
        self.assertIn("it was not there before", self.said("--since-last"))
        self.assertIn("the same records", self.said("--since-last", "--replace"))
        self.write(
            "in/north.csv", "Berth,Boat,Length\nN-01,Grey Heron,9.5\nN-03,Tern,7\n"
        )
        told = self.said("--since-last", "--replace")
        self.assertIn("1 new, 1 gone, 1 changed in 1 cell", told)
        self.assertIn("N-01, Length: '9.4', now '9.5'", told)
        rows = self.records("ledger/since-last.csv")
        self.assertEqual(
            [(row["what"], row["record"]) for row in rows],
            [("gone", "N-02"), ("new", "N-03"), ("changed", "N-01")],
        )
        account = json.loads(self.text("ledger/account.json"))
        self.assertEqual(account["since_last"][0]["gone"], 1)
        self.assertIn("1 new, 1 gone", self.text("ledger/account.html"))
        self.said("--replace")
        self.assertEqual(self.records("ledger/since-last.csv"), [])

    def test_without_a_key_whole_records_count(self) -> None:
        """In a workbook too, whose figures are read in one way before and after."""
        docket = DOCKET.replace(
            'to = "out/{month}.csv"\nkey = "Berth"', 'to = "out/book.xlsx#sheet=May"'
        )
        self.write("job.toml", docket)
        self.said()
        self.assertIn("the same records", self.said("--since-last", "--replace"))
        self.write("in/north.csv", NORTH.replace("9.4", "9.5"))
        self.assertIn(
            "1 new, 1 gone, 0 changed", self.said("--since-last", "--replace")
        )

    def test_a_failed_run_keeps_what_is_compared(self) -> None:
        """What counts is the last good run: a failed one writes nothing."""
        self.said()
        self.write("in/north.csv", NORTH.replace("Berth", "Place"))
        self.gruff("run", "job.toml", "--replace", status=2)
        self.write("in/north.csv", NORTH)
        self.assertIn("the same records", self.said("--since-last", "--replace"))

    def test_other_fields_are_said(self) -> None:
        """Without a key, records of other fields cannot be compared whole."""
        self.write("job.toml", DOCKET.rpartition("key")[0])
        self.said()
        self.write("in/north.csv", NORTH.replace("Length", "Long"))
        self.write("rules.toml", "rules = 1\nrule = []\n")
        told = self.said("--since-last", "--replace")
        self.assertIn("its fields differ from before", told)


class LookInsideTest(DocketTest):
    """Dry runs, parts of a docket, and its drawing."""

    def test_a_dry_run_writes_nothing(self) -> None:
        """The account is told, and no file made; what is there is said."""
        before = sorted(self.folder.rglob("*"))
        told = self.said("--dry-run")
        self.assertIn("2 records in: 2 out, 0 set aside. Balanced.", told)
        self.assertIn("Nothing was written", told)
        self.assertEqual(sorted(self.folder.rglob("*")), before)
        self.said()
        out = self.text("out/May.csv")
        self.write("in/north.csv", NORTH.replace("9.4", "9.5"))
        told = self.said("--dry-run", "--if-changed")
        self.assertIn(
            "There already: out/May.csv. To replace them, add --replace", told
        )
        self.assertEqual(self.text("out/May.csv"), out)

    def test_stop_after_shows_the_list_in_hand(self) -> None:
        """By number or name; nothing is written, and later faults do not matter."""
        self.write("rates.csv", "none\n")
        for said, first in (
            ("1", "Berth,Boat,Length"),
            ("entry 2", "Berth,Boat,Length"),
        ):
            done = self.gruff("run", "job.toml", "--stop-after", said)
            self.assertEqual(done.stdout.decode().splitlines()[0], first)
        self.assertFalse((self.folder / "ledger").exists())
        said = self.problem("run", "job.toml", "--stop-after", "rate")
        self.assertIn(
            "there is no entry 'rate'. Did you mean 'rated'?",
            said.replace("the docket has no entry", "there is no entry"),
        )

    def test_a_drawing_has_lists_entries_and_results(self) -> None:
        """Nothing is read for it but the docket."""
        (self.folder / "in" / "north.csv").unlink()
        lines = self.said("--diagram").splitlines()
        self.assertIn("quays   in/*.csv", lines)
        self.assertIn("  3 lookup  = rated  ◀ rates, rates.csv", lines)
        self.assertIn("  └─▶ out/May.csv", lines)

    def test_a_console_without_lines_gets_others(self) -> None:
        """Where the encoding has no such characters, plain ones stand for them."""
        done = subprocess.run(
            [str(PROGRAM), "run", "job.toml", "--diagram"],
            cwd=self.folder,
            capture_output=True,
            env={**os.environ, "PYTHONIOENCODING": "cp1252"},
            check=True,
        )
        self.assertIn("  `-> out/May.csv", done.stdout.decode().splitlines())

    def test_one_of_them_at_a_time(self) -> None:
        """They contradict each other."""
        said = self.problem("run", "job.toml", "--dry-run", "--diagram")
        self.assertIn("Give only one of --dry-run, --stop-after and", said)


class TwoRunsTest(DocketTest):
    """One docket is run once at a time."""

    def test_the_second_is_refused(self) -> None:
        """It says why, writes nothing, and can be run once the first has ended."""
        with only_one(self.folder / "job.toml"):
            said = self.problem("run", "job.toml")
            self.assertIn("another run of it is at work. Nothing was done.", said)
            self.assertFalse((self.folder / "out").exists())
            self.said("--dry-run")
        self.said()


class WatchTest(DocketTest):
    """`gruff watch`, driven as a person would."""

    @contextlib.contextmanager
    def watching(self, *arguments: str) -> Iterator[_Watching]:
        """Watch the docket until the block ends."""
        command = [str(PROGRAM), "watch", "job.toml", "--settle", "0.3", *arguments]
        with (self.folder / "said.txt").open("wb") as sink:
            running = subprocess.Popen(command, cwd=self.folder, stdout=sink)
            try:
                yield _Watching(running, self.folder / "said.txt")
            finally:
                running.kill()
                running.wait()

    def test_it_runs_again_on_change_and_goes_on_after_a_failure(self) -> None:
        """A change, a docket that is broken and mended, and the end."""
        with self.watching("--since-last") as watching:
            watching.wait_for("Done: 2 in", 1)
            self.write("in/north.csv", NORTH + "N-03,Tern,7\n")
            watching.wait_for("1 new, 0 gone", 1)
            self.write("job.toml", "broken")
            watching.wait_for("Not done: job.toml: it is not TOML", 1)
            self.write("job.toml", DOCKET + "# mended\n")
            watching.wait_for("Done: 3 in", 2)
            watching.running.send_signal(signal.SIGINT)
            self.assertEqual(watching.running.wait(20), 0)
            watching.wait_for("Ended; nothing is half done.", 1)
        self.assertIn("Tern", self.text("out/May.csv"))
        self.assertEqual([*self.folder.rglob("*.part")], [])

    def test_it_waits_for_another_run(self) -> None:
        """However long that takes; it says so once, and goes on after it."""
        with only_one(self.folder / "job.toml"), self.watching("--settle", "0") as one:
            one.wait_for("this one waits for it", 1)
            time.sleep(3)
            self.assertEqual(one.text().count("waits for it"), 1)
        with self.watching() as watching:
            watching.wait_for("Done: 2 in", 1)

    def test_a_docket_that_is_not_there_is_not_waited_for(self) -> None:
        """Its name is wrong, most likely."""
        said = self.problem("watch", "jobb.toml")
        self.assertIn("jobb.toml: there is no such file. Did you mean", said)

    def test_it_waits_for_a_file_that_is_still_written(self) -> None:
        """A list that grows bit by bit is read once, when it is whole."""
        with self.watching() as watching:
            watching.wait_for("Done: 2 in", 1)
            with (self.folder / "in" / "north.csv").open("a", newline="") as sink:
                for number in range(12):
                    sink.write(f"N-{number + 10},Tern {number},7\n")
                    sink.flush()
                    time.sleep(0.1)
            watching.wait_for("Done: 14 in", 1)
            self.assertEqual(watching.text().count("Run, because"), 2)

    def test_it_does_not_replace_what_others_wrote(self) -> None:
        """A result that somebody changed is left, unless it may be replaced."""
        with self.watching() as watching:
            watching.wait_for("Done: 2 in", 1)
            self.write("out/May.csv", "mine\n")
            self.write("in/north.csv", NORTH + "N-03,Tern,7\n")
            watching.wait_for("Not done", 1)
            self.assertEqual(self.text("out/May.csv"), "mine\n")
            watching.running.send_signal(signal.SIGTERM)
            self.assertEqual(watching.running.wait(20), 0)


class _Watching:
    """A watch at work: its process, and what it has said."""

    def __init__(self, running: subprocess.Popen[bytes], said: Path) -> None:
        self.running = running
        self._said = said

    def text(self) -> str:
        """Return what it has said so far."""
        return self._said.read_text(encoding="utf-8")

    def wait_for(self, text: str, count: int) -> None:
        """Wait until it has said something so many times."""
        until = time.monotonic() + 60
        while self.text().count(text) < count:
            if time.monotonic() > until:
                raise AssertionError(f"{text!r} {count} times, not in: {self.text()}")
            time.sleep(0.05)
