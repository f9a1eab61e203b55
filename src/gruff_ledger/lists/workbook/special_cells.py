"""What is said of special cells of a workbook: errors, hidden rows, merged areas."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from gruff_ledger.columns.arrays import text_column
from gruff_ledger.lists.workbook.grid import Place, Remarks
from gruff_ledger.lists.workbook.tab_xml import ODD_CELLS, Look
from gruff_ledger.outcome import Finding, Note, Severity
from gruff_ledger.table import Origin
from gruff_ledger.words import first_few

# How many fields of hidden columns are named.
_TOLD_FIELDS = 12


def tab_remarks(
    name: str, place: Place, look: Look, merged: list[tuple[Any, Any]]
) -> Remarks:
    """Return the findings and notes on the special cells of a list in a tab."""
    findings = (
        *_cell_findings(
            place,
            look.errors,
            "error in the workbook",
            "The cell holds an error of the workbook, not a value.",
        ),
        *_cell_findings(
            place,
            dict.fromkeys(look.unstored, ""),
            "formula without a result",
            "The cell holds a formula whose result is not stored; it was read as "
            "blank. Open the workbook, let it calculate, and save it.",
        ),
        *(
            finding
            for rule, cells in look.odd.items()
            for finding in _cell_findings(place, cells, rule, ODD_CELLS[rule])
        ),
    )
    return findings, tuple(_notes(name, place, look, merged))


def _cell_findings(
    place: Place, cells: Mapping[tuple[int, int], str], rule: str, message: str
) -> Iterator[Finding]:
    by_field: dict[str, list[tuple[int, str]]] = {}
    for (row, col), text in cells.items():
        heading, number = place.heading(col), place.record(row)
        if heading is not None and number is not None:
            by_field.setdefault(heading, []).append((number, text))
    for heading, found in by_field.items():
        found.sort()
        yield Finding(
            rule,
            Severity.WARN,
            message,
            heading,
            _origin(place, [number for number, _ in found]),
            text_column([text for _, text in found]),
        )


def _notes(
    name: str, place: Place, look: Look, merged: list[tuple[Any, Any]]
) -> Iterator[Note]:
    hidden = [number for row in look.hidden_rows if (number := place.record(row))]
    if hidden:
        rows = "1 record is" if len(hidden) == 1 else f"{len(hidden):,} records are"
        yield Note(
            f"{name}: {rows} in hidden rows; they are read like the others.",
            "To leave them out, delete them in the workbook.",
            _origin(place, hidden),
            warning=True,
        )
    headings = [each for col in look.hidden_cols if (each := place.heading(col))]
    if headings:
        fields = (
            "1 field is in a hidden column and is"
            if len(headings) == 1
            else f"{len(headings)} fields are in hidden columns and are"
        )
        told = first_few(headings, _TOLD_FIELDS, comma=",")
        yield Note(
            f"{name}: {fields} read like the others: {told}.",
            "To leave some out, drop them by `fields`.",
            warning=True,
        )
    joined = [
        number
        for (first, left), (last, _) in merged
        if (number := place.record(max(first + 1, place.heading_row + 1))) is not None
        and last + 1 > place.heading_row
        and place.heading(left + 1) is not None
    ]
    if joined:
        areas = "1 merged area" if len(joined) == 1 else f"{len(joined)} merged areas"
        yield Note(
            f"{name}: {areas} among the records; the value is in the first cell, "
            "the others are blank.",
            "",
            _origin(place, sorted(joined)),
            warning=True,
        )
    percent = [
        number
        for row, col in look.percent
        if (number := place.record(row)) is not None and place.heading(col) is not None
    ]
    if percent:
        cells = "1 cell is" if len(percent) == 1 else f"{len(percent)} cells are"
        yield Note(
            f"{name}: {cells} shown as per cent in the workbook; the number stored was "
            "taken, 0.25 for 25%.",
            "",
            _origin(place, sorted(percent)),
        )


def _origin(place: Place, numbers: list[int]) -> Origin:
    at = np.array(numbers, np.int64)
    return Origin(np.full(len(at), place.source, np.int32), at)
