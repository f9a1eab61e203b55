"""What is answered to a question about a trail."""

from __future__ import annotations

import msgspec


class Place(msgspec.Struct, frozen=True):
    """
    A record of a source.

    Attributes
    ----------
    source, address : str
    record : int
        From 1 below the heading.
    row : int, optional
        Counted from 1 in the source with all rows, where its format knows rows.
    cells : dict of str to str
        As they were read, by heading.
    text : str
        The record as a line, with the delimiter of its source; as it was written,
        where its cells did not fit the headings.
    """

    source: str
    address: str
    record: int
    row: int | None = None
    cells: dict[str, str] = {}
    text: str = ""

    @property
    def brief(self) -> Place:
        """The same place, without what stands there."""
        return Place(self.source, self.address, self.record, self.row)


class Step(msgspec.Struct, frozen=True):
    """
    One step of the way of a cell, from its source to the result.

    Attributes
    ----------
    what : str
        ``source``, ``blank`` (the list has no such field), ``changed``, ``made``, or
        ``lost`` where the ledger is damaged.
    entry : str
        The entry that did it, such as ``2 scrub``; empty for a source.
    field : str
        As it was called there.
    was, now : str, optional
        None where that is not known.
    by : str
        More on how, such as the formula.
    place : Place, optional
        The record that the cell was read in, or was looked up in.
    """

    what: str
    entry: str = ""
    field: str = ""
    was: str | None = None
    now: str | None = None
    by: str = ""
    place: Place | None = None


class Part(msgspec.Struct, frozen=True):
    """A record that went into a figure: what it brought, and from which field."""

    place: Place
    field: str = ""
    value: str = ""


class Parts(msgspec.Struct, frozen=True):
    """
    What a figure was drawn from.

    Attributes
    ----------
    entry, figure : str
    count : int
        How many records there are; `shown` holds the first of them.
    total : str, optional
        The exact sum of what they brought, where numbers were added up.
    """

    entry: str
    figure: str
    count: int
    shown: tuple[Part, ...]
    total: str | None = None


class Cell(msgspec.Struct, frozen=True):
    """A cell of a result: its value, and the way it came, the first step first."""

    field: str
    value: str | None
    steps: tuple[Step, ...]
    parts: Parts | None = None


class Folded(msgspec.Struct, frozen=True):
    """A record that another one stands for: which entry did that, and why."""

    place: Place
    entry: str
    reason: str


class Remark(msgspec.Struct, frozen=True):
    """A finding on a record."""

    entry: str
    severity: str
    field: str
    message: str


class Traced(msgspec.Struct, frozen=True):
    """
    A record of a result, traced back.

    Attributes
    ----------
    result : str
        The address of the result.
    record : int
        Its number there, from 1.
    cells : tuple of Cell
    places : tuple of Place
        The records of sources that it is.
    folded : tuple of Folded
        The records that it stands for.
    parts : Parts, optional
        For figures: the records that are in them.
    remarks : tuple of Remark
    missing : tuple of str
        Parts of the ledger that were needed, and are missing or damaged.
    ledger, started : str
        The ledger that tells it, and when its run was begun.
    """

    result: str
    record: int
    cells: tuple[Cell, ...]
    places: tuple[Place, ...]
    folded: tuple[Folded, ...]
    parts: Parts | None
    remarks: tuple[Remark, ...]
    missing: tuple[str, ...] = ()
    ledger: str = ""
    started: str = ""


class Fate(msgspec.Struct, frozen=True):
    """
    What became of a record of a source, on one of its ways.

    Attributes
    ----------
    what : str
        ``out``, ``aside``, ``folded``, ``figures``, ``made``, ``drawn``, ``idle`` (it
        was looked into, and drawn for none) or ``end``.
    at : str
        The entry, or the address of the result.
    record : int, optional
        Its number there, or that of the record it was folded into.
    reason : str
    place : Place, optional
        The record that it was folded into.
    count : int
        How many records were made of it, or drawn from it.
    is_others : bool
        Whether it became of the record that this one was folded into, and not of
        itself.
    """

    what: str
    at: str
    record: int | None = None
    reason: str = ""
    place: Place | None = None
    count: int = 1
    is_others: bool = False


class Sent(msgspec.Struct, frozen=True):
    """A record of a source, and all that became of it."""

    place: Place
    fates: tuple[Fate, ...]
    remarks: tuple[Remark, ...]
    missing: tuple[str, ...] = ()
    ledger: str = ""
    started: str = ""
