"""What tests share: temporary folders, and the built program."""

from __future__ import annotations

import atexit
import csv
import os
import re
import select
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.table import Table
from gruff_ledger.written.of_list import with_ways
from tests import warm

PROGRAM = Path(sys.executable).parent / ("gruff.exe" if os.name == "nt" else "gruff")


def table(heading_line: str, *records: str, name: str = "the list") -> Table:
    """Make a table of lines with cells separated by vertical bars."""
    rows = [record.split("|") for record in records]
    return Table.of_records(heading_line.split("|"), rows, name=name)


def written(made: Table, **examples: str) -> Table:
    """Return a list with what a person said of how its fields are written."""
    return with_ways(made, {field: [text] for field, text in examples.items()})[0]


def read(data: bytes, *, careful: bool = False, **pinned: object) -> Reading:
    """Read bytes as a delimited list."""
    from gruff_ledger.lists.delimited.read import read_delimited

    opened = open_bytes(data, name="list", address="list.csv")
    return read_delimited(opened, ReadingTerms(**pinned), careful=careful)


def split_command(line: str, folder: Path) -> list[str]:
    """Return the words of a command as a shell gives them to it in a folder."""
    # Where a shell would send it, does not matter here.
    line = re.sub(r" > \S+$", "", line)
    # A shell finds the files of a pattern; a quoted one is left to the program.
    return [
        part
        for word in shlex.split(line)
        for part in (
            sorted(str(each.relative_to(folder)) for each in folder.glob(word))
            if "*" in word and f'"{word}"' not in line
            else [word]
        )
    ]


class Demo(NamedTuple):
    """The demo as it was run once: where, and what it said."""

    folder: Path
    told: str


# Of this process: most tests only look at what the demo made.
_demos: list[Demo] = []


def _demo(gruff: Callable[..., subprocess.CompletedProcess[bytes]]) -> Demo:
    if not _demos:
        held = tempfile.TemporaryDirectory()
        atexit.register(held.cleanup)
        folder = Path(held.name)
        told = gruff("demo", str(folder / "harbour")).stdout.decode()
        _demos.append(Demo(folder, told))
    return _demos[0]


class FolderTest(unittest.TestCase):
    """A test in a folder of its own, with the built program at hand."""

    # What the program's environment says beside that of the tests.
    environment: Mapping[str, str] = {}

    # Whether each run begins a process anew, as a shell does; see `tests.warm`.
    starts_anew = not warm.CAN_FORK

    @classmethod
    def setUpClass(cls) -> None:
        """Have the program loaded, where its runs are to start from there."""
        super().setUpClass()
        if not cls.starts_anew:
            cls.loaded = cls.enterClassContext(warm.listening())

    def setUp(self) -> None:
        """Make the folder."""
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name).resolve()

    def write(self, name: str, text: str | bytes) -> Path:
        """Write a file in the folder; text is written as UTF-8, line ends as given."""
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode("utf-8"))
        return path

    def text(self, name: str) -> str:
        """Return what a file in the folder says."""
        return (self.folder / name).read_bytes().decode("utf-8")

    def records(self, name: str) -> list[dict[str, str]]:
        """Return the records of a delimited file by heading, read independently."""
        with (self.folder / name).open(encoding="utf-8", newline="") as lines:
            return list(csv.DictReader(lines))

    def gruff(
        self, *arguments: str, stdin: bytes = b"", status: int | None = 0
    ) -> subprocess.CompletedProcess[bytes]:
        """Run the built program in the folder and check its exit status."""
        environment = {**os.environ, **self.environment}
        if self.starts_anew:
            done = subprocess.run(
                [str(PROGRAM), *arguments],
                cwd=self.folder,
                input=stdin,
                capture_output=True,
                timeout=120,
                check=False,
                env=environment,
            )
        else:
            done = self.loaded.run(
                arguments, folder=self.folder, stdin=stdin, environment=environment
            )
        told = done.stderr.decode("utf-8", "replace")
        if status is not None:
            self.assertEqual(done.returncode, status, told)
        self.assertNotIn("Traceback", told)
        return done

    def make_demo(self) -> str:
        """Have the folder `harbour` that the demo makes; return what it said."""
        made = _demo(self.gruff)
        shutil.copytree(made.folder / "harbour", self.folder / "harbour")
        return made.told

    def type_all(self, folder: Path, typed: list[str]) -> None:
        """Run commands one after the other in a folder, as a shell would."""
        self.folder = folder
        for line in typed:
            words = split_command(line, folder)[1:]
            with self.subTest(command=line):
                # The docket of the demo has findings of severity stop.
                may_be = (0, 1) if words[0] == "run" else (0,)
                done = self.gruff(*words, status=None)
                self.assertIn(done.returncode, may_be, done.stderr)

    def on_terminal(
        self, arguments: Sequence[str], keys: Sequence[str], prompt: str
    ) -> str:
        """
        Run the program on a pseudo-terminal, and return what it showed.

        A key is pressed each time it is silent after having shown the prompt.
        """
        import pty

        parent, child = pty.fork()
        if parent == 0:
            os.chdir(self.folder)
            program = str(PROGRAM)
            os.execv(program, [program, *arguments])
        shown = b""
        waiting = list(keys)
        until = time.monotonic() + 60
        while time.monotonic() < until:
            if not select.select([child], [], [], 0.5)[0]:
                if waiting and prompt.encode() in shown:
                    os.write(child, waiting.pop(0).encode())
                continue
            try:
                part = os.read(child, 1 << 16)
            except OSError:
                break
            if not part:
                break
            shown += part
        os.waitpid(parent, 0)
        os.close(child)
        return shown.decode("utf-8", "replace")

    def problem(self, *arguments: str, stdin: bytes = b"") -> str:
        """Run the program where it must refuse; return its one paragraph."""
        done = self.gruff(*arguments, stdin=stdin, status=2)
        self.assertEqual(done.stdout, b"")
        told = done.stderr.decode("utf-8").strip()
        self.assertTrue(told.startswith("gruff: "), told)
        self.assertNotIn("\n", told)
        return told.removeprefix("gruff: ")
