"""The command that was typed, with one option more: a line that runs as it stands."""

from __future__ import annotations

import click

from gruff_ledger.credentials import hide_credentials
from gruff_ledger.shell import command_line
from gruff_ledger.speakers import SET

# Where a command has written something, it is there when it runs again.
_OUTPUTS = ("to", "aside", "ledger")


def line_to_type(key: str, value: str) -> str | None:
    """
    Return the command that runs, with another option; or None where there is none.

    Parameters
    ----------
    key : str
        A term, such as ``which``.
    value : str
        What is given for it; `gruff_ledger.speakers.SET` where it takes no value.
    """
    context = click.get_current_context(silent=True)
    typed = context and context.find_root().obj
    if context is None or not isinstance(typed, tuple):
        return None
    options = {
        name: each
        for each in context.command.params
        if isinstance(each, click.Option)
        for name in each.opts
    }
    option = options.get(f"--{key}")
    if option is None or "-" in typed or context.params.get("enter"):
        # A list on standard input is gone, and a docket has the work in it already.
        return None
    words = list(typed)
    if not option.multiple:
        words = _without(words, option)
    more = [f"--{key}"] if value == SET else [f"--{key}", value]
    if not context.params.get("replace") and any(map(context.params.get, _OUTPUTS)):
        more.append("--replace")
    # What follows -- is no option.
    at = words.index("--") if "--" in words else len(words)
    line = command_line(["gruff", *words[:at], *more, *words[at:]])
    return line if hide_credentials(line) == line else None


def _without(words: list[str], option: click.Option) -> list[str]:
    """Leave an option out of what was typed, with its value."""
    kept: list[str] = []
    passing = False
    for word in words:
        if passing:
            passing = False
        elif word in option.opts:
            passing = not option.is_flag
        elif word.partition("=")[0] not in option.opts or "=" not in word:
            kept.append(word)
    return kept
