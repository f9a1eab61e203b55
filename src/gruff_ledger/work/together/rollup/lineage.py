"""What each figure of a rollup was drawn from, for tracing it back."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.columns.types import Mask
from gruff_ledger.outcome import Drawn, Span
from gruff_ledger.table import Origin
from gruff_ledger.work.together.rollup.cube import Cube, end_to_end
from gruff_ledger.work.together.rollup.layout import Layout
from gruff_ledger.work.together.rollup.sources import Brought, find_counted_cells
from gruff_ledger.work.together.rollup.terms import RollupTerms


def find_drawn(
    terms: RollupTerms,
    brought: Sequence[Brought],
    cube: Cube,
    layout: Layout,
    stays: Mask,
) -> Drawn:
    """Return the records whose numbers are in the figures, in the order of the cube."""
    origins = []
    fields: dict[str, int] = {}
    codes = []
    for each in brought:
        for numbers in each.numbers:
            mine = find_counted_cells(terms, numbers)
            origins.append(each.table.origin.pick(mine))
            code = fields.setdefault(numbers.heading, len(fields))
            codes.append(np.full(len(origins[-1]), code, np.int64))
    shown = zip(
        layout.rows[stays].tolist(), layout.row_kinds[stays].tolist(), strict=True
    )
    rows = [
        _span(row if row < cube.shape[0] else -1, kind, len(brought))
        for row, kind in shown
    ]
    across = [_span(code, kind, len(brought)) for code, kind in layout.figures]
    return Drawn(
        Origin.concat(origins),
        cube.row,
        cube.column,
        cube.source,
        cube.values.values,
        cube.values.scale,
        end_to_end(codes),
        tuple(fields),
        tuple(rows),
        dict(zip(layout.headings[layout.labels :], across, strict=True)),
        figure=terms.figure,
    )


def _span(code: int, kind: int, lists: int) -> Span:
    """Return what is in figures of one kind; see `Layout`."""
    if not kind:
        return Span(code, 0, lists - 1)
    number = (kind - 1) // 2
    is_change = kind % 2 == 0
    return Span(code, number - is_change, number, is_change)
