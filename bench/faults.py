"""Kill runs at random moments, and check that nothing is ever half done.

    python bench/faults.py               300 kills
    python bench/faults.py 50 --seed 3   fewer, and others

A docket with several results is run again and again on lists that change from run to
run, and killed at a random moment of each. After each kill every result must be, byte
for byte, that of the lists before or that of the lists now; the next run must do its
work; what it leaves must be right; and the trail of the ledger, where it is whole,
must answer. The program is the `gruff` beside this Python.
"""

from __future__ import annotations

import argparse
import hashlib
import random
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

Seen = tuple[str, ...]


def run(folder: Path) -> subprocess.Popen[bytes]:
    """Begin a run of the docket."""
    command = [GRUFF, "run", "job.toml", "--replace", "--quiet"]
    return subprocess.Popen(
        command, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
    )


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
        time.sleep(chance.random() * longest * 1.1)
        running.kill()
        running.communicate()
        found = seen(folder)
        for name, mine, old, new in zip(
            RESULTS, found, wanted[last], wanted[now], strict=True
        ):
            if mine not in (old, new):
                raise SystemExit(f"{name} is neither old nor new")
        kinds = {found == wanted[last]: "all old", found == wanted[now]: "all new"}
        told[kinds.get(True, "some old, some new")] += 1
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
