"""Control characters of names are shown, and never sent to a terminal."""

import os
import re
import sqlite3
import subprocess
import unittest

import openpyxl

from tests.support import PROGRAM, FolderTest

# Colours are ours; whatever else acts on a terminal, or turns text around, is not.
# Colours, and what draws progress on work that takes long.
COLOUR = re.compile("\x1b\\[[0-9;]*[mAK]|\x1b\\[\\?25[lh]")
ACTS = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]"
)

DOCKET = """docket = 1
title = "ti\\u001b]0;tle\\u061c"
[ask.q]
say = "wh\\u001b]0;at\\u061c?"
default = "d\\u001b[2J"
[lists."n\\u009b2J"]
from = "e.xlsx"
[[entry]]
do = "sort"
by = "b"
as = "r\\u202e"
[[out]]
to = "o\\u061c.csv"
"""


class ControlCharacterTest(FolderTest):
    def setUp(self) -> None:
        """Write lists whose tabs, tables and headings would act on a terminal."""
        super().setUp()
        book = openpyxl.Workbook()
        book.active.title = "T\u061c\u202eab"
        book.active.append(["a\u061c", "b"])
        book.active.append(["x\u009b2J", 2])
        book.create_sheet("S\u0085\u009b31m").append(["q", "r"])
        book.save(self.folder / "e.xlsx")
        with sqlite3.connect(self.folder / "e.db") as database:
            for name in ("be\x1b]0;rths", "o\u061cther\u202e"):
                database.execute(f'create table "{name}" ("a\x1b[2J", "b\u061c")')
                database.execute(f'insert into "{name}" values (?, ?)', ("x\x1b[2J", 1))
        database.close()
        self.write("d.toml", DOCKET)

    def check(self, shown: str) -> None:
        """Check that nothing acts."""
        left = COLOUR.sub("", shown).replace("\r\n", "\n")
        found = ACTS.search(left)
        if found is not None:
            at = found.start()
            self.fail(f"{found[0]!a} in {left[max(0, at - 60) : at + 30]!a}")

    def test_messages_and_summaries(self) -> None:
        """Of what is right and of what is wrong."""
        for arguments in (
            ["survey", "e.db"],
            ["survey", "e.xlsx#sheet=*"],
            ["count", "e.db", "--by", "zz"],
            ["count", "e.xlsx#sheet=zz", "--by", "q"],
            ["run", "d.toml", "--replace"],
            ["run", "d.toml", "--diagram"],
            ["run", "d.toml", "--set", "q\x1b[2J=1"],
            ["run", "d.toml", "--stop-after", "9"],
            ["merge", "e.db#table=*", "--name-source", "q", "--to", "m.xlsx"],
        ):
            with self.subTest(arguments=arguments):
                done = self.gruff(*arguments, status=None)
                self.check(done.stderr.decode())
                if arguments[0] == "run":
                    self.check(done.stdout.decode())

    @unittest.skipIf(os.name == "nt", "needs a pseudo-terminal")
    def test_a_terminal(self) -> None:
        """With its tables and questions."""
        for arguments in (
            ["survey", "e.db#table=*"],
            ["survey", "e.xlsx#sheet=*"],
            ["merge", "e.db#table=*"],
            ["card", "e.xlsx", "--key", "b", "--value", "2"],
            ["run", "d.toml", "--replace"],
        ):
            with self.subTest(arguments=arguments):
                shown = self.on_terminal(arguments, ["\r"], "wh\\x1b")
                self.check(shown)

    def test_completion(self) -> None:
        """A shell would show them."""
        for line in ("gruff survey e.db#table=", "gruff survey e.xlsx#sheet="):
            done = subprocess.run(
                [PROGRAM],
                cwd=self.folder,
                capture_output=True,
                env={
                    **os.environ,
                    "_GRUFF_COMPLETE": "zsh_complete",
                    "COMP_WORDS": line,
                    "COMP_CWORD": "2",
                },
            )
            self.check(done.stdout.decode())


if __name__ == "__main__":
    unittest.main()
