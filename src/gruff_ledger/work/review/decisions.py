"""What a person decided about records that may be the same, kept and recognised.

A file of decisions is JSON Lines (UTF-8, one JSON object a line): ``decision`` is
``same``, ``different`` or ``value``; ``one`` and ``other`` hold both records as they
were then. A decision is recognised by the cells of its records, wherever they stand in
the list and whichever source they came from; where a cell has changed, it is stale.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

import msgspec
import numpy as np

from gruff_ledger.cells.keys.same_key import first_with_same_key
from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.columns.types import Indices
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table

Verdict = Literal["same", "different", "value"]


class Decision(msgspec.Struct, frozen=True, omit_defaults=True):
    """
    One decision about two records.

    Attributes
    ----------
    decision : str
        ``same``; ``different``; or ``value``, of a field in which copies differ.
    one, other : dict
        The records, by heading.
    field, value : str
        For ``value``: which field, and the cell that is right.
    decided : str
        When, ISO 8601 in UTC.
    """

    decision: Verdict
    one: dict[str, str]
    other: dict[str, str]
    field: str = ""
    value: str = ""
    decided: str = ""


def read_decisions(path: str, data: bytes | None) -> list[Decision]:
    """
    Read a file of decisions; one that is not there has none.

    Raises
    ------
    BadTerms
        If a line is no decision; the line is named.
    """
    found = []
    text = (data or b"").removeprefix(b"\xef\xbb\xbf")
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        try:
            found.append(msgspec.json.decode(line, type=Decision))
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            raise BadTerms(
                f"{path}, line {number}: it is not a decision: "
                f"{str(error).rstrip('.')}.",
                "Correct the line, or take it out: what it decided is asked again.",
                term="decisions",
            ) from error
    return found


def write_decisions(decisions: Sequence[Decision]) -> bytes:
    """Return the text of a file of decisions."""
    return b"".join(msgspec.json.encode(each) + b"\n" for each in decisions)


def added(before: Sequence[Decision], new: Sequence[Decision]) -> list[Decision]:
    """Return decisions with new ones among them, which take the place of old ones."""
    kept = {_about(each): each for each in before}
    for each in new:
        kept.pop(_about(each), None)
        kept[_about(each)] = each
    return list(kept.values())


def without(before: Sequence[Decision], gone: Sequence[Decision]) -> list[Decision]:
    """Return decisions less those that were taken back; later ones are left alone."""
    return [each for each in before if each not in gone]


def _about(decision: Decision) -> tuple[object, ...]:
    """Return what a decision is about, whichever record stands first."""
    sides = sorted(
        tuple(sorted(side.items())) for side in (decision.one, decision.other)
    )
    return (*sides, decision.field)


class Recognised(NamedTuple):
    """
    Decisions on the records of a list.

    Attributes
    ----------
    same, different : list of pairs of indices
    values : list of (index, index, field, value)
    stale : list of Decision
        Those on records that are not there as they were.
    """

    same: list[tuple[int, int]]
    different: list[tuple[int, int]]
    values: list[tuple[int, int, str, str]]
    stale: list[Decision]


def recognise(
    table: Table, decisions: Sequence[Decision], apart_from: Sequence[str] = ()
) -> Recognised:
    """
    Find the records of a list that decisions are about.

    Parameters
    ----------
    table : Table
    decisions : sequence of Decision
    apart_from : sequence of str
        Headings of fields that do not count, beside those that tell where a record
        came from.

    Returns
    -------
    Recognised
        A decision on cells that several records have is about all of them.
    """
    ignored = {*apart_from, *table.from_source}
    fields = [heading for heading in table.headings if heading not in ignored]
    found = Recognised([], [], [], [])
    for names, some in _by_fields(decisions, fields):
        where = _places(table, names, some)
        for place, decision in enumerate(some):
            ones, others = where[2 * place], where[2 * place + 1]
            if not len(ones) or not len(others):
                found.stale.append(decision)
                continue
            for one, other in _pairs(ones, others):
                if decision.decision == "same":
                    found.same.append((one, other))
                elif decision.decision == "different":
                    found.different.append((one, other))
                else:
                    found.values.append((one, other, decision.field, decision.value))
    return found


def _by_fields(
    decisions: Sequence[Decision], fields: Sequence[str]
) -> Iterator[tuple[tuple[str, ...], list[Decision]]]:
    """Yield decisions by the fields that they and the list have."""
    groups: dict[tuple[str, ...], list[Decision]] = {}
    for each in decisions:
        names = tuple(
            field for field in fields if field in each.one and field in each.other
        )
        groups.setdefault(names, []).append(each)
    yield from groups.items()


def _places(
    table: Table, names: Sequence[str], decisions: Sequence[Decision]
) -> list[Indices]:
    """Return where each record of some decisions is, two a decision, in order."""
    if not names or not len(table):
        return [np.zeros(0, np.int64)] * (2 * len(decisions))
    sides = [side for each in decisions for side in (each.one, each.other)]
    columns = [
        concat_columns([text_column(side[name] for side in sides), table.cells(name)])
        for name in names
    ]
    # The records decided on stand first: who has one of them as its first, is like it.
    first = first_with_same_key(columns)
    mine, theirs = first[: len(sides)], first[len(sides) :]
    hits = np.flatnonzero(theirs < len(sides))
    order = hits[np.argsort(theirs[hits], kind="stable")]
    groups = dict(
        zip(
            np.unique(theirs[order]).tolist(),
            np.split(order, np.flatnonzero(np.diff(theirs[order])) + 1),
            strict=False,
        )
    )
    none = np.zeros(0, np.int64)
    return [groups.get(place, none) for place in mine.tolist()]


def _pairs(ones: Indices, others: Indices) -> Iterator[tuple[int, int]]:
    for one in ones.tolist():
        for other in others.tolist():
            if one < other or (one > other and other not in ones):
                yield min(one, other), max(one, other)


def record_of(
    table: Table, index: int, apart_from: Sequence[str] = ()
) -> dict[str, str]:
    """Return the cells of a record by heading, as a decision keeps them."""
    ignored = {*apart_from, *table.from_source}
    (cells,) = table.records(index, index + 1)
    return {
        heading: cell
        for heading, cell in zip(table.headings, cells, strict=True)
        if heading not in ignored
    }
