"""The commands on dockets: run one, print their schema."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click
import msgspec

from gruff_ledger.cli.options import terms_from
from gruff_ledger.cli.show import Progress, show_account
from gruff_ledger.cli.verb import fetching_options, ledger_options
from gruff_ledger.docket.engine import run
from gruff_ledger.docket.load import AskTerms, load_docket
from gruff_ledger.docket.schema import docket_schema
from gruff_ledger.lists.fetching import FetchTerms
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.terms import describe


def run_docket(
    docket: Path,
    *,
    answers: dict[str, str],
    ledger: Path | None,
    anywhere: bool,
    replace: bool,
    as_json: bool,
    quiet: bool,
    fetch: FetchTerms | None = None,
    is_demo: bool = False,
) -> int:
    """Run a docket, show its account on standard output, return the exit status."""
    on_terminal = sys.stdin.isatty() and sys.stderr.isatty()
    try:
        job = load_docket(
            docket,
            answers=answers,
            ask=_ask if on_terminal and not is_demo else None,
            anywhere=anywhere,
            ledger=ledger,
            fetch=fetch,
        )
        with Progress(wanted=not quiet) as progress:
            done = run(
                job,
                replace=replace,
                on_step=progress.on_step,
                on_read=progress.on_read,
            )
    except Problem as problem:
        problem.in_docket = True
        raise
    if not quiet:
        shown = None if is_demo else job.ledger
        show_account(done, as_json=as_json, ledger=shown)
    return 1 if done.account.stops() or done.account.totals_differ() else 0


def _ask(name: str, question: AskTerms) -> str:
    text = question.say
    if question.choices:
        text = f"{text} ({', '.join(question.choices)})"
    answer: str = click.prompt(text, default=question.default, err=True)
    return answer


def answers_of_settings(settings: tuple[str, ...]) -> dict[str, str]:
    """Return the answers to a docket's questions, as `--set` gives them."""
    answers = {}
    for setting in settings:
        name, equals, answer = setting.partition("=")
        if not equals or not name.strip():
            raise BadTerms(
                f"'{setting}' is not of the form NAME=ANSWER.", "Write `set` so."
            )
        answers[name.strip()] = answer
    return answers


def _run(docket: Path, settings: tuple[str, ...], **given: Any) -> int:
    fetch = terms_from(FetchTerms, given)
    if fetch.kept is not None:
        # A path on the command line starts from where the person is.
        fetch = msgspec.structs.replace(fetch, kept=str(Path(fetch.kept).absolute()))
    ours = {term.attribute for term in describe(FetchTerms)}
    rest = {key: value for key, value in given.items() if key not in ours}
    return run_docket(
        docket, answers=answers_of_settings(settings), fetch=fetch, **rest
    )


def _print_schema() -> None:
    text = msgspec.json.format(msgspec.json.encode(docket_schema()), indent=2)
    click.echo(text.decode("utf-8"))


COMMANDS = {
    "run": click.Command(
        "run",
        params=[
            click.Argument(
                ["docket"], type=click.Path(path_type=Path), metavar="DOCKET"
            ),
            click.Option(
                ["--set", "settings"],
                multiple=True,
                metavar="NAME=ANSWER",
                help="Answer a question of the docket. May be repeated.",
            ),
            click.Option(
                ["--anywhere"],
                is_flag=True,
                help="Let the docket write outside its own folder.",
            ),
            *ledger_options(),
            *fetching_options(),
        ],
        callback=_run,
        help="Do the work that a docket says, and show its account.\n\n"
        "A docket is a TOML file that names lists, the work on them in order, and "
        "where the results go. Its paths start from its own folder. The ledger of the "
        "run goes to the folder that the docket names, 'ledger' unless it says "
        "otherwise. Nothing is written unless all of the work is done and balances.",
        short_help="Do the work that a docket says.",
    ),
    "docket-schema": click.Command(
        "docket-schema",
        callback=_print_schema,
        help="Print the JSON Schema of a docket.\n\nEditors that know JSON Schema "
        "can check a docket and complete its keys by it.",
        short_help="Print the JSON Schema of a docket, for editors.",
    ),
}
