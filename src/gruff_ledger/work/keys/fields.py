"""Key fields as a person states them: ``Boat AS LOOSE, Berth``.

A field can have the level at which its cells must match; for likeness, a weight.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal, NamedTuple

from msgspec import Meta

from gruff_ledger.cells.match.levels import LEVELS
from gruff_ledger.field_names import expand_names, find_field, format_names, parse_names
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, nearest_or_all
from gruff_ledger.table import Table

_ITEM = late_pattern(
    r'("(?:[^"]|"")*"|.+?)(?:\s+AS\s+(\w+))?(?:\s+WEIGHT\s+(\w+))?', re.IGNORECASE
)

MOST_WEIGHT = 100

Level = Literal["exact", "loose", "letters", "number", "date"]

MATCH = Meta(
    description="How cells must match: exact; loose (spaces, case and Unicode do not "
    "count); letters (nor punctuation and accents); number (equal value); date (the "
    "same day)."
)

ALIASES = Meta(
    description="Headings that mean another one: the heading in a list, then the "
    "heading it stands for."
)


class KeyField(NamedTuple):
    """One key field: its name, and its level and weight where they are stated."""

    name: str
    level: str | None
    weight: int | None


def parse_key_fields(items: Sequence[str], term: str) -> tuple[KeyField, ...]:
    """
    Read key fields.

    Parameters
    ----------
    items : sequence of str
        A name each, with ``AS EXACT``, ``AS LOOSE``, ``AS LETTERS``, ``AS NUMBER`` or
        ``AS DATE`` and with ``WEIGHT n`` where wanted.
    term : str
        What states them, for messages.

    Raises
    ------
    BadTerms
        If a level is none, or a weight is no number from 1 to 100.

    Examples
    --------
    >>> parse_key_fields(["boat AS LOOSE", '"x AS y" WEIGHT 3'], "by")[1]
    KeyField(name='x AS y', level=None, weight=3)
    """
    found = []
    for item in items:
        match = _ITEM.fullmatch(item.strip())
        if match is None:
            raise BadTerms("a name is missing.", "Name a field.", term=term)
        level = None if match[2] is None else match[2].lower()
        if level is not None and level not in LEVELS:
            raise BadTerms(
                f"'{match[1]}' cannot be matched AS {match[2]}.",
                nearest_or_all(level, LEVELS, "levels"),
                term=term,
            )
        weight = None
        if match[3] is not None:
            if not match[3].isdecimal() or not 1 <= int(match[3]) <= MOST_WEIGHT:
                raise BadTerms(
                    f"'{match[3]}' is not a weight for '{match[1]}'.",
                    f"Give a whole number from 1 to {MOST_WEIGHT}.",
                    term=term,
                )
            weight = int(match[3])
        name = match[1]
        if name.startswith('"'):
            (name,) = parse_names(name)
        found.append(KeyField(name, level, weight))
    return tuple(found)


def find_key_fields(
    table: Table, fields: Sequence[KeyField], term: str
) -> tuple[tuple[KeyField, ...], tuple[Note, ...]]:
    """Return the fields under their headings; see `field_names.find_field`."""
    found: list[KeyField] = []
    notes: list[Note] = []
    written = [
        field._replace(name=name)
        for field in fields
        for name in expand_names(table.headings, (field.name,))
    ]
    for field in written:
        heading, said = find_field(table, field.name, term)
        if any(heading == each.name for each in found):
            raise BadTerms(
                f"the field '{heading}' is named twice.", "Name it once.", term=term
            )
        found.append(field._replace(name=heading))
        notes.extend(said)
    return tuple(found), tuple(notes)


def key_words(fields: Sequence[KeyField], level: str = "exact") -> str:
    """
    Write key fields for a message, with the levels that are not exact.

    Examples
    --------
    >>> key_words([KeyField("boat", "loose", None), KeyField("berth", None, None)])
    'boat AS LOOSE, berth'
    """
    said = []
    for field in fields:
        mine = field.level or level
        name = format_names([field.name])
        said.append(name if mine == "exact" else f"{name} AS {mine.upper()}")
    return ", ".join(said)
