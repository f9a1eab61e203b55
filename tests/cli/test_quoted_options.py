"""Messages of a command quote only options that could be typed there."""

from __future__ import annotations

import contextlib
import io
import os
import re
import unittest
from pathlib import Path

from gruff_ledger.cli.commands.verb import verb_command
from gruff_ledger.cli.main import _status, gruff
from gruff_ledger.cli.options import options_of
from gruff_ledger.work.registry import VERBS
from tests.cli.test_private import WORK
from tests.support import FolderTest

LIST = (
    "Berth,Boat,Class,Length,Skipper,Paid until,Remarks\n"
    "001,Tern,B,10.6,V. Hawserly,2026-11-01,\n"
    "002,Seal,C,7,W. Brinewood,2026-11-02,x\n"
    "003,Tern,C,x,W. Brinewood,31/12/2026,x\n"
)

WRONG = ("Nope", "x=", "-1", "99999999999999999999")


class QuotedOptionsTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("n.csv", LIST)
        self.write("m.csv", "Berth,Boat,Class,Length\n001,Tern,B,10.6\n")
        before = Path.cwd()
        os.chdir(self.folder)
        self.addCleanup(os.chdir, before)

    def said(self, arguments: list[str]) -> str:
        """Return all that a command shows."""
        shown = io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True)
        with contextlib.redirect_stdout(shown), contextlib.redirect_stderr(shown):
            _status(lambda: gruff.main(arguments, "gruff", standalone_mode=False))
        shown.seek(0)
        return shown.read()

    def test_every_option_with_values_that_are_wrong(self) -> None:
        """None of them is a fault of the program either."""
        for name, verb in VERBS.items():
            there = {
                option
                for parameter in verb_command(verb).params
                for option in (*parameter.opts, "--help")
            }
            work = [
                each.format(list="n.csv", more="m.csv") if each[0] == "{" else each
                for each in WORK[name].split()
            ]
            for option in options_of(verb.terms):
                values = [[]] if option.is_flag else [[each] for each in WRONG]
                for value in values:
                    typed = [option.opts[0], *value]
                    shown = self.said([name, *work, *typed, "--replace"])
                    with self.subTest(verb=name, typed=typed):
                        self.assertNotIn("fault in the program", shown)
                        quoted = set(re.findall(r"(?<![\w-])--[a-z][a-z-]*", shown))
                        self.assertLessEqual(quoted, there, shown)


if __name__ == "__main__":
    unittest.main()
