"""Tests of what is settled of any list: totals, notes below, the block."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists.address import parse_address
from gruff_ledger.lists.delimited import read_delimited
from gruff_ledger.lists.reading import Reading, ReadingTerms
from gruff_ledger.lists.source import open_bytes
from tests.support import FolderTest


def read(text: str, part: str = "", **pinned: object) -> Reading:
    """Read a delimited list."""
    opened = open_bytes(text.encode("utf-8"), name="list", address="list.csv")
    fragment = parse_address("list.csv" + part).fragment
    return read_delimited(opened, ReadingTerms(**pinned), fragment)


def looks_like_totals(*lines: str) -> bool:
    """Tell whether the last of these records is taken for totals, both ways."""
    text = "boat,berth,paid,due\n" + "\n".join(lines) + "\n"
    said = any("row of totals" in note.what for note in read(text).notes)
    reading = read(text, no_totals=True)
    aside = sum(len(each.table) for each in reading.aside)
    assert said == (aside == 1)
    assert len(reading.table) + aside + reading.source.trailing_blank == len(lines)
    return said


class TotalsTest(unittest.TestCase):
    RECORDS = ("Amber,1,5,1", "Bold,2,7.5,2", "Calm,3,0,4")

    def test_by_their_words(self) -> None:
        for last in (
            "Total,,12.5,7",
            "TOTAL:,,12.5,",
            "Grand total,,1,1",
            "Summe,,12.5,7",
            "Итого,,12.5,7",
            "Total of May,,12.5,7",
            ",Sub-total,12.5,7",
        ):
            with self.subTest(last=last):
                self.assertTrue(looks_like_totals(*self.RECORDS, last))
                self.assertTrue(looks_like_totals(*self.RECORDS, last, ",,,", ""))

    def test_by_their_sums(self) -> None:
        self.assertTrue(looks_like_totals(*self.RECORDS, ",,12.5,7"))
        self.assertTrue(looks_like_totals(*self.RECORDS, ",,12.50,"))
        self.assertFalse(looks_like_totals(*self.RECORDS, ",,12.5,8"))

    def test_records_that_are_none(self) -> None:
        for last in (
            "Totaller,4,1,1",
            "Total,,,",
            "Dusk,4,12.5,7",
            "Total Eclipse of the Heart,4,Calm,7",
            ",,,",
            "Sunday,4,1,1",
        ):
            with self.subTest(last=last):
                self.assertFalse(looks_like_totals(*self.RECORDS, last))
        self.assertFalse(looks_like_totals("Total,,5,5"))

    def test_above_notes(self) -> None:
        lines = [*self.RECORDS, "Total,,12.5,7", ",,,", "Paid in cash.,,,"]
        self.assertTrue(looks_like_totals(*lines))


class NotesBelowTest(unittest.TestCase):
    TEXT = "a,b,c\n1,2,3\n4,5,6\n,,\nprinted by hand,,\n"

    def test_are_pointed_out_with_the_block_that_leaves_them_out(self) -> None:
        (note,) = read(self.TEXT).notes
        self.assertIn("1 record stands below a blank one", note.what)
        self.assertIn("#row=1-3", note.remedy)
        self.assertEqual(read(self.TEXT, "#row=1-3").notes, ())

    def test_gaps_are_none(self) -> None:
        self.assertEqual(read("a,b,c\n1,2,3\n,,\n4,5,6\n").notes, ())
        self.assertEqual(read("a,b\n1,2\n,\n4,\n").notes, ())


class BlockTest(unittest.TestCase):
    @given(
        st.lists(st.sampled_from(["a,b", "c", "d,e,f", ",", "", "g,,"]), max_size=12),
        st.integers(1, 6),
        st.integers(0, 8),
    )
    def test_a_block_is_what_stands_in_it(
        self, lines: list[str], first: int, more: int
    ) -> None:
        """Reading a block gives what reading only those rows does."""
        rows = ["x,y"] * first + lines
        last = min(first + more, len(rows))
        block = read("\n".join(rows) + "\n", f"#row={first}-{last}", delimiter=",")
        alone = "\n".join(rows[first - 1 : last]) + "\n"
        cut = read(alone, skip_rows=0, delimiter=",")
        self.assertEqual(block.table.records(), cut.table.records())
        self.assertEqual(block.source.records_in, cut.source.records_in)
        self.assertEqual(block.source.trailing_blank, cut.source.trailing_blank)
        texts = [each.text for each in block.aside]
        self.assertEqual(texts, [each.text for each in cut.aside])
        told = [note.what for note in cut.notes if "heading" not in note.what]
        said = [note.what for note in block.notes if "heading" not in note.what]
        self.assertEqual(said, told)
        short = [each.origin.record.tolist() for each in block.findings]
        self.assertEqual(short, [each.origin.record.tolist() for each in cut.findings])


class ProgramTest(FolderTest):
    def test_totals_are_set_aside_with_their_reason(self) -> None:
        self.write("a.csv", "boat,paid\nAmber,5\nBold,7\nTotal,12\n")
        self.gruff(
            *("merge", "a.csv", "--no-totals", "--to", "b.csv", "--aside", "c.csv")
        )
        self.assertEqual(self.text("b.csv"), "boat,paid\nAmber,5\nBold,7\n")
        (aside,) = self.records("c.csv")
        self.assertEqual(aside["reason"], "looks like a row of totals")
        self.assertEqual((aside["row"], aside["paid"]), ("4", "12"))
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\nno-totals = true\n'
            '[[entry]]\ndo = "merge"\n[[out]]\nto = "d.csv"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(self.text("d.csv"), self.text("b.csv"))


if __name__ == "__main__":
    unittest.main()
