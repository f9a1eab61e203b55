"""Tests of splitting and joining so that nothing is lost, and of quoting all cells."""

import csv

from tests.support import FolderTest


class PartsAgainTest(FolderTest):
    def test_split_parts_join_to_the_same_text(self) -> None:
        """Blank parts too, where they are kept."""
        self.write("a.csv", "Code\na;;c\n;b;\n;;\nx;y;z\n")
        self.gruff(
            *("split", "a.csv", "--at", ";", "--parts", "A, B, C", "--to", "b.csv")
        )
        for more, expected in (
            (("--keep-blank",), ["a;;c", ";b;", "", "x;y;z"]),
            ((), ["a;c", "b", "", "x;y;z"]),
        ):
            self.gruff(
                *("join", "b.csv", "--fields", "A, B, C", "--separator", ";"),
                *("--heading", "Code", "--to", "c.csv", "--replace", *more),
            )
            codes = [each["Code"] for each in self.records("c.csv")]
            # A code of nothing but marks has no part to be joined.
            self.assertEqual(codes, expected)

    def test_the_missing_part_can_be_the_first(self) -> None:
        """And the numbers of parts are all told, for programs too."""
        self.write("a.csv", "Berth\nA-7\n12\nB-1-2\n\nC-2\n")
        for missing, expected in (("first", ["", "12"]), ("last", ["12", ""])):
            done = self.gruff(
                *("split", "a.csv", "--at", "-", "--parts", "Pontoon, Number"),
                *("--missing", missing, "--to", "b.csv", "--replace", "--json"),
            )
            record = self.records("b.csv")[1]
            self.assertEqual([record["Pontoon"], record["Number"]], expected)
            told = done.stdout.decode()
            self.assertIn("2 have 2 parts, 1 has 1 part, 1 has 3 parts, 1 is", told)

    def test_every_cell_can_be_quoted(self) -> None:
        """Headings and blanks too; it is read back as it was."""
        text = 'A,B\nx,"a ""b"""\n,7\n'
        self.write("a.csv", text)
        self.gruff("scrub", "a.csv", "--trim", "--to", "b.csv", "--to-quote", "all")
        self.assertEqual(self.text("b.csv"), '"A","B"\n"x","a ""b"""\n"","7"\n')
        self.gruff("scrub", "b.csv", "--trim", "--to", "c.csv")
        self.assertEqual(self.text("c.csv"), text)
        self.assertIn(
            "b.xlsx, --to-quote: an XLSX workbook has no such thing",
            self.problem(
                "scrub", "a.csv", "--trim", "--to", "b.xlsx", "--to-quote", "all"
            ),
        )
        many = "".join(f"{n},x\n" for n in range(40_000))
        self.write("long.csv", "N,X\n" + many)
        self.gruff(
            *("sort", "long.csv", "--by", "N DESC", "--to", "d.csv"),
            *("--to-quote", "all"),
        )
        with (self.folder / "d.csv").open(newline="") as lines:
            self.assertEqual(next(lines), '"N","X"\n')
            self.assertTrue(all(line.count('"') == 4 for line in lines))
        self.assertEqual(len(list(csv.reader((self.folder / "d.csv").open()))), 40_001)
