"""Tests of what is shown on the screen."""

import io
import unittest
from typing import Any

import numpy as np
from rich.console import Console

from gruff_ledger.account.words import SourcePlaces, places
from gruff_ledger.cli.screen.paragraphs import note_lines
from gruff_ledger.cli.screen.tables import list_view
from gruff_ledger.columns.arrays import text_column
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.speakers import COMMAND, DOCKET
from gruff_ledger.table import Origin, Table
from gruff_ledger.words import counted, visible
from tests.support import table


class VisibleTest(unittest.TestCase):
    def test_shows_what_would_act_on_a_terminal(self) -> None:
        """Escape codes, bells, carriage returns, direction marks."""
        for text, shown in (
            ("\x1b[2J", r"\x1b[2J"),
            ("a\tb\n", r"a\tb\n"),
            ("\u202e", r"\u202e"),
            ("Zoë 漢", "Zoë 漢"),
        ):
            with self.subTest(text=text):
                self.assertEqual(visible(text), shown)


class PlacesTest(unittest.TestCase):
    def test_names_the_first_few_and_counts_the_rest(self) -> None:
        """With list, row as the source shows it, or record number, and value."""
        origin = Origin.counted(1, 4, 5)
        sources = SourcePlaces(("north", "south"), (2, None))
        self.assertEqual(
            places(origin, sources, ["'x'", "", "'y'"]),
            "south, record 4 'x', record 5, record 6 'y', and 2 more",
        )
        mixed = Origin(np.array([0, 0, 1], np.int32), np.array([1, 7, 2]))
        self.assertEqual(places(mixed, sources), "north, row 3, row 9; south, record 2")
        self.assertEqual(places(Origin.counted(0, 1, 1), sources), "north, row 3")
        self.assertEqual(counted(1, "field"), "1 field")


class NoteLinesTest(unittest.TestCase):
    def test_names_the_option_or_the_key(self) -> None:
        """Law: a warning says what settles it."""
        note = Note("Odd.", "Set `by`.", warning=True)
        self.assertEqual(
            list(note_lines([note], SourcePlaces(), speaker=COMMAND)),
            ["! Odd. Set --by."],
        )
        self.assertEqual(
            list(note_lines([note], SourcePlaces(), speaker=DOCKET)),
            ["! Odd. Set 'by'."],
        )


class ListViewTest(unittest.TestCase):
    def shown(
        self, given: Table, width: int = 60, height: int = 20, **more: Any
    ) -> str:
        """Return what a window of that size shows."""
        out = io.StringIO()
        console = Console(file=out, width=width, height=height)
        console.print(list_view(given, width, height, 2, **more))
        return out.getvalue()

    def test_only_records_with_findings_where_asked(self) -> None:
        """The clean ones are counted; where none is found all are shown."""
        given = table("a|b", "1|x", "2|y", "3|z")
        found = Finding(
            *("b is known", Severity.WARN, "b is odd.", "b"),
            given.origin.pick(np.array([1])),
            text_column(["y"]),
        )
        places = SourcePlaces(("north",), (2,))
        told = self.shown(given, findings=[found], found_in=places)
        self.assertRegex(told, r"row +a +b")
        self.assertRegex(told, r"\n +4 +2 +y")
        self.assertNotIn("x", told)
        self.assertIn("2 more records have no findings", told)
        self.assertIn("x", self.shown(given, findings=[], found_in=places))

    def test_numbers_stand_to_the_right_and_the_rest_is_counted(self) -> None:
        """Markup and control characters in cells are only text."""
        records = [f"{number}|[red]\x1b" for number in range(8, 30)]
        told = self.shown(table("Length|Boat", *records))
        lines = [line.rstrip() for line in told.splitlines()]
        self.assertIn("      8   [red]\\x1b", [line[1:] for line in lines] + lines)
        self.assertIn("12 more records", told)

    def test_fields_beyond_the_window_are_named(self) -> None:
        """So that nobody takes what is shown for all there is."""
        told = self.shown(table("a|b|c|d|e", "|".join(["x" * 9] * 5)), width=34)
        self.assertIn("more fields: d, e", told)
