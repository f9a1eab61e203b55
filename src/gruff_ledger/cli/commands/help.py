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
        known = [*TOPICS, *group.command.list_commands(group)]
        near = nearest_or_all(topic, known, "topics and commands")
        raise BadTerms(f"there is no help on '{topic}'.", near)


COMMANDS = {
    "help": click.Command(
        "help",
        params=[
            click.Argument(
                ["topic"],
                metavar="[TOPIC]",
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
        help="Tell about a topic or a command.\n\nThe topics are "
        + ", ".join(TOPICS)
        + ". Without one, all commands and topics are listed.",
        short_help="Tell about a topic: addresses, formulas, rules, …",
    )
}
