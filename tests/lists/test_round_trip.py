"""Tests that lists come back from every format as they were, to the character."""

import io
import itertools
import tempfile
import unittest
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.known_formats import FORMATS
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.prepare import check_output, guard, write_parts
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.lists.workbook.tab_limits import UNWRITABLE_IN_XML
from gruff_ledger.problems import BadTerms, UnwritableOutput
from gruff_ledger.table import Table
from tests.support import FolderTest, table

ENDINGS = {
    "delimited": ".csv",
    "xlsx": ".xlsx",
    "ods": ".ods",
    "json": ".json",
    "json-lines": ".jsonl",
    "parquet": ".parquet",
    "sqlite": ".db",
}

# Those in which a list stands in a grid of rows, below what may be titles.
ROWED = ("delimited", "xlsx", "ods")

AWKWARD = (
    "007",
    "12",
    "4.90",
    "1e5",
    "-0.5",
    "=1+1",
    "@x",
    ' "quoted", and; more\t',
    "two\nlines",
    "two\r\nlines",
    "a lone\rreturn",
    "control \x01 \x1b[31m",
    "_x0041_ _x000D_",
    "_x005F_x0041_",
    "_x005F_x005F_x0041__x0041_",
    "a\x00b",
    "no-break\u00a0space \u200b",
    "\ufeffmark",
    "Ω 漢字 😀 e\u0301",
    "12345678901234567890",
    "2026-05-01",
    "TRUE",
    "null",
    "{'a': 1}",
    "\\N \\u0041",
    "<b>&amp;</b>",
    "#DIV/0!",
    " ",
    "x" * 5000,
)


def written(made: Table, path: Path, terms: WritingTerms | None = None) -> None:
    """Write a list to a file in the format of its ending."""
    terms = terms or WritingTerms()
    found = check_output(path, terms, [None])
    with path.open("wb") as sink:
        write_parts(path, found, [(None, made)], terms, sink)


def read_back(path: Path, **pinned: object) -> Table:
    """Read the one list of a file."""
    terms = ReadingTerms(**pinned)
    (found,) = find_lists(str(path), name="list", terms=terms)
    return read_list(found.opened, found.address, terms, source=0, hashed=False).table


# What no workbook can hold (XML 1.0) and no list has: half a character.
CHARACTERS = st.characters(exclude_categories=["Cs"], exclude_characters="\ufffe\uffff")
CELLS = st.one_of(
    st.sampled_from(AWKWARD[:-1]),
    st.text(CHARACTERS, max_size=6),
    st.integers().map(str),
    st.decimals(allow_nan=False, allow_infinity=False, places=2).map(str),
)


@st.composite
def tables(draw: st.DrawFn) -> Table:
    """Draw a list whose last record is not blank."""
    names = st.text(st.characters(categories=["L", "N"]), min_size=1, max_size=4)
    headings = draw(
        st.lists(names, min_size=1, max_size=4, unique_by=lambda name: name.casefold())
    )
    width = len(headings)
    row = st.lists(CELLS, min_size=width, max_size=width)
    rows = draw(st.lists(row, max_size=5))
    last = draw(row.filter(lambda cells: not all(map(is_blank, cells))))
    return Table.of_records(headings, [*rows, last])


class EveryPairTest(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def check(self, made: Table, pinned: bool = False) -> None:
        cells = "".join(itertools.chain(made.headings, *made.records()))
        # XML has no control characters, and ODS no way around that.
        formats = [*ENDINGS]
        if UNWRITABLE_IN_XML.search(cells):
            formats.remove("ods")
        for one in formats:
            first = self.folder / f"first{ENDINGS[one]}"
            written(made, first)
            back = read_back(first, **(self.stated(one) if pinned else {}))
            self.assertEqual(back.headings, made.headings, one)
            self.assertEqual(back.records(), made.records(), one)
            for other in formats:
                if one != other:
                    second = self.folder / f"second{ENDINGS[other]}"
                    written(back, second)
                    again = read_back(second, **(self.stated(other) if pinned else {}))
                    self.assertEqual(again.records(), made.records(), (one, other))

    def stated(self, name: str) -> dict[str, object]:
        """Return how a file is written: a draw can look as if it had titles above."""
        rows: dict[str, object] = {"skip_rows": 0} if name in ROWED else {}
        if name == "delimited":
            rows |= {"delimiter": ",", "encoding": "utf-8"}
        return rows

    def test_awkward_cells_come_back(self) -> None:
        for cells in (AWKWARD, [c for c in AWKWARD if not UNWRITABLE_IN_XML.search(c)]):
            records = [(str(n), cell, "z") for n, cell in enumerate(cells)]
            self.check(Table.of_records(("number", "cell", "last"), records))

    def test_a_list_of_no_records_keeps_its_headings(self) -> None:
        """Also where a format names fields in records only."""
        self.check(Table.of_records(("boat", "berth, no"), []))

    @settings(
        max_examples=25,
        deadline=None,
        suppress_health_check=[HealthCheck.differing_executors],
    )
    @given(tables())
    def test_any_list_comes_back(self, made: Table) -> None:
        self.check(made, pinned=True)


class ChoiceTest(FolderTest):
    """How delimited text is written can be chosen."""

    def test_delimiter_line_ends_and_mark(self) -> None:
        self.write("a.csv", 'boat,berth\n"A;b",1\n"two\nlines",2\n')
        options = ("--line-ends", "crlf", "--byte-order-mark", "--to-delimiter", ";")
        self.gruff("merge", "a.csv", *options, "--to", "b.csv")
        self.assertEqual(
            (self.folder / "b.csv").read_bytes(),
            b'\xef\xbb\xbfboat;berth\r\n"A;b";1\r\n"two\nlines";2\r\n',
        )
        self.gruff("merge", "b.csv", "--to", "c.csv")
        self.assertEqual(self.text("c.csv"), self.text("a.csv").replace('"A;b"', "A;b"))
        self.gruff("merge", "a.csv", "--to", "t.tsv")
        self.assertTrue(self.text("t.tsv").startswith("boat\tberth\n"))

    def test_choices_another_format_does_not_have_are_refused(self) -> None:
        self.write("a.csv", "boat\nA\n")
        told = self.problem("merge", "a.csv", "--line-ends", "crlf", "--to", "b.xlsx")
        self.assertIn("--line-ends", told)
        told = self.problem("merge", "a.csv", "--to", "b.xls")
        self.assertIn("can be read, and not written", told)

    def test_formulas_are_guarded_and_journaled(self) -> None:
        made = table("a|b", "=1+1|-12.50", "@x|+", "-5|2026")
        safe, changes = guard(made)
        self.assertEqual(
            safe.records(), [("'=1+1", "-12.50"), ("'@x", "'+"), ("-5", "2026")]
        )
        self.assertEqual([len(change.origin) for change in changes], [2, 1])
        self.write("a.csv", "boat\n=1+1\nAmber\n")
        self.gruff(
            *("merge", "a.csv", "--guard-formulas", "--to", "b.csv", "--ledger", "l")
        )
        (change,) = self.records("l/changes.csv")
        self.assertEqual(
            (change["entry"], change["was"], change["now"]),
            # The lists of the ledger are as safe as the result.
            ("writing b.csv", "'=1+1", "'=1+1"),
        )


class WorkbookOutTest(FolderTest):
    def test_several_outs_are_tabs_of_one_workbook(self) -> None:
        self.write("a.csv", "boat,berth\nAmber,1\nAmber,1\n")
        self.write(
            "d.toml",
            'docket = 1\n[lists.a]\nfrom = "a.csv"\n'
            '[[entry]]\ndo = "duplicates"\nas = "once"\n'
            '[[out]]\nto = "book.xlsx#sheet=All"\nlist = "a"\n'
            '[[out]]\nto = "book.xlsx#sheet=Once"\n'
            '[[out]]\nto = "book.db#table=all"\nlist = "a"\n'
            '[[out]]\nto = "book.db#table=once"\n',
        )
        self.gruff("run", "d.toml")
        import openpyxl

        book = openpyxl.load_workbook(self.folder / "book.xlsx")
        self.assertEqual(book.sheetnames, ["All", "Once"])
        self.assertEqual(book["All"].max_row, 3)
        self.assertEqual(book["Once"].freeze_panes, "A2")
        self.assertEqual(book["Once"]["B2"].value, 1)
        self.gruff("merge", "book.db#table=*", "--to", "b.csv")
        self.assertEqual(len(self.records("b.csv")), 3)

    def test_the_same_tab_twice_is_refused(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        outs = '[[out]]\nto = "b.xlsx#sheet=A"\n[[out]]\nto = "b.xlsx#sheet=a"\n'
        self.write("d.toml", f'docket = 1\n[lists.a]\nfrom = "a.csv"\n{outs}')
        self.assertIn("tab or table of its own", self.problem("run", "d.toml"))
        self.write("d.toml", self.text("d.toml").replace("b.xlsx#sheet", "b.csv#sheet"))
        self.problem("run", "d.toml")

    def test_what_does_not_fit_is_refused_before_anything_is_written(self) -> None:
        cases = (
            (table("a", "x" * 32768), "32,768 characters long"),
            (table("a", "\uffff"), "(U+FFFF)"),
            (Table.of_records(["a"], [[""]] * 1_048_576), "1,048,577 rows"),
            (
                Table.of_records([str(n) for n in range(16385)], []),
                "16,385 columns",
            ),
        )
        for made, told in cases:
            path = self.folder / "out.xlsx"
            found = check_output(path, WritingTerms(), [None])
            sink = io.BytesIO()
            with self.subTest(told=told), self.assertRaises(UnwritableOutput) as caught:
                write_parts(path, found, [(None, made)], WritingTerms(), sink)
            self.assertIn(told, caught.exception.what)
            self.assertEqual(sink.getvalue(), b"")
        self.write("long.csv", "boat\n" + "x" * 40000 + "\n")
        self.problem("merge", "long.csv", "--to", "out.xlsx")
        self.assertEqual([each.name for each in self.folder.iterdir()], ["long.csv"])

    def test_nothing_becomes_a_formula_or_another_value(self) -> None:
        import openpyxl

        self.write("a.csv", "code,paid,note\n007,12.5,=1+1\n1e5,7,http://a.example\n")
        self.gruff("merge", "a.csv", "--to", "b.xlsx")
        tab = openpyxl.load_workbook(self.folder / "b.xlsx").active
        rows = [[cell.value for cell in row] for row in tab.iter_rows(min_row=2)]
        self.assertEqual(rows, [["007", 12.5, "=1+1"], ["1e5", 7, "http://a.example"]])
        self.assertEqual({cell.data_type for cell in tab["C"]}, {"s"})

    def test_tab_names_that_cannot_be(self) -> None:
        self.write("a.csv", "boat\nAmber\n")
        for name in ("a[1]", "x" * 32, "'quoted"):
            with self.subTest(name=name):
                told = self.problem("merge", "a.csv", "--to", f"b.xlsx#sheet={name}")
                self.assertIn("cannot be the name of a tab", told)


class ForPeopleTest(FolderTest):
    def test_markdown_and_html_are_escaped(self) -> None:
        self.write("a.csv", "boat,paid\n<script>x</script>|y*,12\n\x1b[31m,-3\n")
        self.gruff("merge", "a.csv", "--to", "b.md")
        self.assertEqual(
            self.text("b.md").splitlines(),
            [
                r"| boat                        | paid |",
                r"| --------------------------- | ---: |",
                r"| \<script\>x\</script\>\|y\* |   12 |",
                r"| ␛\[31m                      |   -3 |",
            ],
        )
        self.gruff("merge", "a.csv", "--to", "b.html")
        page = self.text("b.html")
        self.assertIn("&lt;script&gt;x&lt;/script&gt;|y*", page)
        self.assertNotIn("<script", page)
        self.assertNotIn("\x1b", page)


class FormatsTest(unittest.TestCase):
    def test_every_written_format_that_is_read_is_tested(self) -> None:
        both = {each.name for each in FORMATS.values() if each.reader and each.writer}
        # Those laid out for people have white space of their own: tested with them.
        self.assertEqual(both - {"fixed-width", "html", "markdown"}, set(ENDINGS))

    def test_a_delimiter_that_could_not_be_read_back_is_refused(self) -> None:
        for wrong in ('"', "ab", "\n", "é"):
            with self.subTest(wrong=wrong), self.assertRaises(BadTerms):
                WritingTerms(delimiter=wrong)


if __name__ == "__main__":
    unittest.main()
