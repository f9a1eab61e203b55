"""Make a list of any size from a seed: berth bookings, as a harbour office keeps them.

    python bench/generate.py 1000000 bookings.csv
    python bench/generate.py 1000000 part-{}.csv --parts 4

Eight fields, about 80 bytes a record: codes with leading zeros, names, dates, amounts,
long numbers; 6 in 100 cells of some fields are blank, 5 in 100 records repeat an
earlier one. With --parts the list is cut in equal files, each with its fields in
another order and one of its own. The same number and seed always give the same bytes.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

HEADINGS = (
    "Booking",
    "Boat",
    "Class",
    "Arrival",
    "Amount",
    "Mooring no",
    "Skipper",
    "Quay",
)
_FIRST = "Grey Blue Old Little Merry Silver Quiet Red Lucky Salt Amber Swift Patient"
_SECOND = "Heron Otter Seal Tern Anchor Kittiwake Puffin Petrel Compass Limpet Plover"
_SKIPPERS = "Tidewell Saltwhick Quillon Marrowby Oarsley Kelpson Brinewood Harrowdeep"
_BLANK_SHARE = 0.06
_REPEAT_SHARE = 0.05
_BATCH = 100_000


def records(n: int, seed: int) -> np.ndarray:
    """Return an array of `n` records by eight fields of text."""
    random = np.random.default_rng(seed)
    first, second, skippers = (
        np.array(words.split()) for words in (_FIRST, _SECOND, _SKIPPERS)
    )

    def one_of(words: np.ndarray) -> np.ndarray:
        return words[random.integers(0, len(words), n)]

    def digits(below: int, width: int) -> np.ndarray:
        return np.char.zfill(random.integers(0, below, n).astype(str), width)

    def joined(*parts: np.ndarray | str) -> np.ndarray:
        total = parts[0]
        for part in parts[1:]:
            total = np.char.add(total, part)
        return total

    days = np.datetime64("2024-01-01") + random.integers(0, 1000, n)
    fields = [
        digits(10**9, 9),
        joined(one_of(first), " ", one_of(second), " ", digits(1000, 1)),
        one_of(np.array(list("AABBBCCD"))),
        days.astype(str),
        joined(digits(4000, 1), ".", digits(100, 2)),
        joined("735", digits(10**17, 17)),
        joined(one_of(np.array(list("ABCDEFGHJK"))), ". ", one_of(skippers)),
        one_of(np.array(["north", "south", "east", "west"])),
    ]
    for place in (2, 4, 6):
        blank = random.random(n) < _BLANK_SHARE
        fields[place] = np.where(blank, "", fields[place])
    table = np.stack([field.astype(object) for field in fields], axis=1)
    repeats = np.flatnonzero(random.random(n) < _REPEAT_SHARE)
    repeats = repeats[repeats > 0]
    table[repeats] = table[(random.random(len(repeats)) * repeats).astype(int)]
    return table


def generate(n: int, path: Path, *, seed: int = 7) -> Path:
    """Write one list of `n` records; return its path."""
    with path.open("w", encoding="utf-8", newline="") as sink:
        sink.write(",".join(HEADINGS) + "\n")
        for place, start in enumerate(range(0, n, _BATCH)):
            part = records(min(_BATCH, n - start), seed + place)
            sink.writelines(",".join(record) + "\n" for record in part.tolist())
    return path


def generate_parts(n: int, pattern: str, parts: int, *, seed: int = 7) -> list[Path]:
    """Write `parts` lists of n / parts records with differing headings."""
    paths = []
    for number in range(parts):
        path = Path(pattern.format(number + 1))
        order = np.roll(np.arange(len(HEADINGS)), number)
        headings = [HEADINGS[place] for place in order]
        own = f"Note {number + 1}"
        with path.open("w", encoding="utf-8", newline="") as sink:
            sink.write(",".join([*headings, own]) + "\n")
            for place, start in enumerate(range(0, n // parts, _BATCH)):
                size = min(_BATCH, n // parts - start)
                part = records(size, seed + 1000 * number + place)[:, order]
                sink.writelines(
                    ",".join(record) + f",{number}\n" for record in part.tolist()
                )
        paths.append(path)
    return paths


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("records", type=int)
    parser.add_argument("path")
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--parts", type=int, default=1)
    asked = parser.parse_args()
    if asked.parts == 1:
        generate(asked.records, Path(asked.path), seed=asked.seed)
    else:
        generate_parts(asked.records, asked.path, asked.parts, seed=asked.seed)
