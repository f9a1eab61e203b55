"""merge: lists put end to end, their fields matched by heading.

The fields of the result are those of the first list, then those that each later list
adds. A list that lacks a field has blanks there.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated

import msgspec
from msgspec import Meta, structs

from gruff_ledger.cells.match import loose
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import BadTerms, nearest, nearest_or_all
from gruff_ledger.table import (
    Column,
    Origin,
    Table,
    concat_columns,
    constant_column,
)
from gruff_ledger.terms import Terms


class MergeTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    name_source: Annotated[
        str | None,
        Meta(
            description="The heading of a field, added last, that names the list each "
            "record came from."
        ),
    ] = None
    aliases: Annotated[
        dict[str, str],
        Meta(
            description="Headings that mean another one: the heading in a list, then "
            "the heading it stands for."
        ),
    ] = {}  # noqa: RUF012  (copied for each by msgspec)


def perform(terms: MergeTerms, *tables: Table) -> Outcome:
    """
    Put lists end to end.

    Parameters
    ----------
    terms : MergeTerms
    *tables : Table
        In the order in which their records shall stand.

    Returns
    -------
    Outcome
        Nothing is set aside. Headings that not all lists have are noted, with the
        nearest other heading.

    Raises
    ------
    BadTerms
        If an alias names a heading that no list has, or gives one list two fields of
        the same heading; or if `name_source` names a field that a list has.
    """
    _check_aliases(terms.aliases, tables)
    notes: list[Note] = []
    headings: list[str] = []
    matched: list[_Matched] = []
    for table in tables:
        fields = _match(table, headings, terms.aliases, notes)
        matched.append(fields)
        headings.extend(heading for heading in fields.places if heading not in headings)
    notes.extend(_unmatched_notes(headings, matched))
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
    merged = Table(tuple(headings), columns, origin, name, of_source)
    if terms.name_source is not None:
        merged = merged.with_field(
            terms.name_source,
            concat_columns([constant_column(each.name, len(each)) for each in tables]),
        )
        merged = structs.replace(merged, from_source=of_source | {terms.name_source})
    return Outcome(merged, notes=tuple(notes))


class _Matched(msgspec.Struct, frozen=True, eq=False):
    """A list, and where in it each heading of the result stands."""

    table: Table
    places: dict[str, int]

    def column(self, heading: str) -> Column:
        if heading in self.places:
            return self.table.column(self.table.headings[self.places[heading]])
        return constant_column("", len(self.table))


def _check_aliases(aliases: Mapping[str, str], tables: Sequence[Table]) -> None:
    known = [heading for table in tables for heading in table.headings]
    for written in aliases:
        if written not in known:
            raise BadTerms(
                f"no list has a field '{written}'.",
                nearest_or_all(written, dict.fromkeys(known), "fields"),
                term="aliases",
            )


def _match(
    table: Table,
    headings: Sequence[str],
    aliases: Mapping[str, str],
    notes: list[Note],
) -> _Matched:
    """Match a list's headings with those so far: as written, by alias, else loosely."""
    places: dict[str, int] = {}
    folded = {loose(heading): heading for heading in headings}
    for place, written in enumerate(table.headings):
        heading = aliases.get(written, written)
        if heading not in headings:
            alike = folded.get(loose(heading), heading)
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


def _unmatched_notes(
    headings: Sequence[str], matched: Sequence[_Matched]
) -> list[Note]:
    """Note the headings that not every list has, with the nearest in the others."""
    notes = []
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
        if near is not None:
            remedy = f"If '{near}' means the same, say so in `aliases`."
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
