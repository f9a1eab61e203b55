"""The page of a run for programs: what its screen says, as JSON of one structure.

The members are the same for every verb and for dockets; see docs/ledger.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from gruff_ledger.account.files import account_facts
from gruff_ledger.account.remarks import Remark, remarks_of
from gruff_ledger.account.words import (
    SourcePlaces,
    books_words,
    source_places,
    source_words,
)
from gruff_ledger.credentials import make_facts_readable
from gruff_ledger.speakers import Speaker

if TYPE_CHECKING:
    from gruff_ledger.job.engine import Run
    from gruff_ledger.table import Table

# Records that a remark names; how many there are is told of all.
_NAMED_RECORDS = 10


def page_text(run: Run, *, verb: str, speaker: Speaker, detail: Any = None) -> str:
    """
    Return what is shown of a run as JSON (RFC 8259), laid out to be read by people too.

    Parameters
    ----------
    run : Run
        Its list is among the facts if it is still to be shown.
    verb : str
        What was asked for: a verb, or ``run`` for a docket.
    speaker : Speaker
    detail : object, optional
        What the verb found beside a list.
    """
    account = run.account
    sources = source_places(account.sources)
    remarks = remarks_of(account, speaker=speaker, with_labels=verb == "run", all_=True)
    facts: dict[str, Any] = make_facts_readable(
        {
            "page": 1,
            "verb": verb,
            "headline": _told(remarks.headlines, sources),
            "attention": _told(remarks.attention, sources),
            "notes": _told(remarks.notes, sources),
            "read": [source_words(source) for source in account.sources],
            "books": books_words(run.balance),
            "written": [
                {"to": out.address, "records": out.records} for out in account.outs
            ],
            "detail": detail,
            "account": account_facts(account, run.balance),
        }
    )
    # Cells are told as they are.
    facts["result"] = None if run.result is None else _list_facts(run.result)
    return msgspec.json.format(msgspec.json.encode(facts), indent=2).decode("utf-8")


def _told(remarks: Sequence[Remark], sources: SourcePlaces) -> list[dict[str, Any]]:
    return [
        {
            "text": each.text,
            "severity": str(each.severity),
            **({} if each.origin is None else _places(each, sources)),
        }
        for each in remarks
    ]


def _places(remark: Remark, sources: SourcePlaces) -> dict[str, Any]:
    """Return how many records a remark is about, and the first of them."""
    origin = remark.origin
    assert origin is not None
    first = []
    for source, record in zip(
        origin.source[:_NAMED_RECORDS].tolist(),
        origin.record[:_NAMED_RECORDS].tolist(),
        strict=True,
    ):
        above = sources.heading_rows[source]
        first.append(
            {
                "list": sources.names[source],
                "record": record,
                "row": None if above is None else above + record,
            }
        )
    return {"count": len(origin), "first": first}


def _list_facts(table: Table) -> dict[str, Any]:
    """Return a list with all its records, each by its headings."""
    headings = table.headings
    records = [dict(zip(headings, record, strict=True)) for record in table.records()]
    return {"fields": list(headings), "records": records}
