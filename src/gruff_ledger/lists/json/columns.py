"""Columns of the objects of a JSON list, gathered as they are read."""

from __future__ import annotations

from array import array
from collections import Counter
from collections.abc import Iterable, Mapping

import msgspec
import numpy as np
import pyarrow as pa

from gruff_ledger.cells.numbers.plain import without_exponent
from gruff_ledger.columns.arrays import concat_columns, constant_column, text_column
from gruff_ledger.columns.types import Column
from gruff_ledger.field_names import make_headings
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.bounds import Found, note_made_up
from gruff_ledger.lists.json.parts import Part
from gruff_ledger.lists.json.regular import BROKEN, KIND_OF, Objects
from gruff_ledger.lists.reading import Kinds
from gruff_ledger.lists.source import Opened
from gruff_ledger.outcome import Note, SetAside
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Origin, Table

GROUP_RECORDS = 20_000

# After so many records with other values than text no more are taken for text alone.
_TRIED_RECORDS = 100
_NOT_OBJECTS = "no JSON object"
_TWICE = "two members of one name"
_NAME_END = late_pattern(rb'"\s*:')
_Members = dict[str, msgspec.Raw]
AS_MEMBERS = msgspec.json.Decoder(_Members)
_AS_TEXTS = msgspec.json.Decoder(dict[str, str])
_AS_TEXT = msgspec.json.Decoder(str)


class ColumnsOfObjects:
    """Records taken in one by one, and put in columns a group at a time."""

    def __init__(self, opened: Opened) -> None:
        self._opened = opened
        self._headings: dict[str, int] = {}
        self._columns: list[list[Column]] = []
        self._group: list[list[str]] = []
        self._numbers = array("q")
        self._done = 0
        self._sizes: Counter[int] = Counter()
        self._other_than_text = 0
        self._kinds: dict[str, bytearray] = {}
        self._aside: dict[str, list[tuple[int, str]]] = {}

    def take_in(self, parts: Iterable[Part]) -> None:
        """Take the records of a list, in order."""
        number = 1
        for part in parts:
            if isinstance(part, Objects):
                self._add_all(number, part)
                number += len(part.sizes)
                continue
            for text in part:
                self._add(number, text)
                number += 1

    def _add(self, number: int, text: bytes) -> None:
        """Take the next record: its number and its JSON."""
        members = self._members(number, text)
        reason = _NOT_OBJECTS if members is None else ""
        if members is not None and _names_a_member_twice(text, len(members)):
            reason = _TWICE
        if members is None or reason:
            said = text.decode("utf-8", "replace")
            self._aside.setdefault(reason, []).append((number, said))
            return
        headings = self._headings
        cells = [""] * len(headings)
        for key, cell in members.items():
            place = headings.get(key)
            if place is None:
                place = headings[key] = len(headings)
                cells.append("")
            cells[place] = cell
        self._sizes[len(members)] += 1
        self._group.append(cells)
        self._numbers.append(number)
        if len(self._group) == GROUP_RECORDS:
            self._flush()

    def _add_all(self, first: int, objects: Objects) -> None:
        """Take the next records: the number of the first, and all in columns."""
        self._flush()
        count = len(objects.sizes)
        given = {member.name: member for member in objects.members}
        for name in given:
            if name not in self._headings:
                self._headings[name] = len(self._headings)
                self._columns.append(self._blank(self._done))
        for name, place in self._headings.items():
            member = given.get(name)
            if member is None:
                self._columns[place] += self._blank(count)
                continue
            self._columns[place].append(pa.chunked_array([member.cells]))
            if member.kinds is not None:
                self._codes(name, first).extend(member.kinds.tobytes())
        self._done += count
        self._sizes.update(objects.sizes.tolist())
        self._numbers.frombytes(np.arange(first, first + count).tobytes())

    def _members(self, number: int, text: bytes) -> dict[str, str] | None:
        """Return the members of an object as text; None if it is none."""
        if self._other_than_text < _TRIED_RECORDS:
            # Lists that hold nothing but text are read in a third of the time.
            try:
                return _AS_TEXTS.decode(text)
            except BROKEN:
                self._other_than_text += 1
        try:
            members = AS_MEMBERS.decode(text)
        except BROKEN:
            return None
        texts = {}
        for key, raw in members.items():
            data = bytes(raw)
            kind = int(KIND_OF[data[0]])
            if kind:
                self._note_kind(number, key, kind)
            texts[key] = self._text(number, key, data)
        return texts

    def _note_kind(self, number: int, key: str, kind: int) -> None:
        """Take note that a value is not a text, one byte for each record."""
        self._codes(key, number).append(kind)

    def _codes(self, key: str, number: int) -> bytearray:
        """Return the kinds of values up to a record, which is not yet among them."""
        codes = self._kinds.setdefault(key, bytearray())
        codes.extend(bytes(number - len(codes)))
        return codes

    def _text(self, number: int, key: str, raw: bytes) -> str:
        if raw[:1] == b'"':
            try:
                return _AS_TEXT.decode(raw)
            except BROKEN as error:
                raise UnreadableSource(
                    "the text holds half a character (a lone surrogate), which no "
                    "encoding can write.",
                    "Correct it in the source.",
                    file=self._opened.address,
                    record=number,
                    field=key,
                ) from error
        if raw == b"null":
            return ""
        text = raw.decode("utf-8")
        # Typed as a number, it is one in any form; nested values stay as they are.
        is_number = text[:1] in "-0123456789" and ("e" in text or "E" in text)
        return without_exponent(text) if is_number else text

    def _flush(self) -> None:
        width = len(self._headings)
        while len(self._columns) < width:
            self._columns.append(self._blank(self._done))
        for cells in self._group:
            cells.extend([""] * (width - len(cells)))
        if self._group:
            for place, field in enumerate(zip(*self._group, strict=True)):
                self._columns[place].append(text_column(field))
        self._done += len(self._group)
        self._group.clear()

    def _blank(self, count: int) -> list[Column]:
        """Return a field that is blank in so many records."""
        return [constant_column("", count)] if count else []

    def found(
        self,
        format_name: str,
        source: int,
        written: dict[str, str],
        size: int,
        sha256: object,
        notes: tuple[Note, ...],
    ) -> Found:
        """Return the list."""
        self._flush()
        if not self._headings:
            raise UnreadableSource(
                "it holds no record with a field."
                if not self._aside
                else "none of its elements is an object with fields, each named once.",
                "A list is made of objects such as "
                '{"boat": "Merry Bell", "berth": "12"}.',
                file=self._opened.address,
            )
        headings, made = make_headings(list(self._headings))
        name = self._opened.name
        origin = _origin(source, self._numbers)
        columns = tuple(concat_columns(parts) for parts in self._columns)
        aside: tuple[SetAside, ...] = ()
        for reason, found in self._aside.items():
            blank = tuple(constant_column("", len(found)) for _ in headings)
            at = _origin(source, [number for number, _ in found])
            texts = tuple(text for _, text in found)
            aside += (SetAside(reason, Table(headings, blank, at, name), text=texts),)
            count = len(texts)
            elements = "1 element was" if count == 1 else f"{count} elements were"
            notes += (
                Note(
                    f"{name}: {elements} set aside: {reason}.",
                    "Correct them in the source.",
                    at,
                    warning=True,
                ),
            )
        notes += note_made_up(name, headings, made)
        short = sum(n for size, n in self._sizes.items() if size < len(headings))
        if short:
            records = "1 record lacks" if short == 1 else f"{short} records lack"
            notes += (Note(f"{name}: {records} some of the fields; they are blank."),)
        return Found(
            Table(headings, columns, origin, name),
            len(self._numbers) + sum(len(each.table) for each in aside),
            format_name,
            None,
            written,
            size,
            sha256,  # type: ignore[arg-type]
            aside=aside,
            notes=notes,
            kinds=self._kinds_of(dict(zip(self._headings, headings, strict=True))),
        )

    def _kinds_of(self, headings: Mapping[str, str]) -> Kinds:
        """Return what the values of each field were, by record number."""
        return {
            headings[key]: np.frombuffer(codes, np.uint8)
            for key, codes in self._kinds.items()
            if key in headings
        }


def _names_a_member_twice(text: bytes, members: int) -> bool:
    """
    Whether an object has two members of one name, of which one would be lost.

    Parameters
    ----------
    text : bytes
        The object.
    members : int
        How many differently named ones it has.
    """
    # Each member has a colon; mostly there are no others, and that is soon counted.
    if text.count(b":") == members or len(_NAME_END.findall(text)) == members:
        return False
    import json

    # Every object in it becomes a list of pairs, the outermost last.
    try:
        pairs: list[tuple[str, object]] = json.loads(
            text, object_pairs_hook=list, parse_int=str, parse_float=str
        )
    except RecursionError:
        return True  # Nobody can tell: its text is kept, which loses nothing.
    return len(pairs) > members


def _origin(source: int, numbers: Iterable[int]) -> Origin:
    at = np.array(list(numbers), np.int64)
    return Origin(np.full(len(at), source, np.int32), at)
