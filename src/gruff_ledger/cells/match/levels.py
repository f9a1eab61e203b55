"""When two cells match: levels of rising looseness, and folding one text by them."""

from __future__ import annotations

import datetime
import unicodedata
from collections.abc import Callable

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.cells.dates.shapes import UNKNOWN, date_shape
from gruff_ledger.cells.numbers.plain import number_of, plain_text

# Signs beyond ASCII that stay as they are at every level, and a pattern (RE2) of all
# else that is not ASCII.
_LEFT_ALONE = "€£¥¢¤₩₪₫₱₴₹₺₽©®°±×÷"
MAY_FOLD = f"[^\\x{{00}}-\\x{{7f}}{_LEFT_ALONE}]"


def loose(text: str) -> str:
    """
    Fold a text for the match level `loose`.

    Trimmed, inner white space squeezed to one space, case folded, compatibility
    characters unified (Unicode NFKC, Unicode Standard Annex 15).

    Examples
    --------
    >>> loose("  Berth\\u00a0 No ")
    'berth no'
    """
    unified = unicodedata.normalize("NFKC", text).casefold()
    return " ".join(unicodedata.normalize("NFKC", unified).split())


def letters(text: str) -> str:
    """
    Fold a text for the match level `letters`: loose, without punctuation and accents.

    Accents are the combining marks of the canonical decomposition, punctuation is all
    of the Unicode categories P.

    Examples
    --------
    >>> letters("St. Élodie's  BERTH")
    'st elodies berth'
    """
    folded = unicodedata.normalize("NFKD", loose(text))
    kept = (
        mark
        for mark in folded
        if (category := unicodedata.category(mark)) != "Mn" and category[0] != "P"
    )
    return " ".join("".join(kept).split())


def number_key(text: str) -> str | None:
    """
    Fold a text for the match level `number`: equal values have one key.

    Examples
    --------
    >>> number_key("007.50"), number_key("-0"), number_key("A7")
    ('7.5', '0', None)
    """
    number = number_of(text)
    if number is None:
        return None
    bare = plain_text(number)
    bare = bare.rstrip("0").rstrip(".") if "." in bare else bare
    return "0" if bare in ("-0", "0", "") else bare


def date_key(text: str) -> str | None:
    """
    Fold a text for the match level `date`: the same day and time have one key.

    Examples
    --------
    >>> date_key("3 Dec 2026"), date_key("2026-12-03"), date_key("03/04/2026")
    ('2026-12-03', '2026-12-03', None)
    """
    shape = date_shape(text)
    if shape is None or (shape.style.order == UNKNOWN and shape.day != shape.month):
        return None
    day = datetime.datetime(shape.year, shape.month, shape.day)
    moment = day + datetime.timedelta(microseconds=shape.micros)
    return moment.isoformat() if shape.style.has_time else moment.date().isoformat()


# What two cells must have in common to match, in rising order of looseness. A text
# without a key matches nothing.
LEVELS: dict[str, Callable[[str], str | None]] = {
    "exact": lambda text: text,
    "loose": loose,
    "letters": letters,
    "number": number_key,
    "date": date_key,
}


def key_at(level: str, text: str) -> str | None:
    """
    Return what a text has in common with all that match it at a level.

    Parameters
    ----------
    level : str
        One of `LEVELS`.
    text : str

    Returns
    -------
    str or None
        None where nothing can match: a blank text never does.
    """
    key = None if is_blank(text) else LEVELS[level](text)
    return key or None
