"""Rules out of the W3C's metadata for tabular data.

Metadata Vocabulary for Tabular Data, W3C Recommendation of 17 December 2015. What it
says of a column's cells becomes rules; what of it is not supported is said in notes.
"""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any
from urllib.parse import unquote

import msgspec

from gruff_ledger.cells.match.levels import loose
from gruff_ledger.outcome import Note
from gruff_ledger.problems import BadTerms, said_by
from gruff_ledger.rules.rule import Rule
from gruff_ledger.rules.w3c_writing import NOTED_RULE, NOTED_WRITTEN, WrittenNote
from gruff_ledger.terms.declared import Heading, ListAddress, Plain, Text, read
from gruff_ledger.written.examples import ISO_WAY, PLAIN_WAY, way_of

# Section 5.11.1, built-in datatypes: those that say more than what is checked of them.
_TEXTS = ("string", "any", "anyAtomicType", "normalizedString", "token")
_OTHER_TEXTS = (
    *("language", "Name", "NMTOKEN", "xml", "html", "json", "anyURI", "QName"),
    *("base64Binary", "binary", "hexBinary", "duration", "dayTimeDuration"),
    *("yearMonthDuration", "gDay", "gMonth", "gMonthDay", "gYear", "gYearMonth"),
)
_NUMBERS = {"number": "number", "double": "number", "float": "number"} | {
    "decimal": "decimal"
}
_INTEGERS: dict[str, tuple[int | None, int | None]] = {
    "integer": (None, None),
    "long": (-(2**63), 2**63 - 1),
    "int": (-(2**31), 2**31 - 1),
    "short": (-(2**15), 2**15 - 1),
    "byte": (-128, 127),
    "nonNegativeInteger": (0, None),
    "positiveInteger": (1, None),
    "unsignedLong": (0, 2**64 - 1),
    "unsignedInt": (0, 2**32 - 1),
    "unsignedShort": (0, 2**16 - 1),
    "unsignedByte": (0, 255),
    "nonPositiveInteger": (None, 0),
    "negativeInteger": (None, -1),
}
_MOMENTS = {
    "date": "date",
    "datetime": "datetime",
    "dateTime": "datetime",
    "dateTimeStamp": "datetime",
    "time": "time",
}

# Section 6.4: how numbers and dates are written where no format is stated.
_PLAIN_EXAMPLES = {
    **dict.fromkeys(("number", "decimal", "integer"), PLAIN_WAY.examples),
    **dict.fromkeys(("date", "datetime"), ISO_WAY.examples),
}

_INHERITED = ("datatype", "required", "null", "default", "separator", "ordered")

# Properties that ask nothing of cells: names, and what is written of the data.
_SILENT = {
    *("@id", "@type", "@context", "url", "tableSchema", "tables", "columns", "name"),
    *("titles", "virtual", "suppressOutput", "notes", "primaryKey", "foreignKeys"),
    *("lang", "textDirection", "tableDirection", "rowTitles", *_INHERITED),
}
_KNOWN_AND_UNUSED = (
    *("dialect", "transformations", "aboutUrl", "propertyUrl", "valueUrl"),
)

_LITERAL = r"(?:[^\\.^$|?*+()\[\]{}]|\\[\\.^$|?*+()\[\]{}\-/])+"


class Described(msgspec.Struct):
    """
    What the metadata says of one table.

    Attributes
    ----------
    url : str
    fields : list of str
        A heading for each column that is in the list.
    titles : list of tuple of str
        For each, all the headings that it may have.
    rules, forms : list
    unused : dict
        Properties that are not supported, and of which columns.
    """

    url: str
    fields: list[str] = []
    titles: list[tuple[str, ...]] = []
    rules: list[Rule] = []
    written: dict[str, tuple[str, ...]] = {}
    unused: dict[str, list[str]] = {}

    @property
    def rules_with_lists(self) -> list[Rule]:
        """The rules that look into another list."""
        return [rule for rule in self.rules if rule.allowed_from is not None]


def describe_tables(path: str, said: object) -> list[Described]:
    """
    Read the tables that metadata describes.

    Parameters
    ----------
    path : str
        Of the file: addresses in it start from its folder.
    said : object
        The JSON document.

    Raises
    ------
    BadTerms
        If it describes no table.
    """
    if not isinstance(said, Mapping):
        raise _bad(path, "it describes no table.")
    group = said.get("tables", [said])
    if not isinstance(group, list) or not all(isinstance(t, Mapping) for t in group):
        raise _bad(path, "'tables' should be a list of tables.")
    readers = [_TableReader(path, table, said) for table in group]
    for reader in readers:
        reader.read(readers)
    return [reader.found for reader in readers]


def rules_of_tables(
    path: str,
    described: Sequence[Described],
    name: str,
    headings: Sequence[str] | None,
) -> tuple[Described, tuple[Note, ...]]:
    """
    Choose what is said of one list, by its name or by its headings.

    Returns
    -------
    described : Described
        With rules on the headings as the list has them.
    notes : tuple of Note
        What of the standard is not supported, and which fields the list does not have.

    Raises
    ------
    BadTerms
        If no table fits, or more than one.
    """
    table = _chosen(path, described, name, headings)
    notes = []
    if headings is not None:
        table, missing = _as_headed(table, headings)
        if missing:
            notes.append(
                Note(
                    f"{path} describes what the list does not have: "
                    f"{', '.join(missing)}.",
                    "Correct the headings, or the `rules`.",
                    warning=True,
                )
            )
    for what, columns in table.unused.items():
        where = f" ({', '.join(dict.fromkeys(columns))})" if any(columns) else ""
        notes.append(Note(f"{path}: {what} is not checked{where}.", warning=True))
    return table, tuple(notes)


def _chosen(
    path: str, described: Sequence[Described], name: str, headings: Sequence[str] | None
) -> Described:
    if len(described) == 1:
        return described[0]
    stems = [posixpath.basename(each.url).rsplit(".", 1)[0] for each in described]
    fits = [each for each, stem in zip(described, stems, strict=True) if stem == name]
    if not fits and headings is not None:
        folded = {loose(heading) for heading in headings}
        fits = [
            each
            for each in described
            if all(any(loose(t) in folded for t in titles) for titles in each.titles)
        ]
    if len(fits) != 1:
        told = ", ".join(each.url or "one without a url" for each in described)
        raise _bad(
            path,
            f"it describes {len(described)} tables ({told}), and it cannot be told "
            f"which of them {name or 'the list'} is.",
            "Leave one in it, or give it the name of the list.",
        )
    return fits[0]


def _as_headed(
    table: Described, headings: Sequence[str]
) -> tuple[Described, list[str]]:
    """Return the description in the headings of a list; and what is not there."""
    folded = {loose(heading): heading for heading in reversed(headings)}
    names: dict[str, str | None] = {}
    for field, titles in zip(table.fields, table.titles, strict=True):
        exact = [title for title in titles if title in headings]
        alike = [folded[loose(t)] for t in titles if loose(t) in folded]
        names[field] = next(iter(exact or alike), None)
    missing = [field for field, name in names.items() if name is None]

    def there(rule: Rule) -> bool:
        fields = (rule.field, *rule.key, *rule.per)
        return all(names.get(each) is not None for each in fields if each is not None)

    def renamed(rule: Rule) -> Rule:
        return msgspec.structs.replace(
            rule,
            field=None if rule.field is None else names[rule.field],
            key=tuple(str(names[each]) for each in rule.key),
            per=tuple(str(names[each]) for each in rule.per),
            named={str(names[each]): to for each, to in rule.named.items()},
        )

    rules = [renamed(rule) for rule in table.rules if there(rule)]
    written = {
        str(names[field]): examples
        for field, examples in table.written.items()
        if names.get(field) is not None
    }
    fields = [name for name in names.values() if name is not None]
    kept = msgspec.structs.replace(table, rules=rules, written=written, fields=fields)
    return kept, missing


class _TableReader:
    """The reading of what is said of one table."""

    def __init__(self, path: str, said: Mapping[str, Any], group: Any) -> None:
        self._path = path
        self._said = said
        self._group = group if group is not said else {}
        schema = said.get("tableSchema", said if "columns" in said else {})
        if not isinstance(schema, Mapping):
            raise _bad(
                path,
                "'tableSchema' names another file.",
                "Put what it says in its place.",
            )
        self._schema = schema
        columns = schema.get("columns", [])
        if not isinstance(columns, list) or not all(
            isinstance(column, Mapping) for column in columns
        ):
            raise _bad(path, "'columns' should be a list of columns.")
        self._columns = [c for c in columns if c.get("virtual") is not True]
        url = said.get("url", "")
        self.found = Described(str(url))
        self.titles: dict[str, str] = {}
        for number, column in enumerate(self._columns, 1):
            titles = _titles(column) or (f"field {number}",)
            name = column.get("name")
            self.titles[unquote(str(name)) if name else titles[0]] = titles[0]
            self.found.fields.append(titles[0])
            self.found.titles.append(titles)
        if not self._columns:
            raise _bad(path, "it describes no columns.")

    def read(self, readers: Sequence[_TableReader]) -> None:
        """Fill in what is found; `readers` are those of all tables of the group."""
        for said in (self._group, self._said, self._schema):
            self._note_unused(said, "")
        for column, field in zip(self._columns, self.found.fields, strict=True):
            self._note_unused(column, field)
            self._read_column(column, field)
        key = _names(self._schema.get("primaryKey"))
        if key:
            self.found.rules.append(Rule(key=self._fields(key)))
        self._read_noted_rules()
        keys = self._schema.get("foreignKeys", [])
        for foreign in keys if isinstance(keys, list) else []:
            self._read_foreign_key(foreign, readers)

    def _read_noted_rules(self) -> None:
        """Take the rules that stand in notes, where the vocabulary has no words."""
        for note in _listed(self._said.get("notes")):
            if not isinstance(note, Mapping):
                continue
            try:
                if isinstance(note.get(NOTED_RULE), Mapping):
                    self.found.rules.append(read(Rule, note[NOTED_RULE]))
                if isinstance(note.get(NOTED_WRITTEN), Mapping):
                    self._take_written(note[NOTED_WRITTEN])
            except BadTerms as problem:
                what = f"a rule in its notes: {problem.what}"
                raise _bad(self._path, what, problem.remedy) from problem

    def _take_written(self, written: Mapping[str, Any]) -> None:
        """Take what is noted of fields in the place of what their columns say."""
        said = read(WrittenNote, {"written": written}).written
        self.found.written |= {
            field: tuple(examples)
            for field, examples in said.items()
            if field in self.found.fields
        }

    def _note_unused(self, said: Mapping[str, Any], field: str) -> None:
        for key in said:
            # Terms of other vocabularies, such as dc:title, are annotations.
            if key in _KNOWN_AND_UNUSED or (key not in _SILENT and ":" not in key):
                self._unused(f"'{key}'", field)

    def _unused(self, what: str, field: str) -> None:
        self.found.unused.setdefault(what, []).append(field)

    def _inherited(self, column: Mapping[str, Any], key: str) -> Any:
        for said in (column, self._schema, self._said, self._group):
            if key in said:
                return said[key]
        return None

    def _fields(self, names: Sequence[str]) -> tuple[str, ...]:
        unknown = [name for name in names if unquote(name) not in self.titles]
        if unknown:
            raise _bad(self._path, f"no column is named '{unknown[0]}'.")
        return tuple(self.titles[unquote(name)] for name in names)

    def _read_column(self, column: Mapping[str, Any], field: str) -> None:
        null = self._inherited(column, "null")
        words = tuple(
            Text(word) for word in ([null] if isinstance(null, str) else null or [])
            if isinstance(word, str) and word.strip()
        )  # fmt: skip
        if self._inherited(column, "default") not in (None, ""):
            self._unused("'default'", field)
        if self._inherited(column, "required") is True:
            self.found.rules.append(Rule(field=field, required=True, null=words))
        datatype = self._inherited(column, "datatype")
        if datatype is None:
            return
        if self._inherited(column, "separator") is not None:
            self._unused("what stands between separators in a cell", field)
            return
        said = {"base": datatype} if isinstance(datatype, str) else datatype
        if not isinstance(said, Mapping):
            raise _bad(self._path, f"the datatype of '{field}' cannot be read.")
        terms = self._of_datatype(dict(said), field)
        if len(terms) > (terms.get("datatype") == "string"):
            try:
                self.found.rules.append(Rule(field=field, null=words, **terms))
            except BadTerms as problem:
                what = f"'{field}': {problem.what}"
                raise _bad(self._path, what, problem.remedy) from problem

    def _of_datatype(self, said: dict[str, Any], field: str) -> dict[str, Any]:
        """Return the terms of a rule for a datatype."""
        base = said.get("base", "string")
        terms: dict[str, Any] = {}
        if base in _INTEGERS:
            terms["datatype"] = "integer"
            for term, bound in zip(
                ("minimum", "maximum"), _INTEGERS[base], strict=True
            ):
                if bound is not None:
                    terms[term] = Plain(str(bound))
        elif base in _NUMBERS or base in _MOMENTS:
            terms["datatype"] = {**_NUMBERS, **_MOMENTS}[base]
        elif base == "boolean":
            terms["datatype"] = "boolean"
        else:
            terms["datatype"] = "string"
            if base in _OTHER_TEXTS:
                self._unused(f"that a text is of the datatype '{base}'", field)
            elif base not in _TEXTS:
                raise _bad(self._path, f"there is no datatype '{base}'.")
        for key, term in (
            *(("minimum", "minimum"), ("minInclusive", "minimum")),
            *(("maximum", "maximum"), ("maxInclusive", "maximum")),
            *(("minExclusive", "min_exclusive"), ("maxExclusive", "max_exclusive")),
        ):
            if key in said:
                terms[term] = Plain(str(said[key]))
        for key, term in (
            *(("length", "length"), ("minLength", "min_length")),
            ("maxLength", "max_length"),
        ):
            if isinstance(said.get(key), int):
                terms[term] = said[key]
        terms |= self._of_format(said.get("format"), terms["datatype"], field)
        if "format" not in said and terms["datatype"] in _PLAIN_EXAMPLES:
            # The standard has one way to write them where it is not told another.
            examples = _PLAIN_EXAMPLES[terms["datatype"]]
            self.found.written.setdefault(field, examples)
        return terms

    def _of_format(self, form: Any, datatype: str, field: str) -> dict[str, Any]:
        """Return the terms of a rule for a format."""
        if form is None:
            return {}
        if datatype in ("number", "decimal", "integer"):
            return self._of_number_format(form, field)
        if not isinstance(form, str):
            raise _bad(self._path, f"the format of '{field}' should be text.")
        if datatype == "string":
            # Choices among plain texts are values allowed, of which the nearest can
            # be suggested.
            if re.fullmatch(rf"{_LITERAL}(?:\|{_LITERAL})*", form):
                parts = re.split(r"(?<!\\)\|", form)
                return {"allowed": tuple(re.sub(r"\\(.)", r"\1", p) for p in parts)}
            return {"pattern": form}
        if datatype == "boolean":
            return {"format_": form}
        if datatype == "time" or re.search(r"[xX]", form):
            self._unused(f"the format '{form}'", field)
            return {}
        # In the standard a T between date and time stands for itself.
        return {"format_": re.sub(r"(?<!')T(?!')", "'T'", form)}

    def _of_number_format(self, form: Any, field: str) -> dict[str, Any]:
        said = {"pattern": form} if isinstance(form, str) else form
        if not isinstance(said, Mapping):
            raise _bad(self._path, f"the format of '{field}' cannot be read.")
        marks = {"decimal": said.get("decimalChar"), "group": said.get("groupChar")}
        pattern = said.get("pattern")
        if pattern is not None and "," in pattern and marks["group"] is None:
            marks["group"] = ","
        if any(marks.values()):
            example = f"1{marks['group'] or ''}234{marks['decimal'] or '.'}5"
            with said_by("rules"):
                way_of([example], field)
            self.found.written[field] = (example,)
        return {} if pattern is None else {"format_": pattern}

    def _read_foreign_key(self, said: Any, readers: Sequence[_TableReader]) -> None:
        reference = said.get("reference") if isinstance(said, Mapping) else None
        if not isinstance(reference, Mapping):
            raise _bad(self._path, "a foreign key has no reference.")
        mine = self._fields(_names(said.get("columnReference")))
        theirs = _names(reference.get("columnReference"))
        resource = reference.get("resource")
        if not isinstance(resource, str):
            self._unused("a foreign key to a schema", ", ".join(mine))
            return
        if len(mine) != len(theirs) or not mine:
            raise _bad(self._path, "a foreign key does not pair its columns.")
        titles: Mapping[str, str] = {}
        for reader in readers:
            if reader.found.url == resource:
                titles = reader.titles
        named = {
            my: titles.get(unquote(their), unquote(their))
            for my, their in zip(mine, theirs, strict=True)
        }
        folder = posixpath.dirname(self._path.replace("\\", "/"))
        is_url = re.match(r"[a-z]+://", resource)
        address = resource if is_url else posixpath.join(folder, resource)
        self.found.rules.append(
            Rule(
                field=mine[-1],
                allowed_from=ListAddress(address),
                per=mine[:-1],
                named={my: Heading(to) for my, to in named.items() if my != to},
            )
        )


def _titles(column: Mapping[str, Any]) -> tuple[str, ...]:
    """Return the headings that a column may have: its titles, or its name."""
    titles = column.get("titles")
    if isinstance(titles, Mapping):
        titles = [each for value in titles.values() for each in _listed(value)]
    found = [str(each) for each in _listed(titles)]
    name = column.get("name")
    if name is not None:
        found.append(unquote(str(name)))
    return tuple(dict.fromkeys(found))


def _listed(value: Any) -> Iterator[Any]:
    if isinstance(value, list):
        yield from value
    elif value is not None:
        yield value


def _names(value: Any) -> tuple[str, ...]:
    return tuple(str(each) for each in _listed(value))


def _bad(path: str, what: str, remedy: str = "Correct it.") -> BadTerms:
    return BadTerms(f"{path}: {what}", remedy, term="rules")
