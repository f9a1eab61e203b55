"""Time work on a list whose cells are written as people on the continent write them.

python bench/spelled.py            1,000,000 records
python bench/spelled.py 100000     as many as are asked for

Amounts have groups and a currency, dates are of days and months, codes have a hyphen,
names have letters beyond ASCII. For each command it prints the seconds of the clock and
of the processors. The program is the `gruff` beside this Python; the list is made in
bench/scratch, and kept there.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

SCRATCH = Path(__file__).parent / "scratch"
GRUFF = str(Path(sys.executable).parent / "gruff")

AMOUNTS = "Fee=1.234,56 €"
_MONTHS = (
    "Jan",
    "Feb",
    "Mar",
    "Apr",
    "May",
    "Jun",
    "Jul",
    "Aug",
    "Sep",
    "Oct",
    "Nov",
    "Dec",
)
_BOATS = ("Grüner Reiher", "Éclair & Fils", "Old  Tern ", "Łódka")

COMMANDS = {
    "rollup of plain amounts": ["rollup", "--down", "Berth", "--value", "Plain"],
    "rollup of amounts": ["rollup", "--down", "Berth", "--value", "Fee"],
    "the same, said by example": [
        *("rollup", "--down", "Berth", "--value", "Fee", "--written", AMOUNTS),
    ],
    "rollup of dollars": ["rollup", "--down", "Berth", "--value", "Dollars"],
    "amounts to the plain form": [
        *("scrub", "--fields", "Fee", "--number", "plain"),
    ],
    "amounts by a pattern": [
        *("scrub", "--fields", "Fee", "--number", "#,##0.00"),
    ],
    "amounts computed with": [
        *("compute", "--formula", "double=Fee * 2"),
    ],
    "numbers of 20 digits": ["compute", "--formula", "double=Long * 2"],
    "survey": ["survey"],
    "trim, squeeze, title case": ["scrub", "--trim", "--squeeze", "--case", "title"],
    "duplicates by number": [
        *("duplicates", "--by", "Length, Long", "--match", "number"),
    ],
    "duplicates by letters": [
        *("duplicates", "--by", "Fee, Boat", "--match", "letters"),
    ],
    "count by letters": ["count", "--by", "Boat, Berth", "--match", "letters"],
    "sort by code": ["sort", "--by", "Long AS CODE"],
    "sort by date": ["sort", "--by", "Day AS DATE"],
    "sort by ISO date": ["sort", "--by", "Iso AS DATE"],
    "sort by dates of three forms": ["sort", "--by", "Three AS DATE"],
}


def made(n: int) -> Path:
    """Make the list of `n` records, unless it is there."""
    path = SCRATCH / f"spelled-2-{n}.csv"
    if path.exists():
        return path
    path.parent.mkdir(exist_ok=True)
    random = np.random.default_rng(7)
    cents = random.integers(10**7, size=n).tolist()
    days, months = random.integers(1, 29, n).tolist(), random.integers(1, 13, n)
    with path.open("w", encoding="utf-8", newline="") as sink:
        sink.write("Berth,Boat,Fee,Day,Length,Long,Plain,Dollars,Iso,Three\n")
        for number, (fee, day, month) in enumerate(
            zip(cents, days, months.tolist(), strict=True)
        ):
            amount = f"{fee // 100:,}".replace(",", ".") + f",{fee % 100:02d} €"
            sink.write(
                f"B{number % 977}-{number % 13},{_BOATS[number % 4]} {number % 3000},"
                f'"{amount}",{day}.{month}.2026,{fee % 97}.{number % 10}0,'
                f"{10**19 + fee * 10**7 + number},{fee // 100}.{fee % 100:02d},"
                f'"${fee // 100:,}.{fee % 100:02d}",2026-{month:02d}-{day:02d},'
                f"{_in_three_forms(day, month, number)}\n"
            )
    return path


def _in_three_forms(day: int, month: int, number: int) -> str:
    """Write a day of 2026 in one of three forms."""
    if number % 3 == 0:
        return f"{day}/{month}/2026"
    return (
        f"{day}.{month}.26" if number % 3 == 1 else f"{day} {_MONTHS[month - 1]} 2026"
    )


def main() -> None:
    """Run each command once, and print how long it took."""
    n = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    source = str(made(n))
    ends = ["--to", str(SCRATCH / "spelled-out.csv"), "--replace", "--quiet"]
    ends += ["--ledger", str(SCRATCH / "ledger")]
    print(f"{'':28}  clock  processors, seconds")
    for name, (verb, *options) in COMMANDS.items():
        before, started = os.times(), time.perf_counter()
        subprocess.run([GRUFF, verb, source, *options, *ends], check=True)
        clock, after = time.perf_counter() - started, os.times()
        used = after.children_user + after.children_system
        used -= before.children_user + before.children_system
        print(f"{name:28} {clock:6.2f} {used:11.2f}")


if __name__ == "__main__":
    main()
