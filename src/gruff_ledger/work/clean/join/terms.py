"""The terms of `join`."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.cells.text.templates import template_parts
from gruff_ledger.problems import BadTerms
from gruff_ledger.terms.declared import Terms


class JoinTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    fields: Annotated[
        tuple[str, ...], Meta(description="The fields to join, in this order.")
    ] = ()
    heading: Annotated[str, Meta(description="The heading of the new field.")]
    separator: Annotated[
        str, Meta(description="What goes between two cells that are not blank.")
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
    first: Annotated[bool, Meta(description="Put the new field first.")] = False
    after: Annotated[
        str | None, Meta(description="Put the new field right after this one.")
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
