"""Tests of what is shown on the screen."""

import unittest

import numpy as np

from gruff_ledger.account.words import SourcePlaces, places
from gruff_ledger.cli.screen.paragraphs import note_lines, rows_taken
from gruff_ledger.outcome import Note
from gruff_ledger.speakers import COMMAND, DOCKET
from gruff_ledger.table import Origin
from gruff_ledger.words import counted, visible


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


class RowsTest(unittest.TestCase):
    def test_a_line_that_the_window_wraps_takes_several(self) -> None:
        lines = ["", "a" * 40, "b" * 41]
        self.assertEqual(rows_taken(lines, 40), 4)
        self.assertEqual(rows_taken(lines, None), 3)


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
