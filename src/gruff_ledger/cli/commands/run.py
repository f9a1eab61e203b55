"""The commands on dockets: run one, watch one, print their schema.

What works on lists is imported when there is something to do: a docket that need not
be run again is told so at once.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import msgspec

from gruff_ledger.cli.options import fetching_options, ledger_options, terms_from
from gruff_ledger.cli.screen.streams import reader_may_leave
from gruff_ledger.credentials import hide_credentials
from gruff_ledger.docket.again import standing
from gruff_ledger.lists.memory_terms import RoomTerms
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.speakers import DOCKET
from gruff_ledger.words import counted, visible

if TYPE_CHECKING:
    from gruff_ledger.docket.sections import AskTerms
    from gruff_ledger.job.engine import Run
    from gruff_ledger.job.job import Job


class Asked(msgspec.Struct, frozen=True, kw_only=True):
    """
    How a docket is to be run.

    Attributes
    ----------
    answers : dict
        The answers to its questions that are given.
    ledger : Path, optional
        Another folder for the ledger than the docket names.
    anywhere, replace, as_json, quiet, more, since_last : bool
    fetch : FetchTerms
    room : RoomTerms
    is_alone : bool
        Whether nobody is there to answer questions.
    text : bytes, optional
        What the docket says, where it came through a pipe and cannot be read again.
    """

    answers: dict[str, str] = {}
    ledger: Path | None = None
    anywhere: bool = False
    replace: bool = False
    as_json: bool = False
    quiet: bool = False
    more: bool = False
    since_last: bool = False
    fetch: FetchTerms | None = None
    room: RoomTerms = RoomTerms()
    is_alone: bool = False
    text: bytes | None = None


def run_docket(docket: Path, asked: Asked, *, write: bool = True) -> int:
    """Run a docket, show its account on standard output, return the exit status."""
    job, done = done_docket(docket, asked, write=write)
    if not asked.quiet:
        from gruff_ledger.cli.screen.result import show_docket

        is_kept = write and not asked.is_alone
        with reader_may_leave():
            show_docket(
                done,
                as_json=asked.as_json,
                more=asked.more,
                ledger=job.ledger if is_kept else None,
            )
            if not write and not asked.as_json:
                click.echo("Nothing was written: this was a dry run.")
    return status_of(done)


def status_of(done: Run) -> int:
    """Return the exit status of a finished run."""
    return 1 if done.account.stops() or done.account.totals_differ() else 0


def done_docket(docket: Path, asked: Asked, *, write: bool = True) -> tuple[Job, Run]:
    """Run a docket, and return its job and what came of it."""
    from gruff_ledger.cli.screen.progress import Progress
    from gruff_ledger.job.engine import run
    from gruff_ledger.system.memory import settle_memory

    settle_memory()
    try:
        job = loaded(docket, asked)
        with Progress(wanted=not asked.quiet) as progress:
            done = run(
                job,
                replace=asked.replace,
                since=asked.since_last,
                write=write,
                on_step=progress.on_step,
                on_read=progress.on_read,
                on_share=progress.on_share,
            )
    except Problem as problem:
        problem.said_to(DOCKET)
        raise
    return job, done


def loaded(docket: Path, asked: Asked) -> Job:
    """Load a docket; questions are put to the person, where there is one."""
    from gruff_ledger.docket.load import load_docket

    on_terminal = sys.stdin.isatty() and sys.stderr.isatty()
    try:
        job = load_docket(
            docket,
            answers=asked.answers,
            ask=_ask if on_terminal and not asked.is_alone else None,
            anywhere=asked.anywhere,
            ledger=asked.ledger,
            fetch=asked.fetch,
            text=asked.text,
        )
        return msgspec.structs.replace(job, room=asked.room)
    except Problem as problem:
        problem.said_to(DOCKET)
        raise


def _ask(name: str, question: AskTerms) -> str:
    text = question.say
    if question.choices:
        text = f"{text} ({', '.join(question.choices)})"
    default = question.default
    shown = False if default is None else visible(hide_credentials(default))
    answer: str = click.prompt(
        visible(hide_credentials(text)), default=default, show_default=shown, err=True
    )
    return answer


def answers_of_settings(settings: tuple[str, ...]) -> dict[str, str]:
    """Return the answers to a docket's questions, as `--set` gives them."""
    answers = {}
    for setting in settings:
        name, equals, answer = setting.partition("=")
        if not equals or not name.strip():
            raise BadTerms(
                f"'{setting}' is not of the form NAME=ANSWER.",
                "Write it as in `set month=May`.",
            )
        answers[name.strip()] = answer
    return answers


def asked_of(settings: tuple[str, ...], given: dict[str, Any]) -> Asked:
    """Take together how a docket is to be run, from the options of a command."""
    fetch = terms_from(FetchTerms, given)
    if fetch.kept is not None:
        # A path on the command line starts from where the person is.
        fetch = msgspec.structs.replace(fetch, kept=str(Path(fetch.kept).absolute()))
    known = {field.name for field in msgspec.structs.fields(Asked)}
    rest = {key: value for key, value in given.items() if key in known}
    room = terms_from(RoomTerms, given)
    return Asked(answers=answers_of_settings(settings), fetch=fetch, room=room, **rest)


def _run(
    docket: Path,
    settings: tuple[str, ...],
    if_changed: bool,
    dry_run: bool,
    stop_after: str | None,
    diagram: bool,
    **given: Any,
) -> int:
    asked = asked_of(settings, given)
    if docket.exists() and not (docket.is_file() or docket.is_dir()):
        if if_changed:
            raise BadTerms(
                "a docket that comes through a pipe cannot be compared with the last.",
                "Write it to a file, or leave this out.",
                term="if-changed",
            )
        asked = msgspec.structs.replace(asked, text=docket.read_bytes())
    if sum((dry_run, diagram, stop_after is not None)) > 1:
        raise BadTerms(
            "only one of these can be asked for.",
            "Give only one of `dry-run`, `stop-after` and `diagram`.",
        )
    if diagram:
        return _show_diagram(docket, asked)
    if stop_after is not None:
        return _show_part(docket, asked, stop_after)
    if if_changed and not dry_run:
        stands = standing(
            docket, answers=asked.answers, ledger=asked.ledger, fetch=asked.fetch
        )
        if not stands.changed:
            if not asked.quiet:
                with reader_may_leave():
                    click.echo(unchanged_words(stands.started, stands.sources))
            return stands.status
        if not asked.quiet:
            click.echo(f"Run, because {stands.changed}.", err=True)
    return run_docket(docket, asked, write=not dry_run)


def unchanged_words(started: str, sources: int) -> str:
    """Say that nothing has to be done."""
    named = counted(sources, "source", "sources")
    return (
        f"Nothing changed since the run of {started}: the docket, its {named} and all "
        "it names are the same. Nothing was done."
    )


def _show_diagram(docket: Path, asked: Asked) -> int:
    from gruff_ledger.job.part import diagram

    plain = str.maketrans("│├└─▶◀", "|+`-><")
    for line in diagram(loaded(docket, asked)):
        shown = visible(line)
        try:
            shown.encode(sys.stdout.encoding or "ascii")
        except UnicodeEncodeError:
            # A console that cannot show lines gets marks that all can.
            shown = shown.translate(plain)
        click.echo(shown)
    return 0


def _show_part(docket: Path, asked: Asked, said: str) -> int:
    """Do what leads to an entry, and show the list that is then in hand."""
    from gruff_ledger.cli.screen.progress import Progress
    from gruff_ledger.cli.screen.result import show_verb
    from gruff_ledger.job.engine import run
    from gruff_ledger.job.part import stopped_after
    from gruff_ledger.lists.output import WritingTerms
    from gruff_ledger.system.memory import settle_memory

    settle_memory()
    try:
        job = stopped_after(loaded(docket, asked), said)
        with Progress(wanted=not asked.quiet) as progress:
            done = run(
                job,
                keep_result=True,
                on_step=progress.on_step,
                on_read=progress.on_read,
                on_share=progress.on_share,
            )
    except Problem as problem:
        problem.said_to(DOCKET)
        raise
    with reader_may_leave():
        show_verb(
            done,
            job.entries[-1].verb,
            WritingTerms(),
            as_json=asked.as_json,
            quiet=asked.quiet,
            more=True,
            ledger=None,
        )
    return status_of(done)


def _print_schema() -> None:
    from gruff_ledger.docket.schema import docket_schema

    text = msgspec.json.format(msgspec.json.encode(docket_schema()), indent=2)
    click.echo(text.decode("utf-8"))


def docket_parameters() -> list[click.Parameter]:
    """Return the parameters of every command that runs a docket."""
    return [
        click.Argument(["docket"], type=click.Path(path_type=Path), metavar="DOCKET"),
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
        click.Option(
            ["--since-last"],
            is_flag=True,
            help="Tell what is new, gone and changed in each result since it was last "
            "written.",
        ),
    ]


COMMANDS = {
    "run": click.Command(
        "run",
        params=[
            *docket_parameters(),
            click.Option(
                ["--if-changed"],
                is_flag=True,
                help="Do nothing if neither the docket nor anything it is made from "
                "changed since its last run.",
            ),
            click.Option(
                ["--dry-run"], is_flag=True, help="Do all the work, and write nothing."
            ),
            click.Option(
                ["--stop-after"],
                metavar="ENTRY",
                help="Stop after this entry, by its number or the name of its result, "
                "and show the list that is then in hand. Nothing is written.",
            ),
            click.Option(
                ["--diagram"],
                is_flag=True,
                help="Do nothing; draw the docket: its lists, entries and results.",
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
