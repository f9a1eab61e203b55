"""The parts of the page that can be too large for it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import msgspec

from gruff_ledger.account.ledger import Account
from gruff_ledger.columns.types import Column
from gruff_ledger.outcome import SetAside
from gruff_ledger.table import Origin
from gruff_ledger.words import visible

# What one part of the page may take, and all charts together; with the rest of the page
# that stays below 3 MB.
PART_BYTES = 250_000

# Rows of one part: more would be looked for in the ledger's files.
MOST_ROWS = 250

# Longer cells are cut; fields beyond this are counted.
_CELL_CHARS = 300
_MOST_FIELDS = 40


class Part(msgspec.Struct):
    """
    The first rows of a part of the page.

    Attributes
    ----------
    rows : list of dict
    total : int
        How many there are in all.
    """

    rows: list[dict[str, Any]]
    total: int

    @property
    def left(self) -> int:
        """How many are not on the page."""
        return self.total - len(self.rows)


def within_bounds(rows: Iterable[dict[str, Any]], total: int) -> Part:
    """Take the rows that fit, at least one."""
    taken: list[dict[str, Any]] = []
    size = 0
    for row in rows:
        size += sum(size_words(value) for value in row.values())
        if taken and (size > PART_BYTES or len(taken) >= MOST_ROWS):
            break
        taken.append(row)
    return Part(taken, total)


def _share(sizes: Sequence[int]) -> int:
    """Return how many rows each of several may have, so that none fills the page."""
    if sum(sizes) <= MOST_ROWS:
        return MOST_ROWS
    return max(5, MOST_ROWS // len(sizes))


def size_words(value: Any) -> int:
    """Return about how many bytes a value takes on the page."""
    # An escaped character takes up to six, and the cell around it twenty.
    if isinstance(value, str):
        more = sum(map(value.count, "<>&\"'"))
        return len(value.encode("utf-8", "replace")) + 5 * more + 20
    return 30


def cut_text(text: str, most: int = _CELL_CHARS) -> str:
    """Return a text that is safe to show, cut to so many characters."""
    shown = text if len(text) <= most else f"{text[: most - 1]}…"
    return visible(shown)


class _Places:
    """Says where records are: the source, its record number, its row."""

    def __init__(self, account: Account) -> None:
        self._names = account.source_names
        self._above = [line.facts.get("heading_row") for line in account.sources]

    def of(self, origin: Origin, most: int) -> Iterator[dict[str, Any]]:
        """Yield the places of the first records."""
        for source, record in zip(
            origin.source[:most].tolist(), origin.record[:most].tolist(), strict=True
        ):
            yield self.at(source, record)

    def at(self, source: int, record: int) -> dict[str, Any]:
        """Return the place of one record."""
        above = self._above[source]
        return {
            "source": cut_text(self._names[source]),
            "record": record,
            "row": None if above is None else above + record,
        }


def _texts(column: Column | None, n: int) -> list[str]:
    """Return the first cells of a column, as they are shown."""
    if column is None:
        return [""] * n
    return [cut_text(text) for text in column.slice(0, n).to_pylist()]


def findings_part(account: Account) -> Part:
    """Take the first findings of every rule, the worst rules first."""
    places = _Places(account)
    pairs = [(line, found) for line in account.lines() for found in line.findings]
    rank = {"stop": 0, "warn": 1, "note": 2}
    pairs.sort(key=lambda pair: rank[str(pair[1].severity)])
    total = sum(len(found.origin) for _, found in pairs)
    share = _share([len(found.origin) for _, found in pairs])

    def rows() -> Iterator[dict[str, Any]]:
        for line, found in pairs:
            n = min(share, len(found.origin))
            for place, value, message, nearest in zip(
                places.of(found.origin, n),
                _texts(found.value, n),
                _texts(found.messages, n),
                _texts(found.nearest, n),
                strict=True,
            ):
                yield {
                    **place,
                    "severity": str(found.severity),
                    "field": cut_text(found.field),
                    "value": value,
                    "message": message,
                    "nearest": nearest,
                    "entry": cut_text(line.label),
                }

    return within_bounds(rows(), total)


def aside_part(account: Account) -> Part:
    """Take the first records set aside, for each reason."""
    places = _Places(account)
    pairs = [(line, each) for line in account.lines() for each in line.aside]
    total = sum(len(each.table) for _, each in pairs)
    share = _share([len(each.table) for _, each in pairs])

    def rows() -> Iterator[dict[str, Any]]:
        for line, each in pairs:
            n = min(share, len(each.table))
            kept = [""] * n
            if each.kept is not None:
                kept = [_place_words(place) for place in places.of(each.kept, n)]
            cells = _cells_of(each, n)
            for number, place in enumerate(places.of(each.table.origin, n)):
                yield {
                    **place,
                    "entry": cut_text(line.label),
                    "reason": cut_text(each.reason),
                    "kept": kept[number],
                    "cells": cells[number],
                }

    return within_bounds(rows(), total)


def _place_words(place: dict[str, Any]) -> str:
    row, record = place["row"], place["record"]
    where = f"record {record}" if row is None else f"row {row}"
    return f"{place['source']}, {where}"


def _cells_of(aside: SetAside, n: int) -> list[str]:
    """Return the first records as text: each filled cell with its heading."""
    if aside.text is not None:
        return [cut_text(text) for text in aside.text[:n]]
    table = aside.table
    few = table.pick_first(n)
    return [
        cut_text(
            "; ".join(
                f"{heading}: {cell}"
                for heading, cell in zip(table.headings, cells, strict=True)
                if cell
            ),
            1000,
        )
        for cells in few.records()
    ]


def changes_part(account: Account) -> Part:
    """Take the first changed cells of every entry and field."""
    places = _Places(account)
    found = [(line.label, each) for line in account.lines() for each in line.changes]
    found += [
        (f"writing {out.address}", each) for out in account.outs for each in out.changes
    ]
    total = sum(len(each.origin) for _, each in found)
    share = _share([len(each.origin) for _, each in found])

    def rows() -> Iterator[dict[str, Any]]:
        for label, each in found:
            n = min(share, len(each.origin))
            for place, was, now in zip(
                places.of(each.origin, n),
                _texts(each.was, n),
                _texts(each.now, n),
                strict=True,
            ):
                yield {
                    **place,
                    "field": cut_text(each.field),
                    "was": was,
                    "now": now,
                    "entry": cut_text(label),
                }

    return within_bounds(rows(), total)


def groups_part(account: Account) -> dict[str, Any]:
    """Lay out the records that were folded into others beside those that stay."""
    places = _Places(account)
    sets = []
    shown = total = size = 0
    for line in account.entries:
        for found in line.groups:
            total += found.total
            headings = found.headings[:_MOST_FIELDS]
            groups = []
            for group in found.groups:
                kept = group[0].cells
                rows = []
                for member in group:
                    cells = [
                        (
                            cut_text(member.cells.get(heading, "")),
                            member.cells.get(heading, "") != kept.get(heading, ""),
                        )
                        for heading in headings
                    ]
                    size += sum(size_words(text) for text, _ in cells)
                    rows.append(
                        {**places.at(member.source, member.record), "cells": cells}
                    )
                if size > PART_BYTES and shown:
                    break
                shown += len(group) - 1
                groups.append(rows)
            if groups:
                sets.append(
                    {
                        "label": cut_text(line.label),
                        "reason": cut_text(found.reason),
                        "headings": [cut_text(heading) for heading in headings],
                        "groups": groups,
                        "more_fields": len(found.headings) - len(headings),
                    }
                )
    return {"sets": sets, "shown": shown, "total": total, "left": total - shown}
