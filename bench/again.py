"""The rows on dockets run again: ten entries, nothing changed, a record traced back."""

from __future__ import annotations

import sys
from pathlib import Path

TEN = """\
docket = 1
title = "Bookings"
{lists}
[[entry]]
do = "merge"
name-source = "List"
[[entry]]
do = "fields"
drop = ["Note 1", "Note 2", "Note 3", "Note 4"]
[[entry]]
do = "scrub"
fields = ["Boat", "Skipper"]
trim = true
squeeze = true
[[entry]]
do = "flag"
required = ["Skipper"]
allowed = {{ Class = ["A", "B", "C", "D"] }}
[[entry]]
do = "duplicates"
by = ["Booking", "Mooring no"]
[[entry]]
do = "lookup"
in = "classes.csv"
key = ["Class"]
take = ["Rate"]
[[entry]]
do = "compute"
formula = {{ Due = "Amount * Rate" }}
[[entry]]
do = "pick"
where = "Class IS NOT NULL"
[[entry]]
do = "split"
field = "Skipper"
at = ". "
parts = ["Initial", "Surname"]
[[entry]]
do = "fields"
first = ["Quay", "Booking"]
[[out]]
to = "ten.csv"
"""

# Reads files as `gruff run --if-changed` must, and does nothing else.
HASHING = """\
import hashlib, sys
for name in sys.argv[1:]:
    with open(name, "rb") as stream:
        hashlib.file_digest(stream, "sha256").hexdigest()
"""


def ten_docket(scratch: Path, parts: list[Path]) -> Path:
    """Write the docket of ten entries on four lists, with its reference list."""
    lists = "".join(
        f'[lists.part{number}]\nfrom = "{part.name}"\n'
        for number, part in enumerate(parts, 1)
    )
    rates = "Class,Rate\nA,1.25\nB,2.50\nC,3.75\nD,5.00\n"
    (scratch / "classes.csv").write_text(rates, encoding="utf-8")
    docket = scratch / f"{parts[0].name.partition('-')[0]}-ten.toml"
    docket.write_text(TEN.format(lists=lists), encoding="utf-8")
    return docket


def hashing(sources: list[Path]) -> list[str]:
    """Return the command that hashes the sources."""
    return [sys.executable, "-c", HASHING, *map(str, sources)]
