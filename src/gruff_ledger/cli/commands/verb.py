"""The command of a verb, made from its declaration.

A command is a job of one entry: it is run by the same engine as a docket.
"""

from __future__ import annotations

import importlib
import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import msgspec

from gruff_ledger.cli.options import (
    OutputPath,
    complete_address,
    fetching_options,
    ledger_options,
    options_of,
    renamed_reading,
    terms_from,
    with_options_named,
)
from gruff_ledger.cli.screen.paragraphs import paragraph
from gruff_ledger.cli.screen.progress import Progress
from gruff_ledger.cli.screen.result import show_verb
from gruff_ledger.cli.screen.streams import reader_may_leave
from gruff_ledger.credentials import readable, without_credentials
from gruff_ledger.field_names import parse_names
from gruff_ledger.job.engine import Run, run
from gruff_ledger.job.job import (
    Entry,
    Job,
    ListToRead,
    OutToWrite,
    beside_name,
    files_of,
    further_outs,
    referred,
)
from gruff_ledger.lists.address import STANDARD_INPUT, list_name, named_list
from gruff_ledger.lists.memory_terms import RoomTerms
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.prepare import output_place, split_part
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.problems import BadTerms, Problem, UnreadableSource
from gruff_ledger.speakers import COMMAND
from gruff_ledger.system.memory import settle_memory
from gruff_ledger.terms.declared import describe, plain
from gruff_ledger.work.registry import VERBS
from gruff_ledger.work.verb import Verb

if TYPE_CHECKING:
    from gruff_ledger.docket.enter import Entering

_RESULT = "result"

# Whether all is to be told of a command, in the context of its help.
_WHOLE_HELP = "gruff_ledger.whole_help"
_OUTPUT_TITLE = "Where things go"
# How wide the names of options may be beside their descriptions, in the short help.
_SHORT_NAMES = 26

# What reading has by the same name, is named for writing so.
_WRITING_NAMES = {
    "format": "to-format",
    "delimiter": "to-delimiter",
    "quote": "to-quote",
    "widths": "to-widths",
}


# What the short help shows of where things go.
_MAIN_OUTPUTS = ("--to", "--aside", "--ledger", "--replace", "--more")


class VerbCommand(click.Command):
    """
    A command whose options are listed in groups.

    Its help shows what is its own, each option in a sentence; with ``--help-all`` all
    options that verbs share, and every word on them.
    """

    groups: tuple[tuple[str, tuple[click.Option, ...]], ...] = ()
    examples: tuple[str, ...] = ()

    def format_options(
        self, ctx: click.Context, formatter: click.HelpFormatter
    ) -> None:
        """Write the options group by group."""
        from gruff_ledger.cli.help.examples import write_examples

        write_examples(formatter, self.examples)
        is_whole = bool(ctx.meta.get(_WHOLE_HELP))
        for title, options in self.groups if is_whole else self._short_groups():
            with formatter.section(title):
                records = [option.get_help_record(ctx) for option in options]
                shown = [record for record in records if record]
                if is_whole:
                    formatter.write_dl(shown)
                else:
                    formatter.write_dl(
                        [(name, first_clause(told)) for name, told in shown],
                        col_max=_SHORT_NAMES,
                    )
        if not is_whole:
            formatter.write_paragraph()
            formatter.write_text(
                "How lists are read, written and fetched: gruff help reading, writing, "
                f"web. Every option, and every word on it: gruff {self.name} --help-all"
            )

    def _short_groups(self) -> Iterator[tuple[str, list[click.Option]]]:
        """Yield the options of its own, and the main ones on where things go."""
        (title, own), *shared = self.groups
        yield title, list(own)
        for title, options in shared:
            if title == _OUTPUT_TITLE:
                yield (
                    title,
                    [each for each in options if _is_main(each, self.shared_outputs)],
                )

    # Outputs that all verbs have; the others are a verb's own.
    shared_outputs: tuple[click.Option, ...] = ()

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write what an address is, in the whole help."""
        if ctx.meta.get(_WHOLE_HELP):
            super().format_epilog(ctx, formatter)


def _is_main(option: click.Option, shared: Sequence[click.Option]) -> bool:
    return option not in shared or option.opts[0] in _MAIN_OUTPUTS


def first_clause(told: str) -> str:
    """
    Return what a description says first.

    Examples
    --------
    >>> first_clause("Which record stays: fullest has the most cells; newest is ….")
    'Which record stays.'
    >>> first_clause("Show these, such as 61. May be repeated.")
    'Show these, such as 61.'
    """
    clause = re.split(r"(?<=[\w)'\"])(?:[;:] |\. )", told, maxsplit=1)[0]
    return clause if clause.endswith((".", "]")) else f"{clause}."


def _show_whole_help(ctx: click.Context, _: click.Parameter, wanted: bool) -> None:
    if wanted and not ctx.resilient_parsing:
        ctx.meta[_WHOLE_HELP] = True
        click.echo(ctx.get_help())
        ctx.exit()


def output_options() -> list[click.Option]:
    """Return the options that every verb has on where things go."""
    path = OutputPath()
    return [
        click.Option(
            ["--to"],
            type=OutputPath(tables=True),
            metavar="PATH",
            help="Write the result here, in the format of the ending; else it is "
            "shown, or goes to a pipe.",
        ),
        click.Option(
            ["--aside"],
            type=path,
            metavar="PATH",
            help="Write the records set aside here, each with its reason.",
        ),
        click.Option(
            ["--control"],
            multiple=True,
            metavar="FIELD, …",
            help="Carry the exact sums of these fields from the lists to the result.",
        ),
        click.Option(
            ["--enter"],
            type=path,
            metavar="DOCKET",
            help="Enter this very work in a docket, to be run again; it is made if "
            "there is none.",
        ),
        *ledger_options(),
    ]


def verb_command(verb: Verb) -> click.Command:
    """Make the command of a verb."""
    own = options_of(verb.terms)
    own += [
        click.Option(
            [f"--{each.key}", each.key.replace("-", "_")],
            metavar="PATH",
            help=each.description,
        )
        for each in verb.further
    ]
    beside = [
        click.Option(
            [f"--{each.key}", each.key.replace("-", "_")],
            type=OutputPath(tables=True),
            metavar="PATH",
            help=each.description,
        )
        for each in verb.beside
    ]
    taken = {term.key for term in describe(verb.terms)}
    renamed = {
        term.key: f"list-{term.key}"
        for term in describe(ReadingTerms)
        if term.key in taken
    }
    reading = options_of(ReadingTerms, renamed)
    fetching = fetching_options()
    output = [
        option
        for option in output_options()
        if option.name != "to" or not verb.writes_itself
    ]
    writing = options_of(WritingTerms, _WRITING_NAMES)
    argument = click.Argument(
        ["addresses"],
        nargs=1 if verb.needs_list and not verb.several else -1,
        required=verb.needs_list,
        metavar="LIST..." if verb.several else "LIST" if verb.needs_list else "[LIST]",
        shell_complete=complete_address,
    )
    helping = click.Option(
        ["--help-all"],
        is_flag=True,
        is_eager=True,
        expose_value=False,
        callback=_show_whole_help,
        help="Show all options, and all that is said of them.",
    )
    shared = [*reading, *fetching, *output, *beside, *writing, helping]
    command = VerbCommand(
        verb.name,
        params=[argument, *own, *shared],
        callback=lambda **given: _run_verb(verb, **given),
        help=_help(verb),
        epilog="A LIST is a path, a pattern of paths, an address on the web, or - for "
        "standard input. A part of it follows a #: book.xlsx#sheet=May, "
        "list.csv#row=5-*/col=1-4, codes.json#/places, register.db#table=berths.",
    )
    command.examples = verb.examples
    command.groups = (
        ("What to do", tuple(own)),
        ("How the list is written (detected unless given)", tuple(reading)),
        ("Lists from the web", tuple(fetching)),
        (_OUTPUT_TITLE, (*output, *beside)),
        ("How the result is written", tuple(writing)),
    )
    command.shared_outputs = tuple(output)
    return command


def _help(verb: Verb) -> str:
    """Return the purpose, and what the verb's module says of its rules."""
    return COMMAND.said(f"{verb.purpose}\n\n{verb.rules}")


def _run_verb(
    verb: Verb,
    addresses: str | tuple[str, ...],
    aside: Path | None,
    ledger: Path | None,
    replace: bool,
    as_json: bool,
    quiet: bool,
    more: bool,
    to: Path | str | None = None,
    control: tuple[str, ...] = (),
    enter: Path | None = None,
    **given: Any,
) -> int:
    settle_memory()
    writing = terms_from(WritingTerms, given, _WRITING_NAMES)
    if verb.asks and isinstance(addresses, str):
        module, _, name = verb.asks.partition(":")
        ask = getattr(importlib.import_module(module), name)
        given = ask(addresses, given, _do)
    if verb.writes_itself:
        given["to"] = to
    job = job_of_verb(
        verb,
        addresses if isinstance(addresses, tuple) else (addresses,),
        given,
        to=None if verb.writes_itself else to,
        aside=aside,
        ledger=ledger,
        writing=writing,
        control=[name for each in control for name in parse_names(each)],
    )
    if enter is not None:
        untouched = {enter: "the docket that this work is entered in"}
        job = msgspec.structs.replace(job, untouched=untouched)
    entering = None if enter is None else _entering(enter, job)
    with Progress(wanted=not quiet) as progress:
        try:
            done = run(
                job,
                replace=replace,
                hash_sources=as_json,
                keep_result=to is None or entering is not None,
                on_step=progress.on_step,
                on_read=progress.on_read,
                on_share=progress.on_share,
            )
        except Problem as problem:
            is_of_writing = problem.file in [str(out.path) for out in job.outs]
            if is_of_writing and (
                not isinstance(problem, BadTerms) or problem.term in plain(writing)
            ):
                raise with_options_named(problem, _WRITING_NAMES) from None
            raise
    shown = done if to is None else msgspec.structs.replace(done, result=None)
    with reader_may_leave():
        show_verb(
            shown,
            verb,
            writing,
            as_json=as_json,
            quiet=quiet,
            more=more,
            ledger=ledger,
        )
    if entering is not None and done.result is not None:
        found = any(line.findings for line in done.account.lines())
        number = entering.enter(done.result, has_findings=found)
        if not (quiet or as_json):
            _say_entered(f"{enter}: this is entry {number} of it now.", aside)
    return 1 if done.account.stops() or done.account.totals_differ() else 0


def _say_entered(said: str, aside: Path | None) -> None:
    if aside is not None:
        said += " What is set aside in its run is in its ledger."
    with reader_may_leave():
        for line in paragraph(said, ""):
            click.echo(line, err=True)


def _do(name: str, address: str, given: Mapping[str, Any]) -> Run:
    """Do the work of a verb on a list, for a question to the person."""
    return run(job_of_verb(VERBS[name], (address,), given), keep_result=True)


def _entering(docket: Path, job: Job) -> Entering:
    from gruff_ledger.docket.enter import Entering

    return Entering(docket, job)


def job_of_verb(
    verb: Verb,
    addresses: Sequence[str],
    given: Mapping[str, Any],
    *,
    to: Path | str | None = None,
    aside: Path | None = None,
    ledger: Path | None = None,
    writing: WritingTerms = WritingTerms(),  # noqa: B008  (immutable)
    control: Sequence[str] = (),
) -> Job:
    """
    Make the job of a command.

    Parameters
    ----------
    verb : Verb
    addresses : sequence of str
        Of the lists to work on.
    given : mapping
        The options of the verb, of reading and of fetching, as Click gives them.
    to : Path or str, optional
        A path, or the address of a table on a server.
    aside, ledger : Path, optional
    writing : WritingTerms
    control : sequence of str
        Fields whose sums are carried through the work.
    """
    terms = terms_from(verb.terms, given)
    pinned = terms_from(ReadingTerms, given, renamed_reading(given))
    names = _names(addresses)
    addresses = [named_list(each)[1] for each in addresses]
    if len(addresses) > 1 and not verb.several:
        raise UnreadableSource(
            f"{verb.name} works on one list, and {len(addresses)} are named.",
            "Merge them first, or name one.",
        )
    lists = tuple(
        ListToRead(name, address, pinned, is_shared=True)
        for name, address in zip(names, addresses, strict=True)
    )
    said = {each.key: given[each.key.replace("-", "_")] for each in verb.further}
    further = further_outs(said, verb, Path())
    beside: dict[str, ListToRead] = {}
    files = files_of(terms, Path())
    named = terms.lists_named(dict(files))
    if (*addresses, *named).count(STANDARD_INPUT) > 1:
        raise UnreadableSource(
            "standard input can be read only once.",
            "Name it once, and the other lists by their paths.",
        )
    entry = Entry(
        number=1,
        verb=verb,
        terms=terms,
        lists=tuple(each.name for each in lists),
        result=_RESULT,
        further=further,
        references=referred(named, (), beside, [each.name for each in lists], pinned),
        files=files,
    )
    outs: tuple[OutToWrite, ...] = ()
    if to is not None:
        place, part = split_part(str(to))
        outs = (
            OutToWrite(
                output_place(place, Path()), readable(str(to)), _RESULT, part, writing
            ),
        )
    for each in verb.beside:
        path = given.get(each.key.replace("-", "_"))
        if path is not None:
            place, part = split_part(str(path))
            name = beside_name(_RESULT, each.key)
            own = writing if str(to).partition("#")[0] == place else WritingTerms()
            out = output_place(place, Path())
            outs = (*outs, OutToWrite(out, readable(str(path)), name, part, own))
    return Job(
        title=f"gruff {verb.name}",
        folder=Path(),
        lists=(*lists, *beside.values()),
        entries=(entry,),
        outs=outs,
        ledger=ledger,
        aside=aside,
        fetch=terms_from(FetchTerms, given),
        room=terms_from(RoomTerms, given),
        guards=writing.guard_formulas,
        control=tuple(control),
    )


def _names(addresses: Sequence[str]) -> list[str]:
    """Name lists as a person does, by their files, or by their addresses if shared."""
    names = [name or list_name(address) for name, address in map(named_list, addresses)]
    shared = {name for name, count in Counter(names).items() if count > 1}
    told: list[str] = []
    for name, address in zip(names, addresses, strict=True):
        label = readable(without_credentials(address)) if name in shared else name
        again = sum(each == label or each.startswith(f"{label} (") for each in told)
        told.append(f"{label} ({again + 1})" if again else label)
    return told
