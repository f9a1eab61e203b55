"""Tests of names that stand for several lists, and of what entries write beside."""

import json
import unittest

from tests.support import FolderTest


class ExpandTest(FolderTest):
    def docket(self, text: str) -> None:
        self.write("d.toml", f"docket = 1\n{text}")

    def test_lists_are_named_by_file_and_made_distinct(self) -> None:
        for name in ("x/a", "y/a", "x/b"):
            self.write(f"{name}.csv", f"boat\n{name}\n")
        self.docket(
            '[lists.all]\nfrom = "*/*.csv"\n'
            '[[entry]]\ndo = "merge"\nname-source = "of"\n'
            '[[out]]\nto = "out.csv"\n'
        )
        self.gruff("run", "d.toml")
        self.assertEqual(
            [(each["boat"], each["of"]) for each in self.records("out.csv")],
            [("x/a", "all a"), ("x/b", "b"), ("y/a", "y/a.csv")],
        )

    def test_a_list_with_the_name_of_a_result(self) -> None:
        self.write("in/entry 1.csv", "boat\nAmber\n")
        self.docket(
            '[lists.all]\nfrom = "in/*.csv"\n[[entry]]\ndo = "merge"\n'
            '[[out]]\nto = "out.csv"\n'
        )
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("out.csv"), "boat\nAmber\n")

    def test_an_out_cannot_be_several_lists(self) -> None:
        for name in "ab":
            self.write(f"in/{name}.csv", "boat\nAmber\n")
        self.docket('[lists.all]\nfrom = "in/*.csv"\n[[out]]\nto = "out.csv"\n')
        self.assertIn("there are 2: 'a', 'b'", self.problem("run", "d.toml"))

    def test_unused_lists_are_not_looked_for(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        self.docket(
            '[lists.a]\nfrom = "a.csv"\n[lists.b]\nfrom = "https://nowhere.invalid/b"\n'
            '[[entry]]\ndo = "count"\nlists = ["a"]\nby = "boat"\n'
        )
        done = self.gruff("run", "d.toml")
        self.assertIn("No entry works on 'b'", done.stdout.decode())

    def test_a_count_balances_in_a_docket(self) -> None:
        self.write("a.csv", "boat\nAmber\nAmber\nBold\n")
        self.docket(
            '[lists.a]\nfrom = "a.csv"\n'
            '[[entry]]\ndo = "count"\nby = "boat"\nas = "n"\n'
            '[[entry]]\ndo = "duplicates"\nlist = "a"\n'
            '[[out]]\nto = "n.csv"\nlist = "n"\n[[out]]\nto = "once.csv"\n'
        )
        done = self.gruff("run", "d.toml")
        self.assertIn("2 of them figures on 3 others", done.stdout.decode())
        self.assertEqual(
            [list(each.values()) for each in self.records("n.csv")],
            [["Amber", "2", "66.7%"], ["Bold", "1", "33.3%"]],
        )
        balance = json.loads(self.text("ledger/account.json"))["balance"]
        self.assertEqual(
            (balance["records_in"], balance["used_again"], balance["made"]), (3, 3, 2)
        )
        self.assertEqual(
            (balance["records_out"], balance["set_aside"], balance["summed"]), (4, 1, 3)
        )

    def test_what_an_entry_writes_beside_is_checked(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        for line, told in (
            ('chart = "c.gif"', "does not end in .png or .svg"),
            ("chart = 5", "it should be a path"),
            ('chart = "../c.png"', "outside the docket's folder"),
            ('chrat = "c.png"', "Did you mean 'chart'?"),
        ):
            self.docket(
                f'[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "survey"\n{line}\n'
            )
            with self.subTest(line=line):
                self.assertIn(told, self.problem("run", "d.toml"))

    def test_copies_are_kept_below_the_folder(self) -> None:
        self.docket('kept = "../kept"\n[lists.a]\nfrom = "https://a.invalid/a.csv"\n')
        self.assertIn("outside the docket's folder", self.problem("run", "d.toml"))

    def test_the_schema_knows_the_new_keys(self) -> None:
        schema = json.loads(self.gruff("docket-schema").stdout)["properties"]
        self.assertIn("kept", schema)
        lists = schema["lists"]["additionalProperties"]["properties"]
        self.assertIn("xlsx", lists["format"]["enum"])
        self.assertEqual(lists["no-totals"]["type"], "boolean")
        out = schema["out"]["items"]["properties"]
        self.assertEqual(out["line-ends"]["enum"], ["lf", "crlf"])
        entries = {
            each["properties"]["do"]["const"]: each
            for each in schema["entry"]["items"]["oneOf"]
        }
        self.assertIn("draft-rules", entries["survey"]["properties"])
        self.assertNotIn("draft-rules", entries["count"]["properties"])


class OptionNamesTest(FolderTest):
    """What a command calls by another name than a docket is told by that name."""

    def test_mistakes_in_writing_terms(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        told = self.problem("merge", "a.csv", "--to-delimiter", "ab", "--to", "b.csv")
        self.assertIn("--to-delimiter", told)
        told = self.problem("merge", "a.csv", "--to-format", "docx", "--to", "b.csv")
        self.assertIn("--to-format: 'docx' is not one of: ", told)
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[out]]\nto = "b.csv"\n'
            'delimiter = "ab"\n',
        )
        told = self.problem("run", "d.toml")
        self.assertIn("out 1, line 6, key 'delimiter'", told)

    def test_an_ending_that_stands_for_no_list(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        told = self.problem("merge", "a.csv", "--to", "b.pdf")
        self.assertIn("'.pdf' is not the ending of a format", told)
        self.gruff("merge", "a.csv", "--to", "b.pdf", "--to-format", "delimited")
        self.gruff("merge", "a.csv", "--to", "plain")
        self.assertEqual(self.text("plain"), self.text("b.pdf"))

    def test_results_in_a_pipe_can_be_of_another_format(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        done = self.gruff("merge", "a.csv", "--to-format", "json")
        self.assertEqual(json.loads(done.stdout), [{"boat": "Amber"}])
        done = self.gruff("merge", "-", "--format", "json", stdin=done.stdout)
        self.assertEqual(done.stdout, b"boat\nAmber\n")
        book = self.gruff("merge", "a.csv", "--to-format", "xlsx").stdout
        done = self.gruff("merge", "-", stdin=book)
        self.assertEqual(done.stdout, b"boat\nAmber\n")


if __name__ == "__main__":
    unittest.main()
