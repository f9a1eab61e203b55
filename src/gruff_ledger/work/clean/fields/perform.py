"""What `fields` does."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Mapping

from msgspec import structs

from gruff_ledger.field_names import (
    expand_names,
    find_field,
    first_names,
    first_repeated,
    format_names,
)
from gruff_ledger.outcome import Lineage, Note, Outcome
from gruff_ledger.problems import BadTerms, UnknownField
from gruff_ledger.table import Table
from gruff_ledger.work.clean.fields.terms import FieldsTerms
from gruff_ledger.work.map_list import pairs_of


def perform(
    terms: FieldsTerms, table: Table, references: Mapping[str, Table] | None = None
) -> Outcome:
    """
    Keep, drop, order and rename fields.

    Parameters
    ----------
    terms : FieldsTerms
    table : Table, n records
    references : mapping, optional
        Under ``rename-by``, the list of headings.

    Raises
    ------
    UnknownField
        If terms name fields that the list does not have; all of them are told.
    BadTerms
        If a field is moved twice or moved and dropped, or two would have one heading.
    """
    terms = structs.replace(
        terms,
        **{
            term: expand_names(table.headings, getattr(terms, term))
            for term in ("keep", "drop", "first", "last")
        },
    )
    # The map list is checked before anything is done with it.
    renamed, more = _renamed(terms, table, references or {})
    names, notes = _found(terms, table, renamed)
    stay = _kept(terms, table, names)
    order = _order_fields(terms, stay, names)
    ordered = set(order)
    dropped = [heading for heading in table.headings if heading not in ordered]
    if dropped:
        number = "1 field was" if len(dropped) == 1 else f"{len(dropped)} fields were"
        told = f"{number} dropped: {format_names(dropped)}."
        notes.append(Note(told, is_headline=True))
    headings = [renamed.get(heading, heading) for heading in order]
    twice = first_repeated(headings)
    if twice is not None:
        raise BadTerms(
            f"two fields would be headed '{twice}'.",
            "Give each a heading of its own.",
            term="rename" if terms.rename else "rename-by",
        )
    held = dict(zip(table.headings, table.held, strict=True))
    result = table.with_fields(order, [held[heading] for heading in order])
    result = result.with_headings(headings)
    return Outcome(result, notes=(*notes, *more), lineage=Lineage(renamed=(renamed,)))


def _named(terms: FieldsTerms) -> Iterator[tuple[str, str]]:
    """Yield each name of a field of the list, with the term that says it."""
    for term in ("keep", "drop", "first", "last"):
        for name in getattr(terms, term):
            yield term, name
    for name, other in terms.after.items():
        yield "after", name
        yield "after", other
    for name in terms.rename:
        yield "rename", name


def _found(
    terms: FieldsTerms, table: Table, renamed: Mapping[str, str]
) -> tuple[dict[str, str], list[Note]]:
    """
    Find all fields that are named; tell of all unknown ones at once.

    A name that is there to the character is that field; one that a field is to be
    given is that field too, before any heading that is only like it.
    """
    given = {new: heading for heading, new in renamed.items()}
    names: dict[str, str] = {}
    notes: list[Note] = []
    unknown: list[UnknownField] = []
    for term, name in _named(terms):
        if name in names:
            continue
        if name not in table.headings and name in given and term != "rename":
            names[name] = given[name]
            continue
        try:
            names[name], said = find_field(table, name, term)
            notes.extend(said)
        except UnknownField as problem:
            names[name] = name
            unknown.append(problem)
    if len(unknown) == 1:
        raise unknown[0]
    if unknown:
        told = " ".join(f"{each.what} {each.remedy}" for each in unknown[:10])
        more = f" And {len(unknown) - 10} more." if len(unknown) > 10 else ""
        raise UnknownField(told + more)
    return names, notes


def _kept(terms: FieldsTerms, table: Table, names: Mapping[str, str]) -> list[str]:
    if not terms.keep:
        dropped = {names[name] for name in terms.drop}
        stay = [heading for heading in table.headings if heading not in dropped]
        if not stay:
            raise BadTerms("no field would be left.", "Keep one.", term="drop")
        return stay
    stay = [names[name] for name in terms.keep]
    _refuse_twice(stay, "keep")
    return stay


def _order_fields(
    terms: FieldsTerms, stay: list[str], names: Mapping[str, str]
) -> list[str]:
    first = [names[name] for name in terms.first]
    last = [names[name] for name in terms.last]
    after = {names[name]: names[other] for name, other in terms.after.items()}
    _refuse_twice([*first, *last, *after], "after" if after else "last")
    there = set(stay)
    for heading in (*first, *last, *after, *after.values()):
        if heading not in there:
            raise BadTerms(
                f"the field '{heading}' is to be placed, and does not stay.",
                "Keep it, or leave out where it goes.",
                term="keep" if terms.keep else "drop",
            )
    placed = {*first, *last, *after}
    order = [each for each in stay if each not in placed]
    order = [*first, *order, *last]
    waiting = dict(after)
    while waiting:
        ready = [each for each, other in waiting.items() if other in order]
        if not ready:
            raise BadTerms(
                f"{format_names(waiting)} are each to come after the next, in a "
                "circle.",
                "Put one of them after another field.",
                term="after",
            )
        # From the last, so that several after one field keep the order they are given.
        for heading in reversed(ready):
            order.insert(order.index(waiting.pop(heading)) + 1, heading)
    return order


def _refuse_twice(headings: list[str], term: str) -> None:
    twice = first_repeated(headings)
    if twice is not None:
        raise BadTerms(
            f"the field '{twice}' is named twice.", "Name it once.", term=term
        )


def _renamed(
    terms: FieldsTerms,
    table: Table,
    references: Mapping[str, Table],
) -> tuple[dict[str, str], list[Note]]:
    renamed: dict[str, str] = {}
    for name, given in terms.rename.items():
        # Unknown ones are told with the others, by `_found`.
        with contextlib.suppress(UnknownField):
            renamed[find_field(table, name, "rename")[0]] = given
    notes: list[Note] = []
    if terms.rename_by is not None:
        listed = references[terms.rename_by]
        unused = []
        for was, now in pairs_of(listed, "rename-by").items():
            try:
                heading, said = find_field(table, was, "rename-by")
            except UnknownField:
                unused.append(was)
                continue
            notes.extend(said)
            renamed.setdefault(heading, now)
        if unused:
            told = first_names(unused, 5)
            notes.append(Note(f"{listed.name}: {table.name} has no field {told}."))
    for new in renamed.values():
        if not new.strip():
            raise BadTerms(
                "a heading would be blank.", "Give it a name.", term="rename"
            )
    return renamed, notes
