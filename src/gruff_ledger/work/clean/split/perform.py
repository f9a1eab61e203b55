"""What `split` does."""

from __future__ import annotations

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.keys.few_values import few_values
from gruff_ledger.cells.text.cut import (
    Cutting,
    Parts,
    all_parts,
    cut,
    cuts_in,
    find_cuts,
    match_groups,
    parts_by_widths,
    pieces_of,
)
from gruff_ledger.cells.text.spaces import trim, trimmed
from gruff_ledger.columns.arrays import (
    concat_columns,
    filter_column,
    taken,
    text_column,
)
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.field_names import find_field, format_names
from gruff_ledger.outcome import Finding, Lineage, Note, Outcome, SetAside, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.clean.split.terms import SplitTerms
from gruff_ledger.work.new_fields import with_new_fields

# More new fields than this are a delimiter chosen wrongly.
_MOST_FIELDS = 1000


# Numbers of parts that a note tells.
_MOST_COUNTS = 50


def perform(terms: SplitTerms, table: Table) -> Outcome:
    """
    Split a field into several, or into one record a part.

    Parameters
    ----------
    terms : SplitTerms
    table : Table, n records

    Returns
    -------
    Outcome
        With a finding for records with too few parts, and one for those with too many
        where they are not set aside.

    Raises
    ------
    UnknownField
        If the list has not the field.
    BadTerms
        If a new heading is there already, or the pattern cannot be used.
    """
    heading, notes = _field(terms, table)
    column = table.cells(heading)
    if terms.records:
        return _records(terms, table, heading, notes)
    # What is true of a text is decided once for all cells that have it.
    known = few_values(column)
    values, codes = (column, None) if known is None else known
    names, parts, said = _parts(terms, heading, values)
    notes += said
    wanted = len(names)
    columns, counts = _trimmed(terms, parts.columns), parts.counts
    if terms.missing == "first":
        columns = _missing_first(columns, counts)
    blank = blank_mask(values)
    if codes is not None:
        columns = [taken(each, codes) for each in columns]
        counts, blank = counts[codes], blank[codes]
    few = ~blank & (counts < wanted)
    many = counts > wanted
    notes += _counted(heading, counts, blank)
    at = table.headings.index(heading) + terms.keep
    new = list(zip(names, columns, strict=True))
    dropped = () if terms.keep else (heading,)
    result, changes = with_new_fields(table, new, at, dropped, term="parts")
    aside: tuple[SetAside, ...] = ()
    if terms.surplus == "set-aside" and many.any():
        reason = f"{heading} has more than {wanted} parts"
        aside = (SetAside(reason, table.keep_records(many)),)
        result, many = result.keep_records(~many), np.zeros(len(many), np.bool_)
    findings = _findings(terms, table, heading, wanted, few, many)
    return Outcome(result, aside, changes, findings, notes)


def _parts(
    terms: SplitTerms, heading: str, column: Column
) -> tuple[tuple[str, ...], Parts, tuple[Note, ...]]:
    """Split cells in the way that is asked for; name the new fields."""
    if terms.pattern is not None:
        names, parts = _by_pattern(terms, column)
        return names, parts, ()
    if terms.widths:
        names = terms.parts or _number_headings(heading, len(terms.widths))
        widths = [int(width) for width in terms.widths]
        parts = parts_by_widths(column, widths, from_the_end=terms.surplus == "first")
        return names, parts, ()
    return _by_delimiter(terms, heading, column)


def _field(terms: SplitTerms, table: Table) -> tuple[str, tuple[Note, ...]]:
    if terms.field is not None:
        return find_field(table, terms.field, "field")
    if len(table.headings) != 1:
        raise BadTerms(
            f"{table.name} has {len(table.headings)} fields.",
            "Name the one to split in `field`.",
            term="field",
        )
    return table.headings[0], ()


def _number_headings(heading: str, count: int) -> tuple[str, ...]:
    return tuple(f"{heading} {number + 1}" for number in range(count))


def _trimmed(terms: SplitTerms, columns: list[Column]) -> list[Column]:
    if terms.untrimmed:
        return columns
    return [trimmed(column).column for column in columns]


def _missing_first(columns: list[Column], counts: Indices) -> list[Column]:
    """Move the parts of cells that have too few to the last fields."""
    wanted = len(columns)
    shift = np.clip(wanted - counts, 0, wanted)
    if not shift.any():
        return columns
    n = len(counts)
    whole = concat_columns([*columns, text_column([""])])
    moved = []
    for place in range(wanted):
        source = place - shift
        at = np.where(source < 0, wanted * n, source * n + np.arange(n))
        moved.append(taken(whole, at))
    return moved


def _counted(heading: str, counts: Indices, blank: Mask) -> tuple[Note, ...]:
    """Say how many records have each number of parts."""
    times = np.bincount(counts[~blank])
    numbers = np.flatnonzero(times)
    times = times[numbers]
    if len(numbers) < 2 and not blank.any():
        return ()
    said = [
        f"{time} {'has' if time == 1 else 'have'} {number or 'no'} "
        f"part{'' if number == 1 else 's'}"
        for number, time in sorted(
            zip(numbers.tolist(), times.tolist(), strict=True),
            key=lambda pair: -pair[1],
        )
    ]
    more = ""
    if len(said) > _MOST_COUNTS:
        more = f", {len(said) - _MOST_COUNTS} other numbers of parts"
        said = said[:_MOST_COUNTS]
    if blank.any():
        said.append(f"{int(blank.sum()):,} {'is' if blank.sum() == 1 else 'are'} blank")
    return (
        Note(
            f"{heading}: of {len(counts)} records, {', '.join(said)}{more}.",
            is_headline=True,
        ),
    )


def _findings(
    terms: SplitTerms, table: Table, heading: str, wanted: int, few: Mask, many: Mask
) -> tuple[Finding, ...]:
    if terms.pattern is not None:
        too_few = f"{heading} does not match the pattern; the new fields are blank."
    else:
        too_few = (
            f"{heading} has fewer than {wanted} parts; the {terms.missing} fields are "
            "blank."
        )
    given = "first" if terms.surplus == "first" else "last"
    too_many = (
        f"{heading} has more than {wanted} parts; the {given} one has the surplus."
    )
    rule = f"{heading} has {wanted} parts"
    return tuple(
        Finding(
            rule,
            Severity.WARN,
            message,
            heading,
            table.origin.pick(mask),
            filter_column(table.cells(heading), mask),
        )
        for message, mask in ((too_few, few), (too_many, many))
        if mask.any()
    )


def _by_delimiter(
    terms: SplitTerms, heading: str, column: Column
) -> tuple[tuple[str, ...], Parts, tuple[Note, ...]]:
    cutting = terms.cutting
    places = find_cuts(column, cutting)
    names = terms.parts
    notes: tuple[Note, ...] = ()
    if not names:
        names, notes = _names(cutting, heading, int(places.counts.max(initial=0)))
    columns = cut(column, places, len(names), from_the_end=terms.surplus == "first")
    return names, Parts(columns, places.counts), notes


def _names(
    cutting: Cutting, heading: str, most: int
) -> tuple[tuple[str, ...], tuple[Note, ...]]:
    """Name the new fields by the parts of the heading, or number them."""
    spans = cuts_in(heading, cutting)
    quotes = cutting.respects_quotes
    pasted = tuple(map(trim, pieces_of(heading, spans, unquote=quotes)))
    if len(pasted) > 1:
        told = f"The heading was split too: the new fields are {format_names(pasted)}."
        return pasted, (Note(told, "To name them differently, use `parts`."),)
    if most > _MOST_FIELDS:
        raise BadTerms(
            f"a cell of '{heading}' has {most} parts.",
            "Name the new fields in `parts`, or make one record a part with `records`.",
            term="at",
        )
    return _number_headings(heading, max(2, most)), ()


def _by_pattern(terms: SplitTerms, column: Column) -> tuple[tuple[str, ...], Parts]:
    """Look for the pattern in every cell."""
    assert terms.pattern is not None
    groups, parts = match_groups(column, terms.pattern)
    names = terms.parts or groups
    if len(names) != len(groups):
        raise BadTerms(
            f"the pattern has {len(groups)} named groups, and {len(names)} new fields "
            "are named.",
            "Give a group for each new field, as in (?P<pontoon>[A-Z]).",
            term="parts",
        )
    return names, parts


def _records(
    terms: SplitTerms, table: Table, heading: str, notes: tuple[Note, ...]
) -> Outcome:
    """Make one record a part, in the place of the record that has the cell."""
    column = table.cells(heading)
    places = find_cuts(column, terms.cutting)
    if int(places.counts.max(initial=0)) < 2:
        said = Note(f"{heading}: no cell has two parts.", is_headline=True)
        return Outcome(table, notes=(*notes, said))
    parts, records = all_parts(column, places)
    (parts,) = _trimmed(terms, [parts])
    blank = blank_mask(parts)
    # A blank part makes no record, but a record without other parts stays.
    filled = np.bincount(records[~blank], minlength=len(table))
    first = np.ones(len(records), np.bool_)
    first[1:] = records[1:] != records[:-1]
    stays = ~blank | ((filled[records] == 0) & first)
    parts, records = filter_column(parts, stays), records[stays]
    at = table.headings.index(heading) + terms.keep
    new = [(f"{heading} part" if terms.keep else heading, parts)]
    dropped = () if terms.keep else (heading,)
    result, changes = with_new_fields(
        table.pick_records(records), new, at, dropped, term="parts"
    )
    notes += _counted(heading, places.counts, blank_mask(column))
    notes += (
        Note(
            f"{heading}: {len(table)} records became {len(records)}, one for each part "
            "that is not blank."
        ),
    )
    more = len(records) - len(table)
    return Outcome(result, changes=changes, notes=notes, lineage=Lineage(made=more))
