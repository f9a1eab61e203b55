"""What a piece of work did: the new list, and all that happened on the way.

Everything here is kept by columns, because a list of a million records can have a
million findings: one object stands for all that share a reason or a rule.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import StrEnum
from typing import Any

import msgspec

from gruff_ledger.columns.arrays import constant_column
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.credentials import hide_credentials
from gruff_ledger.table import Origin, Table


class Severity(StrEnum):
    """How bad a finding is, in rising order."""

    NOTE = "note"
    WARN = "warn"
    STOP = "stop"

    @property
    def rank(self) -> int:
        """How bad it is, from 0."""
        return _RANKS[self]


_RANKS = {severity: rank for rank, severity in enumerate(Severity)}


class SetAside(msgspec.Struct, frozen=True, eq=False):
    """
    Records taken out of the list for one reason.

    Attributes
    ----------
    reason : str
    table : Table, n records
        The records as they were when they were taken out.
    kept : Origin, n records, optional
        For each, the record that stays in its place.
    text : tuple of str, n records, optional
        For each, its text as it was in the source, where its cells do not fit the
        headings.
    """

    reason: str
    table: Table
    kept: Origin | None = None
    text: tuple[str, ...] | None = None


class Finding(msgspec.Struct, frozen=True, eq=False):
    """
    One rule's remark on n cells or records.

    Attributes
    ----------
    rule : str
        The rule in the person's words, such as ``Berth is required``.
    severity : Severity
    message : str
    field : str
        Heading of the field, or empty when the remark is on the whole record.
    origin : Origin, n records
    value : Column of n texts
        The cell that was found.
    said : Column of n texts, optional
        The message on each, where it is not the same for all.
    nearest : Column of n texts, optional
        For each, the value that may have been meant, or blank.
    says_nearest : bool
        Whether its messages name that already.
    is_noted : bool
        Whether a note of the same work says it too: a page then shows that one only.
    """

    rule: str
    severity: Severity
    message: str
    field: str
    origin: Origin
    value: Column
    said: Column | None = None
    nearest: Column | None = None
    says_nearest: bool = False
    is_noted: bool = False

    @property
    def unsaid_nearest(self) -> Column | None:
        """The values that may have been meant, where its messages do not name them."""
        return None if self.says_nearest else self.nearest

    @property
    def messages(self) -> Column:
        """The message on each."""
        if self.said is not None:
            return self.said
        return constant_column(self.message, len(self.origin))


class Change(msgspec.Struct, frozen=True, eq=False):
    """Cells of one field that an entry changed: n records, what was and what is now."""

    field: str
    origin: Origin
    was: Column
    now: Column


# The topic of what a list's own line says as well: where it begins.
LAYOUT = "layout"


class Note(msgspec.Struct, frozen=True, eq=False):
    """
    Something the person should know, and what settles it.

    Attributes
    ----------
    what : str
    remedy : str
        The option that changes it, in backquotes, or empty.
    origin : Origin, optional
        The records it is about; the first few are shown.
    value : Column of as many texts, optional
        The cell of each that it is about.
    warning : bool
        True where a choice could be wrong, rather than plain information.
    topic : str
        What it is about, where work can settle it: then it is not said; see
        `Terms.settles`.
    is_headline : bool
        Whether it says what the work came to: a page says that first.
    """

    what: str
    remedy: str = ""
    origin: Origin | None = None
    value: Column | None = None
    warning: bool = False
    topic: str = ""
    is_headline: bool = False

    def __post_init__(self) -> None:
        """Take passwords out: what is noted is shown and kept."""
        for name in ("what", "remedy"):
            said = getattr(self, name)
            shown = hide_credentials(said)
            if shown != said:
                msgspec.structs.force_setattr(self, name, shown)


class Span(msgspec.Struct, frozen=True, array_like=True):
    """
    Which of the parts that figures were made of are in one record or field of them.

    Attributes
    ----------
    code : int
        The group, or -1 for all groups.
    first, last : int
        Of the lists, counted from 0.
    is_change : bool
        Whether it is what changed from the first of them to the last.
    """

    code: int
    first: int
    last: int
    is_change: bool = False


class Drawn(msgspec.Struct, frozen=True, eq=False):
    """
    The n records that a result was drawn from, beside the origins of its own records.

    Attributes
    ----------
    origin : Origin, n records
    row : ndarray of int, shape (n,)
        The group down that each is in; the position of a record of the result where
        `rows` does not say otherwise.
    column, part : ndarray of int, shape (n,), optional
        The group across that each is in, and the list it came from.
    values : ndarray of int, shape (n,), optional
        What was added up, in units of the `scale`-th decimal.
    field : ndarray of int, shape (n,), optional
        The field each value stands in, as a position in `fields`.
    rows : tuple of Span, one a record of the result
        What is in each record; empty where that is the group of its position.
    headings : mapping of str to Span
        What is in each field of figures.
    taken : mapping of str to str
        For fields that were copied: the heading in the result, and where the records
        that they were drawn from have it.
    figure : str
        What was worked out of the values, such as ``sum``.
    """

    origin: Origin
    row: Indices
    column: Indices | None = None
    part: Indices | None = None
    values: Indices | None = None
    scale: int = 0
    field: Indices | None = None
    fields: tuple[str, ...] = ()
    rows: tuple[Span, ...] = ()
    headings: Mapping[str, Span] = {}
    taken: Mapping[str, str] = {}
    figure: str = ""


class Lineage(msgspec.Struct, frozen=True, eq=False):
    """
    How a result comes from the lists that were given, beside the origins of records.

    Attributes
    ----------
    summed : int, optional
        For work whose result holds figures on records, and not the records: how many
        records are in the figures. Its equation is records in = summed + set aside.
    made : int
        For work that makes several records of one: how many more there are than came
        in. They have the origin of the record they were made of.
    renamed : tuple of mapping
        For each list that was given, fields that are under another heading now: what
        it was, and what it is.
    carried : mapping
        For work that adds fields up: by their headings, the sum that is in the result,
        as a whole number and the decimals it has.
    drawn : callable, optional
        Returns what the result was drawn from, for tracing it back; called only where
        a ledger is kept, and at once.
    """

    summed: int | None = None
    made: int = 0
    renamed: tuple[Mapping[str, str], ...] = ()
    carried: Mapping[str, tuple[int, int]] = {}
    drawn: Callable[[], Drawn] | None = None


class Outcome(msgspec.Struct, frozen=True, eq=False):
    """
    All that a piece of work did; the lists it was given are unchanged.

    Attributes
    ----------
    table : Table
    aside : tuple of SetAside
    changes : tuple of Change
    findings : tuple of Finding
    notes : tuple of Note
    lineage : Lineage
        What became of records and fields, for what follows them through a run.
    measured : str
        The heading of the field that tells how many records each one stands for; a
        screen can draw it.
    detail : object
        What the work found beside its table, for the further outputs of its verb.
    beside : mapping
        By their keys, functions that return the lists that the verb makes beside its
        table; see `gruff_ledger.work.verb.Beside`.
    """

    table: Table
    aside: tuple[SetAside, ...] = ()
    changes: tuple[Change, ...] = ()
    findings: tuple[Finding, ...] = ()
    notes: tuple[Note, ...] = ()
    lineage: Lineage = Lineage()
    measured: str = ""
    detail: Any = None
    beside: Mapping[str, Callable[[], Table]] = {}
