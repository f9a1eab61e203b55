"""How counts, lists of names and text from elsewhere are put into words: once."""

from __future__ import annotations

from collections.abc import Sequence

from gruff_ledger.late_patterns import late_pattern

# Control characters, and those that change the direction of text around them: shown,
# they could move the cursor, colour the screen or disguise what stands there.
_UNSAFE = late_pattern(
    "[\x00-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]"
)

# Spaces that nobody sees, or takes for one.
_HIDDEN_SPACES = late_pattern(r"^[ \u00a0]+|[ \u00a0]+$|[ \u00a0]{2,}|\u00a0")

# Numbers over 9,999 are easier to read with their thousands parted.
_PARTED_FROM = 10_000


def visible(text: str) -> str:
    r"""
    Replace characters that would act on a terminal by a code that can be read.

    Examples
    --------
    >>> print(visible("red\x1b[31m\ttab"))
    red\x1b[31m\ttab
    """
    return _UNSAFE.sub(lambda found: found[0].encode("unicode_escape").decode(), text)


def show_spaces(text: str) -> str:
    """
    Return a text to be seen, with a dot for each space at its ends or beside another.

    Examples
    --------
    >>> show_spaces(" 0007"), show_spaces("South  Quay"), show_spaces("South Quay")
    ('·0007', 'South··Quay', 'South Quay')
    """
    return _HIDDEN_SPACES.sub(lambda found: "·" * len(found[0]), visible(text))


def counted(count: int, one: str, several: str | None = None) -> str:
    """
    Return a number with its noun, or with what is said of one and of several.

    Examples
    --------
    >>> counted(1, "record"), counted(0, "record")
    ('1 record', '0 records')
    >>> counted(3, "cell is", "cells are"), counted(12500, "cell")
    ('3 cells are', '12,500 cells')
    """
    return f"{number_words(count)} {one if count == 1 else several or one + 's'}"


def number_words(count: int) -> str:
    """
    Return a number for a sentence: from 10,000 on, its thousands are parted.

    Examples
    --------
    >>> number_words(9999), number_words(12500)
    ('9999', '12,500')
    """
    return f"{count:,}" if count >= _PARTED_FROM else str(count)


def first_few(
    names: Sequence[str], most: int, *, total: int | None = None, comma: str = ""
) -> str:
    """
    Name the first few of many, and say how many more there are.

    Parameters
    ----------
    names : sequence of str
        As they are to be shown.
    most : int
        How many are named.
    total : int, optional
        How many there are in all, where these are not all.
    comma : str
        What stands before the "and".

    Examples
    --------
    >>> first_few(["Tern", "Auk", "Gull"], 2), first_few(["Tern", "Auk"], 2)
    ('Tern, Auk and 1 more', 'Tern, Auk')
    """
    more = (len(names) if total is None else total) - most
    told = ", ".join(names[:most])
    return f"{told}{comma} and {number_words(more)} more" if more > 0 else told


def listed(names: Sequence[str]) -> str:
    """
    Name all of a few.

    Examples
    --------
    >>> listed(["Tern"]), listed(["Tern", "Auk", "Gull"])
    ('Tern', 'Tern, Auk and Gull')
    """
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"
