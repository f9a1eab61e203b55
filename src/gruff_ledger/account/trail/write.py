"""The trail of a run: what `trace` needs, written as the run goes on.

The file ``trace.zip`` holds the cells of every source as they were read, and for each
entry what it changed, set aside, found and made, with the records it happened to. All
else can be told from these: nothing of a list that went on unchanged is written twice.
Its members are Arrow files, so that one record of a million is found without reading
the others; cells are packed (see `packed`). ``trail.json`` says what each of them is.

Records are told apart by their origin. Work that makes several records of one, or
figures of records, makes records that are new: they are numbered anew, as if the entry
were a source, and the trail keeps what they were made of.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, BinaryIO

import msgspec
import pyarrow as pa
from msgspec import structs

from gruff_ledger.account.trail.format import (
    TRAIL_INDEX,
    TRAIL_VERSION,
    AsideLine,
    ChangeLine,
    DrawnLine,
    EntryLine,
    FindingLine,
    OutLine,
    Rows,
    SourceLine,
    TrailIndex,
)
from gruff_ledger.account.trail.parts import (
    Parts,
    counted_through,
    narrow,
    origin_columns,
)
from gruff_ledger.account.trail.unwritten import Trail
from gruff_ledger.columns.arrays import constant_column, text_column
from gruff_ledger.credentials import make_facts_readable
from gruff_ledger.outcome import Change, Drawn, Finding, Note, Outcome, SetAside
from gruff_ledger.table import Origin, Table


class Made(msgspec.Struct, frozen=True, eq=False):
    """
    Records that an entry made, n of them, under an identity of their own.

    Attributes
    ----------
    parent : Origin, n records
        The record that each was made of, or that stands for those it was made of.
    root : Origin, n records
        The same in terms of sources.
    """

    parent: Origin
    root: Origin


class WrittenTrail(Trail):
    """
    Collects the trail of a run that keeps a ledger; use as a context manager.

    Parameters
    ----------
    sink : binary file
        Where it is written.
    sources : sequence of str
        The names of the sources, by position.
    """

    is_kept = True

    def __init__(self, sink: BinaryIO, sources: Sequence[str]) -> None:
        self._parts = Parts(sink)
        self._names = list(sources)
        self._made: list[Made] = []
        self._within: dict[str, frozenset[int]] = {}
        self._sources: list[SourceLine] = []
        self._entries: list[EntryLine] = []
        self._outs: list[OutLine] = []
        self._order: tuple[Origin, Rows] | None = None

    def __exit__(self, *error: object) -> None:
        self._parts.give_up()

    def source(
        self,
        name: str,
        table: Table,
        aside: Sequence[SetAside],
        findings: Sequence[Finding],
        address: str,
        path: str | None = None,
    ) -> None:
        """Take note of a list that was read: the next one by position."""
        position = len(self._sources)
        at = f"sources/{position + 1}"
        self._within[name] = frozenset((position,))
        self._sources.append(
            SourceLine(
                name=name,
                address=address,
                path=path,
                headings=list(table.headings),
                cells=self._cells(at, table),
                records=self._rows(f"{at}-records", table.origin),
                aside=[
                    self._aside_of_source(f"{at}-aside-{number}", each)
                    for number, each in enumerate(aside, 1)
                ],
                findings=self._findings(at, findings),
            )
        )

    def entry(
        self,
        label: str,
        result: str,
        lists: Sequence[str],
        given: Sequence[Table],
        outcome: Outcome,
        facts: Mapping[str, Any],
    ) -> Table:
        """
        Take note of what an entry did.

        Returns
        -------
        Table
            Its result. Where records were made, they have an origin of their own.
        """
        table = outcome.table
        at = f"entries/{len(self._entries) + 1}"
        is_mixed = _overlap([self._within[name] for name in lists])
        is_new = (
            outcome.lineage.summed is not None or bool(outcome.lineage.made) or is_mixed
        )
        renamed = outcome.lineage.renamed or ({},) * len(given)
        made = self._made_fields(given, outcome, renamed, is_mixed=is_mixed)
        changes = [
            self._change(f"{at}-change-{place}", each)
            for place, each in enumerate(outcome.changes, 1)
        ]
        aside = [
            self._aside(f"{at}-aside-{place}", each)
            for place, each in enumerate(outcome.aside, 1)
        ]
        findings = self._findings(at, outcome.findings)
        cells = None
        if made:
            columns = [table.cells(heading) for heading in made]
            cells = self._cells(f"{at}-made", table.with_fields(made, columns))
        drawn = None if outcome.lineage.drawn is None else outcome.lineage.drawn()
        drawn_line = None if drawn is None else self._drawn(f"{at}-drawn", drawn)
        parents = rows = identity = None
        within = frozenset[int]().union(*(self._within[name] for name in lists))
        if is_new:
            parents = self._rows(f"{at}-parents", table.origin)
            table, identity = self._anew(table, label)
            within = frozenset((identity,))
        elif made or drawn is not None:
            rows = self._rows(f"{at}-rows", table.origin)
        self._entries.append(
            EntryLine(
                label=label,
                result=result,
                lists=list(lists),
                within=[sorted(self._within[name]) for name in lists],
                renamed=[dict(each) for each in renamed],
                given=[list(each.headings) for each in given],
                headings=list(table.headings),
                facts=dict(facts),
                made=made,
                changes=changes,
                aside=aside,
                findings=findings,
                cells=cells,
                drawn=drawn_line,
                summed=outcome.lineage.summed,
                parents=parents,
                identity=identity,
                rows=rows,
            )
        )
        self._within[result] = within
        return table

    def _made_fields(
        self,
        given: Sequence[Table],
        outcome: Outcome,
        renamed: Sequence[Mapping[str, str]],
        *,
        is_mixed: bool,
    ) -> list[str]:
        """Return the headings of fields whose cells no list given has as they are."""
        known: set[str] = set()
        if outcome.lineage.summed is None and not is_mixed:
            known = {
                other.get(heading, heading)
                for each, other in zip(given, renamed, strict=True)
                for heading in each.headings
            }
        if outcome.lineage.made:
            # Records that were made of one may differ in what was changed.
            known -= {change.field for change in outcome.changes}
        return [heading for heading in outcome.table.headings if heading not in known]

    def beside(self, name: str, label: str, key: str, table: Table) -> Table:
        """Take note of a list that an entry made beside its result."""
        at = f"entries/{len(self._entries) + 1}"
        cells = self._cells(f"{at}-made", table)
        parents = self._rows(f"{at}-parents", table.origin)
        table, identity = self._anew(table, label)
        self._entries.append(
            EntryLine(
                label=label,
                beside=key,
                result=name,
                lists=[],
                within=[],
                renamed=[],
                given=[],
                headings=list(table.headings),
                facts={},
                made=list(table.headings),
                changes=[],
                aside=[],
                findings=[],
                cells=cells,
                parents=parents,
                identity=identity,
            )
        )
        self._within[name] = frozenset((identity,))
        return table

    def out(
        self,
        address: str,
        path: str,
        name: str,
        table: Table,
        changes: Sequence[Change] = (),
    ) -> None:
        """Take note of a list as it is written; `path` is seen from the ledger."""
        at = f"outs/{len(self._outs) + 1}"
        self._outs.append(
            OutLine(
                address=address,
                path=path,
                listed=name,
                headings=list(table.headings),
                records=len(table),
                rows=self._rows(f"{at}-rows", table.origin),
                changes=[
                    self._change(f"{at}-change-{number}", each)
                    for number, each in enumerate(changes, 1)
                ],
            )
        )

    def close(self, account: Mapping[str, Any]) -> None:
        """
        Write what the parts are, with the account, and end.

        Raises
        ------
        OSError
            If anything could not be written.
        """
        index = TrailIndex(
            trail=TRAIL_VERSION,
            identities=[*self._names],
            sources=self._sources,
            entries=self._entries,
            outs=self._outs,
            account=dict(account),
        )
        said = make_facts_readable(msgspec.to_builtins(index))
        self._parts.end(TRAIL_INDEX, msgspec.json.encode(said))

    # In terms of sources ---------------------------------------------------------

    def root(self, origin: Origin) -> Origin:
        """Return where records come from, in terms of sources alone."""
        if not self._made or not len(origin):
            return origin
        first = len(self._names) - len(self._made)
        if int(origin.source.max()) < first:
            return origin
        source, record = origin.source.copy(), origin.record.copy()
        for number, made in enumerate(self._made):
            mine = origin.source == first + number
            if mine.any():
                root = made.root.pick(origin.record[mine] - 1)
                source[mine], record[mine] = root.source, root.record
        return Origin(source, record)

    def root_table(self, table: Table) -> Table:
        """Return a list with its records' origins in terms of sources."""
        origin = self.root(table.origin)
        return (
            table if origin is table.origin else structs.replace(table, origin=origin)
        )

    def told(self, outcome: Outcome) -> Outcome:
        """Return an outcome as the account tells it, in terms of sources."""
        if not self._made:
            return outcome

        def note(each: Note) -> Note:
            if each.origin is None:
                return each
            return structs.replace(each, origin=self.root(each.origin))

        def aside(each: SetAside) -> SetAside:
            kept = None if each.kept is None else self.root(each.kept)
            return structs.replace(each, table=self.root_table(each.table), kept=kept)

        def finding(each: Finding) -> Finding:
            return structs.replace(each, origin=self.root(each.origin))

        return structs.replace(
            outcome,
            aside=tuple(map(aside, outcome.aside)),
            changes=self.tell_changes(outcome.changes),
            findings=tuple(map(finding, outcome.findings)),
            notes=tuple(map(note, outcome.notes)),
        )

    def tell_changes(self, changes: Sequence[Change]) -> tuple[Change, ...]:
        """Return changes in terms of sources."""
        return tuple(
            structs.replace(each, origin=self.root(each.origin)) for each in changes
        )

    def _anew(self, table: Table, label: str) -> tuple[Table, int]:
        """Number the records of a list as new ones."""
        identity = len(self._names)
        self._made.append(Made(table.origin, self.root(table.origin)))
        self._names.append(label)
        origin = Origin.counted(identity, 1, len(table))
        return structs.replace(table, origin=origin), identity

    # Parts -----------------------------------------------------------------------

    def _cells(self, name: str, table: Table) -> str:
        columns = dict(zip(table.headings, table.all_cells, strict=True))
        return self._parts.add(name, columns, packed=True)

    def _rows(self, name: str, origin: Origin) -> Rows:
        """Write which record stands in each row; in short where they are counted."""
        if self._order is not None and self._order[0] is origin:
            return self._order[1]
        said: Rows | None = counted_through(origin)
        if said is None:
            said = self._parts.add(name, origin_columns(origin))
        self._order = (origin, said)
        return said

    def _change(self, name: str, change: Change) -> ChangeLine:
        columns = origin_columns(change.origin)
        columns |= {"was": change.was, "now": change.now}
        return ChangeLine(field=change.field, part=self._parts.add(name, columns))

    def _aside(self, name: str, aside: SetAside) -> AsideLine:
        columns = origin_columns(aside.table.origin)
        is_folded = aside.kept is not None
        if aside.kept is not None:
            columns |= origin_columns(aside.kept, "kept ")
        part = self._parts.add(name, columns)
        return AsideLine(reason=aside.reason, folded=is_folded, part=part)

    def _aside_of_source(self, name: str, aside: SetAside) -> AsideLine:
        """Write records that were set aside while they were read, cells and all."""
        line = self._aside(name, aside)
        text = constant_column("", len(aside.table))
        if aside.text is not None:
            text = text_column(aside.text)
        return structs.replace(
            line,
            text=self._parts.add(f"{name}-text", {"text": text}),
            headings=list(aside.table.headings),
            cells=self._cells(f"{name}-cells", aside.table),
        )

    def _findings(self, at: str, findings: Sequence[Finding]) -> list[FindingLine]:
        return [
            FindingLine(
                rule=each.rule,
                severity=str(each.severity),
                field=each.field,
                message=each.message,
                part=self._parts.add(
                    f"{at}-finding-{number}", origin_columns(each.origin)
                ),
            )
            for number, each in enumerate(findings, 1)
        ]

    def _drawn(self, name: str, drawn: Drawn) -> DrawnLine:
        columns = origin_columns(drawn.origin)
        for key, codes in (
            ("row", drawn.row),
            ("column", drawn.column),
            ("part", drawn.part),
            ("field", drawn.field),
        ):
            if codes is not None:
                columns[key] = narrow(codes)
        if drawn.values is not None:
            is_small = drawn.values.dtype != object
            columns["value"] = (
                narrow(drawn.values)
                if is_small
                else pa.array([str(each) for each in drawn.values])
            )
        return DrawnLine(
            part=self._parts.add(name, columns),
            scale=drawn.scale,
            fields=list(drawn.fields),
            rows=list(drawn.rows),
            headings=dict(drawn.headings),
            taken=dict(drawn.taken),
            figure=drawn.figure,
        )


def _overlap(within: Sequence[frozenset[int]]) -> bool:
    """Whether records of one source are in several of the lists."""
    return sum(map(len, within)) > len(frozenset().union(*within))
