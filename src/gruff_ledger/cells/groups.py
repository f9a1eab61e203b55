"""Cells of a field that have something in common: how many, and the first of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple, TypeVar

import numpy as np

from gruff_ledger.columns.types import Indices, Mask


class Group(NamedTuple):
    """
    Cells that have something in common.

    Attributes
    ----------
    size : int
    first : int
        Where the first of them is, counted from 0.
    """

    size: int
    first: int

    @classmethod
    def of_mask(cls, mask: Mask) -> Group:
        """Return the marked cells as a group; there is at least one."""
        return cls(int(np.count_nonzero(mask)), int(np.argmax(mask)))

    @classmethod
    def of(cls, mask: Mask) -> Group | None:
        """Return the marked cells as a group, or None where there are none."""
        return cls.of_mask(mask) if mask.any() else None

    def plus(self, other: Group) -> Group:
        """Return both as one."""
        return Group(self.size + other.size, min(self.first, other.first))

    def at(self, places: Indices) -> Group:
        """Return the group as one of the whole field, of which these were the cells."""
        return Group(self.size, int(places[self.first]))


_Key = TypeVar("_Key")


def add_groups(
    groups: dict[_Key, Group], others: Mapping[_Key, Group], places: Indices
) -> None:
    """Add the groups of cells that stand at some places to those of all cells."""
    for key, group in others.items():
        mine = group.at(places)
        groups[key] = groups[key].plus(mine) if key in groups else mine
