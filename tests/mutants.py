"""Mutants of valid files of every kind: each is read, or refused in one paragraph.

    python -m tests.mutants [HOW_MANY] [SEED]

makes that many (10,000 unless said), spread over the formats of lists and over dockets,
decisions and ledgers, and tells of each one on which anything but a `Problem` was
raised, or that took more time or memory than the file it was made from could explain.
"""

from __future__ import annotations

import contextlib
import faulthandler
import functools
import gzip
import html
import io
import itertools
import json
import random
import sqlite3
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import pyarrow as pa

from gruff_ledger.lists.formats import read_list
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.search import find_lists
from gruff_ledger.problems import Problem
from tests import ledger_mutants

RECORDS = [
    ["boat", "berth", "paid", "until"],
    *(
        [f"Boat {n}", f"{n:03}", n * 1.5, f"2026-05-{n % 28 + 1:02}"]
        for n in range(1, 25)
    ),
    ['"quoted"', "é漢", -3, "1/2/2026"],
]

# What a mutation puts in: bytes that mean something to one format or another.
TOKENS = (
    *(b'"', b'""', b",", b";", b"\n", b"\r\n", b"\r", b"\t", b"\x00", b"\xff", b"\xef"),
    *(
        b"{",
        b"}",
        b"[",
        b"]",
        b":",
        b"\\u",
        b"\\ud800",
        b"1e999",
        b"-",
        b"null",
        b"NaN",
    ),
    *(b"<", b">", b"/>", b"</c>", b"<row>", b't="e"', b't="s"', b'r="XFD1048576"'),
    *(b"&lt;", b"&#0;", b"999999999999", b"PK", b"PAR1", b"=1+1", b"#", b"'", b"\x80"),
    b'table:number-columns-repeated="99999999"',
    b'table:number-rows-repeated="99999999"',
    # Places far away and repeats, as nobody writes them.
    *(b'<c r = "XFD1048576"/>', b"<c\nr='xfd1048576'/>", b'<x:c r="XFD1048576"/>'),
    *(b'<row r="1048576"/>', b'<c r="&#88;FD1048576"/>', b"<!DOCTYPE x>", b"<si/>"),
    *(b"table:number-columns-repeated = '99999999'", b'<text:s text:c="2000000000"/>'),
    *(b"</table:table>", b"</worksheet>", b"<table:table-row>", b"<!--", b"<![CDATA["),
)

# Numbers that lie, as in the footer of a Parquet file or the header of a database.
LIES = (0, 1, 255, 65536, 2**31 - 1, 2**32 - 1, 2**63 - 1)

MOST_SECONDS = 5.0
MOST_BYTES = 1 << 30

# What all of a reading may take of memory, which the system then keeps to.
MOST_MEMORY = 3 << 30
_HANGS_AFTER = 60


def seeds() -> dict[str, bytes]:
    """Return a valid file of each format, by its ending."""
    import openpyxl
    import pyarrow.parquet as parquet
    import xlwt

    from tests.lists.books import by_odfpy

    lines = [",".join(map(str, record)).replace('"', '""') for record in RECORDS]
    text = "\n".join(line.replace('""quoted""', '"""quoted"""') for line in lines)
    records = [dict(zip(RECORDS[0], each, strict=True)) for each in RECORDS[1:]]
    book = openpyxl.Workbook()
    for record in RECORDS:
        book.active.append(record)
    book.active.merge_cells("A5:B5")
    book.active["C4"] = "=1/0"
    sheet = io.BytesIO()
    book.save(sheet)
    columns = {
        name: [str(each[name]) for each in records] for name in ("boat", "berth")
    }
    columns["paid"] = [float(each["paid"]) for each in records]
    rows = io.BytesIO()
    parquet.write_table(pa.table(columns), rows)
    with sqlite3.connect(":memory:") as database:
        database.execute("CREATE TABLE berths (boat, berth, paid, until)")
        database.executemany("INSERT INTO berths VALUES (?, ?, ?, ?)", RECORDS[1:])
        database.commit()
        stored = database.serialize()
    database.close()
    cells = [[str(cell) for cell in record] for record in RECORDS]
    page = "".join(
        f"<tr>{''.join(f'<td>{html.escape(cell)}</td>' for cell in row)}</tr>\n"
        for row in cells
    )
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("in/berths.csv", text)
    old = xlwt.Workbook()
    tab = old.add_sheet("Berths")
    for row, record in enumerate(RECORDS):
        for column, cell in enumerate(record):
            tab.write(row, column, cell)
    old_book = io.BytesIO()
    old.save(old_book)
    return {
        ".html": f"<meta charset=utf-8><table>{page}</table>".encode(),
        ".md": "\n".join(
            [*("| " + " | ".join(row) + " |" for row in cells[:1]), "|---|---|---|---|"]
            + ["| " + " | ".join(row) + " |" for row in cells[1:]]
        ).encode(),
        ".prn": "\n".join(
            "".join(cell.ljust(14) for cell in row) for row in cells
        ).encode(),
        ".zip": archive.getvalue(),
        ".gz": gzip.compress(text.encode()),
        ".xls": old_book.getvalue(),
        ".csv": ("Berths\n\n" + text + "\n").encode("utf-8"),
        ".txt": text.replace(",", "\t").encode("utf-16"),
        ".json": json.dumps({"places": {"list": records}}, indent=1).encode(),
        ".jsonl": "\n".join(map(json.dumps, records)).encode(),
        ".xlsx": sheet.getvalue(),
        ".ods": by_odfpy(RECORDS),
        ".parquet": rows.getvalue(),
        ".db": stored,
    }


def mutated(data: bytes, chance: random.Random) -> bytes:
    """Return a file with a few changes."""
    changed = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 3, 8))):
        at = chance.randrange(len(changed) + 1)
        end = min(len(changed), at + chance.choice((1, 2, 4, 30, 400)))
        kind = chance.randrange(7)
        if kind == 0 and at < len(changed):
            changed[at] ^= 1 << chance.randrange(8)
        elif kind == 1:
            del changed[at:end]
        elif kind == 2:
            changed[at:at] = chance.choice(TOKENS) * chance.choice((1, 1, 1, 3, 50))
        elif kind == 3:
            changed[at:end] = chance.choice(TOKENS)
        elif kind == 4:
            changed[at:at] = changed[at:end] * chance.choice((1, 2, 20))
        elif kind == 5 and chance.random() < 0.5:
            changed[at:end] = chance.randbytes(end - at)
        elif kind == 5:
            size = chance.choice((2, 4, 8))
            lie = chance.choice(LIES) % (1 << 8 * size)
            order = chance.choice(("little", "big"))
            changed[at : at + size] = lie.to_bytes(size, order)
        elif chance.random() < 0.3:
            del changed[at:]
    return bytes(changed)


def mutants(seed: int) -> Iterator[tuple[str, bytes]]:
    """Yield endings and mutants without end, each format and kind in turn."""
    chance = random.Random(seed)
    workplace = ledger_mutants.Workplace()
    others = workplace.seeds()
    workplace.remove()
    files = {**seeds(), **others}
    for ending in itertools.cycle(files):
        data = files[ending]
        if ending == "trail":
            yield ending, ledger_mutants.altered(data, chance)
        elif ending == ".parquet" and chance.random() < 0.5:
            # Its footer says where all else lies.
            yield ending, data[:-600] + mutated(data[-600:], chance)
        elif data.startswith(b"PK") and chance.random() < 0.8:
            # Most changes to an archive only break its check sums: those to the files
            # in it get further.
            yield ending, _repacked(data, chance)
        else:
            yield ending, mutated(data, chance)


def _repacked(data: bytes, chance: random.Random) -> bytes:
    archive = zipfile.ZipFile(io.BytesIO(data))
    chosen = chance.choice(archive.namelist())
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as out:
        for name in archive.namelist():
            member = archive.read(name)
            out.writestr(name, mutated(member, chance) if name == chosen else member)
    return sink.getvalue()


def read_whole(path: Path) -> str | None:
    """Read a list; return what is wrong with what was read, if anything."""
    outcome = None
    terms = ReadingTerms()
    for found in find_lists(str(path), name="list", terms=terms):
        reading = read_list(found.opened, found.address, terms, source=0, hashed=False)
        there = len(reading.table) + sum(len(each.table) for each in reading.aside)
        if there + reading.source.trailing_blank != reading.source.records_in:
            outcome = "records are not accounted for"
        size = sum(column.nbytes for column in reading.table.all_cells)
        if size > MOST_BYTES:
            outcome = f"{size} bytes are held"
    return outcome


def fault(use: Callable[[], str | None]) -> str | None:
    """Use a file; return what is wrong with how it was taken, if anything."""
    started = time.perf_counter()
    try:
        outcome = use()
    except Problem as problem:
        outcome = None
        said = problem.paragraph()
        has_remedy = problem.remedy or "it is required" in problem.what
        if "\n" in said or not problem.what or not has_remedy:
            outcome = f"not one clear paragraph: {said!r}"
    except BaseException as error:
        outcome = f"{type(error).__name__}: {error}"
    seconds = time.perf_counter() - started
    if outcome is None and seconds > MOST_SECONDS:
        outcome = f"{seconds:.1f} seconds"
    return outcome


def run(
    how_many: int, seed: int, on_fault: Callable[[str, bytes, str], None]
) -> Counter[str]:
    """Read that many mutants; return how many there were of each ending."""
    made: Counter[str] = Counter()
    workplace = ledger_mutants.Workplace()
    # Where a mutant ends the process, it lies there still.
    with (
        contextlib.ExitStack() as stack,
        tempfile.TemporaryDirectory(prefix=f"mutants-{seed}-") as folder,
    ):
        stack.callback(workplace.remove)
        for ending, data in itertools.islice(mutants(seed), how_many):
            faulthandler.dump_traceback_later(_HANGS_AFTER, exit=True)
            path = Path(folder) / f"mutant{ending}"
            path.write_bytes(data)
            if ending.startswith("."):
                told = fault(functools.partial(read_whole, path))
            else:
                told = fault(functools.partial(workplace.use, ending, data))
            faulthandler.cancel_dump_traceback_later()
            made[ending] += 1
            if told is not None:
                on_fault(ending, data, told)
    return made


def _limit_memory() -> None:
    """Have the system refuse more memory, where it can."""
    try:
        import resource
    except ImportError:
        return
    resource.setrlimit(resource.RLIMIT_DATA, (MOST_MEMORY, MOST_MEMORY))


def main() -> int:
    """Run from the command line."""
    _limit_memory()
    how_many = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    faults = 0

    def on_fault(ending: str, data: bytes, told: str) -> None:
        nonlocal faults
        faults += 1
        kept = Path(tempfile.gettempdir()) / f"fault-{seed}-{faults}{ending}"
        kept.write_bytes(data)
        print(f"{kept}: {told}", flush=True)

    started = time.perf_counter()
    made = run(how_many, seed, on_fault)
    seconds = time.perf_counter() - started
    total = sum(made.values())
    print(f"{total} mutants in {seconds:.0f} s, {faults} faults: {dict(made)}")
    return 1 if faults else 0


if __name__ == "__main__":
    raise SystemExit(main())
