"""No password and no token of an address is shown or kept, whatever is done with it."""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import unittest
import zipfile
from collections.abc import Iterator
from pathlib import Path

from gruff_ledger.cli.main import _status, gruff
from gruff_ledger.demo.publisher import Publisher
from gruff_ledger.work.registry import VERBS
from tests.support import FolderTest

# Marked words, with marks that a mistyped address takes for the end of something.
MARKED = ("S3cretMark", "T0kenMark", "SlashMark", "HashMark", "QueryMark")

# What each verb is asked to do with a list at an address, {list}; {more} is another.
WORK = {
    "show": "{list} --first 3",
    "survey": "{list} --draft-rules draft.json --chart chart.svg",
    "count": "{list} --by Class",
    "scrub": "{list} --fields Boat --case upper",
    "split": "{list} --field Skipper --at . ",
    "join": "{list} --fields Berth,Boat --heading Both",
    "fields": "{list} --keep Berth,Boat",
    "compute": "{list} --formula Twice=Length*2",
    "pick": "{list} --where Length>10",
    "sort": "{list} --by Boat",
    "flag": "{list} --required Remarks",
    "form": "{list} --required Boat",
    "duplicates": "{list} --by Class --decisions decided.jsonl",
    "merge": "{list} {more} --name-source Quay",
    "lookup": "{list} --in {more} --key Berth --take Boat=There",
    "card": "{list} --key Berth --value 001",
    "rollup": "{list} --down Class --value Length --chart chart.svg",
    "compare": "{list} {more} --key Berth --changed changed.csv",
}

DOCKETS = {
    "stated": """docket = 1
[lists.north]
from = "{list}"
[[entry]]
do = "lookup"
in = "{more}"
key = "Berth"
take = ["Boat=There"]
[[out]]
to = "out.csv"
""",
    "default": """docket = 1
title = "Berths of {{where}}"
[ask.where]
say = "Where is it?"
default = "{list}"
[lists.north]
from = "{{where}}"
[[entry]]
do = "sort"
by = "Boat"
[[out]]
to = "out.csv"
""",
    "login": """docket = 1
title = "Berths for {{login}}"
[ask.login]
say = "Name and password?"
default = "ann:S3cretMark"
[lists.north]
from = "http://{{login}}@{host}/north-quay.csv?token={{token}}"
[ask.token]
say = "Token?"
default = "T0kenMark"
[[entry]]
do = "count"
by = "Class"
[[out]]
to = "out.csv"
""",
}


class PrivateTest(FolderTest):
    def setUp(self) -> None:
        """Serve the demo's lists."""
        super().setUp()
        self.publisher = Publisher()
        self.publisher.__enter__()
        self.addCleanup(self.publisher.__exit__)
        self.host = self.publisher.address.removeprefix("http://")
        before = Path.cwd()
        os.chdir(self.folder)
        self.addCleanup(os.chdir, before)

    def ways(self) -> Iterator[str]:
        """Yield addresses that lead to the list, each with something secret in it."""
        rest = f"{self.host}/north-quay.csv"
        yield f"http://ann:S3cretMark@{rest}"
        yield f"HTTP://ann:S3cretMark@{rest}#row=1-20"
        yield f"http://{rest}?day=3&token=T0kenMark"
        yield f"http://S3cretMark@{rest}?X-Sig=T0kenMark#row=1-*"
        yield f"http://{rest}?T0kenMark0123456789abcdef"

    def mistyped(self) -> Iterator[str]:
        """Yield addresses that lead nowhere."""
        rest = f"{self.host}/north-quay.csv"
        for start in (
            "http:/",
            "http//",
            "http:",
            "htp://",
            "http;//",
            "http:\\\\",
            "",
        ):
            yield f"{start}ann:S3cretMark@{rest}"
        for mark in ("a/SlashMark", "a#HashMark", "a?QueryMark"):
            yield f"http://ann:{mark}@{rest}"
        yield "http://ann:S3cretMark"
        yield "http://ann:S3cretMark/north-quay.csv"
        yield f"http%3A//ann:S3cretMark@{rest}"
        yield f"http://ann:S3cretMark@[{rest}"
        yield f"http://{rest}#access_token=T0kenMark"
        yield f"http://ann:S3cretMark@{rest}#shet=1"
        yield f"ftp://ann:S3cretMark@{rest}"
        yield f"POSTGRES://ann:S3cretMark@{self.host}/quays#table=berths"
        yield f"postgresql://{self.host}/quays?sslpassword=S3cretMark#table=berths"
        yield f"postgres:/ann:S3cretMark@{self.host}/quays#table=berths"

    def done(self, *arguments: str) -> tuple[int, str]:
        """Do a command in this process; return its status and all that it shows."""
        shown = io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True)
        with contextlib.redirect_stdout(shown), contextlib.redirect_stderr(shown):
            status = _status(
                lambda: gruff.main(list(arguments), "gruff", standalone_mode=False)
            )
        shown.flush()
        shown.seek(0)
        return status, shown.read()

    def check(self, text: str) -> None:
        """Check that no marked word is shown, nor kept in any file or its name."""
        kept = {"the screen": text.encode()}
        for path in self.folder.rglob("*"):
            kept[f"the name of {path}"] = path.name.encode()
            if not path.is_file() or path.name.startswith("given"):
                continue
            kept[str(path)] = path.read_bytes()
            if zipfile.is_zipfile(path):
                with zipfile.ZipFile(path) as packed:
                    kept |= {
                        f"{path.name}/{name}": packed.read(name)
                        for name in packed.namelist()
                    }
        for place, data in kept.items():
            for word in MARKED:
                if word.encode() in data:
                    at = data.index(word.encode())
                    self.fail(f"{word} in {place}: {data[max(0, at - 60) : at + 30]!r}")

    def clear(self) -> None:
        """Remove what was checked."""
        for each in self.folder.iterdir():
            if each.is_dir():
                shutil.rmtree(each)
            else:
                each.unlink()

    def test_no_verb_tells(self) -> None:
        """With a ledger, copies, outputs, charts and drafts."""
        self.assertEqual(set(WORK), set(VERBS))
        more = f"http://bob:S3cretMark@{self.host}/north-quay.csv?key=T0kenMark"
        for number, way in enumerate(self.ways()):
            for name, work in WORK.items():
                words = [
                    each.format(list=way, more=more) if "{" in each else each
                    for each in work.split()
                ]
                place = f"{number}-{name}"
                with self.subTest(name, way=way):
                    outputs = ["--ledger", f"{place}/l", "--kept", f"{place}/kept"]
                    outputs += ["--to", f"{place}/out.xlsx", "--replace"]
                    if name != "form":
                        outputs += ["--aside", f"{place}/aside.csv"]
                    status, shown = self.done(name, *words, *outputs)
                    self.assertIn(status, (0, 1), shown)
                    self.check(shown)
                    if number in (0, 2):
                        shown = self.done(name, *words, "--json")[1]
                    self.check(shown)
                    self.clear()

    def test_no_mistyped_address_tells(self) -> None:
        """As the list, as the list looked into, and as a place to write to."""
        self.write("here.csv", "Berth,Boat\n001,Tern\n")
        for way in self.mistyped():
            for words in (
                ["count", way, "--by", "Class"],
                ["merge", "here.csv", way],
                ["lookup", "here.csv", "--in", way, "--key", "Berth", "--take", "Boat"],
                ["sort", "here.csv", "--by", "Boat", "--enter", "d.toml", "--to", way],
                ["review", way, "--by", "Berth", "--decisions", "decided.jsonl"],
                ["trace", way, "--record", "1"],
                ["run", way],
            ):
                with self.subTest(words[0], way=way):
                    status, shown = self.done(*words)
                    self.assertEqual(status, 2, shown)
                    self.check(shown)

    def test_no_docket_tells(self) -> None:
        """In whatever part of it the secret stands."""
        for number, way in enumerate(self.ways()):
            for name, text in DOCKETS.items():
                folder = self.folder / f"{number}-{name}"
                text = text.format(list=way, more=way, host=self.host)
                self.write(f"{folder.name}/given.toml", text)
                docket = f"{folder.name}/given.toml"
                for more in ([], ["--if-changed"], ["--since-last", "--replace"]):
                    with self.subTest(name, way=way, more=more):
                        status, shown = self.done("run", docket, *more)
                        self.assertEqual(status, 0, shown)
                        self.check(shown)
                for more in ("--diagram", "--dry-run", "--json"):
                    with self.subTest(name, way=way, more=more):
                        shown = self.done("run", docket, more, "--replace")[1]
                        self.check(shown)
                self.clear()

    def test_nothing_is_entered_in_a_docket(self) -> None:
        """A docket lies open; it says how to ask instead."""
        way = next(self.ways())
        for words in (
            ["sort", way, "--by", "Boat"],
            ["lookup", way, "--in", way, "--key", "Berth", "--take", "Boat"],
        ):
            status, shown = self.done(*words, "--enter", "docket.toml")
            self.assertEqual(status, 2, shown)
            self.assertIn("[ask.login]", shown)
            self.check(shown)
        self.assertFalse((self.folder / "docket.toml").exists())


if __name__ == "__main__":
    unittest.main()
