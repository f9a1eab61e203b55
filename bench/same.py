"""Tell whether two versions of the program do the same, to the byte.

    python bench/same.py OLD NEW                two folders that hold the package
    python bench/same.py OLD NEW --dockets 50   fewer random dockets

Both versions do the same work in the same folder, one after the other: every option of
every verb, the examples of the help on the demo, the commands that measure.py
times, and random dockets. What is shown, the exit status and every file that is there
afterwards are compared, with times of day and durations left out.
"""

from __future__ import annotations

import argparse
import hashlib
import os
import re
import shutil
import sys
import tempfile
import zipfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE), str(HERE.parent)]

from tests import warm  # noqa: E402
from tests.cli.test_every_option import _CASES, FILES  # noqa: E402
from tests.random_dockets import make_docket  # noqa: E402
from tests.support import split_command  # noqa: E402

from gruff_ledger.cli.help.examples import examples  # noqa: E402
from gruff_ledger.work.registry import VERBS  # noqa: E402

_RECORDS = 20_000

# What differs from run to run: times of day, durations, what is named by chance.
_DIFFERS = (
    (
        re.compile(rb"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:?\d\d)?"),
        b"T",
    ),
    (
        re.compile(rb'("(?:seconds|started|ended|modified_ns|took)": ?)[\d.e+-]+'),
        rb"\1S",
    ),
    (re.compile(rb"\b\d+([.,]\d+)? (s|ms|seconds?|min)\b"), b"S"),
)


class Case(NamedTuple):
    """Some commands, to be typed one after the other in a copy of a folder."""

    name: str
    folder: Path
    commands: list[list[str]]


def without_times(data: bytes) -> bytes:
    """Return what is written with what differs from run to run left out."""
    for pattern, instead in _DIFFERS:
        data = pattern.sub(instead, data)
    return data


def said_by(path: Path) -> str:
    """Return what a file holds in a few letters; of an archive its members."""
    if not zipfile.is_zipfile(path):
        return hashlib.sha256(without_times(path.read_bytes())).hexdigest()[:16]
    with zipfile.ZipFile(path) as archive:
        members = [
            (each, hashlib.sha256(without_times(archive.read(each))).hexdigest()[:16])
            for each in archive.namelist()
        ]
    return repr(members)


def outcome(case: Case, version: warm.Loaded, place: Path) -> dict[str, str]:
    """Do the work of a case in a fresh folder, and return all that came of it."""
    shutil.copytree(case.folder, place)
    came = {}
    for number, command in enumerate(case.commands):
        environment = {**os.environ, "COLUMNS": "100"}
        done = version.run(command, folder=place, environment=environment)
        said = without_times(done.stdout + b"\n--\n" + done.stderr).decode()
        came[f"command {number}: {' '.join(command)}"] = f"{done.returncode}\n{said}"
    for path in sorted(place.rglob("*")):
        if path.is_file():
            came[str(path.relative_to(place))] = said_by(path)
    shutil.rmtree(place)
    return came


def option_cases(folder: Path) -> Iterator[Case]:
    """Yield every option of every verb, with a ledger."""
    folder.mkdir()
    for name, text in FILES.items():
        (folder / name).write_text(text, encoding="utf-8")
    for verb, (lists, pairs) in _CASES.items():
        for number, (common, wanted) in enumerate(pairs):
            words = [verb, *lists, *common, *wanted, "--ledger", "ledger"]
            commands = [words, [*words, "--to", "out.csv", "--replace"]]
            commands.append([*words, "--json", "--to", "out.csv", "--replace"])
            commands.append(["trace", "out.csv", "--record", "1"])
            commands.append([*words, "--enter", "job.toml", "--to", "o.xlsx"])
            yield Case(f"{verb} {number}", folder, commands)


def demo_cases(folder: Path, version: warm.Loaded) -> Iterator[Case]:
    """Yield the demo, and the examples of the help on its lists."""
    bare = folder / "bare"
    bare.mkdir(parents=True)
    made = folder / "made"
    yield Case("demo", bare, [["demo", "harbour"]])
    version.run(["demo", "made"], folder=folder, environment=os.environ)
    for name in ("run", "trace", *VERBS):
        told = VERBS[name].examples if name in VERBS else examples()[name]
        typed = [split_command(line, made)[1:] for line in told]
        yield Case(f"example of {name}", made, typed)
    yield Case("help", bare, [[], ["--help"], *([each, "--help"] for each in _CASES)])
    yield Case("schema", bare, [["docket-schema"]])


def measured_cases(folder: Path) -> Iterator[Case]:
    """Yield the commands that measure.py times, on fewer records."""
    import measure

    folder.mkdir()
    measure.SCRATCH, measure.GRUFF = folder, "gruff"
    for row in measure.rows_of_size(_RECORDS):
        if row.command[0] == "gruff":
            words = [each.replace(str(folder), ".") for each in row.command[1:]]
            yield Case(f"measured: {row.name}", folder, [words])


def docket_cases(folder: Path, count: int) -> Iterator[Case]:
    """Yield random dockets, and traces of what they give."""
    for seed in range(count):
        place = folder / str(seed)
        place.mkdir(parents=True)
        make_docket(seed, place)
        commands = [["run", "job.toml", "--ledger", "ledger"]]
        commands += [["trace", "out-1.csv", "--record", str(n)] for n in (1, 2)]
        commands.append(["run", "job.toml", "--replace", "--json", "--diagram"])
        yield Case(f"docket {seed}", place, commands)


def differences(case: Case, versions: list[warm.Loaded], place: Path) -> list[str]:
    """Return what two versions do not do alike in a case."""
    old, new = (outcome(case, version, place) for version in versions)
    return [
        f"{case.name}: {name}\n  was {old.get(name)}\n  now {new.get(name)}"
        for name in sorted(old.keys() | new.keys())
        if old.get(name) != new.get(name)
    ]


def main() -> None:
    """Compare two versions."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("old", type=Path)
    parser.add_argument("new", type=Path)
    parser.add_argument("--dockets", type=int, default=300)
    parser.add_argument("--only", default="")
    asked = parser.parse_args()
    with (
        tempfile.TemporaryDirectory() as held,
        warm.listening(asked.old.resolve()) as old,
        warm.listening(asked.new.resolve()) as new,
    ):
        folder = Path(held)
        cases = [
            *option_cases(folder / "options"),
            *demo_cases(folder / "demo", old),
            *measured_cases(folder / "measured"),
            *docket_cases(folder / "dockets", asked.dockets),
        ]
        cases = [each for each in cases if asked.only in each.name]
        with ThreadPoolExecutor(os.cpu_count()) as workers:
            found = workers.map(
                lambda numbered: differences(
                    numbered[1], [old, new], folder / f"place-{numbered[0]}"
                ),
                enumerate(cases),
            )
            told = [each for some in found for each in some]
    print("\n".join(told))
    print(f"{len(cases)} cases, {len(told)} differences")
    sys.exit(1 if told else 0)


if __name__ == "__main__":
    main()
