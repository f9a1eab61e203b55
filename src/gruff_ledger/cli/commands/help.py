"""The command `help`: topics that belong to no command alone, and the manual page."""

from __future__ import annotations

from typing import Any

import click

from gruff_ledger.cli.help.topics import TOPICS, topic_text, topic_title
from gruff_ledger.problems import BadTerms, nearest_or_all


def _help(topic: str | None, man: bool) -> None:
    context = click.get_current_context()
    group: Any = context.parent
    if man:
        from gruff_ledger.cli.help.manual import manual

        click.echo(manual(group), nl=False)
    elif topic is None:
        click.echo(group.get_help())
        click.echo("\nTopics, shown by gruff help TOPIC:")
        for name in TOPICS:
            about = topic_title(name).partition(": ")[2]
            click.echo(f"  {name:<14}{about}")
    elif topic in TOPICS:
        click.echo(topic_text(topic), nl=False)
    elif (command := group.command.get_command(group, topic)) is not None:
        with click.Context(command, info_name=topic, parent=group) as own:
            click.echo(command.get_help(own))
    else:
        _show_found(topic, group)


def _show_found(word: str, group: Any) -> None:
    """Show what speaks of a word."""
    from gruff_ledger.cli.commands.verb import first_clause
    from gruff_ledger.cli.help.search import search

    formatter = group.make_formatter()
    for title, found in search(word, group):
        with formatter.section(title):
            formatter.write_dl(
                [(each.line, first_clause(each.about)) for each in found]
            )
    told = formatter.getvalue()
    if not told:
        known = [*TOPICS, *group.command.list_commands(group)]
        near = nearest_or_all(word, known, "topics and commands")
        raise BadTerms(f"nothing in the help speaks of '{word}'.", near)
    click.echo(told, nl=False)


COMMANDS = {
    "help": click.Command(
        "help",
        params=[
            click.Argument(
                ["topic"],
                metavar="[TOPIC|COMMAND|WORD]",
                required=False,
                shell_complete=lambda ctx, param, incomplete: [
                    each for each in TOPICS if each.startswith(incomplete)
                ],
            ),
            click.Option(
                ["--man"], is_flag=True, help="Print the manual page (man, roff)."
            ),
        ],
        callback=_help,
        help="Tell about a topic or a command, or find what speaks of a word.\n\nThe "
        "topics are "
        + ", ".join(TOPICS)
        + ". Without one, all commands and topics are listed.",
        short_help="Tell about a topic: addresses, formulas, rules, …",
    )
}
