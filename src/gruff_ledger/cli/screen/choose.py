"""Choosing from many on a terminal: what is typed narrows the list down."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import click
from rich.console import Console, Group
from rich.text import Text

from gruff_ledger.cells.match.levels import letters
from gruff_ledger.words import counted, visible

# Keys as terminals send them: of POSIX systems, then of Windows.
_UP = ("\x1b[A", "\x1bOA", "\xe0H", "\x00H")
_DOWN = ("\x1b[B", "\x1bOB", "\xe0P", "\x00P")
_BEGINS_KEY = ("\x1b", "\xe0", "\x00")
_ENTER = ("\r", "\n")
_BACK = ("\x7f", "\x08")
LEAVE = ("\x1b", "\x03", "\x04")

_SHOWN = 12


class State(NamedTuple):
    """
    What is typed, and which of the choices it leaves is marked.

    Attributes
    ----------
    typed : str
    at : int
        Position among those that are left.
    """

    typed: str = ""
    at: int = 0


class Choices:
    """
    Choices that can be searched.

    Parameters
    ----------
    texts : sequence of str
    """

    def __init__(self, texts: Sequence[str]) -> None:
        self.texts = list(texts)
        self._folded = [letters(text) for text in self.texts]

    def left(self, typed: str) -> list[int]:
        """Return the choices that have each word typed; those that begin so first."""
        words = letters(typed).split()
        found = [
            place
            for place, text in enumerate(self._folded)
            if all(word in text for word in words)
        ]
        start = " ".join(words)
        return sorted(
            found, key=lambda place: not self._folded[place].startswith(start)
        )


def read_key() -> str:
    """Return the next key of a terminal; Ctrl-C and Ctrl-D are keys like others."""
    try:
        return click.getchar()
    except KeyboardInterrupt:
        return "\x03"
    except EOFError:
        return "\x04"


def after_key(choices: Choices, state: State, key: str) -> State:
    """Return what is typed and marked after a key."""
    left = len(choices.left(state.typed))
    if key in _UP:
        return state._replace(at=max(0, state.at - 1))
    if key in _DOWN:
        return state._replace(at=max(0, min(left - 1, state.at + 1)))
    if key in _BACK:
        return State(state.typed[:-1])
    if key.isprintable():
        return State(state.typed + key)
    return state


def keys_in(read: str, long_keys: Sequence[str] = (*_UP, *_DOWN)) -> list[str]:
    """
    Part what a terminal sent at once: keys typed fast, or a text put in whole.

    Parameters
    ----------
    read : str
    long_keys : sequence of str
        The keys of several characters that do something.
    """
    keys: list[str] = []
    while read:
        known = [key for key in long_keys if read.startswith(key)]
        key = known[0] if known else read[0]
        if not known and read[0] in _BEGINS_KEY and len(read) > 1:
            # Another key that sends several characters; it does nothing here.
            return keys
        keys.append(key)
        read = read[len(key) :]
    return keys


def choice_view(choices: Choices, state: State, title: str) -> Group:
    """Lay out what is typed, and the first choices it leaves."""
    left = choices.left(state.typed)
    start = max(0, min(state.at - _SHOWN // 2, len(left) - _SHOWN))
    lines = [
        Text.assemble((visible(title), "bold"), "  ", visible(state.typed), ("▏", "")),
    ]
    for number, place in enumerate(left[start : start + _SHOWN], start):
        mark = "› " if number == state.at else "  "
        style = "bold" if number == state.at else ""
        lines.append(Text(mark + visible(choices.texts[place]), style=style))
    more = len(left) - len(left[start : start + _SHOWN])
    told = f"  {counted(len(left), 'choice')}"
    if more:
        told += f", {more} not shown"
    lines.append(Text(f"{told}   type to search; ↑ ↓ Enter; Backspace; Esc leaves"))
    return Group(*lines)


def choose(
    console: Console,
    texts: Sequence[str],
    title: str,
    read: Callable[[], str] = read_key,
) -> int | None:
    """
    Let a person choose.

    Parameters
    ----------
    console : Console
    texts : sequence of str
    title : str
    read : callable
        Returns the next key.

    Returns
    -------
    int or None
        The position of the choice; None if the person left.
    """
    from rich.live import Live

    choices = Choices(texts)
    state = State()
    waiting: list[str] = []
    with Live(console=console, auto_refresh=False, transient=True) as live:
        while True:
            live.update(choice_view(choices, state, title), refresh=True)
            if not waiting:
                waiting = keys_in(read())
            key = waiting.pop(0)
            if key in LEAVE:
                return None
            left = choices.left(state.typed)
            if key in _ENTER:
                if left:
                    return left[state.at]
                continue
            state = after_key(choices, state, key)
