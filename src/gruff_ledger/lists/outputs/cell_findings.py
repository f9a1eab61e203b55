"""Findings as remarks on the cells of a list, for formats that can show them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Indices
from gruff_ledger.outcome import Finding, Severity
from gruff_ledger.table import Origin, Table

# More are more than anyone reads in a workbook, and slow it down: the ledger has all.
MOST_REMARKS = 100_000


class Remark(NamedTuple):
    """
    What is said of one cell, or of a whole record.

    Attributes
    ----------
    record : int
        Its index in the list.
    field : int or None
        Position of the field; None for the whole record.
    """

    record: int
    field: int | None
    severity: Severity
    rule: str
    value: str
    message: str
    nearest: str
    source: int
    source_record: int

    @property
    def text(self) -> str:
        """The message, with the value that may have been meant."""
        return (
            f"{self.message} Perhaps {self.nearest}?" if self.nearest else self.message
        )


class Remarks(NamedTuple):
    """
    The remarks on a list, in the order of its records, and how many are left out.

    Attributes
    ----------
    all : list of Remark
    left_out : int
    """

    all: list[Remark]
    left_out: int

    def by_cell(self, fields: int) -> Iterator[tuple[int, int, list[Remark]]]:
        """
        Yield record, position of the field and remarks of each cell that has some.

        Parameters
        ----------
        fields : int
            How many fields the list has. What is said of a whole record is shown at its
            first cell.
        """
        for record, said in self.by_record().items():
            for place in range(fields):
                remarks = said.get(place, [])
                if place == 0:
                    remarks = [*remarks, *said.get(None, ())]
                if remarks:
                    yield record, place, remarks

    def by_record(self) -> dict[int, dict[int | None, list[Remark]]]:
        """Return the remarks by record and field, the worst of a cell first."""
        found: dict[int, dict[int | None, list[Remark]]] = {}
        for remark in self.all:
            cells = found.setdefault(remark.record, {})
            cells.setdefault(remark.field, []).append(remark)
        for cells in found.values():
            for remarks in cells.values():
                remarks.sort(key=lambda remark: -remark.severity.rank)
        return found


def remarks_on(table: Table, findings: Sequence[Finding]) -> Remarks:
    """
    Return what findings say of the records that are in a list.

    Parameters
    ----------
    table : Table, n records
    findings : sequence of Finding
        Of any list whose records may be in this one.
    """
    keys = _keys(table.origin)
    found: list[Remark] = []
    left_out = 0
    for finding in sorted(findings, key=lambda each: -each.severity.rank):
        records, places = _where(keys, _keys(finding.origin))
        wanted = MOST_REMARKS - len(found)
        left_out += max(0, len(records) - wanted)
        found += _remarks(table, finding, records[:wanted], places[:wanted])
    found.sort(key=lambda remark: remark.record)
    return Remarks(found, left_out)


def records_found(table: Table, findings: Sequence[Finding]) -> Indices:
    """Return the places of the records in a list that findings are on, in order."""
    keys = _keys(table.origin)
    found = [_where(keys, _keys(finding.origin))[0] for finding in findings]
    return np.unique(np.concatenate(found)) if found else keys[:0]


def _keys(origin: Origin) -> Indices:
    return (origin.source.astype(np.int64) << 40) | origin.record


def _where(keys: Indices, wanted: Indices) -> tuple[Indices, Indices]:
    """Return the records that have one of some keys, and which key each has."""
    order = np.argsort(wanted, kind="stable")
    ordered = wanted[order]
    at = np.searchsorted(ordered, keys)
    at[at == len(ordered)] = 0
    records = np.flatnonzero(ordered[at] == keys) if len(ordered) else at[:0]
    return records, order[at[records]]


def _remarks(
    table: Table, finding: Finding, records: Indices, places: Indices
) -> Iterator[Remark]:
    field = None
    if finding.field in table.headings:
        field = table.headings.index(finding.field)
    few = slice(0, int(places.max(initial=-1)) + 1)
    values = finding.value.slice(0, few.stop).to_pylist()
    messages = finding.messages.slice(0, few.stop).to_pylist()
    nearest = [""] * few.stop
    if finding.unsaid_nearest is not None:
        nearest = finding.unsaid_nearest.slice(0, few.stop).to_pylist()
    cells = values
    if field is not None:
        cells = taken(table.cells(finding.field), records).to_pylist()
    for number, (record, place) in enumerate(
        zip(records.tolist(), places.tolist(), strict=True)
    ):
        if field is not None and cells[number] != values[place]:
            # What was found there has been changed since.
            continue
        yield Remark(
            record,
            field,
            finding.severity,
            finding.rule,
            values[place],
            messages[place],
            nearest[place],
            int(finding.origin.source[place]),
            int(finding.origin.record[place]),
        )
