"""Entering work in a docket: what a command did, written down to be done again.

The docket's text is added to, and kept as it is otherwise, comments and all. A list
that the docket knows keeps its name there; a list that the docket itself writes is
taken from the entry that makes it. Before the new docket is put in its place, its work
is done once more, and must give the very list that the command gave.
"""

from __future__ import annotations

import itertools
import os
import re
import tomllib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from gruff_ledger.columns.arrays import unequal
from gruff_ledger.credentials import holds_credentials, readable
from gruff_ledger.docket.load import load_docket
from gruff_ledger.docket.toml_lines import Statement, line_of, statements
from gruff_ledger.field_names import free_heading
from gruff_ledger.job.engine import run
from gruff_ledger.job.job import Job, ListToRead, OutToWrite
from gruff_ledger.job.part import stopped_after
from gruff_ledger.lists.address import READING_KEYS, Server, parse_address
from gruff_ledger.lists.formats import by_ending, fitting
from gruff_ledger.lists.known_formats import FORMATS
from gruff_ledger.lists.outputs.commit import Outputs
from gruff_ledger.lists.outputs.prepare import output_place
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.problems import BadDocket, BadTerms, Problem
from gruff_ledger.speakers import DOCKET
from gruff_ledger.table import Table
from gruff_ledger.terms.declared import Terms, plain

# A ledger of its own: several dockets can lie in one folder.
_NEW = 'docket = 1\ntitle = "{stem}"\nledger = "{stem}-ledger"\n'


class Entering:
    """
    The entering of one command in a docket.

    Parameters
    ----------
    docket : Path
        It is made if there is none.
    job : Job
        The job of the command, before it is run.

    Raises
    ------
    Problem
        If the docket cannot be read, or the work cannot be entered there.
    """

    def __init__(self, docket: Path, job: Job) -> None:
        self._docket = docket
        self._job = job
        self._folder = docket.absolute().parent
        self._is_new = not docket.exists()
        self._known = None if self._is_new else _loaded(docket)
        self._tables = set() if self._is_new else _lists_in(docket)
        self._lists: dict[str, dict[str, Any]] = {}
        self._is_chained = False
        self._check()

    def _check(self) -> None:
        """Refuse what a docket cannot do again, before any work is done."""
        if any(each.address == "-" for each in self._job.lists):
            raise BadTerms(
                "standard input cannot be read again.",
                "Write the list to a file, and work on that.",
                term="enter",
            )
        places = [each.address for each in self._job.lists]
        places += [str(each.path) for each in self._job.outs]
        unreadable = next((each for each in places if readable(each) != each), None)
        if unreadable is not None:
            raise BadTerms(
                f"a docket is text, and the name '{readable(unreadable)}' is not in "
                "an encoding that it could be written in.",
                "Rename the file.",
                term="enter",
            )
        if any(holds_credentials(each.address) for each in self._job.lists):
            raise BadTerms(
                "an address has a password or a token in it, which a docket would keep "
                "for others to read.",
                "Enter the work with an address without it; then write a question in "
                'its place, such as from = "https://{login}@HOST/list.csv" with '
                "[ask.login], and answer it with `set`.",
                term="enter",
            )
        written = set(map(_find_written_place, self._job.outs))
        known = self._known.outs if self._known is not None else ()
        for out in known:
            if _find_written_place(out) in written:
                raise BadTerms(
                    f"{self._docket} writes '{out.address}' already.",
                    "Write to another file, or take that out of the docket first.",
                    term="enter",
                )
        for place, _ in written:
            if isinstance(place, Server) or not place.is_relative_to(
                self._folder.resolve()
            ):
                raise BadTerms(
                    f"'{place}' lies outside the docket's folder, where a docket may "
                    "not write.",
                    "Write below that folder, or keep the docket beside the result.",
                    term="enter",
                )
        (entry,) = self._job.entries
        # Without what stands in files that they name, such as rules.
        own = {*Terms.lists_named(entry.terms, {})}
        others = [said for said, _ in entry.references if said not in own]
        if others and self._folder.resolve() != Path.cwd().resolve():
            raise BadTerms(
                f"its rules name the list '{others[0]}' by a path that starts from "
                "here, and a docket's paths start from its own folder.",
                "Keep the docket in the folder where you work.",
                term="enter",
            )

    def enter(self, result: Table, *, has_findings: bool) -> int:
        """
        Write the work down, when its result shows that it would be the same again.

        Parameters
        ----------
        result : Table
            What the command gave.
        has_findings : bool
            Whether anything was found; those of earlier entries must not show in a
            workbook that has none.

        Returns
        -------
        int
            The number of the entry.

        Raises
        ------
        Problem
            If the docket would give another list; it is then left as it was.
        """
        text = self._text(has_findings=has_findings)
        with Outputs((), replace=True) as outputs:
            sink = outputs.begin(self._docket)
            outputs.end(self._docket, sink, lambda into: into.write(text.encode()))
            job = msgspec.structs.replace(
                _loaded(outputs.staged(self._docket)), docket=str(self._docket)
            )
            number = len(job.entries)
            again = run(stopped_after(job, str(number)), keep_result=True).result
            assert again is not None
            fault = difference(result, again)
            if fault:
                raise BadDocket(
                    f"this work was done, but not entered: the docket would give "
                    f"another list. {fault}",
                    "Its sources may have changed since they were worked on: run the "
                    "docket, and then work on what it writes.",
                    file=str(self._docket),
                )
            outputs.commit()
        return number

    # The text ------------------------------------------------------------------------

    def _text(self, *, has_findings: bool) -> str:
        """Return the docket's text with the work at its end."""
        (entry,) = self._job.entries
        before = ""
        if not self._is_new:
            before = self._docket.read_text(encoding="utf-8-sig")
        table: dict[str, Any] = {"do": entry.verb.name}
        named = [self._list_name(each) for each in self._listed(entry.lists)]
        entries = self._known.entries if self._known is not None else ()
        last = entries[-1].result if entries else None
        if entry.verb.several:
            table["lists"] = named
        elif named and named[0] != last:
            table["list"] = named[0]
        table |= self._terms(entry.terms)
        for further in entry.further:
            table[further.what.key] = self._path(further.address)
        result = f"entry {len(entries) + 1}"
        outs = self._job.outs
        if outs:
            taken = {*self._taken(), *self._lists}
            result = free_heading(_stem(outs[0]) or result, taken)
            table["as"] = result
        told = [("entry", table)]
        told += [
            ("out", self._out(out, result, has_findings=has_findings)) for out in outs
        ]
        text = self._pinned(before)
        if self._is_new:
            text = _NEW.format(stem=_quoted(self._docket.stem))
        text = self._with_control(text)
        parts = [text.rstrip("\n"), ""]
        for name, listed in self._lists.items():
            parts += [*_table(f"[lists.{_key(name)}]", listed), ""]
        for kind, each in told:
            parts += [*_table(f"[[{kind}]]", each), ""]
        return "\n".join(parts).rstrip("\n") + "\n"

    def _listed(self, names: Sequence[str]) -> list[ListToRead]:
        known = {each.name: each for each in self._job.lists}
        return [known[name] for name in names]

    def _taken(self) -> set[str]:
        """Return the names of lists that the docket has."""
        if self._known is None:
            return set()
        return self._tables | {each.result for each in self._known.entries}

    def _list_name(self, listed: ListToRead) -> str:
        """Return what the docket calls a list; a new one gains a table."""
        place = self._path(listed.address)
        if self._known is not None:
            made = self._made_there(listed)
            if made is not None:
                self._is_chained = True
                return made
            for each in self._known.lists:
                if each.name not in self._tables:
                    # Only looked into, by its address: no entry can name it.
                    continue
                same = self._path(each.address, self._known.folder) == place
                if same and each.reading == _own_reading(listed):
                    return each.name
        for name, table in self._lists.items():
            if table["from"] == place:
                return name
        name = free_heading(listed.name, {*self._taken(), *self._lists})
        self._lists[name] = {"from": place, **plain(_own_reading(listed))}
        return name

    def _made_there(self, listed: ListToRead) -> str | None:
        """Return the list of the docket that it writes to the place of this one."""
        assert self._known is not None
        if listed.reading != ReadingTerms():
            return None
        address = parse_address(listed.address, self._job.folder)
        if address.is_url:
            return None
        here = output_place(address.place, self._job.folder)

        part = address.fragment.sheet or address.fragment.table
        for out in self._known.outs:
            if _resolve_place(out.path) == _resolve_place(here) and out.part == part:
                return out.list_name
        return None

    def _path(self, said: str, folder: Path | None = None) -> str:
        """Return a path or address as it is seen from the docket's folder."""
        address = parse_address(said, folder or self._job.folder)
        if address.is_elsewhere:
            return said
        start = (folder or self._job.folder).absolute()
        rest = said[len(address.place) :]
        try:
            seen = os.path.relpath(start / address.place, self._folder)
        except ValueError:
            # On another disk.
            seen = str(start / address.place)
        return Path(seen).as_posix() + rest

    def _terms(self, terms: Terms) -> dict[str, Any]:
        """Return terms as a docket says them, with paths from its own folder."""
        return plain(
            terms,
            lambda names, said: (
                self._reference(said) if names == "list" else self._path(said)
            ),
        )

    def _reference(self, said: str) -> str:
        """Return the name of a list that is looked into, or its address."""
        if self._known is not None:
            made = self._made_there(ListToRead(said, said))
            if made is not None:
                return made
        listed = next((each for each in self._job.lists if each.address == said), None)
        if listed is None:
            return self._path(said)
        # What the command says of all its lists the docket says of this one.
        own = plain(_own_reading(listed))
        address = parse_address(said, self._job.folder)
        stated = {key for key, _ in address.fragment.reading}
        parts = [
            f"{key}={','.join(map(str, value)) if isinstance(value, list) else value}"
            for key, value in own.items()
            if key in READING_KEYS and key not in stated
        ]
        if not parts or address.fragment.pointer is not None:
            return self._path(said)
        mark = "/" if "#" in said else "#"
        return f"{self._path(said)}{mark}{'/'.join(parts)}"

    def _out(
        self, out: OutToWrite, result: str, *, has_findings: bool
    ) -> dict[str, Any]:
        _, dot, key = out.list_name.partition(".")
        terms = out.terms
        is_book = out.address.partition("#")[0].lower().endswith((".xlsx", ".ods"))
        if is_book and self._is_chained and not has_findings:
            terms = msgspec.structs.replace(terms, no_findings=True)
        listed = f"{result}{dot}{key}"
        return {"list": listed, "to": self._path(out.address), **plain(terms)}

    def _with_control(self, text: str) -> str:
        """Add control totals to those of the docket."""
        known = self._known.control if self._known is not None else ()
        more = [each for each in self._job.control if each not in known]
        if not more:
            return text
        if known:
            raise BadTerms(
                f"the docket has control totals of its own, and not of '{more[0]}'.",
                f"Add it to 'control' in {self._docket} first.",
                term="control",
            )
        line = f"control = {_toml(more)}"
        if self._is_new:
            return f"{text}{line}\n"
        at = line_of(tuple(statements(text)), (), key="docket") or 0
        lines = text.split("\n")
        return "\n".join([*lines[:at], line, *lines[at:]])

    def _pinned(self, text: str) -> str:
        """
        Name the lists of entries and outs that go without, and would mean others.

        An out without a list writes the last one made, an entry without one takes the
        only one there is: with more of both they would say something else.
        """
        if self._known is None:
            return text
        lines = text.split("\n")
        added: list[tuple[int, str]] = []
        counts = {"entry": 0, "out": 0}
        stated = list(statements(text))
        for place, each in enumerate(stated):
            if not each.is_header or each.path not in (("entry",), ("out",)):
                continue
            (kind,) = each.path
            counts[kind] += 1
            said = self._pin(kind, counts[kind], _keys_below(stated, place))
            if said:
                added.append((each.line, said))
        if counts["out"] < len(self._known.outs) or counts["entry"] < len(
            self._known.entries
        ):
            raise BadDocket(
                "its entries and outs are not written as tables that begin with "
                "[[entry]] and [[out]].",
                "Write them so; then more can be entered.",
                file=str(self._docket),
            )
        for at, said in reversed(added):
            lines.insert(at, said)
        return "\n".join(lines)

    def _pin(self, kind: str, number: int, keys: set[str]) -> str:
        """Return the line that names what an entry or out takes, where it needs one."""
        assert self._known is not None
        if kind == "out":
            if "list" in keys:
                return ""
            return f"list = {_toml(self._known.outs[number - 1].list_name)}"
        entry = self._known.entries[number - 1]
        if entry.verb.several:
            return "" if "lists" in keys else f"lists = {_toml(list(entry.lists))}"
        follows = number > 1 and entry.lists == (
            self._known.entries[number - 2].result,
        )
        if "list" in keys or follows or not entry.lists:
            return ""
        return f"list = {_toml(entry.lists[0])}"


def _keys_below(stated: Sequence[Statement], place: int) -> set[str]:
    """Return the keys of a table, which stand below its header."""
    below = itertools.takewhile(lambda each: not each.is_header, stated[place + 1 :])
    return {each.path[0] for each in below}


def _lists_in(docket: Path) -> set[str]:
    """Return the names that a docket gives to lists."""
    return set(tomllib.loads(docket.read_text(encoding="utf-8-sig")).get("lists", {}))


def _loaded(docket: Path) -> Job:
    try:
        return load_docket(docket)
    except Problem as problem:
        problem.said_to(DOCKET)
        raise


def _table(header: str, table: Mapping[str, Any]) -> list[str]:
    """Write a table with its header as the lines of a docket."""
    inside = header.strip("[]")
    lines = [header]
    beneath = []
    for key, value in table.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            for each in value:
                beneath += ["", *_table(f"[[{inside}.{_key(key)}]]", each)]
        else:
            lines.append(f"{_key(key)} = {_toml(value)}")
    return lines + beneath


def _key(name: str) -> str:
    """Write a key as TOML: bare where that can be."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else _toml(name)


def _toml(value: Any) -> str:
    """Write a value on one line as TOML (version 1.0); JSON is the same but tables."""
    if isinstance(value, dict):
        inside = ", ".join(
            f"{_key(key)} = {_toml(each)}" for key, each in value.items()
        )
        return f"{{ {inside} }}"
    if isinstance(value, list):
        return f"[{', '.join(map(_toml, value))}]"
    return msgspec.json.encode(value).decode().replace("\x7f", "\\u007f")


def _quoted(text: str) -> str:
    return _toml(text)[1:-1]


def difference(one: Table, other: Table) -> str:
    """
    Say where two lists differ first; empty where they are the same.

    Parameters
    ----------
    one, other : Table
        The list that was made, and the one that would be.
    """
    if one.headings != other.headings:
        return f"Its fields would be {', '.join(other.headings)}."
    if len(one) != len(other):
        return f"It would have {len(other)} records, and has {len(one)}."
    for heading in one.headings:
        mine, theirs = one.cells(heading), other.cells(heading)
        differs = unequal(mine, theirs)
        if differs.any():
            at = int(differs.argmax())
            return (
                f"Record {at + 1}, field '{heading}' is '{mine[at].as_py()}', and "
                f"would be '{theirs[at].as_py()}'."
            )
    return ""


def _stem(out: OutToWrite) -> str:
    return str(out.part) if isinstance(out.path, Server) else out.path.stem


def _find_written_place(out: OutToWrite) -> tuple[Path | Server, str | None]:
    """Return what an out fills: a file with all its parts, or one table on a server."""
    is_server = isinstance(out.path, Server)
    return _resolve_place(out.path), out.part if is_server else None


def _resolve_place(place: Path | Server) -> Path | Server:
    return place if isinstance(place, Server) else place.resolve()


def _own_reading(listed: ListToRead) -> ReadingTerms:
    """Return how a list is written, without what its format has not."""
    if not listed.is_shared:
        return listed.reading
    if listed.reading.format_ is not None:
        return listed.reading
    if listed.reading.widths:
        return fitting(FORMATS["fixed-width"], listed.reading)[0]
    place = parse_address(listed.address).file_name
    found = by_ending(place) or FORMATS["delimited"]
    return fitting(found, listed.reading)[0]
