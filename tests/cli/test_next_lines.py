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

# Whole commands stand on a line of their own.
_LINE = re.compile(r"^  gruff (.*)$", re.MULTILINE)

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

    def test_a_whole_command_has_all_that_was_typed(self) -> None:
        """What is changed takes its place, and what was written may be replaced."""
        self.write("my boats.txt", LISTS["boats.csv"].replace(",", ";"))
        line = "duplicates 'my boats.txt' --delimiter ; --by Boat --match exact"
        told = self.gruff(*shlex.split(line), "--to", "out.csv").stderr.decode()
        (typed,) = _LINE.findall(told)
        self.assertEqual(
            shlex.split(typed),
            ["duplicates", "my boats.txt", "--delimiter", ";", "--by", "Boat"]
            + ["--to", "out.csv", "--match", "loose", "--replace"],
        )
        self.assertEqual(
            _LINE.findall(self.gruff(*shlex.split(typed)).stderr.decode()), []
        )
        self.assertEqual(self.text("out.csv").count("\n"), 4)

    def test_where_a_command_would_not_do_the_same_again(self) -> None:
        """A list on standard input is gone, and a docket has the work already."""
        data = LISTS["boats.csv"].encode()
        told = self.gruff("duplicates", "-", "--by", "Boat", stdin=data).stderr
        self.assertNotIn(b"  gruff", told)
        self.write("boats.csv", LISTS["boats.csv"])
        words = shlex.split("duplicates boats.csv --by Boat --enter d.toml")
        self.assertNotIn(b"  gruff", self.gruff(*words).stderr)
