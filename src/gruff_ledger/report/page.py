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
from collections.abc import Callable, Mapping, Sequence
from importlib import resources
from types import MappingProxyType
from typing import Any

from gruff_ledger.account.control import Chain
from gruff_ledger.account.ledger import Account, Balance, Line
from gruff_ledger.account.remarks import Remark, remarks_of
from gruff_ledger.account.words import (
    SUM_NAMES,
    books_words,
    control_words,
    since_rows,
    since_words,
    time_words,
    write_words,
)
from gruff_ledger.report.flow import draw_records
from gruff_ledger.report.page_parts import (
    Part,
    aside_part,
    changes_part,
    cut_text,
    findings_part,
    groups_part,
    within_bounds,
)
from gruff_ledger.speakers import DOCKET

_CHART_BYTES = 900_000


# What needs attention, above everything else.
_MOST_TO_ATTEND_TO = 8

# New, gone and changed records of a result.
_MOST_SINCE = 50

_MEDIA_TYPES = {".png": "image/png", ".svg": "image/svg+xml"}


def account_page(
    account: Account,
    balance: Balance,
    images: Sequence[tuple[str, bytes]] = (),
    docket: str | None = None,
    links: Mapping[str, str] = MappingProxyType({}),
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
    links : mapping of str to str
        For the results that are files: by their addresses, how the page refers to them.

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
    facts = _facts(account, balance, images, links)
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
    account: Account,
    balance: Balance,
    images: Sequence[tuple[str, bytes]],
    links: Mapping[str, str],
) -> dict[str, Any]:
    sources = _first(account.sources, _source_row)
    entries = _first(account.entries, _entry_row)
    outs = _first(
        account.outs,
        lambda out: {
            "address": cut_text(out.address),
            "link": links.get(out.address, ""),
            "result": cut_text(out.result),
            "records": out.records,
        },
    )
    findings = findings_part(account)
    rules = _first(
        [(line, found) for line in account.lines() for found in line.findings],
        lambda pair: {
            "entry": cut_text(pair[0].label),
            "severity": str(pair[1].severity),
            "rule": cut_text(pair[1].rule),
            "field": cut_text(pair[1].field),
            "records": len(pair[1].origin),
        },
    )
    aside = aside_part(account)
    changes = changes_part(account)
    remarks = remarks_of(account, speaker=DOCKET, with_labels=True)
    attention = _first(remarks.attention[:_MOST_TO_ATTEND_TO], _remark_row)
    attention.total = len(remarks.attention)
    every = remarks_of(account, speaker=DOCKET, with_labels=True, all_=True)
    notes = _first((*every.headlines, *every.attention, *every.notes), _remark_row)
    drawing = draw_records(account)
    groups = groups_part(account)
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
            ("outs", "Results", outs.rows),
            ("flow", "Where the records went", drawing),
            ("entries", "Entries", True),
            ("balance", "Balance", True),
            ("control", "Control totals", control),
            ("charts", "Charts", shown),
            ("findings", "Findings", rules.rows),
            ("groups", "Copies", groups["sets"]),
            ("aside", "Set aside", aside.rows),
            ("changes", "Changed cells", changes.rows),
            ("notes", "Notes", notes.rows),
            ("sources", "Lists", True),
        )
        if there
    ]
    return {
        "title": cut_text(account.title),
        "started": time_words(account.started),
        "holds": balance.holds,
        "balance_words": books_words(balance),
        "attention": attention,
        "drawing": drawing,
        "control_words": [
            {"text": cut_text(control_words(chain)[-1][1]), "closes": chain.closes}
            for chain in control
        ],
        "contents": contents,
        "sources": sources,
        "entries": entries,
        "outs": outs,
        "since": _first(
            account.since,
            lambda each: {
                "words": cut_text(since_words(each)),
                "rows": [cut_text(row) for row in since_rows(each, _MOST_SINCE)],
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
    return within_bounds(map(row, items), len(items))


def _source_row(line: Line) -> dict[str, Any]:
    facts = {
        key: value() if callable(value) else value for key, value in line.facts.items()
    }
    return {
        "name": cut_text(line.result),
        "address": cut_text(facts["address"]),
        "written": cut_text(write_words(facts)),
        "records": line.records_in,
        "aside": line.records_aside,
        "left_out": line.left_out,
        "size": f"{facts['size_bytes']:,}",
        "modified": time_words(facts["modified"] or ""),
        "sha256": facts["sha256"] or "",
    }


def _remark_row(remark: Remark) -> dict[str, Any]:
    return {"text": cut_text(remark.text, 2000), "severity": str(remark.severity)}


def _entry_row(line: Line) -> dict[str, Any]:
    return {
        "label": cut_text(line.label),
        "lists": cut_text(", ".join(line.facts["lists"])),
        "result": cut_text(line.result),
        "records_in": line.records_in,
        "made": line.records_made,
        "out": 0 if line.summed is not None else line.records_out,
        "aside": line.records_aside,
        "summed": "" if line.summed is None else line.summed,
        "changed": line.cells_changed,
        "findings": sum(len(found.origin) for found in line.findings),
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
        "field": cut_text(chain.field),
        "words": " ".join(text for _, text in control_words(chain)),
        "columns": [SUM_NAMES[name].replace("\n", " ") for name in names],
        "rows": [
            {"label": cut_text(f"{written}{step.label}"), "cells": step.words(names)}
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
            shown.append(
                {"name": cut_text(name), "data": f"data:{kind};base64,{coded}"}
            )
    return shown
