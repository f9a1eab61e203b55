"""What can be said of one field: array work on its cells, for `survey`."""

from __future__ import annotations

import re
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt
import pyarrow as pa

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.forms import DateForms, chunk_dates
from gruff_ledger.cells.formula_like import formula_mask_of, would_run
from gruff_ledger.cells.keys.fingerprints import Fingerprints, fingerprints
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.match.levels import MAY_FOLD, letters, loose
from gruff_ledger.cells.numbers.plain import chunk_numbers, exact, plain_text, sum_of
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text.spaces import without_invisible
from gruff_ledger.cells.text_bytes import (
    DIGIT,
    KINDS,
    LOWER,
    OTHER,
    POINT,
    SIGN,
    SPACE,
    UPPER,
    WIDE,
    Chunk,
    chunk_of,
    folded_chunk,
    kinds_in,
    text_chunks,
)
from gruff_ledger.columns.arrays import joined, taken
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.table import Origin

# Characters that only look like a space, or like nothing, and how they begin in UTF-8.
_INVISIBLE = (
    "\u00a0",
    "\u00ad",
    "\u2007",
    "\u200b",
    "\u200c",
    "\u200d",
    "\u200e",
    "\u200f",
    "\u202f",
    "\u2060",
    "\ufeff",
    "\u3000",
)
_INVISIBLE_LEADS = np.unique([mark.encode("utf-8")[0] for mark in _INVISIBLE])
_INVISIBLE_PATTERN = f"[{''.join(_INVISIBLE)}]"

# A spreadsheet keeps this many digits of a number.
_KEPT_DIGITS = 15

# Numbers longer than 64 bits are read one by one, while they are few.
_LONGEST_FAST = 18
_FEW_LONG = 100

# Values that are named: the commonest, and all of a field that has few.
_COMMONEST = 5
_FEW_VALUES = 40

# A field is of a kind if this share of its filled cells are.
_MOST = 0.5

# Cells in another letter case are odd while they are no more than this share.
_ODD_SHARE = 0.2
_LEAST_LETTERS = 4

# Up to this many distinct values are folded in full, accents and all.
_FEW_WIDE_VALUES = 20_000


class FieldFacts(msgspec.Struct):
    """
    What is known of one field of n records.

    Attributes
    ----------
    field : str
    kind : str
        ``blank``, ``whole number``, ``number``, ``code``, ``date`` or ``text``.
    filled, blank, distinct : int
        Cells with something in them and without; distinct filled values, found by
        64-bit fingerprints.
    numbers, negative, zero, positive, not_a_number : int
        Filled cells by what number they are.
    least, greatest, sum : str
        Of numbers, or of ISO dates, exactly; empty for other kinds.
    least_written, greatest_written : str
        The cells that hold them, as they are written.
    longest : int
        Characters of the longest cell.
    last_filled, gaps : int
        Record number of the last filled cell, and blank cells before it.
    stray_spaces, no_break_spaces, formula_like, long_numbers, numbers_with_text : int
        Cells that have them.
    look_alikes : int
        Values that are written in several ways: equal but for case, accents,
        punctuation and spaces.
    odd_case : int
        Cells all in capitals or small letters where most have both.
    unseen : int
        Blank cells that hold invisible characters.
    leading_zeros : int
    dates : DateForms, optional
    commonest : tuple of (value, count)
        Those that occur more than once, the commonest first.
    values : tuple of str
        All distinct values of a field that has few, in order of their text.
    lengths : tuple of (least, greatest)
        Characters of the filled cells.
    """

    field: str
    kind: str = "blank"
    filled: int = 0
    blank: int = 0
    distinct: int = 0
    numbers: int = 0
    negative: int = 0
    zero: int = 0
    positive: int = 0
    not_a_number: int = 0
    least: str = ""
    greatest: str = ""
    sum: str = ""
    least_written: str = ""
    greatest_written: str = ""
    longest: int = 0
    last_filled: int = 0
    gaps: int = 0
    stray_spaces: int = 0
    no_break_spaces: int = 0
    look_alikes: int = 0
    look_alike_example: tuple[str, ...] = ()
    formula_like: int = 0
    long_numbers: int = 0
    numbers_with_text: int = 0
    odd_case: int = 0
    unseen: int = 0
    leading_zeros: int = 0
    dates: DateForms | None = None
    commonest: tuple[tuple[str, int], ...] = ()
    values: tuple[str, ...] = ()
    lengths: tuple[int, int] = (0, 0)
    found: dict[str, Origin] = msgspec.field(default_factory=dict)

    @property
    def kind_words(self) -> str:
        """The kind, and for dates the pattern they are written in."""
        if self.kind == "date" and self.dates is not None:
            return f"date {self.dates.pattern}"
        return self.kind

    @property
    def ends_shown(self) -> tuple[str, str]:
        """The least and the greatest as they are written, where that is known."""
        return (
            self.least_written or self.least,
            self.greatest_written or self.greatest,
        )

    def first_of(self, kind: str) -> Origin:
        """Return the records of a warning."""
        return self.found.get(kind, Origin.counted(0, 1, 0))


def field_facts(
    field: str, column: Column, origin: Origin, null: tuple[str, ...] = ()
) -> FieldFacts:
    """
    Find out all that is to be said of a field.

    Parameters
    ----------
    field : str
        Its heading.
    column : Column, n cells
    origin : Origin, n records
    null : tuple of str
        Words that count as blank.

    Returns
    -------
    FieldFacts
    """
    facts = FieldFacts(field)
    n = len(column)
    blank = blank_mask(column)
    if null:
        blank |= index_in(column, null) >= 0
    facts.blank = int(np.count_nonzero(blank))
    facts.filled = n - facts.blank
    _count_unseen(facts, column, blank, origin)
    if not facts.filled:
        return facts
    last = n - 1 - int(np.argmin(blank[::-1]))
    facts.last_filled = int(origin.record[last])
    facts.gaps = int(np.count_nonzero(blank[:last]))
    cells = _cells(column, blank)
    facts.distinct = len(cells.counts)
    tally = _Tally()
    start = 0
    for chunk in text_chunks(cells.column):
        _look_at_chunk(chunk, cells, start, tally)
        start += len(chunk.array)
    _settle_numbers(facts, tally)
    _settle_marks(facts, tally, cells, origin)
    _settle_kind(facts, tally, cells, origin)
    _settle_values(facts, cells, column, origin)
    return facts


def _count_unseen(
    facts: FieldFacts, column: Column, blank: Mask, origin: Origin
) -> None:
    """Count the blank cells that hold invisible characters: they only look empty."""
    lengths = [np.diff(chunk.offsets) for chunk in text_chunks(column)]
    written = blank & (np.concatenate([np.zeros(0, np.int32), *lengths]) > 0)
    at = np.flatnonzero(written)
    if not len(at):
        return
    texts = taken(column, at).to_pylist()
    known = {text: without_invisible(text) != text for text in set(texts)}
    unseen = at[[known[text] for text in texts]]
    facts.unseen = len(unseen)
    if len(unseen):
        facts.found["unseen"] = origin.pick(unseen)


_Numbers = npt.NDArray[np.int32]


class _Cells(msgspec.Struct):
    """
    The cells that are looked at: one of each value where values repeat, else all.

    Attributes
    ----------
    column : Column, m cells
    filled : ndarray of bool, shape (m,)
    weights : ndarray of int32, shape (m,), optional
        How many cells of the field each stands for.
    order : ndarray of int32
        Indices of the filled cells of the field, those of a value together.
    starts, counts : ndarray of int32, shape (distinct,)
        Where the cells of each value begin in that order, and how many they are. Where
        only one of each value is looked at, cell i of `column` is of value i.
    """

    column: Column
    filled: Mask
    weights: _Numbers | None
    order: _Numbers
    starts: _Numbers
    counts: _Numbers

    def sum(self, mask: Mask, start: int) -> int:
        """Count the cells of the field that a mask of a chunk stands for."""
        if self.weights is None:
            return int(np.count_nonzero(mask))
        return int(self.weights[start : start + len(mask)][mask].sum())

    def places(self, found: Indices) -> Indices:
        """Return the records that hold the cells found, in order."""
        if self.weights is None:
            return found
        parts = [
            self.order[start : start + count]
            for start, count in zip(
                self.starts[found].tolist(), self.counts[found].tolist(), strict=True
            )
        ]
        return np.sort(np.concatenate(parts)).astype(np.int64) if parts else found

    @property
    def firsts(self) -> Indices:
        """One record of each value."""
        return self.order[self.starts].astype(np.int64)


def _cells(column: Column, blank: Mask) -> _Cells:
    # Whole numbers of 32 bits where they will do: with a million records, a field of
    # numbers is as large as the field itself.
    prints = np.empty(len(column), np.uint64)
    start = 0
    for chunk in text_chunks(column):
        prints[start : start + len(chunk.array)] = _prints(chunk)
        start += len(chunk.array)
    at = np.flatnonzero(~blank).astype(np.int32)
    if len(at) < len(prints):
        prints = prints[at]
    order = np.argsort(prints).astype(np.int32)
    ordered = prints[order]
    del prints
    is_start = np.ones(len(ordered), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=is_start[1:])
    filled = len(ordered)
    del ordered
    starts = np.flatnonzero(is_start).astype(np.int32)
    counts = np.diff(starts, append=np.int32(filled))
    order = at[order] if filled < len(column) else order
    if len(starts) * 2 > filled:
        return _Cells(column, ~blank, None, order, starts, counts)
    few = joined(taken(column, order[starts]))
    return _Cells(few, np.ones(len(few), np.bool_), counts, order, starts, counts)


class _Tally:
    """What the chunks of a field add up to."""

    def __init__(self) -> None:
        self.marks: dict[str, list[Indices]] = {}
        # Values, the cells of the field each stands for, their scale, and the places
        # of the first least and greatest.
        self.numbers: list[
            tuple[npt.NDArray[Any], Indices | None, int, tuple[int, int]]
        ] = []
        self.counts = dict.fromkeys(
            ("numbers", "negative", "zero", "positive", "zeros", "huge"), 0
        )
        self.cased = dict.fromkeys(("upper", "lower", "both"), 0)
        self.dates = DateForms()
        self.shortest, self.longest = 1 << 62, 0

    def mark(self, kind: str, places: Indices) -> None:
        if len(places):
            self.marks.setdefault(kind, []).append(places)

    def marked(self, kind: str) -> Indices:
        parts = self.marks.get(kind)
        return np.concatenate(parts) if parts else np.zeros(0, np.int64)


def _look_at_chunk(chunk: Chunk, cells: _Cells, start: int, tally: _Tally) -> None:
    filled = cells.filled[start : start + len(chunk.array)]
    kinds = kinds_in(chunk)
    kinds[~filled] = 0
    seen = int(np.bitwise_or.reduce(kinds))
    lengths = np.diff(chunk.offsets)
    if seen & (UPPER | LOWER | WIDE):
        _look_at_letters(kinds, lengths, cells, start, tally)
    _measure(chunk, lengths, filled, seen, tally)
    if seen & (SPACE | WIDE):
        _look_for_spaces(chunk, kinds, filled, seen, start, tally)
    first = chunk.bytes_at_start()
    formula = formula_mask_of(chunk) & filled
    if seen & DIGIT:
        numbers = _look_for_numbers(chunk, kinds, lengths, first, cells, start, tally)
        formula &= ~numbers
        has_marks = (kinds & (SIGN | POINT | OTHER)) != 0
        maybe = np.flatnonzero(has_marks & ((kinds & DIGIT) != 0) & ~numbers)
        weights = None
        if cells.weights is not None:
            weights = cells.weights[start : start + len(kinds)].astype(np.int64)
        chunk_dates(chunk, maybe, start, tally.dates, weights)
    at = np.flatnonzero(formula)
    if len(at):
        texts = taken(pa.chunked_array([chunk.array]), at).to_pylist()
        at = at[[would_run(text) for text in texts]]
    tally.mark("formula-like", at + start)


def _look_at_letters(
    kinds: npt.NDArray[np.uint8],
    lengths: npt.NDArray[Any],
    cells: _Cells,
    start: int,
    tally: _Tally,
) -> None:
    """Count the words in capitals, in small letters and in both."""
    letters_in = kinds & (UPPER | LOWER)
    words = (letters_in != 0) & (lengths >= _LEAST_LETTERS)
    words &= (kinds & (WIDE | DIGIT)) == 0
    for name, bits in (("upper", UPPER), ("lower", LOWER), ("both", UPPER | LOWER)):
        mask = words & (letters_in == bits)
        tally.cased[name] += cells.sum(mask, start)
        if name != "both":
            tally.mark(name, np.flatnonzero(mask) + start)


def _prints(chunk: Chunk) -> Fingerprints:
    return fingerprints(pa.chunked_array([chunk.array]))


def _folded_prints(chunk: Chunk) -> Fingerprints:
    """Return equal fingerprints for cells that are equal by their letters."""
    folded = _prints(folded_chunk(chunk))
    if not len(chunk.bytes) or chunk.bytes.max() < 128:
        return folded
    column = pa.chunked_array([chunk.array])
    wide = np.flatnonzero(matching(column, MAY_FOLD))
    if len(wide):
        texts = taken(column, wide).to_pylist()
        known = {text: letters(text) for text in set(texts)}
        bare = chunk_of(pa.array([known[text] for text in texts], pa.string()))
        folded[wide] = _prints(folded_chunk(bare))
    return folded


def _measure(
    chunk: Chunk, lengths: npt.NDArray[Any], filled: Mask, seen: int, tally: _Tally
) -> None:
    """Take note of the shortest and the longest cell, in characters."""
    if seen & WIDE:
        # A character has one byte that does not continue another.
        is_start = (chunk.bytes & 0xC0) != 0x80
        ends = np.concatenate([[0], np.cumsum(is_start)])
        lengths = np.diff(ends[chunk.offsets])
    mine = lengths[filled]
    if len(mine):
        tally.longest = max(tally.longest, int(mine.max()))
        tally.shortest = min(tally.shortest, int(mine.min()))


def _look_for_spaces(
    chunk: Chunk,
    kinds: npt.NDArray[np.uint8],
    filled: Mask,
    seen: int,
    start: int,
    tally: _Tally,
) -> None:
    spaced = np.flatnonzero((kinds & SPACE) != 0)
    if len(spaced):
        data, offsets = chunk.bytes, chunk.offsets
        stray = np.zeros(len(filled), np.bool_)
        is_space = KINDS[data] == SPACE
        stray[spaced] = is_space[offsets[spaced]] | is_space[offsets[spaced + 1] - 1]
        doubled = np.flatnonzero(is_space[1:] & is_space[:-1])
        if len(doubled):
            cells = np.searchsorted(offsets, doubled, "right") - 1
            # Both of one cell.
            within = doubled + 1 < offsets[cells + 1]
            stray[cells[within]] = True
        tally.mark("stray spaces", np.flatnonzero(stray & filled) + start)
    if seen & WIDE and np.isin(chunk.bytes, _INVISIBLE_LEADS).any():
        found = matching(pa.chunked_array([chunk.array]), _INVISIBLE_PATTERN)
        found &= (kinds & WIDE) != 0
        tally.mark("no-break spaces", np.flatnonzero(found) + start)


def _look_for_numbers(
    chunk: Chunk,
    kinds: npt.NDArray[np.uint8],
    lengths: npt.NDArray[Any],
    first: npt.NDArray[np.uint8],
    cells: _Cells,
    start: int,
    tally: _Tally,
) -> Mask:
    """Take note of the numbers of a chunk, and return which cells are numbers."""
    counts = tally.counts
    is_number = np.zeros(len(kinds), np.bool_)
    digits_only = kinds == DIGIT
    tally.mark(
        "long numbers", np.flatnonzero(digits_only & (lengths > _KEPT_DIGITS)) + start
    )
    padded = digits_only & (first == ord("0")) & (lengths > 1)
    counts["zeros"] += cells.sum(padded, start)
    huge = digits_only & (lengths > _LONGEST_FAST)
    if int(np.count_nonzero(huge)) > _FEW_LONG:
        # Too many to be read one by one, and codes rather than numbers.
        nothing = huge & (_greatest_byte(chunk) == ord("0"))
        number = cells.sum(huge, start)
        counts["huge"] += number
        counts["numbers"] += number
        counts["zero"] += cells.sum(nothing, start)
        counts["positive"] += cells.sum(huge & ~nothing, start)
        is_number |= huge
        if huge.all():
            return is_number
        kinds = np.where(huge, 0, kinds).astype(np.uint8)
    places, values, scale = chunk_numbers(chunk, kinds)
    if len(places):
        weights = None
        if cells.weights is not None:
            weights = cells.weights[start + places].astype(np.int64)
        ends = (
            start + int(places[int(values.argmin())]),
            start + int(places[int(values.argmax())]),
        )
        tally.numbers.append((values, weights, scale, ends))
        is_number[places] = True
        for name, mask in (
            ("negative", values < 0),
            ("zero", values == 0),
            ("positive", values > 0),
        ):
            found = mask.astype(np.bool_)
            number = int(
                np.count_nonzero(found) if weights is None else weights[found].sum()
            )
            counts[name] += number
            counts["numbers"] += number
    return is_number


def _greatest_byte(chunk: Chunk) -> npt.NDArray[np.uint8]:
    """Return the greatest byte of each cell; zero for an empty one."""
    lengths = np.diff(chunk.offsets)
    result = np.zeros(len(lengths), np.uint8)
    filled = lengths > 0
    starts = chunk.offsets[:-1][filled]
    result[filled] = np.maximum.reduceat(chunk.bytes, starts)
    return result


def _settle_numbers(facts: FieldFacts, tally: _Tally) -> None:
    counts = tally.counts
    facts.numbers = counts["numbers"]
    facts.negative, facts.zero = counts["negative"], counts["zero"]
    facts.positive = counts["positive"]
    facts.not_a_number = facts.filled - facts.numbers
    facts.leading_zeros = counts["zeros"]
    facts.longest = tally.longest
    facts.lengths = (min(tally.shortest, tally.longest), tally.longest)


def _settle_marks(
    facts: FieldFacts, tally: _Tally, cells: _Cells, origin: Origin
) -> None:
    for kind, name in (
        ("stray spaces", "stray_spaces"),
        ("no-break spaces", "no_break_spaces"),
        ("formula-like", "formula_like"),
        ("long numbers", "long_numbers"),
    ):
        places = cells.places(tally.marked(kind))
        setattr(facts, name, len(places))
        if len(places):
            facts.found[kind] = origin.pick(places)
    cased = tally.cased
    odd = cased["upper"] + cased["lower"]
    if odd and odd <= _ODD_SHARE * (odd + cased["both"]):
        marked = np.concatenate([tally.marked("upper"), tally.marked("lower")])
        facts.odd_case = odd
        facts.found["mixed case"] = origin.pick(np.sort(cells.places(marked)))


def _settle_kind(
    facts: FieldFacts, tally: _Tally, cells: _Cells, origin: Origin
) -> None:
    dates = tally.dates
    most = _MOST * facts.filled
    if dates.count > most:
        facts.kind, facts.dates = "date", dates
        facts.least, facts.greatest = dates.least, dates.greatest
        facts.least_written, facts.greatest_written = dates.written_ends
        found = np.concatenate(dates.two_ways_at or [np.zeros(0, np.int64)])
        facts.found["dates"] = origin.pick(np.sort(cells.places(found)))
        return
    if facts.numbers <= most:
        facts.kind = "text"
        return
    huge = tally.counts["huge"]
    if facts.leading_zeros or huge or facts.long_numbers > most:
        facts.kind = "code"
        return
    scale = max(each for _, _, each, _ in tally.numbers)
    facts.kind = "number" if scale else "whole number"
    total = 0
    lows: list[tuple[int, int]] = []
    highs: list[tuple[int, int]] = []
    for values, weights, own, (low, high) in tally.numbers:
        power = 10 ** (scale - own)
        total += sum_of(values, weights) * power
        lows.append((int(values.min()) * power, low))
        # Of equal ones the first.
        highs.append((int(values.max()) * power, -high))
    facts.least = plain_text(exact(min(lows)[0], scale))
    facts.greatest = plain_text(exact(max(highs)[0], scale))
    facts.least_written = cells.column[min(lows)[1]].as_py()
    facts.greatest_written = cells.column[-max(highs)[1]].as_py()
    facts.sum = plain_text(exact(total, scale))


def _settle_values(
    facts: FieldFacts, cells: _Cells, column: Column, origin: Origin
) -> None:
    if facts.distinct < facts.filled:
        # Of equally common values, the one that is met first.
        top = _most_common(cells)
        named = taken(column, cells.firsts[top]).to_pylist()
        facts.commonest = tuple(zip(named, cells.counts[top].tolist(), strict=True))
    if facts.distinct <= _FEW_VALUES:
        facts.values = tuple(sorted(taken(column, cells.firsts).to_pylist()))
    if facts.kind == "text":
        _settle_look_alikes(facts, cells, column, origin)
    if facts.kind in ("number", "whole number") and facts.not_a_number:
        _settle_numbers_with_text(facts, cells, origin)


def _most_common(cells: _Cells) -> Indices:
    """Return the values that occur most often, more than once."""
    counts = cells.counts
    least = np.partition(counts, -min(_COMMONEST, len(counts)))[
        -min(_COMMONEST, len(counts))
    ]
    chosen = np.flatnonzero((counts >= least) & (counts > 1))
    if len(chosen) > _FEW_WIDE_VALUES:
        chosen = chosen[:_FEW_WIDE_VALUES]
    first = np.array(
        [
            int(cells.order[start : start + count].min())
            for start, count in zip(
                cells.starts[chosen].tolist(), counts[chosen].tolist(), strict=True
            )
        ],
        np.int64,
    )
    return chosen[np.lexsort((first, -counts[chosen]))][:_COMMONEST]


def _settle_look_alikes(
    facts: FieldFacts, cells: _Cells, column: Column, origin: Origin
) -> None:
    """Count the values that are equal when folded and written differently."""
    firsts = cells.firsts
    if facts.distinct > _FEW_WIDE_VALUES:
        parts = [_folded_prints(chunk) for chunk in text_chunks(cells.column)]
        folded = np.concatenate(parts)
        if cells.weights is None:
            folded = folded[firsts]
        ordered = np.sort(folded)
        twice = ordered[1:][ordered[1:] == ordered[:-1]]
        if not len(twice):
            return
        # Only those whose folded fingerprints agree are looked at.
        firsts = firsts[np.isin(folded, np.unique(twice))]
    groups: dict[str, list[tuple[str, int]]] = {}
    texts = taken(column, firsts).to_pylist()
    for text, place in zip(texts, firsts.tolist(), strict=True):
        groups.setdefault(_spelling_key(text), []).append((text, place))
    several = [each for key, each in groups.items() if len(each) > 1 and key]
    facts.look_alikes = len(several)
    if several:
        for each in several:
            each.sort(key=lambda one: one[1])
        several.sort(key=lambda each: each[0][1])
        facts.look_alike_example = tuple(text for text, _ in several[0])
        places = np.array([place for each in several for _, place in each], np.int64)
        facts.found["look-alikes"] = origin.pick(np.sort(places))


# What is a number in some form: its marks and signs tell one from another.
_AMOUNT = re.compile(
    r"[-+(\u2212]?[\d\s]*[.,'’][\d.,'’\s]*[-)%]?|[-+(\u2212][\d\s]+\)?"
)


def _spelling_key(text: str) -> str:
    """Return what is equal for two ways of writing one value."""
    bare = loose(text)
    return bare if _AMOUNT.fullmatch(bare) else letters(text)


def _settle_numbers_with_text(facts: FieldFacts, cells: _Cells, origin: Origin) -> None:
    """Count the cells with digits and text in a field that is of numbers."""
    start = 0
    hits = []
    for chunk in text_chunks(cells.column):
        kinds = kinds_in(chunk)
        kinds[~cells.filled[start : start + len(kinds)]] = 0
        mask = (kinds & DIGIT) != 0
        mask[chunk_numbers(chunk, kinds).places] = False
        hits.append(np.flatnonzero(mask) + start)
        start += len(kinds)
    places = cells.places(np.concatenate(hits))
    facts.numbers_with_text = len(places)
    facts.found["numbers with text"] = origin.pick(places)
