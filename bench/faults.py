"""Kill and interrupt runs, and check that nothing is ever half done.

    python bench/faults.py               300 kills
    python bench/faults.py 50 --seed 3   fewer, and others

A docket with several results is run again and again on lists that change from run to
run, and ended at a random moment of each: killed, interrupted as by Ctrl-C, or
interrupted at the very moment in which its results are put in their places. After each
every result must be, byte for byte, that of the lists before or that of the lists now;
after an interruption all must be of one kind, and its message must be true; the next
run must do its work; what it leaves must be right; and the trail of the ledger, where
it is whole, must answer. The program is the `gruff` beside this Python.
"""

from __future__ import annotations

import argparse
import hashlib
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from generate import generate

GRUFF = str(Path(sys.executable).parent / "gruff")
RECORDS = 3_000
LISTS = 6
DOCKET = """docket = 1
[lists.bookings]
from = "bookings.csv"
[[entry]]
do = "scrub"
fields = "Boat"
case = "upper"
[[entry]]
do = "duplicates"
by = "Booking"
as = "once"
[[entry]]
do = "count"
lists = "once"
by = "Quay"
as = "quays"
[[out]]
list = "once"
to = "out/once.csv"
[[out]]
list = "once"
to = "out/once.xlsx"
[[out]]
list = "quays"
to = "out/quays.json"
"""
RESULTS = ("out/once.csv", "out/once.xlsx", "out/quays.json")

# How runs are ended.
WAYS = ("killed", "interrupted", "as results are placed")

Seen = tuple[str, ...]


def run(folder: Path) -> subprocess.Popen[bytes]:
    """Begin a run of the docket."""
    command = [GRUFF, "run", "job.toml", "--replace", "--quiet"]
    return subprocess.Popen(
        command,
        cwd=folder,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        preexec_fn=listen if os.name == "posix" else None,
    )


def listen() -> None:
    """Have a run listen to interruptions, as one in the foreground does."""
    signal.signal(signal.SIGINT, signal.default_int_handler)


def finish(running: subprocess.Popen[bytes]) -> None:
    """Wait for a run, which must succeed."""
    _, said = running.communicate()
    if running.returncode:
        raise SystemExit(f"a run failed: {said.decode()}")


def seen(folder: Path) -> Seen:
    """Return the hash of each result, or that it is missing."""
    return tuple(
        hashlib.sha256((folder / name).read_bytes()).hexdigest()
        if (folder / name).exists()
        else "missing"
        for name in RESULTS
    )


def ended(
    running: subprocess.Popen[bytes], how: str, after: float, folder: Path
) -> str:
    """End a run, and return what it says; empty for one that is killed."""
    if how == "as results are placed":
        before = marks(folder)
        # From the first result that is another file on, they are being put in place.
        while running.poll() is None and marks(folder) == before:
            time.sleep(0.0002)
    else:
        time.sleep(after)
    if how == "killed":
        running.kill()
    elif running.poll() is None:
        running.send_signal(signal.SIGINT)
    return running.communicate()[1].decode()


def marks(folder: Path) -> list[int]:
    """Return what tells the files of the results from others with the same names."""
    return [
        (folder / name).stat().st_ino if (folder / name).exists() else 0
        for name in RESULTS
    ]


def check_told(said: str, status: int, kind: str) -> None:
    """Check that what an interrupted run says is true."""
    if not said and status == 0:
        true = kind == "all new"
    elif status in (1, -signal.SIGINT) and "gruff_ledger/" not in said:
        # Python itself was still starting, and knew nothing of the program yet.
        true = kind == "all old"
    elif "No output was written or replaced." in said:
        true = kind == "all old"
    else:
        true = "was written whole" in said and kind == "all new"
    if not true or status not in (0, 1, 130, -signal.SIGINT):
        raise SystemExit(f"{kind}, status {status}, and it says: {said!r}")


def kills(folder: Path, count: int, seed: int) -> Counter[str]:
    """
    Kill so many runs, and check what each leaves.

    Returns
    -------
    Counter of str
        How often results were all old, all new, or some of each; and how often the
        trail of the ledger was of the old run, the new one, or neither.
    """
    chance = random.Random(seed)
    (folder / "job.toml").write_text(DOCKET, encoding="utf-8")
    lists = []
    for number in range(LISTS):
        generate(RECORDS, folder / "made.csv", seed=number)
        lists.append((folder / "made.csv").read_bytes())
    wanted: list[Seen] = []
    longest = 0.0
    for data in lists:
        (folder / "bookings.csv").write_bytes(data)
        begun = time.perf_counter()
        finish(run(folder))
        longest = max(longest, time.perf_counter() - begun)
        wanted.append(seen(folder))
    told: Counter[str] = Counter()
    last = LISTS - 1
    for _ in range(count):
        now = chance.choice([number for number in range(LISTS) if number != last])
        (folder / "bookings.csv").write_bytes(lists[now])
        running = run(folder)
        how = chance.choice(WAYS)
        said = ended(running, how, chance.random() * longest * 1.1, folder)
        found = seen(folder)
        for name, mine, old, new in zip(
            RESULTS, found, wanted[last], wanted[now], strict=True
        ):
            if mine not in (old, new):
                raise SystemExit(f"{name} is neither old nor new")
        kinds = {found == wanted[last]: "all old", found == wanted[now]: "all new"}
        kind = kinds.get(True, "some old, some new")
        told[kind] += 1
        told[how] += 1
        if how != "killed":
            check_told(said, running.returncode, kind)
        trace = [GRUFF, "trace", "out/once.csv", "--record", "1"]
        done = subprocess.run(trace, cwd=folder, capture_output=True)
        if done.returncode:
            raise SystemExit(f"trace failed: {done.stderr.decode()}")
        finish(run(folder))
        if seen(folder) != wanted[now]:
            raise SystemExit("the run after a kill left other results")
        last = now
    left = [*folder.rglob("*.part")]
    told["hidden parts left beside results"] = len(left)
    return told


def main() -> None:
    """Kill as many runs as are asked for, and say what was seen."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("count", type=int, nargs="?", default=300)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        told = kills(Path(name), asked.count, asked.seed)
    for kind, number in told.items():
        print(f"{number:5}  {kind}")


if __name__ == "__main__":
    main()
