"""Control totals: the exact sum of a field, carried from the sources to the outputs.

It is the check of a cash book: what was there, and what each line took out or put in,
must give what is there now. Each entry states what it took out of the sum or put into
it, by its `Outcome` alone: records set aside or folded into others, records made (by
origins that occur again), cells changed, fields renamed or left out, figures carried.
Its result is added up anew. A difference that it does not explain is named with the
entry, and the run ends with status 1: work that loses an amount cannot say that all is
well.

Numbers are read in the plain form; other cells are counted and are in no sum.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction
from typing import Any

import msgspec
import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.match.levels import loose
from gruff_ledger.cells.numbers.amounts import decimal_text, read_amounts
from gruff_ledger.cells.numbers.group_figures import total_of
from gruff_ledger.columns.arrays import filter_column
from gruff_ledger.columns.types import Column, Indices
from gruff_ledger.outcome import Change, Outcome, SetAside
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Origin, Table
from gruff_ledger.written.read import read_numbers

_NOTHING = Fraction(0)

# The sums of a step, in the order in which they are told.
STEP_SUMS = (
    "came_in",
    "begun",
    "made",
    "changed",
    "aside",
    "folded",
    "summed",
    "left",
    "out",
)

_ENDS = ("came_in", "out")


class Step(msgspec.Struct, frozen=True):
    """
    What happened to the sum of one field at one place.

    Attributes
    ----------
    label : str
        ``north`` for a source, ``2 duplicates`` for an entry, the address of an out.
    came_in : Fraction
        In a source, or in the lists that an entry was given.
    begun : Fraction
        Where a field of that heading is new.
    made, changed : Fraction
        In records that were made of others; by cells that were changed.
    aside, folded : Fraction
        In records set aside, and in those of them that another stands for.
    summed : Fraction
        Of records that went into figures which do not hold the sum.
    left : Fraction
        Where the field was taken out.
    out : Fraction
        In what came of it.
    no_numbers : int
        Filled cells of a source that are no numbers.
    """

    label: str
    came_in: Fraction = _NOTHING
    begun: Fraction = _NOTHING
    made: Fraction = _NOTHING
    changed: Fraction = _NOTHING
    aside: Fraction = _NOTHING
    folded: Fraction = _NOTHING
    summed: Fraction = _NOTHING
    left: Fraction = _NOTHING
    out: Fraction = _NOTHING
    no_numbers: int = 0

    def words(self, sums: Sequence[str]) -> list[str]:
        """Write some of the sums; of those that are nothing only the ends."""
        values = [(name, getattr(self, name)) for name in sums]
        return [
            decimal_words(value) if value or name in _ENDS else ""
            for name, value in values
        ]

    @property
    def difference(self) -> Fraction:
        """What is there and not explained."""
        went = self.aside + self.folded + self.summed + self.left
        return self.out - (self.came_in + self.begun + self.made + self.changed - went)


class Chain(msgspec.Struct):
    """The sums of one field, from the sources to the outputs."""

    field: str
    sources: list[Step] = msgspec.field(default_factory=list)
    entries: list[Step] = msgspec.field(default_factory=list)
    outs: list[Step] = msgspec.field(default_factory=list)
    used_again: Fraction = _NOTHING
    at_end: Fraction = _NOTHING

    @property
    def sums(self) -> list[str]:
        """The names of the sums that are anywhere something."""
        steps = (*self.sources, *self.entries, *self.outs)
        return [
            name
            for name in STEP_SUMS
            if name in _ENDS or any(getattr(step, name) for step in steps)
        ]

    @property
    def differing(self) -> list[Step]:
        """The steps that do not explain what they hold."""
        steps = (*self.sources, *self.entries, *self.outs)
        return [step for step in steps if step.difference]

    @property
    def closes(self) -> bool:
        """Whether what is in the sources is what is at the end, as explained."""
        lines = (*self.sources, *self.entries)
        into = sum((step.begun + step.made + step.changed for step in lines), _NOTHING)
        out = sum(
            (step.aside + step.folded + step.summed + step.left for step in lines),
            _NOTHING,
        )
        came = sum((step.came_in for step in self.sources), _NOTHING)
        closed = came + self.used_again + into == out + self.at_end
        return closed and not self.differing


def control_facts(chains: Sequence[Chain]) -> list[dict[str, Any]]:
    """Return control totals; sums are texts, so that no program rounds them."""
    return [
        {
            "field": chain.field,
            "sources": [_step_facts(step) for step in chain.sources],
            "entries": [_step_facts(step) for step in chain.entries],
            "outs": [_step_facts(step) for step in chain.outs],
            "used_again": decimal_words(chain.used_again),
            "at_end": decimal_words(chain.at_end),
            "closes": chain.closes,
        }
        for chain in chains
    ]


def _step_facts(step: Step) -> dict[str, Any]:
    sums = {
        name: decimal_words(getattr(step, name))
        for name in STEP_SUMS
        if getattr(step, name) or name in ("came_in", "out")
    }
    facts: dict[str, Any] = {"at": step.label, **sums}
    if step.no_numbers:
        facts["cells_no_numbers"] = step.no_numbers
    if step.difference:
        facts["difference"] = decimal_words(step.difference)
    return facts


class Control:
    """
    Carries control totals through a run.

    Parameters
    ----------
    fields : sequence of str
        As the person names them.
    """

    def __init__(self, fields: Sequence[str]) -> None:
        self.chains = [Chain(field) for field in fields]
        # By list and field: the heading that has it there, and its sum.
        self._there: dict[tuple[str, str], tuple[str, Fraction]] = {}

    def source(self, name: str, table: Table, aside: Sequence[SetAside]) -> None:
        """Take note of a list that was read."""
        for chain in self.chains:
            heading = heading_of(table, chain.field)
            if heading is None:
                continue
            missed, filled = _no_numbers(table, heading)
            if missed * 2 > filled:
                raise BadTerms(
                    f"{missed:,} of {filled:,} filled cells of '{heading}' in {name} "
                    "are not numbers: a control total would leave them out. Nothing "
                    "was done.",
                    "Name another field, or show in `written` how its numbers are "
                    "written.",
                    term="control",
                )
            out = sum_of(table, heading)
            self._there[name, chain.field] = (heading, out)
            gone, folded = _aside(aside, (heading,), table)
            chain.sources.append(
                Step(
                    name,
                    came_in=out + gone + folded,
                    aside=gone,
                    folded=folded,
                    out=out,
                    no_numbers=missed,
                )
            )

    def entry(
        self,
        label: str,
        result: str,
        lists: Sequence[str],
        given: Sequence[Table],
        outcome: Outcome,
    ) -> None:
        """Take note of what an entry did."""
        for chain in self.chains:
            step = self._entry_step(chain.field, label, lists, given, outcome)
            if step is None:
                continue
            heading, done = step
            chain.entries.append(done)
            if heading is None:
                # Figures are no records: what they hold is followed no further.
                chain.at_end += done.out
            else:
                self._there[result, chain.field] = (heading, done.out)

    def _entry_step(
        self,
        field: str,
        label: str,
        lists: Sequence[str],
        given: Sequence[Table],
        outcome: Outcome,
    ) -> tuple[str | None, Step] | None:
        came = begun = _NOTHING
        names: dict[str, None] = {}
        renamed = outcome.lineage.renamed or ({},) * len(given)
        table = outcome.table
        known = [self._there.get((name, field)) for name in lists]
        targets = {
            other.get(mine[0], mine[0])
            for mine, other in zip(known, renamed, strict=True)
            if mine is not None
        }
        heading = next((each for each in targets if each in table.headings), None)
        if not targets:
            heading = heading_of(table, field)
        elif len(targets) > 1:
            # It went under several headings: no field of the result is the same.
            heading = None
        is_there = bool(targets)
        for mine, listed, other in zip(known, given, renamed, strict=True):
            if mine is not None:
                came += mine[1]
                names[mine[0]] = None
                names[other.get(mine[0], mine[0])] = None
                continue
            # Another field may be called so from here on, or the list be a new one.
            for each in listed.headings:
                if heading is not None and other.get(each, each) == heading:
                    begun += sum_of(listed, each)
                    names[each] = None
                    names[heading] = None
                    is_there = True
        gone, folded = _aside(outcome.aside, (*names, field))
        changed = _changed(given, outcome, names, heading)
        if outcome.lineage.summed is not None:
            if not is_there:
                return None
            carried = _find_carried_sum(outcome, names)
            summed = came + begun - gone - folded if carried is None else _NOTHING
            out = _NOTHING if carried is None else carried
            return None, Step(
                label,
                came_in=came,
                begun=begun,
                aside=gone,
                folded=folded,
                summed=summed,
                out=out,
            )
        if heading is None:
            if not is_there:
                return None
            left = came + begun - gone - folded
            return None, Step(
                label, came_in=came, begun=begun, aside=gone, folded=folded, left=left
            )
        out = sum_of(table, heading)
        made = _made(given, names, outcome) if outcome.lineage.made else _NOTHING
        if not is_there:
            begun, made, changed = out, _NOTHING, _NOTHING
        return heading, Step(
            label,
            came_in=came,
            begun=begun,
            made=made,
            changed=changed,
            aside=gone,
            folded=folded,
            out=out,
        )

    def out(self, address: str, name: str, table: Table) -> None:
        """Take note of a list as it is written."""
        for chain in self.chains:
            known = self._there.get((name, chain.field))
            if known is not None and known[0] in table.headings:
                written = sum_of(table, known[0])
                chain.outs.append(Step(address, came_in=known[1], out=written))

    def close(self, uses: Counter[str], references: Collection[str]) -> None:
        """Add up what the run ends with, and what it used more than once."""
        for chain in self.chains:
            for (name, field), (_, value) in self._there.items():
                if field != chain.field or name in references:
                    continue
                if uses[name] > 1:
                    chain.used_again += value * (uses[name] - 1)
                if not uses[name]:
                    chain.at_end += value
            chain.sources = [
                step for step in chain.sources if step.label not in references
            ]


def heading_of(table: Table, field: str) -> str | None:
    """Return the heading of a list that a control field means, or None."""
    if field in table.headings:
        return field
    alike = [each for each in table.headings if loose(each) == loose(field)]
    return alike[0] if len(alike) == 1 else None


def sum_of(table: Table, heading: str) -> Fraction:
    """Return the exact sum of the numbers of a field, in the ways it is written."""
    amounts = read_numbers(table, heading, with_currencies=True).amounts
    return Fraction(total_of(amounts), 10**amounts.scale)


def decimal_words(value: Fraction) -> str:
    """
    Write a sum, which is always a decimal.

    Examples
    --------
    >>> decimal_words(Fraction(-5, 4))
    '-1.25'
    """
    scale = 0
    while (value * 10**scale).denominator != 1:
        scale += 1
    return decimal_text(int(value * 10**scale), scale)


def _no_numbers(table: Table, heading: str) -> tuple[int, int]:
    """Return how many filled cells are no numbers, and how many are filled."""
    is_number = read_numbers(table, heading, with_currencies=True).is_number
    filled = ~blank_mask(table.cells(heading))
    missed = int(np.count_nonzero(~is_number & filled))
    return missed, int(np.count_nonzero(filled))


def _aside(
    aside: Sequence[SetAside], names: Sequence[str], read: Table | None = None
) -> tuple[Fraction, Fraction]:
    """Return the sums of records set aside, and of those folded into others."""
    gone = folded = _NOTHING
    for each in aside:
        heading = next((name for name in names if name in each.table.headings), None)
        if heading is None and names:
            heading = heading_of(each.table, names[-1])
        if heading is None:
            continue
        listed = each.table
        if read is not None and heading in read.headings:
            # What reading sets aside is written as the rest of its list.
            listed = listed.with_writing({heading: read.writing(heading)})
        value = sum_of(listed, heading)
        if each.kept is None:
            gone += value
        else:
            folded += value
    return gone, folded


def _changed(
    given: Sequence[Table],
    outcome: Outcome,
    names: Mapping[str, None],
    heading: str | None,
) -> Fraction:
    """Return by how much changes of a field changed its sum."""
    total = _NOTHING
    for change in outcome.changes:
        if change.field in names or change.field == heading:
            total += _sum_of_cells(change, change.now, (outcome.table,))
            total -= _sum_of_cells(change, change.was, given)
    return total


def _sum_of_cells(change: Change, cells: Column, tables: Sequence[Table]) -> Fraction:
    """Return the sum of some cells, in the ways of the lists that they are of."""
    total = _NOTHING
    mine = _numbers_of(change.origin)
    left = np.ones(len(mine), np.bool_)
    for table in tables:
        if change.field not in table.headings:
            continue
        known = _numbers_of(table.origin)
        order = np.argsort(known, kind="stable")
        at = np.minimum(np.searchsorted(known, mine, sorter=order), len(known) - 1)
        here = left & (known[order[at]] == mine) if len(known) else ~left & left
        rows = order[at[here]] if len(known) else at[here]
        some = Table(
            (change.field,),
            (filter_column(cells, here),),
            change.origin.pick(here),
            written={change.field: table.writing(change.field).pick(rows)},
        )
        total += sum_of(some, change.field)
        left &= ~here
    if left.any():
        amounts, _ = read_amounts(filter_column(cells, left))
        total += Fraction(total_of(amounts), 10**amounts.scale)
    return total


def _made(
    given: Sequence[Table], names: Mapping[str, None], outcome: Outcome
) -> Fraction:
    """Return the sum that records made of others had when they were made."""
    there = Origin.concat(
        [outcome.table.origin, *(each.table.origin for each in outcome.aside)]
    )
    known, counts = np.unique(_numbers_of(there), return_counts=True)
    total = _NOTHING
    for table in given:
        heading = next((name for name in names if name in table.headings), None)
        if heading is None:
            continue
        mine = _numbers_of(table.origin)
        at = np.minimum(np.searchsorted(known, mine), len(known) - 1)
        more = np.where(known[at] == mine, counts[at] - 1, 0)
        several = more > 0
        some = table.keep_records(several)
        amounts = read_numbers(some, heading, with_currencies=True).amounts
        values = amounts.values.tolist()
        value = sum(a * b for a, b in zip(values, more[several].tolist(), strict=True))
        total += Fraction(value, 10**amounts.scale)
    return total


def _numbers_of(origin: Origin) -> Indices:
    """Return one number for each origin."""
    return (origin.source.astype(np.int64) << np.int64(40)) | origin.record


def _find_carried_sum(outcome: Outcome, names: Mapping[str, None]) -> Fraction | None:
    """Return the sum of a field that figures hold, where they do."""
    for name in names:
        if name in outcome.lineage.carried:
            value, scale = outcome.lineage.carried[name]
            return Fraction(value, 10**scale)
    return None
