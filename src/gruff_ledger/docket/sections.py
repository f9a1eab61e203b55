"""What the sections of a docket say, declared."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.terms.declared import Terms
from gruff_ledger.work.verb import Verb

DOCKET_VERSION = 1


class DocketTerms(Terms, frozen=True, kw_only=True):
    """What a docket says of itself."""

    docket: Annotated[int, Meta(description="The version of the docket's layout: 1.")]
    title: Annotated[str, Meta(description="What the job is called.")] = ""
    ledger: Annotated[
        str, Meta(description="The folder, below the docket's own, for the ledger.")
    ] = "ledger"
    control: Annotated[
        tuple[str, ...],
        Meta(
            description="Fields whose exact sums are carried from the sources to the "
            "outputs, with what each entry took out."
        ),
    ] = ()
    kept: Annotated[
        str,
        Meta(
            description="The folder, below the docket's own, for copies of lists that "
            "are fetched: what has not changed is not fetched again."
        ),
    ] = "kept"


class AskTerms(Terms, frozen=True, kw_only=True):
    """A question that is answered at each run; {name} stands for the answer."""

    say: Annotated[str, Meta(description="The question, as the person reads it.")]
    default: Annotated[
        str | None, Meta(description="The answer when none is given.")
    ] = None
    choices: Annotated[
        tuple[str, ...], Meta(description="The answers that are possible.")
    ] = ()


class ListTerms(ReadingTerms, frozen=True, kw_only=True):
    """A list: where it comes from, and what is pinned of how it is written."""

    from_: Annotated[str, Meta(description="The address of the list.")]


class OutTerms(WritingTerms, frozen=True, kw_only=True):
    """An output: where it goes, and how it is written."""

    to: Annotated[
        str,
        Meta(
            description="The path to write to; book.xlsx#sheet=NAME for a tab of a "
            "workbook, register.db#table=NAME for a table of a database."
        ),
    ]
    list_: Annotated[
        str | None,
        Meta(description="The list to write; the last one made, unless named."),
    ] = None
    key: Annotated[
        tuple[str, ...],
        Meta(
            description="The fields that tell its records apart, for what changed "
            "since the last run."
        ),
    ] = ()


class EntryTerms(Terms, frozen=True, kw_only=True):
    """What every entry says beside the terms of its verb."""

    do: Annotated[str, Meta(description="The verb.")]
    as_: Annotated[str | None, Meta(description="A name for the resulting list.")] = (
        None
    )


class OneListTerms(EntryTerms, frozen=True, kw_only=True):
    """What an entry on one list says."""

    list_: Annotated[
        str | None,
        Meta(description="The list to work on; the one in hand, unless named."),
    ] = None


class SeveralListsTerms(EntryTerms, frozen=True, kw_only=True):
    """What an entry on several lists says."""

    lists: Annotated[
        tuple[str, ...],
        Meta(
            description="The lists to work on; all lists of the docket, unless named."
        ),
    ] = ()


def entry_terms(verb: Verb) -> type[EntryTerms]:
    """Return what an entry of that verb says beside the verb's own terms."""
    return SeveralListsTerms if verb.several else OneListTerms


SECTIONS = {"ask": dict, "lists": dict, "entry": list, "out": list}
