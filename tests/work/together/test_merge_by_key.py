"""Tests of merge by key, and of what merge does with idle records and fields."""

import json
import sys
import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.account.balance import check_balance
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.together.merge.perform import perform
from gruff_ledger.work.together.merge.terms import MergeTerms
from tests.support import FolderTest, table

NORTH = table(
    "Boat|Length|Skipper|Seen",
    "Tern|7.0||2026-05-01",
    "Seal|8.0|Oar|2026-05-09",
    "|9|Keel|",
    name="north",
)
SOUTH = table(
    "boat|Skipper|Length|Seen|Class",
    "seal|Thole|8.0|2026-05-10|",
    "Tern|Keel|7.5|2026-04-01|A",
    "Gull|Lough||2026-01-01|B",
    name="south",
)


def merge(*tables: Table, **terms: object) -> Outcome:
    """Merge by boat, and check that it balances."""
    given = {"key": ("Boat AS LOOSE",), **terms}
    outcome = perform(MergeTerms(**given), *tables)
    check_balance("merge", tables, outcome)
    return outcome


class PrecedenceTest(unittest.TestCase):
    def test_each(self) -> None:
        for terms, tern, seal in (
            ({}, ("7.0", ""), ("8.0", "Oar")),
            ({"precedence": "filled"}, ("7.0", "Keel"), ("8.0", "Oar")),
            ({"precedence": "newest", "of": "Seen"}, ("7.0", ""), ("8.0", "Thole")),
            (
                {"precedence": "newest-filled", "of": "Seen"},
                ("7.0", "Keel"),
                ("8.0", "Thole"),
            ),
            ({"update": True}, ("7.5", "Keel"), ("8.0", "Thole")),
        ):
            with self.subTest(**terms):
                outcome = merge(NORTH, SOUTH, **terms)
                records = outcome.table.records()
                self.assertEqual(
                    [each[0] for each in records], ["Tern", "Seal", "", "Gull"]
                )
                self.assertEqual(records[0][1:3], tern)
                self.assertEqual(records[1][1:3], seal)
                # A field that the first list lacks comes from the others.
                self.assertEqual(records[0][4], "A")

    def test_what_is_folded_is_set_aside_with_what_stands(self) -> None:
        (aside,) = merge(NORTH, SOUTH).aside
        self.assertIn("same Boat AS LOOSE", aside.reason)
        self.assertEqual(aside.table.cells("Boat").to_pylist(), ["seal", "Tern"])
        self.assertEqual(aside.kept.record.tolist(), [2, 1])

    def test_changes_are_journaled(self) -> None:
        changes = {c.field: c for c in merge(NORTH, SOUTH, update=True).changes}
        self.assertEqual(changes["Length"].was.to_pylist(), ["7.0"])
        self.assertEqual(changes["Length"].now.to_pylist(), ["7.5"])
        self.assertEqual(changes["Class"].now.to_pylist(), ["A"])

    def test_conflicts_are_findings_and_questions(self) -> None:
        outcome = merge(NORTH, SOUTH)
        told = {found.field: found for found in outcome.findings}
        self.assertEqual(sorted(told), ["Length", "Seen", "Skipper"])
        self.assertEqual(
            told["Length"].said.to_pylist(),
            ["Length differs: '7.0' is kept; also '7.5'."],
        )
        asked = [(each.field, each.values) for each in outcome.detail.all]
        self.assertIn(("Skipper", ("Oar", "Thole")), asked)
        self.assertEqual(merge(NORTH, SOUTH, update=True).findings, ())

    @given(
        st.lists(
            st.lists(
                st.tuples(
                    st.sampled_from(["", "a", "b", "A", "c "]),
                    st.sampled_from(["", "1", "2"]),
                    st.sampled_from(["", "x", "y"]),
                ),
                max_size=5,
            ),
            min_size=1,
            max_size=3,
        ),
        st.sampled_from(["list", "filled"]),
    )
    def test_as_by_hand(
        self, lists: list[list[tuple[str, str, str]]], precedence: str
    ) -> None:
        tables = [
            Table.of_records(["k", "p", "q"], rows, name=str(n), source=n)
            for n, rows in enumerate(lists)
        ]
        records = [row for rows in lists for row in rows if any(row)]
        expected: list[list[str]] = []
        by_key: dict[str, list[str]] = {}
        for row in records:
            key = row[0].strip().lower()
            if not key or key not in by_key:
                expected.append(list(row))
                by_key.setdefault(key, expected[-1])
            elif precedence == "filled":
                mine = by_key[key]
                mine[1:] = [a or b for a, b in zip(mine[1:], row[1:], strict=True)]
        outcome = merge(*tables, key=("k AS LOOSE",), precedence=precedence)
        self.assertEqual([list(r) for r in outcome.table.records()], expected)


class StatusTest(unittest.TestCase):
    def test_an_incoming_list_updates_the_first(self) -> None:
        register = table("K|V", "a|1", "b|2", "c|3", name="register")
        incoming = table("K|V", "c|3", "b|9", "d|4", "a|", name="incoming")
        outcome = merge(
            *(register, incoming), key=("K",), update=True, status="S", name_source="L"
        )
        self.assertEqual(
            outcome.table.records(),
            [
                ("a", "1", "register + incoming", "untouched"),
                ("b", "9", "register + incoming", "changed"),
                ("c", "3", "register + incoming", "untouched"),
                ("d", "4", "incoming", "new"),
            ],
        )
        self.assertEqual(outcome.table.from_source, {"L"})
        beside = {key: made().records() for key, made in outcome.beside.items()}
        self.assertEqual(beside["new"][0][0], "d")
        self.assertEqual(beside["changed"][0][:2], ("b", "9"))
        self.assertEqual(beside["missing"], [])
        told = " ".join(note.what for note in outcome.notes)
        self.assertIn("1 new, 1 changed, 2 untouched, 0 missing", told)

    def test_very_many_lists(self) -> None:
        tables = [table("K", "a", name=f"l{number}") for number in range(45)]
        outcome = merge(*tables, key=("K",), name_source="L")
        self.assertEqual(
            outcome.table.records()[0][1], " + ".join(f"l{n}" for n in range(45))
        )

    def test_a_key_twice_in_one_list_is_said(self) -> None:
        outcome = merge(table("K", "a", "a", "a", name="one"), key=("K",))
        self.assertEqual(len(outcome.table), 1)
        self.assertIn("2 records repeat an earlier K of one", outcome.notes[0].what)


class EndToEndTest(unittest.TestCase):
    def test_blank_records_and_headings_once_more(self) -> None:
        one = table("Boat|Length", "Tern|1", " |", "Boat|Length", "Boat|2", name="one")
        outcome = merge(one, NORTH, key=())
        reasons = [(each.reason, len(each.table)) for each in outcome.aside]
        self.assertEqual(
            reasons, [("blank in every field", 1), ("repeats the headings", 1)]
        )
        kept = merge(one, key=(), keep_blank=True)
        self.assertEqual(len(kept.table), 3)

    def test_headings_at_a_level(self) -> None:
        other = table("Böat.|Length", "Gull|3", name="other")
        merged = merge(NORTH, other, key=(), headings="letters").table
        self.assertEqual(merged.headings, NORTH.headings)
        merged = merge(NORTH, SOUTH, key=(), headings="exact").table
        self.assertIn("boat", merged.headings)

    def test_by_position(self) -> None:
        other = table("a|b|c|d", "Gull|3|x|y", name="other")
        outcome = merge(NORTH, other, key=(), by_position=True)
        self.assertEqual(outcome.table.headings, NORTH.headings)
        self.assertEqual(outcome.table.records()[-1], ("Gull", "3", "x", "y"))
        self.assertEqual(outcome.lineage.renamed[1]["a"], "Boat")
        with self.assertRaisesRegex(BadTerms, "has 5 fields, and north has 4"):
            merge(NORTH, SOUTH, key=(), by_position=True)

    def test_shared_fields_only(self) -> None:
        outcome = merge(NORTH, SOUTH, key=(), shared_only=True)
        self.assertNotIn("Class", outcome.table.headings)
        with self.assertRaisesRegex(BadTerms, "no field that all lists have"):
            merge(NORTH, table("z", "1"), key=(), shared_only=True)

    def test_sorted(self) -> None:
        merged = merge(NORTH, SOUTH, key=(), sort="Seen DESC").table
        self.assertEqual(merged.cells("Boat").to_pylist()[0], "seal")

    def test_terms_that_contradict(self) -> None:
        for terms in (
            {"key": (), "update": True},
            {"key": (), "status": "x"},
            {"precedence": "newest"},
            {"of": "Seen"},
            {"update": True, "precedence": "filled"},
            {"by_position": True, "aliases": {"a": "b"}},
        ):
            with self.subTest(**terms), self.assertRaises(BadTerms):
                merge(NORTH, SOUTH, **terms)


class ReviewTest(FolderTest):
    def test_a_value_is_decided_once(self) -> None:
        self.write("north.csv", "Boat,Length\nTern,7.0\nSeal,8\n")
        self.write("south.csv", "Boat,Length\nTern,7.5\nSeal,8\n")
        self.write(
            "boats.toml",
            'docket = 1\n[lists.north]\nfrom = "north.csv"\n'
            '[lists.south]\nfrom = "south.csv"\n'
            '[[entry]]\ndo = "merge"\nkey = "Boat"\ndecisions = "decided.jsonl"\n'
            '[[out]]\nto = "boats.csv"\n',
        )
        self.gruff("review", "boats.toml", "--to", "asked.csv")
        asked = self.text("asked.csv").splitlines()
        self.assertEqual(len(asked), 3)
        filled = "\n".join([asked[0], asked[1].replace("1,,", "1,7.5,", 1), asked[2]])
        self.write("filled.csv", filled + "\n")
        self.gruff("review", "boats.toml", "--answers", "filled.csv")
        (decision,) = map(json.loads, self.text("decided.jsonl").splitlines())
        self.assertEqual((decision["field"], decision["value"]), ("Length", "7.5"))
        done = self.gruff("run", "boats.toml")
        self.assertEqual(self.text("boats.csv"), "Boat,Length\nTern,7.5\nSeal,8\n")
        self.assertNotIn(b"differs", done.stdout)

    @unittest.skipIf(sys.platform == "win32", "there are no pseudo-terminals")
    def test_a_value_is_decided_on_the_terminal(self) -> None:
        self.write("north.csv", "Boat,Length\nTern,7.0\n")
        self.write("south.csv", "Boat,Length\nTern,7.5\n")
        self.write(
            "boats.toml",
            'docket = 1\n[lists.north]\nfrom = "north.csv"\n'
            '[lists.south]\nfrom = "south.csv"\n'
            '[[entry]]\ndo = "merge"\nkey = "Boat"\ndecisions = "decided.jsonl"\n'
            '[[out]]\nto = "boats.csv"\n',
        )
        shown = self.on_terminal(("review", "boats.toml"), ["2"], "kept at once")
        self.assertIn("Which Length is right?", shown)
        self.gruff("run", "boats.toml")
        self.assertEqual(self.text("boats.csv"), "Boat,Length\nTern,7.5\n")

    def test_lists_that_only_a_key_makes(self) -> None:
        self.write("north.csv", "Boat,Length\nTern,7.0\n")
        told = self.problem("merge", "north.csv", "--new", "new.csv", "--to", "a.csv")
        self.assertIn("makes no list 'new'", told)
