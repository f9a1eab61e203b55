"""The lines of a TOML text on which its tables and keys stand (TOML 1.0).

The standard library reads what a docket says, but not where. A text that it has read is
gone through once more here, statement by statement: strings over several lines, lists
and comments can hold what looks like a table.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from gruff_ledger.late_patterns import late_pattern

_SPACE = late_pattern(r"(?:[ \t\r\n]|#[^\n]*)*")
_BLANKS = late_pattern(r"[ \t]*")
_BARE_KEY = late_pattern(r"[^\s.=\]\[\"'#]+")
_STRING = late_pattern(
    r'"""(?:[^\\]|\\.)*?"{3,5}|'
    r"'''.*?'{3,5}|"
    r'"(?:[^"\\\n]|\\.)*"|'
    r"'[^'\n]*'",
    re.DOTALL,
)
_ESCAPE = late_pattern(r"\\(?:u([0-9A-Fa-f]{4})|U([0-9A-Fa-f]{8})|(.))", re.DOTALL)
_ESCAPED = {"b": "\b", "t": "\t", "n": "\n", "f": "\f", "r": "\r"}


class Statement(NamedTuple):
    """
    A table's header, or a key with its value.

    Attributes
    ----------
    line : int
        From 1.
    path : tuple of str
        The name of the table, or the key, part by part.
    is_header : bool
    """

    line: int
    path: tuple[str, ...]
    is_header: bool


def statements(text: str) -> Iterator[Statement]:
    """
    Yield the statements of a TOML text that is known to be right.

    Parameters
    ----------
    text : str

    Examples
    --------
    >>> for each in statements('a = 1\\n[[b."c d"]]\\n'):
    ...     print(each.line, each.path, each.is_header)
    1 ('a',) False
    2 ('b', 'c d') True
    """
    at, line, counted = 0, 1, 0
    while True:
        at = _after(_SPACE, text, at)
        if at >= len(text):
            return
        line += text.count("\n", counted, at)
        counted = at
        is_header = text[at] == "["
        if is_header:
            at += 2 if text.startswith("[[", at) else 1
        path, at = _path(text, at)
        yield Statement(line, path, is_header)
        # Whatever else stands there: the rest of a header, or the value.
        at = _end_of_value(text, at + (not is_header))


def _after(pattern: re.Pattern[str], text: str, at: int) -> int:
    found = pattern.match(text, at)
    return at if found is None else found.end()


def _path(text: str, at: int) -> tuple[tuple[str, ...], int]:
    """Return the parts of a dotted key, and where it ends."""
    parts: list[str] = []
    while True:
        at = _after(_BLANKS, text, at)
        found = _STRING.match(text, at) or _BARE_KEY.match(text, at)
        if found is None:
            return tuple(parts), at
        parts.append(_unquoted(found[0]))
        at = _after(_BLANKS, text, found.end())
        if not text.startswith(".", at):
            return tuple(parts), at
        at += 1


def _unquoted(part: str) -> str:
    if part[0] == "'":
        return part[1:-1]
    if part[0] != '"':
        return part

    def plain(found: re.Match[str]) -> str:
        code = found[1] or found[2]
        return chr(int(code, 16)) if code else _ESCAPED.get(found[3], found[3])

    return _ESCAPE.sub(plain, part[1:-1])


def _end_of_value(text: str, at: int) -> int:
    """Return where the line ends on which a value does."""
    depth = 0
    while at < len(text):
        mark = text[at]
        if mark in "\"'":
            found = _STRING.match(text, at)
            at = at + 1 if found is None else found.end()
            continue
        if mark == "#":
            at = text.find("\n", at)
            if at < 0:
                return len(text)
            continue
        if mark == "\n" and depth <= 0:
            return at
        depth += (mark in "[{") - (mark in "]}")
        at += 1
    return at


def line_of(
    stated: Iterable[Statement],
    table: tuple[str, ...],
    number: int = 1,
    key: str | None = None,
) -> int | None:
    """
    Return the line of the `number`-th table of a name, or of a key in it.

    Parameters
    ----------
    stated : iterable of Statement
        All of a text.
    table : tuple of str
        Its name, part by part; empty for the keys before the first table.
    number : int
        From 1.
    key : str, optional

    Returns
    -------
    int or None
        The line of the table where it has no such key; None where neither is found.
    """
    place: int | None = None
    count = 0 if table else 1
    current: tuple[str, ...] = ()
    for each in stated:
        if each.is_header:
            current = each.path
            count += current == table
        path = each.path if each.is_header else current + each.path
        # Tables can be written without headers: in one line, or by dotted keys.
        is_bare = not each.is_header and number == 1 and count == 0
        if path[: len(table)] != table or not (count == number or is_bare):
            if not table and each.is_header:
                return None
            if table and is_bare and table[: len(path)] == path:
                place = place or each.line
            continue
        if table and place is None:
            place = each.line
        if key is not None and len(path) > len(table) and path[len(table)] == key:
            return each.line
    return place
