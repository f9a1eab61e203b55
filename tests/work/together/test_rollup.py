"""Tests of the verb rollup."""

import random
import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.account.balance import check_balance
from gruff_ledger.outcome import Outcome
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.together.rollup.perform import perform
from gruff_ledger.work.together.rollup.terms import RollupTerms
from tests.support import FolderTest, table, written

NORTH = table(
    "Takings|May|June",
    "Berths|10.50|20",
    "Water|1|2.25",
    "Total|11.50|22.25",
    name="north",
)
SOUTH = table(
    "field 1|June|May|Total",
    "Crane|5||5",
    "Berths|7|3.5|10.4",
    name="south",
)
EAST = table(
    "Day|Month|Kind|Amount",
    "1|May|berths|4",
    "2|July|Berths|n/a",
    "3|May|Laundry|2.05",
    "4|May|Laundry|-1",
    "5|May|Laundry|",
    name="east",
)
LONG = {"down": ("Kind",), "across": "Month", "value": ("Amount",)}


def rollup(*tables: Table, **terms: object) -> Outcome:
    """Roll up, and check that it balances."""
    outcome = perform(RollupTerms(**terms), *tables)
    check_balance("rollup", tables, outcome)
    return outcome


def rows(outcome: Outcome) -> list[tuple[str, ...]]:
    """Return the headings and the records."""
    return [outcome.table.headings, *outcome.table.records()]


def told(outcome: Outcome) -> str:
    """Return all that is said."""
    return " ".join(note.what for note in outcome.notes)


class LabelTest(unittest.TestCase):
    def test_grids_and_long_lists_become_one(self) -> None:
        outcome = rollup(
            *(NORTH, SOUTH, EAST), **LONG, match="loose", leave_out_totals=True
        )
        self.assertEqual(
            rows(outcome),
            [
                ("Kind", "May", "June", "July"),
                ("Berths", "18.00", "27.00", ""),
                ("Water", "1.00", "2.25", ""),
                ("Crane", "", "5.00", ""),
                ("Laundry", "1.05", "", ""),
            ],
        )
        self.assertEqual(
            [found.rule for found in outcome.findings],
            ["Total is the total of its record", "Amount is a number"],
        )
        (aside,) = outcome.aside
        self.assertEqual(aside.reason, "a row of totals")
        self.assertIn("north 33.75 + south 15.5 + east 5.05 = 54.30", told(outcome))
        self.assertEqual(outcome.table.cells("June").to_pylist()[2], "5.00")

    def test_totals_of_the_lists_count_unless_left_out(self) -> None:
        outcome = rollup(NORTH, SOUTH)
        self.assertIn(("Total", "11.50", "22.25", ""), rows(outcome))
        self.assertIn("may hold totals of the others", told(outcome))
        self.assertIn("1 record looks like totals", told(outcome))

    def test_a_wrong_total_row_is_found(self) -> None:
        wrong = table("K|V", "a|1", "b|2", "Total|4", name="wrong")
        (found,) = rollup(wrong, leave_out_totals=True).findings
        self.assertIn("says 4, and what it is of adds up to 3", found.message)

    def test_a_row_of_sums_without_the_word(self) -> None:
        sums = table("K|V|W", "a|1|2", "b|2|2", "c|3|1", "all quays|6|5", name="sums")
        outcome = rollup(sums, leave_out_totals=True)
        self.assertEqual(len(outcome.table), 3)

    def test_every_corner_has_a_name(self) -> None:
        self.assertEqual(rollup(SOUTH).table.headings[0], "label")
        self.assertEqual(rollup(SOUTH, NORTH).table.headings[0], "Takings")
        self.assertEqual(rollup(SOUTH, corner="Kind").table.headings[0], "Kind")

    def test_labels_that_are_blank(self) -> None:
        blank = table("K|V", "|1", "a|2", " |", name="blank")
        outcome = rollup(blank)
        self.assertEqual(rows(outcome)[1:], [("no label", "1"), ("a", "2")])
        self.assertIn("1 record has no label in 'K'", told(outcome))
        idle = table("K|V", "a|2", "|", name="idle")
        self.assertEqual(rows(rollup(idle))[1:], [("a", "2")])

    def test_order(self) -> None:
        grid = table("K|b10|b9", "z|1|2", "10|3|4", "9|5|6", name="grid")
        outcome = rollup(grid, order="sorted")
        self.assertEqual(
            rows(outcome),
            [("K", "b9", "b10"), ("9", "6", "5"), ("10", "4", "3"), ("z", "2", "1")],
        )
        self.assertEqual(
            rollup(grid, order="sorted-down").table.headings, ("K", "b10", "b9")
        )

    def test_several_label_and_value_fields(self) -> None:
        long = table(
            "Quay|Kind|Month|In|Out",
            "N|a|May|1|2",
            "N|b|May|3|4",
            "S|a|June|5|6",
            name="long",
        )
        outcome = rollup(
            long, down=("Quay", "Kind"), across="Month", value=("In", "Out")
        )
        self.assertEqual(
            rows(outcome)[:2],
            [
                ("Quay", "Kind", "May In", "June In", "May Out", "June Out"),
                ("N", "a", "1", "", "2", ""),
            ],
        )
        plain = rollup(long, down=("Quay",), value=("In", "Out"))
        self.assertEqual(rows(plain)[1:], [("N", "4", "6"), ("S", "5", "6")])
        self.assertEqual(plain.lineage.carried, {"In": (9, 0), "Out": (12, 0)})

    def test_fields_of_a_grid_without_numbers_are_left_out(self) -> None:
        mixed = table("K|Boat|V|Idle", "a|Tern|1|", "b|Seal|x|", name="mixed")
        outcome = rollup(mixed)
        self.assertEqual(outcome.table.headings, ("K", "V", "Idle"))
        self.assertIn("left out, as they hold no numbers: 'Boat'", told(outcome))
        self.assertEqual(outcome.findings[0].value.to_pylist(), ["x"])
        counted = rollup(mixed, figure="count")
        self.assertEqual(counted.table.headings, ("K", "Boat", "V", "Idle"))

    def test_aliases(self) -> None:
        other = table("Sort|Sept", "a|1", name="other")
        grid = table("Kind|September", "a|2", name="grid")
        outcome = rollup(grid, other, aliases={"Sept": "September", "Sort": "Kind"})
        self.assertEqual(rows(outcome), [("Kind", "September"), ("a", "3")])


class FigureTest(unittest.TestCase):
    def test_each(self) -> None:
        grid = table("K|V", "a|3", "a|1", "a|x", "a|2.5", "b|", name="grid")
        for figure, cell in (
            ("sum", "6.5"),
            ("count", "4"),
            ("least", "1.0"),
            ("greatest", "3.0"),
            ("first", "3"),
            ("last", "2.5"),
            ("mean", "2.166666666667"),
        ):
            with self.subTest(figure=figure):
                outcome = rollup(grid, figure=figure)
                self.assertEqual(rows(outcome)[1:], [("a", cell), ("b", "")])
        zero = rollup(grid, missing="zero")
        self.assertEqual(rows(zero)[2], ("b", "0.0"))

    def test_totals_are_added(self) -> None:
        grid = table("K|V|W", "a|1|2", "b|3|", name="grid")
        self.assertEqual(
            rows(rollup(grid, totals="both")),
            [
                ("K", "V", "W", "Total"),
                ("a", "1", "2", "3"),
                ("b", "3", "", "3"),
                ("Total", "4", "2", "6"),
            ],
        )
        means = rollup(grid, totals="both", figure="mean")
        self.assertEqual(rows(means)[-1], ("Total", "2", "2", "2"))
        self.assertEqual(rollup(grid, totals="below").table.headings, ("K", "V", "W"))

    def test_percentages_are_questioned(self) -> None:
        share = table("K|Share", "a|12%", "b|7", name="share")
        outcome = rollup(written(share, Share="12%"))
        self.assertIn("holds percentages, and they are being summed", told(outcome))
        self.assertIn("percentages", told(rollup(share)))
        named = rollup(table("K|per cent full", "a|12", name="x"))
        self.assertIn("percentages", told(named))
        mean = rollup(share, figure="mean")
        self.assertNotIn("percentages", told(mean))

    def test_forms_of_numbers(self) -> None:
        grid = table("K|V", "a|1.234,50", "b|7", name="grid")
        self.assertEqual(rows(rollup(grid))[1], ("a", "1234.50"))
        grid = table("K|V", "a|1.234", "b|7", name="grid")
        self.assertEqual(rows(rollup(grid))[1], ("a", "1.234"))
        self.assertEqual(rows(rollup(written(grid, V="1.234,5")))[1], ("a", "1234"))

    def test_currencies_of_several_lists_are_not_added_up(self) -> None:
        """Also where no cell of the result would have two; lists can be told apart."""
        home = table("Boat|Fee", "Auk|5 €", "Tern|7", name="home")
        away = table("Boat|Fee", "Wren|£4", name="away")
        terms = RollupTerms(value=("Fee",))
        with self.assertRaisesRegex(BadTerms, r"EUR \(1\) and GBP \(1\)"):
            perform(terms, home, away)
        with self.assertRaisesRegex(BadTerms, "several currencies"):
            perform(terms, written(home, Fee="12,50 €"), away)
        result = perform(terms, home, table("Boat|Fee", "Wren|EUR 4")).table
        self.assertEqual(result.records(), [("Auk", "5"), ("Tern", "7"), ("Wren", "4")])


class PositionTest(unittest.TestCase):
    def test_cell_by_cell_with_labels_checked(self) -> None:
        one = table("K|May|June", "a|1|2", "b|3|4", name="one")
        other = table("K|May|Juni", "A|10|20", "c|30|", name="two")
        outcome = rollup(one, other, by_position=True)
        self.assertEqual(rows(outcome)[1:], [("a", "11", "22"), ("b", "33", "4")])
        self.assertEqual(
            [found.rule for found in outcome.findings],
            ["labels down agree", "labels across agree"],
        )
        self.assertEqual(
            outcome.findings[0].said.to_pylist(), ["'c' is where one has 'b'."]
        )

    def test_other_shapes_are_refused(self) -> None:
        one = table("K|May|June", "a|1|2", name="one")
        with self.assertRaisesRegex(BadTerms, "1 rows and 1 columns"):
            rollup(one, table("K|May", "a|1", name="two"), by_position=True)


class DetailTest(unittest.TestCase):
    ONE = table("K|V", "a|1", "b|2", name="one")
    TWO = table("K|V", "b|5", "c|7", name="two")

    def test_beneath(self) -> None:
        outcome = rollup(self.ONE, self.TWO, detail="beneath", change=True)
        self.assertEqual(
            rows(outcome),
            [
                ("K", "source", "V"),
                ("a", "", "1"),
                ("a", "one", "1"),
                ("b", "", "7"),
                ("b", "one", "2"),
                ("b", "two", "5"),
                ("b", "change to two", "3"),
                ("c", "", "7"),
                ("c", "two", "7"),
            ],
        )
        self.assertEqual(outcome.table.beneath, "source")
        total = rollup(self.ONE, self.TWO, detail="beneath", totals="below")
        self.assertEqual(
            rows(total)[-3:],
            [("Total", "", "15"), ("Total", "one", "3"), ("Total", "two", "12")],
        )

    def test_beside(self) -> None:
        outcome = rollup(self.ONE, self.TWO, detail="beside", change=True)
        self.assertEqual(
            rows(outcome)[:3],
            [
                ("K", "V", "V one", "V two", "V change to two"),
                ("a", "1", "1", "", ""),
                ("b", "7", "2", "5", "3"),
            ],
        )

    def test_changes_need_detail(self) -> None:
        with self.assertRaises(BadTerms):
            RollupTerms(change=True)


class ProblemTest(unittest.TestCase):
    def test_what_cannot_be(self) -> None:
        for tables, terms, kind in (
            ((NORTH,), {"across": "Month"}, BadTerms),
            ((EAST,), {**LONG, "down": ("Kinds",)}, UnknownField),
            ((EAST,), {**LONG, "value": ("Amounts",)}, UnknownField),
            ((table("K", "a"),), {}, BadTerms),
            ((NORTH,), {"by_position": True, "match": "loose"}, BadTerms),
            ((NORTH,), {"aliases": {"May": "June"}}, BadTerms),
            ((EAST,), {"down": ("Kind",), "value": ("Amount", "Amount")}, BadTerms),
            ((EAST,), {"down": ("Kind", "kind"), "value": ("Amount",)}, BadTerms),
        ):
            with self.subTest(terms=terms), self.assertRaises(kind):
                rollup(*tables, **terms)

    def test_very_many_labels_across(self) -> None:
        wide = Table.of_records(
            ["k", "m", "v"], [("a", str(n), "1") for n in range(10_001)], name="wide"
        )
        with self.assertRaisesRegex(BadTerms, "10001 different values"):
            rollup(wide, down=("k",), across="m", value=("v",))

    def test_empty_lists(self) -> None:
        none = table("K|V", name="none")
        self.assertEqual(rows(rollup(none)), [("K", "V")])
        self.assertEqual(rows(rollup(none, NORTH))[0], ("K", "V", "May", "June"))
        for terms in (
            {"totals": "both"},
            {"detail": "beneath", "change": True, "totals": "both"},
            {"detail": "beside", "missing": "zero"},
            {"figure": "mean", "order": "sorted"},
            {"by_position": True},
            {"figure": "last"},
        ):
            with self.subTest(**terms):
                rollup(none, **terms)
                rollup(none, none, **terms)


NUMBERS = st.decimals(-10_000, 10_000, places=3).map(str) | st.sampled_from(
    ["", "7", "-0.5", "99999999999999999999.25"]
)
GRIDS = st.lists(
    st.tuples(
        st.lists(st.sampled_from("abcd"), min_size=1, max_size=4, unique=True),
        st.lists(st.sampled_from("WXYZ"), min_size=1, max_size=4, unique=True),
        st.lists(NUMBERS, min_size=16, max_size=16),
    ),
    min_size=1,
    max_size=3,
)


def as_grids(drawn: list) -> list[Table]:
    """Return grids of labels and numbers."""
    return [
        Table.of_records(
            ["K", *across],
            [
                (label, *numbers[4 * place : 4 * place + len(across)])
                for place, label in enumerate(down)
            ],
            name=f"list {number}",
            source=number,
        )
        for number, (down, across, numbers) in enumerate(drawn)
    ]


def by_decimal(grids: list[Table]) -> dict[tuple[str, str], Decimal]:
    """Add the cells of grids up by Python's decimals."""
    sums: dict[tuple[str, str], Decimal] = {}
    for grid in grids:
        for label, *cells in grid.records():
            for heading, cell in zip(grid.headings[1:], cells, strict=True):
                if cell:
                    before = sums.get((label, heading), Decimal(0))
                    sums[label, heading] = before + Decimal(cell)
    return sums


def cells_of(outcome: Outcome) -> dict[tuple[str, str], Decimal]:
    """Return the filled cells of a result by their labels."""
    return {
        (label, heading): Decimal(cell)
        for label, *cells in outcome.table.records()
        for heading, cell in zip(outcome.table.headings[1:], cells, strict=True)
        if cell
    }


class ExactTest(unittest.TestCase):
    @given(GRIDS, st.randoms(use_true_random=False))
    def test_sums_agree_with_decimal_in_any_order(
        self, drawn: list, shuffler: random.Random
    ) -> None:
        grids = as_grids(drawn)
        expected = by_decimal(grids)
        self.assertEqual(cells_of(rollup(*grids)), expected)
        shuffled = []
        for grid in grids:
            places = list(range(1, len(grid.headings)))
            shuffler.shuffle(places)
            records = grid.records()
            shuffler.shuffle(records)
            shuffled.append(
                Table.of_records(
                    ["K", *(grid.headings[place] for place in places)],
                    [(r[0], *(r[place] for place in places)) for r in records],
                    name=grid.name,
                )
            )
        shuffler.shuffle(shuffled)
        self.assertEqual(cells_of(rollup(*shuffled)), expected)

    @given(GRIDS)
    def test_grids_and_long_lists_agree(self, drawn: list) -> None:
        grids = as_grids(drawn)
        long = [
            Table.of_records(
                ["K", "M", "V"],
                [
                    (label, heading, cell)
                    for label, *cells in grid.records()
                    for heading, cell in zip(grid.headings[1:], cells, strict=True)
                ],
                name=grid.name,
            )
            for grid in grids
        ]
        of_long = rollup(*long, down=("K",), across="M", value=("V",))
        self.assertEqual(cells_of(of_long), cells_of(rollup(*grids)))

    @given(GRIDS)
    def test_by_label_and_by_position_agree(self, drawn: list) -> None:
        """On grids of one shape with the same labels in the same order."""
        down, across, _ = drawn[0]
        grids = as_grids([(down, across, numbers) for _, _, numbers in drawn])
        by_label, by_position = rollup(*grids), rollup(*grids, by_position=True)
        self.assertEqual(by_label.table.records(), by_position.table.records())

    @given(GRIDS)
    def test_detail_adds_up(self, drawn: list) -> None:
        grids = as_grids(drawn)
        beneath = rollup(*grids, detail="beneath").table
        sums: dict[tuple[str, str], Decimal] = {}
        totals: dict[tuple[str, str], Decimal] = {}
        for label, source, *cells in beneath.records():
            for heading, cell in zip(beneath.headings[2:], cells, strict=True):
                into = sums if source else totals
                if cell:
                    before = into.get((label, heading), Decimal(0))
                    into[label, heading] = before + Decimal(cell)
        self.assertEqual(sums, totals)


class ProgramTest(FolderTest):
    def test_outline_levels_and_a_chart(self) -> None:
        self.write("one.csv", "K,May,June,July\na,1,2,3\nb,4,5,6\n")
        self.write("two.csv", "K,July,May\nb,60,40\nc,70,\n")
        self.gruff(
            *("rollup", "one.csv", "two.csv", "--detail", "beneath"),
            *("--to", "r.xlsx", "--chart", "r.png"),
        )
        import openpyxl

        sheet = openpyxl.load_workbook(self.folder / "r.xlsx").active
        levels = [sheet.row_dimensions[row].outlineLevel for row in range(1, 8)]
        self.assertEqual(levels, [0, 0, 1, 0, 1, 1, 0])
        self.assertFalse(sheet.sheet_properties.outlinePr.summaryBelow)
        self.assertEqual(sheet["C4"].value, 44)
        self.write("three.csv", "K,May\na,1.50\nb,2.25\nc,\n")
        self.gruff("rollup", "three.csv", "--to", "t.xlsx")
        sheet = openpyxl.load_workbook(self.folder / "t.xlsx").active
        self.assertEqual((sheet["B2"].value, sheet["B2"].number_format), (1.5, "0.00"))
        self.write("long.csv", "K,May\na,99999999999999999999.25\n")
        self.gruff("rollup", "long.csv", "--to", "l.xlsx")
        sheet = openpyxl.load_workbook(self.folder / "l.xlsx").active
        self.assertEqual(sheet["B2"].value, "99999999999999999999.25")
        self.assertEqual((self.folder / "r.png").read_bytes()[:4], b"\x89PNG")
        for draw in ("trend", "comparison"):
            self.gruff(
                *("rollup", "one.csv", "--draw", draw, "--chart", f"{draw}.svg"),
            )
            self.assertIn("<svg", self.text(f"{draw}.svg"))
