"""Terms: the options of a verb, declared once.

A verb's terms are an immutable record type: a subclass of `Terms` whose fields carry a
type, a default and a description. From that one declaration come the command's options,
the docket's keys, their checking, their help and the docket's JSON Schema. `describe`
reads a declaration, `read` makes terms of what a docket says, `json_schema` documents
it; the commands are made in `cli.options`.

A term has one of these kinds, by its type; `kinds` has all that is to be known of each:

=====================================  =========================================
``bool``                               a yes or no
``int``, ``int | None``                a whole number
``str``, ``str | None``                text
``Literal["a", "b"]``                  one of the named choices
``tuple[str, ...]``                    names; a docket may also write ``"a, b"``
``tuple[Text, ...]``                   texts, taken as they are
``tuple[Width, ...]``                  whole numbers from 1, as text
``Order``, or with ``| None``          fields to order by, ``"a DESC, b"`` or a list
``tuple[Item, ...]``                   names with more to each, as in ``"a AS LOOSE"``
``tuple[Pair, ...]``                   names, each with another one, as in ``"a=b"``
``dict[str, str]``                     a name for each name
``dict[str, Formula]``                 a formula for each name
``dict[str, Examples]``                examples for each name
``dict[str, Plain]``                   a number, a date or text for each name
``dict[str, ListAddress]``             a list for each name
``Plain``, or with ``| None``          a number, a date or text
``ListAddress``, or with ``| None``    a list beside the one to work on
``FilePath``, or with ``| None``       a file that is no list, such as rules
``StorePath``, or with ``| None``      such a file that need not be there yet
``dict[str, tuple[str, ...]]``         names for each name
``tuple[SomeTerms, ...]``              tables with terms of their own
=====================================  =========================================
"""

from __future__ import annotations

import functools
import types
import typing
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from typing import Annotated, Any, Literal, NewType, TypeVar, Union

import msgspec

from gruff_ledger.problems import BadTerms, Problem, nearest_or_all
from gruff_ledger.terms import kinds, kinds_of_each
from gruff_ledger.terms.kinds import Kind
from gruff_ledger.terms.limits import LIMITS
from gruff_ledger.terms.written import shown


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
        return tuple(dict.fromkeys(_said_in(self, "list")))

    def files_named(self) -> dict[str, bool]:
        """Return the files that the terms name, and whether each must be there."""
        stored = dict.fromkeys(_said_in(self, "new file"), False)
        return stored | dict.fromkeys(_said_in(self, "file"), True)


T = TypeVar("T", bound=Terms)

# Text that a declaration sets apart, because a command reads it in its own way.
Text = NewType("Text", str)
Item = NewType("Item", str)
Pair = NewType("Pair", str)
Width = NewType("Width", str)
Heading = NewType("Heading", str)
Formula = NewType("Formula", str)
Examples = NewType("Examples", tuple[str, ...])
Order = NewType("Order", str)
Plain = NewType("Plain", str)
ListAddress = NewType("ListAddress", str)
FilePath = NewType("FilePath", str)
StorePath = NewType("StorePath", str)

# The kind of each type that is no container.
_KINDS: dict[Any, Kind] = {
    bool: kinds.Flag(),
    int: kinds.Whole(),
    str: Kind(),
    Formula: Kind(),
    Order: kinds.OrderText(),
    Plain: kinds.PlainText(),
    ListAddress: kinds.Outside("list", "the name of a list, or its address", "LIST"),
    FilePath: kinds.Outside("file", "the path of a file", "PATH"),
    StorePath: kinds.Outside("new file", "the path of the file", "PATH"),
}

# Those of tuples, by what is in them, and of dictionaries, by what each name has.
_KINDS_OF_TUPLES: dict[Any, Kind] = {
    Text: kinds.Texts(),
    Item: kinds.Items(),
    Pair: kinds.Pairs(),
    Width: kinds.Widths(),
}
_KINDS_OF_DICTS: dict[Any, Kind] = {
    str: kinds_of_each.TextOfEach(),
    Heading: kinds_of_each.NameOfEach(),
    Formula: kinds_of_each.FormulaOfEach(),
    Examples: kinds_of_each.ExamplesOfEach(),
    Plain: kinds_of_each.ValueOfEach(),
    ListAddress: kinds_of_each.ListOfEach(),
}


class Term(msgspec.Struct, frozen=True):
    """
    One term as declared.

    Attributes
    ----------
    key : str
        As a docket and a command write it: ``name-source``.
    attribute : str
        As the code writes it: ``name_source``.
    members : type of Terms, optional
        The terms of one table, where its values are tables.
    limits : tuple of (name, bound)
        Those of its `Meta`, such as ``("ge", 1)``.
    """

    key: str
    attribute: str
    kind: Kind
    required: bool
    default: Any
    description: str
    members: type[Terms] | None = None
    limits: tuple[tuple[str, Any], ...] = ()

    def fault(self, what: str) -> BadTerms:
        """Word what is wrong with its value."""
        told = self.description[:1].lower() + self.description[1:]
        return BadTerms(what, f"Its meaning: {told}", term=self.key)

    def missing(self) -> BadTerms:
        """Word that it is required."""
        told = self.description[:1].lower() + self.description[1:]
        return BadTerms(f"it is required: {told}", term=self.key)


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
    members = _members(bare)
    kind = _kind(bare) if members is None else _tables_of(members)
    if meta.extra and "choices" in meta.extra:
        # Those that are not written out as a `Literal`, because they stand elsewhere.
        kind = kinds.Choice(meta.extra["choices"])
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
        members=members,
        limits=tuple(
            (name, bound)
            for name in LIMITS
            if (bound := getattr(meta, name)) is not None
        ),
    )


def _members(hint: Any) -> type[Terms] | None:
    """Return the terms that stand in each table of a term, if its values are tables."""
    args = typing.get_args(hint)
    if typing.get_origin(hint) is tuple and isinstance(args[0], type):
        return args[0] if issubclass(args[0], Terms) else None
    return None


def _tables_of(members: type[Terms]) -> Kind:
    return kinds.Tables(partial(read, members), plain, partial(json_schema, members))


def _kind(hint: Any) -> Kind:
    origin, args = typing.get_origin(hint), typing.get_args(hint)
    if origin in (types.UnionType, Union):
        (hint,) = (each for each in args if each is not type(None))
        return _kind(hint)
    if origin is Literal:
        return kinds.Choice(args)
    if origin is tuple:
        return _KINDS_OF_TUPLES.get(args[0]) or kinds.Names()
    if origin is dict:
        return _KINDS_OF_DICTS.get(args[1]) or kinds_of_each.NamesOfEach()
    return _KINDS[hint]


def _said_in(terms: Terms, names: str) -> Iterator[str]:
    """Yield what terms say that names such a thing; those of tables within too."""
    for term in describe(type(terms)):
        value = getattr(terms, term.attribute)
        if term.kind.names == names and value is not None:
            yield value
        elif term.members is not None:
            for each in value:
                yield from _said_in(each, names)


def lists_in(declared: type[Terms], table: Mapping[str, Any]) -> Iterator[str]:
    """Yield what a table of a docket, not yet checked, names as lists."""
    for term in describe(declared):
        said = table.get(term.key)
        if term.kind.names == "list" and isinstance(said, str):
            yield said
        elif term.members is not None and isinstance(said, list):
            for each in said:
                if isinstance(each, Mapping):
                    yield from lists_in(term.members, each)


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
        term.missing()
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
    kind = term.kind
    value = kind.widened(value)
    if not kind.fits(value):
        raise term.fault(kind.misfit(value))
    try:
        kind.check(value)
        for name, bound in term.limits:
            limit = LIMITS[name]
            if not limit.holds(value, bound):
                raise term.fault(f"{shown(value)} is not {limit.words.format(bound)}.")
        return kind.settled(value)
    except BadTerms as problem:
        problem.term = term.key
        raise


def plain(
    terms: Terms, seen: Callable[[str, str], str] = lambda names, said: said
) -> dict[str, Any]:
    """
    Return the terms that differ from their defaults, as a docket would say them.

    Parameters
    ----------
    terms : Terms
    seen : callable, optional
        Takes what a value names (see `Kind.names`) and what it says, and returns how
        the docket is to say it.
    """
    said: dict[str, Any] = {}
    for term in describe(type(terms)):
        value = getattr(terms, term.attribute)
        if value == term.default and not term.required:
            continue
        if term.members is not None:
            said[term.key] = [plain(each, seen) for each in value]
        elif term.kind.names:
            said[term.key] = seen(term.kind.names, value)
        else:
            said[term.key] = term.kind.plain(value)
    return said


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
    schema = term.kind.schema()
    for name, bound in term.limits:
        word = LIMITS[name].schema
        schema[word.replace("Length", "Items") if term.kind.has_members else word] = (
            bound
        )
    if term.default not in (None, (), {}):
        schema["default"] = term.default
    return {**schema, "description": term.description}
