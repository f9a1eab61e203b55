"""Columns of which only some records are wanted, or in another order: later."""

from __future__ import annotations

from typing import Any, TypeGuard

import numpy as np

from gruff_ledger.columns.arrays import filter_column, taken
from gruff_ledger.columns.types import Column, Indices, Mask


class Pending:
    """
    A column that is made of another one when it is looked at.

    Most work looks at a few fields and drops a few records; copying the others each
    time would cost more than the work. Writing takes the records out stretch by
    stretch, so that the list and what is left of it are never both in memory. Of a
    sort, to pick up the cells of a record here and there is most of the work; a writer
    that makes lines of the records first, and then orders the lines, does it once a
    record rather than once a cell.

    Parameters
    ----------
    base : Column, n records
    which : ndarray of bool, shape (n,); or of int64, shape (m,)
        The records that are kept, as a mask; or all in their order, as indices. Shared
        by all columns that were narrowed or ordered together.
    """

    __slots__ = ("base", "made", "which")

    def __init__(self, base: Column, which: Mask | Indices) -> None:
        self.base = base
        self.which: Any = which
        self.made: Column | None = None

    @property
    def is_narrowed(self) -> bool:
        """Whether some records are kept, in their order."""
        return bool(self.which.dtype == np.bool_)

    def column(self) -> Column:
        """Return the records as they are wanted; from then on only they are held."""
        if self.made is None:
            make = filter_column if self.is_narrowed else taken
            self.made = make(self.base, self.which)
            self.base = None
        return self.made


Held = Any  # a Column, or Pending


def is_narrowed(held: Held) -> TypeGuard[Pending]:
    """Whether a field has records that are still to be taken out."""
    return isinstance(held, Pending) and held.made is None and held.is_narrowed


def column_of(held: Held) -> Column:
    """Return the array of a field, however it is held."""
    return held.column() if isinstance(held, Pending) else held
