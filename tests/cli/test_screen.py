"""Tests of what is shown on a terminal: the survey's page, bars, progress."""

import os
import re
import subprocess
import sys
import time
import unittest

from gruff_ledger.demo.publisher import Publisher
from tests.support import PROGRAM, FolderTest

LIST = (
    "boat,berth,paid\nAmber Limpet,001,12.50\nBold,002,-3\nAMBER LIMPET ,003,0\n"
    "Calm,,7 m\nDusk,005,\n"
)


@unittest.skipIf(sys.platform == "win32", "needs a terminal of the POSIX kind")
class ScreenTest(FolderTest):
    def shown(self, *arguments: str, columns: int = 100, seconds: float = 60) -> str:
        """Run the program on a terminal of its own; return all that it showed."""
        import fcntl
        import pty
        import struct
        import termios

        ours, theirs = pty.openpty()
        size = struct.pack("HHHH", 40, columns, 0, 0)
        fcntl.ioctl(theirs, termios.TIOCSWINSZ, size)
        running = subprocess.Popen(
            [str(PROGRAM), *arguments],
            cwd=self.folder,
            stdin=theirs,
            stdout=theirs,
            stderr=theirs,
            env={**os.environ, "TERM": "xterm", "COLUMNS": str(columns)},
        )
        os.close(theirs)
        parts = []
        ends = time.monotonic() + seconds
        try:
            while time.monotonic() < ends and (part := os.read(ours, 65536)):
                parts.append(part)
        except OSError:
            pass  # This is how Linux tells that the other side is closed.
        running.kill()
        running.wait()
        os.close(ours)
        text = b"".join(parts).decode("utf-8").replace("\r\n", "\n")
        return re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", text)

    def test_keys_that_matched_nothing_are_a_table(self) -> None:
        self.write("a.csv", LIST)
        self.write("ref.csv", "berth,rate\n001,5\n004,6\n")
        shown = self.shown(
            *("lookup", "a.csv", "--in", "ref.csv", "--key", "berth"),
            *("--take", "rate", "--more"),
        )
        self.assertIn("Keys that matched nothing:", shown)
        part = shown[shown.index("Keys that matched nothing:") :]
        self.assertRegex(part, r"002 +1 +")

    def test_a_card_is_read_and_not_accounted(self) -> None:
        self.write("a.csv", LIST)
        shown = self.shown("card", "a.csv", "--key", "berth", "--value", "002")
        self.assertRegex(shown, r"boat +Bold")
        self.assertNotIn("balances", shown)
        across = self.shown(
            *("card", "a.csv", "--key", "berth", "--value", "002", "--lay", "across")
        )
        self.assertRegex(across, r"boat +berth +paid")

    def test_records_are_shown_down(self) -> None:
        self.write("a.csv", LIST)
        shown = self.shown("show", "a.csv", "--records", "2", "--down")
        self.assertIn("row 3", shown)
        self.assertRegex(shown, r"boat +Bold")
        self.assertIn("Nothing was changed.", shown)
        self.assertNotIn("row 2", shown)

    def test_control_totals_are_laid_out_as_a_chain(self) -> None:
        self.write("a.csv", "boat,paid\nA,12.50\nA,12.50\nB,-3\n")
        shown = self.shown("duplicates", "a.csv", "--control", "paid")
        self.assertIn("Control total of paid", shown)
        self.assertRegex(shown, r"1 duplicates +22 +12.5 +9.5")
        self.assertIn("The control total of paid closes.", shown)

    def test_a_survey_is_a_page(self) -> None:
        self.write("a.csv", LIST)
        page = re.sub(" +", " ", self.shown("survey", "a.csv")).replace(" \n", "\n")
        for words in (
            "a.csv\n5 records; 3 fields; utf-8, commas, heading in row 1\n",
            "field kind filled blank distinct longest last row gaps values\n",
            "12.50",
            "not a number",
            "! boat: 1 cell with a space before, after or doubled within: row 4.\n"
            " Settle them: gruff scrub a.csv --fields boat --trim --squeeze",
            "! paid: 1 cell with text around a number, in a field of numbers: row 5.",
            "Nothing was changed.",
        ):
            self.assertIn(words, page)

    def test_a_survey_fits_a_narrow_window(self) -> None:
        self.write("a.csv", LIST.replace("Calm", "Calm " * 30))
        page = self.shown("survey", "a.csv", columns=80)
        self.assertLessEqual(max(map(len, page.splitlines())), 80)

    def test_counts_have_bars(self) -> None:
        self.write("a.csv", "class\nA\nA\nA\nB\n")
        page = self.shown("count", "a.csv", "--by", "class")
        self.assertRegex(page, r"A +3 +████████████ +75.0%")
        self.assertRegex(page, r"B +1 +████ +25.0%")

    def test_a_slow_fetch_shows_how_far_it_is(self) -> None:
        with Publisher() as publisher:
            publisher.tell("north-quay.csv", "slow")
            url = f"{publisher.address}/north-quay.csv"
            told = self.shown("survey", url, "--time-limit", "3", "--tries", "1")
        self.assertRegex(told, r"fetching north-quay [━╸╺]+ \d+% of 4 kB 00:\d\d left")
        self.assertIn("did not arrive within 3 seconds", told)


if __name__ == "__main__":
    unittest.main()
