"""The command `gruff`: the group of all commands, and the one place that ends a run.

Only Click is imported at the top: ``gruff --version`` and ``gruff --help`` must start
at once. Each command imports what it needs when it is looked up.
"""

from __future__ import annotations

import contextlib
import errno
import importlib
import os
import sys
from collections.abc import Callable
from typing import Any, NoReturn

import click

from gruff_ledger import __version__
from gruff_ledger.cli.screen.streams import make_ready, show_no_more
from gruff_ledger.credentials import hide_credentials
from gruff_ledger.problems import Problem
from gruff_ledger.system.files import is_broken_pipe
from gruff_ledger.system.signals import hear_swallowed_interruptions
from gruff_ledger.words import counted, first_few
from gruff_ledger.work.registry import STAGES, VERBS

EXIT_DONE, EXIT_STOPS, EXIT_NOT_DONE = 0, 1, 2

# As shells say it of a program that was ended by Ctrl-C: 128 and the signal's number.
EXIT_INTERRUPTED = 130

# Problems that are said one by one.
_MOST_SAID = 10

# Set by a shell that asks what could come next.
_COMPLETE = "_GRUFF_COMPLETE"

# Commands that are not verbs: where they are made, and what they are for.
_OTHERS = {
    "review": (
        "gruff_ledger.cli.commands.review",
        "Decide which records are the same, once.",
    ),
    "run": ("gruff_ledger.cli.commands.run", "Do the work that a docket says."),
    "watch": (
        "gruff_ledger.cli.commands.watch",
        "Run a docket again whenever something it is made from changes.",
    ),
    "trace": (
        "gruff_ledger.cli.commands.trace",
        "Tell where a record came from, and what touched it.",
    ),
    "demo": (
        "gruff_ledger.cli.commands.demo",
        "Set up a made-up harbour office and run it.",
    ),
    "help": (
        "gruff_ledger.cli.commands.help",
        "Tell about a topic: addresses, formulas, rules and more.",
    ),
    "completion": (
        "gruff_ledger.cli.completion",
        "Print what completes commands, fields and tabs in a shell.",
    ),
    "docket-schema": (
        "gruff_ledger.cli.commands.run",
        "Print the JSON Schema of a docket, for editors.",
    ),
}

# Those that belong to a stage of the work; the verbs tell theirs.
_IN_STAGE = {"review": "check"}

_SECTIONS = (
    ("Do it again, and ask what was done", ("run", "watch", "trace")),
    ("Learn and set up", ("demo", "help", "completion", "docket-schema")),
)


class NoCommand(click.ClickException):
    """There is no command of that name; it says what to type."""


class _Commands(click.Group):
    """All commands, made when they are looked up."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return [*VERBS, *_OTHERS]

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name in _OTHERS:
            from gruff_ledger.cli.help.examples import with_examples

            module = importlib.import_module(_OTHERS[cmd_name][0])
            return with_examples(module.COMMANDS[cmd_name])
        if cmd_name in VERBS:
            from gruff_ledger.cli.commands.verb import verb_command

            return verb_command(VERBS[cmd_name])
        return None

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if self.get_command(ctx, args[0]) is None:
            from gruff_ledger.cli.advice import advise_command

            advice = advise_command(args[0], args[1:], self.list_commands(ctx))
            raise NoCommand(f"there is no command '{args[0]}'. {advice}")
        return super().resolve_command(ctx, args)

    def format_commands(
        self, ctx: click.Context, formatter: click.HelpFormatter
    ) -> None:
        purposes = {name: verb.purpose for name, verb in VERBS.items()}
        purposes |= {name: purpose for name, (_, purpose) in _OTHERS.items()}
        stages: dict[str, list[str]] = {stage: [] for stage in STAGES}
        for name, verb in VERBS.items():
            stages[verb.stage].append(name)
        for name, stage in _IN_STAGE.items():
            stages[stage].append(name)
        sections = [(STAGES[stage], names) for stage, names in stages.items()]
        for title, names in (*filter(lambda each: each[1], sections), *_SECTIONS):
            with formatter.section(title):
                formatter.write_dl([(name, purposes[name]) for name in names])


@click.group(
    cls=_Commands,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    epilog="Start with: gruff demo. Help on a command: gruff COMMAND --help; on "
    "addresses, formulas, match levels, rules, dockets, the ledger and large lists: "
    "gruff help TOPIC.",
)
@click.version_option(__version__, prog_name="gruff", message="%(prog)s %(version)s")
@click.pass_context
def gruff(ctx: click.Context) -> None:
    """Clean record lists and put them together, with every record accounted for.

    Sources are never written to, cells stay as they are to the character, and what
    comes in is kept or set aside with its reason.
    """
    if ctx.invoked_subcommand is None:
        click.echo(ctx.get_help())


def main(arguments: list[str] | None = None) -> NoReturn:
    """Run the command line and exit: 0 done, 1 with stops, 2 not, 130 interrupted."""
    make_ready()
    hear_swallowed_interruptions()
    if _COMPLETE in os.environ:
        from gruff_ledger.cli.completion import register

        register()
    words = tuple(sys.argv[1:] if arguments is None else arguments)
    status = _status(
        lambda: gruff.main(arguments, "gruff", standalone_mode=False, obj=words), words
    )
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(OSError, ValueError):
            stream.flush()
    # All outputs are closed by now. Leaving at once gives a large list back to the
    # system in one piece, which is a tenth of the time of a whole run on it.
    os._exit(status)


def _status(run: Callable[[], Any], words: tuple[str, ...] = ()) -> int:
    status: Any = EXIT_DONE
    try:
        status = run()
        sys.stdout.flush()
    except Problem as problem:
        return _say_all(problem, words)
    except click.UsageError as error:
        return _say(_usage_words(error, words))
    except click.ClickException as error:
        return _say(error.format_message())
    except SystemExit:
        # So Click ends where the reader of a pipe has left, such as one of the help.
        show_no_more()
    except click.exceptions.Exit as leaving:
        return leaving.exit_code
    except (click.Abort, KeyboardInterrupt):
        _say(f"interrupted. {_what_was_written()}")
        return EXIT_INTERRUPTED
    except MemoryError:
        return _no_memory()
    except OSError as error:
        if not is_broken_pipe(error):
            return _refused(error)
        # Whoever read our output has had enough.
        show_no_more()
    except Exception as error:
        return _no_memory() if _is_shortage(error) else _own_fault(error)
    return status if isinstance(status, int) else EXIT_DONE


def _usage_words(error: click.UsageError, words: tuple[str, ...]) -> str:
    """Word what is wrong with a command line, and what to type instead."""
    from gruff_ledger.cli.advice import (
        Typed,
        advise_extra,
        advise_option,
        extra_words,
    )

    typed = Typed(words, error.ctx.command if error.ctx else None)
    if isinstance(error, click.NoSuchOption):
        told = advise_option(error.option_name, typed)
        return f"there is no option '{error.option_name}'. {told}"
    where = error.ctx.command_path if error.ctx else "gruff"
    if isinstance(error, click.MissingParameter):
        name = str(error.param and error.param.metavar).strip("[].").lower()
        return f"no {name} was given. {where} --help shows how it is used."
    message = error.format_message()
    extra = extra_words(message)
    advice = advise_extra(extra, typed) if extra else None
    if advice is not None:
        return advice
    return f"{message} See {where} --help."


def _say_all(problem: Problem, words: tuple[str, ...]) -> int:
    """Say everything that is wrong, each in a paragraph of its own."""
    from gruff_ledger.cli.advice import Typed, advise_path

    command = None
    if words:
        with contextlib.suppress(Problem):
            command = gruff.get_command(click.Context(gruff), words[0])
    advise_path(problem, Typed(words, command))
    every = problem.every()
    for each in every[:_MOST_SAID]:
        _say(each.paragraph(), each.excerpt)
    if len(every) > _MOST_SAID:
        more = counted(len(every) - _MOST_SAID, "more thing is", "more things are")
        _say(f"{more} wrong as well.")
    return EXIT_NOT_DONE


def _say(text: str, excerpt: str = "") -> int:
    from gruff_ledger.words import visible

    # Where even this cannot be said, the status says it.
    with contextlib.suppress(OSError, ValueError):
        click.echo(visible(hide_credentials(f"gruff: {text}")), err=True)
        for line in hide_credentials(excerpt).splitlines():
            click.echo(visible(line), err=True)
    return EXIT_NOT_DONE


def _no_memory() -> int:
    return _say(
        "there is not enough memory for this work, or no room for the temporary "
        f"files of a large list. {_what_was_written()} Free some space, name another "
        "folder in --scratch, or close other programs."
    )


def _is_shortage(error: Exception) -> bool:
    """Whether a library says in its own way that the system gives no more."""
    told = str(error).lower()
    return (isinstance(error, RuntimeError) and "start new thread" in told) or (
        isinstance(error, ImportError)
        and ("map segment" in told or "cannot allocate memory" in told)
    )


def _refused(error: OSError) -> int:
    """Report that the system refused what the work, or its showing, needs."""
    if error.errno in (errno.ENOMEM, errno.EAGAIN):
        return _no_memory()
    reason = error.strerror or str(error)
    reason = reason[:1].lower() + reason[1:]
    if error.filename is None:
        what = f"what is to be shown cannot be written: {reason}."
    else:
        what = f"{error.filename}: the system refuses it: {reason}."
    return _say(f"{what} {_what_was_written()}")


def _what_was_written() -> str:
    """Say which outputs are in their places, for a run that did not end well."""
    whole = sys.modules.get("gruff_ledger.lists.outputs.commit")
    placed = [] if whole is None else whole.PLACED
    if not placed:
        return "No output was written or replaced."
    return f"Before that, this was written whole: {first_few(placed, 3)}."


def _own_fault(error: Exception) -> int:
    """Report a fault of the program itself in the form of a problem."""
    if os.environ.get("GRUFF_TRACEBACK"):
        raise error
    kind = type(error).__name__
    return _say(
        f"a fault in the program stopped the work ({kind}: {error}). "
        f"{_what_was_written()} Please report it, with what GRUFF_TRACEBACK=1 shows."
    )
