"""Mutants of what is no list: dockets, decisions and the trail of a ledger.

Their check sums are right, where they have some: what is altered is believed until it
does not fit.
"""

from __future__ import annotations

import copy
import io
import json
import random
import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from gruff_ledger.account.trail import TRAIL_FILE
from gruff_ledger.account.trail.format import TRAIL_INDEX
from gruff_ledger.account.trail.trace import Tracing
from gruff_ledger.docket.load import load_docket
from gruff_ledger.job.engine import run
from gruff_ledger.job.review import now, reviews
from gruff_ledger.work.review.answers import decision_on

LISTS = {
    "north.csv": "Berth,Boat,Dues\nN-1,Tern,4.50\nN-2,Old Seal,12\nN-2,Old seal,12\n",
    "south.csv": "Berth,Boat,Dues\nS-1,Tern,4\nS-2,,x\n,,\n",
    "owners.csv": "Boat,Owner\nTern,A. Tidewell\nOld Seal,B. Hawserly\n",
}

DOCKET = """docket = 1
title = "Berths of {quay}"
control = ["Dues"]
[ask.quay]
say = "Which quay?"
default = "north"
choices = ["north", "south"]
[lists.one]
from = "{quay}.csv"
delimiter = ","
[lists.other]
from = "south.csv"
[[entry]]
do = "merge"
name-source = "Quay"
lists = ["one", "other"]
[[entry]]
do = "scrub"
fields = "Boat"
case = "upper"
[[entry]]
do = "duplicates"
by = ["Berth", "Boat"]
near = true
decisions = "decided.jsonl"
[[entry]]
do = "lookup"
in = "owners.csv"
key = { Boat = "Boat" }
match = "letters"
take = ["Owner"]
[[entry]]
do = "compute"
as = "all"
formula = { Twice = "Dues * 2" }
[[entry]]
do = "rollup"
lists = ["all"]
down = "Quay"
value = "Dues"
[[out]]
list = "all"
to = "out/all.csv"
[[out]]
to = "out/dues.csv"
"""

# What takes the place of a value of JSON.
ODD: tuple[Any, ...] = (
    *(None, True, -1, 0, 1, 7, 2**31, 2**53, -(2**62), 10**30, 1.5, "", "x", "Boat"),
    *("sources/1.arrow", "entries/1/rows.arrow", [], {}, [0], [[]], {"first": 1}),
    {"source": 0, "first": -5, "count": 10**12},
    {"source": 9, "first": 1, "count": 3},
)


class Workplace:
    """A folder with a docket, its lists, and the ledger of its run."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        for name, text in LISTS.items():
            (self.folder / name).write_text(text, encoding="utf-8")
        (self.folder / "decided.jsonl").write_text("", encoding="utf-8")
        self.docket = self.folder / "job.toml"
        self.docket.write_text(DOCKET, encoding="utf-8")
        run(load_docket(self.docket))
        self.trail = (self.folder / "ledger" / TRAIL_FILE).read_bytes()
        self.decided = _decisions(self.folder)

    def remove(self) -> None:
        """Remove the folder."""
        shutil.rmtree(self.folder)

    def seeds(self) -> dict[str, bytes]:
        """Return a valid file of each kind, by the kind's name."""
        return {
            "docket": DOCKET.encode(),
            "decisions": self.decided,
            "trail": self.trail,
        }

    def use(self, kind: str, data: bytes) -> None:
        """Do with a file what the program does with one of that kind."""
        if kind == "docket":
            path = self.folder / "mutant.toml"
            path.write_bytes(data)
            run(load_docket(path), write=False)
        elif kind == "decisions":
            (self.folder / "decided.jsonl").write_bytes(data)
            run(load_docket(self.docket), write=False)
        else:
            ledger = self.folder / "other"
            ledger.mkdir(exist_ok=True)
            (ledger / TRAIL_FILE).write_bytes(data)
            _ask_all(Tracing(ledger))


def _decisions(folder: Path) -> bytes:
    """Return decisions on the questions of the docket, as the program keeps them."""
    (review,) = reviews(load_docket(folder / "job.toml"), lambda step: None)
    questions = review.questions()
    decided = [decision_on(questions, each, "same", now()) for each in questions.all]
    assert decided
    review.keep(decided)
    return review.path.read_bytes()


def _ask_all(tracing: Tracing) -> None:
    """Ask all that can be asked of the few records that there are."""
    tracing.find("out/all.csv")
    for at, _ in enumerate(tracing.results):
        for record in (1, 2, 4):
            tracing.back(at, record)
        tracing.records_with(at, {"Quay": "one"})
    for at, _ in enumerate(tracing.sources):
        for record in (1, 3):
            tracing.forth(at, record)
        tracing.records_of_source(at, {"Boat": "Tern"})
    tracing.of_size(100)
    tracing.lying_at("out/all.csv")


def altered(trail: bytes, chance: random.Random) -> bytes:
    """Return a trail with a member missing, cut, damaged or altered."""
    archive = zipfile.ZipFile(io.BytesIO(trail))
    chosen = chance.choice([*archive.namelist(), *[TRAIL_INDEX] * 5])
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w") as out:
        for name in archive.namelist():
            data = archive.read(name)
            if name != chosen:
                out.writestr(name, data)
            elif chance.random() < 0.05:
                continue
            elif name == TRAIL_INDEX and chance.random() < 0.9:
                index = json.loads(data)
                for _ in range(chance.choice((1, 1, 2, 4))):
                    _alter(index, chance)
                out.writestr(name, json.dumps(index))
            else:
                out.writestr(name, _damaged(data, chance))
    return sink.getvalue()


def _damaged(data: bytes, chance: random.Random) -> bytes:
    changed = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 6))):
        at = chance.randrange(len(changed)) & ~3
        kind = chance.randrange(4)
        if kind == 0:
            changed[at] ^= 1 << chance.randrange(8)
        elif kind == 1:
            number = chance.choice((0, 1, -1, 2**31 - 1, -(2**31), 255, 10**6))
            changed[at : at + 4] = number.to_bytes(4, "little", signed=True)
        elif kind == 2:
            changed[at : at + 8] = chance.randbytes(8)
        else:
            del changed[len(changed) - chance.randrange(1, 40) :]
    return bytes(changed)


def _alter(index: Any, chance: random.Random) -> None:
    """Put something odd anywhere in plain values."""
    at = index
    while True:
        keys = list(at) if isinstance(at, dict) else list(range(len(at)))
        if not keys:
            return
        key = chance.choice(keys)
        if isinstance(at[key], dict | list) and at[key] and chance.random() < 0.8:
            at = at[key]
            continue
        kind = chance.randrange(6)
        if kind == 0 and isinstance(at, dict):
            del at[key]
        elif kind == 1 and isinstance(at[key], int):
            at[key] += chance.choice((-1, 1, 2, 1000))
        elif kind == 2 and isinstance(at, list):
            at.append(copy.deepcopy(chance.choice(at)))
        else:
            at[key] = copy.deepcopy(chance.choice(ODD))
        return
