"""Writing workbooks as XLSX (ISO/IEC 29500), by XlsxWriter.

A plain number is written as a number and a date of ISO 8601 as a date, cell by cell,
with a format that shows the text it had, where it is read back as just that text
(`typed_cells`). Nothing is ever written as a formula.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, BinaryIO

import numpy as np

from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.shares import in_turn
from gruff_ledger.columns.types import Column
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.outputs.cell_findings import Remark, Remarks, remarks_on
from gruff_ledger.lists.typed_cells import DATE, TEXT, day_number, typed_kinds
from gruff_ledger.lists.workbook.xlsx_findings import Forms, worst_of, write_findings
from gruff_ledger.problems import UnwritableOutput
from gruff_ledger.table import Table

# The limits of the format, and of the programs that open it.
MOST_ROWS, MOST_COLUMNS, MOST_CHARACTERS = 1_048_576, 16_384, 32_767
MOST_TAB_CHARACTERS = 31

_FORBIDDEN_IN_TABS = re.compile(r"[\[\]:*?/\\\x00-\x1f]")

_ESCAPE_START = re.compile("(_)(?=x[0-9a-fA-F]{4}_)")

# Characters that no XML document can hold, nor any escape of the format.
_UNWRITABLE = ("\ufffe", "\uffff")

_GROUP_RECORDS = 1 << 13
_WIDEST_COLUMN = 60
_MEASURED_RECORDS = 500

# Above this many cells the writer keeps what it has written on the disk.
_MOST_CELLS_IN_MEMORY = 4_000_000


def write_workbook(output: Output, sink: BinaryIO) -> None:
    """
    Write lists as the tabs of one workbook: headings bold, and frozen above the rest.

    Unless its terms say otherwise, cells found are coloured, with the message as a
    note; a last tab lists them.

    Raises
    ------
    UnwritableOutput
        If a list is too long or too wide for a tab, a cell too long for a cell, or a
        name none that a tab can have. Nothing is written then.
    """
    import xlsxwriter.xmlwriter

    from gruff_ledger.lists.workbook.own_look import OwnBook

    # Each mark that could begin an escape is escaped, also where two such share one:
    # the library leaves out the second of `_x005F_x0041_`.
    xlsxwriter.xmlwriter.re_control_chars_1 = _ESCAPE_START
    parts = output.parts
    findings = () if output.terms.no_findings else output.findings
    names = [_tab_name(name) for name, _ in parts]
    for name, table in parts:
        _check_size(name, table)
    cells = sum(len(table) * len(table.headings) for _, table in parts)
    options = {
        "constant_memory": cells > _MOST_CELLS_IN_MEMORY,
        "in_memory": cells <= _MOST_CELLS_IN_MEMORY,
    }
    remarks = [remarks_on(table, findings) for _, table in parts]
    with OwnBook(sink, options) as book:
        book.set_properties({"created": CREATED})
        forms = Forms(book)
        for name, (_, table), said in zip(names, parts, remarks, strict=True):
            _Tab(book.add_worksheet(name), table, forms).write(said)
        if any(each.all for each in remarks):
            name = _free_name("Findings", names)
            listed = zip(names, (table for _, table in parts), remarks, strict=True)
            write_findings(
                book.add_worksheet(name), list(listed), output.source_names, forms
            )


# The same list gives the same bytes at any time: the date of a workbook is that of the
# first day that its archive can hold. When it was made is in the account.
CREATED = datetime.datetime(1980, 1, 1)

# What a workbook keeps of rows that are set apart would fill the memory.
_MOST_OUTLINED = 100_000


class _Tab:
    """A tab that a list is written to."""

    def __init__(self, sheet: Any, table: Table, forms: Forms) -> None:
        self._sheet = sheet
        self._table = table
        self._forms = forms
        self._columns = table.all_cells
        self._kinds = [typed_kinds(column) for column in self._columns]
        self._has_texts = [
            kinds is None or bool((kinds == TEXT).any()) for kinds in self._kinds
        ]

    def write(self, remarks: Remarks) -> None:
        """Write headings and records, and what is said of them."""
        sheet, table = self._sheet, self._table
        for place, (heading, column) in enumerate(
            zip(table.headings, self._columns, strict=True)
        ):
            # What is typed into a field of texts later is a text as well.
            form = self._forms.text if self._has_texts[place] else None
            sheet.set_column(place, place, width_of(heading, column), form)
            sheet.write_string(0, place, heading, self._forms.heading)
        sheet.freeze_panes(1, 0)
        self._write_outline()
        said = remarks.by_record()
        for row, record in enumerate(_records(self._columns), 1):
            self._write_record(row, record, said.get(row - 1, {}))
        if len(table) and table.headings:
            sheet.autofilter(0, 0, len(table), len(table.headings) - 1)
            # Codes that look like numbers are meant to be text.
            whole = f"A1:{letters_of(len(table.headings))}{len(table) + 1}"
            sheet.ignore_errors({"number_stored_as_text": whole})

    def _write_outline(self) -> None:
        """Put records that are detail of the one above on a level of their own."""
        table = self._table
        if table.beneath not in table.headings:
            return
        # The figure stands above what it is made of.
        self._sheet.outline_settings(symbols_below=False)
        for row, cell in enumerate(table.cells(table.beneath).to_pylist(), 1):
            if cell and row <= _MOST_OUTLINED:
                self._sheet.set_row(row, None, None, {"level": 1})

    def _write_record(
        self,
        row: int,
        record: Sequence[str],
        said: Mapping[int | None, list[Remark]],
    ) -> None:
        sheet = self._sheet
        for place, cell in enumerate(record):
            remarks = said.get(place, [])
            if place == 0:
                # What is said of the whole record is shown at its first cell.
                remarks = [*remarks, *said.get(None, ())]
            kinds = self._kinds[place]
            kind = TEXT if kinds is None else int(kinds[row - 1])
            severity = worst_of(remarks) if remarks else None
            form = self._forms.of(kind, severity)
            if form is None and self._has_texts[place]:
                form = self._forms.whole
            if not cell:
                if remarks:
                    sheet.write_blank(row, place, None, form)
            elif kind == TEXT:
                sheet.write_string(row, place, cell, form)
            elif kind == DATE:
                sheet.write_number(row, place, day_number(cell), form)
            else:
                sheet.write_number(row, place, float(cell), form)
            if remarks:
                self._forms.add_note(sheet, row, place, remarks)


def _records(columns: Sequence[Column]) -> Iterator[tuple[str, ...]]:
    length = len(columns[0]) if columns else 0
    starts = range(0, length, _GROUP_RECORDS)
    for start in in_turn(starts, len(starts)):
        parts = [column.slice(start, _GROUP_RECORDS).to_pylist() for column in columns]
        yield from zip(*parts, strict=True)


def _tab_name(name: str) -> str:
    wrong = _FORBIDDEN_IN_TABS.search(name)
    if wrong or name.startswith("'") or name.endswith("'") or not name.strip():
        raise UnwritableOutput(
            f"'{name}' cannot be the name of a tab.",
            "Tabs have no names with [ ] : * ? / \\ in them, nor an apostrophe at an "
            "end. Name one with #sheet=NAME.",
        )
    if len(name) > MOST_TAB_CHARACTERS or name.casefold() == "history":
        raise UnwritableOutput(
            f"'{name}' cannot be the name of a tab: it is "
            + (
                f"{len(name)} characters long, and {MOST_TAB_CHARACTERS} are the most."
                if len(name) > MOST_TAB_CHARACTERS
                else "kept for the program that opens it."
            ),
            "Name another with #sheet=NAME.",
        )
    return name


def _free_name(name: str, taken: Sequence[str]) -> str:
    """Return a name that no tab has yet; names differ in more than case."""
    folded = {each.casefold() for each in taken}
    found, number = name, 1
    while found.casefold() in folded:
        number += 1
        found = f"{name} {number}"
    return found


def _check_size(name: str, table: Table) -> None:
    for count, most, noun in (
        (len(table) + 1, MOST_ROWS, "rows"),
        (len(table.headings), MOST_COLUMNS, "columns"),
    ):
        if count > most:
            raise UnwritableOutput(
                f"the list '{name}' would take {count} {noun}, and a tab has {most} at "
                "the most. Nothing was written.",
                "Write it as delimited text, or in parts.",
            )
    for heading, column in zip(table.headings, table.all_cells, strict=True):
        for number, text in _doubtful(heading, column):
            # The format counts in units of UTF-16.
            length = len(text.encode("utf-16-le")) // 2
            if length > MOST_CHARACTERS:
                raise UnwritableOutput(
                    f"a cell of the list '{name}' is {length} characters long, and a "
                    f"cell of a workbook has {MOST_CHARACTERS} at the most. Nothing "
                    "was written.",
                    "Shorten it, or write the list as delimited text.",
                    record=number or None,
                    field=heading,
                )
            if any(mark in text for mark in _UNWRITABLE):
                raise UnwritableOutput(
                    f"a cell of the list '{name}' holds a character (U+FFFE or U+FFFF) "
                    "that a workbook cannot. Nothing was written.",
                    "Take it out, or write the list as delimited text.",
                    record=number or None,
                    field=heading,
                )


def _doubtful(heading: str, column: Column) -> Iterator[tuple[int, str]]:
    """Yield the heading and the cells that may be too much; their numbers from 1."""
    yield 0, heading
    start = 0
    for chunk in text_chunks(column):
        lengths = np.diff(chunk.offsets)
        for place in np.flatnonzero(lengths > MOST_CHARACTERS).tolist():
            yield start + place + 1, chunk.array[place].as_py()
        # Both characters begin with these two bytes in UTF-8.
        at = np.flatnonzero(chunk.bytes[:-1] == 0xEF)
        if len(at):
            at = at[chunk.bytes[at + 1] == 0xBF]
            cells = np.unique(np.searchsorted(chunk.offsets, at, "right") - 1)
            for place in cells.tolist():
                yield start + place + 1, chunk.array[place].as_py()
        start += len(chunk.array)


def width_of(heading: str, column: Column) -> float:
    """Return how wide a column should be, in characters."""
    first = column.slice(0, _MEASURED_RECORDS).to_pylist()
    longest = max((len(cell) for cell in first), default=0)
    return float(min(_WIDEST_COLUMN, max(longest, min(len(heading), 24), 6) + 2))


def letters_of(number: int) -> str:
    """Return what workbooks call a column, counted from 1."""
    text = ""
    while number:
        number, rest = divmod(number - 1, 26)
        text = chr(ord("A") + rest) + text
    return text
