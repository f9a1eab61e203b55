"""The format of a trail: what each of its lines says.

A trail is an archive (`TRAIL_FILE`). Its member `TRAIL_INDEX` is JSON, laid out as
`TrailIndex` here; all other members are *parts*, Arrow files that the index names. What
is not there is left out of a line, so that a line says no more than it must.

Records are told apart by *identities*: the position of their source, and their number
in it. Work that makes several records of one, or figures, makes new records; those are
numbered as if the entry were a source, under an identity of its own.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import msgspec

from gruff_ledger.columns.types import Indices
from gruff_ledger.outcome import Span

TRAIL_INDEX = "trail.json"

# The version of the layout of the file. In the first, no cells were packed.
TRAIL_VERSION = 2


class Who(NamedTuple):
    """One record: the position of its source or maker, and its number there."""

    source: int
    record: int


class Whos(NamedTuple):
    """Several records."""

    source: Indices
    record: Indices


class Line(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, eq=False):
    """A line of the index."""


class Counted(Line, frozen=True, kw_only=True):
    """Records that are counted through: so many of one source, from one on."""

    source: int
    first: int
    count: int


# Which record stands in each row: in short, or the name of the part that says it.
Rows = Counted | str


class ChangeLine(Line, frozen=True, kw_only=True):
    """Cells of a field that were changed; the part has records, was and now."""

    field: str
    part: str


class AsideLine(Line, frozen=True, kw_only=True):
    """
    Records that were set aside, or folded into others that the part names too.

    Those of a source have their cells in a part of their own, and their text where
    they did not fit the headings.
    """

    reason: str
    folded: bool
    part: str
    text: str | None = None
    headings: list[str] | None = None
    cells: str | None = None


class FindingLine(Line, frozen=True, kw_only=True):
    """What one rule found; the part has the records."""

    rule: str
    severity: str
    field: str
    message: str
    part: str


class DrawnLine(Line, frozen=True, kw_only=True):
    """What a result was drawn from; see `gruff_ledger.outcome.Drawn`."""

    part: str
    scale: int
    fields: list[str]
    rows: list[Span]
    headings: dict[str, Span]
    taken: dict[str, str]
    figure: str


class SourceLine(Line, frozen=True, kw_only=True):
    """
    A list that was read.

    Attributes
    ----------
    path : str, optional
        As it is seen from the ledger, where it is a file.
    cells : str
        The part with its cells, as they were read.
    records : Rows
        Which record stands in each row of that part.
    """

    name: str
    address: str
    path: str | None = None
    headings: list[str]
    cells: str
    records: Rows
    aside: list[AsideLine]
    findings: list[FindingLine]


class EntryLine(Line, frozen=True, kw_only=True):
    """
    What an entry did, or a list that it made beside its result.

    Attributes
    ----------
    lists : list of str
        The names of the lists it was given; `within` has the identities whose records
        may be in each, `renamed` their fields that are under another heading now, and
        `given` their headings.
    facts : dict
        What the account says of it; see `EntryFacts`.
    made : list of str
        Headings of the fields that no list given has; `cells` is the part with them.
    summed : int, optional
        How many records are in its figures, where it makes such.
    parents : Rows, optional
        The record that each new one was made of, where they are new.
    identity : int, optional
        That of the new records.
    rows : Rows, optional
        Which record stands in each row of `cells`, where they are not new.
    """

    label: str
    beside: str | None = None
    result: str
    lists: list[str]
    within: list[list[int]]
    renamed: list[dict[str, str]]
    given: list[list[str]]
    headings: list[str]
    facts: dict[str, Any]
    made: list[str]
    changes: list[ChangeLine]
    aside: list[AsideLine]
    findings: list[FindingLine]
    cells: str | None = None
    drawn: DrawnLine | None = None
    summed: int | None = None
    parents: Rows | None = None
    identity: int | None = None
    rows: Rows | None = None


class OutLine(Line, frozen=True, kw_only=True):
    """A list as it was written; `path` is seen from the ledger."""

    address: str
    path: str
    listed: str = msgspec.field(name="list")
    headings: list[str]
    records: int
    rows: Rows
    changes: list[ChangeLine]


class TrailIndex(Line, frozen=True, kw_only=True):
    """
    What the parts of a trail are.

    Attributes
    ----------
    trail : int
        The version of the layout.
    identities : list of str
        The names of sources, and the labels of entries that made records.
    account : dict
        The account of the run; see `AccountFacts`.
    """

    trail: int
    identities: list[str]
    sources: list[SourceLine]
    entries: list[EntryLine]
    outs: list[OutLine]
    account: dict[str, Any]


class EntryFacts(msgspec.Struct, frozen=True):
    """What tracing needs of the facts of an entry."""

    do: str = ""
    terms: dict[str, Any] = {}
    references: dict[str, str] = {}


class SourceFacts(msgspec.Struct, frozen=True):
    """What tracing needs of what the account says of a source."""

    size_bytes: int | None = None
    sha256: str | None = None
    records_in: int = 0
    heading_row: int | None = None
    delimiter: str | None = None


class OutFacts(msgspec.Struct, frozen=True):
    """Size and time of a result as the run left it."""

    path: str
    size_bytes: int
    modified_ns: int


class MadeFromFacts(msgspec.Struct, frozen=True):
    """What a run says of how it was left, for the next one."""

    outs: list[OutFacts] = []


class AccountFacts(msgspec.Struct, frozen=True):
    """What tracing needs of the account of the run."""

    started: str = ""
    sources: list[SourceFacts] = []
    made_from: MadeFromFacts | None = None
