"""How rows and columns of totals are known: by their words, and by their sums."""

from __future__ import annotations

import re

from gruff_ledger.cells.blank import end_of_filled, is_blank
from gruff_ledger.cells.match.levels import loose
from gruff_ledger.cells.numbers.plain import exact_sum, number_of
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.table import Table

# Words that stand before totals, folded loosely, in the languages lists often come in.
_TOTAL_WORDS = (
    "total",
    "totals",
    "grand total",
    "subtotal",
    "sub total",
    "sub-total",
    "sum",
    "summe",
    "gesamt",
    "gesamtsumme",
    "zwischensumme",
    "insgesamt",
    "somme",
    "total général",
    "totale",
    "somma",
    "suma",
    "total general",
    "soma",
    "totaal",
    "som",
    "razem",
    "summa",
    "celkem",
    "összesen",
    "итого",
    "всего",
    "合計",
    "合计",
    "총계",
)
_LONGEST_FIRST = sorted(_TOTAL_WORDS, key=len, reverse=True)
_TOTAL_START = late_pattern(rf"(?:{'|'.join(map(re.escape, _LONGEST_FIRST))})\b")

# Finds cells that may be such a word, quickly; `is_total_word` decides.
TOTAL_PATTERN = rf"(?i)^\s*(?:{'|'.join(_LONGEST_FIRST)})[\s:.]*$"

_LONGEST_LABEL = 40

# How far above the end of a list notes below it are looked for.
_NOTES_WITHIN = 20

# How many records above the last are looked at for its word.
_MOST_ABOVE = 1000


def is_total_word(text: str) -> bool:
    """
    Whether a label is a word for a total, whatever its case.

    Examples
    --------
    >>> is_total_word(" TOTAL:"), is_total_word("Total length")
    (True, False)
    """
    return loose(text).rstrip(":. ") in _TOTAL_WORDS


def begins_as_total(text: str) -> bool:
    """Whether a short label begins with such a word, as in ``Total for May``."""
    label = loose(text).rstrip(":. ")
    return _TOTAL_START.match(label) is not None and len(label) < _LONGEST_LABEL


def totals_place(table: Table) -> int | None:
    """
    Return the index of a last record that holds totals, by its words or its sums.

    A word counts wherever it stands in the record; where other words stand before it,
    only if the field has no such word in the records above. Notes below a blank record
    at the end are looked at too.
    """
    end = end_of_records(table)
    below = table.records(end)
    for place in range(len(below) - 1, -1, -1):
        if _has_total_word(table, end, below[place]):
            return end + place
    end = end_of_filled(table.all_cells, end)
    if end < 2:
        return None
    record = table.records(end - 1, end)[0]
    if _has_total_word(table, end - 1, record) or _are_sums(table, end, record):
        return end - 1
    return None


def is_total_record(record: tuple[str, ...]) -> bool:
    """
    Whether a record is one of totals by its words alone.

    Its first filled cell is such a word, or begins as one and all others are numbers;
    or one is, and no other holds a letter.
    """
    texts = [cell for cell in record if not is_blank(cell)]
    if len(texts) < 2:
        return False
    rest = texts[1:]
    if is_total_word(texts[0]):
        return True
    if begins_as_total(texts[0]) and all(number_of(text) is not None for text in rest):
        return True
    words = [text for text in texts if is_total_word(text)]
    others = "".join(text for text in texts if not is_total_word(text))
    return bool(words) and others != "" and not any(map(str.isalpha, others))


def _has_total_word(table: Table, end: int, record: tuple[str, ...]) -> bool:
    if is_total_record(record):
        return True
    filled = sum(not is_blank(cell) for cell in record)
    numbers = any(number_of(cell) is not None for cell in record)
    if filled < 3 or not numbers or end < 2:
        return False
    for place, cell in enumerate(record):
        if is_total_word(cell):
            column = table.all_cells[place].slice(
                max(0, end - _MOST_ABOVE), _MOST_ABOVE
            )
            above = column.slice(0, min(end, _MOST_ABOVE)).to_pylist()
            return not any(is_total_word(each) for each in set(above))
    return False


def end_of_records(table: Table) -> int:
    """Return where the notes below a list begin; its length if there are none."""
    width = len(table.headings)
    start = max(0, len(table) - _NOTES_WITHIN)
    filled = [
        sum(not is_blank(cell) for cell in record) for record in table.records(start)
    ]
    if width < 3 or 0 not in filled:
        return len(table)
    blank = len(filled) - 1 - filled[::-1].index(0)
    below = filled[blank + 1 :]
    if below and max(below) * 3 <= width and start + blank > 0:
        return start + blank + 1
    return len(table)


def _are_sums(table: Table, end: int, record: tuple[str, ...]) -> bool:
    """Whether a record without its key holds the sums of what stands above it."""
    numbers = {
        place: number
        for place, cell in enumerate(record)
        if (number := number_of(cell)) is not None
    }
    filled = sum(not is_blank(cell) for cell in record)
    # One figure alone, or a record as full as the others, is more likely a record.
    if end < 4 or not is_blank(record[0]) or not numbers or filled != len(numbers):
        return False
    above = table.cut_records(0, end - 1)
    return all(
        number != 0 and exact_sum(above.cells(table.headings[place])) == number
        for place, number in numbers.items()
    )
