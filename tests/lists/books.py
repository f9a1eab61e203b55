"""One book of all kinds of cells, made as XLSX and as ODS."""

from __future__ import annotations

import datetime
import io
import zipfile

import openpyxl
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell, TableRow
from odf.text import P

_STRING = 'office:value-type="string"'
_TIME = 'office:value-type="time" office:time-value'

# A value, its number format, the cell of ODS, and the text in it.
CELLS = (
    ("a\tb", "", _STRING, "a<text:tab/>b"),
    ("two\nlines", "", _STRING, "two<text:line-break/>lines"),
    ("x   y & z", "", _STRING, 'x <text:s text:c="2"/>y &amp; z'),
    (7, "00000", 'office:value-type="float" office:value="7" table:style-name="z"', ""),
    (0.25, "0%", 'office:value-type="percentage" office:value="0.25"', "25%"),
    (
        datetime.timedelta(hours=30, minutes=5),
        "[h]:mm",
        f'{_TIME}="PT30H05M00S" table:style-name="h"',
        "30:05",
    ),
    (datetime.time(5, 5), "hh:mm", f'{_TIME}="PT05H05M00S"', "05:05"),
    (
        datetime.timedelta(hours=5),
        "[h]:mm",
        f'{_TIME}="PT05H00M00S" table:style-name="h"',
        "5:00",
    ),
    (
        datetime.date(2026, 5, 1),
        "dd/mm/yyyy",
        'office:value-type="date" office:date-value="2026-05-01"',
        "01/05/2026",
    ),
    (
        "#DIV/0!",
        "",
        f'{_STRING} office:string-value="" calcext:value-type="error"',
        "#DIV/0!",
    ),
    (
        "merged",
        "",
        f'{_STRING} table:number-columns-spanned="2" table:number-rows-spanned="1"',
        "merged",
    ),
)

_STYLES = (
    '<office:automatic-styles xmlns:number="urn:oasis:names:tc:opendocument:xmlns:'
    'datastyle:1.0" xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0">'
    '<number:number-style style:name="n"><number:number number:decimal-places="0" '
    'number:min-integer-digits="5"/></number:number-style>'
    '<number:time-style style:name="t" number:truncate-on-overflow="false">'
    "<number:hours/></number:time-style>"
    '<style:style style:name="z" style:family="table-cell" style:data-style-name="n"/>'
    '<style:style style:name="h" style:family="table-cell" style:data-style-name="t"/>'
    "</office:automatic-styles>"
)


def by_openpyxl(rows: list[list[object]], **settings: object) -> openpyxl.Workbook:
    """Make a workbook of one tab, May."""
    book = openpyxl.Workbook()
    for name, value in settings.items():
        setattr(book, name, value)
    tab = book.active
    tab.title = "May"
    for row in rows:
        tab.append(row)
    return book


def saved(book: openpyxl.Workbook) -> bytes:
    """Return a workbook as a file's bytes."""
    sink = io.BytesIO()
    book.save(sink)
    return sink.getvalue()


def by_odfpy(rows: list[list[object]]) -> bytes:
    """Make an ODS workbook of one tab, May."""
    book = OpenDocumentSpreadsheet()
    tab = Table(name="May")
    for row in rows:
        line = TableRow()
        for value in row:
            if isinstance(value, float | int):
                cell = TableCell(valuetype="float", value=str(value))
            elif isinstance(value, datetime.date):
                cell = TableCell(valuetype="date", datevalue=value.isoformat())
            else:
                cell = TableCell(valuetype="string")
                cell.addElement(P(text=str(value)))
            line.addElement(cell)
        tab.addElement(line)
    book.spreadsheet.addElement(tab)
    sink = io.BytesIO()
    book.save(sink)
    return sink.getvalue()


def rewrite_member(data: bytes, name: str, *changes: tuple[bytes, bytes]) -> bytes:
    """Return an archive with something in a member replaced."""
    sink = io.BytesIO()
    with (
        zipfile.ZipFile(io.BytesIO(data)) as archive,
        zipfile.ZipFile(sink, "w") as changed,
    ):
        for each in archive.namelist():
            member = archive.read(each)
            for was, now in changes if each == name else ():
                assert was in member, was
                member = member.replace(was, now)
            changed.writestr(each, member)
    return sink.getvalue()


def member_of(data: bytes, name: str) -> bytes:
    """Return a member of an archive."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return archive.read(name)


def book_as_xlsx() -> bytes:
    """Make the book of all kinds of cells, as XLSX."""
    book = by_openpyxl([["value", "note"]])
    tab = book["May"]
    for row, (value, form, _, _) in enumerate(CELLS, 2):
        cell = tab.cell(row, 1, value)
        if form:
            cell.number_format = form
        if value == "merged":
            tab.merge_cells(start_row=row, start_column=1, end_row=row, end_column=2)
        else:
            tab.cell(row, 2, "x")
    tab.append(["end", "x"])
    tab.column_dimensions["B"].hidden = True
    return saved(book)


def book_as_ods() -> bytes:
    """Make the same book as ODS, in the XML that office programs write."""
    note = f"<table:table-cell {_STRING}><text:p>x</text:p></table:table-cell>"
    rows = "".join(
        f"<table:table-row><table:table-cell {cell}><text:p>{text}</text:p>"
        "</table:table-cell>"
        + ("<table:covered-table-cell/>" if value == "merged" else note)
        + "</table:table-row>"
        for value, _, cell, text in CELLS
    )
    between = "</table:table-row><table:table-row>"
    return rewrite_member(
        by_odfpy([["value", "note"], ["end", "x"]]),
        "content.xml",
        (b"<office:automatic-styles/>", _STYLES.encode()),
        (
            b'<table:table table:name="May">',
            b'<table:table table:name="May" xmlns:calcext="urn:org:documentfoundation:'
            b'names:experimental:calc:xmlns:calcext:1.0"><table:table-column/>'
            b'<table:table-column table:visibility="collapse"/>',
        ),
        (
            between.encode(),
            f"</table:table-row>{rows}<table:table-row>".encode(),
        ),
    )
