"""The command `review`: a person decides, on the terminal or in a list filled in."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import click
from rich import box
from rich.console import Group
from rich.table import Column as ScreenColumn
from rich.table import Table as ScreenTable
from rich.text import Text

from gruff_ledger.account.words import SourcePlaces, places
from gruff_ledger.cli.commands.verb import VerbCommand, job_of_verb
from gruff_ledger.cli.options import OutputPath, options_of
from gruff_ledger.cli.screen.choose import LEAVE, read_key
from gruff_ledger.cli.screen.paragraphs import screen
from gruff_ledger.cli.screen.progress import Progress
from gruff_ledger.docket.load import load_docket
from gruff_ledger.job.job import Job
from gruff_ledger.job.review import Review, filled_list, now, reviews
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.prepare import check_output, write_parts
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.problems import BadTerms, Problem
from gruff_ledger.speakers import DOCKET
from gruff_ledger.words import counted, visible
from gruff_ledger.work.registry import VERBS
from gruff_ledger.work.review.answers import (
    DIFFERENT,
    SAME,
    answers_in,
    decision_on,
    questions_table,
)
from gruff_ledger.work.review.decisions import Decision
from gruff_ledger.work.review.questions import Question, Questions

# `review` decides on what this verb finds.
_DUPLICATES = VERBS["duplicates"]

# What a key does; values are chosen by their numbers.
_KEYS = {"s": SAME, "d": DIFFERENT}
_ALL, _LATER, _BACK, _UNDO, _QUIT = "a", "l", "b", "u", "q"

# More records of a group do not fit beside each other.
_MOST_BESIDE = 4

_DOCKET_ENDING = ".toml"


class Session:
    """
    The questions of one entry, asked one by one; every answer is kept at once.

    Parameters
    ----------
    review : Review
    questions : Questions
    show : callable
        Shows a question: which it is, of how many.
    read_key : callable
        Returns the next key that is pressed.
    """

    def __init__(
        self,
        review: Review,
        questions: Questions,
        show: Callable[[Question, int, int], None],
        read_key: Callable[[], str],
    ) -> None:
        self._review = review
        self._questions = questions
        self._show = show
        self._read_key = read_key
        self.answers: dict[int, str] = {}
        self.left = False
        # What each key press that was an answer decided, for taking it back.
        self._done: list[tuple[int, list[tuple[int, Decision]]]] = []

    def ask(self) -> None:
        """Ask all questions, until they are answered or the person leaves."""
        all_ = self._questions.all
        at = 0
        while at < len(all_):
            self._show(all_[at], at + 1, len(all_))
            key = self._key(all_[at])
            if key == _QUIT:
                self.left = True
                return
            if key == _BACK:
                at = max(0, at - 1)
                continue
            if key == _UNDO:
                at = self._undo(at)
                continue
            if key == _ALL:
                at = self._keep_all(at)
                continue
            if key != _LATER:
                self._done.append((at, [self._keep(at, key)]))
            at += 1

    def _key(self, question: Question) -> str:
        values = [str(number + 1) for number in range(len(question.values[:9]))]
        known = {
            _LATER,
            _BACK,
            _UNDO,
            _QUIT,
            *(values if question.field else (*_KEYS, _ALL)),
        }
        while True:
            key = self._read_key().lower()
            if key in (*LEAVE, ""):
                return _QUIT
            if key in known:
                return key

    def _keep_all(self, at: int) -> int:
        """Answer that all records of a group are the same; return what comes next."""
        all_ = self._questions.all
        group = _open_in_group(all_, all_[at])
        same = next(key for key, answer in _KEYS.items() if answer == SAME)
        self._done.append(
            (
                at,
                [
                    self._keep(place, same)
                    for place, question in enumerate(all_)
                    if any(question is each for each in group)
                ],
            )
        )
        at += 1
        while at < len(all_) and any(all_[at] is each for each in group):
            at += 1
        return at

    def _undo(self, at: int) -> int:
        """Take the last answer back, and return which question it was on."""
        if not self._done:
            return at
        at, decided = self._done.pop()
        self._review.take_back([decision for _, decision in decided])
        for place, _ in decided:
            self.answers.pop(place, None)
        return at

    def _keep(self, at: int, key: str) -> tuple[int, Decision]:
        """Keep an answer, and return on which question, and what was decided."""
        question = self._questions.all[at]
        answer = question.values[int(key) - 1] if question.field else _KEYS[key]
        self.answers[at] = answer
        decision = decision_on(self._questions, question, answer, now())
        self._review.keep([decision])
        return at, decision


def _open_in_group(asked: Sequence[Question], question: Question) -> list[Question]:
    """Return the questions on records of one group, where that is what is asked."""
    if question.field:
        return [question]
    return [
        each
        for each in asked
        if each.group == question.group and each.one == question.one and not each.field
    ]


def question_view(
    questions: Questions,
    question: Question,
    at: int,
    count: int,
    sources: SourcePlaces,
) -> Group:
    """
    Lay out a question: its records side by side, with differing cells marked.

    Of a group with more open questions, the records of those stand beside.
    """
    table = questions.table
    group = _open_in_group(questions.all, question)
    asked = [question, *(each for each in group if each is not question)]
    records = [question.one, *(each.other for each in asked[:_MOST_BESIDE])]
    cells = [table.records(record, record + 1)[0] for record in records]
    named = [
        places(table.origin.pick(slice(record, record + 1)), sources)
        for record in records
    ]
    view = ScreenTable(
        ScreenColumn("", no_wrap=True),
        ScreenColumn("field", no_wrap=True),
        *(
            ScreenColumn(
                Text(visible(name if place < 2 else f"also {name}")),
                overflow="fold",
            )
            for place, name in enumerate(named)
        ),
        box=box.SIMPLE,
        padding=(0, 2, 0, 0),
        pad_edge=False,
        header_style="",
        title=Text(f"Question {at} of {count}   group {question.group}", style="bold"),
        title_justify="left",
    )
    for heading, mine, *others in zip(table.headings, *cells, strict=True):
        differs = others[0] != mine
        style = "bold" if differs else ""
        view.add_row(
            "≠" if differs else "",
            Text(visible(heading), style=style),
            Text(visible(mine), style=style),
            *(
                Text(visible(cell), style="bold" if cell != mine else "")
                for cell in others
            ),
        )
    lines: list[Any] = [view]
    if question.score is not None:
        lines.append(
            Text(visible(f"{question.score:.0f} of 100 alike. {question.why}"))
        )
    if question.field:
        lines.append(Text(visible(f"Which {question.field} is right?")))
        lines += [
            Text(visible(f"  {number}  {value}"))
            for number, value in enumerate(question.values[:9], 1)
        ]
        keys = "1 to 9 choose"
    else:
        keys = "s same   d different"
        if len(group) > 1:
            keys += f"   a all {len(group) + 1} of the group are the same"
    lines.append(Text(keys))
    lines.append(Text("l later   b back   u undo   q leave; answers are kept at once"))
    return Group(*lines)


def _review(
    what: str,
    answers: str | None,
    to: Path | None,
    replace: bool,
    quiet: bool,
    settings: tuple[str, ...],
    **given: Any,
) -> int:
    with Progress(wanted=not quiet) as progress:
        job = _job(what, settings, given)
        found = reviews(job, progress.on_step)
        if len(found) > 1 and (answers is not None or to is not None):
            raise BadTerms(
                f"{what} has {len(found)} entries with decisions.",
                "Decide on the terminal, or keep one of them in a docket of its own.",
            )
        opened = [(each, each.questions()) for each in found]
    if answers is not None:
        return _take_answers(*opened[0], answers, quiet=quiet)
    if to is not None:
        return _write_questions(*opened[0], to, replace=replace, quiet=quiet)
    for review, questions in opened:
        if not _ask_all(review, questions):
            break
    return 0


def _job(what: str, settings: tuple[str, ...], given: dict[str, Any]) -> Job:
    if not what.lower().endswith(_DOCKET_ENDING):
        return job_of_verb(_DUPLICATES, (what,), given)
    from gruff_ledger.cli.commands.run import answers_of_settings

    try:
        return load_docket(Path(what), answers=answers_of_settings(settings))
    except Problem as problem:
        problem.said_to(DOCKET)
        raise


def _ask_all(review: Review, questions: Questions) -> bool:
    """Ask until nothing is open but what is left for later; False if left."""
    console = screen(sys.stdout)
    if not questions.all:
        console.print(f"{review.path}: nothing is left to be decided.")
        return True
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise BadTerms(
            f"{counted(len(questions.all), 'question')} would be asked on a terminal, "
            "and there is none.",
            "Write them to a list with `to`, have it filled in, and give it in "
            "`answers`.",
        )
    asked: set[tuple[str, ...]] = set()
    total = 0
    while True:
        fresh = tuple(q for q in questions.all if _known_by(questions, q) not in asked)
        if not fresh:
            break
        questions = questions._replace(all=fresh)
        asked |= {_known_by(questions, question) for question in fresh}

        def show(question: Question, at: int, count: int) -> None:
            console.print()
            view = question_view(questions, question, at, count, review.sources)  # noqa: B023
            console.print(view)

        session = Session(review, questions, show, read_key)
        session.ask()
        total += len(session.answers)
        if session.left or not session.answers:
            break
        # Who is different from one may be the same as another, and records that are
        # the same may differ in values.
        questions = review.questions()
    console.print(f"{counted(total, 'decision')} kept in {review.path}.")
    return not session.left


def _known_by(questions: Questions, question: Question) -> tuple[str, ...]:
    records = questions.table.records
    one = records(question.one, question.one + 1)[0]
    other = records(question.other, question.other + 1)[0]
    return (*one, "\0", *other, question.field)


def _write_questions(
    review: Review, questions: Questions, to: Path, *, replace: bool, quiet: bool
) -> int:
    found = check_output(to, WritingTerms(), [None])
    if not questions.all:
        if not quiet:
            text = f"Nothing is left to be decided; {to} was not written."
            click.echo(visible(text), err=True)
        return 0
    table = questions_table(questions)
    with review.outputs_beside(replace=replace) as outputs:
        outputs.claim(to)
        outputs.write(
            to,
            lambda sink: write_parts(to, found, [(None, table)], WritingTerms(), sink),
        )
        outputs.commit()
    if not quiet:
        count = counted(len(questions.all), "question")
        click.echo(
            visible(
                f"{to}: {count}. Write same, different or later, or the right value, "
                "in the field decision; then give the file in --answers."
            ),
            err=True,
        )
    return 0


def _take_answers(
    review: Review, questions: Questions, address: str, *, quiet: bool
) -> int:
    found = answers_in(filled_list(address), questions, "answers", now())
    review.keep(found.decisions)
    if not quiet:
        kept = counted(len(found.decisions), "decision")
        left = counted(found.open, "question")
        click.echo(
            visible(f"{kept} kept in {review.path}; {left} still open."), err=True
        )
    return 0


def _command() -> click.Command:
    own = options_of(_DUPLICATES.terms)
    reading, fetching = options_of(ReadingTerms), options_of(FetchTerms)
    mine = [
        click.Option(
            ["--to"],
            type=OutputPath(),
            metavar="PATH",
            help="Write the questions to a list, with a field to fill in.",
        ),
        click.Option(
            ["--answers"],
            metavar="LIST",
            help="Take the answers of such a list, filled in.",
        ),
        click.Option(["--replace"], is_flag=True, help="Replace a list that exists."),
        click.Option(["--quiet"], is_flag=True, help="Give no summary."),
        click.Option(
            ["--set", "settings"],
            multiple=True,
            metavar="NAME=ANSWER",
            help="Answer a question of the docket. May be repeated.",
        ),
    ]
    command = VerbCommand(
        "review",
        params=[
            click.Argument(["what"], metavar="LIST|DOCKET"),
            *mine,
            *own,
            *reading,
            *fetching,
        ],
        callback=_review,
        help="Decide which records are the same, once.\n\nOf a LIST, the terms are "
        "those of gruff duplicates; in a DOCKET (.toml) they stand in the entries "
        "(duplicates, or merge by key) that name decisions. Questions are asked on the "
        "terminal, one key each, or written to a list with --to and read back with "
        "--answers. Every decision is kept at once in the file that --decisions "
        "names, and holds whenever these records come again.",
        short_help="Decide which records are the same, once.",
    )
    command.groups = (
        ("What to do", tuple(mine)),
        ("Which records are asked about (of a list)", tuple(own)),
        ("How the list is written (detected unless given)", tuple(reading)),
        ("Lists from the web", tuple(fetching)),
    )
    return command


COMMANDS = {"review": _command()}
