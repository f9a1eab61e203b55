"""What a person sees of a run: the result, the summary of a verb, the account."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from typing import IO

import click

from gruff_ledger.account.ledger import Account, Balance
from gruff_ledger.account.words import (
    balance_words,
    books_words,
    since_rows,
    since_words,
    time_words,
)
from gruff_ledger.cli.screen.facts import page_text
from gruff_ledger.cli.screen.page import page_of
from gruff_ledger.cli.screen.paragraphs import paragraph, rows_taken, screen
from gruff_ledger.cli.screen.remarks import attention_lines, remark_lines
from gruff_ledger.job.engine import Run
from gruff_ledger.lists.output import WritingTerms
from gruff_ledger.lists.outputs.prepare import (
    check_output,
    guard,
    with_guarded_headings,
    write_parts,
)
from gruff_ledger.speakers import COMMAND, DOCKET
from gruff_ledger.table import Table
from gruff_ledger.words import counted, visible
from gruff_ledger.work.verb import Verb

# New, gone and changed records of a result that are told one by one.
_SINCE_ROWS = 6

_WIDEST_ADDRESS = 60


def show_verb(
    run: Run,
    verb: Verb,
    writing: WritingTerms,
    *,
    as_json: bool,
    quiet: bool,
    more: bool,
    ledger: Path | None,
) -> None:
    """Show the result of a verb, if it was kept, and the summary."""
    is_shown = (
        run.result is not None and sys.stdout.isatty() and writing == WritingTerms()
    )
    page = page_of(verb.page if as_json or is_shown or not quiet else "")
    if as_json:
        detail = None if run.result is None else page.facts(run)
        click.echo(page_text(run, verb=verb.name, speaker=COMMAND, detail=detail))
        return
    summary: list[str] = []
    if not quiet:
        only_looks = verb.stage == "look" and not run.account.outs
        balance = None if only_looks or not page.tells_balance else run.balance
        ending = list(_ending_lines(run.account, balance, ledger))
        if only_looks:
            ending.append("Nothing was changed.")
        elif is_shown:
            ending.append("To keep this: add --to FILE, such as --to result.csv")
        if not (is_shown and page.has_remarks):
            summary += page.remark_lines(run, more=more, below=len(ending))
        if more:
            summary += _beside_lines(run, verb)
        summary += ending
    if is_shown:
        from gruff_ledger.cli.screen.listing import Window

        console = screen(sys.stdout)
        taken = rows_taken(summary, console.width)
        window = Window(console.width, console.height - taken)
        if not (sys.stdin.isatty() and page.look_through(run, console)):
            console.print(page.view(run, window))
    elif run.result is not None:
        _write_result(run.result, writing)
    if run.result is not None and summary and sys.stdout.isatty():
        click.echo(err=True)
    for line in summary:
        click.echo(line, err=True)


def _write_result(table: Table, writing: WritingTerms) -> None:
    """Write a list as delimited text to standard output."""
    place = Path("standard output")
    found = check_output(place, writing, [None])
    if writing.guard_formulas:
        table = with_guarded_headings(guard(table)[0])
    write_parts(place, found, [(None, table)], writing, sys.stdout.buffer)
    sys.stdout.buffer.flush()


def _ending_lines(
    account: Account, balance: Balance | None, ledger: Path | None
) -> Iterator[str]:
    """Yield what was written, and that the account balances."""
    for out in account.outs:
        yield from paragraph(f"{out.address}: {counted(out.records, 'record')}.", "")
    if ledger is not None:
        yield from paragraph(f"{ledger}: the ledger.", "")
    yield from _control_lines(account, sys.stderr)
    if balance is not None:
        yield from paragraph(books_words(balance), "")


def _beside_lines(run: Run, verb: Verb) -> Iterator[str]:
    """Yield the lists beside the result that are to be seen, on a terminal."""
    if not sys.stderr.isatty():
        return
    from gruff_ledger.cli.screen.listing import Window, list_view

    console = screen(sys.stderr)
    for each in verb.beside:
        if not each.shown or each.key not in run.beside:
            continue
        table = run.beside[each.key]()
        if not len(table):
            continue
        with console.capture() as captured:
            console.print(list_view(table, Window(console.width)))
        yield f"{table.name.capitalize()}:"
        yield from captured.get().rstrip("\n").split("\n")


def _control_lines(
    account: Account, stream: IO[str], *, with_chains: bool = True
) -> Iterator[str]:
    """Yield the control totals, each as a chain of sums, and what differs."""
    if not account.control:
        return
    from gruff_ledger.account.words import control_words
    from gruff_ledger.cli.screen.tables import control_view

    console = screen(stream)
    for chain in account.control:
        if not (chain.sources or chain.entries):
            continue
        if with_chains:
            with console.capture() as captured:
                console.print(control_view(chain))
            yield from captured.get().rstrip("\n").split("\n")
        for mark, text in control_words(chain):
            yield from paragraph(text, mark)
        if with_chains:
            yield ""


def _since_lines(account: Account) -> Iterator[str]:
    """Yield what changed in each result since it was last written."""
    if not account.since:
        return
    yield "Since the last run:"
    for since in account.since:
        yield from paragraph(since_words(since), "  ")
        for row in since_rows(since, _SINCE_ROWS):
            yield from paragraph(row, "    ")
    yield ""


def show_docket(
    run: Run, *, as_json: bool, more: bool, ledger: Path | None = None
) -> None:
    """
    Show what a docket came to on standard output.

    That is: what changed since the last run, what needs attention, a line a result and
    the books; or the whole account, laid out as a cash book.

    Parameters
    ----------
    run : Run
    as_json : bool
        Give the same facts as JSON instead.
    more : bool
        Whether the whole account is shown.
    ledger : Path, optional
        The folder of the ledger, to be told.
    """
    if as_json:
        click.echo(page_text(run, verb="run", speaker=DOCKET))
    elif more:
        _show_account(run, ledger)
    else:
        for text in _docket_lines(run, ledger):
            click.echo(text)


def _docket_lines(run: Run, ledger: Path | None) -> Iterator[str]:
    account = run.account
    yield visible(f"{account.title}, {time_words(account.started)}")
    yield ""
    yield from _since_lines(account)
    yield from attention_lines(account, speaker=DOCKET)
    yield ""
    width = max((len(out.address) for out in account.outs), default=0)
    for out in account.outs:
        name = visible(out.address).ljust(min(width, _WIDEST_ADDRESS))
        yield f"{name}  {counted(out.records, 'record')}"
    yield from _control_lines(account, sys.stdout, with_chains=False)
    yield books_words(run.balance)
    if ledger is not None:
        page = ledger / "account.html"
        yield visible(f"The ledger is in {ledger}; the account to read is {page}.")
    yield from _stop_lines(account)


def _stop_lines(account: Account) -> Iterator[str]:
    if account.stops():
        stops = counted(account.stops(), "finding")
        yield f"{stops} of severity stop: 'gruff run' then ends with status 1."


def _show_account(run: Run, ledger: Path | None) -> None:
    from gruff_ledger.cli.screen.tables import account_view

    account = run.account
    screen(sys.stdout).print(account_view(account, run.balance))
    lines = remark_lines(account, sys.stdout, speaker=DOCKET)
    for text in [*lines, ""] if lines else []:
        click.echo(text)
    for text in _control_lines(account, sys.stdout):
        click.echo(text)
    for text in _since_lines(account):
        click.echo(text)
    if ledger is not None:
        click.echo(visible(f"The ledger is in {ledger}."))
    click.echo(balance_words(run.balance))
    for text in _stop_lines(account):
        click.echo(text)
