"""Tests of what is settled of any list: totals, notes below, the block."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists.address import parse_address
from gruff_ledger.lists.delimited.read import read_delimited
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
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
        self.assertIn("1 record is below a blank one", note.what)
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


class TotalsAnywhereTest(FolderTest):
    LIST = "No,Item,Sum\n1,Rope,5\n2,Sail,7\n3,Oar,8\n"

    def test_the_word_may_stand_in_any_field(self) -> None:
        """With or without a blank row above; and one truth is told."""
        for last in (
            ",Total,20\n",
            ",,\nTotal,,20\n",
            ",,\n,Total,20\n",
            "4,Total:,20\n",
            ",20,Total\n",
        ):
            with self.subTest(last=last):
                self.write("a.csv", self.LIST + last)
                self.gruff(
                    "merge", "a.csv", "--no-totals", "--to", "b.csv", "--replace"
                )
                self.assertEqual(self.text("b.csv"), self.LIST)

    def test_a_rollup_leaves_out_what_looks_like_totals(self) -> None:
        """Wherever the word stands, with nothing said to the contrary."""
        self.write("a.csv", "No,Kind,Sum\n1,x,5\n2,x,7\n,Total,12\n")
        told = self.gruff(
            *("rollup", "a.csv", "--down", "No", "--value", "Sum"),
            *("--leave-out-totals", "--to", "b.csv"),
        ).stderr.decode()
        self.assertEqual(self.text("b.csv"), "No,Sum\n1,5\n2,7\n")
        self.assertNotIn("kept", told)
        self.assertIn("left out", told)

    def test_a_word_that_is_a_kind_of_record_is_no_total(self) -> None:
        """As of insurances: what a name stands beside is a record."""
        self.write("a.csv", "Boat,Kind,Sum\nTern,Total,5\nSeal,Part,7\nGull,Total,8\n")
        told = self.gruff("survey", "a.csv").stderr.decode()
        self.assertNotIn("row of totals", told)

    def test_a_survey_leaves_it_out_of_its_figures(self) -> None:
        """Sum, greatest and distinct values are those of the records."""
        self.write("a.csv", self.LIST + "Total,,20\n")
        self.gruff("survey", "a.csv", "--to", "facts.csv")
        facts = {each["field"]: each for each in self.records("facts.csv")}
        self.assertEqual(
            [facts["Sum"][key] for key in ("sum", "greatest", "filled")],
            ["20", "8", "3"],
        )


if __name__ == "__main__":
    unittest.main()
