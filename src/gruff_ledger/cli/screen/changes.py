"""The changes of cells as a table: what they were, and what they are now."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from rich import box
from rich.console import Group, RenderableType
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.words import SourcePlaces
from gruff_ledger.cli.screen.listing import Window, cut_cell, records_in
from gruff_ledger.outcome import Change
from gruff_ledger.words import counted, number_words, show_spaces, visible

# Cells of a field that are looked at for changes that are alike.
_TRIED_CELLS = 10_000


class _Changed(NamedTuple):
    """Cells of one field that were the same and are the same now."""

    field: str
    was: str
    now: str
    place: str
    cells: int


def changes_view(
    changes: Sequence[Change], sources: SourcePlaces, window: Window
) -> RenderableType:
    """Lay out the changes of each field, those that are alike once."""
    most = records_in(window)
    shown = _share_room([_alike(each, sources) for each in changes], most)
    cells = sum(len(each.origin) for each in changes)
    rest = cells - sum(each.cells for each in shown)
    told = [Text(f"{counted(rest, 'more cell')} changed")] if rest else []
    return Group(_table(shown, window.width), *told)


def _alike(change: Change, sources: SourcePlaces) -> list[_Changed]:
    """Return the changes of a field, those that are alike as one, in order."""
    first: dict[tuple[str, str], list[int]] = {}
    was = change.was.slice(0, _TRIED_CELLS).to_pylist()
    now = change.now.slice(0, _TRIED_CELLS).to_pylist()
    for index, pair in enumerate(zip(was, now, strict=True)):
        first.setdefault(pair, []).append(index)
    several = len(np.unique(change.origin.source)) > 1
    return [
        _Changed(
            change.field,
            *pair,
            visible(sources.cite(change.origin, at[0], with_name=several)),
            len(at),
        )
        for pair, at in first.items()
    ]


def _share_room(fields: Sequence[list[_Changed]], most: int) -> list[_Changed]:
    """Return the first changes of all fields, as many of each as there is room for."""
    room, counts = most, [0] * len(fields)
    # The shortest first: what one does not need is for those that are longer.
    shortest = sorted(range(len(fields)), key=lambda place: len(fields[place]))
    for done, place in enumerate(shortest):
        counts[place] = min(len(fields[place]), room // (len(fields) - done))
        room -= counts[place]
    return [
        each
        for changes, count in zip(fields, counts, strict=True)
        for each in changes[:count]
    ]


def _table(shown: Sequence[_Changed], width: int) -> ScreenTable:
    texts = [
        (
            each.place,
            visible(each.field),
            show_spaces(each.was),
            show_spaces(each.now),
            number_words(each.cells),
        )
        for each in shown
    ]
    # Two texts share what place, field and count leave of the window.
    part = max(12, (width - 40) // 2)
    view = ScreenTable(
        ScreenColumn("row", no_wrap=True),
        ScreenColumn("field", no_wrap=True),
        ScreenColumn("was", no_wrap=True),
        ScreenColumn("now", no_wrap=True, style="bold"),
        ScreenColumn("cells", justify="right", no_wrap=True),
        box=box.SIMPLE_HEAD,
        pad_edge=False,
    )
    for row in _without_repeats(texts):
        view.add_row(*(Text(cut_cell(cell, part)) for cell in row))
    return view


def _without_repeats(rows: Sequence[tuple[str, ...]]) -> Iterator[tuple[str, ...]]:
    """Yield rows whose field stands once, at the first of it."""
    before = None
    for place, field, *others in rows:
        yield (place, "" if field == before else field, *others)
        before = field
