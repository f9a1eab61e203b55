"""What is to be decided by a person: pairs of records, and values of copies."""

from __future__ import annotations

from typing import NamedTuple

from gruff_ledger.table import Table


class Question(NamedTuple):
    """
    Whether two records are the same, or which value of a field is right.

    Attributes
    ----------
    group : int
        The number of the group that the records are in, from 1.
    one, other : int
        Indices of the records; the first would be kept.
    score : float or None
        How much alike they are, 0 to 100, where that was worked out.
    why : str
        The score, field by field.
    field : str
        Of a value that is to be chosen; empty where the records are asked about.
    values : tuple of str
        To choose from.
    """

    group: int
    one: int
    other: int
    score: float | None = None
    why: str = ""
    field: str = ""
    values: tuple[str, ...] = ()


class Questions(NamedTuple):
    """
    All that is open after an entry.

    Attributes
    ----------
    table : Table
        The list that the records are in.
    all : tuple of Question
    decisions : str
        The file that answers go to; empty for none.
    apart_from : tuple of str
        Fields that do not count when a decision is recognised.
    """

    table: Table
    all: tuple[Question, ...]
    decisions: str
    apart_from: tuple[str, ...]
