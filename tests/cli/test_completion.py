"""Tests of completion in shells; that of bash in a real one."""

import shutil
import subprocess
import unittest
from pathlib import Path

from tests.support import PROGRAM, FolderTest

# What bash does when somebody presses the key, without a terminal.
_ASK = """
source ./gruff.bash
compopt() { printf 'compopt %s %s\\n' "$1" "$2"; }
COMP_LINE=$1 COMP_POINT=${#1}
_gruff_completion
printf '%s\\n' "${COMPREPLY[@]}"
"""


class BashTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        bash = shutil.which("bash")
        if bash is None:
            self.skipTest("bash is not installed")
        self.bash = bash
        self.write("gruff.bash", self.gruff("completion", "bash").stdout)
        self.gruff("demo", "harbour", "--quiet")
        self.write("more #1.csv", "a\n1\n")

    def asked(self, typed: str) -> list[str]:
        """Return what is proposed after a line, without what bash is told."""
        done = subprocess.run(
            [self.bash, "-c", _ASK, "bash", typed],
            cwd=self.folder,
            env={"PATH": f"{PROGRAM.parent}:/usr/bin:/bin"},
            capture_output=True,
            check=True,
        )
        self.assertEqual(done.stderr, b"")
        self.told = done.stdout.decode().splitlines()
        return [line for line in self.told if line and not line.startswith("compopt")]

    def test_commands_and_options(self) -> None:
        self.assertEqual(self.asked("gruff so"), ["sort"])
        self.assertIn("duplicates", self.asked("gruff "))
        self.assertEqual(self.asked("gruff sort a.csv --repl"), ["--replace"])
        levels = ["exact", "loose", "letters", "number", "date"]
        self.assertEqual(self.asked("gruff duplicates a.csv --match "), levels)
        self.assertIn("match-levels", self.asked("gruff help m"))
        self.assertEqual(self.asked("gruff completion z"), ["zsh"])

    def test_fields_of_the_list_that_is_named(self) -> None:
        guests = "gruff sort harbour/incoming/guests.csv --by "
        self.assertIn("First\\ name", self.asked(guests))
        self.assertEqual(self.asked(f"{guests}b"), ["Boat"])
        self.assertEqual(self.asked(f'{guests}"F'), ["First name"])
        self.assertEqual(self.asked(f'{guests}"Boat, F'), ["Boat, First name"])
        self.assertEqual(self.asked(f"{guests}Boat,A"), ["Boat,Arrived"])
        south = "gruff count harbour/incoming/south_quay.csv --by "
        self.assertIn("Mooring\\ number", self.asked(south))

    def test_fields_of_the_reference_list(self) -> None:
        look = (
            "gruff lookup harbour/incoming/guests.csv --in harbour/incoming/owners.csv "
        )
        self.assertIn("Telephone", self.asked(f"{look}--take "))
        # Bash begins anew after an equals sign, unless it stands in quotes.
        self.assertEqual(self.asked(f"{look}--key Boat=B"), ["Boat"])
        self.assertEqual(self.asked(f'{look}--key "Boat=B'), ["Boat=Boat"])

    def test_tabs_and_tables(self) -> None:
        tabs = self.asked("gruff survey harbour/incoming/dues.xlsx#sheet=")
        self.assertEqual(tabs, ["September", "October"])
        quoted = self.asked('gruff survey "harbour/incoming/dues.xlsx#sheet=O')
        self.assertEqual(quoted, ["harbour/incoming/dues.xlsx#sheet=October"])
        self.gruff(
            *("sort", "harbour/incoming/guests.csv", "--by", "Boat"),
            *("--to", "guests.db#table=book of guests"),
        )
        tables = self.asked("gruff survey guests.db#table=b")
        self.assertEqual(tables, ["book\\ of\\ guests"])

    def test_paths_are_left_to_bash(self) -> None:
        self.assertEqual(self.asked("gruff survey harb"), [])
        self.assertIn("compopt -o default", self.told)

    def test_what_cannot_be_read_proposes_nothing_and_says_nothing(self) -> None:
        self.write("odd.xlsx", b"PK\x03\x04 no workbook")
        self.assertEqual(self.asked("gruff sort odd.xlsx --by "), [])
        self.assertEqual(self.asked("gruff sort nowhere.csv --by "), [])
        self.assertEqual(self.asked("gruff survey odd.xlsx#sheet="), [])
        self.assertEqual(self.asked("gruff sort https://quay.test/a.csv --by "), [])


class OtherShellsTest(FolderTest):
    def test_their_scripts_are_well_formed(self) -> None:
        for shell in ("zsh", "fish"):
            with self.subTest(shell):
                script = self.gruff("completion", shell).stdout
                self.assertIn(b"_GRUFF_COMPLETE", script)
                found = shutil.which(shell)
                if found is None:
                    self.skipTest(f"{shell} is not installed")
                path = self.write(f"gruff.{shell}", script)
                subprocess.run([found, "-n", str(path)], check=True)

    def test_they_are_answered(self) -> None:
        listed = self.write("boats.csv", "Boat,Berth no\nTern,1\n")
        self.environment = {
            "_GRUFF_COMPLETE": "zsh_complete",
            "COMP_WORDS": f"gruff sort {Path(listed).name} --by B",
            "COMP_CWORD": "4",
        }
        told = self.gruff().stdout.decode().splitlines()
        self.assertEqual(told, ["plain", "Boat", "_", "plain", "Berth no", "_"])
        self.environment = {
            "_GRUFF_COMPLETE": "fish_complete",
            "COMP_WORDS": f"gruff sort {Path(listed).name} --by ",
            "COMP_CWORD": "Ber",
        }
        self.assertIn("Berth no", self.gruff().stdout.decode())

    def test_another_shell_is_refused(self) -> None:
        self.assertIn("'zsh'", self.problem("completion", "tcsh"))


if __name__ == "__main__":
    unittest.main()
