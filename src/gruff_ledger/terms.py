"""Terms: the options of a verb, declared once.

A verb's terms are an immutable record type: a subclass of `Terms` whose fields carry a
type, a default and a description. From that one declaration come the command's options,
the docket's keys, their checking, their help and the docket's JSON Schema. `describe`
reads a declaration, `read` makes terms of what a docket says, `json_schema` documents
it; the commands are made in `cli.options`.

A term has one of these kinds, by its type:

=====================================  =========================================
``bool``                               a yes or no
``int``, ``int | None``                a whole number
``str``, ``str | None``                text
``Literal["a", "b"]``                  one of the named choices
``tuple[str, ...]``                    names; a docket may also write ``"a, b"``
``tuple[Text, ...]``                   texts, taken as they are
``Order``, or with ``| None``          fields to order by, ``"a DESC, b"`` or a list
``tuple[Item, ...]``                   names with more to each, as in ``"a AS LOOSE"``
``tuple[Pair, ...]``                   names, each with another one, as in ``"a=b"``
``dict[str, str]``                     a name for each name
``dict[str, Formula]``                 a formula for each name
``Plain``, or with ``| None``          a number, a date or text
``ListAddress``, or with ``| None``    a list beside the one to work on
``FilePath``, or with ``| None``       a file that is no list, such as rules
``StorePath``, or with ``| None``      such a file that need not be there yet
``dict[str, tuple[str, ...]]``         names for each name
``tuple[SomeTerms, ...]``              tables with terms of their own
=====================================  =========================================
"""

from __future__ import annotations

import datetime
import functools
import re
import types
import typing
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import Enum
from typing import Annotated, Any, Literal, NewType, TypeVar, Union

import msgspec

from gruff_ledger.field_names import format_names, parse_items, parse_names, parse_pairs
from gruff_ledger.problems import BadTerms, Problem, nearest_or_all


class Terms(msgspec.Struct, frozen=True, kw_only=True):
    """Base of all terms. Subclasses check in ``__post_init__`` what needs no data."""

    @property
    def settles(self) -> frozenset[str]:
        """The topics of what reading says that the work settles, or says itself."""
        return frozenset()

    def lists_named(self, files: Mapping[str, bytes | None]) -> tuple[str, ...]:
        """
        Return the lists that the terms name beside those to work on, each once.

        Parameters
        ----------
        files : mapping
            What is in the files that the terms name; see `files_named`.
        """
        return tuple(dict.fromkeys(_said_in(self, Kind.ADDRESS)))

    @staticmethod
    def made_words(stated: Mapping[str, Any], field: str) -> str:
        """
        Say how the work made a field, as far as its terms tell; else nothing.

        Parameters
        ----------
        stated : mapping
            The terms as an account keeps them, perhaps one of long ago.
        field : str
            The heading of a field that the work made.
        """
        return ""

    def files_named(self) -> dict[str, bool]:
        """Return the files that the terms name, and whether each must be there."""
        stored = dict.fromkeys(_said_in(self, Kind.STORE), False)
        return stored | dict.fromkeys(_said_in(self, Kind.FILE), True)


T = TypeVar("T", bound=Terms)

# The greatest whole number of a term, and with a minus the least.
MOST_WHOLE = 10**18 - 1

# Text that a declaration sets apart, because a command reads it in its own way.
Text = NewType("Text", str)
Item = NewType("Item", str)
Pair = NewType("Pair", str)
Heading = NewType("Heading", str)
Formula = NewType("Formula", str)
Order = NewType("Order", str)
Plain = NewType("Plain", str)
ListAddress = NewType("ListAddress", str)
FilePath = NewType("FilePath", str)
StorePath = NewType("StorePath", str)


class Kind(Enum):
    """What kind of value a term takes, worded for messages."""

    FLAG = "true or false"
    WHOLE = "a whole number"
    TEXT = "text in quotes"
    CHOICE = "one of the choices"
    NAMES = "a list of names"
    ORDER = "names of fields to order by"
    TEXTS = "text in quotes, or a list of texts"
    ITEMS = "names of fields, each with its words"
    PAIRS = "names of fields, or a table with a name for each name"
    MAPPING = "a table with a text for each name"
    NAME_PAIRS = "a table with a name for each name, or pairs of names"
    FORMULAS = "a table with a formula for each name"
    PLAIN = "a number, a date or text"
    ADDRESS = "the name of a list, or its address"
    FILE = "the path of a file"
    STORE = "the path of the file"
    NAMES_EACH = "a table with a list of names for each name"
    TABLES = "one or more tables"


class Term(msgspec.Struct, frozen=True):
    """
    One term as declared.

    Attributes
    ----------
    key : str
        As a docket and a command write it: ``name-source``.
    attribute : str
        As the code writes it: ``name_source``.
    choices : tuple of str
        For `Kind.CHOICE`, what may be chosen.
    members : type of Terms, optional
        For `Kind.TABLES`, the terms of one table.
    limits : tuple of (name, limit)
        Those of its `Meta`, such as ``("ge", 1)``.
    """

    key: str
    attribute: str
    kind: Kind
    required: bool
    default: Any
    description: str
    choices: tuple[str, ...] = ()
    members: type[Terms] | None = None
    limits: tuple[tuple[str, Any], ...] = ()


@functools.cache
def describe(declared: type[Terms]) -> tuple[Term, ...]:
    """Return the terms that a type declares, in the order of declaration."""
    hints = typing.get_type_hints(declared, include_extras=True)
    return tuple(
        _term(field, hints[field.name]) for field in msgspec.structs.fields(declared)
    )


def _term(field: msgspec.structs.FieldInfo, hint: Any) -> Term:
    assert typing.get_origin(hint) is Annotated, f"{field.name} lacks a description"
    bare, meta = typing.get_args(hint)[:2]
    kind, choices, members = _kind(bare)
    default = field.default
    if default is msgspec.NODEFAULT and field.default_factory is not msgspec.NODEFAULT:
        default = field.default_factory()
    return Term(
        key=field.name.rstrip("_").replace("_", "-"),
        attribute=field.name,
        kind=kind,
        required=field.required,
        default=None if default is msgspec.NODEFAULT else default,
        description=meta.description,
        choices=choices,
        members=members,
        limits=tuple(
            (name, limit)
            for name in _LIMITS
            if (limit := getattr(meta, name)) is not None
        ),
    )


# What a `Meta` may limit (msgspec, "Constraints"): how it is worded, what is compared,
# and what it is called in a JSON Schema.
_LIMITS: dict[str, tuple[str, Callable[[Any, Any], bool], str]] = {
    "ge": ("at least {}", lambda value, limit: value >= limit, "minimum"),
    "gt": ("more than {}", lambda value, limit: value > limit, "exclusiveMinimum"),
    "le": ("at most {}", lambda value, limit: value <= limit, "maximum"),
    "lt": ("less than {}", lambda value, limit: value < limit, "exclusiveMaximum"),
    "multiple_of": (
        "a multiple of {}",
        lambda value, limit: value % limit == 0,
        "multipleOf",
    ),
    "min_length": (
        "of at least {} characters or members",
        lambda value, limit: len(value) >= limit,
        "minLength",
    ),
    "max_length": (
        "of at most {} characters or members",
        lambda value, limit: len(value) <= limit,
        "maxLength",
    ),
    "pattern": (
        "of the form {}",
        lambda value, limit: re.search(limit, value) is not None,
        "pattern",
    ),
}


def _check_limits(term: Term, value: Any) -> None:
    for name, limit in term.limits:
        words, holds, _ = _LIMITS[name]
        if not holds(value, limit):
            raise BadTerms(
                f"{_shown(value)} is not {words.format(limit)}.",
                f"It says: {_lower_first(term.description)}",
                term=term.key,
            )


def _kind(hint: Any) -> tuple[Kind, tuple[str, ...], type[Terms] | None]:
    origin, args = typing.get_origin(hint), typing.get_args(hint)
    if origin in (types.UnionType, Union):
        (hint,) = (each for each in args if each is not type(None))
        return _kind(hint)
    if origin is Literal:
        return Kind.CHOICE, args, None
    if origin is tuple:
        if isinstance(args[0], type) and issubclass(args[0], Terms):
            return Kind.TABLES, (), args[0]
        kinds = {Text: Kind.TEXTS, Item: Kind.ITEMS, Pair: Kind.PAIRS}
        return kinds.get(args[0], Kind.NAMES), (), None
    if origin is dict:
        of_values = {
            str: Kind.MAPPING,
            Heading: Kind.NAME_PAIRS,
            Formula: Kind.FORMULAS,
        }
        return of_values.get(args[1], Kind.NAMES_EACH), (), None
    return _KINDS[hint], (), None


_KINDS: dict[Any, Kind] = {
    bool: Kind.FLAG,
    int: Kind.WHOLE,
    str: Kind.TEXT,
    Formula: Kind.TEXT,
    Order: Kind.ORDER,
    Plain: Kind.PLAIN,
    ListAddress: Kind.ADDRESS,
    FilePath: Kind.FILE,
    StorePath: Kind.STORE,
}


def _said_in(terms: Terms, kind: Kind) -> Iterator[str]:
    """Yield what terms of one kind say, those of tables within too."""
    for term in describe(type(terms)):
        value = getattr(terms, term.attribute)
        if term.kind is kind and value is not None:
            yield value
        elif term.kind is Kind.TABLES:
            for each in value:
                yield from _said_in(each, kind)


def read(declared: type[T], given: Mapping[str, Any]) -> T:
    """
    Make terms of what a docket or a command says.

    Parameters
    ----------
    declared : type of Terms
    given : mapping
        Keys as a docket writes them, values as TOML gives them.

    Raises
    ------
    BadTerms
        For a key that is not declared (the nearest is named), a value of the wrong
        kind or beyond a limit, or a missing one; `BadTerms.term` holds the key, and
        `BadTerms.also` what else is wrong.
    """
    terms = {term.key: term for term in describe(declared)}
    faults = [unknown_key(key, terms) for key in given if key not in terms]
    faults += [
        BadTerms(
            "it is missing.",
            f"It says: {_lower_first(term.description)}",
            term=term.key,
        )
        for term in terms.values()
        if term.required and term.key not in given
    ]
    values = {}
    for key, value in given.items():
        if key in terms:
            try:
                values[terms[key].attribute] = _value(terms[key], value)
            except BadTerms as problem:
                faults.append(problem)
    if faults:
        raise all_of(faults)
    return declared(**values)


def all_of(faults: Sequence[Problem]) -> Problem:
    """Return the first of several problems, with the others."""
    first, *others = faults
    first.also += tuple(others)
    return first


def unknown_key(key: str, known: Iterable[str]) -> BadTerms:
    """Word that a key is not declared, with the nearest that is."""
    return BadTerms(
        "there is no such key.", nearest_or_all(key, known, "keys"), term=key
    )


def _value(term: Term, value: Any) -> Any:
    if term.kind in (Kind.NAMES, Kind.NAMES_EACH) and isinstance(value, str):
        value = parse_names(value) if term.kind is Kind.NAMES else value
    if term.kind is Kind.TEXTS and isinstance(value, str):
        value = [value]
    if term.kind in (Kind.ITEMS, Kind.PAIRS) and isinstance(value, str):
        value = parse_items(value)
    if term.kind is Kind.PAIRS and isinstance(value, Mapping):
        value = [
            f"{format_names([name])}={other}" if isinstance(other, str) else other
            for name, other in value.items()
        ]
    if term.kind in (Kind.MAPPING, Kind.NAME_PAIRS) and isinstance(value, str):
        value = dict(parse_pairs(value, of_names=term.kind is Kind.NAME_PAIRS))
    if term.kind is Kind.PLAIN:
        value = _plain_text(value)
    if term.kind is Kind.ORDER and _is_names(value):
        value = ", ".join(map(_in_order, value))
    if not _fits(term.kind, value):
        raise BadTerms(
            f"{_shown(value)} is not {term.kind.value}.",
            f"It says: {_lower_first(term.description)}",
            term=term.key,
        )
    if term.kind is Kind.WHOLE and abs(value) > MOST_WHOLE:
        raise BadTerms(
            "so great a number means nothing here.",
            "Give one of at most 18 digits.",
            term=term.key,
        )
    if term.kind is Kind.CHOICE and value not in term.choices:
        raise BadTerms(
            f"there is no choice {_shown(value)}.",
            nearest_or_all(value, term.choices, "choices"),
            term=term.key,
        )
    _check_limits(term, value)
    if term.kind in _SEQUENCES:
        return tuple(value)
    if term.kind is Kind.NAMES_EACH:
        return {name: _names(each) for name, each in value.items()}
    if term.kind is Kind.TABLES:
        return tuple(
            _member(term, number, each) for number, each in enumerate(value, 1)
        )
    return value


def _in_order(item: str) -> str:
    """Return a field of an order, of its own; its name alone may hold a comma."""
    return format_names([item]) if "," in item and '"' not in item else item


def _plain_text(value: Any) -> Any:
    """Return a number or date of TOML as the text of a cell; other things as is."""
    if isinstance(value, datetime.date | datetime.time):
        return value.isoformat()
    if isinstance(value, int | float) and not isinstance(value, bool):
        return str(value)
    return value


def _member(term: Term, number: int, table: Mapping[str, Any]) -> Terms:
    """Read one of the tables of a term; what is wrong in it is said with its number."""
    assert term.members is not None
    try:
        return read(term.members, table)
    except BadTerms as problem:
        inside = f"table {number}, '{problem.term}': {problem.what}"
        raise BadTerms(inside, problem.remedy, term=term.key) from problem


def _names(value: Any) -> tuple[str, ...]:
    return parse_names(value) if isinstance(value, str) else tuple(value)


def _fits(kind: Kind, value: Any) -> bool:
    if kind is Kind.FLAG:
        return isinstance(value, bool)
    if kind is Kind.WHOLE:
        return isinstance(value, int) and not isinstance(value, bool)
    if kind in _TEXT_KINDS:
        return isinstance(value, str)
    if kind in _SEQUENCES:
        return _is_names(value)
    if kind in (Kind.MAPPING, Kind.NAME_PAIRS, Kind.FORMULAS):
        return isinstance(value, Mapping) and all(
            isinstance(each, str) for each in value.values()
        )
    if kind is Kind.NAMES_EACH:
        return isinstance(value, Mapping) and all(
            isinstance(each, str) or _is_names(each) for each in value.values()
        )
    return isinstance(value, list | tuple) and all(
        isinstance(each, Mapping) for each in value
    )


def _is_names(value: Any) -> bool:
    return isinstance(value, list | tuple) and all(
        isinstance(each, str) for each in value
    )


def _shown(value: Any) -> str:
    """Show a value as a docket would write it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return f"'{value}'"
    if isinstance(value, Mapping):
        return "a table"
    if isinstance(value, list | tuple):
        return "a list"
    return str(value)


def _lower_first(text: str) -> str:
    return text[:1].lower() + text[1:]


def plain(terms: Terms) -> dict[str, Any]:
    """Return the terms that differ from their defaults, as a docket would say them."""
    said: dict[str, Any] = {}
    for term in describe(type(terms)):
        value = getattr(terms, term.attribute)
        if value == term.default and not term.required:
            continue
        if term.kind is Kind.TABLES:
            value = [plain(each) for each in value]
        elif term.kind in _SEQUENCES:
            value = list(value)
        elif term.kind is Kind.NAMES_EACH:
            value = {name: list(each) for name, each in value.items()}
        said[term.key] = value
    return said


_SEQUENCES = (Kind.NAMES, Kind.TEXTS, Kind.ITEMS, Kind.PAIRS)

_TEXT_KINDS = (
    Kind.TEXT,
    Kind.ORDER,
    Kind.CHOICE,
    Kind.PLAIN,
    Kind.ADDRESS,
    Kind.FILE,
    Kind.STORE,
)

_JSON_TYPES: dict[Kind, dict[str, Any]] = {
    Kind.FLAG: {"type": "boolean"},
    Kind.WHOLE: {"type": "integer"},
    Kind.TEXT: {"type": "string"},
    Kind.NAMES: {"type": ["array", "string"], "items": {"type": "string"}},
    Kind.TEXTS: {"type": ["array", "string"], "items": {"type": "string"}},
    Kind.ITEMS: {"type": ["array", "string"], "items": {"type": "string"}},
    Kind.PAIRS: {
        "type": ["array", "string", "object"],
        "items": {"type": "string"},
        "additionalProperties": {"type": "string"},
    },
    Kind.MAPPING: {
        "type": ["object", "string"],
        "additionalProperties": {"type": "string"},
    },
    Kind.NAME_PAIRS: {
        "type": ["object", "string"],
        "additionalProperties": {"type": "string"},
    },
    Kind.FORMULAS: {"type": "object", "additionalProperties": {"type": "string"}},
    Kind.ORDER: {"type": ["array", "string"], "items": {"type": "string"}},
    Kind.PLAIN: {"type": ["string", "number"]},
    Kind.ADDRESS: {"type": "string"},
    Kind.FILE: {"type": "string"},
    Kind.STORE: {"type": "string"},
    Kind.NAMES_EACH: {
        "type": "object",
        "additionalProperties": {
            "type": ["array", "string"],
            "items": {"type": "string"},
        },
    },
}


def json_schema(
    declared: type[Terms], *, also: Mapping[str, Any] = {}
) -> dict[str, Any]:
    """
    Return the JSON Schema (draft 2020-12) of a table that says these terms.

    Parameters
    ----------
    declared : type of Terms
    also : mapping, optional
        Properties that stand before the declared ones.
    """
    properties = {**also, **{term.key: _schema(term) for term in describe(declared)}}
    required = [term.key for term in describe(declared) if term.required]
    schema: dict[str, Any] = {
        "type": "object",
        "properties": properties,
        "additionalProperties": False,
    }
    return {**schema, "required": required} if required else schema


def _schema(term: Term) -> dict[str, Any]:
    if term.kind is Kind.CHOICE:
        schema: dict[str, Any] = {"enum": list(term.choices)}
    elif term.kind is Kind.TABLES:
        assert term.members is not None
        schema = {"type": "array", "items": json_schema(term.members)}
    else:
        schema = dict(_JSON_TYPES[term.kind])
    is_list = term.kind is Kind.TABLES or term.kind in _SEQUENCES
    for name, limit in term.limits:
        word = _LIMITS[name][2]
        schema[word.replace("Length", "Items") if is_list else word] = limit
    if term.default not in (None, (), {}):
        schema["default"] = term.default
    return {**schema, "description": term.description}
