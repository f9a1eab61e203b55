"""Run verbs on a list under a memory limit of the kernel, and tell what they took.

    python bench/large.py bookings.csv 1000            all verbs, in 1000 MB
    python bench/large.py bookings.csv 1000 sort count

The limit is that of a control group (Linux, version 1, as root): all memory counts,
also what the system keeps of files. The program is the `gruff` beside this Python. With
each row stand the seconds, and the size of the list as a multiple of the limit. A run
that would take more is killed, and its row says so. A list is made by generate.py.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

GRUFF = str(Path(sys.executable).parent / "gruff")
GROUPS = Path("/sys/fs/cgroup/memory")


def verbs(listed: str, other: str) -> dict[str, list[str]]:
    """Return a command of each verb, by its name."""
    return {
        "duplicates": ["--by", "Booking, Mooring no"],
        "whole": ["duplicates"],
        "merge": [other, "--name-source", "List"],
        "lookup": [
            *("--in", other, "--key", "Booking", "--which", "first"),
            *("--take", "Skipper=Their skipper"),
        ],
        "flag": [
            *("--required", "Amount, Skipper", "--allowed", "Class=A, B, C"),
            *("--rule", 'field="Amount", datatype="decimal", minimum=10'),
            *("--rule", 'field="Booking", unique=true'),
        ],
        "split": ["--field", "Boat", "--at", " ", "--parts", "One, Two, Three"],
        "pick": ["--where", "Amount > 5000 AND Class IN ('A', 'B')"],
        "compute": [
            *("--formula", "Half=Amount / 2"),
            *("--formula", "Who=Boat || ' of ' || Skipper"),
        ],
        "scrub": ["--fields", "Boat, Skipper", "--case", "upper", "--trim"],
        "count": ["--by", "Boat"],
        "rollup": ["--down", "Skipper", "--across", "Quay", "--value", "Amount"],
        "sort": ["--by", "Skipper, Arrival DESC"],
    }


@contextmanager
def limited(megabytes: int) -> Iterator[Path]:
    """Make a control group with a limit of memory; it is removed at the end."""
    group = GROUPS / f"bench-{os.getpid()}-{time.monotonic_ns()}"
    group.mkdir()
    (group / "memory.limit_in_bytes").write_text(str(megabytes * 10**6))
    try:
        yield group
    finally:
        group.rmdir()


def run(name: str, command: list[str], megabytes: int, folder: Path) -> str:
    """Run one verb; return its row."""
    verb = "duplicates" if name == "whole" else name
    with limited(megabytes) as group:
        joining = f'echo $$ > "{group}/cgroup.procs"; exec "$@"'
        begun = time.monotonic()
        done = subprocess.run(
            [
                *("sh", "-c", joining, "sh", GRUFF, verb, *command),
                *("--to", "out.csv", "--aside", "aside.csv", "--replace"),
            ],
            cwd=folder,
            stderr=subprocess.PIPE,
            check=False,
        )
        seconds = time.monotonic() - begun
        most = int((group / "memory.max_usage_in_bytes").read_text()) / 1e6
    told = {0: "", 1: "", 137: "killed", -9: "killed"}.get(
        done.returncode, done.stderr.decode()[-200:]
    )
    return f"| {name} | {seconds:.0f} | {most:.0f} | {told} |"


def main() -> None:
    """Print a table."""
    listed, megabytes, *wanted = sys.argv[1:]
    path = Path(listed).resolve()
    times = path.stat().st_size / (int(megabytes) * 10**6)
    print(f"{path.stat().st_size / 1e6:.0f} MB in {megabytes} MB: {times:.1f} times")
    print("\n| verb | seconds | most MB | |\n|---|---|---|---|")
    with tempfile.TemporaryDirectory(dir=path.parent) as held:
        folder = Path(held)
        other = folder / "other.csv"
        with path.open("rb") as lines, other.open("wb") as some:
            for number, line in enumerate(lines):
                if number % 50 == 0:
                    some.write(line)
        for name, options in verbs(str(path), str(other)).items():
            if not wanted or name in wanted:
                own = options[1:] if name == "whole" else options
                row = run(name, [str(path), *own], int(megabytes), folder)
                print(row, flush=True)


if __name__ == "__main__":
    main()
