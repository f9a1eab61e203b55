"""Tests of flag."""

import unittest

from gruff_ledger.account.balance import check_balance
from gruff_ledger.outcome import Severity
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.work.check.flag.perform import Rule, perform
from gruff_ledger.work.check.flag.terms import FlagTerms
from tests.support import FolderTest, table

LIST = table("Berth|Class", "001|A", " |B", "003|b", "|", "005|C", "006|", name="north")


class RulesTest(unittest.TestCase):
    def test_terms_without_a_rule_are_refused(self) -> None:
        """So is a rule that asks nothing."""
        with self.assertRaisesRegex(BadTerms, "no rule"):
            FlagTerms()
        with self.assertRaisesRegex(BadTerms, "asks nothing"):
            Rule(field="Berth")


class PerformTest(unittest.TestCase):
    def test_required_finds_blanks(self) -> None:
        """White space is blank; the cell as it is goes into the finding."""
        (finding,) = perform(FlagTerms(required=("Berth",)), LIST).findings
        self.assertEqual(finding.origin.record.tolist(), [2, 4])
        self.assertEqual(finding.value.to_pylist(), [" ", ""])
        self.assertEqual(finding.message, "Berth is blank.")
        self.assertIs(finding.severity, Severity.WARN)

    def test_allowed_finds_other_values_but_not_blanks(self) -> None:
        """Values are compared to the character."""
        terms = FlagTerms(allowed={"Class": ("A", "B")}, severity="note", message="Hm.")
        (finding,) = perform(terms, LIST).findings
        self.assertEqual(finding.value.to_pylist(), ["b", "C"])
        self.assertEqual((finding.message, finding.severity), ("Hm.", Severity.NOTE))

    def test_every_rule_has_its_own_words(self) -> None:
        """Rules stated in short come first."""
        terms = FlagTerms(
            required=("Berth",),
            rule=(
                Rule(
                    field="class",
                    required=True,
                    allowed=("A", "B", "b"),
                    severity="stop",
                    message="Which class?",
                ),
            ),
        )
        outcome = perform(terms, LIST)
        self.assertEqual(
            [(f.rule, f.severity, len(f.origin)) for f in outcome.findings],
            [
                ("Berth is required", "warn", 2),
                ("Class is required", "stop", 2),
                ("Class is one of A, B, b", "stop", 1),
            ],
        )
        self.assertIn("'Class' was taken", outcome.notes[0].what)

    def test_a_severity_of_all_is_that_of_rules_without_one(self) -> None:
        """Also of those in a file; one that is stated stays, though it is `warn`."""
        data = b"rules=1\n[[rule]]\nfield='Class'\nallowed='A'\n"
        rules = (
            Rule(field="Berth", required=True),
            Rule(field="Class", required=True, severity="warn"),
        )
        terms = FlagTerms(rule=rules, rules="r.toml", severity="stop")
        found = perform(terms, LIST, {}, {"r.toml": data}).findings
        self.assertEqual([f.severity for f in found], ["stop", "warn", "stop"])

    def test_remarks_hold_all_messages_on_a_record(self) -> None:
        """In a field added last; the other cells stay as they are."""
        terms = FlagTerms(
            required=("Berth", "Class"),
            allowed={"Class": ("A", "B")},
            remarks="To check",
        )
        marked = perform(terms, LIST).table
        self.assertEqual(
            marked.cells("To check").to_pylist(),
            [
                "",
                "Berth is blank.",
                "Class is not one of A, B. Perhaps B?",
                "Berth is blank. Class is blank.",
                "Class is not one of A, B.",
                "Class is blank.",
            ],
        )
        self.assertEqual([r[:2] for r in marked.records()], LIST.records())

    def test_stops_can_be_set_aside_each_once(self) -> None:
        """With the message of the first rule that it broke."""
        terms = FlagTerms(
            rule=(
                Rule(field="Berth", required=True, severity="stop", message="One."),
                Rule(field="Class", required=True, severity="stop", message="Two."),
                Rule(field="Class", allowed=("A",), severity="warn"),
            ),
            set_aside_stops=True,
        )
        outcome = perform(terms, LIST)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 3, 5])
        self.assertEqual(
            [(a.reason, a.table.origin.record.tolist()) for a in outcome.aside],
            [("One.", [2, 4]), ("Two.", [6])],
        )
        check_balance("flag", [LIST], outcome)

    def test_unknown_fields_are_refused(self) -> None:
        """Before anything is found."""
        with self.assertRaises(UnknownField):
            perform(FlagTerms(required=("Bert",)), LIST)

    def test_a_clean_or_empty_list_has_no_findings(self) -> None:
        """And gets an empty remarks field if it was asked for."""
        terms = FlagTerms(required=("Berth",), remarks="r", set_aside_stops=True)
        for given in (table("Berth", "1"), table("Berth")):
            with self.subTest(n=len(given)):
                outcome = perform(terms, given)
                self.assertEqual(outcome.findings, ())
                self.assertEqual(
                    set(outcome.table.cells("r").to_pylist()) - {""}, set()
                )


class SaidOnceTest(FolderTest):
    def test_a_message_with_the_nearest_value_does_not_repeat_it(self) -> None:
        """On the screen and beside the record; for programs it stands in its field."""
        self.write("a.csv", "Town,Fee\nBth,1\n")
        rule = 'field="Town", allowed=["Bath"], message="{value}: perhaps {nearest}."'
        done = self.gruff(
            *("flag", "a.csv", "--rule", rule, "--remarks", "Remarks"),
            *("--ledger", "l", "--to", "b.csv"),
        )
        self.assertEqual(done.stderr.decode().count("Bath"), 1)
        self.assertEqual(self.text("b.csv").count("Bath"), 1)
        (finding,) = self.records("l/findings.csv")
        self.assertEqual(finding["nearest"], "Bath")
