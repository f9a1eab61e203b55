"""How a workbook shows findings: colours, notes, and a tab that lists them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from gruff_ledger.lists.outputs.cell_findings import Remark, Remarks
from gruff_ledger.lists.typed_cells import DATE, TEXT
from gruff_ledger.lists.workbook.own_look import FONT
from gruff_ledger.outcome import Severity
from gruff_ledger.table import Table

# Fills that black text is read on; they differ in lightness too.
_FILLS = {
    Severity.STOP: "#F4B6AE",
    Severity.WARN: "#FBE3A4",
    Severity.NOTE: "#DCE9F5",
}

# With more notes a workbook opens slowly; the others are coloured and listed.
_MOST_NOTES = 10_000

_NOTE_WIDTH_PIXELS = 260
_LINE_PIXELS = 20
_LINE_CHARACTERS = 38

_HEADINGS = (
    *("tab", "row", "field", "value", "perhaps", "severity", "message", "rule"),
    *("source", "record"),
)
_WIDTHS = (10, 6, 13, 14, 11, 10, 54, 30, 12, 8)


class Forms:
    """
    The formats of the cells of a workbook.

    Parameters
    ----------
    book : OwnBook

    Attributes
    ----------
    heading, text
        Of headings, and of cells of text.
    """

    def __init__(self, book: Any) -> None:
        self.heading = book.add_format(
            {"bold": True, "text_wrap": True, "valign": "top"}
        )
        self.text = book.add_format({"num_format": "@"})
        self.wrapped = book.add_format(
            {"num_format": "@", "text_wrap": True, "valign": "top"}
        )
        self._book = book
        self._known: dict[tuple[int, Severity | None], Any] = {
            (TEXT, None): self.text,
            # A whole number needs no format.
            (0, None): None,
        }
        # In a column of texts a whole number needs one.
        self.whole = book.add_format({"num_format": "0"})
        self._notes = 0

    def of(self, kind: int, severity: Severity | None) -> Any:
        """
        Return the format of a cell.

        Parameters
        ----------
        kind : int
            See `typed_cells`.
        severity : Severity, optional
            Of what is said of it.
        """
        if (kind, severity) not in self._known:
            form: dict[str, Any] = {}
            if kind == TEXT:
                form["num_format"] = "@"
            elif kind == DATE:
                form["num_format"] = "yyyy-mm-dd"
            elif kind:
                form["num_format"] = "0." + "0" * kind
            if severity is not None:
                form["bg_color"] = _FILLS[severity]
            self._known[kind, severity] = self._book.add_format(form)
        return self._known[kind, severity]

    def add_note(
        self, sheet: Any, row: int, column: int, remarks: Sequence[Remark]
    ) -> None:
        """Put what is said of a cell beside it, as a note."""
        if self._notes >= _MOST_NOTES:
            return
        self._notes += 1
        text = "\n".join(f"{remark.severity}: {remark.text}" for remark in remarks)
        lines = sum(1 + len(line) // _LINE_CHARACTERS for line in text.split("\n"))
        options = {
            "width": _NOTE_WIDTH_PIXELS,
            "height": (lines + 1) * _LINE_PIXELS,
            "author": "",
            "font_name": FONT,
        }
        sheet.write_comment(row, column, text[:32_000], options)


def worst_of(remarks: Sequence[Remark]) -> Severity:
    """Return the severity of the worst that is said of a cell."""
    return max((remark.severity for remark in remarks), key=lambda each: each.rank)


def write_findings(
    sheet: Any,
    lists: Sequence[tuple[str, Table, Remarks]],
    source_names: Sequence[str],
    forms: Forms,
) -> None:
    """
    Write the findings on some lists to a tab.

    Parameters
    ----------
    sheet : a tab of it
    lists : sequence of (tab, Table, Remarks)
    source_names : sequence of str
    forms : Forms
    """
    for column, (heading, width) in enumerate(zip(_HEADINGS, _WIDTHS, strict=True)):
        sheet.set_column(column, column, width)
        sheet.write_string(0, column, heading, forms.heading)
    sheet.freeze_panes(1, 0)
    row = 0
    for tab, table, remarks in lists:
        for remark in remarks.all:
            row += 1
            _write_finding(sheet, row, tab, table, remark, source_names, forms)
    if row:
        sheet.autofilter(0, 0, row, len(_HEADINGS) - 1)
    left_out = sum(remarks.left_out for _, _, remarks in lists)
    if left_out:
        said = f"and {left_out} more, which are in the ledger"
        sheet.write_string(row + 2, 0, said)


def _write_finding(
    sheet: Any,
    row: int,
    tab: str,
    table: Table,
    remark: Remark,
    source_names: Sequence[str],
    forms: Forms,
) -> None:
    field = "" if remark.field is None else table.headings[remark.field]
    source = ""
    if remark.source < len(source_names):
        source = source_names[remark.source]
    cells: tuple[str | int, ...] = (
        *(tab, remark.record + 2, field, remark.value, remark.nearest),
        *(str(remark.severity), remark.message, remark.rule),
        *(source, remark.source_record),
    )
    for column, cell in enumerate(cells):
        if isinstance(cell, int):
            sheet.write_number(row, column, cell)
        elif cell:
            filled = _HEADINGS[column] in ("value", "severity")
            form = forms.of(TEXT, remark.severity) if filled else forms.wrapped
            sheet.write_string(row, column, cell[:32_000], form)
