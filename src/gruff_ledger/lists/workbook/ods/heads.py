"""What the tags of regular ODS cells and rows say (ISO/IEC 26300-1, 9.1).

A cell that is regular stands for itself and says its type, its value and how it looks;
anything else, such as what spans or repeats it, makes it one for the library.
"""

from __future__ import annotations

from collections.abc import Collection

import msgspec

from gruff_ledger.late_patterns import late_pattern

# What a cell holds; nothing where it is left to the library. The text that a formula
# gave stands in the tag.
LEFT, NUMBER, PERCENT, TEXT, TAG_TEXT, DATE, TRUTH, BLANK = range(8)

_ATTRIBUTE = late_pattern(
    rb' ([a-z]+:[a-z0-9-]+)="((?:[^"<>&\x00-\x1f]|&(?:amp|lt|gt|quot|apos);)*)"'
)
_ATTRIBUTES = late_pattern(
    rb'(?: [a-z]+:[a-z0-9-]+="(?:[^"<>&\x00-\x1f]|&(?:amp|lt|gt|quot|apos);)*")*'
)
_REPEATED = late_pattern(rb"repeated\s*=\s*[\"']\s*(\d+)")

_VALUE_TYPE, _STYLE = b"office:value-type", b"table:style-name"
_OTHER_TYPE = b"calcext:value-type"
_COLUMNS_REPEATED = b"table:number-columns-repeated"

# What a cell of each type says, with the attribute that has its value.
_TYPES = {
    b"float": (NUMBER, b"office:value"),
    b"currency": (NUMBER, b"office:value"),
    b"percentage": (PERCENT, b"office:value"),
    b"string": (TEXT, b""),
    b"date": (DATE, b"office:date-value"),
    b"boolean": (TRUTH, b"office:boolean-value"),
}
_TEXT_IN_TAG = {b"office:string-value"}

# What changes nothing of a value.
_HARMLESS = frozenset(
    {
        *(_STYLE, b"table:content-validation-name", b"table:formula"),
        *(b"office:currency", b"table:protected", b"table:protect"),
    }
)
_OF_BLANKS = frozenset({_STYLE, b"table:content-validation-name", _COLUMNS_REPEATED})

# No cell is repeated more often; see `tab_sizes`.
MOST_REPEATED = 1 << 31


class Padded(msgspec.Struct, frozen=True):
    """
    Formats of numbers that show leading zeros.

    Attributes
    ----------
    styles : collection of str
        The styles that have one.
    by_column : bool
        Whether a cell that names no style can have one by its column.
    """

    styles: Collection[str] = ()
    by_column: bool = False


def cell_kind(said: bytes, padded: Padded) -> int:
    """
    Return what a cell holds by its tag.

    Parameters
    ----------
    said : bytes
        Its attributes, without its value.
    padded : Padded
    """
    found = attributes_in(said)
    kind, value = _TYPES.get(found.get(_VALUE_TYPE, b""), (LEFT, b""))
    names = found.keys() - _HARMLESS - {_VALUE_TYPE, _OTHER_TYPE}
    # Another type beside it says that the cell holds an error.
    is_alike = found.get(_OTHER_TYPE, found.get(_VALUE_TYPE)) == found.get(_VALUE_TYPE)
    if kind == TEXT and names == _TEXT_IN_TAG and is_alike:
        return TAG_TEXT
    if not is_alike or names != ({value} if value else set()):
        return LEFT
    if kind == NUMBER and (_STYLE not in found and padded.by_column):
        return LEFT
    if kind == NUMBER and found.get(_STYLE, b"").decode() in padded.styles:
        return LEFT
    return kind


def blanks(said: bytes) -> int:
    """Return how many blank cells a tag stands for; 0 if it is no such tag."""
    if not said.endswith(b"/"):
        return 0
    found = attributes_in(said[:-1].rstrip(b" "))
    return repeats(said) if found.keys() <= _OF_BLANKS else 0


def is_plain_row(said: bytes) -> bool:
    """Whether the tag of a row says nothing but its style."""
    return not attributes_in(said).keys() - {_STYLE}


def repeats(tag: bytes) -> int:
    """Return how many cells or rows a tag stands for."""
    match = _REPEATED.search(tag)
    return min(int(match[1]), MOST_REPEATED) if match and len(match[1]) < 12 else 1


def attributes_in(said: bytes) -> dict[bytes, bytes]:
    """Return attributes by their names; one named ``?`` where they are not regular."""
    if not _ATTRIBUTES.fullmatch(said):
        return {b"?": b""}
    found = _ATTRIBUTE.findall(said)
    return dict(found) if len(dict(found)) == len(found) else {b"?": b""}
