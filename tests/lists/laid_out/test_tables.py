"""Tables of pages and texts: which are there, and what is in them."""

import importlib.metadata
import random
import time
import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.lists.laid_out import page_tables, text_tables
from gruff_ledger.lists.laid_out.tables import FoundTable
from gruff_ledger.lists.source import open_bytes
from gruff_ledger.problems import Problem, UnreadableSource
from tests.support import FolderTest

PAGE = """<!doctype html>
<html><head><meta charset="utf-8"><title>x</title></head><body>
<table><tr><td>menu</td></tr></table>
<h2>Berths &amp; boats</h2>
<table><thead><tr><th rowspan=2>Berth<th colspan=2>Dues</tr>
<tr><th>May<th>June</thead>
<tr><td>001<td>1&nbsp;234,5<td>2<br>3
<tr><td rowspan=2>002<td>3<td>4
<tr><td>5<td>6<table><tr><td>in<td>ner</table>
</table>
<table><caption>Fees</caption><tr><th>Class</th><th>Rate</th></tr>
<tfoot><tr><td>all</td><td>9</td></tr></tfoot>
<tr><td>A</td><td hidden>x</td><td><p>1.5</p><script>y()</script></td></tr></table>
</body></html>
"""

BOX = """\
+------+------------+
| Id   | Name       |
+------+------------+
| 1    | Tern       |
| 2    | Möwe       |
+------+------------+
"""
GRID = """\
╔════╦═══════╗
║ Id ║ Name  ║
╠════╬═══════╣
║ 1  ║ Tern  ║
║    ║ old   ║
╟────╫───────╢
║ 2  ║ Auk   ║
╚════╩═══════╝
"""
MARKDOWN = """\
# Berths

| Berth | Boat |
|------:|:-----|
| 001 | a \\| b<br>c &amp; \\* |
| 002 | |

```
| no | table |
|----|-------|
```

Class | Rate
--- | ---
A | 1.5
"""


def of_page(page: str) -> list[FoundTable]:
    """Return the tables of a page."""
    opened = open_bytes(b"x", name="page", address="page.html")
    return page_tables.find_tables(page, opened)


class PageTest(unittest.TestCase):
    def test_text_as_the_page_shows_it(self) -> None:
        """Entities, line breaks, spans filled, tables within tables apart."""
        menu, berths, inner, fees = of_page(PAGE)
        self.assertEqual(menu.rows, [["menu"]])
        self.assertEqual(
            berths.rows,
            [
                ["Berth", "Dues May", "Dues June"],
                ["001", "1\xa0234,5", "2\n3"],
                ["002", "3", "4"],
                ["002", "5", "6"],
            ],
        )
        self.assertEqual((berths.name, berths.first_row), ("Berths & boats", 2))
        self.assertEqual(inner.rows, [["in", "ner"]])
        # What is at the foot comes last, wherever it is written.
        expected = [["Class", "Rate"], ["A", "1.5"], ["all", "9"]]
        self.assertEqual((fees.name, fees.rows), ("Fees", expected))

    def test_spans_to_the_end_and_beyond(self) -> None:
        (table,) = of_page(
            "<table><tr><td rowspan=0>a<td colspan=0>b<tr><td>c<tr><td>d<td>e"
            "<tfoot><tr><td rowspan=99>f</table>"
        )
        self.assertEqual(
            table.rows, [["a", "b", ""], ["a", "c", ""], ["a", "d", "e"], ["f", "", ""]]
        )
        huge = '<td colspan="1000" rowspan="65534">x'
        with self.assertRaisesRegex(UnreadableSource, "span more than"):
            of_page(f"<table>{('<tr>' + huge) * 2}{'<tr>' * 60_000}</table>")

    def test_blocks_and_white_space(self) -> None:
        (table,) = of_page(
            "<table><tr><td> a \n b<p>c</p><p>d</p><td><pre>e\n  f</pre><td>"
            "<div><b>g</b>h</div><td><br></table>"
        )
        self.assertEqual(table.rows, [["a b\nc\nd", "e\nf", "gh", ""]])

    def test_hostile_pages_take_their_bytes(self) -> None:
        """What is nested, never closed or nonsense is read in one pass."""
        for part in ("<table><tr><td>", "<div>", "<a b='", "<!--", "</", "&#", "<b>"):
            with self.subTest(part):
                begun = time.process_time()
                of_page("<table><tr><td>x" + part * 30_000)
                self.assertLess(time.process_time() - begun, 20)

    def test_broken_pages_have_tables_or_none(self) -> None:
        chance = random.Random(24)
        for _ in range(300):
            data = list(PAGE)
            for _ in range(chance.randint(1, 30)):
                data[chance.randrange(len(data))] = chance.choice("<>/\"'&;=ab \0\n")
            try:
                of_page("".join(data))
            except Problem:
                continue

    def test_is_told_by_its_beginning(self) -> None:
        for text in (PAGE, "\n<!-- a -->\n<HTML>", "<?xml version='1.0'?><html>"):
            self.assertTrue(page_tables.is_likely(text.encode()))
        for text in ("a,b\n", "<a>,b\n", ""):
            self.assertFalse(page_tables.is_likely(text.encode()))


class TextTest(unittest.TestCase):
    def test_ruled_tables(self) -> None:
        """Of dashes and of lines; where lines part the records, they have several."""
        (box,) = text_tables.find_tables(BOX)
        self.assertEqual(box.rows, [["Id", "Name"], ["1", "Tern"], ["2", "Möwe"]])
        self.assertEqual(box.first_row, 3)
        (grid,) = text_tables.find_tables(GRID)
        self.assertEqual(grid.rows, [["Id", "Name"], ["1", "Tern\nold"], ["2", "Auk"]])
        (plain,) = text_tables.find_tables(
            " id | name  \n----+-------\n  1 | Tern\n(1 row)\n"
        )
        self.assertEqual(plain.rows, [["id", "name"], ["1", "Tern"]])

    def test_markdown(self) -> None:
        """Marks that are escaped, line breaks, no bars at the ends; fences are none."""
        berths, fees = text_tables.find_tables(MARKDOWN)
        self.assertEqual(
            berths.rows, [["Berth", "Boat"], ["001", "a | b\nc & *"], ["002", ""]]
        )
        self.assertEqual((berths.name, berths.first_row), ("Berths", 4))
        self.assertEqual(fees.rows, [["Class", "Rate"], ["A", "1.5"]])

    def test_is_told_by_its_beginning(self) -> None:
        for text in (BOX, GRID, "| a |\n|---|\n", " a | b\n---+---\n 1 | 2\n"):
            self.assertTrue(text_tables.is_likely(text.encode()), text)
        for text in ("a|b\n1|2\n", MARKDOWN, "-----\ntext\n", "|a|b|\n|1|2|\n", ""):
            self.assertFalse(text_tables.is_likely(text.encode()), text)

    def test_tables_that_packages_ship(self) -> None:
        """In their descriptions, against a plain way to read them."""
        text = importlib.metadata.metadata("charset-normalizer").get_payload()
        lines = [line for line in text.splitlines() if line.startswith("|")]
        tables = text_tables.find_tables(text)
        if not lines or not tables:
            self.skipTest("it has no table any more")
        plain = [
            [cell.strip() for cell in line.replace("<br>", "\n").strip("|").split("|")]
            for line in lines
            if set(line) - set("|-: ")
        ]
        read = [
            row for table in tables for row in table.rows if "\\" not in "".join(row)
        ]
        self.assertEqual(len(read), len(plain))
        self.assertEqual([row[0] for row in read], [row[0] for row in plain])


_CELLS = st.text(
    st.characters(exclude_categories=("Cs", "Cc"), include_characters="\n"), max_size=9
).map(str.strip)


class LawTest(FolderTest):
    @given(st.lists(st.tuples(_CELLS, _CELLS), max_size=6))
    def test_what_we_write_we_read(self, records) -> None:
        """Law: a list written as a page or as Markdown has the same cells."""
        import io

        from gruff_ledger.lists.markup import write_html, write_markdown
        from gruff_ledger.lists.output import Output, WritingTerms
        from gruff_ledger.table import Origin, Table, text_column

        columns = [[a for a, _ in records], [b for _, b in records]]
        table = Table(
            ("One", "Two"),
            tuple(map(text_column, columns)),
            Origin.counted(0, 1, len(records)),
            "list",
        )
        output = Output((("", table),), WritingTerms())
        expected = [list(map(_as_shown, row)) for row in [("One", "Two"), *records]]
        sink = io.BytesIO()
        write_html(output, sink)
        (page,) = of_page(sink.getvalue().decode())
        self.assertEqual(page.rows, expected)
        sink = io.BytesIO()
        write_markdown(output, sink)
        (text,) = text_tables.find_tables(sink.getvalue().decode())
        self.assertEqual([list(map(_as_shown, row)) for row in text.rows], expected)


def _as_shown(cell: str) -> str:
    """Return a text as a page shows it: white space is one space, lines stay lines."""
    lines = [" ".join(line.split(" ")) for line in cell.split("\n")]
    return "\n".join(" ".join(filter(None, line.split(" "))) for line in lines)


class CommandTest(FolderTest):
    def test_tables_by_number_caption_and_heading(self) -> None:
        self.write("page.html", PAGE)
        done = self.gruff("show", "page.html")
        self.assertIn(b"Berth,Dues May,Dues June\n001", done.stdout)
        told = done.stderr.decode()
        self.assertIn("it has 4 tables; table 2 ('Berths & boats'; 4 rows) was", told)
        for part in ("4", "fees", "Class"):
            shown = self.gruff("show", f"page.html#table={part}").stdout
            self.assertEqual(shown, b"Class,Rate\nA,1.5\nall,9\n")
        merged = self.gruff("merge", "page.html#table=*", "--name-source", "T")
        self.assertIn(b",A,1.5,Fees\n", merged.stdout)
        said = self.problem("show", "page.html#table=Nix")
        self.assertIn("it has no table 'Nix'", said)
        self.write("none.html", "<html><p>no table</p>")
        self.assertIn("there is no table in it", self.problem("show", "none.html"))

    def test_what_is_pasted(self) -> None:
        """On standard input, as a terminal, a page or a chat gave it."""
        for text in (BOX, GRID.replace("║    ║ old   ║\n", ""), "Id\tName\n1\tTern\n"):
            shown = self.gruff("show", "-", stdin=text.encode()).stdout
            self.assertTrue(shown.startswith(b"Id,Name\n1,Tern\n"), shown)
        shown = self.gruff("show", "-", stdin=PAGE.encode("utf-8")).stdout
        self.assertIn(b"002,3,4", shown)

    def test_rows_are_those_of_the_text(self) -> None:
        """Findings cite the line, and an address picks by it."""
        self.write("notes.md", MARKDOWN)
        shown = self.gruff("show", "notes.md#table=Berths/row=4;6").stdout
        self.assertEqual(shown, b"Berth,Boat\n002,\n")
        told = self.gruff("flag", "notes.md", "--required", "Boat", status=None)
        self.assertIn(b"notes, row 6", told.stderr)

    def test_encodings_of_pages(self) -> None:
        """As the page says; as it is, where that is not so."""
        page = "<meta charset={}><table><tr><th>A<th>B<tr><td>Möwe<td>1</table>"
        for said, written in (
            ("windows-1252", "windows-1252"),
            ("utf-8", "utf-8"),
            ("utf-8", "windows-1252"),
            ("nonsense", "utf-8"),
        ):
            self.write("p.html", page.format(said).encode(written))
            shown = self.gruff("show", "p.html").stdout.decode()
            self.assertEqual(shown, "A,B\nMöwe,1\n", (said, written))


if __name__ == "__main__":
    unittest.main()
