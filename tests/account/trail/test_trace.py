"""Laws of tracing, on random dockets; and its answers on lists made by hand."""

from __future__ import annotations

import csv
import os
import unittest
from fractions import Fraction
from pathlib import Path

from gruff_ledger.account.trail.answers import Cell
from gruff_ledger.account.trail.trace import Tracing
from gruff_ledger.docket.load import load_docket
from gruff_ledger.job.engine import run
from tests.random_dockets import make_docket
from tests.support import FolderTest

# How many random dockets are tried; bench/trails.py tries more.
DOCKETS = int(os.environ.get("GRUFF_DOCKETS", "25"))


def faults_of(folder: Path, seed: int) -> list[str]:
    """
    Run a random docket, and trace every cell of it back, and every record forth.

    Returns
    -------
    list of str
        What does not hold; none of it should be.
    """
    docket = make_docket(seed, folder)
    run(load_docket(docket))
    tracing = Tracing(folder / "ledger")
    told = _Lists(folder)
    faults = []
    for at, address in enumerate(tracing.results):
        records = told.of(address)
        for number, record in enumerate(records, 1):
            traced = tracing.back(at, number)
            faults += [f"{address} {number}: lost {part}" for part in traced.missing]
            first, text = next(iter(record.items()))
            found, is_all = tracing.records_with(at, {first: text})
            if number not in found or not is_all:
                faults.append(f"{address} {number}: by {first} {text!r} found {found}")
            for cell, text in zip(traced.cells, record.values(), strict=True):
                for fault in _cell_faults(cell, text, told):
                    faults.append(f"{address} {number} {cell.field}: {fault}")
    for at, name in enumerate(tracing.sources):
        for number in range(1, len(told.of(f"{name}.csv")) + 1):
            ends = {fate.what for fate in tracing.forth(at, number).fates}
            if not ends & {"out", "aside", "folded", "figures", "end", "idle", "drawn"}:
                faults.append(f"{name} {number}: it ends nowhere, {ends}")
    return faults


class _Lists:
    """The lists of a folder, read by another reader than the program's."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._read: dict[str, list[dict[str, str]]] = {}

    def of(self, name: str) -> list[dict[str, str]]:
        """Return the records of a list, by heading."""
        if name not in self._read:
            with (self._folder / name).open(encoding="utf-8", newline="") as lines:
                self._read[name] = list(csv.DictReader(lines))
        return self._read[name]


def _cell_faults(cell: Cell, text: str, told: _Lists) -> list[str]:
    """Return what is wrong with the way of a cell."""
    faults = []
    if cell.value != text:
        faults.append(f"it is {text!r}, traced as {cell.value!r}")
    first, *later = cell.steps
    if first.what == "source":
        assert first.place is not None
        there = told.of(first.place.address)[first.place.record - 1][first.field]
        if there != first.now:
            faults.append(f"its source has {there!r}, not {first.now!r}")
    elif first.what not in ("made", "blank"):
        faults.append(f"it begins with '{first.what}'")
    before = first
    for step in later:
        if step.what != "changed" or step.was != before.now:
            faults.append(f"{step.entry} {step.what} {step.was!r} after {before.now!r}")
        before = step
    if cell.parts is not None and cell.parts.total is not None:
        is_figure = cell.value and first.what == "made" and not later
        if is_figure and Fraction(cell.parts.total) != Fraction(cell.value or ""):
            faults.append(f"its parts add up to {cell.parts.total}")
    return faults


class RandomDocketsTest(FolderTest):
    """Every cell has a way, and every record an end."""

    def test_every_cell_traces_back_and_every_record_ends(self) -> None:
        """Of each result each cell is told to the character, and its source has it."""
        for seed in range(DOCKETS):
            folder = self.folder / str(seed)
            folder.mkdir()
            with self.subTest(seed=seed):
                self.assertEqual(faults_of(folder, seed), [])


class DamageTest(unittest.TestCase):
    def test_every_question_says_what_is_damaged(self) -> None:
        """Whatever does not fit is a problem: no question is left unguarded."""
        told = ("is_unchanged", "sha256_of")
        for name, method in vars(Tracing).items():
            if name.startswith("_") or isinstance(method, property) or name in told:
                continue
            with self.subTest(name):
                self.assertTrue(hasattr(method, "__wrapped__"))
