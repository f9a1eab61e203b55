"""Measure other formats against delimited text, and wide lists against less wide.

    python bench/formats.py             100,000 records of eight fields, 20,000 fields
    python bench/formats.py --runs 3

Each command is a whole process, in turn with the other, as in measure.py; the rows of
reading count what is read, so that little is written.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
from pathlib import Path

from generate import generate
from measure import GRUFF, SCRATCH, Row, measure, workbook_line

_RECORDS = 100_000
_WIDE, _LESS_WIDE, _WIDE_RECORDS = 20_000, 5_000, 50


def written(ending: str, source: Path) -> list[str]:
    """Return the command that writes a list in the format of an ending."""
    target = str(SCRATCH / f"format.{ending}")
    return [GRUFF, "show", str(source), "--to", target, "--replace", "--quiet"]


def counted(source: Path) -> list[str]:
    """Return the command that counts the values of a field."""
    target = str(SCRATCH / "counted.csv")
    ends = ["--to", target, "--replace", "--quiet"]
    return [GRUFF, "count", str(source), "--by", "Class", *ends]


def wide(fields: int) -> Path:
    """Make a list of many fields."""
    path = SCRATCH / f"wide-{fields}.csv"
    if not path.exists():
        with path.open("w", encoding="utf-8") as sink:
            sink.write(",".join(f"F{place}" for place in range(fields)) + "\n")
            for record in range(_WIDE_RECORDS):
                cells = (str(record * place % 97) for place in range(fields))
                sink.write(",".join(cells) + "\n")
    return path


def rows() -> list[Row]:
    """Return the rows, after their lists were made."""
    whole = SCRATCH / f"{_RECORDS}.csv"
    if not whole.exists():
        generate(_RECORDS, whole)
    as_text = written("csv", whole)
    for ending in ("xlsx", "ods", "json"):
        subprocess.run(written(ending, whole), check=True)
    made = [
        Row(f"writing {name}", written(ending, whole), "as text", as_text, goal)
        for name, ending, goal in (
            ("XLSX", "xlsx", 3.0),
            ("ODS", "ods", 3.0),
            ("JSON", "json", 1.5),
            ("text packed by gzip", "csv.gz", 0.0),
            ("text of fixed width", "prn", 0.0),
        )
    ]
    plain = counted(whole)
    made += [
        Row(
            f"counting {name}",
            counted(SCRATCH / f"format.{ending}"),
            "as text",
            plain,
            goal,
        )
        for name, ending, goal in (
            ("JSON", "json", 4.0),
            ("XLSX", "xlsx", 0.0),
            ("ODS", "ods", 0.0),
        )
    ]
    many, fewer = wide(_WIDE), wide(_LESS_WIDE)
    end = ["--to", str(SCRATCH / "wide-out.csv"), "--replace", "--quiet"]
    for name, words in (
        ("merge", lambda path: ["merge", str(path), str(path)]),
        ("survey", lambda path: ["survey", str(path)]),
        ("duplicates", lambda path: ["duplicates", str(path)]),
        ("fields", lambda path: ["fields", str(path), "--drop", "F3"]),
        ("compare", lambda path: ["compare", str(path), str(path), "--key", "F1"]),
    ):
        made.append(
            Row(
                f"{name} at {_WIDE:,} fields",
                [GRUFF, *words(many), *end],
                f"at {_LESS_WIDE:,}",
                [GRUFF, *words(fewer), *end],
                4.5,
            )
        )
    return made


def main() -> None:
    """Measure all rows."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--runs", type=int, default=5)
    asked = parser.parse_args()
    SCRATCH.mkdir(exist_ok=True)
    print("| job | seconds | against | ratio | goal | peak MB |")
    print("|---|---|---|---|---|---|")
    for row in rows():
        print(measure(row, asked.runs)[0], flush=True)
    for ending in ("xlsx", "ods"):
        print(workbook_line(asked.runs, ending), flush=True)


if __name__ == "__main__":
    sys.exit(main())
