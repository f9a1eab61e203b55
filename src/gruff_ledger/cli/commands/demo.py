"""The command `demo`: a made-up harbour office, set up in a folder and run."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from gruff_ledger.cli.commands.run import Asked, run_docket
from gruff_ledger.demo.setup import DOCKET_FILE, free_folder, set_up
from gruff_ledger.shell import command_line
from gruff_ledger.words import visible


def _demo(
    folder: Path | None, publish: bool, port: int | None, quiet: bool, more: bool
) -> None:
    if port is not None and not publish:
        raise click.UsageError("--port goes with --publish.")
    if publish:
        if folder is not None:
            raise click.UsageError("--publish serves the demo's lists, not a folder.")
        _publish(port or 0, quiet=quiet)
        return
    place = set_up(free_folder(Path()) if folder is None else folder)
    docket = place / DOCKET_FILE
    run_docket(docket, Asked(quiet=quiet, more=more, is_alone=True))
    if not quiet:
        click.echo()
        for name, what in (
            ("incoming", "the lists as they arrived, and a workbook of dues to try"),
            (DOCKET_FILE, "the docket: what was done, to change and run again"),
            ("rules, decisions", "what lists must keep to, and what was decided"),
            ("out", "the register of berths, the guest book, the boats' owners"),
            ("ledger", "the account, with every record set aside and its reason"),
        ):
            click.echo(f"{place / name!s:<32} {what}")
        again = command_line(["gruff", "run", str(docket), "--replace"])
        click.echo(f"\nAgain: {again}")


def _publish(port: int, *, quiet: bool) -> None:
    """Serve the demo's lists until the person interrupts."""
    import threading

    from gruff_ledger.demo.publisher import BEHAVIOURS, LISTS, Publisher

    def on_request(request: str, status: int) -> None:
        if not quiet:
            click.echo(f"{status}  {visible(request)}", err=True)

    with Publisher(port, on_request) as publisher:
        click.echo("The demo's lists are published at")
        for name in LISTS:
            click.echo(f"  {publisher.address}/{name}")
        click.echo(
            "\nTo have one behave in some way, ask for\n"
            f"  {publisher.address}/tell/LIST/BEHAVIOUR\nwhere BEHAVIOUR is"
        )
        for name, what in BEHAVIOURS.items():
            click.echo(f"  {name:<10} {what}")
        click.echo("\nEnd with Ctrl-C.")
        sys.stdout.flush()
        try:
            threading.Event().wait()
        except KeyboardInterrupt:
            click.echo("\nNo longer published.", err=True)


COMMANDS = {
    "demo": click.Command(
        "demo",
        params=[
            click.Argument(
                ["folder"],
                type=click.Path(path_type=Path),
                required=False,
                metavar="[FOLDER]",
            ),
            click.Option(
                ["--publish"],
                is_flag=True,
                help="Serve the lists on this computer instead, as a publisher on the "
                "web would, until interrupted.",
            ),
            click.Option(
                ["--port"],
                type=click.IntRange(1, 65535),
                metavar="N",
                help="The port to publish at; any that is free, unless named.",
            ),
            click.Option(["--quiet"], is_flag=True, help="Show nothing."),
            click.Option(["--more"], is_flag=True, help="Show the whole account."),
        ],
        callback=_demo,
        help="Set up a made-up harbour office in a folder, and run its docket.\n\n"
        "Three quays have sent their berth registers. The docket puts them together, "
        "sets aside records without a berth and records sent twice, works out the "
        "guest book, and keeps the ledger. Without FOLDER a new folder gruff-demo is "
        "made here.",
        short_help="Set up a made-up harbour office and run it.",
    )
}
