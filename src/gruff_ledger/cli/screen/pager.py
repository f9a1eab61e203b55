"""Looking through a long list on a terminal: its heading stays where it is."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from rich.console import Console, Group
from rich.text import Text

from gruff_ledger.cli.screen.choose import LEAVE, keys_in, read_key
from gruff_ledger.cli.screen.listing import ListTerms, Window, list_view, records_in
from gruff_ledger.table import Table
from gruff_ledger.words import number_words

# Keys as terminals send them: of POSIX systems, then of Windows; and by letters.
_KEYS = {
    "up": ("\x1b[A", "\x1bOA", "\xe0H", "\x00H", "k"),
    "down": ("\x1b[B", "\x1bOB", "\xe0P", "\x00P", "j", "\r", "\n"),
    "left": ("\x1b[D", "\x1bOD", "\xe0K", "\x00K", "h"),
    "right": ("\x1b[C", "\x1bOC", "\xe0M", "\x00M", "l"),
    "page down": ("\x1b[6~", "\xe0Q", "\x00Q", " ", "f"),
    "page up": ("\x1b[5~", "\xe0I", "\x00I", "b"),
    "first": ("\x1b[H", "\x1b[1~", "\x1bOH", "\xe0G", "\x00G", "g"),
    "last": ("\x1b[F", "\x1b[4~", "\x1bOF", "\xe0O", "\x00O", "G"),
    "leave": (*LEAVE, "q", "Q", ""),
}
_WORD_OF_KEY = {key: word for word, keys in _KEYS.items() for key in keys}

# Lines below the list: which records these are, and the keys.
_LINES_BELOW = 2


class Place(NamedTuple):
    """The first record that is shown, and how many fields are passed over."""

    start: int = 0
    skip: int = 0


def after_key(place: Place, word: str, table: Table, most: int) -> Place:
    """Return what is shown after a key, of a window of so many records."""
    last = max(0, len(table) - most)
    start = {
        "up": place.start - 1,
        "down": place.start + 1,
        "page down": place.start + most,
        "page up": place.start - most,
        "first": 0,
        "last": last,
    }.get(word, place.start)
    step = {"left": -1, "right": 1}.get(word, 0)
    widest = max(0, len(table.headings) - 2)
    return Place(max(0, min(start, last)), max(0, min(place.skip + step, widest)))


def look_through(
    console: Console, table: Table, read: Callable[[], str] = read_key
) -> None:
    """
    Let a person look through a list, until they leave.

    Parameters
    ----------
    console : Console
    table : Table
    read : callable
        Returns the next key.
    """
    from rich.live import Live

    place = Place()
    waiting: list[str] = []
    known = tuple(key for keys in _KEYS.values() for key in keys if len(key) > 1)
    with Live(console=console, auto_refresh=False, screen=True) as live:
        while True:
            window = Window(console.width, console.height - _LINES_BELOW)
            live.update(page_view(table, place, window), refresh=True)
            if not waiting:
                waiting = keys_in(read(), known)
            word = _WORD_OF_KEY.get(waiting.pop(0) if waiting else "?")
            if word == "leave":
                return
            if word is not None:
                place = after_key(place, word, table, records_in(window))


def page_view(table: Table, place: Place, window: Window) -> Group:
    """Lay out a part of a list, which part it is, and the keys."""
    most = records_in(window)
    terms = ListTerms(start=place.start, skip=place.skip)
    end = min(len(table), place.start + most)
    told = f"{number_words(place.start + 1)} to {number_words(end)}"
    return Group(
        list_view(table, window, terms),
        Text(f"Records {told} of {number_words(len(table))}."),
        Text("Space next   b back   ↑ ↓ ← →   g first   G last   q leaves"),
    )
