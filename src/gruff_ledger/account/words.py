"""Words on a run: numbers with their nouns, places, notes, the balance; for any page.

Everything here gives plain text; where it is shown is for others to know.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from gruff_ledger.speakers import Speaker
from gruff_ledger.words import counted, number_words

if TYPE_CHECKING:
    from gruff_ledger.account.control import Chain
    from gruff_ledger.account.ledger import Balance, Line, Since
    from gruff_ledger.columns.types import Column
    from gruff_ledger.outcome import Finding, Note
    from gruff_ledger.table import Origin

_DELIMITER_NAMES = {
    ",": "commas",
    ";": "semicolons",
    "\t": "tabs",
    "|": "vertical bars",
}

_FORMAT_NAMES = {
    "xlsx": "XLSX",
    "xls": "an old workbook",
    "xlsb": "a binary workbook",
    "ods": "ODS",
    "html": "a page",
    "markdown": "text",
    "fixed-width": "fixed width",
    "json": "JSON",
    "json-lines": "JSON Lines",
    "parquet": "Parquet",
    "sqlite": "SQLite",
    "postgresql": "PostgreSQL",
}

# Formats whose encoding is found, and not that of a standard.
_OF_TEXT = ("html", "markdown", "fixed-width")

_MONTHS = (
    *("January", "February", "March", "April", "May", "June", "July", "August"),
    *("September", "October", "November", "December"),
)

# A longer cell is cut where it is cited.
_LONGEST_VALUE = 80

# How many records a note or finding shows.
_SHOWN_RECORDS = 3

# What the sums of a step are called on the screen.
SUM_NAMES = {
    "came_in": "in",
    "begun": "begins\nhere",
    "made": "made",
    "changed": "by\nchanges",
    "aside": "set\naside",
    "folded": "folded",
    "summed": "summed\nup",
    "left": "left with\nthe field",
    "out": "out",
}


def write_words(facts: Mapping[str, Any]) -> str:
    """Say how a source is written, from its facts in the account."""
    said = []
    if facts["format"] == "delimited":
        mark = " with a byte-order mark" if facts["byte_order_mark"] else ""
        said = [f"{facts['encoding']}{mark}", _delimiter_words(facts["delimiter"])]
    else:
        said = [facts["encoding"]] if facts["format"] in _OF_TEXT else []
        said += [_FORMAT_NAMES.get(facts["format"], facts["format"])]
    if "packing" in facts:
        said.insert(0, f"packed by {facts['packing']}")
    if "tab" in facts:
        hidden = "hidden tab" if facts.get("hidden") else "tab"
        said.append(f"{hidden} '{facts['tab']}'")
    if "table" in facts:
        said.append(f"table '{facts['table']}'")
    if "columns" in facts and "widths" in facts.get("pinned", ()):
        # Those that were found are said with how to state others.
        said.append(f"columns at {facts['columns']}")
    if "pointer" in facts:
        said.append(f"under {facts['pointer']}")
    if facts["heading_row"] is not None:
        row = facts["heading_row"]
        said.append(f"heading in row {row}" if row else "no heading")
    return ", ".join(said)


def _delimiter_words(delimiter: str) -> str:
    return _DELIMITER_NAMES.get(delimiter, f"'{delimiter}' between cells")


def source_words(line: Line) -> str:
    """Say how large a source is, and how it is written."""
    facts = line.facts
    fields = counted(len(facts["headings"]), "field")
    blank = f", {line.left_out} of them blank at the end" if line.left_out else ""
    return (
        f"{facts['address']}: {counted(line.records_in, 'record')}{blank}, {fields} "
        f"({write_words(facts)})."
    )


def time_words(iso: str) -> str:
    """
    Return a time of an account as people write it.

    Examples
    --------
    >>> time_words("2026-10-05T08:15:30Z"), time_words("")
    ('5 October 2026, 08:15 UTC', '')
    """
    if not iso:
        return ""
    year, month, day = iso[:10].split("-")
    return f"{int(day)} {_MONTHS[int(month) - 1]} {year}, {iso[11:16]} UTC"


class SourcePlaces(NamedTuple):
    """
    What tells where a record of a source is.

    Attributes
    ----------
    names : tuple of str
        Of the sources by position, as an `Origin` counts them.
    heading_rows : tuple of int
        The row of each one's heading; None for lists that know no rows.
    """

    names: tuple[str, ...] = ()
    heading_rows: tuple[int | None, ...] = ()

    def tell(self, source: int, record: int) -> str:
        """Return the row of a record as its source shows it, or its number."""
        above = self.heading_rows[source] if source < len(self.heading_rows) else None
        return f"record {record}" if above is None else f"row {above + record}"

    def cite(self, origin: Origin, at: int, *, with_name: bool) -> str:
        """Return the place of one record as a column of places has it."""
        source = int(origin.source[at])
        row = self.tell(source, int(origin.record[at])).removeprefix("row ")
        return f"{self.names[source]}, {row}" if with_name else row


def source_places(sources: Sequence[Line]) -> SourcePlaces:
    """Return what tells where the records of a run's sources are."""
    return SourcePlaces(
        tuple(line.result for line in sources),
        tuple(line.facts.get("heading_row") for line in sources),
    )


def places(origin: Origin, sources: SourcePlaces, values: Sequence[str] = ()) -> str:
    """
    Name the first few: ``north, row 4 'X', row 9; south, row 5, and 12 more``.

    Values are given as they are to be shown.
    """
    said: list[str] = []
    before = None
    for index in range(min(len(origin), _SHOWN_RECORDS)):
        source, record = int(origin.source[index]), int(origin.record[index])
        value = f" {values[index]}" if values and values[index] else ""
        told = f"{sources.tell(source, record)}{value}"
        if source == before:
            said.append(told)
        elif said:
            said[-1] += f"; {sources.names[source]}, {told}"
        else:
            said.append(f"{sources.names[source]}, {told}")
        before = source
    more = len(origin) - _SHOWN_RECORDS
    if more > 0:
        said.append(f"and {number_words(more)} more")
    return ", ".join(said)


def note_text(note: Note, sources: SourcePlaces, *, speaker: Speaker) -> str:
    """Return what a note says: what, the first few records, the remedy."""
    text = note.what
    if note.origin is not None and len(note.origin):
        values = [] if note.value is None else _quoted(note.value)
        text = f"{text.rstrip('.')}: {places(note.origin, sources, values)}."
    if note.remedy:
        text = f"{text} {speaker.said(note.remedy)}"
    return text


def _quoted(column: Column) -> list[str]:
    """Return the first few cells as they are shown; blank ones say enough."""
    values = column.slice(0, _SHOWN_RECORDS).to_pylist()
    return [f"'{_cut(value)}'" if value.strip() else "" for value in values]


def _cut(value: str) -> str:
    return value if len(value) <= _LONGEST_VALUE else f"{value[: _LONGEST_VALUE - 1]}…"


def finding_words(found: Finding) -> str:
    """Return what a finding says; of messages that differ, the first."""
    if found.said is None or not len(found.said):
        return found.message
    first, *others = found.said.slice(0, 2).to_pylist()
    return f"{first.rstrip('.')}, and the like" if others else str(first)


def show_values(found: Finding) -> list[str]:
    """Return the first cells of a finding, each with the value perhaps meant."""
    values = found.value.slice(0, _SHOWN_RECORDS).to_pylist()
    nearest = [""] * len(values)
    if found.unsaid_nearest is not None:
        nearest = found.unsaid_nearest.slice(0, _SHOWN_RECORDS).to_pylist()
    return [
        f"'{_cut(value)}'" + (f" (perhaps '{_cut(near)}')" if near else "")
        if value
        else ""
        for value, near in zip(values, nearest, strict=True)
    ]


def finding_text(found: Finding, sources: SourcePlaces) -> str:
    """Return what a finding says: severity, message, how many, and the first few."""
    said = places(found.origin, sources, show_values(found))
    number = counted(len(found.origin), "record")
    return f"{found.severity}: {finding_words(found).rstrip('.')}: {number}: {said}."


def balance_words(balance: Balance) -> str:
    """Say in one line what came in, what is there, and that it balances."""
    came = f"{balance.records_in} in"
    if balance.used_again:
        came += f" + {balance.used_again} used again"
    if balance.made:
        came += f" + {balance.made} made"
    there = f"{balance.records_out} out + {balance.set_aside} set aside"
    if balance.summed:
        there += f" + {balance.summed} summed up"
    if balance.left_out:
        there += f" + {balance.left_out} blank at the end"
    beside = ""
    if balance.referred:
        beside = f" {counted(balance.referred, 'record')} also looked up."
    return f"{came} = {there}. The account balances.{beside}"


def books_words(balance: Balance) -> str:
    """
    Say the same of one piece of work, without the words of bookkeeping.

    Examples
    --------
    >>> from gruff_ledger.account.ledger import Balance
    >>> books_words(Balance(records_in=1250, used_again=0, left_out=0, set_aside=1,
    ...     records_out=1249))
    '1250 records in: 1249 out, 1 set aside. Balanced.'
    """
    out, made = number_words(balance.records_out), number_words(balance.made)
    if balance.summed and balance.records_out == balance.made:
        there = [f"{number_words(balance.summed)} went into the result"]
    elif balance.summed:
        figures = number_words(balance.summed)
        there = [f"{out} out, {made} of them figures on {figures} others"]
    else:
        there = [f"{out} out"]
        if balance.made:
            there[0] += f" ({made} more than came in)"
    there.append(f"{number_words(balance.set_aside)} set aside")
    if balance.left_out:
        there.append(f"{number_words(balance.left_out)} blank at the end")
    came = f"{counted(balance.records_in, 'record')} in"
    if balance.used_again:
        came += f" and {number_words(balance.used_again)} used again"
    return f"{came}: {', '.join(there)}. Balanced."


def since_words(since: Since) -> str:
    """Say in one line what changed in a result since it was last written."""
    if since.said:
        return f"{since.address}: {since.said}."
    if not (since.new or since.gone or since.changed):
        return f"{since.address}: the same records as before."
    cells = f" in {counted(since.cells, 'cell')}" if since.changed else ""
    return (
        f"{since.address}: {since.new} new, {since.gone} gone, "
        f"{since.changed} changed{cells}."
    )


def since_rows(since: Since, most: int) -> list[str]:
    """Say the first of what changed in a result, a line each."""
    told = [
        f"{what:<9}{record}" + (f", {field}: '{was}', now '{now}'" if field else "")
        for what, record, field, was, now in since.rows[:most]
    ]
    if len(since.rows) > most:
        told.append(f"and {len(since.rows) - most} more")
    return told


def control_words(chain: Chain) -> list[tuple[str, str]]:
    """Say whether the sums of a field close, and what no entry explains."""
    from gruff_ledger.account.control import decimal_words

    told = []
    for step in chain.sources:
        if step.no_numbers:
            number, noun = step.no_numbers, "cells are not numbers"
            if number == 1:
                noun = "cell is not a number"
            told.append(
                ("! ", f"{step.label}, {chain.field}: {number} {noun}, and in no sum.")
            )
    for step in chain.differing:
        told.append(
            (
                "! ",
                f"{step.label} does not explain {decimal_words(step.difference)} of "
                f"{chain.field}: the control total differs.",
            )
        )
    if chain.closes:
        told.append(("", f"The control total of {chain.field} closes."))
    elif not chain.differing:
        told.append(("! ", f"The control total of {chain.field} does not close."))
    return told
