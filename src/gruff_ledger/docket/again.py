"""Whether a docket has to be run again: only if something it was made from changed.

What counts is content: the docket's text, the answers to its questions, every source,
every file that entries name (rules, decisions), the program. Times of files do not
count, but for the results: one whose size or time is not as the run left it is made
anew. Nothing is read but the account of the last run, and the sources once, for their
hashes; so this module imports nothing that works on lists.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import tomllib
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from gruff_ledger import __version__
from gruff_ledger.credentials import kept_answers, without_credentials
from gruff_ledger.lists.web.terms import FetchTerms

_ACCOUNT_FILE = "account.json"
_WEB = ("http://", "https://")
_SERVER = ("postgresql://", "postgres://")


class Standing(NamedTuple):
    """
    How a docket stands against its last run.

    Attributes
    ----------
    changed : str
        What changed first, worded for a person; empty where nothing did.
    started : str
        When the last run was begun.
    sources : int
        How many sources it read.
    status : int
        The exit status it had.
    is_own : bool
        Whether all results that are there are as that run left them.
    """

    changed: str
    started: str = ""
    sources: int = 0
    status: int = 0
    is_own: bool = False


def standing(
    docket: Path,
    *,
    answers: Mapping[str, str],
    ledger: Path | None = None,
    fetch: FetchTerms | None = None,
) -> Standing:
    """
    Compare a docket, and all it is made from, with its last run.

    Parameters
    ----------
    docket : Path
    answers : mapping of str
        The answers to its questions that are given.
    ledger : Path, optional
        Another folder for the ledger than the docket names.
    fetch : FetchTerms, optional
        How lists from the web are asked after.

    Returns
    -------
    Standing
        A docket or ledger that cannot be read has changed: the run will say why.
    """
    try:
        data = docket.read_bytes()
        raw = tomllib.loads(data.decode("utf-8-sig"))
    except (OSError, ValueError):
        return Standing("the docket changed")
    try:
        given = answered(raw, answers)
        folder = ledger_of(docket, raw, given, ledger)
        account = read_account(docket, raw, given, ledger)
        made_from = account["made_from"]
        last = Standing(
            "",
            account["started"],
            len(account["sources"]),
            int(made_from["status"]),
        )
        is_own = _are_own(made_from["outs"], folder)
        last = last._replace(is_own=is_own)
        as_kept = kept_answers(raw, given)
        changed = _changed(data, as_kept, docket.parent, folder, account)
        if not changed:
            kept = filled(str(raw.get("kept", "kept")), given)
            terms = fetch or FetchTerms()
            if terms.kept is None:
                terms = msgspec.structs.replace(terms, kept=kept)
            changed = _has_web_changed(raw, given, docket.parent, account, terms)
    except FileNotFoundError:
        return Standing("there is no account of a run before")
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return Standing("the account of the run before cannot be read")
    return last._replace(changed=changed)


def ledger_of(
    docket: Path,
    raw: Mapping[str, Any],
    given: Mapping[str, str],
    ledger: Path | None = None,
) -> Path:
    """Return the folder of a docket's ledger, unless another one is named."""
    return ledger or docket.parent / filled(str(raw.get("ledger", "ledger")), given)


def read_account(
    docket: Path,
    raw: Mapping[str, Any],
    given: Mapping[str, str],
    ledger: Path | None = None,
) -> dict[str, Any]:
    """
    Read the account of a docket's last run.

    Raises
    ------
    OSError, ValueError
        If there is none, or it cannot be read.
    """
    folder = ledger_of(docket, raw, given, ledger)
    account: dict[str, Any] = json.loads((folder / _ACCOUNT_FILE).read_bytes())
    return account


def answered(raw: Mapping[str, Any], given: Mapping[str, str]) -> dict[str, str]:
    """Return the answers that a run without a person would take."""
    return {
        name: given.get(name, question.get("default"))
        for name, question in raw.get("ask", {}).items()
    }


def filled(text: str, answers: Mapping[str, str]) -> str:
    """Put answers in the place of the names of their questions."""
    for name, answer in answers.items():
        text = text.replace(f"{{{name}}}", str(answer))
    return text


def _changed(
    data: bytes,
    given: Mapping[str, str],
    folder: Path,
    ledger: Path,
    account: Mapping[str, Any],
) -> str:
    """Say what changed first, the cheapest to find out first."""
    made_from = account["made_from"]
    if made_from["program"] != __version__:
        return "the program is another version"
    if made_from["docket_sha256"] != hashlib.sha256(data).hexdigest():
        return "the docket changed"
    if made_from["answers"] != given:
        return "the answers to its questions changed"
    for out in made_from["outs"]:
        if out["path"].startswith(_SERVER):
            return "a result went to a database, and may have changed there"
        changed = _has_out_changed(ledger / out["path"], out)
        if changed:
            return f"{out['path']} {changed}"
    files = [
        (said, folder / said, digest) for said, digest in made_from["files"].items()
    ]
    sources = {}
    for source in account["sources"]:
        place = source["address"].partition("#")[0]
        if place == "standard input":
            return "a list came from standard input"
        if place.casefold().startswith(_SERVER):
            return "a list came from a database, which is only known by reading it"
        if not place.casefold().startswith(_WEB):
            sources[place] = source
    for pattern in made_from["patterns"]:
        if _matching(pattern["pattern"], folder) != pattern["files"]:
            return f"other files match {pattern['pattern']}"
    for place, source in sources.items():
        facts = _facts(folder / place)
        if facts is None:
            return f"{place} is not there any more"
        if facts.st_size != source["size_bytes"]:
            return f"{place} changed"
    files += [
        (place, folder / place, source["sha256"]) for place, source in sources.items()
    ]
    return _has_file_changed(files)


def _has_out_changed(path: Path, out: Mapping[str, Any]) -> str:
    facts = _facts(path)
    if facts is None:
        return "is not there any more"
    same = (out["size_bytes"], out["modified_ns"])
    return "" if (facts.st_size, facts.st_mtime_ns) == same else "was changed since"


def _are_own(outs: Sequence[Mapping[str, Any]], ledger: Path) -> bool:
    """Whether no result that is there was changed by anybody else."""
    return all(
        (not out["path"].startswith(_SERVER) and _facts(ledger / out["path"]) is None)
        or not _has_out_changed(ledger / out["path"], out)
        for out in outs
    )


def _facts(path: Path) -> os.stat_result | None:
    try:
        return path.stat()
    except OSError:
        return None


def _matching(pattern: str, folder: Path) -> list[str]:
    from gruff_ledger.lists.file_patterns import matching_files

    return matching_files(pattern, folder)


def _has_file_changed(files: Sequence[tuple[str, Path, str | None]]) -> str:
    """Hash files, several at once, and name the first that is not as it was."""
    with ThreadPoolExecutor(os.cpu_count() or 1) as threads:
        found = threads.map(lambda each: _hash_of(each[1]), files)
        for (said, _, digest), now in zip(files, found, strict=True):
            if now != digest:
                return f"{said} changed"
    return ""


def _hash_of(path: Path) -> str | None:
    try:
        with path.open("rb") as stream:
            return hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return None


def _has_web_changed(
    raw: Mapping[str, Any],
    given: Mapping[str, str],
    folder: Path,
    account: Mapping[str, Any],
    fetch: FetchTerms,
) -> str:
    """Ask after each list from the web, with what is known of its kept copy."""
    recorded = {
        source["address"]: source["sha256"]
        for source in account["sources"]
        if source["address"].casefold().startswith(_WEB)
    }
    if not recorded:
        return ""
    from gruff_ledger.lists.web.fetch import Fetching
    from gruff_ledger.problems import Problem

    # The account holds no passwords: where an address has one, the docket says it.
    whole = dict.fromkeys(recorded)
    for table in raw.get("lists", {}).values():
        said = filled(str(table.get("from", "")), given)
        if without_credentials(said) in recorded:
            whole.pop(without_credentials(said), None)
            whole[said] = None
    with contextlib.closing(Fetching(fetch, folder=folder)) as fetching:
        for said in whole:
            shown = without_credentials(said)
            try:
                place = said.partition("#")[0]
                opened = fetching.fetch(place, name=shown, address=said)
            except Problem:
                return f"{shown} cannot be fetched"
            if opened.path is None or _hash_of(opened.path) != recorded[shown]:
                return f"{shown} changed"
    return ""
