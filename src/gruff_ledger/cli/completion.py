"""Completion in a shell: commands, options, fields of the lists named, tabs, tables.

Click asks each parameter what it could be, and has the scripts of zsh and fish. Bash
parts words at ``=``, which addresses and pairs of fields hold, and knows no quotes in
what is proposed: for it there is a script of our own.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable, Sequence
from typing import Any

import click
from click.shell_completion import (
    BashComplete,
    CompletionItem,
    add_completion_class,
    split_arg_string,
)

from gruff_ledger.field_names import format_names
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.problems import Problem
from gruff_ledger.words import visible

_SHELLS = ("bash", "zsh", "fish")

# Marks that a shell would take for something else than a part of a word.
_SPECIAL = " \t\"'\\$`!&|;()<>*?[]{}~#"

_BASH = r"""%(complete_func)s() {
    local IFS=$'\n' answer
    COMPREPLY=()
    answer=$(%(complete_var)s=bash_complete GRUFF_TYPED="${COMP_LINE:0:COMP_POINT}" \
        GRUFF_BREAKS="$COMP_WORDBREAKS" %(prog_name)s)
    case "$answer" in
        file|dir) compopt -o default ;;
        *) compopt -o nospace; COMPREPLY=($answer)
           if [[ ${#COMPREPLY[@]} -eq 1 && ${COMPREPLY[0]} != *[=/] ]]; then
               compopt +o nospace
           fi ;;
    esac
}
complete -o nosort -F %(complete_func)s %(prog_name)s
"""


class _Bash(BashComplete):
    """Completion in bash, from the line as it was typed."""

    source_template = _BASH

    @staticmethod
    def _check_version() -> None:
        """Ask nothing of bash: all versions since 4.4 will do."""

    def get_completion_args(self) -> tuple[list[str], str]:
        self._typed = os.environ.get("GRUFF_TYPED", "")
        words = split_arg_string(self._typed)
        is_new = not self._typed or (
            self._typed[-1].isspace() and not _open_quote(self._typed)
        )
        incomplete = "" if is_new or not words else words.pop()
        self._incomplete = incomplete
        return words[1:], incomplete

    def format_completion(self, item: CompletionItem) -> str:
        if item.type in ("file", "dir"):
            return str(item.type)
        # Bash puts the answer in the place of what follows the last break.
        start = _break_before(self._typed, self._incomplete)
        rest = str(item.value)[start:]
        return rest if _open_quote(self._typed) else _escaped(rest)

    def complete(self) -> str:
        """Return the answers, or `file` alone where bash knows better."""
        lines = super().complete().splitlines()
        return "file" if "file" in lines else "\n".join(lines)


def register() -> None:
    """Have Click use the script for bash."""
    add_completion_class(_Bash)


def _open_quote(typed: str) -> str:
    """Return the quote that is open at the end of a line; empty if none is."""
    quote, is_escaped = "", False
    for mark in typed:
        if is_escaped:
            is_escaped = False
        elif mark == "\\" and quote != "'":
            is_escaped = True
        elif quote:
            quote = "" if mark == quote else quote
        elif mark in "\"'":
            quote = mark
    return quote


def _break_before(typed: str, incomplete: str) -> int:
    """Return how much of the last word stands before the part that bash completes."""
    if _open_quote(typed):
        # Bash begins after the quote; marks in quotes part nothing.
        quoted = typed[typed.rindex(_open_quote(typed)) + 1 :]
        return max(0, len(incomplete) - len(quoted))
    breaks = os.environ.get("GRUFF_BREAKS", "=:")
    return max(
        (incomplete.rfind(mark) + 1 for mark in "=:" if mark in breaks), default=0
    )


def _escaped(text: str) -> str:
    return "".join(f"\\{mark}" if mark in _SPECIAL else mark for mark in text)


def completed(
    ctx: click.Context,
    metavar: str,
    key: str,
    choices: Sequence[str],
    incomplete: str,
    reading: ReadingTerms | None = None,
) -> list[CompletionItem]:
    """
    Return what the value of an option could be.

    Parameters
    ----------
    ctx : Context
        With the parameters that stand on the line already.
    metavar : str
        What the value is, as the help shows it.
    key : str
        The term.
    choices : sequence of str
        The values it may have, where there are few.
    incomplete : str
        What is typed of it.
    reading : ReadingTerms, optional
        How the list is written, as far as that is on the line.
    """
    if choices:
        return [CompletionItem(each) for each in choices if each.startswith(incomplete)]
    if metavar == "LIST":
        return addresses(incomplete)
    if metavar in ("PATH", "DIR"):
        return [CompletionItem(incomplete, type="file" if metavar == "PATH" else "dir")]
    if "FIELD" in metavar:
        return _fields(_known_fields(ctx, key, incomplete, reading), incomplete)
    return []


def _known_fields(
    ctx: click.Context, key: str, incomplete: str, reading: ReadingTerms | None
) -> list[str]:
    """Return the fields of the lists named, or of the reference list for its terms."""
    from gruff_ledger.lists.outline import headings_of

    given = {name: value for name, value in ctx.params.items() if value is not None}
    reference = given.get("in_") or given.get("in")
    last = incomplete.rpartition(",")[2]
    # Before the value of the last option is there, what else is on the line is left.
    left = [each for each in ctx.args if not each.startswith("-")]
    lists: Any = given.get("addresses") or given.get("what") or left
    lists = (lists,) if isinstance(lists, str) else lists
    terms = reading
    if reference and (
        key in ("take", "of") or (key in ("key", "band") and "=" in last)
    ):
        lists, terms = (reference,), None
    found: dict[str, None] = {}
    for each in lists:
        with contextlib.suppress(Problem, OSError, ValueError):
            found |= dict.fromkeys(headings_of(each, terms))
    return list(found)


def _fields(known: Iterable[str], incomplete: str) -> list[CompletionItem]:
    """Complete the last of several fields; those before it stay."""
    before, mark, last = _parted(incomplete)
    typed = last.lstrip()
    space = last[: len(last) - len(typed)]
    return [
        CompletionItem(f"{before}{mark}{space}{written}")
        for written in (format_names([each]) for each in known)
        if written.casefold().startswith(typed.casefold()) and _is_safe(written)
    ]


def _is_safe(name: str) -> bool:
    """Whether a shell can show a name: control characters would act on it."""
    return visible(name) == name


def _parted(incomplete: str) -> tuple[str, str, str]:
    at = max(incomplete.rfind(","), incomplete.rfind("="))
    if at < 0:
        return "", "", incomplete
    return incomplete[:at], incomplete[at], incomplete[at + 1 :]


def addresses(incomplete: str) -> list[CompletionItem]:
    """Return what an address could go on with: a path, or the tabs in a workbook."""
    place, mark, part = incomplete.partition("#")
    if not mark:
        return [CompletionItem(incomplete, type="file")]
    key, equals, name = part.partition("=")
    if not equals:
        keys = ("file=", "sheet=", "table=", "row=", "col=", "cell=")
        return [
            CompletionItem(f"{place}#{each}") for each in keys if each.startswith(key)
        ]
    from gruff_ledger.lists.outline import parts_of

    with contextlib.suppress(Problem, OSError, ValueError):
        return [
            CompletionItem(f"{place}#{key}={each}")
            for each in parts_of(place, key)
            if each.casefold().startswith(name.casefold()) and _is_safe(each)
        ]
    return []


def _completion(shell: str) -> None:
    from click.shell_completion import get_completion_class

    register()
    group: Any = click.get_current_context().find_root().command
    made = get_completion_class(shell)
    assert made is not None
    click.echo(made(group, {}, "gruff", "_GRUFF_COMPLETE").source())


COMMANDS = {
    "completion": click.Command(
        "completion",
        params=[click.Argument(["shell"], type=click.Choice(_SHELLS))],
        callback=_completion,
        help="Print what completes commands, options, fields and tabs in a shell.\n\n"
        "For bash, write it to a file and name that in ~/.bashrc, as in: source "
        "gruff.bash. For zsh, do the same in ~/.zshrc after compinit. For fish, write "
        "it to ~/.config/fish/completions/gruff.fish. Fields are those of the lists "
        "that stand on the line already.",
        short_help="Print what completes commands, fields and tabs in a shell.",
    )
}
