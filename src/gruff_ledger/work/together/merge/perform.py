"""What `merge` does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np
from msgspec import structs

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.match.levels import LEVELS
from gruff_ledger.cells.text_bytes import text_chunks
from gruff_ledger.columns.arrays import concat_columns, constant_column, taken
from gruff_ledger.columns.pending import column_of
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.field_names import take_aliases
from gruff_ledger.outcome import Lineage, Note, Outcome, SetAside
from gruff_ledger.problems import BadTerms, nearest, nearest_or_all
from gruff_ledger.table import UNSAID, Origin, Table, Writing
from gruff_ledger.words import counted
from gruff_ledger.work.orders import in_order
from gruff_ledger.work.together.merge.terms import MergeTerms

__all__ = ["MergeTerms", "perform"]


def perform(
    terms: MergeTerms,
    *tables: Table,
    files: Mapping[str, bytes | None] | None = None,
) -> Outcome:
    """
    Put lists together, end to end or by key.

    Parameters
    ----------
    terms : MergeTerms
    *tables : Table
        In the order in which their records shall stand.
    files : mapping, optional
        What is in the file of decisions, by its path.

    Returns
    -------
    Outcome
        Records that are blank in every field, or repeat the headings, are set aside;
        by key, those merged into others too. Headings that not all lists have are
        noted, with the nearest other heading.

    Raises
    ------
    BadTerms
        If an alias names a heading that no list has, or gives one list two fields of
        the same heading; if `name_source` names a field that a list has; if lists of
        different width are put together by position.
    UnknownField
        If a key or an order names a field that there is not.
    """
    _check_aliases(terms, tables)
    notes: list[Note] = []
    tables, aside = _without_idle_records(terms, tables, notes)
    headings: list[str] = []
    matched: list[_Matched] = []
    for table in tables:
        fields = (
            _by_position(table, tables[0], notes)
            if terms.by_position
            else _match(table, headings, terms, notes)
        )
        matched.append(fields)
        known = set(headings)
        headings.extend(heading for heading in fields.places if heading not in known)
    if terms.shared_only:
        headings = _find_shared(headings, matched, notes)
    notes.extend(_note_unmatched(headings, matched))
    columns = tuple(
        concat_columns([fields.column(heading) for fields in matched])
        for heading in headings
    )
    name = " + ".join(table.name for table in tables)
    origin = Origin.concat([table.origin for table in tables])
    of_source = frozenset(
        heading
        for heading in headings
        if all(heading in each.from_source for each in tables)
    )
    written = {
        heading: writing
        for heading in headings
        if (writing := _writing(matched, heading)) is not None
    }
    merged = Table(tuple(headings), columns, origin, name, of_source, written=written)
    if terms.key:
        from gruff_ledger.work.together.merge.by_key import merge_by_key
        from gruff_ledger.work.together.merge.tell import Stacked

        lists = np.repeat(np.arange(len(tables)), [len(table) for table in tables])
        has = {
            heading: np.array([heading in each.places for each in matched])
            for heading in headings
        }
        names = tuple(table.name for table in tables)
        stacked = Stacked(merged, lists, names, has)
        outcome = merge_by_key(terms, stacked, files or {})
    else:
        if terms.name_source is not None:
            merged = merged.with_field(
                terms.name_source,
                concat_columns(
                    [constant_column(each.name, len(each)) for each in tables]
                ),
            )
            source = of_source | {terms.name_source}
            merged = structs.replace(merged, from_source=source)
        what = f"{counted(len(merged), 'record')} of {counted(len(tables), 'list')}, "
        what += f"{counted(len(merged.headings), 'field')}."
        outcome = Outcome(merged, notes=(Note(what, is_headline=True),))
    result, findings = outcome.table, outcome.findings
    if terms.sort is not None:
        result, found, said = in_order(result, terms.sort, "sort")
        findings += found
        notes.extend(said)
    return structs.replace(
        outcome,
        table=result,
        aside=aside + outcome.aside,
        findings=findings,
        notes=(*notes, *outcome.notes),
        lineage=Lineage(renamed=tuple(each.renamed for each in matched)),
    )


def _without_idle_records(
    terms: MergeTerms, tables: Sequence[Table], notes: list[Note]
) -> tuple[tuple[Table, ...], tuple[SetAside, ...]]:
    """Set aside records that are blank all over, or repeat the headings."""
    aside: list[SetAside] = []
    left = []
    for table in tables:
        blank = np.zeros(len(table), np.bool_)
        if not terms.keep_blank:
            blank = _blank_records(table)
        again = _repeats_headings(table)
        if np.count_nonzero(again) * 2 > len(table):
            # Rather the first of many records alike than a heading.
            notes.append(_no_heading_note(table, int(np.count_nonzero(again))))
            again[:] = False
        for reason, mask, said in (
            ("blank in every field", blank, "blank in every field"),
            ("repeats the headings", again, "the headings once more"),
        ):
            if mask.any():
                aside.append(SetAside(reason, table.keep_records(mask)))
                is_ = counted(int(np.count_nonzero(mask)), "record is", "records are")
                remedy = "To keep them, add `keep-blank true`." if mask is blank else ""
                notes.append(
                    Note(
                        f"{table.name}: {is_} {said} and set aside.",
                        remedy,
                        table.origin.pick(mask),
                    )
                )
        out = blank | again
        left.append(table.keep_records(~out) if out.any() else table)
    return tuple(left), tuple(aside)


def _no_heading_note(table: Table, count: int) -> Note:
    return Note(
        f"{table.name}: {count:,} of {len(table):,} records are the same as the "
        "heading row; they were kept.",
        "If the list has no heading row, give `header-rows 0`.",
        warning=True,
    )


def _blank_records(table: Table) -> Mask:
    """Mark the records that are blank in every field."""
    places = np.arange(len(table))
    for number, held in enumerate(table.held):
        if not len(places):
            break
        column = column_of(held)
        cells = column if number == 0 else taken(column, places)
        places = places[blank_mask(cells)]
    mask = np.zeros(len(table), np.bool_)
    mask[places] = bool(table.held)
    return mask


def _repeats_headings(table: Table) -> Mask:
    """Mark the records that hold the headings."""
    mask = np.zeros(len(table), np.bool_)
    if not table.held or not len(table):
        return mask
    first = table.cells(table.headings[0])
    size = len(table.headings[0].encode())
    lengths = np.concatenate([np.diff(each.offsets) for each in text_chunks(first)])
    places = np.flatnonzero(lengths == size)
    for heading in table.headings:
        if not len(places):
            break
        cells = taken(table.cells(heading), places)
        places = places[index_in(cells, [heading]) == 0]
    mask[places] = True
    return mask


class _Matched(msgspec.Struct, frozen=True, eq=False):
    """A list, and where in it each heading of the result stands."""

    table: Table
    places: dict[str, int]

    @property
    def renamed(self) -> dict[str, str]:
        """The fields that stand under another heading: their own, and that."""
        return {
            self.table.headings[place]: heading
            for heading, place in self.places.items()
            if self.table.headings[place] != heading
        }

    def column(self, heading: str) -> Column:
        if heading in self.places:
            return self.table.cells(self.table.headings[self.places[heading]])
        return constant_column("", len(self.table))

    def writing(self, heading: str) -> Writing:
        """Return how the field that stands under a heading is written."""
        if heading not in self.places:
            return UNSAID
        return self.table.writing(self.table.headings[self.places[heading]])


def _writing(matched: Sequence[_Matched], heading: str) -> Writing | None:
    """Return how a field of all lists is written, where more is known of any."""
    writings = [fields.writing(heading) for fields in matched]
    if all(each is UNSAID for each in writings):
        return None
    return Writing.concat(writings, [len(each.table) for each in matched])


def _check_aliases(terms: MergeTerms, tables: Sequence[Table]) -> None:
    known = [heading for table in tables for heading in table.headings]
    fold = LEVELS[terms.headings]
    alike = set(map(fold, known))
    for written in terms.aliases:
        if fold(written) not in alike:
            raise BadTerms(
                f"no list has a field '{written}'.",
                nearest_or_all(written, dict.fromkeys(known), "fields"),
                term="aliases",
            )


def _match(
    table: Table,
    headings: Sequence[str],
    terms: MergeTerms,
    notes: list[Note],
) -> _Matched:
    """Match a list's headings with those so far: as written, by alias, else alike."""
    places: dict[str, int] = {}
    fold = LEVELS[terms.headings]
    folded = {fold(heading): heading for heading in headings}
    known = set(headings)
    aliases = take_aliases(table.headings, terms.aliases, fold)
    for place, written in enumerate(table.headings):
        heading = aliases.get(written, written)
        if heading not in known:
            alike = folded.get(fold(heading), heading)
            if alike != heading and alike not in table.headings:
                notes.append(
                    Note(
                        f"{table.name}: the heading '{heading}' was taken for "
                        f"'{alike}'.",
                        "To keep them apart, rename one in the source; to say so for "
                        "good, use `aliases`.",
                    )
                )
                heading = alike
        if heading in places:
            raise BadTerms(
                f"two fields of {table.name}, '{table.headings[places[heading]]}' and "
                f"'{written}', would both be '{heading}'.",
                "Let no two fields of one list have the same heading.",
                term="aliases",
            )
        places[heading] = place
    return _Matched(table, places)


def _by_position(table: Table, first: Table, notes: list[Note]) -> _Matched:
    """Put a list's fields under the headings of the first list, in their order."""
    if len(table.headings) != len(first.headings):
        raise BadTerms(
            f"{table.name} has {len(table.headings)} fields, and {first.name} has "
            f"{len(first.headings)}.",
            "Choose as many of each in the address, as in list.csv#col=1-4; or let "
            "fields be matched by heading.",
            term="by-position",
        )
    other = [
        f"'{mine}' under '{theirs}'"
        for mine, theirs in zip(table.headings, first.headings, strict=True)
        if mine != theirs
    ]
    if other:
        notes.append(Note(f"{table.name}: by position, {', '.join(other)}."))
    places = {heading: place for place, heading in enumerate(first.headings)}
    return _Matched(table, places)


def _find_shared(
    headings: Sequence[str], matched: Sequence[_Matched], notes: list[Note]
) -> list[str]:
    """Return the headings that all lists have, and say which are left out."""
    shared = [h for h in headings if all(h in each.places for each in matched)]
    out = [heading for heading in headings if heading not in shared]
    if not shared:
        raise BadTerms(
            "there is no field that all lists have.",
            "Say in `aliases` which headings mean the same.",
            term="shared-only",
        )
    if out:
        named = ", ".join(f"'{heading}'" for heading in out)
        notes.append(
            Note(
                f"Left out, as not all lists have them: {named}.",
                "To keep them, leave `shared-only` out.",
                warning=True,
            )
        )
    return shared


def _note_unmatched(headings: Sequence[str], matched: Sequence[_Matched]) -> list[Note]:
    """Note the headings that not every list has, with the nearest in the others."""
    notes = []
    proposed: set[str] = set()
    for heading in headings:
        without = [each for each in matched if heading not in each.places]
        if not without:
            continue
        having = [each.table.name for each in matched if heading in each.places]
        blanks = sum(len(each.table) for each in without)
        near = nearest(
            heading,
            (
                other
                for each in without
                for other in each.places
                if any(other not in every.places for every in matched)
            ),
        )
        remedy = ""
        if heading in proposed:
            # Said already, the other way round.
            near = None
        elif near is not None:
            proposed.add(near)
            remedy = f"If '{near}' means the same, add `aliases {near}={heading}`."
        records = "record" if blanks == 1 else "records"
        notes.append(
            Note(
                f"'{heading}' is only in {', '.join(having)}: blank in {blanks} "
                f"{records} of {', '.join(each.table.name for each in without)}.",
                remedy,
                warning=near is not None,
            )
        )
    return notes
