"""The account as a page: one self-contained HTML file, to be read, searched, printed.

Everything that comes from data is escaped, and the page's own policy (Content Security
Policy, level 3) runs no script but the one it was written with. However large the
lists are, the page stays small: it has the first of everything, and names the files of
the ledger that hold the rest.
"""

from __future__ import annotations

import base64
import hashlib
import importlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from importlib import resources
from typing import Any

import msgspec

from gruff_ledger.account.control import Chain
from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.account.words import (
    SUM_NAMES,
    balance_words,
    control_words,
    note_text,
    since_rows,
    since_words,
    written_words,
)
from gruff_ledger.columns.types import Column
from gruff_ledger.outcome import SetAside
from gruff_ledger.table import Origin
from gruff_ledger.words import visible

# What one part of the page may take, and all charts together; with the rest of the page
# that stays below 3 MB.
_PART_BYTES = 250_000
_CHART_BYTES = 900_000

# Rows of one part: more would be looked for in the ledger's files.
_MOST_ROWS = 250

# Longer cells are cut; fields beyond this are counted.
_CELL_CHARS = 300
_MOST_FIELDS = 40

_BAR_WIDTH = 150

# New, gone and changed records of a result.
_MOST_SINCE = 50

_MEDIA_TYPES = {".png": "image/png", ".svg": "image/svg+xml"}


class Part(msgspec.Struct):
    """
    The first rows of a part of the page.

    Attributes
    ----------
    rows : list of dict
    total : int
        How many there are in all.
    """

    rows: list[dict[str, Any]]
    total: int

    @property
    def left(self) -> int:
        """How many are not on the page."""
        return self.total - len(self.rows)


def account_page(
    account: Account,
    balance: Balance,
    images: Sequence[tuple[str, bytes]] = (),
    docket: str | None = None,
) -> bytes:
    """
    Return the account of a run as a page.

    Parameters
    ----------
    account : Account
    balance : Balance
    images : sequence of (name, bytes)
        The charts of the run, by the names of their files.
    docket : str, optional
        The name of its docket.

    Returns
    -------
    bytes
        HTML in UTF-8, less than 3 MB.
    """
    from markupsafe import Markup

    folder = resources.files("gruff_ledger.report") / "templates"
    texts = {
        name: (folder / name).read_text(encoding="utf-8")
        for name in ("account.css", "account.js")
    }
    # Our own, and hashed to the character: it must not be escaped.
    style, script = (Markup(texts[name]) for name in ("account.css", "account.js"))
    template = _template()
    facts = _facts(account, balance, images)
    page: str = template.render(
        **facts,
        docket=docket,
        style=style,
        script=script,
        style_hash=_policy_hash(style),
        script_hash=_policy_hash(script),
    )
    return page.encode("utf-8")


def _template() -> Any:
    """Return the template, compiled when the package was built where it can be."""
    import jinja2

    environment = jinja2.Environment(
        autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True
    )
    try:
        made = importlib.import_module("gruff_ledger.report.compiled_page")
    except ImportError:
        made = None
    # Compiled templates are for the release that compiled them.
    release = getattr(jinja2, "__version__", "")
    if made is not None and release and made.engine == release:
        return environment.template_class.from_module_dict(
            environment, vars(made), environment.globals
        )
    folder = resources.files("gruff_ledger.report") / "templates"
    text = (folder / "account.html").read_text(encoding="utf-8")
    return environment.from_string(text)


def _policy_hash(text: str) -> str:
    """Return what a page's policy calls a text by."""
    digest = hashlib.sha256(text.encode("utf-8")).digest()
    return f"sha256-{base64.b64encode(digest).decode()}"


def _facts(
    account: Account, balance: Balance, images: Sequence[tuple[str, bytes]]
) -> dict[str, Any]:
    sources = _first(account.sources, _source_row)
    most = max((line.records_in for line in account.entries), default=0)
    entries = _first(account.entries, lambda line: _entry_row(line, most))
    outs = _first(
        account.outs,
        lambda out: {
            "address": _cut(out.address),
            "result": _cut(out.result),
            "records": out.records,
        },
    )
    findings = _findings(account)
    rules = _first(
        [(line, found) for line in account.lines() for found in line.findings],
        lambda pair: {
            "entry": _cut(pair[0].label),
            "severity": str(pair[1].severity),
            "rule": _cut(pair[1].rule),
            "field": _cut(pair[1].field),
            "records": len(pair[1].origin),
        },
    )
    aside = _aside(account)
    changes = _changes(account)
    notes = _first(
        account.all_notes(),
        lambda note: {
            "text": _cut(note_text(note, account.source_names, in_docket=True), 2000)
        },
    )
    groups = _groups(account)
    control = [chain for chain in account.control if chain.sources or chain.entries]
    shown = _images(images)
    one, other = _balance_sides(balance)
    sides = [
        (*mine, *theirs)
        for mine, theirs in zip(
            one + [("", "")] * (len(other) - len(one)),
            other + [("", "")] * (len(one) - len(other)),
            strict=True,
        )
    ]
    contents = [
        {"id": key, "title": title}
        for key, title, there in (
            ("sources", "Sources", True),
            ("entries", "Entries", True),
            ("outs", "Results", outs.rows),
            ("balance", "Balance", True),
            ("control", "Control totals", control),
            ("charts", "Charts", shown),
            ("findings", "Findings", rules.rows),
            ("groups", "Copies", groups["sets"]),
            ("aside", "Set aside", aside.rows),
            ("changes", "Changed cells", changes.rows),
            ("notes", "Notes", notes.rows),
        )
        if there
    ]
    return {
        "title": _cut(account.title),
        "started": account.started,
        "holds": balance.holds,
        "balance_words": balance_words(balance),
        "control_words": [
            {"text": _cut(control_words(chain)[-1][1]), "closes": chain.closes}
            for chain in control
        ],
        "contents": contents,
        "sources": sources,
        "entries": entries,
        "outs": outs,
        "since": _first(
            account.since,
            lambda each: {
                "words": _cut(since_words(each)),
                "rows": [_cut(row) for row in since_rows(each, _MOST_SINCE)],
            },
        ),
        "balance": sides,
        "balance_total": sum(count for _, count in one),
        "balance_other": sum(count for _, count in other),
        "referred": balance.referred,
        "control": [_chain(chain) for chain in control],
        "images": shown,
        "rules": rules,
        "findings": findings,
        "groups": groups,
        "aside": aside,
        "changes": changes,
        "notes": notes,
    }


# Parts -------------------------------------------------------------------------------


def _first(items: Sequence[Any], row: Callable[[Any], dict[str, Any]]) -> Part:
    return _within(map(row, items), len(items))


def _within(rows: Iterable[dict[str, Any]], total: int) -> Part:
    """Take the rows that fit, at least one."""
    taken: list[dict[str, Any]] = []
    size = 0
    for row in rows:
        size += sum(_size(value) for value in row.values())
        if taken and (size > _PART_BYTES or len(taken) >= _MOST_ROWS):
            break
        taken.append(row)
    return Part(taken, total)


def _share(sizes: Sequence[int]) -> int:
    """Return how many rows each of several may have, so that none fills the page."""
    if sum(sizes) <= _MOST_ROWS:
        return _MOST_ROWS
    return max(5, _MOST_ROWS // len(sizes))


def _size(value: Any) -> int:
    """Return about how many bytes a value takes on the page."""
    # An escaped character takes up to six, and the cell around it twenty.
    if isinstance(value, str):
        more = sum(map(value.count, "<>&\"'"))
        return len(value.encode("utf-8", "replace")) + 5 * more + 20
    return 30


def _cut(text: str, most: int = _CELL_CHARS) -> str:
    shown = text if len(text) <= most else f"{text[: most - 1]}…"
    return visible(shown)


def _source_row(line: Line) -> dict[str, Any]:
    facts = {
        key: value() if callable(value) else value for key, value in line.facts.items()
    }
    return {
        "name": _cut(line.result),
        "address": _cut(facts["address"]),
        "written": _cut(written_words(facts)),
        "records": line.records_in,
        "aside": line.records_aside,
        "left_out": line.left_out,
        "size": facts["size_bytes"],
        "modified": facts["modified"] or "",
        "sha256": facts["sha256"] or "",
    }


def _entry_row(line: Line, most: int) -> dict[str, Any]:
    scale = _BAR_WIDTH / most if most else 0.0
    summed = line.summed or 0
    out = 0 if line.summed is not None else min(line.records_out, most)
    return {
        "label": _cut(line.label),
        "lists": _cut(", ".join(line.facts["lists"])),
        "result": _cut(line.result),
        "records_in": line.records_in,
        "made": line.records_made,
        "out": line.records_out,
        "aside": line.records_aside,
        "summed": "" if line.summed is None else summed,
        "changed": line.cells_changed,
        "findings": sum(len(found.origin) for found in line.findings),
        "bar_out": round(out * scale, 1),
        "bar_aside": round(line.records_aside * scale, 1),
        "bar_summed": round(summed * scale, 1),
    }


def _balance_sides(
    balance: Balance,
) -> tuple[list[tuple[str, int]], list[tuple[str, int]]]:
    """Return both sides of the balance; what is nothing is left out."""
    came = [
        ("in the sources", balance.records_in),
        ("used again", balance.used_again),
        ("made", balance.made),
    ]
    there = [
        ("out", balance.records_out),
        ("set aside", balance.set_aside),
        ("summed up", balance.summed),
        ("blank at the end", balance.left_out),
    ]
    return (
        [each for number, each in enumerate(came) if each[1] or not number],
        [each for number, each in enumerate(there) if each[1] or not number],
    )


def _chain(chain: Chain) -> dict[str, Any]:
    names = chain.sums
    return {
        "field": _cut(chain.field),
        "words": " ".join(text for _, text in control_words(chain)),
        "columns": [SUM_NAMES[name].replace("\n", " ") for name in names],
        "rows": [
            {"label": _cut(f"{written}{step.label}"), "cells": step.words(names)}
            for written, steps in (
                ("", chain.sources),
                ("", chain.entries),
                ("written ", chain.outs),
            )
            for step in steps
        ],
    }


def _images(images: Sequence[tuple[str, bytes]]) -> list[dict[str, str]]:
    shown = []
    left = _CHART_BYTES
    for name, data in images:
        kind = _MEDIA_TYPES.get(name[name.rfind(".") :].lower())
        left -= len(data)
        if kind is not None and left >= 0:
            coded = base64.b64encode(data).decode()
            shown.append({"name": _cut(name), "data": f"data:{kind};base64,{coded}"})
    return shown


class _Places:
    """Says where records are: the source, its record number, its row."""

    def __init__(self, account: Account) -> None:
        self._names = account.source_names
        self._above = [line.facts.get("heading_row") for line in account.sources]

    def of(self, origin: Origin, most: int) -> Iterator[dict[str, Any]]:
        """Yield the places of the first records."""
        for source, record in zip(
            origin.source[:most].tolist(), origin.record[:most].tolist(), strict=True
        ):
            yield self.at(source, record)

    def at(self, source: int, record: int) -> dict[str, Any]:
        """Return the place of one record."""
        above = self._above[source]
        return {
            "source": _cut(self._names[source]),
            "record": record,
            "row": None if above is None else above + record,
        }


def _texts(column: Column | None, n: int) -> list[str]:
    """Return the first cells of a column, as they are shown."""
    if column is None:
        return [""] * n
    return [_cut(text) for text in column.slice(0, n).to_pylist()]


def _findings(account: Account) -> Part:
    """Take the first findings of every rule, the worst rules first."""
    places = _Places(account)
    pairs = [(line, found) for line in account.lines() for found in line.findings]
    rank = {"stop": 0, "warn": 1, "note": 2}
    pairs.sort(key=lambda pair: rank[str(pair[1].severity)])
    total = sum(len(found.origin) for _, found in pairs)
    share = _share([len(found.origin) for _, found in pairs])

    def rows() -> Iterator[dict[str, Any]]:
        for line, found in pairs:
            n = min(share, len(found.origin))
            for place, value, message, nearest in zip(
                places.of(found.origin, n),
                _texts(found.value, n),
                _texts(found.messages, n),
                _texts(found.nearest, n),
                strict=True,
            ):
                yield {
                    **place,
                    "severity": str(found.severity),
                    "field": _cut(found.field),
                    "value": value,
                    "message": message,
                    "nearest": nearest,
                    "entry": _cut(line.label),
                }

    return _within(rows(), total)


def _aside(account: Account) -> Part:
    """Take the first records set aside, for each reason."""
    places = _Places(account)
    pairs = [(line, each) for line in account.lines() for each in line.aside]
    total = sum(len(each.table) for _, each in pairs)
    share = _share([len(each.table) for _, each in pairs])

    def rows() -> Iterator[dict[str, Any]]:
        for line, each in pairs:
            n = min(share, len(each.table))
            kept = [""] * n
            if each.kept is not None:
                kept = [
                    f"{place['source']} record {place['record']}"
                    for place in places.of(each.kept, n)
                ]
            cells = _cells_of(each, n)
            for number, place in enumerate(places.of(each.table.origin, n)):
                yield {
                    **place,
                    "entry": _cut(line.label),
                    "reason": _cut(each.reason),
                    "kept": kept[number],
                    "cells": cells[number],
                }

    return _within(rows(), total)


def _cells_of(aside: SetAside, n: int) -> list[str]:
    """Return the first records as text: each filled cell with its heading."""
    if aside.text is not None:
        return [_cut(text) for text in aside.text[:n]]
    table = aside.table
    few = table.pick_first(n)
    return [
        _cut(
            "; ".join(
                f"{heading}: {cell}"
                for heading, cell in zip(table.headings, cells, strict=True)
                if cell
            ),
            1000,
        )
        for cells in few.records()
    ]


def _changes(account: Account) -> Part:
    """Take the first changed cells of every entry and field."""
    places = _Places(account)
    found = [(line.label, each) for line in account.lines() for each in line.changes]
    found += [
        (f"writing {out.address}", each) for out in account.outs for each in out.changes
    ]
    total = sum(len(each.origin) for _, each in found)
    share = _share([len(each.origin) for _, each in found])

    def rows() -> Iterator[dict[str, Any]]:
        for label, each in found:
            n = min(share, len(each.origin))
            for place, was, now in zip(
                places.of(each.origin, n),
                _texts(each.was, n),
                _texts(each.now, n),
                strict=True,
            ):
                yield {
                    **place,
                    "field": _cut(each.field),
                    "was": was,
                    "now": now,
                    "entry": _cut(label),
                }

    return _within(rows(), total)


def _groups(account: Account) -> dict[str, Any]:
    """Lay out the records that were folded into others beside those that stay."""
    places = _Places(account)
    sets = []
    shown = total = size = 0
    for line in account.entries:
        for found in line.groups:
            total += found.total
            headings = found.headings[:_MOST_FIELDS]
            groups = []
            for group in found.groups:
                kept = group[0].cells
                rows = []
                for member in group:
                    cells = [
                        (
                            _cut(member.cells.get(heading, "")),
                            member.cells.get(heading, "") != kept.get(heading, ""),
                        )
                        for heading in headings
                    ]
                    size += sum(_size(text) for text, _ in cells)
                    rows.append(
                        {**places.at(member.source, member.record), "cells": cells}
                    )
                if size > _PART_BYTES and shown:
                    break
                shown += len(group) - 1
                groups.append(rows)
            if groups:
                sets.append(
                    {
                        "label": _cut(line.label),
                        "reason": _cut(found.reason),
                        "headings": [_cut(heading) for heading in headings],
                        "groups": groups,
                        "more_fields": len(found.headings) - len(headings),
                    }
                )
    return {"sets": sets, "shown": shown, "total": total, "left": total - shown}
