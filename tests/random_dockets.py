"""Random dockets over random lists, for laws that hold whatever the work is."""

from __future__ import annotations

import csv
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger.docket.load import load_docket
from gruff_ledger.job.engine import run
from gruff_ledger.job.job import Job
from gruff_ledger.problems import Problem

_HEADINGS = ("Berth", "Boat", "Quay", "Length", "Skipper", "Note")
_CELLS = {
    "Berth": ("N-01", "N-02", "n-02 ", "N-03", "S-01", "", "007"),
    "Boat": ("Grey Heron", " Grey  Heron", "Old Seal", "Tern", "", "Red Tern, Old"),
    "Quay": ("north", "North", "south", ""),
    "Length": ("9.4", "12", "7.05", "n/a", "", "-3"),
    "Skipper": ("A. Tidewell", "B. Saltwhick", "a. tidewell", ""),
    "Note": ("late; paid", "paid", "x;y;z", "", "-"),
}

Entry = dict[str, Any]


def make_docket(seed: int, folder: Path) -> Path:
    """
    Write a docket with its lists in a folder; the same seed makes the same.

    Parameters
    ----------
    seed : int
    folder : Path
        Gains lists ``a.csv``, ``b.csv``, … and ``job.toml``, whose outs go to
        ``out-1.csv`` and so on.

    Returns
    -------
    Path
        The docket. Every entry of it can be done.
    """
    chance = random.Random(seed)
    names = list("abc")[: chance.randint(1, 3)]
    for name in names:
        _write_list(chance, folder / f"{name}.csv")
    docket = folder / "job.toml"
    entries: list[Entry] = []
    wanted = chance.randint(1, 6)
    for _ in range(wanted * 4):
        if len(entries) == wanted:
            break
        lists = _lists_so_far(names, entries)
        entry = _entry(chance, lists, folder)
        entry["as"] = f"e{len(entries) + 1}"
        _write(docket, names, [*entries, entry], [])
        try:
            headings = _result(load_docket(docket))
        except Problem:
            # Not all that can be said fits the lists there are.
            continue
        if headings:
            entries.append(entry)
            _KNOWN[folder, entry["as"]] = headings
    if not entries:
        entries = [{"do": "sort", "list": "a", "by": "1 ", "as": "e1"}]
        entries[0]["by"] = f'"{_headings_of(folder, "a")[0]}"'
    outs = [entries[-1]["as"]]
    outs += [each["as"] for each in entries[:-1] if chance.random() < 0.3]
    if entries[-1]["do"] == "lookup" and chance.random() < 0.7:
        outs += [f"{outs[0]}.unmatched", f"{outs[0]}.unused"]
    _write(docket, names, entries, outs)
    return docket


_KNOWN: dict[tuple[Path, str], tuple[str, ...]] = {}


def _write_list(chance: random.Random, path: Path) -> None:
    headings = chance.sample(_HEADINGS, chance.randint(2, len(_HEADINGS)))
    records = [
        [chance.choice(_CELLS[heading]) for heading in headings]
        for _ in range(chance.randint(1, 12))
    ]
    # A record that is blank throughout at the end is no record.
    records.append([_CELLS[heading][0] for heading in headings])
    with path.open("w", encoding="utf-8", newline="") as sink:
        csv.writer(sink).writerows([headings, *records])
    _KNOWN[path.parent, path.stem] = tuple(headings)


def _lists_so_far(names: list[str], entries: list[Entry]) -> list[str]:
    return [*names, *(entry["as"] for entry in entries)]


def _headings_of(folder: Path, name: str) -> tuple[str, ...]:
    return _KNOWN[folder, name]


def _result(job: Job) -> tuple[str, ...]:
    """Run a job without writing; return the headings of its last list."""
    bare = msgspec.structs.replace(job, outs=(), ledger=None)
    result = run(bare, keep_result=True).result
    assert result is not None
    return result.headings if len(result) else ()


def _write(
    docket: Path, names: list[str], entries: list[Entry], outs: list[str]
) -> None:
    lines = ["docket = 1"]
    for name in names:
        lines += [f"[lists.{name}]", f'from = "{name}.csv"']
    for entry in entries:
        lines += [
            "[[entry]]",
            *(f"{key} = {_toml(each)}" for key, each in entry.items()),
        ]
    for number, out in enumerate(outs, 1):
        lines += ["[[out]]", f'to = "out-{number}.csv"', f"list = {_toml(out)}"]
    docket.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _toml(value: Any) -> str:
    """Write a value as TOML; JSON is the same but for tables."""
    if isinstance(value, dict):
        inside = ", ".join(
            f"{_toml(key)} = {_toml(each)}" for key, each in value.items()
        )
        return f"{{ {inside} }}"
    if isinstance(value, list):
        return f"[{', '.join(map(_toml, value))}]"
    return msgspec.json.encode(value).decode()


def _entry(chance: random.Random, lists: list[str], folder: Path) -> Entry:
    """Return an entry on lists that are there; it may be one that cannot be done."""
    make = chance.choice(_MAKERS)
    # Most often the last list is worked on, as in a docket that people write.
    name = lists[-1] if chance.random() < 0.7 else chance.choice(lists)
    headings = _headings_of(folder, name)
    field = chance.choice(headings)
    some = chance.sample(headings, min(len(headings), chance.randint(1, 2)))
    given = _Given(chance, lists, name, headings, field, some, folder)
    return make(given)


class _Given(msgspec.Struct):
    """What an entry can be made of."""

    chance: random.Random
    lists: list[str]
    name: str
    headings: tuple[str, ...]
    field: str
    some: list[str]
    folder: Path

    def maybe(self, **terms: Any) -> Entry:
        """Return some of the terms."""
        return {
            key.replace("_", "-"): value
            for key, value in terms.items()
            if self.chance.random() < 0.5
        }

    def new(self) -> str:
        """Return a heading, often a new one."""
        return self.chance.choice(("New", "More", self.field, "Berth"))


def _scrub(given: _Given) -> Entry:
    terms = given.maybe(trim=True, squeeze=True, case="title", null=["n/a", "-"])
    fill = given.maybe(fill="none")
    return {"do": "scrub", "list": given.name, "fields": given.some, **terms, **fill}


def _split(given: _Given) -> Entry:
    where = given.chance.choice(([" "], [";"], ["; ", ", "]))
    terms = given.maybe(keep=True)
    if given.chance.random() < 0.5:
        terms["records"] = True
    else:
        terms["parts"] = [given.new(), "Rest"]
    return {
        "do": "split",
        "list": given.name,
        "field": given.field,
        "at": where,
        **terms,
    }


def _join(given: _Given) -> Entry:
    terms = given.maybe(keep=True, first=True)
    heading = given.new()
    return {
        "do": "join",
        "list": given.name,
        "fields": given.some,
        "heading": heading,
        **terms,
    }


def _fields(given: _Given) -> Entry:
    way = given.chance.choice(
        (
            {"drop": [given.field]},
            {"rename": {given.field: given.new()}},
            {"first": given.some},
            {"keep": given.some},
        )
    )
    return {"do": "fields", "list": given.name, **way}


def _compute(given: _Given) -> Entry:
    formula = f"COALESCE(\"{given.field}\", 'x') || '!'"
    terms = given.maybe(overwrite=True, first=True)
    return {
        "do": "compute",
        "list": given.name,
        "formula": {given.new(): formula},
        **terms,
    }


def _pick(given: _Given) -> Entry:
    return {"do": "pick", "list": given.name, "where": f'"{given.field}" IS NOT NULL'}


def _sort(given: _Given) -> Entry:
    by = ", ".join(f'"{each}" AS TEXT' for each in given.some)
    return {"do": "sort", "list": given.name, "by": by}


def _flag(given: _Given) -> Entry:
    terms = given.maybe(remarks="Remarks", set_aside_stops=True)
    return {"do": "flag", "list": given.name, "required": given.some, **terms}


def _duplicates(given: _Given) -> Entry:
    terms = given.maybe(match="loose", fill=True)
    treat = given.maybe(treat=given.chance.choice(("mark", "count", "show")))
    by = given.maybe(by=given.some)
    if not by:
        terms.pop("fill", None)
    return {"do": "duplicates", "list": given.name, **by, **terms, **treat}


def _lookup(given: _Given) -> Entry:
    other = given.chance.choice(given.lists)
    theirs = _headings_of(given.folder, other)
    taken = given.chance.choice(theirs)
    there = given.chance.choice(("refuse", "fill", "overwrite"))
    terms = given.maybe(status="Found", which=given.chance.choice(("first", "every")))
    return {
        "do": "lookup",
        "list": given.name,
        "in": other,
        "key": {given.field: given.chance.choice(theirs)},
        "take": {taken: given.new()},
        "field-there": there,
        **terms,
    }


def _merge(given: _Given) -> Entry:
    lists = given.chance.sample(
        given.lists, min(len(given.lists), given.chance.randint(1, 3))
    )
    terms = given.maybe(name_source="List", keep_blank=True)
    if given.chance.random() < 0.5:
        terms["key"] = [given.field]
        terms |= given.maybe(precedence="filled", status="Status")
    return {"do": "merge", "lists": lists, **terms}


def _count(given: _Given) -> Entry:
    return {
        "do": "count",
        "lists": [given.name],
        "by": given.some,
        **given.maybe(match="loose"),
    }


def _rollup(given: _Given) -> Entry:
    terms = given.maybe(totals="both", figure=given.chance.choice(("mean", "count")))
    lists = [given.name, *given.chance.sample(given.lists, 1)]
    if given.chance.random() < 0.5:
        terms |= {"detail": given.chance.choice(("beneath", "beside"))}
        terms |= given.maybe(change=True)
    return {
        "do": "rollup",
        "lists": list(dict.fromkeys(lists)),
        "down": [given.field],
        "value": ["Length"],
        **terms,
    }


def _compare(given: _Given) -> Entry:
    other = given.chance.choice(given.lists)
    return {"do": "compare", "lists": [given.name, other], "key": [given.field]}


def _card(given: _Given) -> Entry:
    value = given.chance.choice(_CELLS.get(given.field, ("north",)))
    lay = given.maybe(lay="across")
    return {
        "do": "card",
        "list": given.name,
        "key": [given.field],
        "value": [value],
        **lay,
    }


_MAKERS: tuple[Callable[[_Given], Entry], ...] = (
    *(_scrub, _split, _join, _fields, _compute, _pick, _sort, _flag, _duplicates),
    *(_lookup, _merge, _count, _rollup, _compare, _card, _merge, _lookup, _split),
)
