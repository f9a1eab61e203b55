"""The command `demo`: a made-up harbour office, set up in a folder and run."""

from __future__ import annotations

from pathlib import Path

import click

from gruff_ledger.cli.docket import run_docket
from gruff_ledger.demo.setup import DOCKET_FILE, free_folder, set_up


def _demo(folder: Path | None, quiet: bool) -> None:
    place = set_up(free_folder(Path()) if folder is None else folder)
    docket = place / DOCKET_FILE
    run_docket(
        docket,
        answers={},
        ledger=None,
        anywhere=False,
        replace=False,
        as_json=False,
        quiet=quiet,
        is_demo=True,
    )
    if not quiet:
        click.echo()
        for name, what in (
            ("incoming", "the three lists as they arrived"),
            (DOCKET_FILE, "the docket: what was done, to change and run again"),
            ("out", "the register"),
            ("ledger", "the account, with every record set aside and its reason"),
        ):
            click.echo(f"{place / name!s:<32} {what}")
        click.echo(f"\nAgain: gruff run {docket} --replace")


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
            click.Option(["--quiet"], is_flag=True, help="Show nothing."),
        ],
        callback=_demo,
        help="Set up a made-up harbour office in a folder, and run its docket.\n\n"
        "Three quays have sent their berth registers. The docket puts them together, "
        "sets aside records without a berth and records sent twice, and keeps the "
        "ledger. Without FOLDER a new folder gruff-demo is made here.",
        short_help="Set up a made-up harbour office and run it.",
    )
}
