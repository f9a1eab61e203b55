"""Tests of the drawing of where the records went, on accounts of real runs."""

import re
from pathlib import Path

from gruff_ledger.account.ledger import Account
from gruff_ledger.docket.load import load_docket
from gruff_ledger.job.engine import run
from gruff_ledger.report.flow import Drawing, draw_records
from tests.support import FolderTest


class FlowTest(FolderTest):
    def drawn(self, docket: str) -> tuple[Account, Drawing]:
        """Run a docket, and return its account with the drawing of it."""
        path = self.write("d.toml", f"docket = 1\n{docket}")
        account = run(load_docket(Path(path)), replace=True).account
        drawing = draw_records(account)
        assert drawing is not None
        return account, drawing

    def left_and_width(self, path: str) -> tuple[float, float]:
        """Return where an outline begins, and how wide it is there."""
        match = re.match(r"M([\d.]+),[\d.]+(?:C[^h]*)?h([\d.]+)", path)
        assert match is not None, path
        return float(match[1]), float(match[2])

    def test_widths_are_as_the_records(self) -> None:
        """What is taken out of a list is as wide as what is missing of it below."""
        rows = "".join(f"{at // 2}\n" for at in range(100))
        self.write("a.csv", f"Berth\n{rows}")
        account, drawing = self.drawn(
            '[lists.a]\nfrom = "a.csv"\n[[entry]]\ndo = "duplicates"\n'
            '[[out]]\nto = "o.csv"\n'
        )
        self.assertEqual(account.entries[0].records_aside, 50)
        widths = {
            band.kind: self.left_and_width(band.path)[1]
            for band in drawing.bands
            if band.kind != "bar"
        }
        self.assertAlmostEqual(widths["source"], 2 * widths["made"], places=0)
        self.assertAlmostEqual(widths["aside"], widths["made"], places=0)
        said = [each.text for each in drawing.words]
        self.assertIn("100 in: 50 out, 50 set aside", said)
        self.assertIn("written to o.csv", said)
        self.assertIn("1 duplicates: 100 in: 50 out", drawing.said)

    def test_nothing_lies_outside_and_lists_side_by_side_do_not_meet(self) -> None:
        """With a list that is used twice, one looked into, and figures."""
        for name, count in (("a", 400), ("b", 3), ("c", 90)):
            rows = "".join(f"{at},{name}\n" for at in range(count))
            self.write(f"{name}.csv", f"k,v\n{rows}\n\n")
        _, drawing = self.drawn(
            '[lists.a]\nfrom = "a.csv"\n[lists.b]\nfrom = "b.csv"\n'
            '[lists.c]\nfrom = "c.csv"\n'
            '[[entry]]\ndo = "merge"\nlists = ["a", "b"]\nas = "all"\n'
            '[[entry]]\ndo = "lookup"\nlist = "all"\nin = "c"\nkey = "k"\n'
            'take = "v=w"\nwhich = "first"\nas = "more"\n'
            '[[entry]]\ndo = "rollup"\nlists = ["all"]\ndown = "v"\nvalue = "k"\n'
            'as = "n"\n'
            '[[out]]\nto = "o.csv"\nlist = "more"\n'
            '[[out]]\nto = "n.csv"\nlist = "n"\n'
        )
        kinds = {band.kind for band in drawing.bands}
        self.assertEqual(kinds, {"source", "made", "bar", "look", "blank", "summed"})
        for band in drawing.bands:
            x, width = self.left_and_width(band.path)
            self.assertGreaterEqual(x, 0)
            self.assertLessEqual(x + width, drawing.width)
        for word in drawing.words:
            self.assertLess(word.y, drawing.height)

    def test_many_lists_are_drawn_together(self) -> None:
        """The last of them have one band, with how many they are."""
        lists, names = "", []
        for at in range(40):
            self.write(f"l{at}.csv", f"k\n{at}\n")
            lists += f'[lists.l{at}]\nfrom = "l{at}.csv"\n'
            names.append(f'"l{at}"')
        _, drawing = self.drawn(
            f'{lists}[[entry]]\ndo = "merge"\nlists = [{", ".join(names)}]\n'
            '[[out]]\nto = "o.csv"\n'
        )
        told = [each.text for each in drawing.words]
        self.assertIn("33 more lists", told)
        self.assertIn("33 records of 33 lists", told)
        self.assertIn("40 in: 40 out", told)
        self.assertLess(drawing.height, 500)
