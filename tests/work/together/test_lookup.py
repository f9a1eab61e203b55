"""Tests of the verb lookup."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.account.balance import check_balance
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.together.lookup.perform import perform
from gruff_ledger.work.together.lookup.terms import LookupTerms
from tests.support import FolderTest, table

BOATS = table(
    "Boat|Class|Length",
    "Amber|A|7.9",
    "Bold|B|8",
    "Calm|A|12.5",
    "Dawn|a |3",
    "Elan||9",
    "Fern|X|9",
    name="boats",
)
TARIFF = table(
    "Code|From|Rate|Since",
    "A|0|4.10|2026-01-01",
    "A|8|4.84|2026-03-01",
    "B|8|3.40|2026-02-01",
    "C|0|2.85|2026-02-01",
    "A|12|5.58|",
    name="tariff",
)


def lookup(boats: Table = BOATS, tariff: Table = TARIFF, **terms: object) -> Outcome:
    """Do a lookup by class, and check that it balances."""
    given = {"in_": "tariff", "key": ("Class=Code",), "take": ("Rate",), **terms}
    outcome = perform(LookupTerms(**given), boats, {"tariff": tariff})
    check_balance("lookup", [boats], outcome)
    return outcome


def cells(outcome: Outcome, heading: str = "Rate") -> list[str]:
    """Return the cells of a field."""
    return outcome.table.cells(heading).to_pylist()


class PolicyTest(unittest.TestCase):
    def test_several_matches_fill_nothing_unless_one_is_meant(self) -> None:
        outcome = lookup(status="found")
        self.assertEqual(cells(outcome), ["", "3.40", "", "", "", ""])
        self.assertEqual(
            cells(outcome, "found"),
            ["several", "matched", "several", "none", "none", "none"],
        )
        unmatched, several = outcome.findings
        self.assertEqual(several.origin.record.tolist(), [1, 3])
        self.assertEqual(unmatched.origin.record.tolist(), [4, 6])

    def test_each_policy(self) -> None:
        for terms, rate in (
            ({"which": "first"}, "4.10"),
            ({"which": "last"}, "5.58"),
            ({"which": "greatest", "of": "Rate"}, "5.58"),
            ({"which": "least", "of": "Rate"}, "4.10"),
            # A blank is neither the least nor the greatest.
            ({"which": "greatest", "of": "Since AS DATE"}, "4.84"),
            ({"which": "least", "of": "Since"}, "4.10"),
        ):
            with self.subTest(**terms):
                outcome = lookup(**terms)
                self.assertEqual(cells(outcome), [rate, "3.40", rate, "", "", ""])
                self.assertEqual(len(outcome.findings), 1)

    def test_every_match_makes_records(self) -> None:
        outcome = lookup(which="every", take=("Rate", "From=From length"))
        self.assertEqual(outcome.lineage.made, 4)
        self.assertEqual(
            outcome.table.records(0, 4),
            [
                ("Amber", "A", "7.9", "4.10", "0"),
                ("Amber", "A", "7.9", "4.84", "8"),
                ("Amber", "A", "7.9", "5.58", "12"),
                ("Bold", "B", "8", "3.40", "8"),
            ],
        )
        self.assertEqual(len(outcome.table), 10)

    def test_a_level(self) -> None:
        outcome = lookup(key=("Class=Code AS LOOSE",), which="first")
        self.assertEqual(cells(outcome), ["4.10", "3.40", "4.10", "4.10", "", ""])
        strict = lookup(which="first")
        told = " ".join(note.what for note in strict.notes)
        self.assertIn("Matched loosely, 1 more record has a match", told)

    def test_a_default_stands_where_nothing_is_found(self) -> None:
        outcome = lookup(default={"Rate": "0"})
        # Not where there are several: one of them is right.
        self.assertEqual(cells(outcome), ["", "3.40", "", "0", "0", "0"])
        self.assertEqual(len(outcome.findings), 1)

    def test_several_keys(self) -> None:
        rates = table("c|l|r", "A|7.9|1", "A|12.50|2", "B|8|3", name="tariff")
        terms = {"key": ("Class=c", "Length=l AS NUMBER"), "take": ("r",)}
        self.assertEqual(
            cells(lookup(tariff=rates, **terms), "r"), ["1", "3", "2", "", "", ""]
        )


class BandTest(unittest.TestCase):
    def test_the_greatest_not_above(self) -> None:
        outcome = lookup(band="Length=From", status="found")
        self.assertEqual(cells(outcome), ["4.10", "3.40", "5.58", "", "", ""])
        below = lookup(
            boats=table("Class|Length", "B|7.99", "B|8.0", "B|x", "B|", name="boats"),
            band="Length=From",
        )
        self.assertEqual(cells(below), ["", "3.40", "", ""])
        rules = [found.rule for found in below.findings]
        self.assertEqual(rules, ["Length is a number", "Length in bands of From"])

    def test_dates_without_a_key(self) -> None:
        rates = table("Since|Rate", "2026-03-01|2", "2026-01-01|1", name="tariff")
        days = table("Day", "2026-02-28", "2026-03-01", "2025-12-31", name="boats")
        outcome = lookup(boats=days, tariff=rates, key=(), band="Day=Since")
        self.assertEqual(cells(outcome), ["1", "2", ""])

    def test_equal_bands_are_several(self) -> None:
        rates = table("From|Rate", "0|1", "5|2", "5.0|3", name="tariff")
        for which, expected in (("only", ""), ("first", "2"), ("last", "3")):
            outcome = lookup(
                tariff=rates, key=(), band="Length=From", which=which, take=("Rate",)
            )
            self.assertEqual(cells(outcome)[0], expected)
            self.assertEqual(cells(outcome)[3], "1")

    def test_texts_make_no_bands(self) -> None:
        with self.assertRaisesRegex(BadTerms, "neither numbers nor dates"):
            lookup(band="Length=Code")

    @given(
        st.lists(st.tuples(st.sampled_from("ab"), st.integers(-5, 5)), max_size=12),
        st.lists(st.tuples(st.sampled_from("abc"), st.integers(-7, 7)), max_size=12),
    )
    def test_as_by_hand(
        self, bands: list[tuple[str, int]], asked: list[tuple[str, int]]
    ) -> None:
        rates = Table.of_records(
            ["Code", "From", "Rate"],
            [(code, str(low), f"{code}{low}") for code, low in bands],
            name="tariff",
        )
        boats = Table.of_records(
            ["Class", "Length"],
            [(code, f"{length}.0") for code, length in asked],
            name="boats",
        )
        expected = []
        for code, length in asked:
            below = [low for other, low in bands if other == code and low <= length]
            expected.append(f"{code}{max(below)}" if below else "")
        if bands:
            found = lookup(boats=boats, tariff=rates, band="Length=From", which="first")
            self.assertEqual(cells(found), expected)


class FieldTest(unittest.TestCase):
    def test_a_field_that_is_there(self) -> None:
        boats = table("Class|Rate", "B|", "B|9", "C|", "Z|1", name="boats")
        with self.assertRaisesRegex(BadTerms, "already has a field 'Rate'"):
            lookup(boats=boats)
        filled = lookup(boats=boats, field_there="fill")
        self.assertEqual(cells(filled), ["3.40", "9", "2.85", "1"])
        self.assertEqual(filled.changes[0].origin.record.tolist(), [1, 3])
        over = lookup(boats=boats, field_there="overwrite")
        self.assertEqual(cells(over), ["3.40", "3.40", "2.85", "1"])

    def test_renamed_on_the_way(self) -> None:
        outcome = lookup(take=("Rate=Tariff", "Since"), which="first")
        self.assertEqual(outcome.table.headings[3:], ("Tariff", "Since"))

    def test_what_cannot_be(self) -> None:
        for terms, said in (
            ({"take": ()}, "nothing is taken"),
            ({"key": ()}, "no key field was given"),
            ({"which": "least"}, "need a field"),
            ({"of": "Rate"}, "only applies with"),
            ({"take": ("Rate", "From=Rate")}, "two fields would be called"),
            ({"default": {"Rat": "1"}}, "not among the fields"),
            ({"key": ("Class=Code WEIGHT 3",)}, "has a weight"),
            ({"key": ("Class=",)}, "not a pair of names"),
        ):
            with self.subTest(**terms), self.assertRaisesRegex(BadTerms, said):
                lookup(**terms)
        with self.assertRaises(UnknownField):
            lookup(take=("Rates",))
        with self.assertRaises(UnknownField):
            lookup(key=("Classs=Code",))


class BesideTest(unittest.TestCase):
    def test_unmatched_keys_with_the_nearest(self) -> None:
        boats = table("Class", "Aa1", "Zulu", "Aa1", "", "Aab", name="boats")
        tariff = table("Code|Rate", "Aab|1", "Aba|2", "Bee|3", name="tariff")
        outcome = lookup(boats=boats, tariff=tariff)
        unmatched = outcome.beside["unmatched"]()
        self.assertEqual(unmatched.headings, ("Class", "records", "nearest known"))
        self.assertEqual(unmatched.records(), [("Aa1", "2", "Aab"), ("Zulu", "1", "")])
        unused = outcome.beside["unused"]()
        self.assertEqual(unused.cells("Code").to_pylist(), ["Aba", "Bee"])
        self.assertEqual(outcome.findings[0].nearest.to_pylist(), ["Aab", "", "Aab"])

    def test_nearest_of_very_many(self) -> None:
        codes = [f"{number:06d}" for number in range(0, 90_000, 3)]
        tariff = Table.of_records(["Code", "Rate"], [(c, "1") for c in codes])
        boats = table("Class", "000301", "?", name="boats")
        outcome = lookup(boats=boats, tariff=tariff)
        (near, none) = outcome.beside["unmatched"]().cells("nearest known").to_pylist()
        self.assertIn(near, codes)
        self.assertEqual(none, "")

    def test_check_counts_both_ways(self) -> None:
        outcome = lookup(check=True, take=())
        counts = {record[0]: record[1:] for record in outcome.table.records()}
        self.assertEqual(counts["records"], ("6", "5"))
        self.assertEqual(counts["records with a blank key"], ("1", "0"))
        self.assertEqual(counts["distinct keys"], ("4", "3"))
        self.assertEqual(counts["keys that occur more than once"], ("1", "1"))
        self.assertEqual(counts["records found there"], ("3", "4"))
        self.assertEqual(counts["records found several times"], ("2", "3"))
        self.assertEqual(counts["records found only loosely"], ("1", "0"))

    def test_empty_lists(self) -> None:
        empty = table("Class|Length", name="boats")
        self.assertEqual(len(lookup(boats=empty).table), 0)
        none = table("Code|From|Rate", name="tariff")
        self.assertEqual(cells(lookup(tariff=none)), [""] * 6)
        outcome = lookup(tariff=none, which="every", status="x")
        self.assertEqual(cells(outcome, "x"), ["none"] * 6)


@st.composite
def keyed(draw: st.DrawFn) -> tuple[list[str], list[str]]:
    """Return the keys of two lists."""
    texts = st.sampled_from(["", " ", "a", "A", "a ", "b", "bb", "é", "7", "07"])
    return draw(st.lists(texts, max_size=12)), draw(st.lists(texts, max_size=12))


class ReferenceTest(unittest.TestCase):
    @given(keyed(), st.sampled_from(["exact", "loose", "letters", "number"]))
    def test_as_by_hand(self, keys: tuple[list[str], list[str]], level: str) -> None:
        from gruff_ledger.cells.match.levels import key_at

        mine, theirs = keys
        boats = Table.of_records(["Class"], [(key,) for key in mine], name="boats")
        tariff = Table.of_records(
            ["Code", "Rate"],
            [(key, str(number)) for number, key in enumerate(theirs)],
            name="tariff",
        )
        matches = [
            [
                str(number)
                for number, other in enumerate(theirs)
                if key_at(level, key) is not None
                and key_at(level, key) == key_at(level, other)
            ]
            for key in mine
        ]
        for which, expected in (
            ("only", [m[0] if len(m) == 1 else "" for m in matches]),
            ("first", [m[0] if m else "" for m in matches]),
            ("last", [m[-1] if m else "" for m in matches]),
            ("every", [each for m in matches for each in m or [""]]),
        ):
            outcome = lookup(boats=boats, tariff=tariff, match=level, which=which)
            self.assertEqual(cells(outcome), expected)


class ProgramTest(FolderTest):
    def test_lists_beside_the_result(self) -> None:
        self.write("boats.csv", "Boat,Class\nAmber,A\nBold,X\nCalm,X\n")
        self.write("tariff.csv", "Class,Rate\nA,4.10\nB,3.40\n")
        self.gruff(
            *("lookup", "boats.csv", "--in", "tariff.csv", "--key", "Class"),
            *("--take", "Rate", "--to", "rated.csv", "--unmatched", "keys.csv"),
            *("--unused", "rest.xlsx#sheet=Unused"),
        )
        self.assertEqual(self.records("rated.csv")[0]["Rate"], "4.10")
        self.assertEqual(self.text("keys.csv"), "Class,records,nearest known\nX,2,\n")
        self.write(
            "rates.toml",
            'docket = 1\n[lists.boats]\nfrom = "boats.csv"\n'
            '[lists.tariff]\nfrom = "tariff.csv"\n'
            '[[entry]]\ndo = "lookup"\nin = "tariff"\nkey = "Class"\n'
            'take = { Rate = "Tariff" }\nas = "rated"\n'
            '[[entry]]\ndo = "sort"\nlist = "rated.unmatched"\nby = "Class"\n'
            '[[out]]\nto = "keys2.csv"\n'
            '[[out]]\nlist = "rated.unused"\nto = "unused.csv"\n'
            '[[out]]\nlist = "rated"\nto = "rated2.csv"\n',
        )
        self.gruff("run", "rates.toml")
        self.assertEqual(self.text("keys2.csv"), self.text("keys.csv"))
        self.assertEqual(self.text("unused.csv"), "Class,Rate\nB,3.40\n")
        self.assertIn("Tariff", self.text("rated2.csv"))

    def test_a_stop_ends_with_status_1(self) -> None:
        self.write("boats.csv", "Class\nX\n")
        self.write("tariff.csv", "Class,Rate\nA,4.10\n")
        self.gruff(
            *("lookup", "boats.csv", "--in", "tariff.csv", "--key", "Class"),
            *("--take", "Rate", "--severity", "stop"),
            status=1,
        )
