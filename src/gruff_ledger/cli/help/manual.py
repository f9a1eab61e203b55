"""The manual page, in the man macros of roff, made from the commands themselves."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

import click

from gruff_ledger import __version__
from gruff_ledger.cli.help.topics import TOPICS, topic_text
from gruff_ledger.work.registry import VERBS

_STATUS = (
    ("0", "The work is done."),
    (
        "1",
        "The work is done, and a finding of severity stop was made or a control total "
        "differs.",
    ),
    ("2", "The work is not done, and nothing was written."),
)


def manual(group: click.Context) -> str:
    """Return the manual page of the program, with all commands and topics."""
    program: Any = group.command
    about, *more = (program.help or "").split("\n\n")
    lines = [
        f'.TH GRUFF 1 "" "Gruff Ledger {__version__}" "User Commands"',
        ".SH NAME",
        _text(f"gruff - {about[0].lower()}{about[1:].rstrip('.')}"),
        ".SH SYNOPSIS",
        ".B gruff",
        r"\fICOMMAND\fR [\fIOPTIONS\fR] \fILIST\fR...",
        ".SH DESCRIPTION",
        *(_text(part) for part in more),
        ".SH COMMANDS",
    ]
    for name in program.list_commands(group):
        command = program.get_command(group, name)
        lines += _command(command, group, name)
    lines.append(".SH OPTIONS THAT VERBS SHARE")
    for title, options in program.get_command(group, _sharing_verb()).groups[1:]:
        lines += [f'.SS "{_escaped(title)}"', *_parameters(options, group)]
    for name in TOPICS:
        lines += _topic(topic_text(name))
    lines.append(".SH EXIT STATUS")
    for status, meaning in _STATUS:
        lines += [".TP", f".B {status}", _text(meaning)]
    return "\n".join(lines) + "\n"


def _sharing_verb() -> str:
    """Return a verb that takes one list and writes one: it has all shared options."""
    return next(
        verb.name
        for verb in VERBS.values()
        if verb.needs_list and not (verb.several or verb.further or verb.beside)
    )


def _command(command: click.Command, group: click.Context, name: str) -> list[str]:
    with click.Context(command, info_name=name, parent=group) as own:
        usage = " ".join(command.collect_usage_pieces(own))
        lines = [f'.SS "gruff {name}"', f".B gruff {name}", _text(usage), ".PP"]
        lines.append(_text((command.help or "").replace("\n\n", "\n.PP\n")))
        # The options that verbs share stand together, once.
        groups: Any = getattr(command, "groups", None)
        shown = groups[0][1] if groups else command.get_params(own)
        return lines + _parameters(shown, own)


def _parameters(
    parameters: Iterable[click.Parameter], context: click.Context
) -> list[str]:
    lines = []
    for parameter in parameters:
        record = parameter.get_help_record(context)
        if record is not None and record[0] != "-h, --help":
            told = _text(record[1]) or r"\&"
            lines += [".TP", f"\\fB{_escaped(record[0])}\\fR", told]
    return lines


def _topic(text: str) -> list[str]:
    title, _, rest = text.partition("\n")
    lines = [f'.SH "{_escaped(title.upper())}"']
    for block in re.split(r"\n\n+", rest.strip()):
        if block.startswith("    "):
            shown = (_escaped(line[4:]) or "." for line in block.splitlines())
            lines += [".PP", ".nf", ".RS", *map(_no_request, shown), ".RE", ".fi"]
        else:
            lines += [".PP", _text(block)]
    return lines


def _text(text: str) -> str:
    paragraphs = text.split("\n.PP\n")
    return "\n.PP\n".join(
        _no_request(_escaped(" ".join(part.split()))) for part in paragraphs
    )


def _escaped(text: str) -> str:
    text = text.replace("\\", r"\e").replace("-", r"\-").replace('"', r"\(dq")
    return "".join(mark if mark.isascii() else rf"\[u{ord(mark):04X}]" for mark in text)


def _no_request(line: str) -> str:
    # A full stop or an apostrophe in front would begin a request.
    return rf"\&{line}" if line.startswith((".", "'")) else line
