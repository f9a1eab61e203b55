"""What can be said of one field: array work on its cells, for `survey`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates import DateForms, chunk_dates
from gruff_ledger.cells.match import Fingerprints, fingerprints, letters
from gruff_ledger.cells.number import chunk_numbers, exact, kinds_in, plain_text, sum_of
from gruff_ledger.cells.strings import Chunk, folded_chunk, text_chunks
from gruff_ledger.table import (
    Column,
    Indices,
    Mask,
    Origin,
    filtered,
    taken,
    text_column,
)
from gruff_ledger.work.keys import index_in

# Kinds of bytes, a bit each.
_ZERO, _DIGIT, _UPPER, _LOWER, _WIDE, _SPACE, _SIGN, _OTHER = (1 << n for n in range(8))
_KINDS = np.full(256, _OTHER, np.uint8)
_KINDS[ord("0")] = _ZERO
_KINDS[ord("1") : ord("9") + 1] = _DIGIT
_KINDS[ord("A") : ord("Z") + 1] = _UPPER
_KINDS[ord("a") : ord("z") + 1] = _LOWER
_KINDS[128:] = _WIDE
_KINDS[[9, 10, 11, 12, 13, 32]] = _SPACE
_KINDS[[*b"+-./:"]] = _SIGN

# What a spreadsheet program takes for the start of a formula.
_FORMULA = np.zeros(256, np.bool_)
_FORMULA[[*b"=+-@\t\r"]] = True

# The first bytes of characters that only look like a space, or like nothing.
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

# A spreadsheet keeps this many digits of a number.
_KEPT_DIGITS = 15

# Numbers longer than 64 bits are read one by one, while they are few.
_FEW_LONG = 100

# Values that are named: the commonest, and all of a field that has few.
_COMMONEST = 5
_FEW_VALUES = 40

# A field is of a kind if this share of its filled cells are.
_MOST = 0.5

# Cells in another letter case are odd while they are no more than this share.
_ODD_SHARE = 0.2
_LEAST_LETTERS = 4

_SHOWN = 3


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
    if not facts.filled:
        return facts
    last = n - 1 - int(np.argmin(blank[::-1]))
    facts.last_filled = int(origin.record[last])
    facts.gaps = int(np.count_nonzero(blank[:last]))
    tally = _Tally(n)
    start = 0
    for chunk in text_chunks(column):
        end = start + len(chunk.array)
        _look_at_chunk(chunk, ~blank[start:end], start, tally)
        start = end
    _settle_numbers(facts, tally)
    _settle_marks(facts, tally, origin)
    _settle_kind(facts, tally, origin)
    _settle_values(facts, tally, column, blank, origin)
    return facts


class _Tally:
    """What the chunks of a field add up to."""

    def __init__(self, n: int) -> None:
        self.prints = np.empty(n, np.uint64)
        self.folded = np.empty(n, np.uint64)
        self.has_folded = False
        self.marks: dict[str, list[Indices]] = {}
        self.numbers: list[tuple[npt.NDArray[Any], int]] = []
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


def _look_at_chunk(chunk: Chunk, filled: Mask, start: int, tally: _Tally) -> None:
    end = start + len(filled)
    kinds = kinds_in(chunk, _KINDS)
    kinds[~filled] = 0
    seen = int(np.bitwise_or.reduce(kinds))
    tally.prints[start:end] = _prints(chunk)
    lengths = np.diff(chunk.offsets)
    letters_in = kinds & (_UPPER | _LOWER)
    if seen & (_UPPER | _LOWER | _WIDE):
        # Folding can only matter where there are letters, marks or spaces.
        tally.folded[start:end] = _folded_prints(chunk, kinds)
        tally.has_folded = True
        long_enough = (letters_in != 0) & (lengths >= _LEAST_LETTERS)
        long_enough &= (kinds & (_WIDE | _ZERO | _DIGIT)) == 0
        for name, bits in (
            ("upper", _UPPER),
            ("lower", _LOWER),
            ("both", _UPPER | _LOWER),
        ):
            mask = long_enough & (letters_in == bits)
            tally.cased[name] += int(np.count_nonzero(mask))
            if name != "both":
                tally.mark(name, np.flatnonzero(mask) + start)
    else:
        tally.folded[start:end] = tally.prints[start:end]
    _measure(chunk, lengths, filled, seen, tally)
    if seen & (_SPACE | _WIDE):
        _look_for_spaces(chunk, kinds, filled, seen, start, tally)
    first = chunk.bytes_at_start()
    formula = _FORMULA[first] & filled
    if seen & (_ZERO | _DIGIT):
        numbers = _look_for_numbers(chunk, kinds, lengths, first, start, tally)
        formula &= ~numbers
        if seen & _SIGN:
            chunk_dates(chunk, np.flatnonzero(filled & ~numbers), start, tally.dates)
    tally.mark("formula-like", np.flatnonzero(formula) + start)


def _folded_prints(chunk: Chunk, kinds: npt.NDArray[np.uint8]) -> Fingerprints:
    """Return equal fingerprints for cells that are equal by their letters."""
    import pyarrow as pa

    folded = _prints(folded_chunk(chunk))
    wide = np.flatnonzero((kinds & _WIDE) != 0)
    if len(wide):
        texts = taken(pa.chunked_array([chunk.array]), wide).to_pylist()
        known = {text: "".join(letters(text).split()) for text in set(texts)}
        folded[wide] = fingerprints(text_column(known[text] for text in texts))
    return folded


def _prints(chunk: Chunk) -> Fingerprints:
    import pyarrow as pa

    return fingerprints(pa.chunked_array([chunk.array]))


def _measure(
    chunk: Chunk, lengths: npt.NDArray[Any], filled: Mask, seen: int, tally: _Tally
) -> None:
    """Take note of the shortest and the longest cell, in characters."""
    if seen & _WIDE:
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
    spaced = np.flatnonzero((kinds & _SPACE) != 0)
    if len(spaced):
        data, offsets = chunk.bytes, chunk.offsets
        stray = np.zeros(len(filled), np.bool_)
        is_space = _KINDS[data] == _SPACE
        stray[spaced] = is_space[offsets[spaced]] | is_space[offsets[spaced + 1] - 1]
        doubled = np.flatnonzero(is_space[1:] & is_space[:-1])
        if len(doubled):
            cells = np.searchsorted(offsets, doubled, "right") - 1
            # Both of one cell.
            within = doubled + 1 < offsets[cells + 1]
            stray[cells[within]] = True
        tally.mark("stray spaces", np.flatnonzero(stray & filled) + start)
    if seen & _WIDE:
        wide = np.flatnonzero((kinds & _WIDE) != 0)
        data = chunk.bytes
        lead = np.isin(data, np.array([0xC2, 0xE2, 0xE3, 0xEF], np.uint8))
        if lead.any():
            import pyarrow as pa

            texts = taken(pa.chunked_array([chunk.array]), wide).to_pylist()
            known: dict[str, bool] = {}
            hits = []
            for place, text in zip(wide.tolist(), texts, strict=True):
                if text not in known:
                    known[text] = any(mark in text for mark in _INVISIBLE)
                if known[text]:
                    hits.append(place + start)
            tally.mark("no-break spaces", np.array(hits, np.int64))


def _look_for_numbers(
    chunk: Chunk,
    kinds: npt.NDArray[np.uint8],
    lengths: npt.NDArray[Any],
    first: npt.NDArray[np.uint8],
    start: int,
    tally: _Tally,
) -> Mask:
    """Take note of the numbers of a chunk, and return which cells are numbers."""
    counts = tally.counts
    is_number = np.zeros(len(kinds), np.bool_)
    digits_only = (kinds & ~np.uint8(_ZERO | _DIGIT)) == 0
    digits_only &= kinds != 0
    long = digits_only & (lengths > _KEPT_DIGITS)
    tally.mark("long numbers", np.flatnonzero(long) + start)
    padded = digits_only & (first == ord("0")) & (lengths > 1)
    counts["zeros"] += int(np.count_nonzero(padded))
    huge = digits_only & (lengths > 18)
    if int(np.count_nonzero(huge)) > _FEW_LONG:
        # Too many to be read one by one, and codes rather than numbers.
        is_zero = huge & ((kinds & _DIGIT) == 0)
        counts["huge"] += int(np.count_nonzero(huge))
        counts["numbers"] += int(np.count_nonzero(huge))
        counts["zero"] += int(np.count_nonzero(is_zero))
        counts["positive"] += int(np.count_nonzero(huge & ~is_zero))
        is_number |= huge
        if huge.all():
            return is_number
        kept = ~huge
        rest = _chunk_of_kept(chunk, kept)
        at = np.flatnonzero(kept)
    else:
        rest, at = chunk, None
    numbers = chunk_numbers(rest)
    places = numbers.places if at is None else at[numbers.places]
    known = kinds[places] != 0  # Words for nothing may be numbers too.
    values, places = numbers.values[known], places[known]
    if len(values):
        tally.numbers.append((values, numbers.scale))
        counts["numbers"] += len(values)
        counts["negative"] += int(np.count_nonzero(values < 0))
        counts["zero"] += int(np.count_nonzero(values == 0))
        counts["positive"] += int(np.count_nonzero(values > 0))
        is_number[places] = True
    return is_number


def _chunk_of_kept(chunk: Chunk, kept: Mask) -> Chunk:
    import pyarrow as pa

    column = filtered(pa.chunked_array([chunk.array]), kept)
    return next(iter(text_chunks(column)))


def _settle_numbers(facts: FieldFacts, tally: _Tally) -> None:
    counts = tally.counts
    facts.numbers = counts["numbers"]
    facts.negative, facts.zero = counts["negative"], counts["zero"]
    facts.positive = counts["positive"]
    facts.not_a_number = facts.filled - facts.numbers
    facts.leading_zeros = counts["zeros"]
    facts.longest = tally.longest
    facts.lengths = (min(tally.shortest, tally.longest), tally.longest)


def _settle_marks(facts: FieldFacts, tally: _Tally, origin: Origin) -> None:
    for kind, name in (
        ("stray spaces", "stray_spaces"),
        ("no-break spaces", "no_break_spaces"),
        ("formula-like", "formula_like"),
        ("long numbers", "long_numbers"),
    ):
        places = tally.marked(kind)
        setattr(facts, name, len(places))
        if len(places):
            facts.found[kind] = origin.pick(places)
    cased = tally.cased
    odd = cased["upper"] + cased["lower"]
    if odd and odd <= _ODD_SHARE * (odd + cased["both"]):
        places = np.sort(np.concatenate([tally.marked("upper"), tally.marked("lower")]))
        facts.odd_case = len(places)
        facts.found["mixed case"] = origin.pick(places)


def _settle_kind(facts: FieldFacts, tally: _Tally, origin: Origin) -> None:
    counts, dates = tally.counts, tally.dates
    most = _MOST * facts.filled
    if dates.count > most:
        facts.kind, facts.dates = "date", dates
        facts.least, facts.greatest = dates.least, dates.greatest
        places = np.concatenate(dates.two_ways_at or [np.zeros(0, np.int64)])
        facts.found["dates"] = origin.pick(places)
        return
    if facts.numbers <= most:
        facts.kind = "text"
        return
    long = facts.long_numbers > most
    if facts.leading_zeros or long or counts["huge"]:
        facts.kind = "code"
    else:
        is_whole = not any(scale for _, scale in tally.numbers)
        facts.kind = "whole number" if is_whole else "number"
    if facts.kind != "code":
        scale = max(each for _, each in tally.numbers)
        total = 0
        least = greatest = None
        for values, own in tally.numbers:
            power = 10 ** (scale - own)
            total += sum_of(values) * power
            low, high = int(values.min()) * power, int(values.max()) * power
            least = low if least is None else min(least, low)
            greatest = high if greatest is None else max(greatest, high)
        assert least is not None and greatest is not None
        facts.least = plain_text(exact(least, scale))
        facts.greatest = plain_text(exact(greatest, scale))
        facts.sum = plain_text(exact(total, scale))


def _settle_values(
    facts: FieldFacts,
    tally: _Tally,
    column: Column,
    blank: Mask,
    origin: Origin,
) -> None:
    prints, folded = tally.prints, tally.folded
    if facts.blank:
        prints, folded = prints[~blank], folded[~blank]
    ordered = np.sort(prints)
    is_start = np.ones(len(ordered), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=is_start[1:])
    starts = np.flatnonzero(is_start)
    facts.distinct = len(starts)
    if facts.distinct < facts.filled:
        counts = np.diff(starts, append=len(ordered))
        top = np.argsort(-counts, kind="stable")[:_COMMONEST]
        facts.commonest = _named(
            {
                int(ordered[starts[at]]): int(counts[at])
                for at in top.tolist()
                if counts[at] > 1
            },
            tally.prints,
            column,
            blank,
        )
    if facts.distinct <= _FEW_VALUES:
        every = {int(each): 1 for each in ordered[starts].tolist()}
        named = _named(every, tally.prints, column, blank)
        facts.values = tuple(sorted(value for value, _ in named))
    if tally.has_folded and facts.kind == "text":
        _settle_look_alikes(facts, prints, folded, column, blank, origin)
    if facts.kind in ("number", "whole number") and facts.not_a_number:
        _settle_numbers_with_text(facts, column, blank, origin)


def _named(
    counts: Mapping[int, int], prints: Fingerprints, column: Column, blank: Mask
) -> tuple[tuple[str, int], ...]:
    """Return the values that fingerprints stand for, with their counts."""
    wanted = np.array(list(counts), np.uint64)
    order = np.argsort(wanted)
    ordered = wanted[order]
    found: dict[int, int] = {}
    step = 1 << 16
    for start in range(0, len(prints), step):
        part = prints[start : start + step]
        at = np.minimum(np.searchsorted(ordered, part), len(ordered) - 1)
        hits = np.flatnonzero((ordered[at] == part) & ~blank[start : start + step])
        which, first = np.unique(at[hits], return_index=True)
        for value, place in zip(which.tolist(), hits[first].tolist(), strict=True):
            found.setdefault(int(order[value]), start + place)
        if len(found) == len(wanted):
            break
    places = np.array([found[each] for each in range(len(wanted))], np.int64)
    texts = taken(column, places).to_pylist()
    return tuple(zip(texts, counts.values(), strict=True))


def _settle_look_alikes(
    facts: FieldFacts,
    prints: Fingerprints,
    folded: Fingerprints,
    column: Column,
    blank: Mask,
    origin: Origin,
) -> None:
    """Count the values that are equal when folded and written differently."""
    if facts.distinct > _FEW_WIDE_VALUES and len(np.unique(folded)) == facts.distinct:
        return
    # One cell of each distinct value, in the order they are met.
    _, first = np.unique(prints, return_index=True)
    where = np.flatnonzero(~blank)[np.sort(first)] if facts.blank else np.sort(first)
    if len(where) > _FEW_WIDE_VALUES:
        # Among many, only those whose folded fingerprints agree are looked at.
        mine = folded[np.sort(first)]
        values, counts = np.unique(mine, return_counts=True)
        where = where[np.isin(mine, values[counts > 1])]
    groups: dict[str, list[tuple[str, int]]] = {}
    for text, place in zip(
        taken(column, where).to_pylist(), where.tolist(), strict=True
    ):
        groups.setdefault(letters(text), []).append((text, place))
    several = [each for key, each in groups.items() if len(each) > 1 and key]
    facts.look_alikes = len(several)
    if several:
        facts.look_alike_example = tuple(repr(text)[1:-1] for text, _ in several[0])
        places = np.array([place for each in several for _, place in each], np.int64)
        facts.found["look-alikes"] = origin.pick(np.sort(places))


# Up to this many distinct values are folded in full, accents and all.
_FEW_WIDE_VALUES = 20_000


def _settle_numbers_with_text(
    facts: FieldFacts, column: Column, blank: Mask, origin: Origin
) -> None:
    """Count the cells with digits and text in a field that is of numbers."""
    start = 0
    hits = []
    for chunk in text_chunks(column):
        kinds = kinds_in(chunk, _KINDS)
        mask = ((kinds & (_ZERO | _DIGIT)) != 0) & ~blank[start : start + len(kinds)]
        mask[chunk_numbers(chunk).places] = False
        hits.append(np.flatnonzero(mask) + start)
        start += len(kinds)
    places = np.concatenate(hits)
    facts.numbers_with_text = len(places)
    facts.found["numbers with text"] = origin.pick(places)
