"""Findings as a list of their own, for the last tab of a workbook."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from gruff_ledger.columns.arrays import text_column
from gruff_ledger.lists.outputs.cell_findings import Remark, Remarks
from gruff_ledger.outcome import Severity
from gruff_ledger.table import Origin, Table

_HEADINGS = (
    *("tab", "row", "field", "value", "perhaps", "severity", "message", "rule"),
    *("source", "record"),
)
FINDINGS_WIDTHS = (10, 6, 13, 14, 11, 10, 54, 30, 12, 8)

# The positions of value and severity, which are coloured.
FILLED_FIELDS = (3, 5)

NUMBERED_FIELDS = ("row", "record")

_MOST_CHARACTERS = 32_000


class Listed(NamedTuple):
    """Findings as a list, and the severity of each; behind them a word on others."""

    table: Table
    severities: list[Severity]


def listed_findings(
    lists: Sequence[tuple[str, Table, Remarks]], source_names: Sequence[str]
) -> Listed:
    """
    List the findings on some lists.

    Parameters
    ----------
    lists : sequence of (tab, Table, Remarks)
    source_names : sequence of str
    """
    rows: list[tuple[str, ...]] = []
    severities: list[Severity] = []
    for tab, table, remarks in lists:
        for remark in remarks.all:
            rows.append(_row(tab, table, remark, source_names))
            severities.append(remark.severity)
    left_out = sum(remarks.left_out for _, _, remarks in lists)
    if left_out:
        said = f"and {left_out} more, which are in the ledger"
        rows += [("",) * len(_HEADINGS), (said, *[""] * (len(_HEADINGS) - 1))]
    columns = tuple(text_column(cells) for cells in zip(*rows, strict=True))
    origin = Origin.counted(0, 1, len(rows))
    return Listed(Table(_HEADINGS, columns, origin, "findings"), severities)


def _row(
    tab: str, table: Table, remark: Remark, source_names: Sequence[str]
) -> tuple[str, ...]:
    field = "" if remark.field is None else table.headings[remark.field]
    source = ""
    if remark.source < len(source_names):
        source = source_names[remark.source]
    cells = (
        *(tab, str(remark.record + 2), field, remark.value, remark.nearest),
        *(str(remark.severity), remark.message, remark.rule),
        *(source, str(remark.source_record)),
    )
    return tuple(cell[:_MOST_CHARACTERS] for cell in cells)
