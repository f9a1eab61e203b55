"""A labelled list of made-up people with dirty copies, and how well they are found.

    python bench/people.py write SEED N FILE    writes a list; `who` tells who is who
    python bench/people.py judge N SEED ...     precision and recall at the defaults

The error model is our own. Of every hundred records twenty are dirty copies of others,
each with one to four errors: a typing slip (a letter left out, doubled, swapped or
replaced), two words swapped, a word dropped, a word shortened or an initial in its
place, letters all in capitals, accents dropped, one digit changed or two swapped, a
cell left blank. Six in a hundred of the others are real people much like another one:
of the same name elsewhere, or of one family at one address.
"""

from __future__ import annotations

import csv
import io
import itertools
import random
import sys
import time
import unicodedata
from collections import Counter
from pathlib import Path

FIELDS = ("First name", "Last name", "Street", "Town", "Born", "Phone", "Boat")

_STARTS = "Br Cal Dor El Fen Gar Hal Is Jor Kel Lin Mar Nor Os Pel Quin Ros Sil Tor"
_MIDDLES = "a e i o u an el in or us ar en il on ur ä é ø ü"
_ENDS = "by ck den far gate holm kin lund mer ness port rick sen ton vik worth"
_FIRST_ENDS = "a an e el ia in is na o on ra ric sa ta us"
_ROADS = ("Street", "Road", "Lane", "Avenue", "Square", "Terrace", "Quay", "Hill")
_SHORT = {
    "Street": "St.",
    "Road": "Rd",
    "Lane": "Ln",
    "Avenue": "Ave",
    "Square": "Sq.",
    "Terrace": "Terr.",
}
_COLOURS = (
    *("Quiet", "Brave", "Lucky", "Amber", "Merry"),
    *("Old", "Northern", "Silver", "Windy", "Patient"),
)
_BIRDS = (
    *("Petrel", "Otter", "Heron", "Plover", "Limpet"),
    *("Gull", "Cormorant", "Puffin", "Seal", "Tern"),
)

_COPIES_SHARE = 0.2
_ALIKE_SHARE = 0.06


class _Names:
    """Names that are there to choose from; some are much more common than others."""

    def __init__(self, chance: random.Random) -> None:
        self._chance = chance
        self.firsts = self._made(_STARTS, _MIDDLES, _FIRST_ENDS, 400)
        self.lasts = self._made(_STARTS, _MIDDLES, _ENDS, 2500)
        self.towns = self._made(_STARTS, _MIDDLES, _ENDS, 150)
        self.roads = self._made(_STARTS, _MIDDLES, _ENDS, 900)

    def _made(self, starts: str, middles: str, ends: str, count: int) -> list[str]:
        parts = (starts.split(), middles.split(), ends.split())
        every = ["".join(each) for each in itertools.product(*parts)]
        self._chance.shuffle(every)
        return every[:count]

    def common(self, names: list[str]) -> str:
        """Choose a name, the first ones much more often."""
        return names[int(len(names) * self._chance.random() ** 2)]


def people(seed: int, n: int) -> list[list[str]]:
    """Return `n` records with a label before each: equal ones are one person."""
    chance = random.Random(seed)
    names = _Names(chance)
    originals = n - round(n * _COPIES_SHARE)
    made: list[list[str]] = []
    while len(made) < originals:
        if made and chance.random() < _ALIKE_SHARE:
            made.append(_someone_alike(chance.choice(made), chance, names))
        else:
            made.append(_someone(chance, names))
    records = [[str(number), *cells] for number, cells in enumerate(made)]
    for _ in range(n - originals):
        number = chance.randrange(originals)
        records.append([str(number), *_dirty(made[number], chance)])
    chance.shuffle(records)
    return records


def _someone(chance: random.Random, names: _Names) -> list[str]:
    first = names.common(names.firsts)
    if chance.random() < 0.15:
        first += " " + names.common(names.firsts)
    last = names.common(names.lasts)
    if chance.random() < 0.08:
        last += "-" + names.common(names.lasts)
    road = f"{chance.choice(names.roads)} {chance.choice(_ROADS)}"
    return [
        first,
        last,
        f"{chance.randint(1, 180)} {road}",
        names.common(names.towns),
        _date(chance),
        _phone(chance),
        f"{chance.choice(_COLOURS)} {chance.choice(_BIRDS)}",
    ]


def _date(chance: random.Random) -> str:
    day, month = chance.randint(1, 28), chance.randint(1, 12)
    return f"{chance.randint(1935, 2006)}-{month:02}-{day:02}"


def _phone(chance: random.Random) -> str:
    return f"0{chance.randint(200, 899)} {chance.randint(100000, 999999)}"


def _someone_alike(like: list[str], chance: random.Random, names: _Names) -> list[str]:
    """Return another person: a namesake, or one of the same family."""
    other = _someone(chance, names)
    if chance.random() < 0.5:
        return like[:2] + other[2:]
    # Of one family: the same name, address, and perhaps telephone and boat.
    shared = list(other)
    shared[1:4] = like[1:4]
    if chance.random() < 0.4:
        shared[5] = like[5]
    if chance.random() < 0.4:
        shared[6] = like[6]
    if chance.random() < 0.2:
        shared[0] = like[0][:2] + other[0][2:]
    return shared


def _dirty(cells: list[str], chance: random.Random) -> list[str]:
    copy = list(cells)
    for _ in range(chance.choice((1, 1, 2, 2, 3, 4))):
        place = chance.randrange(len(copy))
        copy[place] = _with_error(copy[place], chance)
    return copy


def _with_error(cell: str, chance: random.Random) -> str:
    if not cell:
        return cell
    words = cell.split(" ")
    if cell[0].isdigit() and not any(letter.isalpha() for letter in cell):
        kinds = [_other_digit, _other_digit, _swapped_digits, _spaced, _blank]
    elif len(words) > 1:
        kinds = [_slip, _slip, _slip, _swapped, _dropped, _shortened, _capitals, _plain]
    else:
        kinds = [_slip, _slip, _slip, _slip, _initial, _capitals, _plain, _blank]
    return chance.choice(kinds)(cell, chance)


def _slip(cell: str, chance: random.Random) -> str:
    at = chance.randrange(len(cell))
    kind = chance.randrange(4)
    if kind == 0 and len(cell) > 2:
        return cell[:at] + cell[at + 1 :]
    if kind == 1:
        return cell[:at] + cell[at] + cell[at:]
    if kind == 2 and at + 1 < len(cell):
        return cell[:at] + cell[at + 1] + cell[at] + cell[at + 2 :]
    return cell[:at] + chance.choice("abcdefghijklmnoprstuvw") + cell[at + 1 :]


def _swapped(cell: str, chance: random.Random) -> str:
    words = cell.split(" ")
    return " ".join([*words[1:], words[0]])


def _dropped(cell: str, chance: random.Random) -> str:
    words = cell.split(" ")
    del words[chance.randrange(len(words))]
    return " ".join(words)


def _shortened(cell: str, chance: random.Random) -> str:
    words = [_SHORT.get(word, word) for word in cell.split(" ")]
    short = " ".join(words)
    return short if short != cell else _initial(cell, chance)


def _initial(cell: str, chance: random.Random) -> str:
    first, *rest = cell.split(" ")
    return " ".join([f"{first[0]}.", *rest])


def _capitals(cell: str, chance: random.Random) -> str:
    return cell.upper() if chance.random() < 0.7 else cell.lower()


def _plain(cell: str, chance: random.Random) -> str:
    bare = "".join(
        mark
        for mark in unicodedata.normalize("NFKD", cell)
        if not unicodedata.combining(mark)
    )
    return bare if bare != cell else _slip(cell, chance)


def _digits(cell: str) -> list[int]:
    return [at for at, mark in enumerate(cell) if mark.isdigit()]


def _other_digit(cell: str, chance: random.Random) -> str:
    at = chance.choice(_digits(cell))
    digit = str((int(cell[at]) + chance.randint(1, 9)) % 10)
    return cell[:at] + digit + cell[at + 1 :]


def _swapped_digits(cell: str, chance: random.Random) -> str:
    at = chance.choice(_digits(cell)[:-1])
    after = _digits(cell)[_digits(cell).index(at) + 1]
    marks = list(cell)
    marks[at], marks[after] = marks[after], marks[at]
    return "".join(marks)


def _spaced(cell: str, chance: random.Random) -> str:
    return cell.replace(" ", "").replace("-", ".")


def _blank(cell: str, chance: random.Random) -> str:
    return ""


def write(records: list[list[str]], path: Path) -> None:
    """Write labelled records."""
    with path.open("w", encoding="utf-8", newline="") as target:
        writer = csv.writer(target, lineterminator="\n")
        writer.writerow(["who", *FIELDS])
        writer.writerows(records)


def judged(truth: list[str], found: list[str]) -> tuple[float, float]:
    """Return precision and recall of the pairs of records in groups together."""

    def pairs(counts: Counter[object]) -> int:
        return sum(count * (count - 1) // 2 for count in counts.values())

    right = pairs(Counter(zip(truth, found, strict=True)))
    said, there = pairs(Counter(found)), pairs(Counter(truth))
    return (right / said if said else 1.0), (right / there if there else 1.0)


def judge(n: int, seeds: list[int], gruff: str) -> None:
    """Print how well the built program finds the copies, for several seeds."""
    import subprocess
    import tempfile

    print("| seed | records | precision | recall | seconds |\n|---|---|---|---|---|")
    for seed in seeds:
        with tempfile.TemporaryDirectory() as folder:
            source, target = Path(folder, "people.csv"), Path(folder, "groups.csv")
            write(people(seed, n), source)
            fields = ", ".join(FIELDS)
            command = [gruff, "duplicates", str(source), "--near", "--by", fields]
            command += ["--treat", "group", "--to", str(target), "--quiet"]
            began = time.perf_counter()
            subprocess.run(command, check=True)
            took = time.perf_counter() - began
            text = target.read_text(encoding="utf-8")
            rows = list(csv.DictReader(io.StringIO(text)))
            right, all_ = judged(
                [row["who"] for row in rows], [row["group"] for row in rows]
            )
        print(f"| {seed} | {n} | {right:.3f} | {all_:.3f} | {took:.1f} |", flush=True)


def main() -> None:
    """Write a list, or judge the program."""
    what, *rest = sys.argv[1:]
    if what == "write":
        write(people(int(rest[0]), int(rest[1])), Path(rest[2]))
    else:
        gruff = str(Path(sys.executable).with_name("gruff"))
        judge(int(rest[0]), [int(each) for each in rest[1:]], gruff)


if __name__ == "__main__":
    main()
