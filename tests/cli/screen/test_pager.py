"""Tests of looking through a long list on a terminal."""

import io
import sys
import unittest

from rich.console import Console

from gruff_ledger.cli.screen.listing import Window
from gruff_ledger.cli.screen.pager import Place, after_key, page_view
from tests.support import FolderTest, table

LIST = table("Berth|Boat|Class", *(f"{at:03}|Tern {at}|A" for at in range(100)))


class PagerTest(unittest.TestCase):
    def test_keys(self) -> None:
        """Nothing is passed at either end, and the first field always stays."""
        place = Place()
        for word, expected in (
            ("up", Place(0, 0)),
            ("page down", Place(20, 0)),
            ("down", Place(21, 0)),
            ("page up", Place(1, 0)),
            ("last", Place(80, 0)),
            ("page down", Place(80, 0)),
            ("right", Place(80, 1)),
            ("right", Place(80, 1)),
            ("left", Place(80, 0)),
            ("first", Place(0, 0)),
        ):
            place = after_key(place, word, LIST, 20)
            self.assertEqual(place, expected, word)

    def test_a_page_has_its_heading(self) -> None:
        """And says which records they are, of how many."""
        out = io.StringIO()
        console = Console(file=out, width=60, height=20)
        console.print(page_view(LIST, Place(80, 1), Window(60, 18)))
        told = out.getvalue()
        self.assertRegex(told, r"Berth +Class")
        self.assertIn("080", told)
        self.assertNotIn("Tern", told)
        self.assertIn("Records 81 to 89 of 100.", told)


@unittest.skipIf(sys.platform == "win32", "there are no pseudo-terminals")
class TerminalTest(FolderTest):
    def test_a_long_list_is_looked_through(self) -> None:
        """A short one is shown as it is; what there is to say comes after both."""
        rows = "".join(f"{at:03},Tern {at}\n" for at in range(100))
        self.write("a.csv", f"Berth,Boat\n{rows}")
        shown = self.on_terminal(("show", "a.csv"), [" ", "G", "q"], "q leaves")
        for words in ("Records 1 to", "of 100.", "Tern 99", "Nothing was changed."):
            self.assertIn(words, shown)
        self.write("b.csv", "Berth\n1\n2\n")
        short = self.on_terminal(("show", "b.csv"), [], "q leaves")
        self.assertNotIn("q leaves", short)
        self.assertIn("Nothing was changed.", short)
