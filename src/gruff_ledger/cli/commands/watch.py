"""The command `watch`: a docket is run again whenever what it is made from changes."""

from __future__ import annotations

import datetime
import signal
import threading
import time
from pathlib import Path
from typing import Any

import click
import msgspec

from gruff_ledger.account.words import balance_words, since_words
from gruff_ledger.cli.commands.run import (
    Asked,
    asked_of,
    docket_parameters,
    done_docket,
    loaded,
)
from gruff_ledger.cli.options import fetching_options, ledger_options
from gruff_ledger.cli.screen.paragraphs import paragraph
from gruff_ledger.docket.again import standing
from gruff_ledger.docket.watch import Stamps, Watched, settled, watched
from gruff_ledger.problems import Problem
from gruff_ledger.speakers import DOCKET
from gruff_ledger.system.locks import Busy
from gruff_ledger.words import counted, visible

# How often it is looked whether anybody wants this to end, and whether the web is due.
_TICK_SECONDS = 1.0


class _Watch:
    """One watch, from its beginning until it is interrupted."""

    def __init__(self, docket: Path, asked: Asked, every: float, settle: float) -> None:
        self._docket = docket
        self._asked = msgspec.structs.replace(asked, is_alone=True)
        self._every = every
        self._settle = settle
        self._over = threading.Event()
        self._failed = False
        self._waits = False
        self._asked_web = time.monotonic()

    def end(self, *_: object) -> None:
        """End soon; a run that is at work is given up, and leaves nothing half done."""
        self._over.set()
        raise KeyboardInterrupt

    def go_on(self) -> None:
        """Run whenever something changed, until it is ended."""
        at_first = True
        while not self._over.is_set():
            before = self._seen().stamps()
            try:
                self._run_if_changed(at_first=at_first)
            except Busy:
                self._wait_for_other()
                continue
            at_first = self._waits = False
            self._wait(self._seen(), before)

    def _wait_for_other(self) -> None:
        """Wait a little for another run of the docket, and say so once."""
        if not self._waits:
            self._say("Another run of it is at work; this one waits for it.")
        self._waits = True
        self._over.wait(_TICK_SECONDS)

    def _seen(self) -> Watched:
        asked = self._asked
        return watched(self._docket, answers=asked.answers, ledger=asked.ledger)

    def _wait(self, seen: Watched, before: Stamps) -> None:
        """Wait for a change since the last look, or until the web is due."""
        from watchfiles import watch

        if seen.stamps() != before:
            # It came while the docket was run.
            settled(seen, quiet_seconds=self._settle, is_over=self._over.is_set)
            return
        for changes in watch(
            *seen.folders,
            watch_filter=lambda _, path: seen.has(Path(path)),
            rust_timeout=int(_TICK_SECONDS * 1000),
            yield_on_timeout=True,
            recursive=seen.is_deep,
            stop_event=self._over,
            ignore_permission_denied=True,
        ):
            if changes or seen.stamps() != before:
                settled(seen, quiet_seconds=self._settle, is_over=self._over.is_set)
                return
            if time.monotonic() - self._asked_web >= self._every:
                return

    def _run_if_changed(self, *, at_first: bool = False) -> None:
        asked = self._asked
        self._asked_web = time.monotonic()
        stands = standing(
            self._docket, answers=asked.answers, ledger=asked.ledger, fetch=asked.fetch
        )
        if not stands.changed:
            if at_first or self._failed:
                self._say(f"Nothing changed since the run of {stands.started}.")
            self._failed = False
            return
        if not self._waits:
            self._say(f"Run, because {stands.changed}.")
        # What the last run wrote, and nobody changed, is this docket's own.
        own = msgspec.structs.replace(asked, replace=asked.replace or stands.is_own)
        try:
            _, done = done_docket(self._docket, own)
        except Busy:
            raise
        except Problem as problem:
            problem.said_to(DOCKET)
            self._failed = True
            self._say(f"Not done: {problem.paragraph()}")
            return
        self._failed = False
        account = done.account
        for since in account.since:
            if since.said or since.rows:
                self._say(since_words(since))
        stops = account.stops()
        tail = f" {counted(stops, 'finding')} of severity stop." if stops else ""
        if account.totals_differ():
            tail += " Control totals differ."
        self._say(f"Done: {balance_words(done.balance)}{tail}")

    def _say(self, text: str) -> None:
        if self._asked.quiet:
            return
        now = datetime.datetime.now().strftime("%H:%M:%S")
        for line in paragraph(visible(text), f"{now}  "):
            click.echo(line)


def _watch(
    docket: Path, settings: tuple[str, ...], every: float, settle: float, **given: Any
) -> int:
    asked = asked_of(settings, given)
    if not docket.is_file():
        # What is wrong with one that is there is waited for; this says what is not.
        loaded(docket, asked)
    watch = _Watch(docket, asked, every, settle)
    # A service that is told to end ends as one that is interrupted, and so does one
    # that was started where interrupts are ignored.
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, watch.end)
    try:
        watch._say(f"{docket} is watched. To end, press Ctrl-C.")
        watch.go_on()
    except KeyboardInterrupt:
        pass
    watch._say("Ended; nothing is half done.")
    return 0


COMMANDS = {
    "watch": click.Command(
        "watch",
        params=[
            *docket_parameters(),
            click.Option(
                ["--every"],
                type=click.FloatRange(min=1),
                default=300,
                show_default=True,
                metavar="SECONDS",
                help="How often lists from the web are asked after.",
            ),
            click.Option(
                ["--settle"],
                type=click.FloatRange(min=0),
                default=1,
                show_default=True,
                metavar="SECONDS",
                help="How long files must stay as they are before they are read.",
            ),
            *(each for each in ledger_options() if each.name != "as_json"),
            *fetching_options(),
        ],
        callback=_watch,
        help="Run a docket again whenever a list, the docket, or a file that it names "
        "changes.\n\nWhat changed is told by content, as with gruff run --if-changed. "
        "Files that are still being written are waited for; a run that fails is said, "
        "and the next change tried. Results that the last run wrote, and nobody "
        "changed since, are replaced; others only with --replace. Ctrl-C ends it.",
        short_help="Run a docket again whenever something it is made from changes.",
    )
}
