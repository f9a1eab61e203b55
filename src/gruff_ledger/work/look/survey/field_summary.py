"""What can be said of one field: array work on its cells, for `survey`."""

from __future__ import annotations

import msgspec
import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.dates.forms import DateForms
from gruff_ledger.cells.keys.same_key import index_in
from gruff_ledger.cells.match.levels import letters, loose
from gruff_ledger.cells.numbers.plain import chunk_numbers, exact, plain_text, sum_of
from gruff_ledger.cells.text.spaces import without_invisible
from gruff_ledger.cells.text_bytes import DIGIT, kinds_in, text_chunks
from gruff_ledger.columns.arrays import taken
from gruff_ledger.columns.types import Column, Indices, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.table import Origin
from gruff_ledger.work.look.survey.tally import (
    ChunkCells,
    Tally,
    cells_of_chunk,
    folded_prints,
    look_at_chunk,
)

# Values that are named: the commonest, and all of a field that has few.
_COMMONEST = 5
_FEW_VALUES = 40

# A field is of a kind if this share of its filled cells are.
_MOST = 0.5

# So many ways of writing are shown with a kind.
_SHOWN_FORMS = 2

# Cells in another letter case are odd while they are no more than this share.
_ODD_SHARE = 0.2

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
    errors : int
        Cells that hold an error of a workbook, such as ``#N/A``.
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
    written : tuple of str
        Examples of the ways in which numbers or dates are written, that of most first,
        where these are not plain.
    in_doubt : int
        Cells that could be two numbers; `doubt_words` says so, and `doubt_example`
        shows one of the two ways.
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
    errors: int = 0
    odd_case: int = 0
    unseen: int = 0
    leading_zeros: int = 0
    dates: DateForms | None = None
    commonest: tuple[tuple[str, int], ...] = ()
    values: tuple[str, ...] = ()
    lengths: tuple[int, int] = (0, 0)
    written: tuple[str, ...] = ()
    in_doubt: int = 0
    doubt_words: str = ""
    doubt_example: str = ""
    found: dict[str, Origin] = msgspec.field(default_factory=dict)

    @property
    def kind_words(self) -> str:
        """The kind, and how it is written where that is not plain."""
        if self.in_doubt:
            return "number in doubt"
        if self.written:
            more = len(self.written) - _SHOWN_FORMS
            told = " / ".join(self.written[:_SHOWN_FORMS])
            return f"{self.kind} {told}{f' and {more} more' if more > 0 else ''}"
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
    cells = cells_of_chunk(column, blank)
    facts.distinct = len(cells.counts)
    tally = Tally()
    start = 0
    for chunk in text_chunks(cells.column):
        look_at_chunk(chunk, cells, start, tally)
        start += len(chunk.array)
    _settle_numbers(facts, tally)
    _settle_marks(facts, tally, cells, origin)
    _settle_kind(facts, tally, cells, origin)
    _settle_values(facts, tally, cells, column, origin)
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


def _settle_numbers(facts: FieldFacts, tally: Tally) -> None:
    counts = tally.counts
    facts.numbers = counts["numbers"]
    facts.negative, facts.zero = counts["negative"], counts["zero"]
    facts.positive = counts["positive"]
    facts.not_a_number = facts.filled - facts.numbers
    facts.leading_zeros = counts["zeros"]
    facts.longest = tally.longest
    facts.lengths = (min(tally.shortest, tally.longest), tally.longest)


def _settle_marks(
    facts: FieldFacts, tally: Tally, cells: ChunkCells, origin: Origin
) -> None:
    for kind, name in (
        ("stray spaces", "stray_spaces"),
        ("no-break spaces", "no_break_spaces"),
        ("formula-like", "formula_like"),
        ("long numbers", "long_numbers"),
        ("workbook errors", "errors"),
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
    facts: FieldFacts, tally: Tally, cells: ChunkCells, origin: Origin
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
    facts: FieldFacts,
    tally: Tally,
    cells: ChunkCells,
    column: Column,
    origin: Origin,
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
        errors = cells.places(tally.marked("workbook errors"))
        _settle_numbers_with_text(facts, cells, errors, origin)


def _most_common(cells: ChunkCells) -> Indices:
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
    facts: FieldFacts, cells: ChunkCells, column: Column, origin: Origin
) -> None:
    """Count the values that are equal when folded and written differently."""
    firsts = cells.firsts
    if facts.distinct > _FEW_WIDE_VALUES:
        parts = [folded_prints(chunk) for chunk in text_chunks(cells.column)]
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
_AMOUNT = late_pattern(
    r"[-+(\u2212]?[\d\s]*[.,'’][\d.,'’\s]*[-)%]?|[-+(\u2212][\d\s]+\)?"
)


def _spelling_key(text: str) -> str:
    """Return what is equal for two ways of writing one value."""
    bare = loose(text)
    return bare if _AMOUNT.fullmatch(bare) else letters(text)


def _settle_numbers_with_text(
    facts: FieldFacts, cells: ChunkCells, errors: Indices, origin: Origin
) -> None:
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
    # One error has a figure in it.
    places = places[~np.isin(places, errors)]
    facts.numbers_with_text = len(places)
    facts.found["numbers with text"] = origin.pick(places)
