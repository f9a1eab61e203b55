"""Which character parts the cells of delimited text, and how its cells are quoted.

A delimiter is known by its rows having the same number of cells, all of them, the
heading row above all: a mark that every record has and the heading has not (the comma
of ``1,5`` below ``Name;Fee``) belongs to the cells.
"""

from __future__ import annotations

import io
import re
from collections import Counter
from collections.abc import Sequence

import msgspec

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.lists.delimited.rows import Quoting, Row, is_all_blank, rows_of

# The delimiters lists are sent with. The comma comes last among those that fit alike:
# it is the one that cells hold most often.
_DELIMITERS = ("\t", "|", ";", ",")

# A list of one field has none; the first of these that it does not hold is then taken,
# which changes nothing.
_ONE_FIELD = (",", "\t", "|", ";")

# A delimiter is believed when at least this share of the rows has the same cells.
_MIN_AGREEMENT = 0.6

# Rows looked at.
_JUDGED_ROWS = 200

# Most rows that are looked at to find the first that fits.
_HEADING_WITHIN_ROWS = 30


class _Judged(msgspec.Struct, frozen=True):
    """
    What speaks for a delimiter.

    Attributes
    ----------
    widths : list of int
        Cells of each row that is not blank.
    usual : int
        The commonest of them.
    first : int
        Index of the first row that has so many.
    is_weak, is_spaced : bool
        Whether it may all be punctuation: a space behind each, or digits around.
    can_be_heading : bool
        Whether the first row that fits can be one of headings.
    """

    delimiter: str
    widths: list[int]
    usual: int
    first: int
    is_weak: bool
    is_spaced: bool
    can_be_heading: bool

    @property
    def agreement(self) -> float:
        return self.widths.count(self.usual) / len(self.widths)


def detect_delimiter(
    text: str, whole: bool, quoting: Quoting = "double", expected: str = ""
) -> str:
    """
    Return the delimiter that the rows of a text bear out best.

    Parameters
    ----------
    text : str
        The first part of the source.
    whole : bool
        Whether that is all of it; otherwise its last row may be cut off.
    quoting : str
    expected : str, optional
        The delimiter that the ending of the file speaks for.

    Notes
    -----
    First counts how many of the rows down to the lowest heading in question do not fit;
    then how many rows fit, then the number of cells. A list of names, one a line
    (``Roe, Ann``), below a heading without a comma is one field.
    """
    judged = [
        each
        for delimiter in _DELIMITERS
        if (each := _judge(text, delimiter, whole, quoting)) is not None
    ]
    if expected and _is_borne_out(text, expected):
        return expected
    if not judged:
        return _ONE_FIELD[0]
    lowest = max(each.first for each in judged)
    best = max(
        judged,
        key=lambda each: (
            -_misfits(each, lowest),
            not each.is_weak,
            each.agreement,
            each.usual,
            -_DELIMITERS.index(each.delimiter),
        ),
    )
    # Punctuation that the first row has not is no delimiter; a title would be followed
    # by a heading, with no space behind each and none that is blank or a number.
    is_title = not best.is_spaced and (best.first > 1 or best.can_be_heading)
    above = best.widths[: best.first]
    if above and all(width == 1 for width in above) and not is_title:
        return _unused(text)
    return best.delimiter


def _is_borne_out(text: str, delimiter: str) -> bool:
    """Whether most lines have a mark, from the first one on that has it."""
    lines = [line for line in text.splitlines() if line.strip() and line[0] != "#"]
    first = next((at for at, line in enumerate(lines) if delimiter in line), None)
    if first is None:
        return False
    rest = lines[first:]
    return sum(delimiter in line for line in rest) * 2 > len(rest)


def _unused(text: str) -> str:
    """Return a delimiter that a text does not hold: it is a list of one field."""
    return next((each for each in _ONE_FIELD if each not in text), "\x1f")


def _misfits(each: _Judged, lowest: int) -> int:
    rows = each.widths[: min(lowest, _HEADING_WITHIN_ROWS) + 1]
    return sum(width != each.usual for width in rows)


def _judge(text: str, delimiter: str, whole: bool, quoting: Quoting) -> _Judged | None:
    if delimiter not in text:
        return None
    rows = filled_rows(text, delimiter, quoting, whole)
    widths = [len(row.cells) for row in rows]
    usual, count = most_common(widths)
    if usual < 2 or count < _MIN_AGREEMENT * len(widths):
        return None
    spaced, is_weak = _as_punctuation(rows, delimiter)
    return _Judged(
        delimiter,
        widths,
        usual,
        widths.index(usual),
        is_weak,
        spaced,
        _can_be_heading(rows[widths.index(usual)].cells),
    )


def _can_be_heading(cells: Sequence[str]) -> bool:
    """Whether no cell of a row is blank, repeated or a number."""
    return len(set(cells)) == len(cells) and not any(
        is_blank(cell) or cell.strip("+- ")[:1].isdigit() for cell in cells
    )


def _as_punctuation(rows: Sequence[Row], delimiter: str) -> tuple[bool, bool]:
    """Whether a space follows each mark; and whether that, or digits around it."""
    if delimiter not in ",;":
        return False, False
    text = "".join(row.text for row in rows)
    marks = text.count(delimiter)
    spaces = len(re.findall(rf"{delimiter} (?![ \"])", text))
    digits = len(re.findall(rf"(?<=\d){delimiter}(?=\d)", text))
    return spaces == marks, spaces + digits == marks


def filled_rows(text: str, delimiter: str, quoting: Quoting, whole: bool) -> list[Row]:
    """Return the first rows that are not blank all over, below comments at the top."""
    above = count_comments(text)
    rows = list(rows_of(text, delimiter, quoting, _JUDGED_ROWS + above, whole))
    judged = rows[above:] or rows
    return [row for row in judged if not is_all_blank(row.cells)]


def count_comments(text: str) -> int:
    """Return how many lines at the top are comments: they begin with ``#``."""
    for number, line in enumerate(io.StringIO(text)):
        if not line.startswith("#"):
            return number
    # A list of nothing but such lines has no comments.
    return 0


def usual_width(text: str, delimiter: str, quoting: Quoting, whole: bool) -> int:
    """Return the number of cells that most rows have."""
    rows = filled_rows(text, delimiter, quoting, whole)
    return most_common([len(row.cells) for row in rows])[0]


def most_common(widths: Sequence[int]) -> tuple[int, int]:
    """Return the commonest width and its count; the greatest among equals."""
    counts = Counter(widths).items()
    return max(counts, key=lambda each: (each[1], each[0]), default=(0, 0))


def detect_quoting(text: str, whole: bool, delimiter: str) -> Quoting:
    """
    Tell how cells are quoted: doubled, by backslashes, or behind a space.

    Another way than doubling is taken where it leaves no odd cell and doubling does; or
    where cells of as many rows or more fit.
    """
    if '"' not in text:
        return "double"
    doubled = filled_rows(text, delimiter, "double", whole)
    if '\\"' in text:
        escaped = filled_rows(text, delimiter, "backslash", whole)
        if _trouble(escaped) < _trouble(doubled):
            return "backslash"
    if re.search(r'[ \t]"|"[ \t]', text):
        spaced = filled_rows(text, delimiter, "spaced", whole)
        # Less trouble, or else more rows that fit.
        rank = (-_trouble(spaced), _fitting(spaced))
        if not _trouble(spaced) and rank > (-_trouble(doubled), _fitting(doubled)):
            return "spaced"
    return "double"


def _trouble(rows: Sequence[Row]) -> int:
    return sum(bool(row.odd) or row.is_open for row in rows)


def _fitting(rows: Sequence[Row]) -> float:
    """Return the share of rows that have the usual number of cells."""
    widths = [len(row.cells) for row in rows]
    return most_common(widths)[1] / max(len(widths), 1)
