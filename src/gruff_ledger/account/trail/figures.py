"""What a figure of a result was drawn from: which records, and what each brought."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import numpy as np

from gruff_ledger.account.trail.answers import Part, Parts
from gruff_ledger.account.trail.format import DrawnLine, EntryLine, Who
from gruff_ledger.account.trail.walk import OpenTrail
from gruff_ledger.columns.types import Indices

# Records behind a figure that are told one by one.
SHOWN_PARTS = 20


def find_parts(
    trail: OpenTrail, listed: str, who: Who, field: str | None = None
) -> Parts | None:
    """
    Return what a figure, or a record of figures, was drawn from.

    Parameters
    ----------
    trail : OpenTrail
    listed : str
        The list that has the record.
    who : Who
    field : str, optional
        The heading of the figure there; without it all figures of the record are meant.

    Returns
    -------
    Parts or None
        None where the record, or the field, is no figure.
    """
    entry = trail.maker.get(listed)
    while entry is not None and not _makes_figures(entry):
        stage = trail.stage(entry, who)
        if stage is None:
            return None
        if field is not None:
            if field in entry.made:
                return None
            field = stage.name_before(field)
            if field is None:
                return None
        who = stage.was
        entry = trail.maker.get(stage.list_before)
    if entry is None:
        return None
    drawn = entry.drawn
    assert drawn is not None
    if field is not None and drawn.headings and field not in drawn.headings:
        # A label, and no figure.
        return None
    at, before = _drawn_at(trail, drawn, who.record - 1, field)
    total = _sum(trail, drawn, at, before)
    shown = tuple(
        part for row in at[:SHOWN_PARTS].tolist() for part in _part(trail, drawn, row)
    )
    figure = drawn.figure if before is None else f"change of {drawn.figure}"
    return Parts(entry.label, figure, len(at), shown, total)


def _makes_figures(entry: EntryLine) -> bool:
    return entry.drawn is not None and bool(entry.drawn.figure)


def _drawn_at(
    trail: OpenTrail, drawn: DrawnLine, row: int, field: str | None
) -> tuple[Indices, int | None]:
    """
    Return which of the parts are in a record of figures, or in one field of it.

    Where the figure is a change, the list from which it is counted is told too.
    """
    rows = trail.file.numbers(drawn.part, "row")
    if not drawn.rows:
        return np.flatnonzero(rows == row), None
    mask = np.ones(len(rows), np.bool_)
    before: int | None = None
    spans = [("row", drawn.rows[row])]
    if field is not None and field in drawn.headings:
        spans.append(("column", drawn.headings[field]))
    lists_of = trail.file.numbers(drawn.part, "part")
    for key, span in spans:
        if span.code >= 0:
            mask &= trail.file.numbers(drawn.part, key) == span.code
        mask &= (lists_of >= span.first) & (lists_of <= span.last)
        before = span.first if span.is_change else before
    return np.flatnonzero(mask), before


def _sum(
    trail: OpenTrail, drawn: DrawnLine, at: Indices, before: int | None
) -> str | None:
    """Add up what parts brought; those of the list before are taken off."""
    if drawn.figure != "sum":
        return None
    # What reads numbers takes longer to load than most traces take.
    from gruff_ledger.account.control import decimal_words

    numbers = [int(each) for each in trail.file.numbers(drawn.part, "value")[at]]
    if before is not None:
        lists_of = trail.file.numbers(drawn.part, "part")[at].tolist()
        numbers = [
            -number if listed == before else number
            for number, listed in zip(numbers, lists_of, strict=True)
        ]
    return decimal_words(Fraction(sum(numbers), 10**drawn.scale))


def _part(trail: OpenTrail, drawn: DrawnLine, row: int) -> Iterator[Part]:
    who = trail.file.who_at(drawn.part, row)
    assert who is not None
    field = value = ""
    if drawn.fields:
        from gruff_ledger.account.control import decimal_words

        field = drawn.fields[int(trail.file.numbers(drawn.part, "field")[row])]
        amount = trail.file.numbers(drawn.part, "value")[row]
        value = decimal_words(Fraction(int(amount), 10**drawn.scale))
    for place in trail.places(who):
        yield Part(place, field, value)
