"""Tests of the verb split."""

import json
import unittest

from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.clean.split.perform import perform
from gruff_ledger.work.clean.split.terms import SplitTerms
from tests.support import FolderTest, table

LIST = table("berth|boat", "A-7|Amber", "B-12|Bold", "C|Calm", "D-1-9|", "|Élan")


def split(list_=LIST, **terms):
    """Split a list."""
    return perform(SplitTerms(**terms), list_)


class DelimiterTest(unittest.TestCase):
    def test_the_parts_stand_in_the_place_of_the_field(self) -> None:
        outcome = split(field="boat", at=("m",), parts=("one", "two"))
        self.assertEqual(outcome.table.headings, ("berth", "one", "two"))
        self.assertEqual(outcome.table.records()[0], ("A-7", "A", "ber"))
        kept = split(field="berth", at=("-",), parts=("p", "n"), keep=True)
        self.assertEqual(kept.table.headings, ("berth", "p", "n", "boat"))

    def test_the_extra_goes_where_it_should(self) -> None:
        for surplus, expected in (
            ("last", [("A", "7"), ("B", "12"), ("C", ""), ("D", "1-9"), ("", "")]),
            ("first", [("A", "7"), ("B", "12"), ("C", ""), ("D-1", "9"), ("", "")]),
            ("set-aside", [("A", "7"), ("B", "12"), ("C", ""), ("", "")]),
        ):
            with self.subTest(surplus=surplus):
                outcome = split(
                    field="berth", at=("-",), parts=("p", "n"), surplus=surplus
                )
                found = [record[:2] for record in outcome.table.records()]
                self.assertEqual(found, expected)
                aside = [each.table.records() for each in outcome.aside]
                self.assertEqual(aside, [[("D-1-9", "")]] * (surplus == "set-aside"))

    def test_too_few_and_too_many_are_findings(self) -> None:
        outcome = split(field="berth", at=("-",), parts=("p", "n"))
        few, many = outcome.findings
        self.assertEqual(
            (few.origin.record.tolist(), few.value.to_pylist()), ([3], ["C"])
        )
        self.assertEqual(many.origin.record.tolist(), [4])
        (note,) = outcome.notes
        self.assertEqual(
            note.what,
            "berth: of 5 records, 2 have 2 parts, 1 has 1 part, 1 has 3 parts, 1 is "
            "blank.",
        )

    def test_at_the_first_or_the_last_only(self) -> None:
        for which, expected in (("first", ("D", "1-9")), ("last", ("D-1", "9"))):
            with self.subTest(which=which):
                outcome = split(field="berth", at=("-",), parts=("p", "n"), which=which)
                self.assertEqual(outcome.table.records()[3][:2], expected)
                self.assertEqual(len(outcome.findings), 1)

    def test_at_any_of_several(self) -> None:
        list_ = table("a", "1;2 -- 3", "4 -- 5;6")
        outcome = split(list_, at=(";", " -- "), parts=("x", "y", "z"))
        self.assertEqual(outcome.table.records(), [("1", "2", "3"), ("4", "5", "6")])

    def test_parts_are_trimmed_unless_told_not_to(self) -> None:
        list_ = table("a", " 1 ;\u00a02 ")
        trimmed = split(list_, at=(";",), parts=("x", "y"))
        self.assertEqual(trimmed.table.records(), [("1", "2")])
        whole = split(list_, at=(";",), parts=("x", "y"), untrimmed=True)
        self.assertEqual(whole.table.records(), [(" 1 ", "\u00a02 ")])

    def test_quoted_parts_are_respected_unless_told_not_to(self) -> None:
        list_ = table("a", '"x;y";z', "1;2")
        outcome = split(list_, at=(";",), parts=("p", "q"))
        self.assertEqual(outcome.table.records(), [("x;y", "z"), ("1", "2")])
        outcome = split(list_, at=(";",), parts=("p", "q", "r"), no_quoting=True)
        self.assertEqual(outcome.table.records()[0], ('"x', 'y"', "z"))

    def test_without_headings_the_parts_are_numbered(self) -> None:
        outcome = split(field="berth", at=("-",))
        self.assertEqual(
            outcome.table.headings, ("berth 1", "berth 2", "berth 3", "boat")
        )

    def test_a_pasted_list_comes_apart_with_its_heading(self) -> None:
        list_ = table("boat;berth;length", "Amber;A7;9.5", '"Bold; old";B1;7', "Calm")
        outcome = split(list_, at=(";",))
        self.assertEqual(outcome.table.headings, ("boat", "berth", "length"))
        self.assertEqual(outcome.table.records()[1], ("Bold; old", "B1", "7"))
        self.assertIn("heading was split too", outcome.notes[0].what)

    def test_a_new_field_can_have_the_name_of_the_old_one(self) -> None:
        outcome = split(field="berth", at=("-",), parts=("berth", "n"))
        (change,) = outcome.changes
        self.assertEqual(change.was.to_pylist(), ["A-7", "B-12", "D-1-9"])
        self.assertEqual(change.now.to_pylist(), ["A", "B", "D"])


class OtherWaysTest(unittest.TestCase):
    def test_by_pattern_with_named_groups(self) -> None:
        outcome = split(field="berth", pattern="^(?P<pier>[A-Z])-(?P<no>[0-9]+)$")
        self.assertEqual(outcome.table.headings, ("pier", "no", "boat"))
        self.assertEqual(outcome.table.records()[1], ("B", "12", "Bold"))
        (found,) = outcome.findings
        self.assertEqual(found.value.to_pylist(), ["C", "D-1-9"])
        renamed = split(field="berth", pattern="(?P<a>.)(?P<b>.?)", parts=("x", "y"))
        self.assertEqual(renamed.table.headings[:2], ("x", "y"))

    def test_by_widths(self) -> None:
        outcome = split(
            field="berth", widths=("1", "2"), parts=("p", "n"), surplus="last"
        )
        self.assertEqual(outcome.table.records()[1], ("B", "-12", "Bold"))
        few, many = outcome.findings
        self.assertEqual(few.value.to_pylist(), ["C"])
        self.assertEqual(many.value.to_pylist(), ["B-12", "D-1-9"])

    def test_one_record_a_part(self) -> None:
        list_ = table("boats|pier", "Amber; Bold;|A", "Calm|B", ";|C", "|D")
        outcome = split(list_, field="boats", at=(";",), records=True)
        self.assertEqual(
            outcome.table.records(),
            [("Amber", "A"), ("Bold", "A"), ("Calm", "B"), ("", "C"), ("", "D")],
        )
        self.assertEqual(outcome.lineage.made, 1)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 1, 2, 3, 4])
        kept = split(list_, field="boats", at=(";",), records=True, keep=True)
        self.assertEqual(kept.table.headings, ("boats", "boats part", "pier"))
        self.assertEqual(kept.table.records()[1][:2], ("Amber; Bold;", "Bold"))

    def test_no_records(self) -> None:
        for terms in (
            {"at": ("-",)},
            {"at": ("-",), "records": True},
            {"widths": ("1", "2")},
            {"pattern": "(?P<a>.)"},
        ):
            with self.subTest(terms=terms):
                self.assertEqual(len(split(table("a"), **terms).table), 0)


class RefusalTest(unittest.TestCase):
    def test_terms_that_cannot_be_followed(self) -> None:
        for terms, words in (
            ({}, "no way to split was given"),
            ({"at": ("-",), "widths": ("1",)}, "several ways of splitting"),
            ({"at": ("",)}, "a delimiter is empty"),
            ({"at": ("-",), "parts": ("a",)}, "needs two new fields"),
            ({"widths": ("1", "2"), "parts": ("a",)}, "2 widths, 1 heading"),
            ({"pattern": "(?P<a>x)", "records": True}, "one record a part"),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(BadTerms) as caught:
                    SplitTerms(field="berth", **terms)
                self.assertIn(words, caught.exception.what)

    def test_lists_that_do_not_fit(self) -> None:
        for terms, kind, words in (
            ({"field": "bert", "at": ("-",)}, UnknownField, "no field 'bert'"),
            ({"at": ("-",)}, BadTerms, "has 2 fields"),
            (
                {"field": "berth", "at": ("-",), "parts": ("boat", "n")},
                BadTerms,
                "already has a field 'boat'",
            ),
            (
                {"field": "berth", "at": ("-",), "parts": ("n", "n")},
                BadTerms,
                "given twice",
            ),
            (
                {"field": "berth", "pattern": "(?P<a>.)", "parts": ("a", "b")},
                BadTerms,
                "1 named groups, and 2",
            ),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(kind) as caught:
                    split(**terms)
                self.assertIn(words, caught.exception.what)

    def test_a_delimiter_chosen_wrongly(self) -> None:
        list_ = table("a|b", "x" + " x" * 2000 + "|")
        with self.assertRaises(BadTerms) as caught:
            split(list_, field="a", at=(" ",))
        self.assertIn("2001 parts", caught.exception.what)


class ProgramTest(FolderTest):
    def test_a_field_made_by_a_split_is_split_again(self) -> None:
        self.write("a.csv", "place\nA-7/north\nB-12/south\n")
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n'
            '[[entry]]\ndo = "split"\nat = "/"\nparts = ["berth", "quay"]\n'
            '[[entry]]\ndo = "split"\nfield = "berth"\nat = ["-"]\n'
            'parts = ["pier", "no"]\n[[out]]\nto = "b.csv"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("b.csv"), "pier,no,quay\nA,7,north\nB,12,south\n")

    def test_a_list_pasted_into_one_field(self) -> None:
        self.write("a.csv", '"boat;berth"\n"Amber;A7"\n')
        done = self.gruff(
            *("split", "a.csv", "--header-rows", "1", "--delimiter", ","),
            *("--at", ";", "--to", "b.csv"),
        )
        self.assertEqual(self.text("b.csv"), "boat,berth\nAmber,A7\n")
        self.assertIn("The heading was split too", done.stderr.decode())

    def test_records_that_multiply_are_in_the_balance(self) -> None:
        self.write("a.csv", "boats,pier\nAmber; Bold,A\nCalm,B\n")
        done = self.gruff(
            *("split", "a.csv", "--field", "boats", "--at", ";", "--records"),
            *("--to", "b.csv", "--ledger", "l"),
        )
        self.assertIn("2 records in: 3 out (1 more than came in)", done.stderr.decode())
        account = json.loads(self.text("l/account.json"))
        self.assertEqual(account["entries"][0]["made"], 1)
        self.assertTrue(account["balance"]["balances"])


if __name__ == "__main__":
    unittest.main()
