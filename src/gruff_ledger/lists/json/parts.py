"""A JSON list part by part: objects in columns where they are regular, else one by one.

Where a part ends is told by its marks, from the beginning on; what is in it is then
read in threads.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from gruff_ledger.columns.threads import map_ahead
from gruff_ledger.lists.json.marks import CLOSE, COMMA, OPEN, Marks, marks_of
from gruff_ledger.lists.json.regular import BROKEN, Objects, objects_of

# What is looked at in one go: arrays on it stay small.
PART_BYTES = 1 << 21

# One record is hardly longer; of what is no list, every other byte could be a mark.
MOST_PART_BYTES = 1 << 23

# Less is not worth the arrays.
LEAST_BYTES = 1 << 16

# Objects in columns, or the text of each element, which may be anything.
Part = Objects | list[bytes]

_AS_ELEMENTS = msgspec.json.Decoder(list[msgspec.Raw])
_AS_LINE = msgspec.json.Decoder(msgspec.Raw)


def elements_of(text: bytes) -> list[bytes]:
    """Return the text of each element of an array."""
    return [bytes(element) for element in _AS_ELEMENTS.decode(text)]


def parts_of_array(text: bytes) -> Iterator[Part]:
    """Yield the elements of an array, in order; it must be valid."""
    if len(text) < LEAST_BYTES:
        return iter([elements_of(text)])

    def read(stretch: tuple[bytes, Marks | None]) -> Part:
        inside, marks = stretch
        found = None if marks is None else objects_of(marks, by_commas=True)
        return elements_of(b"[" + inside + b"]") if found is None else found

    return map_ahead(read, _stretches(text))


def parts_of_lines(text: bytes) -> Iterator[Part]:
    """Yield what stands in each line that is not blank, in order."""
    if len(text) < LEAST_BYTES:
        return iter([_filled_lines(text)])

    def read(lines: bytes) -> Part:
        found = _objects_a_line(lines)
        return _filled_lines(lines) if found is None else found

    return map_ahead(read, _stretches_of_lines(text))


def _stretches(text: bytes) -> Iterator[tuple[bytes, Marks | None]]:
    """
    Yield stretches of whole elements, without what parts one from the next.

    After an element that is very long come all the rest, without marks.
    """
    at, end = text.index(b"[") + 1, text.rindex(b"]")
    size = PART_BYTES
    while at < end:
        if size > MOST_PART_BYTES:
            yield text[at:end], None
            return
        stretch = text[at : min(end, at + size)]
        marks = marks_of(stretch)
        count, stop = len(marks.places), len(stretch)
        if at + stop < end:
            parting = np.flatnonzero((marks.levels == 0) & (marks.kinds == COMMA))
            if not len(parting):
                # One element that is so long.
                size *= 2
                continue
            count = int(parting[-1])
            stop = int(marks.places[count])
        yield stretch[:stop], marks.at(slice(count))
        at += stop + 1
        size = PART_BYTES


def _stretches_of_lines(text: bytes) -> Iterator[bytes]:
    at = 0
    while at < len(text):
        stop = text.find(b"\n", at + PART_BYTES) + 1 or len(text)
        yield text[at:stop]
        at = stop


def _filled_lines(text: bytes) -> list[bytes]:
    return [line for each in text.split(b"\n") if (line := each.strip())]


def _objects_a_line(text: bytes) -> Objects | None:
    """Return the objects of lines; None if any line is not one object."""
    if len(text) > MOST_PART_BYTES:
        return None
    try:
        count = len(_AS_LINE.decode_lines(text))
    except BROKEN:
        return None
    marks = marks_of(text)
    found = objects_of(marks, by_commas=False)
    if found is None or len(found.sizes) != count:
        return None
    line_ends = np.flatnonzero(marks.data == ord("\n"))
    is_outer = marks.levels == 1
    begins = marks.places[is_outer & (marks.kinds == OPEN)]
    ends = marks.places[is_outer & (marks.kinds == CLOSE)]
    first, last = (np.searchsorted(line_ends, places) for places in (begins, ends))
    is_one_a_line = (first == last).all() and (np.diff(first) > 0).all()
    return found if is_one_a_line else None
