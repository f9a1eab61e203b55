"""Regular cells, and those that the library read, put together as columns."""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.text_bytes import are_filled
from gruff_ledger.columns.arrays import concat_columns, taken, text_column
from gruff_ledger.columns.types import Column, Mask


class Cells(msgspec.Struct, frozen=True, eq=False):
    """
    Cells of a tab that were read.

    Attributes
    ----------
    rows, cols : ndarray of int64, shape (n,)
        Where each stands, from 1.
    texts : Column, n cells
    is_number : ndarray of bool, shape (n,)
    """

    rows: npt.NDArray[np.int64]
    cols: npt.NDArray[np.int64]
    texts: Column
    is_number: Mask


def merge_cells(
    regular: Cells,
    others: tuple[tuple[Column, ...], tuple[Mask, ...]],
    first: tuple[int, int],
) -> tuple[tuple[Column, ...], tuple[Mask, ...], tuple[int, int]]:
    """
    Put the regular cells of a tab and the others together.

    Parameters
    ----------
    regular : Cells
    others : tuple of columns and masks
        As `grid.text_columns` gives them; none where there are no others.
    first : tuple of int
        Row and column of the first of the others, from 1.

    Returns
    -------
    columns : tuple of Column
    numbers : tuple of ndarray of bool
    first : tuple of int
        Row and column of the first cell of all.
    """
    other_columns, other_numbers = others
    height = len(other_columns[0]) if other_columns else 0
    tops = [int(regular.rows.min())] if len(regular.rows) else []
    lefts = [int(regular.cols.min())] if len(regular.cols) else []
    bottoms = [int(regular.rows.max())] if len(regular.rows) else []
    rights = [int(regular.cols.max())] if len(regular.cols) else []
    if height:
        tops.append(first[0])
        lefts.append(first[1])
        bottoms.append(first[0] + height - 1)
        rights.append(first[1] + len(other_columns) - 1)
    if not tops:
        return (), (), first
    top, left, bottom, right = min(tops), min(lefts), max(bottoms), max(rights)
    rows = bottom - top + 1
    order = np.argsort(regular.cols, kind="stable")
    bounds = np.searchsorted(regular.cols[order], np.arange(left, right + 2))
    texts = taken(regular.texts, order)
    columns: list[Column] = []
    numbers: list[Mask] = []
    for place in range(right - left + 1):
        mine = order[bounds[place] : bounds[place + 1]]
        places = np.full(rows, -1, np.int64)
        is_number = np.zeros(rows, np.bool_)
        at = regular.rows[mine] - top
        places[at] = np.arange(len(mine))
        is_number[at] = regular.is_number[mine]
        parts = [texts.slice(bounds[place], len(mine))]
        other = place + left - first[1]
        if height and 0 <= other < len(other_columns):
            theirs = other_columns[other]
            filled = np.flatnonzero(are_filled(theirs))
            where = filled + first[0] - top
            places[where] = len(mine) + filled
            is_number[where] = other_numbers[other][filled]
            parts.append(theirs)
        size = sum(map(len, parts))
        places[places < 0] = size
        columns.append(taken(concat_columns([*parts, text_column([""])]), places))
        numbers.append(is_number)
    return tuple(columns), tuple(numbers), (top, left)
