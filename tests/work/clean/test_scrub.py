"""Tests of the verb scrub."""

import unittest

import msgspec
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.clean.scrub.perform import perform
from gruff_ledger.work.clean.scrub.terms import ScrubTerms
from tests.support import FolderTest, table
from tests.support import written as as_written

CELLS = st.lists(st.text("aB \u00a0\u200bé1,.-", max_size=6), min_size=1, max_size=12)


def scrub(cells, references=None, written="", **terms):
    """Scrub a list of one field; return its cells and the outcome."""
    rows = [[cell] for cell in cells]
    list_ = Table.of_records(["a"], rows)
    if written:
        list_ = as_written(list_, a=written)
    outcome = perform(ScrubTerms(**terms), list_, references)
    return outcome.table.cells("a").to_pylist(), outcome


class CellsTest(unittest.TestCase):
    def test_each_of_its_works(self) -> None:
        for terms, before, after in (
            ({"trim": True}, " a  b\u00a0", "a  b"),
            ({"squeeze": True}, " a \u00a0\tb", " a b"),
            ({"no_invisible": True}, "a\u200b\u00adb", "ab"),
            ({"unicode": "nfc"}, "e\u0301", "é"),
            ({"unicode": "nfkc"}, "ｆｉ", "fi"),
            ({"null": ("n/a", "-")}, "n/a", ""),
            ({"map": {"x": "y"}}, "x", "y"),
            ({"map": {" X": "y"}, "match": "loose"}, "x ", "y"),
            ({"map": {"Élan": "y"}, "match": "letters"}, "elan.", "y"),
            ({"map": {"7": "y"}, "match": "number"}, "07.0", "y"),
            ({"case": "upper"}, "straße", "STRASSE"),
            ({"case": "title"}, "OLD otter", "Old Otter"),
            ({"case": "title", "odd_only": True}, "van der Duin", "van der Duin"),
            ({"case": "title", "odd_only": True}, "VAN DER DUIN", "Van Der Duin"),
            ({"fill": "0"}, " \u00a0", "0"),
            ({"trim": True, "fill": "0"}, "5 ", "5"),
            ({"null": ("-",), "fill": "0"}, "-", "0"),
        ):
            with self.subTest(terms=terms):
                cells, outcome = scrub([before, "other"], **terms)
                self.assertEqual(cells[0], after)
                journal = [cell for c in outcome.changes for cell in c.now.to_pylist()]
                self.assertEqual(after in journal, after != before)

    @given(CELLS)
    def test_scrubbing_twice_is_scrubbing_once(self, cells) -> None:
        terms = {
            "trim": True,
            "squeeze": True,
            "no_invisible": True,
            "case": "title",
            "unicode": "nfkc",
            "fill": "-",
        }
        once, _ = scrub(cells, **terms)
        twice, outcome = scrub(once, **terms)
        self.assertEqual(once, twice)
        self.assertEqual(outcome.changes, ())

    @given(CELLS)
    def test_every_change_is_journaled(self, cells) -> None:
        after, outcome = scrub(cells, trim=True, case="upper", above=True)
        journal = {
            int(record): (was, now)
            for change in outcome.changes
            for record, was, now in zip(
                change.origin.record,
                change.was.to_pylist(),
                change.now.to_pylist(),
                strict=True,
            )
        }
        expected = {
            place + 1: (was, now)
            for place, (was, now) in enumerate(zip(cells, after, strict=True))
            if was != now
        }
        self.assertEqual(journal, expected)

    def test_filling_from_above(self) -> None:
        cells, outcome = scrub(["", "a", " ", "", "b", ""], above=True)
        self.assertEqual(cells, ["", "a", "a", "a", "b", "b"])
        self.assertEqual(outcome.changes[0].origin.record.tolist(), [3, 4, 6])
        cells, _ = scrub(["", "a", "-"], above=True, null=("-",), fill="?")
        self.assertEqual(cells, ["?", "a", "a"])

    def test_fields_of_many_records_and_few_values(self) -> None:
        """Decided on the values, with the same result."""
        cells = ["OLD otter ", "", "Seal", "x"] * 3000
        after, outcome = scrub(cells, trim=True, case="title", fill="?")
        self.assertEqual(after, ["Old Otter", "?", "Seal", "X"] * 3000)
        self.assertEqual(len(outcome.changes[0].origin), 9000)
        filled, _ = scrub(cells, above=True)
        self.assertEqual(filled[:4], ["OLD otter ", "OLD otter ", "Seal", "x"])

    def test_several_fields_at_once_and_no_others(self) -> None:
        list_ = table("a|b|c", " x| y| z")
        outcome = perform(ScrubTerms(fields=("A", "c"), trim=True), list_)
        self.assertEqual(outcome.table.records(), [("x", " y", "z")])
        self.assertEqual([each.field for each in outcome.changes], ["a", "c"])
        self.assertIs(outcome.table.held[1], list_.held[1])

    def test_nothing_to_change_is_said(self) -> None:
        _, outcome = scrub(["a"], trim=True)
        self.assertEqual(
            [note.what for note in outcome.notes], ["No cell was changed."]
        )
        _, outcome = scrub([], trim=True, case="upper", above=True, fill="x")
        self.assertEqual(len(outcome.table), 0)


class MapTest(unittest.TestCase):
    def test_a_list_and_pairs(self) -> None:
        listed = table("was|now", "a|1", "b|2", "|9", name="map")
        cells, outcome = scrub(
            ["a", "b", "c", ""],
            {"map": listed},
            map_by="map",
            map={"b": "own", "zz": "?"},
        )
        self.assertEqual(cells, ["1", "own", "c", ""])
        self.assertTrue(
            any("1 were not met: zz" in note.what for note in outcome.notes)
        )

    def test_maps_that_contradict_themselves(self) -> None:
        for terms, words in (
            ({"map": {"a": "1", "A": "2"}, "match": "loose"}, "two things of one cell"),
            ({"map": {" ": "1"}}, "can match no cell"),
            ({"map": {"x": "1"}, "match": "number"}, "can match no cell"),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(BadTerms) as caught:
                    scrub(["a"], **terms)
                self.assertIn(words, caught.exception.what)
        cells, _ = scrub(["A", "a"], map={"a": "1", "A": "1"}, match="loose")
        self.assertEqual(cells, ["1", "1"])


class NumbersTest(unittest.TestCase):
    def test_rewritten_in_one_form(self) -> None:
        cells = ["1.250,50 €", "(3)", "7", "", "x", "1.25"]
        for number, expected in (
            ("plain", ["1250.50", "-3", "7", "", "x", "1.25"]),
            ("#,##0.00", ["1,250.50", "-3.00", "7.00", "", "x", "1.25"]),
            ("0", ["1.250,50 €", "-3", "7", "", "x", "1.25"]),
        ):
            with self.subTest(number=number):
                after, outcome = scrub(
                    cells, fields=("a",), number=number, written="1.234,56 €, (4)"
                )
                self.assertEqual(after, expected)
                (found,) = outcome.findings
                left = ["x", "1.25"] if number != "0" else ["1.250,50 €", "x", "1.25"]
                self.assertEqual(found.value.to_pylist(), left)

    def test_found_out_from_the_cells(self) -> None:
        """Each in its own way, and those that are plain already are no change."""
        cells = ["1.250,50 €", "(3)", "12.50", "", "x", "8 USD-"]
        after, outcome = scrub(cells[:-1], fields=("a",), number="plain")
        self.assertEqual(after, ["1250.50", "-3", "12.50", "", "x"])
        self.assertEqual(len(outcome.changes[0].origin), 2)
        with self.assertRaisesRegex(BadTerms, "several currencies: EUR \\(1\\) and"):
            scrub(cells, fields=("a",), number="plain")

    def test_the_currency_goes_to_a_field_of_its_own(self) -> None:
        boats = table("a|b", "1.250,50 €|1", "8 USD-|2", "7|3")
        terms = ScrubTerms(fields=("a",), number="plain", currency_to="Currency")
        result = perform(terms, boats).table
        self.assertEqual(result.headings, ("a", "Currency", "b"))
        self.assertEqual(
            result.records(),
            [("1250.50", "EUR", "1"), ("-8", "USD", "2"), ("7", "", "3")],
        )

    def test_rounded_only_as_stated(self) -> None:
        for rounding, expected in (
            ("none", "2.345"),
            ("half-up", "2.35"),
            ("half-even", "2.34"),
            ("down", "2.34"),
            ("ceiling", "2.35"),
        ):
            with self.subTest(rounding=rounding):
                cells, _ = scrub(
                    ["2.345"], fields=("a",), number="0.00", rounding=rounding
                )
                self.assertEqual(cells, [expected])

    def test_dates_rewritten(self) -> None:
        cells = ["1/5/2026", "31/2/2026", "", "2026-05-01", "3. Mai 26"]
        after, outcome = scrub(
            cells, fields=("a",), date="iso", written="31/12/2026, 3 Dec 26"
        )
        self.assertEqual(
            after, ["2026-05-01", "31/2/2026", "", "2026-05-01", "2026-05-03"]
        )
        self.assertEqual(outcome.findings[0].value.to_pylist(), [cells[1]])
        after, _ = scrub(["2026-05-01"], fields=("a",), date="dd.MM.yy")
        self.assertEqual(after, ["01.05.26"])

    def test_each_field_as_what_it_holds(self) -> None:
        list_ = table("fee|paid|boat", "1,50 €|31.5.26|Auk", "2,5|x|Tern", "|1.6.26|")
        terms = ScrubTerms(fields=("fee", "paid"), number="0.00", date="iso")
        outcome = perform(terms, list_)
        self.assertEqual(
            outcome.table.records(),
            [
                ("1.50", "2026-05-31", "Auk"),
                ("2.50", "x", "Tern"),
                ("", "2026-06-01", ""),
            ],
        )
        self.assertEqual([each.field for each in outcome.findings], ["paid"])
        with self.assertRaisesRegex(BadTerms, "neither numbers nor dates"):
            perform(msgspec.structs.replace(terms, fields=("boat",)), list_)


class RefusalTest(unittest.TestCase):
    def test_terms_that_cannot_be_followed(self) -> None:
        for terms, words in (
            ({}, "no action was given"),
            ({"number": "plain"}, "fields that are named"),
            ({"number": "x", "fields": ("a",)}, "not a pattern for numbers"),
            ({"date": "MM", "fields": ("a",)}, "not a pattern for dates"),
            ({"fill": " "}, "filled with a blank"),
            ({"odd_only": True, "trim": True}, "a change of letter case"),
        ):
            with self.subTest(terms=terms):
                with self.assertRaises(BadTerms) as caught:
                    ScrubTerms(**terms)
                self.assertIn(words, caught.exception.what)
        with self.assertRaises(UnknownField):
            scrub(["x"], fields=("b",), trim=True)


class ProgramTest(FolderTest):
    def test_changes_and_findings_are_in_the_ledger(self) -> None:
        self.write("a.csv", 'boat,fee\n ALBA,"1,5"\nBold,x\n')
        self.write("map.csv", "was,now\nBold,Bolder\n")
        self.gruff(
            *("scrub", "a.csv", "--fields", "boat", "--trim", "--map-by", "map.csv"),
            *("--to", "b.csv", "--ledger", "l"),
        )
        self.assertEqual(self.text("b.csv"), 'boat,fee\nALBA,"1,5"\nBolder,x\n')
        changes = [
            (each["field"], each["was"], each["now"], each["record"])
            for each in self.records("l/changes.csv")
        ]
        self.assertEqual(
            changes, [("boat", " ALBA", "ALBA", "1"), ("boat", "Bold", "Bolder", "2")]
        )
        done = self.gruff(
            *("scrub", "b.csv", "--fields", "fee", "--number", "plain"),
            *("--written", "fee=1,5", "--to", "c.csv", "--ledger", "m"),
        )
        self.assertEqual(self.text("c.csv"), "boat,fee\nALBA,1.5\nBolder,x\n")
        self.assertIn("fee is not a number", done.stderr.decode())
        (found,) = self.records("m/findings.csv")
        self.assertEqual((found["value"], found["record"]), ("x", "2"))


if __name__ == "__main__":
    unittest.main()
