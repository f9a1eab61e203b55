"""Writing workbooks as ODS (ISO/IEC 26300), as fully as XLSX.

Plain numbers and dates of ISO 8601 are such, cell by cell, with a style that shows the
text they had; headings are frozen, cells found are coloured and have a note, a last tab
lists findings. Nothing is ever written as a formula.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import BinaryIO
from xml.sax.saxutils import quoteattr

import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import are_filled
from gruff_ledger.columns.types import Mask
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
from gruff_ledger.lists.workbook.ods.package import (
    CellStyles,
    content_end,
    content_head,
    fixed_parts,
    note,
)
from gruff_ledger.lists.workbook.ods.rows import OdsField, ods_rows, paragraphs
from gruff_ledger.lists.workbook.places import letters_of
from gruff_ledger.lists.workbook.streamed import may_be_large, write_parts
from gruff_ledger.lists.workbook.tab_limits import (
    UNWRITABLE_IN_XML,
    check_size,
    free_tab_name,
    parts_as_tabs,
    width_of,
)
from gruff_ledger.lists.workbook.xlsx_forms import FILLS, MOST_NOTES, worst_of
from gruff_ledger.outcome import Severity
from gruff_ledger.table import Table

_CONTENT = "content.xml"
_MOST_NOTE = 32_000


def write_ods(output: Output, sink: BinaryIO) -> None:
    """
    Write lists as the tabs of one workbook; see `write_xlsx.write_workbook`.

    Raises
    ------
    UnwritableOutput
        If a list is too long or too wide for a tab, a cell too long for a cell or of
        characters that XML has not, or a name none that a tab can have.
    """
    findings = () if output.terms.no_findings else output.findings
    parts = parts_as_tabs(output.parts, further=output.terms.further_tabs)
    names = [name for name, _ in parts]
    for name, table in parts:
        check_size(name, table, UNWRITABLE_IN_XML)
    remarks = [remarks_on(table, findings) for _, table in parts]
    styles = CellStyles(FILLS)
    tabs: list[_Tab] = [
        _Tab(name, table, styles, said)
        for name, (_, table), said in zip(names, parts, remarks, strict=True)
    ]
    if any(each.all for each in remarks):
        name = free_tab_name("Findings", names)
        tables = (table for _, table in parts)
        listed = list(zip(names, tables, remarks, strict=True))
        made = listed_findings(listed, output.source_names)
        tabs.append(_FindingsTab(name, made, styles))

    def content() -> Iterator[bytes]:
        yield content_head(styles.xml())
        for tab in tabs:
            yield from tab.xml()
        yield content_end([tab.range for tab in tabs if len(tab.table)])

    fixed = fixed_parts([tab.name for tab in tabs])
    large = {_CONTENT: any(tab.may_be_large for tab in tabs)}
    write_parts(sink, [*fixed, (_CONTENT, content())], large)


class _Tab:
    """
    A tab that a list is written to.

    Parameters
    ----------
    name : str
    table : Table
    styles : CellStyles
    remarks : Remarks
    """

    def __init__(
        self, name: str, table: Table, styles: CellStyles, remarks: Remarks
    ) -> None:
        self.name, self.table = name, table
        self._styles = styles
        self._columns = table.all_cells
        self._kinds = self._find_kinds()
        self._marked: list[dict[int, str]] = [{} for _ in self._columns]
        self._notes: list[dict[int, str]] = [{} for _ in self._columns]
        self._noted = 0
        self._mark_all(remarks)
        # Styles are told in front of the tabs: so all are asked for before.
        self._fields = [self._field(place) for place in range(len(self._columns))]
        self._declared = "".join(map(self._declare, range(len(self._columns))))

    @property
    def range(self) -> tuple[str, str, int]:
        """The tab, its last column and its last row."""
        return self.name, letters_of(max(1, len(self._columns))), len(self.table) + 1

    @property
    def may_be_large(self) -> bool:
        """Whether its XML may be larger than two gigabytes."""
        size = 2 * sum(column.nbytes for column in self._columns)
        return may_be_large(size, len(self.table) * len(self._columns))

    def _find_kinds(self) -> list[npt.NDArray[np.int8] | None]:
        return [typed_kinds(column) for column in self._columns]

    def _mark_all(self, remarks: Remarks) -> None:
        for record, place, said in remarks.by_cell(len(self._columns)):
            self._mark(record, place, said)

    def _mark(self, record: int, place: int, remarks: list[Remark]) -> None:
        """Colour a cell that something is said of, with a note."""
        kinds = self._kinds[place]
        kind = TEXT if kinds is None else int(kinds[record])
        self._marked[place][record] = self._styles.of(kind, worst_of(remarks))
        if self._noted < MOST_NOTES:
            self._noted += 1
            text = "\n".join(f"{each.severity}: {each.text}" for each in remarks)
            self._notes[place][record] = note(text[:_MOST_NOTE])

    def _usual(self, place: int) -> int:
        """Return the kind that most cells of a column are of; its style is default."""
        kinds = self._kinds[place]
        if kinds is None or (kinds == TEXT).any():
            # What is typed into a field of texts later is a text as well.
            return TEXT
        return int(np.bincount(kinds.astype(np.int64) - TEXT).argmax()) + TEXT

    def _style_of(self, kind: int, place: int) -> str:
        return self._styles.of(kind)

    def _width(self, place: int) -> float:
        return width_of(self.table.headings[place], self._columns[place])

    def _field(self, place: int) -> OdsField:
        kinds, usual = self._kinds[place], self._usual(place)
        there = [TEXT] if kinds is None else np.unique(kinds).tolist()
        styles = {
            kind: "" if kind == usual else self._style_of(kind, place) for kind in there
        }
        column = self._columns[place]
        return OdsField(column, kinds, styles, self._marked[place], self._notes[place])

    def _declare(self, place: int) -> str:
        width = self._styles.of_width(self._width(place))
        usual = self._style_of(self._usual(place), place)
        return (
            f'<table:table-column table:style-name="{width}" '
            f'table:default-cell-style-name="{usual}"/>'
        )

    def xml(self) -> Iterator[bytes]:
        """Yield the tab."""
        headings = "".join(
            '<table:table-cell table:style-name="heading" office:value-type="string">'
            f"<text:p>{paragraphs(heading)}</text:p></table:table-cell>"
            for heading in self.table.headings
        )
        yield (
            f"<table:table table:name={quoteattr(self.name)} "
            f'table:style-name="tab">{self._declared or "<table:table-column/>"}'
            "<table:table-header-rows><table:table-row>"
            f"{headings or '<table:table-cell/>'}</table:table-row>"
            "</table:table-header-rows>"
        ).encode()
        count = len(self.table) if self._columns else 0
        yield from ods_rows(self._fields, count, self._beneath())
        yield b"</table:table>"

    def _beneath(self) -> Mask | None:
        """Tell the records that are detail of the one above."""
        table = self.table
        if table.beneath not in table.headings:
            return None
        return are_filled(table.cells(table.beneath))


class _FindingsTab(_Tab):
    """The tab that lists findings."""

    def __init__(self, name: str, made: Listed, styles: CellStyles) -> None:
        self._severities: Sequence[Severity] = made.severities
        super().__init__(name, made.table, styles, Remarks([], 0))

    def _find_kinds(self) -> list[npt.NDArray[np.int8] | None]:
        """Tell the kinds: what was found stays the text it was."""
        return [
            typed_kinds(column) if heading in NUMBERED_FIELDS else None
            for heading, column in zip(self.table.headings, self._columns, strict=True)
        ]

    def _mark_all(self, remarks: Remarks) -> None:
        for place in FILLED_FIELDS:
            cells = self._columns[place].to_pylist()
            self._marked[place] = {
                record: self._styles.of(TEXT, severity)
                for record, severity in enumerate(self._severities)
                if cells[record]
            }

    def _style_of(self, kind: int, place: int) -> str:
        return self._styles.of(kind, wraps=kind == TEXT)

    def _width(self, place: int) -> float:
        return float(FINDINGS_WIDTHS[place])
