"""The files of a ledger folder: the account for programs, and its lists for people.

``account.json`` holds everything in numbers; ``set-aside.csv``, ``findings.csv`` and
``changes.csv`` hold the records and cells themselves, each with the source, record
number and row it came from.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.columns.arrays import (
    concat_columns,
    constant_column,
    number_column,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.columns.pending import Held, column_of
from gruff_ledger.columns.types import Column
from gruff_ledger.credentials import make_facts_readable
from gruff_ledger.field_names import make_headings
from gruff_ledger.outcome import SetAside
from gruff_ledger.table import Origin, Table

ACCOUNT_FILE = "account.json"

# The version of the layout of these files; a reader can tell what to expect.
LEDGER_VERSION = 1

_PLACE = ("source", "record", "row")


def ledger_tables(account: Account) -> dict[str, list[Table]]:
    """
    Return the lists of the ledger by the names of their files.

    Each is in parts with the same headings, at least one, to be written one after the
    other: put together, a long list of the ledger would be held twice.
    """
    lists = {
        "set-aside.csv": _set_aside_parts(account),
        "findings.csv": _findings_parts(account),
        "changes.csv": _changes_parts(account),
    }
    return {
        name: [_stacked(headings, [part]) for part in parts] or [_stacked(headings, [])]
        for name, (headings, parts) in lists.items()
    }


def set_aside_table(account: Account) -> Table:
    """
    Return every record set aside: why, where it came from, what replaced it, its cells.

    Returns
    -------
    Table
        First the fields of the account, then those of the records; ``text`` holds a
        record as it was in its source where its cells do not fit its headings.
    """
    headings, parts = _set_aside_parts(account)
    return _stacked(headings, parts)


_Parts = tuple[Sequence[str], list[list[Held]]]


def _set_aside_parts(account: Account) -> _Parts:
    own = ("entry", "reason", *_PLACE, "kept source", "kept record", "text")
    parts = [(line.label, aside) for line in account.lines() for aside in line.aside]
    theirs = list(dict.fromkeys(h for _, aside in parts for h in aside.table.headings))
    headings, _ = make_headings([*own, *theirs])
    columns = [
        [
            constant_column(label, len(aside.table)),
            constant_column(aside.reason, len(aside.table)),
            *_place_columns(account, aside.table.origin),
            *_kept_columns(account, aside),
            _text_column(aside),
            *_fields_or_blank(aside.table, theirs),
        ]
        for label, aside in parts
    ]
    return headings, columns


def _findings_parts(account: Account) -> _Parts:
    own = ("entry", "severity", "rule", "field", "value", "message", "nearest")
    headings = (*own, *_PLACE)
    columns = [
        [
            *(
                constant_column(text, len(found.origin))
                for text in (line.label, found.severity, found.rule, found.field)
            ),
            found.value,
            found.messages,
            found.nearest or constant_column("", len(found.origin)),
            *_place_columns(account, found.origin),
        ]
        for line in account.lines()
        for found in line.findings
    ]
    return headings, columns


def _changes_parts(account: Account) -> _Parts:
    changes = [(line.label, each) for line in account.lines() for each in line.changes]
    changes += [
        (f"writing {out.address}", each) for out in account.outs for each in out.changes
    ]
    columns = [
        [
            constant_column(label, len(change.origin)),
            constant_column(change.field, len(change.origin)),
            change.was,
            change.now,
            *_place_columns(account, change.origin),
        ]
        for label, change in changes
    ]
    return ("entry", "field", "was", "now", *_PLACE), columns


def _place_columns(account: Account, origin: Origin) -> list[Column]:
    """Return the source's name, the record number and the row of each record."""
    heading_rows = [line.facts.get("heading_row") for line in account.sources]
    above = [-1 if row is None else row for row in heading_rows] or [0]
    starts = np.array(above, np.int64)[origin.source]
    rows = number_column(starts + origin.record)
    if -1 in above:
        # Some formats know no rows.
        blank = constant_column("", len(origin))
        places = np.arange(len(origin)) + np.where(starts < 0, len(origin), 0)
        rows = taken(concat_columns([rows, blank]), places)
    return [
        spread_column(account.source_names, origin.source),
        number_column(origin.record),
        rows,
    ]


def _kept_columns(account: Account, aside: SetAside) -> list[Column]:
    if aside.kept is None:
        return [constant_column("", len(aside.table))] * 2
    names = spread_column(account.source_names, aside.kept.source)
    return [names, number_column(aside.kept.record)]


def _text_column(aside: SetAside) -> Column:
    if aside.text is None:
        return constant_column("", len(aside.table))
    return text_column(aside.text)


def _fields_or_blank(table: Table, headings: Sequence[str]) -> list[Held]:
    """Return a field for each heading, blank where the list has none."""
    fields = dict(zip(table.headings, table.held, strict=True))
    blank = constant_column("", len(table))
    return [fields.get(heading, blank) for heading in headings]


def _stacked(headings: Sequence[str], parts: Sequence[Sequence[Held]]) -> Table:
    n = sum(len(part[0]) for part in parts)
    if len(parts) == 1:
        # Columns of which only some records are kept stay so until they are written.
        columns = tuple(parts[0])
    else:
        columns = tuple(
            concat_columns([column_of(part[place]) for part in parts])
            for place in range(len(headings))
        )
    return Table(tuple(headings), columns, Origin.counted(0, 1, n), "the ledger")


def account_facts(account: Account, balance: Balance) -> dict[str, Any]:
    """
    Return the account as plain values, for ``account.json`` and ``--json``.

    Passwords and tokens of addresses are not among them.
    """
    facts: dict[str, Any] = make_facts_readable(_facts(account, balance))
    return facts


def _facts(account: Account, balance: Balance) -> dict[str, Any]:
    return {
        "ledger": LEDGER_VERSION,
        "title": account.title,
        "started": account.started,
        "sources": [_source_facts(line) for line in account.sources],
        "entries": [_line_facts(line) for line in account.entries],
        "outs": [
            {
                "to": out.address,
                "list": out.result,
                "records": out.records,
                "cells_guarded": sum(len(change.origin) for change in out.changes),
            }
            for out in account.outs
        ],
        **({"control": _control_facts(account)} if account.control else {}),
        **({"since_last": _since_facts(account)} if account.since else {}),
        "findings": _findings_by_rule(account),
        "notes": [
            {"note": note.what, "remedy": note.remedy.replace("`", "")}
            for note in account.all_notes()
        ],
        "balance": {
            "records_in": balance.records_in,
            "used_again": balance.used_again,
            "left_out": balance.left_out,
            "set_aside": balance.set_aside,
            "records_out": balance.records_out,
            "made": balance.made,
            "summed": balance.summed,
            "referred": balance.referred,
            "balances": balance.holds,
        },
    }


def _source_facts(line: Line) -> dict[str, Any]:
    facts = _line_facts(line)
    return {"name": facts.pop("result"), **facts, "left_out": line.left_out}


def _line_facts(line: Line) -> dict[str, Any]:
    reasons: dict[str, int] = {}
    for aside in line.aside:
        reasons[aside.reason] = reasons.get(aside.reason, 0) + len(aside.table)
    return {
        "entry": line.label,
        "result": line.result,
        **{key: _known(value) for key, value in line.facts.items()},
        "records_in": line.records_in,
        "records_out": line.records_out,
        "set_aside": line.records_aside,
        "set_aside_by_reason": reasons,
        **({} if line.summed is None else {"summed": line.summed}),
        **({"made": line.made} if line.made else {}),
        "cells_changed": line.cells_changed,
        "findings": sum(len(found.origin) for found in line.findings),
    }


def _since_facts(account: Account) -> list[dict[str, Any]]:
    return [
        {
            "to": each.address,
            "new": each.new,
            "gone": each.gone,
            "changed": each.changed,
            "cells_changed": each.cells,
            **({"not_compared": each.said} if each.said else {}),
        }
        for each in account.since
    ]


def _control_facts(account: Account) -> list[dict[str, Any]]:
    from gruff_ledger.account.control import control_facts

    return control_facts(account.control)


def _known(value: Any) -> Any:
    """Return a fact; one that was still being found out is waited for."""
    return value() if callable(value) else value


def _findings_by_rule(account: Account) -> list[Mapping[str, Any]]:
    return [
        {
            "entry": line.label,
            "rule": found.rule,
            "severity": str(found.severity),
            "field": found.field,
            "message": found.message,
            "records": len(found.origin),
        }
        for line in account.lines()
        for found in line.findings
    ]
