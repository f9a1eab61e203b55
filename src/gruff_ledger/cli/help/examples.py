"""Examples in the help of commands: those of commands that are not verbs stand here."""

from __future__ import annotations

import functools
from collections.abc import Sequence

import click

WHERE = "Examples, in the folder of the demo (gruff demo)"


@functools.cache
def examples() -> dict[str, tuple[str, ...]]:
    """Return the examples of each command that is not a verb."""
    import tomllib
    from importlib import resources

    text = (resources.files("gruff_ledger.cli.help") / "examples.toml").read_text(
        "utf-8"
    )
    return {name: tuple(each["examples"]) for name, each in tomllib.loads(text).items()}


def write_examples(formatter: click.HelpFormatter, shown: Sequence[str]) -> None:
    """Write examples as they are typed; no line of them is broken."""
    if shown:
        with formatter.section(WHERE):
            for each in shown:
                formatter.write(f"  {each}\n")


def with_examples(command: click.Command) -> click.Command:
    """Have the help of a command show its examples after its options."""
    if hasattr(command, "examples"):
        command.examples = examples().get(command.name or "", ())
        return command
    own = command.format_options

    def format_options(ctx: click.Context, formatter: click.HelpFormatter) -> None:
        own(ctx, formatter)
        write_examples(formatter, examples().get(command.name or "", ()))

    command.format_options = format_options  # type: ignore[method-assign]
    return command
