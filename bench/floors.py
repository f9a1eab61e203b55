"""The two floors that commands are measured against, each a whole process.

python bench/floors.py text IN OUT     the csv module reads and writes every record
python bench/floors.py arrow IN OUT    pyarrow.csv reads every field as text, writes
"""

from __future__ import annotations

import sys


def text_pass(source: str, target: str) -> None:
    """Read and write every record by the standard csv module."""
    import csv

    with (
        open(source, encoding="utf-8", newline="") as lines,  # noqa: PTH123
        open(target, "w", encoding="utf-8", newline="") as sink,  # noqa: PTH123
    ):
        csv.writer(sink).writerows(csv.reader(lines))


def arrow_pass(source: str, target: str) -> None:
    """Read every field as text by pyarrow.csv, and write it back."""
    import pyarrow as pa
    import pyarrow.csv as arrow_csv

    with open(source, encoding="utf-8") as lines:  # noqa: PTH123
        names = lines.readline().strip().split(",")
    as_text = arrow_csv.ConvertOptions(column_types=dict.fromkeys(names, pa.string()))
    arrow_csv.write_csv(arrow_csv.read_csv(source, convert_options=as_text), target)


if __name__ == "__main__":
    {"text": text_pass, "arrow": arrow_pass}[sys.argv[1]](*sys.argv[2:4])
