"""Rules written as the W3C's metadata for tabular data; see `w3c_reading`.

What the vocabulary has no words for stands in its notes, where this program finds it
again and others pass it over.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, Any, BinaryIO

import msgspec
from msgspec import Meta

from gruff_ledger.cells.numbers.forms import PLAIN
from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.rules.rule import NUMBERS, Rule
from gruff_ledger.terms.declared import Examples, Terms, plain
from gruff_ledger.written.examples import way_of
from gruff_ledger.written.way import Way

CONTEXT = "http://www.w3.org/ns/csvw"

# The properties of notes that hold a rule, and how fields are written.
NOTED_RULE, NOTED_WRITTEN = "gruff-rule", "gruff-written"


class WrittenNote(Terms, frozen=True, kw_only=True):
    """A note on how fields are written."""

    written: Annotated[
        dict[str, Examples], Meta(description="Examples for each field.")
    ]


_BOUNDS = {
    "minimum": "minimum",
    "maximum": "maximum",
    "min_exclusive": "minExclusive",
    "max_exclusive": "maxExclusive",
    "length": "length",
    "min_length": "minLength",
    "max_length": "maxLength",
}


def metadata_of(
    url: str,
    headings: Sequence[str],
    rules: Iterable[Rule],
    written: Mapping[str, tuple[str, ...]] = MappingProxyType({}),
) -> dict[str, Any]:
    """
    Return the metadata of one table.

    Parameters
    ----------
    url : str
        Of the list.
    headings : sequence of str
    rules : iterable of Rule
        On these headings. Severities and messages have no place in the vocabulary.
    written : dict of str to tuple of str
        How the numbers and dates of fields are written, by examples.
    """
    names = column_names(headings)
    columns = {
        heading: {"name": names[heading], "titles": heading} for heading in headings
    }
    ways = {field: way_of(examples, field) for field, examples in written.items()}
    schema: dict[str, Any] = {"columns": list(columns.values())}
    notes: list[dict[str, Any]] = []
    if written:
        notes.append(
            {NOTED_WRITTEN: {name: list(each) for name, each in written.items()}}
        )
    for rule in rules:
        if not _put(rule, columns, names, schema, ways):
            notes.append({NOTED_RULE: plain(rule)})
    table: dict[str, Any] = {"@context": CONTEXT, "url": url}
    if notes:
        table["notes"] = notes
    return {**table, "tableSchema": schema}


def json_text(facts: Mapping[str, Any]) -> bytes:
    """Return metadata as JSON (RFC 8259), laid out to be read by people too."""
    return msgspec.json.format(msgspec.json.encode(facts), indent=2) + b"\n"


def write_rules(
    checked: Any, sink: BinaryIO, ending: str, sources: Mapping[str, Mapping[str, Any]]
) -> None:
    """
    Write the rules that a list was checked against.

    Parameters
    ----------
    checked : gruff_ledger.work.check.flag.perform.Checked
    sink : binary file
    ending : str
        Of the path; not looked at.
    sources : mapping
        What the account knows of each list, by its name.
    """
    url = sources.get(checked.name, {}).get("address", checked.name)
    sink.write(
        json_text(metadata_of(url, checked.headings, checked.rules, checked.written))
    )


def column_names(headings: Sequence[str]) -> dict[str, str]:
    """Return a name for each heading of letters, digits and low lines, all distinct."""
    names: dict[str, str] = {}
    for heading in headings:
        stem = re.sub(r"\W+", "_", heading).strip("_") or "field"
        name, number = stem, 1
        while name in names.values():
            number += 1
            name = f"{stem}_{number}"
        names[heading] = name
    return names


def choices_pattern(values: Iterable[str]) -> str:
    r"""
    Return the regular expression of some texts and no other.

    Examples
    --------
    >>> print(choices_pattern(["A+", "B"]))
    A\+|B
    """
    return "|".join(re.sub(r"([\\.^$|?*+()\[\]{}])", r"\\\1", each) for each in values)


def _put(
    rule: Rule,
    columns: Mapping[str, dict[str, Any]],
    names: Mapping[str, str],
    schema: dict[str, Any],
    ways: Mapping[str, Way],
) -> bool:
    """Put a rule where the vocabulary has it; tell whether there is such a place."""
    if rule.where or rule.holds or rule.allowed_for or rule.match != "exact":
        return False
    is_text = rule.datatype in (None, "string") and not any(rule.bounds())
    if (rule.pattern and rule.allowed) or (
        (rule.pattern or rule.allowed) and not is_text
    ):
        return False
    if rule.unique or rule.key:
        key = rule.key or (str(rule.field),)
        only = plain(rule).keys() <= {"field", "unique", "key", "severity", "message"}
        if "primaryKey" in schema or not only or (rule.unique and rule.key):
            return False
        schema["primaryKey"] = [names[field] for field in key]
        return True
    column = columns[str(rule.field)]
    if rule.allowed_from is not None:
        return _put_foreign_key(rule, names, schema)
    datatype = _datatype(rule, ways.get(str(rule.field)))
    if (datatype and "datatype" in column) or (rule.required and "required" in column):
        return False
    is_used = "datatype" in column or "required" in column
    if is_used and column.get("null", [""]) != ["", *rule.null]:
        # Words for nothing are those of all that is said of a column.
        return False
    if rule.required:
        column["required"] = True
    if datatype:
        column["datatype"] = datatype
    if rule.null:
        column["null"] = ["", *rule.null]
    return True


def _put_foreign_key(
    rule: Rule, names: Mapping[str, str], schema: dict[str, Any]
) -> bool:
    said = {"field", "allowed-from", "per", "named", "severity", "message"}
    if not plain(rule).keys() <= said:
        return False
    fields = (*rule.per, str(rule.field))
    schema.setdefault("foreignKeys", []).append(
        {
            "columnReference": [names[field] for field in fields],
            "reference": {
                "resource": rule.allowed_from,
                "columnReference": [rule.named.get(field, field) for field in fields],
            },
        }
    )
    return True


def _datatype(rule: Rule, way: Way | None) -> dict[str, Any]:
    """Return the datatype that a rule asks for; empty for none."""
    datatype: dict[str, Any] = {}
    for term, name in _BOUNDS.items():
        value = getattr(rule, term)
        if value is not None:
            datatype[name] = value
    if rule.pattern is not None:
        datatype["format"] = rule.pattern
    elif rule.allowed:
        datatype["format"] = choices_pattern(rule.allowed)
    base: str | None = rule.datatype
    bounds = [each for each in rule.bounds() if each is not None]
    if base is None and bounds:
        base = "date" if number_of(bounds[0]) is None else "number"
    if base in NUMBERS:
        datatype |= _number_format(rule.format_, way)
    elif rule.format_ is not None:
        datatype["format"] = rule.format_.replace("'T'", "T")
    elif way is not None and base in ("date", "datetime"):
        patterns = [*way.patterns, *(style.pattern for style in way.dates)]
        # The vocabulary knows one pattern; all of them stand in the notes.
        if patterns:
            datatype["format"] = patterns[0].replace("'T'", "T")
    if not datatype and base is None:
        return {}
    if base is None:
        base = "string"
    return {"base": base, **datatype}


def _number_format(pattern: str | None, way: Way | None) -> dict[str, Any]:
    said: dict[str, Any] = {}
    form = way.numbers[0] if way is not None and way.numbers else PLAIN
    if form.decimal != ".":
        said["decimalChar"] = form.decimal
    if form.group:
        said["groupChar"] = form.group
    if pattern is not None:
        said["pattern"] = pattern
    return {"format": said} if said else {}
