"""ODS cells that are read without the library: the same, whatever there is."""

import io
import random
import unittest
import zipfile
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from gruff_ledger.lists.output import Output
from gruff_ledger.lists.workbook.ods import read as ods_read
from gruff_ledger.lists.workbook.ods import regular
from gruff_ledger.lists.workbook.ods.heads import Padded
from gruff_ledger.lists.workbook.ods.regular import regular_tabs
from gruff_ledger.lists.workbook.ods.write import write_ods
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Table
from tests.lists.books import by_odfpy, member_of, rewrite_member
from tests.lists.workbook.test_regular import read, told

_OASIS = b"urn:oasis:names:tc:opendocument:xmlns:"
_SPACES = {
    b"calcext": b"urn:org:documentfoundation:names:experimental:calc",
    b"number": _OASIS + b"datastyle:1.0",
    b"style": _OASIS + b"style:1.0",
}
_HEAD_END = b"</office:automatic-styles>"
_PADDED = b"""<number:number-style style:name="N1"><number:number
 number:decimal-places="0" number:min-integer-digits="4"/></number:number-style>
 <style:style style:name="pad" style:family="table-cell" style:data-style-name="N1"/>"""


def book_of(*tabs: str, default: str = "") -> bytes:
    """Make a workbook whose tabs hold some XML."""
    plain = by_odfpy([["berth"]])
    xml = member_of(plain, "content.xml")
    start = xml.index(b"<table:table ")
    end = xml.index(b"</table:table>") + len(b"</table:table>")
    column = f'<table:table-column table:default-cell-style-name="{default}"/>'
    body = "".join(
        f'<table:table table:name="T{number}">{column if default else ""}{rows}'
        "</table:table>"
        for number, rows in enumerate(tabs)
    )
    styles = (b"<office:automatic-styles/>", b"<office:automatic-styles>" + _HEAD_END)
    made = rewrite_member(plain, "content.xml", (xml[start:end], body.encode()))
    if styles[0] in xml:
        made = rewrite_member(made, "content.xml", styles)
    spaces = b"".join(
        b' xmlns:%s="%s"' % each for each in _SPACES.items() if each[1] not in xml
    )
    return rewrite_member(
        made,
        "content.xml",
        (_HEAD_END, _PADDED + _HEAD_END),
        (b"<office:document-content ", b"<office:document-content" + spaces + b" "),
    )


def cell(said: str, text: str = "x", inner: str = "<text:p>{}</text:p>") -> str:
    """Return a cell that says something, with a text."""
    return (
        f"<table:table-cell{said and ' '}{said}>{inner.format(text)}</table:table-cell>"
    )


def row(*cells: str, said: str = "") -> str:
    """Return a row of cells."""
    return f"<table:table-row{said and ' '}{said}>{''.join(cells)}</table:table-row>"


TEXT = 'office:value-type="string"'
NUMBER = 'office:value-type="float" office:value="{}"'
DATE = 'office:value-type="date" office:date-value="{}"'

# As office programs write them, and as they may.
_REGULAR = [
    *(cell(TEXT, text) for text in ("Quay 1", "a &amp; b", "&#228;&lt;&quot;", "")),
    *(cell(TEXT, text) for text in (" a  b ", "a\nb", "Ä漢", "&amp;lt;", "]]", '5"')),
    *(cell(NUMBER.format(n), n) for n in ("7", "-0.5", "12.50", "0", "-0", "1E5")),
    *(cell(NUMBER.format(n), n) for n in ("0.1234567890123456789", "+3", "007")),
    *(cell(NUMBER.format(n), n) for n in ("123456789012345", "12345678901234567")),
    cell('table:style-name="pad" ' + NUMBER.format(7), "0007"),
    cell(NUMBER.format(7) + ' calcext:value-type="float"'),
    cell('table:style-name="ce1" ' + NUMBER.format("2.5") + ' table:formula="of:=A1"'),
    cell('table:formula="of:=IF(A1=&quot;&quot;;1;2)" ' + NUMBER.format(1)),
    cell('office:value-type="percentage" office:value="0.25"', "25 %"),
    cell('office:value-type="currency" office:currency="EUR" office:value="5.5"'),
    *(
        cell(DATE.format(day), day)
        for day in ("2026-11-30", "2026-02-30", "0001-01-01")
    ),
    *(
        cell(DATE.format(f"2026-11-30T{at}"))
        for at in ("09:05:07", "24:00:00", "9:05", "23:59:60")
    ),
    *(
        cell(f'office:value-type="boolean" office:boolean-value="{each}"')
        for each in ("true", "false", "TRUE")
    ),
]
_OTHERS = [
    "<table:table-cell/>",
    '<table:table-cell table:style-name="ce1"/>',
    '<table:table-cell table:number-columns-repeated="3"/>',
    cell(TEXT + ' table:number-columns-repeated="2"'),
    cell(TEXT + ' table:number-columns-spanned="2" table:number-rows-spanned="1"')
    + "<table:covered-table-cell/>",
    cell(TEXT, "a", "<text:p>{}</text:p><text:p>b</text:p>"),
    cell(TEXT, "a", '<text:p>{}<text:s text:c="2"/><text:span>b</text:span></text:p>'),
    cell(TEXT, "a", "<text:p>{}<text:tab/>b</text:p>"),
    cell(TEXT, "a", "<office:annotation><text:p>note</text:p></office:annotation>"
         "<text:p>{}</text:p>"),
    *(cell(f'{TEXT} office:string-value="{each}"', "shown") for each in
      ("other", "", "a &amp; b", "a\nb", "&#10;", " a  b ")),
    cell(f'table:formula="of:=A1&amp;B1" {TEXT} office:string-value="AB"', "A &amp; B"),
    cell(NUMBER.format(5) + ' table:formula="of:=value=5"'),
    cell('table:formula="of:=1" ' + NUMBER.format(5) + ' table:formula2="of:=1"'),
    cell(NUMBER.format(5), "5 &lt; 6"), cell(NUMBER.format(5), "5 &#60; 6"),
    cell(TEXT + ' office:string-value="" calcext:value-type="error"', "#N/A"),
    cell('office:value-type="time" office:time-value="PT08H30M00S"', "08:30"),
    cell('office:value-type="float" office:date-value="2026-11-30"'),
    cell("", "untyped"),
    cell("office:value-type='string'"),
    '<table:table-cell office:value-type="float" office:value="9"/>',
    '<table:table-cell office:value-type="string"></table:table-cell>',
    cell(TEXT, "a\rb"),
    cell('table:style-name="a>b" ' + TEXT),
    "\n  " + cell(TEXT, "laid out"),
]  # fmt: skip
# What no XML has, and what the library refuses.
_WRONG = [
    *(cell(TEXT, text) for text in ("a\x01b", "a &bad; b", "]]>", "a & b")),
    cell(NUMBER.format(5), "5 & 6"),
    cell('table:formula="of:=A1&B1" ' + NUMBER.format(5)),
    cell('table:formula="of:=1" table:formula="of:=2" ' + NUMBER.format(5)),
    cell(f'{TEXT} office:string-value="a & b"'),
    cell(NUMBER.format(7) + " " + NUMBER.format(8)),
    "<!-- " + cell(TEXT, "hidden") + " -->",
]
_ROWS = st.sampled_from(
    [*("", "", "", 'table:style-name="ro1"', 'table:visibility="collapse"')]
    + [f'table:number-rows-repeated="{n}"' for n in (0, 2)]
)
_OTHER = st.sampled_from(_OTHERS + _WRONG[:1])
_CELLS = st.one_of(*[st.sampled_from(_REGULAR)] * 4, _OTHER)


class SameTest(unittest.TestCase):
    """Law: read in either way, a workbook is the same."""

    def check(self, data: bytes) -> object:
        """Read with as many regular cells as there are, and with none."""
        least = (regular, "_LEAST_BYTES")
        with mock.patch.object(regular, "_LEAST_REGULAR", 0):
            one, other = told(data, 0, *least), told(data, 1 << 60, *least)
        self.assertEqual(one, other)
        return one

    @given(
        st.lists(
            st.tuples(_ROWS, st.lists(_CELLS, min_size=1, max_size=5)),
            min_size=1,
            max_size=6,
        ),
        st.sampled_from(["", "", "", "pad"]),
    )
    def test_any_cells(self, rows: list[tuple[str, list[str]]], default: str) -> None:
        made = [row(*cells, said=said) for said, cells in rows]
        self.check(book_of("".join(made), default=default))

    def test_each_kind_of_cell(self) -> None:
        for each in (*_REGULAR, *_OTHERS, *_WRONG):
            with self.subTest(each):
                rows = row(cell(TEXT), each, cell(NUMBER.format(1))) * 3
                found = self.check(book_of(row(cell(TEXT), cell(TEXT, "y")) + rows))
                assert isinstance(found, tuple)
                # A reading has more to be told than a problem.
                self.assertEqual(len(found) > 2, each not in _WRONG, found)

    def test_rows_of_all_kinds(self) -> None:
        """Groups, headings, blank ones, one that has no end, others between tabs."""
        many = [row(cell(TEXT, f"b{n}"), cell(NUMBER.format(n))) for n in range(9)]
        blank = '<table:table-row table:number-rows-repeated="1000"><table:table-cell/>'
        for rows in (
            f"<table:table-header-rows>{many[0]}</table:table-header-rows>{many[1]}",
            f"<table:table-row-group>{many[0]}{many[1]}</table:table-row-group>",
            f"{many[0]}<table:table-row/>{many[1]}{blank}</table:table-row>{many[2]}",
            "".join(many) + blank + "</table:table-row>",
            f'{many[0]}<table:shapes><draw:frame xmlns:draw="d"/></table:shapes>',
        ):
            with self.subTest(rows[:60]):
                self.check(book_of(rows, "".join(many)))
                self.check(book_of("", rows))

    def test_names_of_tabs(self) -> None:
        """However a tab says its name, its cells are those of that tab."""
        rows = row(cell(TEXT, "berth")) + row(cell(TEXT, "A1"))
        plain, name = book_of(rows, rows), b'table:name="T0"'
        expected = self.check(plain)
        for said in (
            *(b"table:name='T0'", b'table:name = "T0"', b'table:name="Q&amp;A"'),
            *(b'table:name="a>b"', b'table:name="a&#38;b"', b'table:name=" T0 "'),
            *(b'table:xname="no" table:name="T0"', b'table:name="T1"', b""),
        ):
            with self.subTest(said):
                made = rewrite_member(plain, "content.xml", (name, said))
                self.assertEqual(self.check(made), expected)

    def test_tables_that_are_no_tabs(self) -> None:
        """Those of links to other programs; in comments, which the library refuses."""
        rows = row(cell(TEXT, "berth")) + row(cell(TEXT, "A1"))
        table = f'<table:table table:name="X">{rows}</table:table>'
        link = f"<table:dde-link>{table}</table:dde-link></office:spreadsheet>"
        for was, now in (
            (b"</office:spreadsheet>", link),
            (b"<table:table ", f"<!-- {table} --><table:table "),
            (b"</office:spreadsheet>", f"<!-- {table} --></office:spreadsheet>"),
        ):
            with self.subTest(now):
                change = was, now.encode()
                self.check(rewrite_member(book_of(rows), "content.xml", change))

    def test_tabs_that_the_library_does_not_know(self) -> None:
        """Then it reads all cells, and none is lost."""
        data = book_of(row(cell(TEXT, "berth")) + row(cell(TEXT, "A1")))
        true = regular.regular_tabs

        def by_another_name(*given: object, **named: object) -> object:
            found = true(*given, **named)  # type: ignore[arg-type]
            assert found is not None
            tabs = {f"{name}!": cells for name, cells in found.tabs.items()}
            return structs.replace(found, tabs=tabs)

        with (
            mock.patch.object(regular, "_LEAST_BYTES", 0),
            mock.patch.object(ods_read, "regular_tabs", by_another_name),
        ):
            self.assertEqual(read(data).table.records(), [("berth",), ("A1",)])

    def test_xml_laid_out_for_people(self) -> None:
        """All of it from the start on, or a few rows."""
        rows = [row(cell(TEXT, f"b{n}"), cell(NUMBER.format(n))) for n in range(9)]
        plain = book_of("".join(rows))
        expected = self.check(plain)
        for mark in (b"<table:", b"<table:table-row><table:table-cell"):
            xml = member_of(plain, "content.xml").replace(mark, b"\n  " + mark)
            laid_out = rewrite_member(
                plain, "content.xml", (member_of(plain, "content.xml"), xml)
            )
            self.assertEqual(self.check(laid_out), expected)

    @given(st.lists(st.tuples(st.text("aÄ漢 &<\n\t", max_size=6), st.integers())))
    def test_our_own(self, rows: list[tuple[str, int]]) -> None:
        made = Table.of_records(
            ["A", "B", "C"], [(text, f"{n}", f"{n % 999}.50") for text, n in rows]
        )
        sink = io.BytesIO()
        write_ods(Output((("x", made), ("y", made))), sink)
        self.check(sink.getvalue())

    def test_mutants(self) -> None:
        """300 contents with some bytes changed: the same list, or the same problem."""
        rows = [
            row(cell(TEXT, f"b{n % 9}"), _REGULAR[n], cell(NUMBER.format(n / 8)))
            for n in range(len(_REGULAR))
        ]
        whole = book_of("".join(rows))
        with zipfile.ZipFile(io.BytesIO(whole)) as book:
            parts = {name: book.read(name) for name in book.namelist()}
        start = parts["content.xml"].index(b"<table:table ")
        chance = random.Random(30)
        marks = (b"<", b">", b'"', b"&", b"/", b"</text:p>", b"9", b"\r", b"\xff", b" ")
        for number in range(300):
            xml = bytearray(parts["content.xml"])
            for _ in range(chance.randint(1, 3)):
                at = chance.randrange(start, len(xml))
                end = at + chance.choice((0, 1, 3))
                xml[at:end] = chance.choice(marks) if chance.random() < 0.7 else b""
            sink = io.BytesIO()
            with zipfile.ZipFile(sink, "w") as book:
                for each, data in parts.items():
                    book.writestr(each, bytes(xml) if each == "content.xml" else data)
            with self.subTest(number):
                self.check(sink.getvalue())


class RegularTest(unittest.TestCase):
    def test_blocks_of_rows(self) -> None:
        """However the XML is cut, nothing is lost at an edge."""
        blank = '<table:table-cell table:number-columns-repeated="2"/>'
        rows = "".join(
            row(cell(NUMBER.format(n)), blank, cell(TEXT, f"b{n}")) for n in range(200)
        )
        gap = row("<table:table-cell/>", said='table:number-rows-repeated="50"')
        xml = member_of(book_of(rows + gap + rows), "content.xml")
        for size in (1, 100, 1 << 24):
            with (
                mock.patch.object(regular, "_BLOCK_BYTES", size),
                mock.patch.object(regular, "_LEAST_BYTES", 0),
            ):
                found = regular_tabs(xml, Padded(), as_written=False)
            assert found is not None
            with self.subTest(size):
                cells = found.tabs["T0"]
                self.assertEqual(cells.extent, (450, 4, 800))
                is_text = ~cells.is_number
                self.assertEqual(set(cells.cols[is_text].tolist()), {4})
                self.assertEqual(int(cells.rows[is_text][200]), 251)
                self.assertNotIn(b"office:value", found.rest)

    def test_what_regular_cells_and_others_span_together(self) -> None:
        """Many rows of the one, many columns of the other: no library is asked."""
        rows = row(cell(TEXT, "berth")) * 3
        gap = row("<table:table-cell/>", said='table:number-rows-repeated="40000"')
        far = '<table:table-cell table:number-columns-repeated="16000"/>'
        time = cell('office:value-type="time" office:time-value="PT08H00M00S"')
        data = book_of(row(far, time) + gap + rows)
        with (
            mock.patch.object(regular, "_LEAST_BYTES", 0),
            self.assertRaisesRegex(UnreadableSource, "40004 rows and 16001 columns"),
        ):
            read(data)

    def test_blanks_without_end(self) -> None:
        """Cells that stand for billions of blank ones are passed over."""
        many = '<table:table-cell table:number-columns-repeated="2147483647"/>'
        rows = row(cell(TEXT, "berth"), many * 50) * 40
        with mock.patch.object(regular, "_LEAST_BYTES", 0):
            self.assertEqual(read(book_of(rows)).table.headings, ("field 1",))

    def test_what_is_no_workbook_is_not_looked_through(self) -> None:
        rows = row(cell(TEXT, "berth")) + "<" * 5000
        with mock.patch.object(regular, "_LEAST_BYTES", 0):
            xml = member_of(book_of(rows), "content.xml")
            self.assertIsNone(regular_tabs(xml, Padded(), as_written=False))


if __name__ == "__main__":
    unittest.main()
