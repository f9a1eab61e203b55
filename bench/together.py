"""Lists for measuring how lists are put together, made from the list of `generate`."""

from __future__ import annotations

from pathlib import Path

import numpy as np

# Of 1,000 records so many have a code that the reference list does not know, or none.
_UNKNOWN, _WITHOUT = 2, 8

# Records of 1,000 that a later state of a list has changed, and that are not in it.
_CHANGED, _GONE = 20, 10

_MONTHS = 24
_KINDS = 300


def lookup_lists(whole: Path, n: int) -> tuple[Path, Path]:
    """Return a list with codes in `Booking`, and 450,000 of a million codes' terms."""
    made, reference = _beside(whole, "codes"), _beside(whole, "reference")
    if not (made.exists() and reference.exists()):
        random = np.random.default_rng(11)
        m = n * 45 // 100
        codes = random.permutation(10 * m)[:m] + 10**8
        with reference.open("w", encoding="utf-8", newline="") as sink:
            sink.write("Code,Rate,Deposit,Terms,Valid from\n")
            for place, code in enumerate(codes.tolist()):
                rate, days = place % 900, place % 28 + 1
                sink.write(
                    f"{code},{rate}.50,{rate * 3},class {rate % 7},2026-01-{days:02d}\n"
                )
        drawn = codes[random.integers(0, m, n)].astype(str)
        chance = random.integers(0, 1000, n)
        drawn[chance < _UNKNOWN] = "999999999"
        drawn[(chance >= _UNKNOWN) & (chance < _UNKNOWN + _WITHOUT)] = ""
        _with_first_cell(whole, made, drawn.tolist())
    return made, reference


def long_list(whole: Path, n: int) -> Path:
    """Return a list with one of 300 kinds in `Booking` and one of 24 months."""
    made = _beside(whole, "long")
    if not made.exists():
        random = np.random.default_rng(12)
        kinds = random.integers(0, _KINDS, n).tolist()
        months = random.integers(0, _MONTHS, n).tolist()
        cells = [
            f"kind {kind},{2025 + month // 12}-{month % 12 + 1:02d}"
            for kind, month in zip(kinds, months, strict=True)
        ]
        _with_first_cell(whole, made, cells, "Kind,Month")
    return made


def later_list(whole: Path, n: int, *, shuffled: bool) -> Path:
    """Return a later state of a list, changed here and there; or in another order."""
    made = _beside(whole, "later-shuffled" if shuffled else "later")
    if not made.exists():
        random = np.random.default_rng(13)
        heading, *lines = whole.read_text(encoding="utf-8").splitlines()
        chance = random.integers(0, 1000, n).tolist()
        with made.open("w", encoding="utf-8", newline="") as sink:
            sink.write(heading + "\n")
            order = random.permutation(n) if shuffled else np.arange(n)
            for place in order.tolist():
                line = lines[place]
                if chance[place] < _GONE:
                    line = f"9{place:09d},{line.partition(',')[2]}"
                elif chance[place] < _GONE + _CHANGED:
                    line = line.rpartition(",")[0] + ",harbour"
                sink.write(line + "\n")
    return made


def _beside(whole: Path, name: str) -> Path:
    return whole.with_name(f"{whole.stem}-{name}.csv")


def _with_first_cell(
    whole: Path, made: Path, cells: list[str], heading: str = "Booking"
) -> None:
    """Write a copy of a list with other cells in its first field."""
    with (
        whole.open(encoding="utf-8", newline="") as source,
        made.open("w", encoding="utf-8", newline="") as target,
    ):
        target.write(f"{heading},{source.readline().partition(',')[2]}")
        target.writelines(
            f"{cell},{line.partition(',')[2]}"
            for cell, line in zip(cells, source, strict=True)
        )
