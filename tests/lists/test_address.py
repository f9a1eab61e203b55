"""Tests of addresses: taking them apart, and finding the lists they mean."""

import unittest

from gruff_ledger.lists.address import Fragment, list_name, parse_address
from gruff_ledger.problems import UnreadableSource
from tests.support import FolderTest

LIST = "boat,berth,class\nAmber,1,A\nBold,2,B\nCalm,3,C\nDusk,4,D\n"


class ParseTest(unittest.TestCase):
    def test_parts(self) -> None:
        cases = {
            "a.csv": Fragment(),
            "a.csv#row=5-*": Fragment(rows=((5, None),)),
            "a.csv#row=5-": Fragment(rows=((5, None),)),
            "a.csv#row=5": Fragment(rows=((5, 5),)),
            "a.csv#row=9-12;1;2-4": Fragment(rows=((1, 4), (9, 12))),
            "a.csv#row=3-;1": Fragment(rows=((1, 1), (3, None))),
            "a.csv#col=2-3": Fragment(cols=((2, 3),)),
            "a.csv#cell=4,1-*,6": Fragment(rows=((4, None),), cols=((1, 6),)),
            "a.csv#cell=4,1-9,*": Fragment(rows=((4, 9),), cols=((1, None),)),
            "a.csv#cell=4,1": Fragment(rows=((4, 4),), cols=((1, 1),)),
            "a.csv#cell=4,1-": Fragment(rows=((4, None),), cols=((1, None),)),
            "b.xlsx#sheet=May 26/row=2-": Fragment(sheet="May 26", rows=((2, None),)),
            "b.xlsx#sheet=a=b": Fragment(sheet="a=b"),
            "c.json#/places/list": Fragment(pointer="/places/list"),
            "r.db#table=berths": Fragment(table="berths"),
            "https://a.example/b.csv#row=2-": Fragment(rows=((2, None),)),
        }
        for text, fragment in cases.items():
            with self.subTest(address=text):
                self.assertEqual(parse_address(text).fragment, fragment)

    def test_mistakes_are_told(self) -> None:
        cases = {
            "": "empty",
            "#row=2": "no list",
            "a.csv#rows=2": "'rows=2' is not a part",
            "a.csv#row=0-4": "holds nothing",
            "a.csv#row=4-2": "holds nothing",
            "a.csv#row=*-4": "begins at the end",
            "a.csv#row=x": "cannot be read",
            "a.csv#row=": "is empty",
            "a.csv#row=1/row=2": "given twice",
            "a.csv#cell=1,1-2,2/row=1": "rows or columns too",
            "a.csv#cell=1,1-2,2;4,4-5,5": "cannot be read",
            "a.csv#row=" + "9" * 40: "no list reaches",
            "ftp://a.example/b.csv": "cannot be fetched by 'ftp'",
            "c.json#/a~b": "JSON Pointer",
        }
        for text, told in cases.items():
            with self.subTest(address=text), self.assertRaises(UnreadableSource) as it:
                parse_address(text)
            self.assertIn(told, it.exception.paragraph())

    def test_names(self) -> None:
        self.assertEqual(list_name("in/a.b.csv"), "a.b")
        self.assertEqual(list_name("-"), "standard input")
        self.assertEqual(list_name("https://a.example/"), "/")


class FindTest(FolderTest):
    """Addresses in commands and dockets."""

    def berths(self, address: str, *options: str) -> list[str]:
        self.gruff("merge", address, *options, "--to", "out.csv", "--replace")
        return [record["berth"] for record in self.records("out.csv")]

    def test_rows_columns_and_cells_of_delimited_text(self) -> None:
        self.write("a.csv", LIST)
        self.assertEqual(self.berths("a.csv#row=1;3-4"), ["2", "3"])
        self.assertEqual(self.berths("a.csv#row=1-3"), ["1", "2"])
        self.assertEqual(self.berths("a.csv#cell=1,2-*,3"), ["1", "2", "3", "4"])
        self.assertEqual(self.text("out.csv").splitlines()[0], "berth,class")
        self.assertEqual(self.berths("a.csv#col=2", "--header-rows", "1"), list("1234"))
        self.gruff("merge", "a.csv#row=3-", "--to", "b.csv", "--ledger", "l")
        self.assertEqual(
            self.text("b.csv").splitlines(), ["Bold,2,B", *LIST.split()[3:]]
        )

    def test_a_block_counts_only_its_records(self) -> None:
        self.write("a.csv", "title\n" + LIST + "Short\nLong,1,2,3\n,,\n\n")
        done = self.gruff(*("merge", "a.csv#row=2-4", "--to", "b.csv", "--ledger", "l"))
        self.assertIn("2 records in: 2 out, 0 set aside", done.stderr.decode())
        self.gruff("merge", "a.csv#row=2;7-9", "--to", "c.csv", "--ledger", "m")
        self.assertEqual(self.text("c.csv"), "boat,berth,class\nShort,,\n")
        (aside,) = self.records("m/set-aside.csv")
        self.assertEqual((aside["record"], aside["row"]), ("6", "8"))

    def test_blocks_that_are_not_there_are_told(self) -> None:
        self.write("a.csv", LIST)
        for part, told in (
            ("row=50-", "ends with row 5"),
            ("row=1;9", "its rows are 1 to 5"),
            ("col=4-", "its columns are 1 to 3"),
            ("sheet=May", "no tabs"),
            ("/a", "no keys"),
        ):
            with self.subTest(part=part):
                told_there = self.problem("merge", f"a.csv#{part}")
                self.assertIn(told, told_there)

    def test_a_file_of_just_that_name_is_taken_as_it_is(self) -> None:
        for name in ("a#row=2.csv", "b[1].csv", "#1.csv"):
            with self.subTest(name=name):
                self.write(name, LIST)
                self.assertEqual(self.berths(name), ["1", "2", "3", "4"])

    def test_patterns_stand_for_files_in_name_order(self) -> None:
        for name in ("b", "a", "c"):
            self.write(f"in/{name}.csv", f"berth\n{name}1\n")
        self.write("in/d.txt", "berth\nd1\n")
        self.assertEqual(self.berths("in/*.csv"), ["a1", "b1", "c1"])
        self.assertEqual(
            self.berths("in/[ab].*", "--name-source", "from"), ["a1", "b1"]
        )
        self.assertEqual(self.records("out.csv")[0]["from"], "a")
        told = self.problem("merge", "in/*.cvs")
        self.assertIn("holds 4 files, such as", told)
        self.assertIn("no folder", self.problem("merge", "out/*.csv"))
        told = self.problem("duplicates", "in/*.csv", "--to", "x.csv")
        self.assertIn("works on one list, and there are 3", told)

    def test_in_dockets_with_questions_filled_in(self) -> None:
        self.write("in/may-a.csv", LIST)
        self.write("in/may-b.csv", LIST)
        self.write(
            "d.toml",
            'docket = 1\n[ask.month]\nsay = "Month?"\n'
            '[lists.all]\nfrom = "in/{month}-*.csv#row=1-2"\n'
            '[[entry]]\ndo = "merge"\nname-source = "from"\n'
            '[[entry]]\ndo = "duplicates"\nby = ["boat"]\n[[out]]\nto = "out.csv"\n',
        )
        self.gruff("run", "d.toml", "--set", "month=may")
        self.assertEqual(
            self.text("out.csv"), "boat,berth,class,from\nAmber,1,A,may-a\n"
        )
        self.write(
            "d.toml",
            self.text("d.toml")
            .replace('do = "merge"', "")
            .replace('[[entry]]\n\nname-source = "from"\n', ""),
        )
        told = self.problem("run", "d.toml", "--set", "month=may")
        self.assertIn("entry 1 (duplicates)", told)
        self.assertIn("there are 2: 'may-a', 'may-b'", told)

    def test_the_format_can_be_stated(self) -> None:
        self.write("a.dat", '[{"berth": "1"}]')
        self.assertEqual(self.berths("a.dat", "--format", "json"), ["1"])
        told = self.problem("merge", "a.dat", "--format", "json", "--skip-rows", "1")
        self.assertIn("--skip-rows", told)
        self.write("b.md", "x")
        self.assertIn("there is no table in it", self.problem("merge", "b.md"))


if __name__ == "__main__":
    unittest.main()
