"""A verb is added in one file: that of the page for contributors."""

import json
import os
import re
import subprocess
import sys
import unittest
from pathlib import Path

from tests.support import FolderTest

PAGE = Path(__file__).parents[1] / "CONTRIBUTING.md"


class OwnVerbTest(FolderTest):
    def setUp(self) -> None:
        """Install the page's module beside the program, as a package of its own."""
        super().setUp()
        text = PAGE.read_text(encoding="utf-8")
        (module,) = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
        (entry_point,) = re.findall(
            r'entry-points\."(.*?)"\]\n(.*?)```', text, re.DOTALL
        )
        self.write("lib/shout.py", module)
        installed = "lib/shout-1.0.dist-info"
        self.write(f"{installed}/METADATA", "Metadata-Version: 2.1\nName: shout\n")
        points = "[{}]\n{}".format(*entry_point).replace('"', "")
        self.write(f"{installed}/entry_points.txt", points)
        self.write("boats.csv", "Boat,Berth\nTern,a1\n ,\nGULL,7\n")

    def run_it(self, *arguments: str, **environment: str) -> str:
        """Run the program with the verb in it, and return what it says."""
        done = subprocess.run(
            [sys.executable, "-m", "gruff_ledger", *arguments],
            cwd=self.folder,
            env={**os.environ, "PYTHONPATH": str(self.folder / "lib"), **environment},
            capture_output=True,
            check=False,
        )
        told = (done.stdout + done.stderr).decode()
        self.assertEqual(done.returncode, 0, told)
        return told

    def test_it_is_a_command_with_help_and_examples(self) -> None:
        self.assertIn("Verbs of your own:\n  shout  Put a field", self.run_it("--help"))
        told = self.run_it("shout", "--help")
        self.assertIn(
            "Cells that hold no letters stay as they are, and are noted.", told
        )
        self.assertIn('gruff shout incoming/guests.csv --fields "Boat, Place"', told)
        self.assertIn("--fields FIELD", told)

    def test_it_works_and_keeps_account(self) -> None:
        told = self.run_it(
            *("shout", "boats.csv", "--fields", "boat, Berth", "--to", "loud.csv"),
            *("--ledger", "ledger"),
        )
        self.assertIn("2 cells are in capitals now.", told)
        self.assertEqual(self.text("loud.csv"), "Boat,Berth\nTERN,A1\nGULL,7\n")
        self.assertEqual(len(self.records("ledger/changes.csv")), 2)
        (finding,) = self.records("ledger/findings.csv")
        self.assertEqual(finding["message"], "Berth has no letters.")
        (aside,) = self.records("ledger/set-aside.csv")
        self.assertEqual(aside["reason"], "nothing to shout")
        traced = self.run_it("trace", "loud.csv", "--record", "1")
        self.assertIn("shout", traced)

    def test_it_is_an_entry_of_a_docket(self) -> None:
        self.run_it(
            *("shout", "boats.csv", "--fields", "Boat", "--to", "loud.csv"),
            *("--enter", "job.toml"),
        )
        self.assertIn('do = "shout"', self.text("job.toml"))
        self.run_it("run", "job.toml", "--replace")
        schema = json.loads(self.run_it("docket-schema"))
        self.assertIn("shout", json.dumps(schema))

    def test_one_that_cannot_be_loaded_hides_no_other(self) -> None:
        """It is a problem where it is used."""
        for module in ("import nothing_of_this_name\n", "VERB = 1\n"):
            with self.subTest(module=module):
                self.write("lib/shout.py", module)
                self.assertNotIn("shout", self.run_it("--help"))
                self.run_it("count", "boats.csv", "--by", "Boat")
                with self.assertRaisesRegex(AssertionError, "gruff: shout: .*verb"):
                    self.run_it("shout", "boats.csv")

    def test_it_is_completed(self) -> None:
        told = self.run_it(
            _GRUFF_COMPLETE="bash_complete",
            GRUFF_TYPED="gruff shout boats.csv --fields B",
        )
        self.assertEqual(told.split(), ["Boat", "Berth"])


if __name__ == "__main__":
    unittest.main()
