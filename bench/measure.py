"""Measure whole commands against floors, and print a table for docs/speed.md.

    python bench/measure.py                    100,000 and 1,000,000 records
    python bench/measure.py 10000000 --runs 3  another size
    python bench/measure.py --record           keep the ratios in recorded.json
    python bench/measure.py --only sort,merge  some rows
    python bench/measure.py --check            fail where one fell a quarter behind them

Each command is a whole process, from start to exit, as a clerk types it: without a
ledger, which has rows of its own. It is run in turn with its floor (see floors.py), so
that a machine that slows down slows both; what is printed is the median of the ratios,
pair by pair, with median seconds and the greatest peak memory. The program measured is
the `gruff` beside this Python. Lists are made in bench/scratch and kept there for the
next time. Other formats and wide lists are measured by formats.py.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import os
import platform
import statistics
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from again import hashing, ten_docket
from generate import generate, generate_parts
from together import later_list, long_list, lookup_lists

HERE = Path(__file__).parent
SCRATCH = HERE / "scratch"
GRUFF = str(Path(sys.executable).parent / "gruff")

# Rows that are measured with a ledger too, and what it may add.
WITH_LEDGER = (
    "duplicates by one field",
    "merge of four lists",
    "flag with eight rules",
    "compute the product of two fields",
)
LEDGER_ADDS = 0.4

DOCKET = """\
docket = 1
title = "Bookings"
{lists}
[[entry]]
do = "merge"
[[entry]]
do = "flag"
required = ["Amount", "Skipper"]
allowed = {{ Class = ["A", "B", "C"] }}
[[entry]]
do = "duplicates"
by = ["Booking", "Mooring no"]
[[out]]
to = "register.csv"
"""


@dataclass(frozen=True)
class Row:
    """A command, the floor it is measured against, and its goal in floors."""

    name: str
    command: list[str]
    floor_name: str
    floor: list[str]
    goal: float
    input_bytes: int = 0


def python(code: str) -> list[str]:
    """Return the command that runs a line of Python."""
    return [sys.executable, "-c", code]


def floor(kind: str, source: Path) -> list[str]:
    """Return the command of a floor on a list."""
    target = str(SCRATCH / "floor.csv")
    return [sys.executable, str(HERE / "floors.py"), kind, str(source), target]


def small_rows() -> list[Row]:
    """Return the rows that do not depend on the size of a list."""
    hundred = generate(100, SCRATCH / "100.csv")
    return [
        Row(
            "gruff --version",
            [GRUFF, "--version"],
            "import click",
            python("import click"),
            1.2,
        ),
        Row(
            "duplicates, 100 records",
            [*verb("duplicates", hundred), "--by", "Booking"],
            "import click, numpy, pyarrow.csv",
            python("import click, numpy, pyarrow.csv"),
            1.2,
        ),
    ]


def verb(name: str, *lists: Path) -> list[str]:
    """Return the command of a verb with its result written."""
    ends = ["--to", str(SCRATCH / "out.csv"), "--replace", "--quiet"]
    return [GRUFF, name, *map(str, lists), *ends]


def make_apart(n: int) -> None:
    """Make the lists of a size in another process: the memory of this one counts."""
    making = multiprocessing.get_context("spawn").Process(
        target=rows_of_size, args=(n,)
    )
    making.start()
    making.join()
    if making.exitcode:
        raise SystemExit("the lists could not be made")


def with_ledgers(rows: list[Row]) -> list[Row]:
    """Return rows, and those of some again with their ledgers."""
    made = []
    for row in rows:
        made.append(row)
        if row.name in WITH_LEDGER:
            command = [*row.command, "--ledger", str(SCRATCH / "ledger")]
            again = replace(row, name=f"{row.name}, ledger", command=command)
            made.append(replace(again, goal=round(row.goal + LEDGER_ADDS, 2)))
    return made


def rows_of_size(n: int) -> list[Row]:
    """Return the rows on lists of `n` records in all."""
    whole = SCRATCH / f"{n}.csv"
    if not whole.exists():
        generate(n, whole)
    pattern = str(SCRATCH / f"{n}-part-{{}}.csv")
    parts = [Path(pattern.format(number)) for number in (1, 2, 3, 4)]
    if not all(part.exists() for part in parts):
        generate_parts(n, pattern, 4)
    docket = SCRATCH / f"{n}.toml"
    lists = "".join(
        f'[lists.part{number}]\nfrom = "{part.name}"\n'
        for number, part in enumerate(parts, 1)
    )
    docket.write_text(DOCKET.format(lists=lists), encoding="utf-8")
    run = [GRUFF, "run", str(docket), "--replace", "--quiet"]
    arrow = floor("arrow", whole)
    size = whole.stat().st_size
    in_parts = sum(part.stat().st_size for part in parts)
    return [
        Row(
            "duplicates by one field",
            [*verb("duplicates", whole), "--by", "Booking"],
            "column pass",
            arrow,
            1.3,
            size,
        ),
        Row(
            "duplicates by whole record",
            verb("duplicates", whole),
            "column pass",
            arrow,
            1.4,
            size,
        ),
        Row(
            "merge of four lists",
            verb("merge", *parts),
            "column pass",
            arrow,
            1.2,
            in_parts,
        ),
        Row("survey", verb("survey", whole), "column pass", arrow, 2.5, size),
        Row(
            "count by one field",
            [*verb("count", whole), "--by", "Boat"],
            "column pass",
            arrow,
            1.5,
            size,
        ),
        Row(
            "duplicates, 100 records ragged",
            [*verb("duplicates", ragged(whole, n)), "--by", "Booking"],
            "the clean list",
            [*verb("duplicates", whole), "--by", "Booking"],
            1.3,
            size,
        ),
        *(
            Row(name, command, "column pass", arrow, goal, size)
            for name, goal, command in field_commands(whole, n)
        ),
        *together_rows(whole, n, arrow),
        Row("docket of three verbs", run, "column pass", arrow, 4.0, in_parts),
        Row(
            "docket of three verbs",
            run,
            "text pass",
            floor("text", whole),
            1.0,
            in_parts,
        ),
        *again_rows(n, parts, arrow, floor("text", whole)),
    ]


def again_rows(
    n: int, parts: list[Path], arrow: list[str], text: list[str]
) -> list[Row]:
    """Return the rows on a docket of ten entries; the first one runs it."""
    docket = ten_docket(SCRATCH, parts)
    run = [GRUFF, "run", str(docket), "--replace", "--quiet"]
    trace = [GRUFF, "trace", str(SCRATCH / "ten.csv"), "--record", str(n // 2)]
    size = sum(part.stat().st_size for part in parts)
    return [
        Row("docket of ten entries", run, "column pass", arrow, 3.5, size),
        Row("docket of ten entries", run, "text pass", text, 1.0, size),
        Row(
            "the same, --if-changed, nothing changed",
            [*run[:3], "--if-changed", "--quiet"],
            "hashing the sources",
            hashing(parts),
            1.2,
        ),
        Row("trace of a record", trace, "column pass", arrow, 0.0),
    ]


def together_rows(whole: Path, n: int, arrow: list[str]) -> list[Row]:
    """Return the rows of work on several lists."""
    coded, reference = lookup_lists(whole, n)
    long, later = long_list(whole, n), later_list(whole, n, shuffled=False)
    shuffled = later_list(whole, n, shuffled=True)
    lookup = [*verb("lookup", coded), "--in", str(reference), "--key", "Booking=Code"]
    grid = ["--down", "Kind", "--across", "Month", "--value", "Amount"]

    def size(*lists: Path) -> int:
        return sum(each.stat().st_size for each in lists)

    return [
        Row(
            f"lookup of three fields in {n * 45 // 100:,}",
            [*lookup, "--take", "Rate, Deposit, Terms"],
            "column pass",
            arrow,
            1.5,
            size(coded, reference),
        ),
        Row(
            "rollup to a 300 × 24 grid",
            [*verb("rollup", long), *grid],
            "column pass",
            arrow,
            1.1,
            size(long),
        ),
        Row(
            "compare of two lists",
            [*verb("compare", whole, later), "--key", "Booking"],
            "column pass",
            arrow,
            2.0,
            size(whole, later),
        ),
        Row(
            "compare with one in another order",
            [*verb("compare", whole, shuffled), "--key", "Booking"],
            "column pass",
            arrow,
            0.0,
            size(whole, shuffled),
        ),
        Row(
            "merge of two lists by key",
            [*verb("merge", whole, later), "--key", "Booking, Mooring no"],
            "column pass",
            arrow,
            3.0,
            size(whole, later),
        ),
    ]


def field_commands(whole: Path, n: int) -> list[tuple[str, float, list[str]]]:
    """Return the commands that work on fields."""
    three = "Boat, Skipper, Amount"
    clean = ["--fields", three, "--trim", "--squeeze", "--case", "title"]
    return [
        (
            "compute the product of two fields",
            1.3,
            [*verb("compute", whole), "--formula", "due=Amount * Booking"],
        ),
        (
            "split in three",
            1.6,
            [
                *verb("split", whole),
                *("--field", "Boat", "--at", " "),
            ],
        ),
        (
            "scrub of three fields, 5 cells in 100 not clean",
            0.0,
            [*verb("scrub", dirty(whole, n)), *clean],
        ),
        (
            "sort by two fields, one of four values",
            0.0,
            [*verb("sort", whole), "--by", "Quay, Arrival DESC"],
        ),
        (
            "sort by two fields, one a text of many values",
            2.0,
            [*verb("sort", whole), "--by", "Boat, Arrival DESC"],
        ),
        (
            "duplicates by two texts, loosely",
            0.0,
            [*verb("duplicates", whole), "--by", "Boat, Skipper", "--match", "loose"],
        ),
        ("flag with eight rules", 1.6, flag_command(whole)),
        (
            "pick by a condition",
            0.0,
            [*verb("pick", whole), "--where", "Class <> 'C' AND Amount > 100"],
        ),
    ]


EIGHT_RULES = """rules = 1
[[rule]]
field = "Skipper"
required = true
[[rule]]
field = "Arrival"
datatype = "date"
[[rule]]
field = "Amount"
datatype = "number"
minimum = 0
maximum = 5000
[[rule]]
field = "Mooring no"
length = 20
[[rule]]
field = "Boat"
pattern = "[A-Z][a-z]+ [A-Z][a-z]+ [0-9]+"
[[rule]]
field = "Class"
allowed = "A, B, C, D"
[[rule]]
field = "Booking"
unique = true
[[rule]]
holds = "Amount < 4900 OR Class <> 'A'"
"""


def flag_command(whole: Path) -> list[str]:
    """Return the command that checks eight rules, each of another kind."""
    rules = SCRATCH / "eight-rules.toml"
    rules.write_text(EIGHT_RULES, encoding="utf-8")
    return [*verb("flag", whole), "--rules", str(rules)]


def dirty(whole: Path, n: int) -> Path:
    """Return a copy of a list in which 5 in 100 cells have stray spaces or capitals."""
    made = whole.with_name(f"{n}-dirty.csv")
    if not made.exists():
        random = np.random.default_rng(4)
        with (
            whole.open(encoding="utf-8", newline="") as source,
            made.open("w", encoding="utf-8", newline="") as target,
        ):
            target.write(source.readline())
            for line in source:
                cells = line.split(",")
                for place in np.flatnonzero(random.random(8) < 0.05):
                    cell = cells[place]
                    if place in (1, 4, 6):
                        cells[place] = (f" {cell}", cell.upper(), f"{cell}  ")[
                            place % 3
                        ]
                target.write(",".join(cells))
    return made


def ragged(whole: Path, n: int) -> Path:
    """Return a copy of a list in which 100 records have a cell too few or too many."""
    made = whole.with_name(f"{n}-ragged.csv")
    if not made.exists():
        lines = whole.read_bytes().split(b"\n")
        for place in range(100):
            # The last ones near the end, the worst place to be surprised at.
            at = (place + 1) * n // 100 - 1
            line = lines[at]
            lines[at] = line + b",more" if place % 2 else line.rpartition(b",")[0]
        made.write_bytes(b"\n".join(lines))
    return made


def workbook_line(runs: int, ending: str = "xlsx") -> str:
    """Time reading a workbook's tab, against the library's own reading of it."""
    n = 100_000
    book = SCRATCH / f"{n}.{ending}"
    if not book.exists():
        whole = SCRATCH / f"{n}.csv"
        if not whole.exists():
            generate(n, whole)
        subprocess.run([GRUFF, "merge", str(whole), "--to", str(book)], check=True)
    from python_calamine import CalamineWorkbook

    from gruff_ledger.lists.formats import read_list
    from gruff_ledger.lists.reading_terms import ReadingTerms
    from gruff_ledger.lists.search import find_lists

    def ours() -> object:
        terms = ReadingTerms()
        (found,) = find_lists(str(book), name="book", terms=terms)
        return read_list(found.opened, found.address, terms, source=0, hashed=True)

    def bare() -> object:
        return CalamineWorkbook.from_path(book).get_sheet_by_index(0).to_python()

    def seconds(read: Callable[[], object]) -> float:
        begun = time.perf_counter()
        read()
        return time.perf_counter() - begun

    seconds(ours), seconds(bare)
    pairs = [(seconds(ours), seconds(bare)) for _ in range(runs)]
    ratio = statistics.median(one / other for one, other in pairs)
    one, other = (statistics.median(each) for each in zip(*pairs, strict=True))
    name = f"reading a tab of {n:,} × 8 ({ending.upper()}), in the process"
    return f"| {name} | {one:.2f} | bare read {other:.2f} | {ratio:.2f} | 1.3 | |"


def bomb_line() -> str:
    """Time the refusal of a workbook that unpacks to gigabytes."""
    book = SCRATCH / "bomb.xlsx"
    if not book.exists():
        with zipfile.ZipFile(book, "w", zipfile.ZIP_DEFLATED) as archive:
            for name in ("xl/workbook.xml", "xl/worksheets/sheet1.xml"):
                with archive.open(name, "w", force_zip64=True) as member:
                    for _ in range(160):
                        member.write(b" " * (1 << 24))
    begun = time.perf_counter()
    done = subprocess.run([GRUFF, "survey", str(book)], capture_output=True)
    taken = time.perf_counter() - begun
    assert done.returncode == 2, done.stderr
    return f"| refusing a workbook of 5 GB unpacked | {taken:.2f} | | | 1 s | |"


def timed(command: list[str]) -> tuple[float, float]:
    """Run a command; return its seconds and its peak memory in MB (0 if unknown)."""
    begun = time.perf_counter()
    running = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    if not hasattr(os, "wait4"):
        running.wait()
        return time.perf_counter() - begun, 0.0
    _, status, used = os.wait4(running.pid, 0)
    seconds = time.perf_counter() - begun
    if os.waitstatus_to_exitcode(status) not in (0, 1):
        raise SystemExit(f"failed: {' '.join(command)}")
    unit = 1 if platform.system() == "Darwin" else 1024
    return seconds, used.ru_maxrss * unit / 1e6


def measure(row: Row, runs: int) -> tuple[str, float]:
    """Run a row and its floor in turn; return its line of the table, and its ratio."""
    timed(row.command)
    timed(row.floor)
    pairs = [(timed(row.command), timed(row.floor)) for _ in range(runs)]
    ratio = statistics.median(ours[0] / floors[0] for ours, floors in pairs)
    ours = statistics.median(each[0][0] for each in pairs)
    floors = statistics.median(each[1][0] for each in pairs)
    peak = max(each[0][1] for each in pairs)
    memory = f"{peak:,.0f}"
    if row.input_bytes > 10_000_000:
        memory += f" ({peak * 1e6 / row.input_bytes:.1f} × input)"
    line = (
        f"| {row.name} | {ours:.2f} | {row.floor_name} {floors:.2f} | {ratio:.2f} | "
        f"{row.goal or ''} | {memory} |"
    )
    return line, ratio


class Recorded:
    """
    The ratios of an earlier run, by the size of the list and the row.

    Parameters
    ----------
    path : Path
        A JSON file; it need not be there.
    """

    # A machine's mood alone can make a ratio a tenth worse.
    _BEHIND = 1.25

    def __init__(self, path: Path) -> None:
        self._path = path
        self._known: dict[str, dict[str, float]] = {}
        if path.is_file():
            self._known = json.loads(path.read_text(encoding="utf-8"))
        self._now: dict[str, dict[str, float]] = {}

    def take(self, size: str, row: Row, ratio: float) -> None:
        """Take note of the ratio of a row."""
        key = f"{row.name} / {row.floor_name}"
        self._now.setdefault(size, {})[key] = round(ratio, 3)

    def keep(self) -> None:
        """Write what was taken, beside what is known of other sizes."""
        known = {
            size: {**self._known.get(size, {}), **self._now.get(size, {})}
            for size in (*self._known, *self._now)
        }
        text = json.dumps(known, indent=1, ensure_ascii=False, sort_keys=True)
        self._path.write_text(f"{text}\n", encoding="utf-8")

    def behind(self) -> list[str]:
        """Return a line for each row that fell more than a quarter behind."""
        return [
            f"{key}, {size}: {ratio:.2f}, recorded {known:.2f}"
            for size, rows in self._now.items()
            for key, ratio in rows.items()
            if (known := self._known.get(size, {}).get(key)) is not None
            and ratio > self._BEHIND * known
        ]


def main() -> None:
    """Measure what was asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("sizes", type=int, nargs="*", default=[100_000, 1_000_000])
    parser.add_argument("--runs", type=int, default=7)
    parser.add_argument("--record", action="store_true", help="keep the ratios")
    parser.add_argument(
        "--check", action="store_true", help="fail where one fell behind"
    )
    parser.add_argument("--only", help="rows whose name holds one of these, by commas")
    asked = parser.parse_args()
    only = (asked.only or "").split(",")
    SCRATCH.mkdir(exist_ok=True)
    recorded = Recorded(HERE / "recorded.json")

    def show(size: str, row: Row, runs: int) -> None:
        line, ratio = measure(row, runs)
        recorded.take(size, row, ratio)
        print(line, flush=True)

    head = "| job | seconds | floor, seconds | ratio | goal | peak MB |"
    print(head, "|---|---|---|---|---|---|", sep="\n")
    for row in small_rows():
        show("any size", row, max(asked.runs, 7))
    for n in asked.sizes:
        make_apart(n)
        rows = with_ledgers(rows_of_size(n))
        size = (SCRATCH / f"{n}.csv").stat().st_size
        print(f"| **{n:,} records, {size / 1e6:,.0f} MB** | | | | | |")
        for row in rows:
            if not any(word in row.name for word in only):
                continue
            show(f"{n} records", row, asked.runs)
    # Last: the memory of this process counts for what it starts.
    print("| **workbooks** | | | | | |")
    print(bomb_line(), flush=True)
    print(workbook_line(asked.runs), flush=True)
    behind = recorded.behind()
    if asked.record:
        recorded.keep()
    if asked.check:
        told = "\n".join(behind) or "No row fell a quarter behind its recorded figure."
        print(f"\n{told}")
        sys.exit(1 if behind else 0)


if __name__ == "__main__":
    main()
