"""Tests of the verb fields."""

import json
import unittest

from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.clean.fields.perform import perform
from gruff_ledger.work.clean.fields.terms import FieldsTerms
from tests.support import FolderTest, table

LIST = table("a|b|c|d|E e", "1|2|3|4|5")


def fields(references=None, **terms):
    """Return the headings that a list then has, and the outcome."""
    outcome = perform(FieldsTerms(**terms), LIST, references)
    return outcome.table.headings, outcome


class FieldsTest(unittest.TestCase):
    def test_which_fields_stay_and_in_which_order(self) -> None:
        for terms, expected in (
            ({"keep": ("c", "a")}, ("c", "a")),
            ({"drop": ("a", "d")}, ("b", "c", "E e")),
            ({"first": ("d", "b")}, ("d", "b", "a", "c", "E e")),
            ({"last": ("b", "a")}, ("c", "d", "E e", "b", "a")),
            ({"after": {"a": "c"}}, ("b", "c", "a", "d", "E e")),
            ({"after": {"a": "d", "b": "d"}}, ("c", "d", "a", "b", "E e")),
            ({"after": {"a": "b", "b": "d"}}, ("c", "d", "b", "a", "E e")),
            (
                {"drop": ("b",), "first": ("d",), "last": ("a",)},
                ("d", "c", "E e", "a"),
            ),
            ({"rename": {"a": "b", "b": "a"}}, ("b", "a", "c", "d", "E e")),
        ):
            with self.subTest(terms=terms):
                self.assertEqual(fields(**terms)[0], expected)

    def test_cells_go_with_their_headings(self) -> None:
        _, outcome = fields(keep=("d", "a"), rename={"d": "x"})
        self.assertEqual(outcome.table.cells("x").to_pylist(), ["4"])

    def test_loose_names_are_taken_and_said(self) -> None:
        headings, outcome = fields(keep=("A",))
        self.assertEqual(headings, ("a",))
        self.assertTrue(any("'a' was taken" in note.what for note in outcome.notes))

    def test_by_a_map_list(self) -> None:
        listed = table("was|now", "a|first", "E e|last", "zz|gone", name="names")
        headings, outcome = fields({"names": listed}, rename_by="names")
        self.assertEqual(headings, ("first", "b", "c", "d", "last"))
        self.assertTrue(any("no field zz" in note.what for note in outcome.notes))

    def test_contradictions_are_refused(self) -> None:
        for terms, words in (
            ({}, "no action was given"),
            ({"keep": ("a",), "drop": ("b",)}, "to keep and to drop"),
            ({"keep": ("a", "a")}, "named twice"),
            ({"keep": ("a",), "first": ("b",)}, "does not stay"),
            ({"first": ("a",), "last": ("a",)}, "named twice"),
            ({"after": {"a": "b", "b": "a"}}, "in a circle"),
            ({"drop": ("a", "b", "c", "d", "E e")}, "no field would be left"),
            ({"rename": {"a": "b"}}, "two fields would be headed 'b'"),
            ({"rename": {"a": " "}}, "a heading would be blank"),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(BadTerms) as caught:
                    fields(**terms)
                self.assertIn(words, caught.exception.what)

    def test_all_unknown_names_are_told_at_once(self) -> None:
        with self.assertRaises(UnknownField) as caught:
            fields(first=("x",), rename={"yy": "z"}, last=("a",))
        self.assertIn("'x'", caught.exception.what)
        self.assertIn("'yy'", caught.exception.what)

    def test_map_lists_that_are_none(self) -> None:
        for listed, words in (
            (table("a|b|c", "1|2|3", name="names"), "has 3 fields"),
            (table("a|b", "x|y", "x|z", name="names"), "two things of 'x'"),
        ):
            with self.subTest(words=words):
                with self.assertRaises(BadTerms) as caught:
                    fields({"names": listed}, rename_by="names")
                self.assertIn(words, caught.exception.what)


class ProgramTest(FolderTest):
    def test_a_map_list_at_an_address(self) -> None:
        self.write("a.csv", "Bt,Len\nAmber,9\n")
        self.write("names.csv", "was;note;now\nBt;x;Boat\nLen;y;Length\n")
        done = self.gruff(
            *("fields", "a.csv", "--rename-by", "names.csv#col=1;3"),
            *("--to", "b.csv", "--ledger", "l"),
        )
        self.assertEqual(self.text("b.csv"), "Boat,Length\nAmber,9\n")
        told = done.stderr.decode()
        self.assertIn("1 record in: 1 out, 0 set aside", told)
        account = json.loads(self.text("l/account.json"))
        self.assertEqual([each["name"] for each in account["sources"]], ["a", "names"])
        self.assertEqual(
            account["entries"][0]["references"], {"names.csv#col=1;3": "names"}
        )
        self.assertEqual(account["balance"]["referred"], 2)

    def test_a_map_list_of_a_docket(self) -> None:
        self.write("a.csv", "Bt\nAmber\n")
        self.write("names.txt", "was;now\nBt;Boat\n")
        docket = (
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[lists.names]\nfrom = "names.txt"\n'
            '[[entry]]\ndo = "fields"\nlist = "a"\nrename-by = "names"\n'
            '[[out]]\nto = "b.csv"\n'
        )
        self.write("d.toml", docket)
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("b.csv"), "Boat\nAmber\n")
        self.write("d.toml", docket.replace('"names"', '"names.txt"'))
        self.gruff("run", "d.toml", "--replace")
        self.assertEqual(self.text("b.csv"), "Boat\nAmber\n")
        self.write("d.toml", docket.replace('by = "names"', 'by = "nams.csv"'))
        told = self.problem("run", "d.toml", "--replace")
        self.assertIn("nams.csv", told)

    def test_a_map_is_not_among_all_lists(self) -> None:
        """An entry that names no lists works on the others."""
        self.write("a.csv", "Bt\nAmber\n")
        self.write("b.csv", "Bt\nBold\n")
        self.write("names.csv", "was,now\nBt,Boat\n")
        lists = "".join(
            f'[lists.{name}]\nfrom = "{name}.csv"\n' for name in ("a", "names", "b")
        )
        self.write(
            "d.toml",
            f'docket = 1\n{lists}[[entry]]\ndo = "merge"\n'
            '[[entry]]\ndo = "fields"\nrename-by = "names"\n[[out]]\nto = "c.csv"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("c.csv"), "Boat\nAmber\nBold\n")

    def test_a_list_that_is_its_own_map(self) -> None:
        self.write("a.csv", "was,now\nwas,old\n")
        done = self.gruff("fields", "a.csv", "--rename-by", "a.csv", "--to", "b.csv")
        self.assertEqual(self.text("b.csv"), "old,now\nwas,old\n")
        self.assertIn("1 record in: 1 out", done.stderr.decode())


class GivenNameTest(FolderTest):
    def test_a_name_that_is_given_goes_before_one_that_is_like_it(self) -> None:
        """The renamed field is kept, not one of another letter case."""
        self.write("sales.csv", "Delivered on,date,Item\n2026-05-01,x,Rope\n")
        self.gruff(
            *("fields", "sales.csv", "--rename", "Delivered on=Date"),
            *("--keep", "Date, Item", "--to", "out.csv"),
        )
        self.assertEqual(
            self.records("out.csv"), [{"Date": "2026-05-01", "Item": "Rope"}]
        )

    def test_several_pairs_in_one_option_mean_the_same_everywhere(self) -> None:
        """On the command line and in a docket, in fields and merge."""
        self.write("a.csv", "Item,Price\nRope,1\n")
        self.write("b.csv", "thing,COST\nSail,2\n")
        self.gruff(
            "fields", "a.csv", "--rename", "Item=Thing, Price=Cost", "--to", "o.csv"
        )
        self.assertEqual(self.text("o.csv"), "Thing,Cost\nRope,1\n")
        self.gruff(
            *("merge", "a.csv", "b.csv", "--aliases", "Thing=Item, Cost=Price"),
            *("--to", "m.csv", "--enter", "job.toml"),
        )
        expected = "Item,Price\nRope,1\nSail,2\n"
        self.assertEqual(self.text("m.csv"), expected)
        self.gruff("run", "job.toml", "--replace")
        self.assertEqual(self.text("m.csv"), expected)
        self.write(
            "own.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "fields"\n'
            'rename = "Item=Thing, Price=Cost"\n[[out]]\nto = "own.csv"\n',
        )
        self.gruff("run", "own.toml")
        self.assertEqual(self.text("own.csv"), "Thing,Cost\nRope,1\n")


if __name__ == "__main__":
    unittest.main()
