"""How much text work may make of a list.

Text that is joined with itself or replaced by more of it grows without end: a line of a
formula can ask for more than any machine has. What a list needs is never much more than
what it holds.
"""

from __future__ import annotations

import functools
from collections.abc import Iterable

from gruff_ledger.cells.text_bytes import chunk_of
from gruff_ledger.columns.types import Column
from gruff_ledger.table import Table

# A new field may take so much, whatever the list is; and so many times the list. All
# that is made on the way to it may take a few times of that.
_ALWAYS_BYTES = 1 << 28
_TIMES_THE_LIST = 16
_FIELDS_ON_THE_WAY = 4


class TooMuchText(Exception):
    """
    A new field would take more than it may.

    Parameters
    ----------
    most_bytes : int
    """

    def __init__(self, most_bytes: int) -> None:
        super().__init__(most_bytes)
        self.most_bytes = most_bytes

    @property
    def said(self) -> str:
        """What is wrong, in words."""
        most = self.most_bytes / 1e6
        return f"the texts that this makes would take more than {most:.0f} MB"


def text_bytes(column: Column) -> int:
    """Return how many bytes the cells of a column have."""
    return sum(len(chunk_of(chunk).bytes) for chunk in column.chunks)


class TextRoom:
    """
    The room for new texts beside a list.

    Parameters
    ----------
    table : Table
    """

    def __init__(self, table: Table) -> None:
        self._table = table
        self._made = 0

    @functools.cached_property
    def most_bytes(self) -> int:
        """How many bytes a new field may have."""
        held = sum(text_bytes(each) for each in self._table.all_cells)
        return max(_ALWAYS_BYTES, _TIMES_THE_LIST * held)

    def check(self, size_bytes: int) -> None:
        """
        Check the size that a new field would have at least.

        Raises
        ------
        TooMuchText
        """
        # The list is looked at only where it matters.
        if size_bytes > _ALWAYS_BYTES and size_bytes > self.most_bytes:
            raise TooMuchText(self.most_bytes)
        made = self._made + size_bytes
        most = _FIELDS_ON_THE_WAY * _ALWAYS_BYTES
        if made > most and made > _FIELDS_ON_THE_WAY * self.most_bytes:
            raise TooMuchText(_FIELDS_ON_THE_WAY * self.most_bytes)

    def take(self, size_bytes: int) -> None:
        """Check the size of a new field, and count it as made."""
        self.check(size_bytes)
        self._made += size_bytes

    def check_joined(self, columns: Iterable[Column], n: int) -> None:
        """
        Check the size of columns joined record by record.

        Parameters
        ----------
        columns : iterable of Column
            Each of n cells, or of one that stands for all.
        n : int
        """
        self.take(
            sum(
                text_bytes(column) * (n if len(column) == 1 else 1)
                for column in columns
            )
        )
