"""join: several fields become one.

With a separator, blank cells are skipped, so that none stands at an end or twice. With
a template, the text between the fields always stands there, unless all of them are
blank: then the new cell is blank too. The new field stands where the first of its
sources stood; the sources go, unless they are kept.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

import numpy as np
from msgspec import Meta

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.text.room import TextRoom, TooMuchText
from gruff_ledger.cells.text.templates import by_template, cells_where, template_parts
from gruff_ledger.cells.text.weave import by_stretches, repeated, woven
from gruff_ledger.cells.text_bytes import Chunk
from gruff_ledger.naming import find_field, find_fields
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Column, Table, text_column
from gruff_ledger.terms import Terms
from gruff_ledger.work.newfields import chosen_place, with_new_fields


class JoinTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    fields: Annotated[
        tuple[str, ...], Meta(description="The fields to join, in this order.")
    ] = ()
    heading: Annotated[str, Meta(description="The heading of the new field.")]
    separator: Annotated[
        str, Meta(description="What stands between two cells that are not blank.")
    ] = " "
    template: Annotated[
        str | None,
        Meta(
            description="The new cell with field names in braces, as in "
            "'{Boat} ({Berth})'; a brace itself is written twice."
        ),
    ] = None
    keep_blank: Annotated[
        bool,
        Meta(
            description="Put the separator next to blank cells too, so that what was "
            "split joins to the same text."
        ),
    ] = False
    keep: Annotated[bool, Meta(description="Keep the fields that were joined.")] = False
    first: Annotated[bool, Meta(description="Let the new field stand first.")] = False
    after: Annotated[
        str | None, Meta(description="Let the new field stand right after this one.")
    ] = None

    def __post_init__(self) -> None:
        """Refuse terms that name no fields, or name them in two ways."""
        if bool(self.fields) == (self.template is not None):
            raise BadTerms(
                "fields are to be named once."
                if self.fields
                else "no fields are named.",
                "Name them in `fields`, or in `template`.",
                term="fields",
            )
        if self.keep_blank and self.template is not None:
            raise BadTerms(
                "a template already says what comes next to blank cells.",
                "Leave it out.",
                term="keep-blank",
            )
        if self.template is not None and not self._template_fields():
            raise BadTerms(
                f"the template '{self.template}' names no field.",
                "Write field names in braces, as in '{Boat} ({Berth})'.",
                term="template",
            )

    def _template_fields(self) -> list[str]:
        return [part for part, is_field in self.template_parts() if is_field]

    def template_parts(self) -> list[tuple[str, bool]]:
        """Return the parts of the template; see `template_parts`."""
        return template_parts(self.template or "", "template")


def perform(terms: JoinTerms, table: Table) -> Outcome:
    """
    Join several fields into one.

    Parameters
    ----------
    terms : JoinTerms
    table : Table, n records

    Raises
    ------
    UnknownField
        If a field is named that the list does not have.
    BadTerms
        If the new field's heading is there already.
    """
    notes: tuple[Note, ...] = ()
    if terms.template is None:
        sources, notes = find_fields(table, terms.fields, "fields")
        columns = [table.cells(heading) for heading in sources]
        between = [text_column([terms.separator])] * (len(columns) - 1)
        _check_room(table, [*columns, *between], "separator")
        column = with_separator(columns, terms.separator, keep_blank=terms.keep_blank)
    else:
        parts = []
        for text, is_field in terms.template_parts():
            if is_field:
                text, said = find_field(table, text, "template")
                notes += tuple(each for each in said if each not in notes)
            parts.append((text, is_field))
        sources = tuple(dict.fromkeys(text for text, is_field in parts if is_field))
        columns = [table.cells(heading) for heading in sources]
        pieces = [
            table.cells(text) if is_field else text_column([text])
            for text, is_field in parts
        ]
        _check_room(table, pieces, "template")
        column = by_template(
            [sources.index(text) if is_field else text for text, is_field in parts],
            columns,
        )
    at, said = chosen_place(
        table,
        first=terms.first,
        after=terms.after,
        otherwise=min(map(table.headings.index, sources)),
    )
    dropped = () if terms.keep else sources
    new = [(terms.heading, column)]
    result, changes = with_new_fields(table, new, at, dropped, term="heading")
    return Outcome(result, changes=changes, notes=notes + said)


def _check_room(table: Table, pieces: Sequence[Column], term: str) -> None:
    """Refuse a field that would take far more than the list does."""
    try:
        TextRoom(table).check_joined(pieces, len(table))
    except TooMuchText as error:
        raise BadTerms(
            f"{error.said}.", "Join fewer or shorter texts.", term=term
        ) from None


def with_separator(
    columns: Sequence[Column], separator: str, *, keep_blank: bool = False
) -> Column:
    """
    Join the cells of each record that are not blank; or all, where some are not.

    Examples
    --------
    >>> from gruff_ledger.table import text_column
    >>> one, other = text_column(["Ann", ""]), text_column(["Lee", "Roe"])
    >>> with_separator([one, other], ", ").to_pylist()
    ['Ann, Lee', 'Roe']
    """
    filled = [~blank_mask(column) for column in columns]
    if keep_blank:
        filled = [np.logical_or.reduce(filled)] * len(columns)

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        parts = []
        before = np.zeros(len(chunks[0].array), np.bool_)
        for chunk, mask in zip(chunks, filled, strict=True):
            mine = mask[where]
            parts.append(repeated(separator, before & mine))
            parts.append(cells_where(chunk, mine))
            before |= mine
        return [woven(parts)]

    (column,) = by_stretches(columns, of_stretch)
    return column
