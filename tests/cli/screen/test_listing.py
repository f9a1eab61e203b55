"""Tests of a list on the screen: which fields and records, how wide, how aligned."""

import io
import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from rich.cells import cell_len
from rich.console import Console

from gruff_ledger.account.words import SourcePlaces
from gruff_ledger.cli.screen.listing import ListTerms, Window, cut_cell, list_view
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.outcome import Finding, Severity
from gruff_ledger.table import Table
from gruff_ledger.words import visible
from tests.support import table

_CELLS = st.one_of(
    st.text(max_size=60),
    st.decimals(allow_nan=False, allow_infinity=False).map(str),
    st.sampled_from(
        ["", " ", "漢字", "1.234,56", "12,5", "GB29NWBK60161331926819" * 3]
    ),
)

NORTH = SourcePlaces(("north",), (2,))


def shown(given: Table, width: int = 60, height: int = 19, **terms: Any) -> str:
    """Return what a window of that size shows."""
    out = io.StringIO()
    console = Console(file=out, width=width, height=height)
    console.print(list_view(given, Window(width, height), ListTerms(**terms)))
    return out.getvalue()


def odd(given: Table, *records: int) -> Finding:
    """Return a finding on the field b of some records."""
    return Finding(
        *("b is known", Severity.WARN, "b is odd.", "b"),
        given.origin.pick(np.array(records)),
        text_column([given.cells("b").to_pylist()[at] for at in records]),
    )


class RecordsTest(unittest.TestCase):
    def test_only_records_with_findings_where_asked(self) -> None:
        """The clean ones are counted; where none is found all are shown."""
        given = table("a|b", "1|x", "2|y", "3|z")
        told = shown(given, findings=[odd(given, 1)], places=NORTH, picks="found")
        self.assertRegex(told, r"row +a +b")
        self.assertRegex(told, r"\n +4 +2 +y")
        self.assertNotIn("x", told)
        self.assertIn("2 more records have no findings", told)
        self.assertIn("x", shown(given, findings=[], places=NORTH, picks="found"))

    def test_both_kinds_where_not_all_fit(self) -> None:
        """Findings far down the list are seen beside the first records, in order."""
        given = table("a|b", *(f"{number}|v{number}" for number in range(500)))
        found = [odd(given, *range(300, 400))]
        told = shown(given, findings=found, places=NORTH, picks="both")
        for words in ("v0 ", "v4 ", "v300 ", "v304 ", "303 "):
            self.assertIn(words, told)
        self.assertNotIn("v5 ", told)
        self.assertIn("490 more records, 95 of them with findings", told)
        few = shown(given, findings=[odd(given, 7)], places=NORTH, picks="both")
        self.assertIn("490 more records\n", few)

    def test_numbers_stand_to_the_right_and_the_rest_is_counted(self) -> None:
        """Markup and control characters in cells are only text."""
        records = [f"{number}|[red]\x1b" for number in range(8, 30)]
        told = shown(table("Length|Boat", *records))
        lines = [line.strip() for line in told.splitlines()]
        self.assertIn("8   [red]\\x1b", lines)
        self.assertIn("12 more records", told)


class FieldsTest(unittest.TestCase):
    def test_fields_beyond_the_window_are_named(self) -> None:
        """So that nobody takes what is shown for all there is."""
        told = shown(table("a|b|c|d|e", "|".join(["x" * 9] * 5)), width=34)
        self.assertIn("more fields: c, d, e", told)

    def test_fields_of_the_work_come_first_and_are_not_cut(self) -> None:
        """Next to what tells the records apart; all in their order where they fit."""
        given = table(
            "Quay|Berth|Remark|Owner|Rate",
            *(f"North|B{at}|{'long ' * 9}|{'name ' * 6}|123456.75" for at in (1, 2)),
        )
        told = shown(given, width=56, first=("Rate",))
        self.assertRegex(told.splitlines()[1], r"^ *Berth +Rate +Quay +Remark")
        self.assertIn("123456.75", told)
        wide = shown(given, width=200, first=("Rate",))
        self.assertRegex(wide.splitlines()[1], r"^ *Quay +Berth +Remark +Owner +Rate")

    def test_headings_wrap_and_columns_follow_their_cells(self) -> None:
        """Between words, and behind what joins the parts of a name."""
        given = table("Number of nights|payment_reference_no|b", "3|17|x")
        lines = [line.split() for line in shown(given).splitlines()]
        self.assertEqual(lines[1], ["Number", "of", "payment_"])
        self.assertEqual(lines[2], ["nights", "reference_no", "b"])

    def test_a_very_long_cell_leaves_room_for_others(self) -> None:
        """Also where its field is the one the work is about."""
        told = shown(table("a|b|c", f"1|{'x' * 500}|here"), first=("b",))
        self.assertIn("here", told)


class AnyListTest(unittest.TestCase):
    @given(
        st.lists(st.text(max_size=30), min_size=1, max_size=9, unique=True),
        st.lists(st.lists(_CELLS, min_size=9, max_size=9), max_size=12),
        st.integers(12, 150),
        st.integers(1, 40),
        st.integers(0, 9),
    )
    def test_no_line_is_wider_than_the_window(
        self,
        headings: list[str],
        records: list[list[str]],
        width: int,
        height: int,
        first: int,
    ) -> None:
        """Law: whatever the list, its fields that come first, and the window."""
        few = [record[: len(headings)] for record in records]
        given_ = Table.of_records(headings, few)
        view = list_view(
            given_, Window(width, height), ListTerms(first=tuple(headings[:first]))
        )
        out = io.StringIO()
        console = Console(file=out, width=width, height=height)
        lines = console.render_lines(view, console.options)
        for line in lines:
            self.assertLessEqual(sum(cell_len(part.text) for part in line), width)

    @given(_CELLS, st.integers(1, 40))
    def test_a_cut_cell_fits(self, cell: str, width: int) -> None:
        """Law: and one that fits is as it was."""
        text = visible(cell)
        shown = cut_cell(text, width)
        self.assertLessEqual(cell_len(shown), width)
        if cell_len(text) <= width:
            self.assertEqual(shown, text)


class CellsTest(unittest.TestCase):
    def test_numbers_align_at_their_point(self) -> None:
        """Points that part thousands do not count, nor what is not a number."""
        for cells, aligned in (
            (["1.5", "12.25", "7"], ["1.5 ", "12.25", "7   "]),
            (["1.234,5", "12,75", "n/a"], ["1.234,5 ", "12,75", "n/a"]),
            (["1.234", "56.789"], ["1.234", "56.789"]),
            (["0.125", "2"], ["0.125", "2    "]),
        ):
            with self.subTest(cells=cells):
                given = table("k|v|z", *(f"a|{cell}|z" for cell in cells))
                lines = shown(given).splitlines()[3:]
                for cell, line in zip(aligned, lines, strict=False):
                    self.assertIn(f"{cell}   z", line)

    def test_codes_keep_their_end(self) -> None:
        """Texts with spaces are cut at their end, wide characters count twice."""
        self.assertEqual(cut_cell("GB29NWBK60161331926819", 12), "GB29N…926819")
        self.assertEqual(cut_cell("a berth at the quay", 10), "a berth a…")
        self.assertEqual(cut_cell("漢字漢字漢字漢字", 9), "漢字…漢字")
        self.assertEqual(cut_cell("short", 5), "short")
