"""Copying the demo into a folder of the person's own."""

from __future__ import annotations

import gzip
from importlib.resources import as_file, files
from pathlib import Path

from gruff_ledger.demo.workbook import write_dues
from gruff_ledger.problems import UnwritableOutput

DOCKET_FILE = "harbour.toml"

DUES_FILE = "incoming/dues.xlsx"

_FILES = (
    DOCKET_FILE,
    "incoming/north-quay.csv",
    "incoming/south_quay.csv",
    "incoming/east-quay.txt",
    "incoming/guests.csv",
    "incoming/owners.csv",
    "incoming/visitor-berths.csv",
    "incoming/north-november.csv",
    "incoming/tariff.csv",
    "incoming/payments.csv",
    "incoming/repairs.csv",
    "incoming/fuel.csv",
    "incoming/moorings.prn",
    "incoming/lock-times.html",
    "incoming/keys.xls",
    "incoming/takings/north.csv",
    "incoming/takings/south.csv",
    "incoming/takings/east.csv",
    "rules/guests.toml",
    "decisions/owners.jsonl",
)
# A list that comes in packed.
_PACKED = "incoming/fuel-september.csv"

_FOLDER = "gruff-demo"


def free_folder(parent: Path) -> Path:
    """Return the first of gruff-demo, gruff-demo-2, … that is not there yet."""
    folder = parent / _FOLDER
    number = 1
    while folder.exists():
        number += 1
        folder = parent / f"{_FOLDER}-{number}"
    return folder


def _shipped(name: str) -> bytes:
    with as_file(files("gruff_ledger.demo") / "data" / name) as original:
        return original.read_bytes()


def set_up(folder: Path) -> Path:
    """
    Copy the demo's lists and docket into a folder, which is made if need be.

    Returns
    -------
    Path
        The folder.

    Raises
    ------
    UnwritableOutput
        If the folder is not empty, or cannot be written to.
    """
    shown = str(folder)
    try:
        if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
            raise UnwritableOutput(
                "the demo goes to an empty or a new folder, and this is neither.",
                "Name another, or none: then a new one is made here.",
                file=shown,
            )
        for name in _FILES:
            target = folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(_shipped(name))
        # Without a time, so that it is the same file each time.
        packed = gzip.compress(_shipped(_PACKED), mtime=0)
        (folder / f"{_PACKED}.gz").write_bytes(packed)
        write_dues(folder / DUES_FILE)
    except OSError as error:
        raise UnwritableOutput(
            f"the demo cannot be copied there: {error.strerror or error}.",
            "Name a folder that you may write to.",
            file=shown,
        ) from error
    return folder
