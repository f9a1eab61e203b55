"""A drawing of where the records of a run went, row by row, from top to bottom.

Each list is a band, as wide as it has records, from the row that makes it to the last
that works on it. What an entry takes comes together at its bar; below it, what goes on
stands at the left, and what was set aside, went into figures or was blank branches off.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from gruff_ledger.account.ledger import Account, Line
from gruff_ledger.words import counted, number_words, visible

# Lengths are in pixels of the drawing, which a page may scale.
_LABEL_WIDTH = 200
_WORDS_WIDTH = 440
_LANES_WIDTH = 400
_WIDEST = 130.0
_LEAST_BAND = 3.0
_LEAST_LANE = 10
_GAP = 16
_ROW_HEIGHT = 42
_BAR = 5
_BEND = 26
_BRANCH = 12

_LABEL_CHARS = 27
_WORDS_CHARS = 64

# Of one entry's many lists that nothing else needs, so many have a band of their own.
_MOST_LISTS = 8
_MOST_ROWS = 150


class Band(NamedTuple):
    """An outline to be filled: what it shows, and its path (SVG 2, section 9)."""

    kind: str
    path: str


class Words(NamedTuple):
    """A text of the drawing, from its left end on the base line."""

    x: float
    y: float
    text: str
    kind: str


class Drawing(NamedTuple):
    """
    A drawing.

    Attributes
    ----------
    width, height : float
    bands : list of Band
        In the order in which they are to be drawn.
    words : list of Words
    said : str
        The same in words, for those who do not see it.
    left : int
        How many rows are not drawn.
    """

    width: float
    height: float
    bands: list[Band]
    words: list[Words]
    said: str
    left: int


class _Row(NamedTuple):
    """A row: the list that begins there, and what it is made of."""

    name: str
    label: str
    words: str
    takes: tuple[str, ...]
    refers: tuple[str, ...]
    records: int
    branches: tuple[tuple[str, int], ...]
    written: str
    is_source: bool


def draw_records(account: Account) -> Drawing | None:
    """Return the drawing of a run; None where no entry worked on anything."""
    rows = list(_rows(account))
    if not account.entries:
        return None
    left = max(0, len(rows) - _MOST_ROWS)
    return _Layout(rows[:_MOST_ROWS]).drawing(left)


def _rows(account: Account) -> Iterator[_Row]:
    """Yield the rows: a list where it is first needed, and the entries in order."""
    sources = {line.result: line for line in account.sources}
    written: dict[str, list[str]] = {}
    for out in account.outs:
        written.setdefault(out.result, []).append(out.address)
    there: set[str] = set()
    for line in account.entries:
        takes = list(dict.fromkeys(line.facts["lists"]))
        refers = list(dict.fromkeys(line.facts.get("references", {}).values()))
        new = [name for name in (*takes, *refers) if name not in there]
        single = [
            name
            for name in new
            if name in sources and account.uses[name] == 1 and name not in written
        ]
        many = single[_MOST_LISTS - 1 :] if len(single) > _MOST_LISTS else []
        for name in new:
            there.add(name)
            if name in many:
                continue
            if name in sources:
                yield _source_row(sources[name], written)
            else:
                yield _beside_row(name, account.beside.get(name, 0), written)
        if many:
            together = f"{many[0]} and more"
            yield _many_row(together, [sources[name] for name in many])
            takes = [each for each in takes if each not in many] + [together]
            refers = [each for each in refers if each not in many]
        there.add(line.result)
        yield _entry_row(line, takes, refers, written)
    for name, line in sources.items():
        if name not in there:
            yield _source_row(line, written)


def _source_row(line: Line, written: Mapping[str, list[str]]) -> _Row:
    branches = (("aside", line.records_aside), ("blank", line.left_out))
    words = counted(line.records_in, "record")
    if line.records_aside:
        words += f", {number_words(line.records_aside)} set aside"
    if line.left_out:
        words += f", {number_words(line.left_out)} blank at the end"
    return _Row(
        *(line.result, line.result, words, (), (), line.records_out, branches),
        ", ".join(written.get(line.result, ())),
        is_source=True,
    )


def _beside_row(name: str, records: int, written: Mapping[str, list[str]]) -> _Row:
    words = f"{counted(records, 'record')}, made beside a list"
    return _Row(
        *(name, name, words, (), (), records, ()),
        ", ".join(written.get(name, ())),
        is_source=True,
    )


def _many_row(name: str, lines: Sequence[Line]) -> _Row:
    records = sum(line.records_out for line in lines)
    branches = (
        ("aside", sum(line.records_aside for line in lines)),
        ("blank", sum(line.left_out for line in lines)),
    )
    came = sum(line.records_in for line in lines)
    words = f"{counted(came, 'record')} of {counted(len(lines), 'list')}"
    label = f"{len(lines)} more lists"
    return _Row(name, label, words, (), (), records, branches, "", is_source=True)


def _entry_row(
    line: Line,
    takes: Sequence[str],
    refers: Sequence[str],
    written: Mapping[str, list[str]],
) -> _Row:
    parts = [f"{number_words(line.records_out)} out"]
    if line.summed is not None:
        parts = [
            f"{number_words(line.summed)} in figures",
            f"{number_words(line.records_out)} made of them",
        ]
    elif line.made:
        parts.append(f"{number_words(line.made)} of them more than came in")
    if line.records_aside:
        parts.append(f"{number_words(line.records_aside)} set aside")
    return _Row(
        line.result,
        line.label,
        f"{number_words(line.records_in)} in: {', '.join(parts)}",
        tuple(takes),
        tuple(refers),
        line.records_out,
        (("aside", line.records_aside), ("summed", line.summed or 0)),
        ", ".join(written.get(line.result, ())),
        is_source=False,
    )


class _Layout:
    """Where bands and words stand: lists in lanes, rows below each other."""

    def __init__(self, rows: Sequence[_Row]) -> None:
        self._rows = rows
        # A list may be made anew under the same name: each is told by its row.
        self._made: list[dict[str, int]] = []
        self._last: dict[int, int] = {}
        there: dict[str, int] = {}
        for at, row in enumerate(rows):
            self._made.append(dict(there))
            for name in (*row.takes, *row.refers):
                if name in there:
                    self._last[there[name]] = at
            there[row.name] = at
            self._last.setdefault(at, at)
        self._lanes = self._assign_lanes()
        self._scale = self._fit()
        widths = self._lane_widths(self._scale)
        self._left = [
            _LABEL_WIDTH + sum(widths[:lane]) + _GAP * lane
            for lane in range(len(widths))
        ]
        self._lanes_width = max(
            _LANES_WIDTH, sum(widths) + _GAP * len(widths) + _BRANCH
        )

    def _assign_lanes(self) -> list[int]:
        """Return the lane of the list that each row makes: the leftmost one free."""
        lanes: list[int] = []
        until: list[int] = []
        for at, row in enumerate(self._rows):
            made = self._made[at]
            ending = [
                lanes[made[name]]
                for name in row.takes
                if name in made and self._last[made[name]] == at
            ]
            free = [lane for lane, last in enumerate(until) if last < at]
            lane = min(ending or free, default=len(until))
            if lane == len(until):
                until.append(at)
            until[lane] = self._last[at]
            lanes.append(lane)
        return lanes

    def _lane_widths(self, scale: float) -> list[float]:
        widths = [float(_LEAST_LANE)] * (max(self._lanes, default=0) + 1)
        for at in range(len(self._rows)):
            lane = self._lanes[at]
            widths[lane] = max(widths[lane], self._bar_width(at, scale))
        return widths

    def _fit(self) -> float:
        """Return how many pixels a record is wide, so that all lanes have room."""
        most = max(self._bar_width(at, 1.0) for at in range(len(self._rows)))
        scale = _WIDEST / max(most, 1.0)
        for _ in range(40):
            widths = self._lane_widths(scale)
            if sum(widths) + _GAP * len(widths) <= _LANES_WIDTH:
                break
            scale *= 0.9
        return scale

    def _bar_width(self, at: int, scale: float) -> float:
        """Return how wide the bar of a row is: what comes in, or what leaves it."""
        row = self._rows[at]
        made = self._made[at]
        came = sum(self._rows[made[name]].records for name in row.takes if name in made)
        there = row.records + sum(count for _, count in row.branches)
        return max(came, there) * scale

    def _band_width(self, records: int) -> float:
        return max(records * self._scale, _LEAST_BAND) if records else 0.0

    def _bar_top(self, at: int) -> float:
        return at * _ROW_HEIGHT + 16.0

    def drawing(self, left: int) -> Drawing:
        """Return all bands and words."""
        bands: list[Band] = []
        bars: list[Band] = []
        words: list[Words] = []
        words_at = _LABEL_WIDTH + self._lanes_width
        for at, row in enumerate(self._rows):
            bands += self._own_band(at)
            bands += self._bends(at)
            bars += self._bar(at)
            y = self._bar_top(at) + _BAR + 4
            kind = "list" if row.is_source else "entry"
            words.append(Words(0.0, y, _cut(row.label, _LABEL_CHARS), kind))
            words.append(Words(words_at, y, _cut(row.words, _WORDS_CHARS), "count"))
            if row.written:
                told = _cut(f"written to {row.written}", _WORDS_CHARS)
                words.append(Words(words_at, y + 15, told, "written"))
        said = "; ".join(f"{row.label}: {row.words}" for row in self._rows)
        return Drawing(
            words_at + _WORDS_WIDTH,
            self._bar_top(len(self._rows)),
            bands + bars,
            words,
            visible(said),
            left,
        )

    def _own_band(self, at: int) -> Iterator[Band]:
        """Yield the band of the list that a row makes, down to its last use."""
        row, last = self._rows[at], self._last[at]
        width = self._band_width(row.records)
        if not width:
            return
        x, top = self._left[self._lanes[at]], self._bar_top(at) + _BAR
        ends_in_bend = last > at and row.name in self._rows[last].takes
        end = self._bar_top(last) - (_BEND if ends_in_bend else 0)
        if last == at:
            end = top + _BRANCH
        kind = "source" if row.is_source else "made"
        yield Band(kind, _box(x, top, width, end - top))

    def _bends(self, at: int) -> Iterator[Band]:
        """Yield the bends by which the lists that a row takes come to its bar."""
        row, made = self._rows[at], self._made[at]
        top = self._bar_top(at)
        to = self._left[self._lanes[at]]
        for name in row.takes:
            if name not in made:
                continue
            width = self._band_width(self._rows[made[name]].records)
            x = self._left[self._lanes[made[name]]]
            kind = "source" if self._rows[made[name]].is_source else "made"
            yield Band(kind, _bend(x, top - _BEND, to, top, width))
            to += width
        for name in row.refers:
            if name in made:
                x = self._left[self._lanes[made[name]]]
                right = self._left[self._lanes[at]] + self._bar_width(at, self._scale)
                yield Band("look", _bend(x, top - _BEND, right, top + 2, 2.0))

    def _bar(self, at: int) -> Iterator[Band]:
        """Yield the bar of a row, and what branches off below it."""
        row = self._rows[at]
        x, top = self._left[self._lanes[at]], self._bar_top(at)
        width = max(self._bar_width(at, self._scale), 4.0)
        yield Band("bar", _box(x, top, width, _BAR))
        x += self._band_width(row.records)
        for kind, count in row.branches:
            part = self._band_width(count)
            if part:
                yield Band(kind, _branch(x, top + _BAR, part))
                x += part


def _box(x: float, y: float, width: float, height: float) -> str:
    return f"M{x:.1f},{y:.1f}h{width:.1f}v{height:.1f}h{-width:.1f}z"


def _bend(x: float, y: float, to: float, end: float, width: float) -> str:
    """Return a band that goes down, and over to another place on the way."""
    half = (y + end) / 2
    return (
        f"M{x:.1f},{y:.1f}C{x:.1f},{half:.1f} {to:.1f},{half:.1f} {to:.1f},{end:.1f}"
        f"h{width:.1f}C{to + width:.1f},{half:.1f} {x + width:.1f},{half:.1f} "
        f"{x + width:.1f},{y:.1f}z"
    )


def _branch(x: float, y: float, width: float) -> str:
    """Return what leaves a bar to the right and ends there."""
    return (
        f"M{x:.1f},{y:.1f}h{width:.1f}l{_BRANCH},{_BRANCH}h{-width:.1f}"
        f"l{-_BRANCH},{-_BRANCH}z"
    )


def _cut(text: str, most: int) -> str:
    shown = visible(text)
    return shown if len(shown) <= most else f"{shown[: most - 1]}…"
