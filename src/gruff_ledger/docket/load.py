"""Loading a docket: a TOML file (https://toml.io, version 1.0) checked into a job.

Whatever is wrong with a docket is said with its file, the place in it and the nearest
key, list or question that is known.
"""

from __future__ import annotations

import contextlib
import hashlib
import tomllib
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger.credentials import kept_answers
from gruff_ledger.docket.answers import fill_in, find_answers
from gruff_ledger.docket.outs import check_below, read_outs
from gruff_ledger.docket.sections import (
    DOCKET_VERSION,
    SECTIONS,
    AskTerms,
    DocketTerms,
    EntryTerms,
    ListTerms,
    OneListTerms,
    SeveralListsTerms,
    entry_terms,
)
from gruff_ledger.docket.text import DocketText
from gruff_ledger.docket.toml_lines import statements
from gruff_ledger.job.job import (
    Entry,
    FurtherOut,
    Job,
    ListToRead,
    beside_name,
    files_of,
    further_outs,
    referred,
)
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import unreadable
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.problems import (
    BadDocket,
    BadTerms,
    Problem,
    nearest_or_all,
    toml_fault,
)
from gruff_ledger.terms.declared import (
    Terms,
    all_of,
    describe,
    lists_in,
    read,
    unknown_key,
)
from gruff_ledger.work.registry import VERBS
from gruff_ledger.work.verb import Verb


def load_docket(
    path: Path,
    *,
    answers: Mapping[str, str] | None = None,
    ask: Callable[[str, AskTerms], str] | None = None,
    anywhere: bool = False,
    ledger: Path | None = None,
    fetch: FetchTerms | None = None,
    text: bytes | None = None,
) -> Job:
    """
    Load and check a docket.

    Parameters
    ----------
    path : Path
    answers : mapping of str, optional
        Answers to the docket's questions by name.
    ask : callable, optional
        Asks the person a question that is not answered; without it the default is
        taken.
    anywhere : bool
        Whether outputs and ledger may lie outside the docket's folder.
    ledger : Path, optional
        Another folder for the ledger than the docket names.
    fetch : FetchTerms, optional
        How lists are fetched; where it names no folder for copies, the docket does.
    text : bytes, optional
        What it says, where it came through a pipe: paths then start from where the
        person is.

    Returns
    -------
    Job

    Raises
    ------
    UnreadableSource
        If the file cannot be read.
    BadDocket
        If it is no TOML, or says something unknown, ill-typed or missing.
    """
    stated, raw, digest = _parse(path, text)
    # Everything that is wrong is told at once.
    faults: list[Problem] = []
    own = _own_terms(raw, stated, faults)
    answered = find_answers(raw, stated, answers or {}, ask, faults)
    filled = fill_in(raw, answered)
    as_kept = kept_answers(raw, answered)
    folder = path.parent if text is None else Path()
    lists = _lists(filled, stated, faults)
    entries, results, last, more = _entries(
        filled, stated, [each.name for each in lists], folder, anywhere, faults
    )
    names = [*(each.name for each in lists), *results]
    last = last or _only(names)
    outs = read_outs(filled, stated, names, last, folder, anywhere, faults)
    with _gather_fault(faults):
        if ledger is None:
            ledger = folder / str(filled.get("ledger", own.ledger))
            line = stated.line("", 1, "ledger")
            check_below(ledger, folder, anywhere, stated, line)
    fetching = fetch or FetchTerms()
    if fetching.kept is None:
        kept = str(filled.get("kept", own.kept))
        line = stated.line("", 1, "kept")
        with _gather_fault(faults):
            check_below(folder / kept, folder, anywhere, stated, line)
        fetching = msgspec.structs.replace(fetching, kept=kept)
    if faults:
        raise all_of(faults)
    assert ledger is not None
    return Job(
        title=fill_in(str(raw.get("title", "")), as_kept) or path.name,
        folder=folder,
        lists=lists + more,
        entries=entries,
        outs=outs,
        ledger=ledger,
        docket=str(path),
        fetch=fetching,
        control=own.control,
        untouched={path: "the docket"},
        below=() if anywhere else (folder, ledger),
        made_from={"docket_sha256": digest, "answers": as_kept},
    )


@contextlib.contextmanager
def _gather_fault(faults: list[Problem]) -> Iterator[None]:
    """Gather a problem, to be told with the others."""
    try:
        yield
    except Problem as problem:
        faults.append(problem)


def _only(names: Sequence[str]) -> str | None:
    return names[0] if len(names) == 1 else None


def _parse(
    path: Path, given: bytes | None = None
) -> tuple[DocketText, dict[str, Any], str]:
    file = str(path)
    try:
        data = path.read_bytes() if given is None else given
    except OSError as error:
        raise unreadable(error, path, file) from error
    try:
        text = data.decode("utf-8-sig")
        digest = hashlib.sha256(data).hexdigest()
        raw = tomllib.loads(text)
        return DocketText(file, tuple(statements(text))), raw, digest
    except UnicodeDecodeError as error:
        raise BadDocket(
            "it is not written in UTF-8, as TOML must be.",
            "Save it as UTF-8.",
            file=file,
            line=data[: error.start].count(b"\n") + 1,
        ) from error
    except RecursionError as error:
        raise BadDocket(
            "its lists or tables are nested too deeply to be read.",
            "Correct it.",
            file=file,
        ) from error
    except ValueError as error:
        raise BadDocket(
            toml_fault(error),
            "Correct it there; text goes in double quotes, a table's name in brackets.",
            file=file,
        ) from error


def _own_terms(
    raw: Mapping[str, Any], text: DocketText, faults: list[Problem]
) -> DocketTerms:
    known = [term.key for term in describe(DocketTerms)] + list(SECTIONS)
    own = {key: value for key, value in raw.items() if key not in SECTIONS}
    found: list[Problem] = [unknown_key(key, known) for key in own if key not in known]
    terms = DocketTerms(docket=DOCKET_VERSION)
    try:
        terms = read(DocketTerms, {k: v for k, v in own.items() if k in known})
    except BadTerms as problem:
        found += problem.every()
    for fault in found:
        key = fault.term if isinstance(fault, BadTerms) else None
        line = text.line(key or "") or text.line("", 1, key)
        faults.append(
            BadDocket(fault.what, fault.remedy, file=text.file, line=line, term=key)
        )
    if terms.docket != DOCKET_VERSION:
        faults.append(
            BadDocket(
                f"its layout is version {terms.docket}; this program knows "
                f"{DOCKET_VERSION}.",
                f"Write docket = {DOCKET_VERSION}, or use a newer program.",
                file=text.file,
                line=text.line("", 1, "docket"),
                term="docket",
            )
        )
    for section, kind in SECTIONS.items():
        members = raw.get(section, kind())
        each = members.values() if isinstance(members, dict) else members
        if not isinstance(members, kind) or not all(
            isinstance(member, dict) for member in each
        ):
            form = f"[[{section}]]" if kind is list else f"[{section}.NAME]"
            wrong = BadDocket(
                f"'{section}' should be tables of the form {form}.",
                "Correct the brackets.",
                file=text.file,
                line=text.line(section) or text.line("", 1, section),
            )
            # Nothing can be told of what is in it.
            raise all_of([*faults, wrong])
    return terms


def _lists(
    raw: Mapping[str, Any], text: DocketText, faults: list[Problem]
) -> tuple[ListToRead, ...]:
    lists = []
    for name, table in raw.get("lists", {}).items():
        try:
            terms = read(ListTerms, table)
        except BadTerms as problem:
            entry = f"list '{name}'"
            faults.append(text.refused(problem, ("lists", name), entry=entry))
            # What works on it is looked at all the same.
            lists.append(ListToRead(name, ""))
            continue
        reading = ReadingTerms(
            **{
                term.attribute: getattr(terms, term.attribute)
                for term in describe(ReadingTerms)
            }
        )
        lists.append(ListToRead(name, terms.from_, reading))
    if not lists:
        faults.append(
            BadDocket(
                "it names no list.",
                'Add a table such as [lists.north] with from = "north.csv".',
                file=text.file,
            )
        )
    return tuple(lists)


def _entries(
    raw: Mapping[str, Any],
    text: DocketText,
    list_names: Sequence[str],
    folder: Path,
    anywhere: bool,
    faults: list[Problem],
) -> tuple[tuple[Entry, ...], list[str], str | None, tuple[ListToRead, ...]]:
    """
    Return the entries, all lists they make, the last one, and those they refer to.

    What an entry makes is known to those after it even where it has a fault.
    """
    entries: list[Entry] = []
    more: dict[str, ListToRead] = {}
    known = list(list_names)
    looked_into = _looked_into(raw)
    worked_on = [name for name in list_names if name not in looked_into]
    in_hand = _only(worked_on)
    last = None
    for number, table in enumerate(raw.get("entry", []), 1):
        said = table.get("as")
        result = said if isinstance(said, str) else f"entry {number}"
        verb = VERBS.get(str(table.get("do")))
        place = f"entry {number} ({verb.name})" if verb else f"entry {number}"
        try:
            entry = _entry(
                number, table, place, text, known, worked_on, in_hand, folder, anywhere
            )
            addresses = entry.terms.lists_named(dict(entry.files))
            references = referred(addresses, known, more)
            entries.append(msgspec.structs.replace(entry, references=references))
        except Problem as problem:
            faults.append(text.refused(problem, "entry", number, place))
        known.append(result)
        known += [beside_name(result, each.key) for each in verb.beside] if verb else []
        in_hand = last = result
    made = known[len(list_names) :]
    return tuple(entries), made, last, tuple(more.values())


def _entry(
    number: int,
    table: Mapping[str, Any],
    place: str,
    text: DocketText,
    known: Sequence[str],
    worked_on: Sequence[str],
    in_hand: str | None,
    folder: Path,
    anywhere: bool,
) -> Entry:
    """
    Return one entry; `known` are the lists that are there by then.

    Raises
    ------
    Problem
        With all others that are wrong with it.
    """
    verb = _verb(table)
    said = entry_terms(verb)
    keys = {term.key for term in describe(said)}
    further_keys = {each.key for each in verb.further}
    faults: list[Problem] = []
    with _gather_fault(faults):
        _check_keys(table, verb, keys | further_keys)
    line = text.line("entry", number)
    head: EntryTerms | None = None
    terms: Terms | None = None
    with _gather_fault(faults):
        head = read(said, {k: v for k, v in table.items() if k in keys})
    known_keys = {term.key for term in describe(verb.terms)}
    own = {k: v for k, v in table.items() if k in known_keys}
    with _gather_fault(faults):
        terms = read(verb.terms, own)
    further: tuple[FurtherOut, ...] = ()
    with _gather_fault(faults):
        further = further_outs(table, verb, folder)
        for each in further:
            check_below(each.path, folder, anywhere, text, line)
    files: tuple[tuple[str, bytes | None], ...] = ()
    names: tuple[str, ...] = ()
    if terms is not None:
        for path, must_be_there in terms.files_named().items():
            if not must_be_there:
                # What is kept there is written to by `review`.
                with _gather_fault(faults):
                    check_below(folder / path, folder, anywhere, text, line)
        with _gather_fault(faults):
            files = files_of(terms, folder)
        with _gather_fault(faults):
            terms.lists_named(dict(files))
    result = f"entry {number}"
    if head is not None:
        result = head.as_ or result
        with _gather_fault(faults):
            names = _named_lists(head, worked_on, known, in_hand, verb.needs_list)
        if result in known:
            faults.append(
                BadTerms(
                    f"there is a list '{result}' already.",
                    "Give `as` another name.",
                    term="as",
                )
            )
    if faults:
        raise all_of(faults)
    assert terms is not None
    return Entry(number, verb, terms, names, result, place, line, further, (), files)


def _looked_into(raw: Mapping[str, Any]) -> set[str]:
    """Return what entries name as lists beside the one they work on."""
    named: set[str] = set()
    for table in raw.get("entry", []):
        verb = VERBS.get(str(table.get("do")))
        if verb is not None:
            named.update(lists_in(verb.terms, table))
    return named


def _verb(table: Mapping[str, Any]) -> Verb:
    name = table.get("do")
    if not isinstance(name, str):
        raise BadTerms(
            "it is required." if name is None else "it should be the name of a verb.",
            f"The verbs are {', '.join(VERBS)}.",
            term="do",
        )
    if name not in VERBS:
        raise BadTerms(
            f"there is no verb '{name}'.",
            nearest_or_all(name, VERBS, "verbs"),
            term="do",
        )
    return VERBS[name]


def _check_keys(table: Mapping[str, Any], verb: Verb, keys: set[str]) -> None:
    """Refuse unknown keys, each with the nearest of all that the entry may have."""
    known = [*(term.key for term in describe(verb.terms)), *sorted(keys)]
    unknown: list[Problem] = [
        unknown_key(key, known) for key in table if key not in known
    ]
    if unknown:
        raise all_of(unknown)


def _named_lists(
    head: EntryTerms,
    list_names: Sequence[str],
    known: Sequence[str],
    in_hand: str | None,
    needs_list: bool,
) -> tuple[str, ...]:
    if isinstance(head, SeveralListsTerms):
        names: Sequence[str] = head.lists or list_names
    else:
        assert isinstance(head, OneListTerms)
        named = head.list_ or in_hand
        if named is None and not needs_list:
            return ()
        if named is None:
            raise BadTerms(
                "no list is in hand yet, and the docket has several.",
                "Name the one to work on in `list`.",
                term="list",
            )
        names = (named,)
    faults: list[Problem] = [
        BadTerms(
            f"there is no list '{name}' at that point.",
            nearest_or_all(name, known, "lists"),
            term="lists" if isinstance(head, SeveralListsTerms) else "list",
        )
        for name in names
        if name not in known
    ]
    if faults:
        raise all_of(faults)
    return tuple(names)
