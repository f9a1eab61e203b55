"""What a page says to add to a command runs as it stands, and settles what it says."""

from __future__ import annotations

import re
import shlex

from tests.support import FolderTest

# "give --which only", "add --ties", "add --unused unused.csv".
_OPTION = re.compile(
    r"(?:[Gg]ive|[Aa]dd|or) (--[a-z-]+(?: (?:'[^']*'|\w+(?:\.\w+)?))?)(?=[.,; ])"
)

LISTS = {
    "boats.csv": "Boat,Class,Paid\nTern,A,5\nAuk,B,7\nAuk,B,x\nGull,D,\ntern,A,5\n",
    "rates.csv": "Code,Rate\nA,10\nB,20\nB,21\nZ,9\n",
    "more.csv": "Boat,Class,Paid\nTern,A,6\n,,\nGull,D,\n",
    "other.csv": "Code no,Rate\nA,10\n",
    "rows.csv": "Item,May\nBread,5\nRice,6\nTotal,11\n",
    "plain.csv": "Item,Note\nA,\"5' long\nB,x\n",
}

# A command, and what its page proposes to add (each of them run in its turn).
CASES = (
    (
        "lookup boats.csv --in rates.csv --key Class=Code --take Rate",
        ("--which first", "--which last", "--unmatched unmatched.csv"),
    ),
    (
        "lookup boats.csv --in rates.csv --key Class=Code --take Rate --which first",
        ("--which only", "--unused unused.csv"),
    ),
    ("duplicates boats.csv --by Boat", ("--match loose", "--treat show")),
    ("pick boats.csv --top 1 --by 'Paid'", ("--ties",)),
    (
        "pick boats.csv --where 'Paid > 5'",
        ("--where '(Paid > 5) IS NOT FALSE'",),
    ),
    ("merge boats.csv more.csv", ("--keep-blank",)),
    ("merge rates.csv other.csv", ("--aliases 'Code no=Code'",)),
    ("compare boats.csv more.csv --key Boat", ("--match loose", "--same")),
    ("rollup rows.csv --down Item --value May", ("--leave-out-totals",)),
)


class NextLinesTest(FolderTest):
    def test_each_runs_as_it_stands(self) -> None:
        """Appended to the command, in the shell's own words."""
        for name, text in LISTS.items():
            self.write(name, text)
        for line, expected in CASES:
            words = shlex.split(line)
            with self.subTest(line):
                told = self.gruff(*words, "--more", status=None).stderr.decode()
                found = _OPTION.findall(told)
                for each in expected:
                    self.assertIn(each, found, told)
                for each in found:
                    more = shlex.split(each)
                    done = self.gruff(*words, *more, "--replace", status=None)
                    self.assertIn(done.returncode, (0, 1), done.stderr)
                    after = done.stderr.decode()
                    self.assertNotIn(f"{each}.", after)
