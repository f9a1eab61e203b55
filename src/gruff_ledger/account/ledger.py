"""The account of a run: what came in, what each entry did, what went out.

The account keeps no list of the run, only what happened to its records.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

import msgspec

from gruff_ledger.account.folded_groups import Groups
from gruff_ledger.outcome import Change, Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.problems import OutOfBalance

if TYPE_CHECKING:
    from gruff_ledger.account.control import Chain


class Line(msgspec.Struct, frozen=True, eq=False):
    """
    One line of the account: a source, or an entry.

    Attributes
    ----------
    label : str
        ``reading north`` or ``2 duplicates``; it stands in the ledger's files.
    result : str
        The name of the list it made.
    records_in, records_out : int
    left_out : int
        Blank records at the end of a source, which are no records of the list.
    summed : int, optional
        How many records are in the figures that the result holds instead of records.
    made : int
        How many more records it made of those that came in.
    facts : mapping
        For ``account.json``: how a source was read, its size and hash; or the terms
        of an entry and the lists it was given. A fact that takes a while is a
        function that returns it.
    groups : tuple of Groups
        The first records that were folded into others, where they are to be shown.
    """

    label: str
    result: str
    records_in: int
    records_out: int
    aside: tuple[SetAside, ...]
    changes: tuple[Change, ...]
    findings: tuple[Finding, ...]
    notes: tuple[Note, ...]
    facts: Mapping[str, Any]
    left_out: int = 0
    summed: int | None = None
    made: int = 0
    groups: tuple[Groups, ...] = ()

    @classmethod
    def of(
        cls,
        label: str,
        result: str,
        records_in: int,
        outcome: Outcome,
        facts: Mapping[str, Any],
        left_out: int = 0,
        groups: tuple[Groups, ...] = (),
    ) -> Line:
        """Make the line of an outcome, without its list."""
        return cls(
            label=label,
            result=result,
            records_in=records_in,
            records_out=len(outcome.table),
            aside=outcome.aside,
            changes=outcome.changes,
            findings=outcome.findings,
            notes=outcome.notes,
            facts=facts,
            left_out=left_out,
            summed=outcome.lineage.summed,
            made=outcome.lineage.made,
            groups=groups,
        )

    @property
    def records_aside(self) -> int:
        """How many records were set aside."""
        return sum(len(aside.table) for aside in self.aside)

    @property
    def records_made(self) -> int:
        """How many records it made: of others, or to hold figures on others."""
        return self.made if self.summed is None else self.records_out

    @property
    def cells_changed(self) -> int:
        """How many cells were changed."""
        return sum(len(change.origin) for change in self.changes)

    def findings_of(self, severity: Severity) -> int:
        """Return how many findings have that severity."""
        return sum(
            len(found.origin) for found in self.findings if found.severity is severity
        )


class Out(msgspec.Struct, frozen=True):
    """One output: where it went, which list, how many records, what was guarded."""

    address: str
    result: str
    records: int
    changes: tuple[Change, ...] = ()


class Since(msgspec.Struct, frozen=True):
    """
    What is new, gone and changed in a result since it was last written.

    Attributes
    ----------
    address : str
    new, gone, changed : int
        Records.
    cells : int
        Cells that changed in them.
    rows : tuple of (what, record, field, was, now)
        Each of them: a record by its key, or as a line where there is none.
    said : str
        Why it was not compared; empty where it was.
    """

    address: str
    new: int = 0
    gone: int = 0
    changed: int = 0
    cells: int = 0
    rows: tuple[tuple[str, ...], ...] = ()
    said: str = ""


class Balance(msgspec.Struct, frozen=True):
    """
    The one line that says whether a run balances.

    Attributes
    ----------
    records_in : int
        All records of all sources.
    used_again : int
        Records of lists that more than one entry worked on, for each further use.
    made : int
        Records that entries made: of others, or to hold figures on others.
    referred : int
        Records of lists that entries only look into; they are in none of the others.
    left_out, set_aside, summed, records_out : int
        Blank records at the ends of sources; what reading and entries set aside; what
        went into figures; what is in the lists that the run ends with.
    """

    records_in: int
    used_again: int
    left_out: int
    set_aside: int
    records_out: int
    made: int = 0
    summed: int = 0
    referred: int = 0

    @property
    def holds(self) -> bool:
        """Whether what came in is what is there."""
        there = self.records_out + self.set_aside + self.left_out + self.summed
        return self.records_in + self.used_again + self.made == there


class Account(msgspec.Struct):
    """
    The account of a run, line by line, in the order of the work.

    Attributes
    ----------
    started : str
        Time of the start, ISO 8601 in UTC.
    uses : Counter
        How many entries worked on each list, by its name.
    references : frozenset of str
        The lists that entries only look into.
    beside : dict
        How many records there are in lists that entries made beside their results and
        that are needed, by name. They are made anew: no record went there.
    control : list of Chain
        The control totals that were asked for.
    since : list of Since
        What changed in the results since the last run, where that was asked for.
    """

    title: str
    started: str
    sources: list[Line] = msgspec.field(default_factory=list)
    entries: list[Line] = msgspec.field(default_factory=list)
    outs: list[Out] = msgspec.field(default_factory=list)
    notes: list[Note] = msgspec.field(default_factory=list)
    uses: Counter[str] = msgspec.field(default_factory=Counter)
    references: frozenset[str] = frozenset()
    beside: dict[str, int] = msgspec.field(default_factory=dict)
    control: list[Chain] = msgspec.field(default_factory=list)
    since: list[Since] = msgspec.field(default_factory=list)

    @property
    def source_names(self) -> tuple[str, ...]:
        """Names of the sources by position, as an `Origin` counts them."""
        return tuple(line.result for line in self.sources)

    def lines(self) -> Iterator[Line]:
        """Yield the lines of the sources, then of the entries."""
        yield from self.sources
        yield from self.entries

    def all_notes(self) -> list[Note]:
        """Return the notes of the run, in the order of the work."""
        return [note for line in self.lines() for note in line.notes] + self.notes

    def stops(self) -> int:
        """Return how many findings have the severity stop."""
        return sum(line.findings_of(Severity.STOP) for line in self.lines())

    def totals_differ(self) -> bool:
        """Whether a control total differs from what is explained."""
        return not all(chain.closes for chain in self.control)

    def strike_balance(self) -> Balance:
        """
        Strike the balance of the run.

        Raises
        ------
        OutOfBalance
            If the records that came in are not those that are there at the end.
        """
        lines = [line for line in self.lines() if line.result not in self.references]
        sources = [line for line in lines if line in self.sources]
        ends = [line for line in lines if not self.uses[line.result]]
        summing = [line for line in lines if line.summed is not None]
        balance = Balance(
            records_in=sum(line.records_in for line in sources),
            used_again=sum(
                line.records_out * (self.uses[line.result] - 1)
                for line in lines
                if self.uses[line.result] > 1
            ),
            left_out=sum(line.left_out for line in sources),
            set_aside=sum(line.records_aside for line in lines),
            records_out=sum(line.records_out for line in ends),
            made=sum(line.records_made for line in lines)
            + sum(
                count * self.uses[name]
                for name, count in self.beside.items()
                if self.uses[name]
            ),
            summed=sum(line.summed or 0 for line in summing),
            referred=sum(
                line.records_in
                for line in self.sources
                if line.result in self.references
            ),
        )
        if not balance.holds:
            raise OutOfBalance(
                f"the run does not balance: {balance.records_in} records came in, "
                f"{balance.records_out} went out, {balance.set_aside} were set aside "
                f"and {balance.left_out} were left out. Nothing was written.",
                "This is a fault of the program and not of the lists: please report "
                "it.",
            )
        return balance
