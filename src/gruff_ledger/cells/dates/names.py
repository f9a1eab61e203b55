"""Names of months and days in the languages that lists come in.

Names are those of the Unicode CLDR, in full and short, by Babel; a name may also be cut
to any length that still tells the month from all others, as in ``Sept``, and be written
without its accents and its point.
"""

from __future__ import annotations

import functools
import unicodedata

LANGUAGES = ("en", "de", "fr", "es", "it", "nl")

# How names begin, without accents: most words are told by it without the library.
_BEGINNINGS = frozenset(
    (
        *("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov"),
        *("dec", "mai", "mae", "mrz", "okt", "dez", "fev", "avr", "jui", "aou", "ene"),
        *("abr", "ago", "dic", "gen", "mag", "giu", "lug", "set", "ott", "maa", "mrt"),
        *("mei", "jar"),
    )
)

# What people write that CLDR does not have.
_ALSO = {"mrz": 3, "sept": 9, "okt": 10, "dez": 12}
_LEAST_LETTERS = 3


def month_of(name: str) -> int | None:
    """
    Return the month that a name stands for, 1 to 12; None for no name of a month.

    Examples
    --------
    >>> month_of("Dez."), month_of("AOÛT"), month_of("Mai"), month_of("Quay")
    (12, 8, 5, None)
    """
    folded = fold_name(name)
    return _months().get(folded) if folded[:3] in _BEGINNINGS else None


def weekday_of(name: str) -> int | None:
    """Return the day of the week that a name stands for, from 0 for Monday."""
    return _days().get(fold_name(name))


def fold_name(name: str) -> str:
    """Return a name without case, accents and point."""
    parted = unicodedata.normalize("NFKD", name.casefold())
    return "".join(mark for mark in parted if mark.isalpha())


@functools.cache
def _months() -> dict[str, int]:
    from babel import Locale

    whole: dict[str, set[int]] = {}
    short: dict[str, set[int]] = {name: {month} for name, month in _ALSO.items()}
    for language in LANGUAGES:
        months = Locale.parse(language).months
        for use in ("format", "stand-alone"):
            for number, name in months[use]["abbreviated"].items():
                short.setdefault(fold_name(name), set()).add(number)
            for number, name in months[use]["wide"].items():
                folded = fold_name(name)
                for end in range(_LEAST_LETTERS, len(folded) + 1):
                    whole.setdefault(folded[:end], set()).add(number)
    # A short name of one language may be the beginning of another month elsewhere.
    every = {**whole, **short}
    return {
        name: next(iter(numbers))
        for name, numbers in every.items()
        if len(numbers | whole.get(name, set())) == 1
    }


@functools.cache
def _days() -> dict[str, int]:
    from babel import Locale

    names: dict[str, int] = {}
    for language in LANGUAGES:
        days = Locale.parse(language).days
        for use in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for number, name in days[use][width].items():
                    names.setdefault(fold_name(name), number)
    return names
