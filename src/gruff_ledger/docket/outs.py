"""Where the results of a docket go."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from gruff_ledger.docket.sections import OutTerms
from gruff_ledger.docket.text import DocketText
from gruff_ledger.job.job import OutToWrite
from gruff_ledger.lists.address import Server
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.prepare import output_place, split_part
from gruff_ledger.problems import BadDocket, BadTerms, Problem, nearest_or_all
from gruff_ledger.terms.declared import describe, read


def read_outs(
    raw: Mapping[str, Any],
    text: DocketText,
    names: Sequence[str],
    last: str | None,
    folder: Path,
    anywhere: bool,
    faults: list[Problem],
) -> tuple[OutToWrite, ...]:
    """Return the outs of a docket, each with the place where it is stated."""
    outs = []
    for number, table in enumerate(raw.get("out", []), 1):
        line = text.line("out", number, "to")
        try:
            terms = read(OutTerms, table)
            name = terms.list_ or last
            if name is None:
                raise BadTerms(
                    "the docket has several lists and no entry.",
                    "Name the one to write in `list`.",
                    term="list",
                )
            if name not in names:
                raise BadTerms(
                    f"there is no list '{name}'.",
                    nearest_or_all(name, names, "lists"),
                    term="list",
                )
            place, part = split_part(terms.to)
            path = output_place(place, folder)
            check_below(path, folder, anywhere, text, line)
        except Problem as problem:
            faults.append(text.refused(problem, "out", number, f"out {number}"))
            continue
        writing = WritingTerms(
            **{
                term.attribute: getattr(terms, term.attribute)
                for term in describe(WritingTerms)
            }
        )
        outs.append(OutToWrite(path, terms.to, name, part, writing, terms.key))
    return tuple(outs)


def check_below(
    path: Path | Server,
    folder: Path,
    anywhere: bool,
    text: DocketText,
    line: int | None,
) -> None:
    """Refuse a place outside the docket's folder, links followed."""
    try:
        is_below = isinstance(path, Path) and path.resolve().is_relative_to(
            folder.resolve()
        )
    except (OSError, RuntimeError, ValueError) as error:
        raise BadDocket(
            f"'{path}' cannot be followed to a place: {error}.",
            "Correct it.",
            file=text.file,
            line=line,
        ) from error
    if anywhere or is_below:
        return
    raise BadDocket(
        f"'{path}' lies outside the docket's folder, where a docket may not write.",
        "Name a place below that folder, or allow it with `anywhere`.",
        file=text.file,
        line=line,
    )
