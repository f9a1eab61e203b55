"""How fields are named by a person: lists of headings, and finding the one meant."""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms, UnknownField, nearest_or_all
from gruff_ledger.words import first_few

if TYPE_CHECKING:
    # Commands are made from names alone; lists are looked at when there are some.
    from gruff_ledger.outcome import Note
    from gruff_ledger.table import Table


def parse_names(text: str) -> tuple[str, ...]:
    """
    Split a list of names written ``boat, "berth, old", class``.

    A name with a comma or a quote in it stands in double quotes, and a double quote
    inside is doubled, as in formulas (ISO/IEC 9075, delimited identifier).

    Raises
    ------
    BadTerms
        If a quote is not closed, or a name is blank.

    Examples
    --------
    >>> parse_names('boat, "berth, old" ,class')
    ('boat', 'berth, old', 'class')
    """
    names: list[str] = []
    rest = text.strip()
    while True:
        name, rest = _first_name(rest, text)
        names.append(name)
        if not rest:
            return tuple(names)
        rest = rest[1:].strip()


def first_repeated(names: Iterable[str]) -> str | None:
    """
    Return the first name that was there before; None if there is none.

    Examples
    --------
    >>> first_repeated(["boat", "berth", "boat"])
    'boat'
    """
    seen: set[str] = set()
    for name in names:
        if name in seen:
            return name
        seen.add(name)
    return None


def parse_items(text: str) -> tuple[str, ...]:
    """
    Split a list at its commas outside double quotes, and leave the quotes.

    Raises
    ------
    BadTerms
        If a quote is not closed, or an item is blank.

    Examples
    --------
    >>> parse_items('boat AS LOOSE, "berth, old"')
    ('boat AS LOOSE', '"berth, old"')
    """
    if text.count('"') % 2:
        raise BadTerms(
            f"a double quote is opened and not closed in {text!r}.",
            "Close it, or double a quote that belongs to the name.",
        )
    items = [part.strip() for part in _OUTSIDE_COMMA.split(text)]
    if not all(items):
        raise BadTerms(
            f"a name is missing in {text!r}.",
            "Write the names separated by single commas.",
        )
    return tuple(items)


def parse_pair(text: str) -> tuple[str, str]:
    """
    Split ``Boat=Vessel AS LOOSE`` at its equals sign outside double quotes.

    Returns
    -------
    tuple of str
        The name before, and all that follows as it is written. Without an equals
        sign the text twice.

    Raises
    ------
    BadTerms
        If a side is missing.

    Examples
    --------
    >>> parse_pair('"a=b"=Vessel AS LOOSE')
    ('a=b', 'Vessel AS LOOSE')
    """
    quoted = False
    for place, mark in enumerate(text):
        quoted ^= mark == '"'
        if mark == "=" and not quoted:
            names = parse_names(text[:place]) if text[:place].strip() else ()
            rest = text[place + 1 :].strip()
            if len(names) == 1 and rest:
                return names[0], rest
            raise BadTerms(
                f"'{text}' is not a pair of names.",
                "Write it as in Boat=Vessel; a name with a comma or an equals sign "
                "goes in double quotes.",
            )
    return text, text


def parse_pairs(text: str, *, of_names: bool) -> tuple[tuple[str, str], ...]:
    """
    Split ``Item=Thing, Price=Cost`` at its commas, and each pair at its equals sign.

    Parameters
    ----------
    text : str
    of_names : bool
        Whether a name follows each equals sign; else a text, in which a comma can
        stand, unless all that follows are pairs too.

    Returns
    -------
    tuple of (name, name or text)

    Raises
    ------
    BadTerms
        If there is no pair, or a side of one is missing.

    Examples
    --------
    >>> parse_pairs("Item=Thing, Price=Cost", of_names=True)
    (('Item', 'Thing'), ('Price', 'Cost'))
    >>> parse_pairs("Place=Ely, Cambs", of_names=False)
    (('Place', 'Ely, Cambs'),)
    """
    parts = _OUTSIDE_COMMA.split(text) if text.count('"') % 2 == 0 else [text]
    if not of_names and not all(_OUTSIDE_EQUALS.search(part) for part in parts):
        parts = [text]
    pairs = []
    for part in parts:
        equals = _OUTSIDE_EQUALS.search(part)
        names = parse_names(part[: equals.end() - 1]) if equals else ()
        rest = part[equals.end() :].strip() if equals else ""
        if len(names) != 1 or not rest:
            raise BadTerms(
                f"'{part.strip()}' is not of the form NAME=NAME."
                if of_names
                else f"'{part.strip()}' is not of the form NAME=TEXT.",
                "Write pairs as in Boat=Vessel, Berth=Place; a name with a comma or an "
                "equals sign goes in double quotes.",
            )
        if of_names or rest.startswith('"'):
            # A text in quotes can hold what would part pairs.
            told = parse_names(rest)
            rest = told[0] if len(told) == 1 else rest
        pairs.append((names[0], rest))
    return tuple(pairs)


# What stands outside where the quotes after it come in pairs.
_OUTSIDE_COMMA = late_pattern(r',(?=(?:[^"]*"[^"]*")*[^"]*$)')
# The first equals sign outside quotes ends this.
_OUTSIDE_EQUALS = late_pattern(r'^(?:[^"=]|"[^"]*")*=')


def _first_name(rest: str, whole: str) -> tuple[str, str]:
    """Return the first name and what follows it: nothing, or a comma and more."""
    if rest.startswith('"'):
        end = 1
        while (end := rest.find('"', end)) >= 0 and rest[end + 1 : end + 2] == '"':
            end += 2
        if end < 0:
            raise BadTerms(
                f"a double quote is opened and not closed in {whole!r}.",
                "Close it, or double a quote that belongs to the name.",
            )
        name, after = rest[1:end].replace('""', '"'), rest[end + 1 :].lstrip()
        if after and not after.startswith(","):
            raise BadTerms(
                f"after the name {name!r} a comma should follow in {whole!r}.",
                "Separate names by commas.",
            )
        return name, after
    name, comma, after = rest.partition(",")
    if not name.strip():
        raise BadTerms(
            f"a name is missing in {whole!r}.",
            "Write the names separated by single commas.",
        )
    return name.strip(), comma + after


def format_names(names: Iterable[str]) -> str:
    """Write names so that `parse_names` reads them back."""
    return ", ".join(
        '"' + name.replace('"', '""') + '"'
        if any(mark in name for mark in ',"=') or name != name.strip() or not name
        else name
        for name in names
    )


def first_names(names: Sequence[str], most: int) -> str:
    """Name the first few fields or values of many, and say how many more there are."""
    return first_few([format_names([name]) for name in names], most)


def find_field(table: Table, name: str, term: str) -> tuple[str, tuple[Note, ...]]:
    """
    Return the heading that `name` means: as written, else by one loose match.

    Parameters
    ----------
    table : Table
    name : str
        A heading as the person wrote it.
    term : str
        The term that named it, for the messages.

    Returns
    -------
    heading : str
    notes : tuple of Note
        Says so when the heading is not the name as it was written.

    Raises
    ------
    UnknownField
        If no heading matches, or more than one loosely.
    """
    if name in table.headings:
        return name, ()
    from gruff_ledger.cells.match.levels import loose
    from gruff_ledger.outcome import Note

    alike = [heading for heading in table.headings if loose(heading) == loose(name)]
    if len(alike) == 1:
        taken = f"{table.name}: no field is headed '{name}'; '{alike[0]}' was taken."
        return alike[0], (Note(taken, f"Write it so in `{term}`."),)
    if alike:
        written = " and ".join(f"'{heading}'" for heading in alike)
        raise UnknownField(
            f"{table.name} has no field '{name}' as written, and {written} are both "
            "like it.",
            f"Write the heading exactly in `{term}`.",
        )
    raise UnknownField(
        f"{table.name} has no field '{name}'.",
        nearest_or_all(name, table.headings, "fields"),
    )


def expand_names(headings: Sequence[str], names: Sequence[str]) -> tuple[str, ...]:
    """
    Write out names that stand for several fields of a list.

    ``1962 … 2020`` (or with three points) are the fields from one to the other, either
    way, and without an end all up to it; in ``Week *`` and ``Q?`` an
    asterisk stands for any characters, a question mark for one. A heading that is so
    written is itself; a name that stands for none is left for the search to refuse.

    Examples
    --------
    >>> expand_names(("Town", "2019", "2020", "2021"), ("Town", "2019 … 2020"))
    ('Town', '2019', '2020')
    """
    found: list[str] = []
    for name in names:
        several = _several(headings, name)
        if several is None:
            found.append(name)
        else:
            found += [each for each in several if each not in found]
    return tuple(found)


def _several(headings: Sequence[str], name: str) -> list[str] | None:
    """Return the headings that a name stands for; None if it is one name."""
    if name in headings:
        return None
    parts = _RANGE.fullmatch(name)
    if parts is not None and (parts[1] or parts[2]):
        places = [
            _loose_place(headings, part) if part else -1 for part in parts.groups()
        ]
        if None in places:
            return None
        first, last = places
        assert first is not None and last is not None
        end = len(headings) - 1 if last < 0 else last
        if end < first:
            # From right to left, in that order.
            return list(headings[end : first + 1])[::-1]
        return list(headings[max(first, 0) : end + 1])
    if "*" in name or "?" in name:
        wanted = name.casefold().replace("[", "[[]")
        matching = [
            heading
            for heading in headings
            if fnmatch.fnmatchcase(heading.casefold(), wanted)
        ]
        return matching or None
    return None


_RANGE = late_pattern(r"\s*(.*?)\s*(?:…|\.\.\.)\s*(.*?)\s*", re.DOTALL)


def _loose_place(headings: Sequence[str], name: str) -> int | None:
    """Return where a heading stands: as written, else by one loose match."""
    from gruff_ledger.cells.match.levels import loose

    if name in headings:
        return headings.index(name)
    alike = [at for at, each in enumerate(headings) if loose(each) == loose(name)]
    return alike[0] if len(alike) == 1 else None


def find_fields(
    table: Table, names: Sequence[str], term: str
) -> tuple[tuple[str, ...], tuple[Note, ...]]:
    """
    Find several fields, as `find_field` does; a field named twice is refused.

    Names can stand for several fields; see `expand_names`.
    """
    found: list[str] = []
    notes: list[Note] = []
    for name in expand_names(table.headings, names):
        heading, said = find_field(table, name, term)
        if heading in found:
            raise BadTerms(
                f"the field '{heading}' is named twice.", "Name it once.", term=term
            )
        found.append(heading)
        notes.extend(said)
    return tuple(found), tuple(notes)


def take_aliases(
    headings: Sequence[str],
    aliases: Mapping[str, str],
    fold: Callable[[str], str | None],
) -> dict[str, str]:
    """
    Return the headings of a list that an alias means, and what each stands for.

    Parameters
    ----------
    headings : sequence of str
    aliases : mapping
        From a heading as some list has it to the one it stands for.
    fold : callable
        Headings with the same result are alike; one that is the same to the character
        is taken before one that is alike.
    """
    found = {each: aliases[each] for each in headings if each in aliases}
    for written, meant in aliases.items():
        if written in headings:
            continue
        alike = [each for each in headings if fold(each) == fold(written)]
        # What stands for nothing else already.
        found.update({each: meant for each in alike[:1] if each not in found})
    return found


def free_heading(heading: str, taken: Iterable[str]) -> str:
    """
    Return a heading that is not there yet: as it is, or with a number.

    Examples
    --------
    >>> free_heading("group", ["boat", "group"])
    'group (2)'
    """
    known = set(taken)
    found, number = heading, 1
    while found in known:
        number += 1
        found = f"{heading} ({number})"
    return found


def make_headings(written: Sequence[str]) -> tuple[tuple[str, ...], dict[int, str]]:
    """
    Give blank and repeated headings a name of their own.

    Returns
    -------
    headings : tuple of str, distinct and not blank
    made : dict
        From the position of each heading that was made up to the heading as written.

    Examples
    --------
    >>> make_headings(["boat", "", "boat"])
    (('boat', 'field 2', 'boat (2)'), {1: '', 2: 'boat'})
    """
    from gruff_ledger.cells.blank import is_blank

    taken = set(written)
    headings: list[str] = []
    made: dict[int, str] = {}
    seen: set[str] = set()
    # Where counting goes on, so that a hundred thousand of one name take no hours.
    counts: dict[str, int] = {}
    for place, heading in enumerate(written):
        blank = is_blank(heading)
        if not blank and heading not in seen:
            seen.add(heading)
            headings.append(heading)
            continue
        made[place] = heading
        stem = f"field {place + 1}" if blank else heading
        name = stem if blank else f"{stem} (2)"
        count = counts.get(stem, 2)
        if stem in counts:
            name = f"{stem} ({count})"
        while name in taken:
            count += 1
            name = f"{stem} ({count})"
        counts[stem] = count
        taken.add(name)
        headings.append(name)
    return tuple(headings), made
