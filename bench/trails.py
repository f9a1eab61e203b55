"""Trace every cell of random dockets back, and every record forth.

    python bench/trails.py               200 dockets
    python bench/trails.py 1000 --seed 5000

The dockets and the law are those of the tests; see tests/account/test_tracing.py.
"""

from __future__ import annotations

import argparse
import csv
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.account.trail.test_trace import faults_of


def main() -> None:
    """Try as many dockets as are asked for, and say what was traced."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("count", type=int, nargs="?", default=200)
    parser.add_argument("--seed", type=int, default=0)
    asked = parser.parse_args()
    cells = records = wrong = entries = 0
    for seed in range(asked.seed, asked.seed + asked.count):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for fault in faults_of(folder, seed):
                print(f"docket {seed}: {fault}")
                wrong += 1
            entries += (folder / "job.toml").read_text().count("[[entry]]")
            for path in folder.glob("*.csv"):
                with path.open(encoding="utf-8", newline="") as lines:
                    rows = list(csv.reader(lines))[1:]
                if path.name.startswith("out-"):
                    cells += sum(map(len, rows))
                else:
                    records += len(rows)
    print(
        f"{asked.count} dockets of {entries} entries: {cells} cells of results and "
        f"{records} records of sources traced, {wrong} faults"
    )


if __name__ == "__main__":
    main()
