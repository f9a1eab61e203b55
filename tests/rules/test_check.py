"""Tests of rules: each kind on blank cells, all-bad and all-good fields; its words."""

import unittest
from typing import Any

from gruff_ledger.columns.arrays import constant_column
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.rules.rule import Rule
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Formula, ListAddress
from gruff_ledger.work.check.flag.perform import perform
from gruff_ledger.work.check.flag.terms import FlagTerms
from tests.support import table

PONTOONS = table("Quay|Pontoon", "North|A", "North|B", "South|A", name="pontoons")
CODES = table("Code", "red", "green", "blue", "blue", name="codes")


def found(cells: list[str], references: Any = None, **rule: Any) -> list[Any]:
    """Return the values that a rule on one field finds."""
    made = Table.of_records(["Cell"], [[cell] for cell in cells])
    terms = FlagTerms(rule=(Rule(field="Cell", **rule),))
    outcome = perform(terms, made, references)
    return [cell for f in outcome.findings for cell in f.value.to_pylist()]


def messages(given: Table, references: Any = None, **rule: Any) -> list[str]:
    """Return what a rule says of each record that it finds."""
    outcome = perform(FlagTerms(rule=(Rule(**rule),)), given, references)
    return [said for f in outcome.findings for said in f.messages.to_pylist()]


# A rule, cells that keep it, cells that break it, and what is said of them.
KINDS: list[tuple[dict[str, Any], list[str], list[str], str]] = [
    ({"datatype": "number"}, ["1", "2,5"], ["x", "1,5,5", "1e3"], "is not a number."),
    ({"datatype": "integer"}, ["1", "-20", "3.0"], ["1.5", "x"], "a whole number."),
    ({"datatype": "boolean"}, ["true", "0"], ["yes", "T"], "is not true or false."),
    (
        {"datatype": "boolean", "format_": "Y|N"},
        ["Y", "N"],
        ["y", "1"],
        "is not Y or N.",
    ),
    (
        {"datatype": "date"},
        ["2026-05-01", "31.5.26"],
        ["5/2026", "2026-02-30", "2026-05-01T10:00"],
        "is not a date.",
    ),
    (
        {"datatype": "date", "format_": "dd/MM/yyyy"},
        ["01/05/2026"],
        ["2026-05-01", "31/02/2026"],
        "is not a date written as dd/MM/yyyy.",
    ),
    (
        {"datatype": "datetime"},
        ["2026-05-01T10:30"],
        ["2026-05-01", "10:30"],
        "is not a date with a time.",
    ),
    ({"datatype": "time"}, ["09:30", "23:59:01"], ["24:00", "9:30"], "a time (hh:mm)."),
    (
        {"datatype": "number", "format_": "000"},
        ["007", "120"],
        ["7", "12.5"],
        "is not written as 000.",
    ),
    ({"minimum": "5"}, ["5", "05.0", "7"], ["4.99", "-6"], "is below 5."),
    ({"maximum": "5"}, ["5", "-7"], ["5.01"], "is above 5."),
    ({"min_exclusive": "5"}, ["5.1"], ["5", "4"], "is not above 5."),
    ({"max_exclusive": "5"}, ["4.9"], ["5.00", "6"], "is not below 5."),
    (
        {"minimum": "2026-01-01"},
        ["2026-01-01", "2027-01-01"],
        ["2025-12-31"],
        "is below 2026-01-01.",
    ),
    ({"length": 2}, ["ab", "éé"], ["a", "abc"], "does not have exactly 2 characters."),
    ({"min_length": 2}, ["ab"], ["é"], "does not have at least 2 characters."),
    ({"max_length": 1}, ["é"], ["ab"], "does not have at most 1 character."),
    (
        {"pattern": "[A-Z]-[0-9]+|none"},
        ["A-1", "none"],
        ["xA-1", "A-1x", "nonex"],
        "does not match the pattern [A-Z]-[0-9]+|none.",
    ),
    ({"allowed": ("A", "B, C")}, ["A", "B, C"], ["a", "B"], 'is not one of A, "B, C".'),
    (
        {"allowed": ("Red",), "match": "loose"},
        [" red", "RED"],
        ["green"],
        "is not Red.",
    ),
    ({"allowed": ("7",), "match": "number"}, ["7.0", "07"], ["x", "8"], "is not 7."),
    ({"unique": True}, ["a", "b", "A"], ["a", "a"], "is not unique: another record"),
    ({"unique": True, "match": "loose"}, ["a", "b"], ["a", "A "], "is not unique"),
    (
        {"allowed_from": ListAddress("codes")},
        ["red", "blue"],
        ["Red", "x"],
        "is not in codes.",
    ),
]


class KindsTest(unittest.TestCase):
    def test_good_cells_bad_cells_and_blank_ones(self) -> None:
        """Each kind finds all bad cells, none that are good, and never a blank."""
        lists = {"codes": CODES}
        for rule, good, bad, words in KINDS:
            with self.subTest(rule=rule):
                self.assertEqual(found([*good, "", " "], lists, **rule), [])
                self.assertEqual(found(bad, lists, **rule), bad)
                mixed = [*good[:1], "", *bad, "\u00a0"]
                self.assertEqual(
                    sorted(found(mixed, lists, **rule)),
                    sorted(bad if "unique" not in rule else ["a", *bad]),
                )
                self.assertEqual(found([], lists, **rule), [])
                self.assertEqual(found(["", " "], lists, **rule), [])
                (said, *_) = messages(
                    Table.of_records(["Cell"], [[cell] for cell in bad]),
                    lists,
                    field="Cell",
                    **rule,
                )
                self.assertTrue(said.startswith("Cell "), said)
                self.assertIn(words, said)

    def test_required_finds_blanks_only(self) -> None:
        self.assertEqual(found(["a", "0"], required=True), [])
        self.assertEqual(found(["", " ", "x"], required=True), ["", " "])

    def test_words_for_nothing_are_blank(self) -> None:
        cells = ["n/a", "5", "x"]
        rule = {"datatype": "number", "null": ("n/a",)}
        self.assertEqual(found(cells, **rule), ["x"])
        self.assertEqual(found(cells, required=True, null=("n/a",)), ["n/a"])

    def test_a_cell_of_the_wrong_datatype_breaks_no_bound_too(self) -> None:
        rule = {"datatype": "number", "minimum": "5", "maximum": "9"}
        self.assertEqual(found(["x", "4", "10", "7"], **rule), ["x", "4", "10"])
        self.assertEqual(found(["x", "4"], minimum="5"), ["x", "4"])

    def test_many_cells_are_checked_as_few(self) -> None:
        """The paths for long lists find what those for short ones do."""
        for rule, good, bad, _ in KINDS:
            if "unique" in rule:
                continue
            with self.subTest(rule=rule):
                cells = good * 20_000 + bad
                self.assertEqual(found(cells, {"codes": CODES}, **rule), bad)


class DependentTest(unittest.TestCase):
    LIST = table(
        "Quay|Pontoon", "North|A", "North|C", "South|B", "|B", "South|", "East|A"
    )

    def test_values_from_a_list_for_another_field(self) -> None:
        """A blank in either leaves it open."""
        rule = {"field": "Pontoon", "per": ("Quay",), "allowed_from": ListAddress("p")}
        terms = FlagTerms(rule=(Rule(**rule),))
        (finding,) = perform(terms, self.LIST, {"p": PONTOONS}).findings
        self.assertEqual(finding.origin.record.tolist(), [2, 3, 6])
        self.assertEqual(finding.message, "Pontoon is not one of those of its Quay.")
        # C has none like it; the South has A only, unlike B; the East has none.
        self.assertEqual(finding.nearest.to_pylist(), ["", "", ""])

    def test_fields_headed_otherwise(self) -> None:
        listed = table("Place|Letter", "north|a", name="p")
        rule = Rule(
            field="Pontoon",
            per=("Quay",),
            allowed_from=ListAddress("p"),
            named={"Quay": "Place", "Pontoon": "Letter"},
            match="loose",
        )
        (finding,) = perform(FlagTerms(rule=(rule,)), self.LIST, {"p": listed}).findings
        self.assertEqual(finding.origin.record.tolist(), [2, 3, 6])

    def test_values_inline_for_another_field(self) -> None:
        said = messages(
            self.LIST,
            field="Pontoon",
            per=("Quay",),
            allowed_for={"North": ("A", "C"), "South": ("A", "B1")},
            message="{Quay} has no pontoon {value}; nearest: {nearest}.",
        )
        self.assertEqual(
            said,
            [
                "South has no pontoon B; nearest: B1.",
                "East has no pontoon A; nearest: .",
            ],
        )

    def test_a_list_without_the_field_is_refused(self) -> None:
        rule = Rule(field="Pontoon", allowed_from=ListAddress("c"), per=("Quay",))
        with self.assertRaisesRegex(UnknownField, "codes has no field 'Quay'"):
            perform(FlagTerms(rule=(rule,)), self.LIST, {"c": CODES})


class RecordsTest(unittest.TestCase):
    STAYS = table(
        "Boat|Arrived|Left|Class",
        "Tern|2026-05-01|2026-05-03|A",
        "Tern|2026-05-04|2026-05-02|B",
        "Seal||2026-05-02|",
        "|2026-05-01|2026-05-01|A",
        "Tern|2026-05-01|2026-05-09|A",
    )

    def test_formulas_across_fields(self) -> None:
        """A condition that a blank leaves open does not fail."""
        rule = {"holds": Formula("Left >= Arrived"), "message": "{Boat} left too soon."}
        self.assertEqual(messages(self.STAYS, **rule), ["Tern left too soon."])
        (said,) = messages(self.STAYS, holds=Formula("Left >= Arrived"))
        self.assertEqual(said, "It is not true that Left >= Arrived.")
        self.assertEqual(
            messages(self.STAYS, holds=Formula("Left > DATE '1999-01-01'")), []
        )

    def test_a_formula_can_be_shown_at_a_field(self) -> None:
        rule = Rule(field="Left", holds=Formula("Left >= Arrived"))
        (finding,) = perform(FlagTerms(rule=(rule,)), self.STAYS).findings
        self.assertEqual(
            (finding.field, finding.value.to_pylist()), ("Left", ["2026-05-02"])
        )

    def test_cells_that_a_formula_cannot_read_are_findings(self) -> None:
        given = table("a|b", "1|x", "3|2")
        outcome = perform(FlagTerms(holds=("a < b + 0",)), given)
        self.assertEqual(
            [(f.field, f.message) for f in outcome.findings],
            [
                ("", "It is not true that a < b + 0."),
                ("b", "b is not a number; the rule cannot be checked there."),
            ],
        )

    def test_conditional_required(self) -> None:
        rule = {"field": "Arrived", "required": True, "where": Formula("Boat = 'Seal'")}
        self.assertEqual(messages(self.STAYS, **rule), ["Arrived is blank."])
        rule["where"] = Formula("Class = 'A'")
        self.assertEqual(messages(self.STAYS, **rule), [])

    def test_composite_keys(self) -> None:
        """All records of a group are found; those with a blank part never."""
        terms = FlagTerms(unique=("Boat", "Arrived"))
        (finding,) = perform(terms, self.STAYS).findings
        self.assertEqual(finding.origin.record.tolist(), [1, 5])
        self.assertEqual(finding.rule, "Boat with Arrived is unique")


class WordsTest(unittest.TestCase):
    def test_the_nearest_allowed_value_is_suggested(self) -> None:
        terms = FlagTerms(allowed={"Class": ("Sail", "Motor", "Élan")})
        given = table("Class", "sail", "Mtor", "Xyz", "Elan")
        (finding,) = perform(terms, given).findings
        self.assertEqual(finding.nearest.to_pylist(), ["Sail", "Motor", "", "Élan"])

    def test_messages_of_ones_own(self) -> None:
        """With the cell, other cells, and braces themselves."""
        given = table("Boat|Class", "Tern|x")
        rule = {"field": "Class", "allowed": ("A",)}
        for message, said in (
            ("No class {value} for {Boat}.", "No class x for Tern."),
            ("{{{boat}}}", "{Tern}"),
            ("Plain.", "Plain."),
        ):
            with self.subTest(message=message):
                self.assertEqual(messages(given, message=message, **rule), [said])
        with self.assertRaisesRegex(UnknownField, "no field 'Bat'"):
            messages(given, message="{Bat}", **rule)

    def test_rules_that_cannot_be_followed(self) -> None:
        for rule, words in (
            ({}, "asks nothing"),
            ({"required": True}, "names no field"),
            ({"field": "a", "format_": "0", "required": True}, "'format' is for"),
            ({"field": "a", "datatype": "boolean", "format_": "Y"}, "two words"),
            ({"field": "a", "datatype": "date", "format_": "x"}, "means nothing"),
            ({"field": "a", "datatype": "string", "minimum": "1"}, "least"),
            ({"field": "a", "length": -1}, "below 0"),
            ({"field": "a", "required": True, "per": ("b",)}, "depend on"),
            ({"field": "a", "allowed_for": {"x": ("y",)}}, "one other field"),
            ({"field": "a", "allowed": ("x",), "allowed_from": "b"}, "said twice"),
            ({"field": "a", "required": True, "named": {"a": "b"}}, "there is none"),
            ({"holds": "a >"}, ""),
            ({"field": "a", "required": True, "message": "{a"}, "brace"),
        ):
            with self.subTest(rule=rule), self.assertRaisesRegex(BadTerms, words):
                Rule(**rule)
        for rule, words in (
            ({"pattern": "("}, "cannot be used"),
            ({"minimum": "soon"}, "not a date"),
            ({"datatype": "number", "minimum": "soon"}, "not a number"),
        ):
            with self.subTest(rule=rule), self.assertRaisesRegex(BadTerms, words):
                found(["1"], **rule)

    def test_many_wrong_values_get_no_suggestion_at_the_end(self) -> None:
        """Comparing all of them would take too long; nothing fails."""
        wrong = [f"w{number}" for number in range(60)]
        given = Table.of_records(["a"], [[each] for each in wrong])
        allowed = tuple(f"v{number}" for number in range(100_000))
        (finding,) = perform(FlagTerms(allowed={"a": allowed}), given).findings
        self.assertEqual(finding.nearest.to_pylist()[0], "v0")
        self.assertEqual(finding.nearest.to_pylist()[-1], "")

    def test_the_same_message_for_all_is_held_once(self) -> None:
        """A million findings need no million texts."""
        made = table("a").with_fields(["a"], [constant_column("", 0)])
        self.assertEqual(perform(FlagTerms(required=("a",)), made).findings, ())


if __name__ == "__main__":
    unittest.main()
