"""What each figure of a rollup was drawn from, for tracing it back."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gruff_ledger.columns.types import Mask
from gruff_ledger.outcome import Drawn, Span
from gruff_ledger.table import Origin
from gruff_ledger.work.together.rollup.cube import Cube, end_to_end
from gruff_ledger.work.together.rollup.labels import Sides
from gruff_ledger.work.together.rollup.layout import kinds_of_rows, row_order
from gruff_ledger.work.together.rollup.sources import Brought, counted_cells
from gruff_ledger.work.together.rollup.terms import RollupTerms


def find_drawn(
    terms: RollupTerms,
    brought: Sequence[Brought],
    sides: Sides,
    cube: Cube,
    headings: Sequence[str],
    stays: Mask,
) -> Drawn:
    """Return the records whose numbers are in the figures, in the order of the cube."""
    origins = []
    fields: dict[str, int] = {}
    codes = []
    for each in brought:
        for numbers in each.numbers:
            mine = counted_cells(terms, numbers)
            origins.append(each.table.origin.pick(mine))
            code = fields.setdefault(numbers.heading, len(fields))
            codes.append(np.full(len(origins[-1]), code, np.int64))
    at = row_order(terms, brought, sides, cube)[stays]
    kinds = np.zeros(len(at), np.int64)
    if terms.detail == "beneath":
        kinds = kinds_of_rows(terms, brought, sides, cube)[stays]
    rows = [
        _span(row if row < cube.shape[0] else -1, kind, len(brought))
        for row, kind in zip(at.tolist(), kinds.tolist(), strict=True)
    ]
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
        _spans_across(terms, brought, sides, headings),
        figure=terms.figure,
    )


def _spans_across(
    terms: RollupTerms,
    brought: Sequence[Brought],
    sides: Sides,
    headings: Sequence[str],
) -> dict[str, Span]:
    """Return what is in each field of figures, in the order of `lay_out`."""
    codes = [*range(len(sides.across))]
    codes += [-1] if terms.totals in ("beside", "both") else []
    kinds = [0]
    if terms.detail not in ("none", "beneath"):
        for number in range(len(brought)):
            kinds.append(2 * number + 1)
            kinds += [2 * number + 2] if terms.change and number else []
    spans = [_span(code, kind, len(brought)) for code in codes for kind in kinds]
    labels = len(headings) - len(spans)
    return dict(zip(headings[labels:], spans, strict=True))


def _span(code: int, kind: int, lists: int) -> Span:
    """Return what is in figures of one kind; see `kinds_of_rows`."""
    if not kind:
        return Span(code, 0, lists - 1)
    number = (kind - 1) // 2
    is_change = kind % 2 == 0
    return Span(code, number - is_change, number, is_change)
