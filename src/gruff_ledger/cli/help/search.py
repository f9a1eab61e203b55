"""What ``gruff help WORD`` finds: topics, commands and options that speak of a word."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

import click

from gruff_ledger.cli.advice import elsewhere
from gruff_ledger.cli.help.topics import TOPICS, topic_text, topic_title

# So many of a kind are listed; who finds more asks for a rarer word.
_MOST = 12
# Words longer than this are found in the plural, too.
_LEAST_STEM = 4


class Found(NamedTuple):
    """What speaks of a word: the line to type, and what it is about."""

    line: str
    about: str


def search(word: str, group: click.Context) -> Iterator[tuple[str, list[Found]]]:
    """
    Yield what speaks of a word, by kind, each with a title.

    Parameters
    ----------
    word : str
        Found at the beginning of words, whatever their case and number.
    group : click.Context
        Of the program.
    """
    stem = word.strip().lstrip("-")
    if len(stem) > _LEAST_STEM:
        stem = re.sub(r"(ies|y|s)\Z", "", stem)
    pattern = re.compile(rf"(?<![\w-]){re.escape(stem)}", re.IGNORECASE)
    program: Any = group.command
    commands = {
        name: program.get_command(group, name) for name in program.list_commands(group)
    }
    habit = elsewhere(word, [])
    kinds = (
        ("Elsewhere called so", [Found(*habit)] if habit else []),
        ("Topics", [_topic(name) for name in TOPICS if _is_in(pattern, name)]),
        (
            "Commands",
            [
                Found(f"gruff {name} --help", _purpose(command))
                for name, command in commands.items()
                if pattern.search(f"{name} {command.help or ''}")
            ],
        ),
        ("Options", list(_options(pattern, group, commands))),
    )
    for title, found in kinds:
        if found:
            yield title, found


def _is_in(pattern: re.Pattern[str], topic: str) -> bool:
    return pattern.search(f"{topic} {topic_text(topic)}") is not None


def _topic(name: str) -> Found:
    return Found(f"gruff help {name}", topic_title(name).partition(": ")[2])


def _purpose(command: click.Command) -> str:
    return (command.help or "").partition("\n")[0]


def _options(
    pattern: re.Pattern[str], group: click.Context, commands: dict[str, click.Command]
) -> Iterator[Found]:
    """Yield options; one that several commands have with one meaning, once."""
    met: dict[tuple[str, str], list[str]] = {}
    for name, command in commands.items():
        for each in command.params:
            told = each.help if isinstance(each, click.Option) else None
            if told and pattern.search(f"{each.opts[0].lstrip('-')} {told}"):
                met.setdefault((each.opts[0], told), []).append(name)
    # What is called so comes before what only speaks of it.
    order = sorted(met, key=lambda key: not pattern.match(key[0].lstrip("-")))
    for option, told in order[:_MOST]:
        names = met[option, told]
        verb = names[0] if len(names) == 1 else "VERB"
        yield Found(f"gruff {verb} {option}", told)
    if len(order) > _MOST:
        yield Found("…", f"{len(order) - _MOST} more options speak of it.")
