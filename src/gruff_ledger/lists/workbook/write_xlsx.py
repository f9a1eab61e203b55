"""Writing workbooks as XLSX (ISO/IEC 29500): XlsxWriter makes all but the records.

A plain number is written as a number and a date of ISO 8601 as a date, cell by cell,
with a format that shows the text it had, where it is read back as just that text
(`typed_cells`). Nothing is ever written as a formula.
"""

from __future__ import annotations

import datetime
import io
import re
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, BinaryIO

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import are_filled
from gruff_ledger.columns.types import Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.outputs.cell_findings import Remark, Remarks, remarks_on
from gruff_ledger.lists.typed_cells import TEXT, typed_kinds
from gruff_ledger.lists.workbook.listed_findings import (
    FILLED_FIELDS,
    FINDINGS_WIDTHS,
    NUMBERED_FIELDS,
    Listed,
    listed_findings,
)
from gruff_ledger.lists.workbook.own_look import OwnBook
from gruff_ledger.lists.workbook.places import letters_of
from gruff_ledger.lists.workbook.streamed import Part, may_be_large, write_parts
from gruff_ledger.lists.workbook.tab_limits import (
    check_size,
    free_tab_name,
    parts_as_tabs,
    width_of,
)
from gruff_ledger.lists.workbook.xlsx_forms import Forms, worst_of
from gruff_ledger.lists.workbook.xlsx_rows import TabField, sheet_rows
from gruff_ledger.table import Table


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
    findings = () if output.terms.no_findings else output.findings
    parts = parts_as_tabs(output.parts, further=output.terms.further_tabs)
    names = [name for name, _ in parts]
    for name, table in parts:
        check_size(name, table)
    remarks = [remarks_on(table, findings) for _, table in parts]
    # The library makes all of the package but the records.
    package = io.BytesIO()
    with OwnBook(package, {"in_memory": True}) as book:
        book.set_properties({"created": CREATED})
        forms = Forms(book)
        tabs = [
            _Tab(book.add_worksheet(name), table, forms, said)
            for name, (_, table), said in zip(names, parts, remarks, strict=True)
        ]
        if any(each.all for each in remarks):
            name = free_tab_name("Findings", names)
            listed = zip(names, (table for _, table in parts), remarks, strict=True)
            made = listed_findings(list(listed), output.source_names)
            sheet = book.add_worksheet(name)
            tabs.append(_FindingsTab(sheet, made, forms))
        forms.write_samples(tabs[0].sheet)
    write_parts(sink, *_with_rows(package, tabs, forms))


def _with_rows(
    package: BinaryIO, tabs: Sequence[_Tab], forms: Forms
) -> tuple[list[Part], dict[str, bool]]:
    """Return the parts of a package, its tabs with their records; and which are large.

    The library calls tabs by their numbers.
    """
    made: list[Part] = []
    large: dict[str, bool] = {}
    with zipfile.ZipFile(package) as archive:
        numbers = forms.numbers_in(archive.read(_TAB_PART.format(1)).decode("utf-8"))
        of_part = {_TAB_PART.format(at): tab for at, tab in enumerate(tabs, 1)}
        for name in archive.namelist():
            data = archive.read(name)
            if name in of_part:
                tab = of_part[name]
                made.append((name, tab.xml(data.decode("utf-8"), numbers)))
                large[name] = tab.may_be_large
            else:
                made.append((name, [data]))
    return made, large


# The same list gives the same bytes at any time: the date of a workbook is that of the
# first day that its archive can hold. When it was made is in the account.
CREATED = datetime.datetime(1980, 1, 1)

# What a workbook keeps of rows that are set apart would fill the memory.
_MOST_OUTLINED = 100_000

_TAB_PART = "xl/worksheets/sheet{}.xml"
_DIMENSION = late_pattern(r'<dimension ref="[^"]*"/>')
_DATA = late_pattern(r"<sheetData/>|<sheetData>.*</sheetData>", re.DOTALL)
_HEADING_ROW = late_pattern(r'<row r="1".*?</row>', re.DOTALL)


class _Tab:
    """
    A tab that a list is written to.

    Parameters
    ----------
    sheet : a tab of the library
    table : Table
    forms : Forms
    remarks : Remarks
    """

    def __init__(
        self, sheet: Any, table: Table, forms: Forms, remarks: Remarks
    ) -> None:
        self.sheet = sheet
        self._table = table
        self._forms = forms
        self._columns = table.all_cells
        self._kinds = self._find_kinds()
        self._marked: list[dict[int, Any]] = [{} for _ in self._columns]
        self._beneath: Mask | None = None
        self._prepare(remarks)

    @property
    def may_be_large(self) -> bool:
        """Whether its XML may be larger than two gigabytes."""
        size = sum(column.nbytes for column in self._columns)
        return may_be_large(size, len(self._table) * len(self._columns))

    def _find_kinds(self) -> list[npt.NDArray[np.int8] | None]:
        return [typed_kinds(column) for column in self._columns]

    def _prepare(self, remarks: Remarks) -> None:
        """Have the library write headings, notes and all that is not a record."""
        sheet, table = self.sheet, self._table
        for place, (heading, column) in enumerate(
            zip(table.headings, self._columns, strict=True)
        ):
            # What is typed into a field of texts later is a text as well.
            form = self._forms.text if self._has_texts(place) else None
            sheet.set_column(place, place, width_of(heading, column), form)
            sheet.write_string(0, place, heading, self._forms.heading)
            for kind in self._kinds_of(place):
                self._form_of(kind, place)
        sheet.freeze_panes(1, 0)
        self._find_beneath()
        for record, place, said in remarks.by_cell(len(self._columns)):
            self._mark(record, place, said)
        if len(table) and table.headings:
            sheet.autofilter(0, 0, len(table), len(table.headings) - 1)
            # Codes that look like numbers are meant to be text.
            whole = f"A1:{letters_of(len(table.headings))}{len(table) + 1}"
            sheet.ignore_errors({"number_stored_as_text": whole})

    def _has_texts(self, place: int) -> bool:
        kinds = self._kinds[place]
        return kinds is None or bool((kinds == TEXT).any())

    def _kinds_of(self, place: int) -> list[int]:
        kinds = self._kinds[place]
        return [TEXT] if kinds is None else np.unique(kinds).tolist()

    def _form_of(self, kind: int, place: int) -> Any:
        form = self._forms.of(kind, None)
        return self._forms.whole if form is None and self._has_texts(place) else form

    def _find_beneath(self) -> None:
        """Find the records that are detail, and so on a level of their own."""
        table = self._table
        if table.beneath not in table.headings:
            return
        # The figure stands above what it is made of.
        self.sheet.outline_settings(symbols_below=False)
        self._beneath = are_filled(table.cells(table.beneath))
        self._beneath[_MOST_OUTLINED:] = False
        # So the library says that there are such rows; the row itself is not kept.
        self.sheet.set_row(1, None, None, {"level": 1})

    def _mark(self, record: int, place: int, remarks: list[Remark]) -> None:
        """Colour a cell that something is said of, with a note."""
        kinds = self._kinds[place]
        kind = TEXT if kinds is None else int(kinds[record])
        self._marked[place][record] = self._forms.of(kind, worst_of(remarks))
        self._forms.add_note(self.sheet, record + 1, place, remarks)

    def xml(self, skeleton: str, numbers: Mapping[int, int]) -> Iterator[bytes]:
        """
        Yield the part of the tab.

        Parameters
        ----------
        skeleton : str
            What the library made of it.
        numbers : mapping
            The number of each format; see `Forms.numbers_in`.
        """
        last = f"{letters_of(max(1, len(self._columns)))}{len(self._table) + 1}"
        skeleton = _DIMENSION.sub(f'<dimension ref="A1:{last}"/>', skeleton, count=1)
        data = _DATA.search(skeleton)
        assert data is not None
        heading = _HEADING_ROW.search(data[0])
        yield skeleton[: data.start()].encode("utf-8")
        yield f"<sheetData>{heading[0] if heading else ''}".encode()
        yield from sheet_rows(
            self._fields(numbers),
            len(self._table) if self._columns else 0,
            self._beneath,
        )
        yield ("</sheetData>" + skeleton[data.end() :]).encode("utf-8")

    def _fields(self, numbers: Mapping[int, int]) -> list[TabField]:
        return [
            TabField(
                column,
                self._kinds[place],
                {
                    kind: numbers.get(id(self._form_of(kind, place)), 0)
                    for kind in self._kinds_of(place)
                },
                {
                    record: numbers.get(id(form), 0)
                    for record, form in self._marked[place].items()
                },
            )
            for place, column in enumerate(self._columns)
        ]


class _FindingsTab(_Tab):
    """The tab that lists findings."""

    def __init__(self, sheet: Any, made: Listed, forms: Forms) -> None:
        self._severities = made.severities
        super().__init__(sheet, made.table, forms, Remarks([], 0))

    def _find_kinds(self) -> list[npt.NDArray[np.int8] | None]:
        """Tell the kinds: what was found stays the text it was."""
        return [
            typed_kinds(column) if heading in NUMBERED_FIELDS else None
            for heading, column in zip(self._table.headings, self._columns, strict=True)
        ]

    def _prepare(self, remarks: Remarks) -> None:
        sheet, table = self.sheet, self._table
        for place, (heading, width) in enumerate(
            zip(table.headings, FINDINGS_WIDTHS, strict=True)
        ):
            sheet.set_column(place, place, width)
            sheet.write_string(0, place, heading, self._forms.heading)
        sheet.freeze_panes(1, 0)
        if self._severities:
            last = len(table.headings) - 1
            sheet.autofilter(0, 0, len(self._severities), last)
        for place in FILLED_FIELDS:
            self._marked[place] = {
                record: self._forms.of(TEXT, severity)
                for record, severity in enumerate(self._severities)
                if table.all_cells[place][record].as_py()
            }

    def _form_of(self, kind: int, place: int) -> Any:
        return self._forms.wrapped if kind == TEXT else self._forms.of(kind, None)
