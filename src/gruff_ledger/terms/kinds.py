"""The kinds of values that terms take: each is one object that knows all about it.

A value is written in three ways: in a docket as TOML has it, on a command line as text,
and in an account or an editor's schema as JSON. A kind tells how it is read from each,
what it is called in messages, and what stands for it in the help.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from gruff_ledger.field_names import format_names, parse_items, parse_names
from gruff_ledger.problems import BadTerms, nearest
from gruff_ledger.terms.written import (
    are_texts,
    field_in_order,
    read_inline_table,
    shown,
)

# The greatest whole number of a term, and with a minus the least.
MOST_WHOLE = 10**18 - 1

# Python reads whole numbers of no more than 4,300 digits.
_MOST_CHARACTERS = 4000

TEXTS = {"type": "string"}
TEXT_LIST = {"type": ["array", "string"], "items": TEXTS}


# No cell is as wide.
_WIDEST = 1_000_000


class Kind:
    """
    A kind of value; this one is text.

    Attributes
    ----------
    words : str
        What is meant, for messages.
    placeholder : str
        What stands for the value in the help of a command.
    example : str
        How its option is written, with a place for the name; empty where that is plain.
    is_repeated : bool
        Whether its option may be given several times.
    is_flag : bool
        Whether its option takes no value.
    has_members : bool
        Whether limits on its length count members, and not characters.
    names : str
        What the value names outside of the terms: ``list``, ``file``, ``new file``
        (which need not be there yet); empty for nothing.
    choices : tuple of str
        The values there are, where they are few.
    """

    words = "text in quotes"
    placeholder = "TEXT"
    example = ""
    is_repeated = False
    is_flag = False
    has_members = False
    names = ""
    choices: tuple[str, ...] = ()

    def widened(self, value: Any) -> Any:
        """Return a value of a docket as it is written in full."""
        return value

    def fits(self, value: Any) -> bool:
        """Whether a value, written in full, is of this kind."""
        return isinstance(value, str)

    def misfit(self, value: Any) -> str:
        """Say why a value does not fit."""
        return f"{shown(value)} is not {self.words}."

    def check(self, value: Any) -> None:
        """
        Refuse a value of this kind that means nothing.

        Raises
        ------
        BadTerms
        """

    def settled(self, value: Any) -> Any:
        """Return a value as the terms hold it."""
        return value

    def plain(self, value: Any) -> Any:
        """Return a value of the terms as a docket says it."""
        return value

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return dict(TEXTS)

    def of_option(self, said: Any) -> Any:
        """
        Return what is typed for an option as a docket would say it.

        Parameters
        ----------
        said : str or tuple of str
            The latter where the option may be repeated.

        Raises
        ------
        BadTerms
            If it is not of the form of this kind.
        """
        return said


class Flag(Kind):
    """A yes or no."""

    words = "true or false"
    is_flag = True

    def fits(self, value: Any) -> bool:
        """Whether it is true or false."""
        return isinstance(value, bool)

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": "boolean"}


class Whole(Kind):
    """A whole number."""

    words = "a whole number"
    placeholder = "N"

    def fits(self, value: Any) -> bool:
        """Whether it is a whole number; true and false are none here."""
        return isinstance(value, int) and not isinstance(value, bool)

    def check(self, value: Any) -> None:
        """Refuse what no count of anything reaches."""
        if abs(value) > MOST_WHOLE:
            raise BadTerms(
                "the number is too large.",
                "Give one of at most 18 digits.",
            )

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": "integer"}

    def of_option(self, said: Any) -> Any:
        """Return a number, or the text where it is none."""
        text = said.strip()
        bare = text[1:] if text.startswith(("+", "-")) else text
        if not bare.isdecimal():
            return said
        # Longer ones are not even read: they are too large all the same.
        return int(text) if len(text) <= _MOST_CHARACTERS else MOST_WHOLE + 1


class Choice(Kind):
    """One of the named choices."""

    words = "one of the choices"

    def __init__(self, choices: tuple[str, ...]) -> None:
        self.choices = choices
        self.placeholder = "|".join(choices)

    def check(self, value: Any) -> None:
        """Refuse what is no choice."""
        if value not in self.choices:
            near = nearest(value, self.choices) if isinstance(value, str) else None
            raise BadTerms(
                f"{shown(value)} is not one of: {', '.join(self.choices)}.",
                "" if near is None else f"Did you mean '{near}'?",
            )

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"enum": list(self.choices)}


class OrderText(Kind):
    """Fields to order by; a docket may list them."""

    words = "names of fields to order by"
    placeholder = "FIELD, …"
    is_repeated = True

    def widened(self, value: Any) -> Any:
        """Return an order that is a list as one text."""
        return ", ".join(map(field_in_order, value)) if are_texts(value) else value

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return dict(TEXT_LIST)

    def of_option(self, said: Any) -> Any:
        """Return all fields as one text."""
        return ", ".join(said)


class PlainText(Kind):
    """A number, a date or text, held as the text of a cell."""

    words = "a number, a date or text"
    placeholder = "VALUE"

    def widened(self, value: Any) -> Any:
        """Return a number or date of TOML as the text of a cell."""
        if isinstance(value, datetime.date | datetime.time):
            return value.isoformat()
        if isinstance(value, int | float) and not isinstance(value, bool):
            return str(value)
        return value

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": ["string", "number"]}


class Outside(Kind):
    """Something outside of the terms: a list, or a file that is no list."""

    def __init__(self, names: str, words: str, placeholder: str) -> None:
        self.names, self.words, self.placeholder = names, words, placeholder


class Texts(Kind):
    """Texts, taken as they are."""

    words = "text in quotes, or a list of texts"
    example = " May be repeated."
    is_repeated = True
    has_members = True

    def widened(self, value: Any) -> Any:
        """Return one text as a list of one."""
        return [value] if isinstance(value, str) else value

    def fits(self, value: Any) -> bool:
        """Whether it is a list of texts."""
        return are_texts(value)

    def settled(self, value: Any) -> Any:
        """Return the texts as a tuple."""
        return tuple(value)

    def plain(self, value: Any) -> Any:
        """Return the texts as a list."""
        return list(value)

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return dict(TEXT_LIST)

    def of_option(self, said: Any) -> Any:
        """Return each text that is given."""
        return list(said)


class Names(Texts):
    """Names of fields; a docket may write ``"a, b"``."""

    words = "a list of names"
    placeholder = "FIELD, …"
    example = ""

    # Takes a text apart.
    parse: Callable[[str], Sequence[str]] = staticmethod(parse_names)

    def widened(self, value: Any) -> Any:
        """Return a text with names in it as a list of them."""
        return self.parse(value) if isinstance(value, str) else value

    def of_option(self, said: Any) -> Any:
        """Return all names that are given."""
        return [name for each in said for name in self.parse(each)]


class Items(Names):
    """Names with more to each, as in ``"a AS LOOSE"``."""

    words = "names of fields, each with its words"
    parse = staticmethod(parse_items)


def _is_width(text: str) -> bool:
    is_short = len(text) <= len(str(_WIDEST))
    return is_short and text.isascii() and text.isdigit() and 0 < int(text) < _WIDEST


class Widths(Names):
    """Whole numbers from 1; a docket may write them as numbers."""

    words = "a list of whole numbers from 1"
    placeholder = "N, …"

    def widened(self, value: Any) -> Any:
        """Return numbers as text."""
        if isinstance(value, int) and not isinstance(value, bool):
            value = [value]
        if isinstance(value, str):
            return self.parse(value)
        if isinstance(value, list | tuple):
            return [str(each) if type(each) is int else each for each in value]
        return value

    def fits(self, value: Any) -> bool:
        """Whether each is a number of characters."""
        return are_texts(value) and all(map(_is_width, value))

    def misfit(self, value: Any) -> str:
        """Say which of several is no width."""
        if not are_texts(value):
            return super().misfit(value)
        wrong = next(each for each in value if not _is_width(each))
        return f"'{wrong}' is not a whole number from 1 to {_WIDEST - 1:,}."

    def plain(self, value: Any) -> Any:
        """Return the numbers as such."""
        return [int(each) for each in value]

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        number = {"type": ["integer", "string"], "minimum": 1}
        return {"type": ["array", "string", "integer"], "items": number}


class Pairs(Items):
    """Names, each with another one, as in ``"a=b"``; a docket may write a table."""

    words = "names of fields, or a table with a name for each name"
    placeholder = "FIELD=FIELD, …"

    def widened(self, value: Any) -> Any:
        """Return a table of names as a list of pairs."""
        if isinstance(value, Mapping):
            return [
                f"{format_names([name])}={other}" if isinstance(other, str) else other
                for name, other in value.items()
            ]
        return super().widened(value)

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {
            "type": ["array", "string", "object"],
            "items": TEXTS,
            "additionalProperties": TEXTS,
        }


class Tables(Kind):
    """
    Tables with terms of their own.

    Parameters
    ----------
    read : callable
        Makes terms of one table.
    plainly : callable
        Returns terms as a docket says them.
    schema : callable
        Returns the JSON Schema of one table.
    """

    words = "one or more tables"
    placeholder = "TOML"
    example = " May be repeated."
    is_repeated = True
    has_members = True

    def __init__(
        self,
        read: Callable[[Mapping[str, Any]], Any],
        plainly: Callable[[Any], dict[str, Any]],
        schema: Callable[[], dict[str, Any]],
    ) -> None:
        self._read, self._plainly, self._schema = read, plainly, schema

    def fits(self, value: Any) -> bool:
        """Whether it is a list of tables."""
        return isinstance(value, list | tuple) and all(
            isinstance(each, Mapping) for each in value
        )

    def settled(self, value: Any) -> Any:
        """Return the terms that each table makes; a fault is said with its number."""
        made = []
        for number, table in enumerate(value, 1):
            try:
                made.append(self._read(table))
            except BadTerms as problem:
                inside = f"table {number}, '{problem.term}': {problem.what}"
                raise BadTerms(inside, problem.remedy) from problem
        return tuple(made)

    def plain(self, value: Any) -> Any:
        """Return the tables."""
        return [self._plainly(each) for each in value]

    def schema(self) -> dict[str, Any]:
        """Return the JSON Schema of a value."""
        return {"type": "array", "items": self._schema()}

    def of_option(self, said: Any) -> Any:
        """Return the inline tables that are given."""
        return [read_inline_table(each) for each in said]
