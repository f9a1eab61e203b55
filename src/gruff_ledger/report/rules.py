"""A first set of field rules, drafted from what a survey saw.

The format is the W3C's metadata vocabulary for tabular data (Recommendation of 17
December 2015): a table group of tables with a schema each.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, BinaryIO

from gruff_ledger.rules.w3c_writing import (
    CONTEXT,
    choices_pattern,
    column_names,
    json_text,
)
from gruff_ledger.work.look.survey.field_summary import FieldFacts
from gruff_ledger.work.look.survey.perform import Surveyed

# A text field is a choice of values if it has no more than this, each often used.
_MOST_CHOICES = 12
_USED_EACH = 4


def write_draft_rules(
    surveyed: Sequence[Surveyed],
    sink: BinaryIO,
    ending: str,
    sources: Mapping[str, Mapping[str, Any]],
) -> None:
    """
    Write rules for the fields of the lists surveyed.

    Parameters
    ----------
    surveyed : sequence of Surveyed
    sink : binary file
    ending : str
        Of the path; not looked at.
    sources : mapping
        What the account knows of each list, by its name.
    """
    tables = [_table(each, sources.get(each.name, {})) for each in surveyed]
    facts: dict[str, Any] = {"@context": CONTEXT}
    facts |= tables[0] if len(tables) == 1 else {"tables": tables}
    sink.write(json_text(facts))


def _table(one: Surveyed, source: Mapping[str, Any]) -> dict[str, Any]:
    names = column_names([fact.field for fact in one.fields])
    columns = [_column(fact, one, names) for fact in one.fields]
    schema: dict[str, Any] = {"columns": columns}
    unique = [
        column["name"]
        for column, fact in zip(columns, one.fields, strict=True)
        if fact.distinct == one.records > 1
    ]
    if unique:
        schema["primaryKey"] = unique[0]
    table: dict[str, Any] = {"url": source.get("address", one.name)}
    if source.get("format") == "delimited":
        heading = source["heading_row"]
        dialect: dict[str, Any] = {"delimiter": source["delimiter"]}
        dialect["encoding"] = source["encoding"]
        if heading > 1:
            dialect["skipRows"] = heading - 1
        if heading == 0:
            dialect["header"] = False
        table["dialect"] = dialect
    return {**table, "tableSchema": schema}


def _column(
    fact: FieldFacts, one: Surveyed, names: Mapping[str, str]
) -> dict[str, Any]:
    column: dict[str, Any] = {"name": names[fact.field], "titles": fact.field}
    if fact.filled and not fact.blank:
        column["required"] = True
    if one.null:
        column["null"] = ["", *one.null]
    column["datatype"] = _datatype(fact)
    return column


def _datatype(fact: FieldFacts) -> dict[str, Any] | str:
    whole = fact.not_a_number == 0
    if fact.kind in ("whole number", "number") and whole:
        base = "integer" if fact.kind == "whole number" else "decimal"
        return {"base": base, "minimum": fact.least, "maximum": fact.greatest}
    dates = fact.dates
    if dates is not None and dates.is_settled and dates.count == fact.filled:
        return {"base": "date", "format": dates.pattern}
    if fact.kind == "blank":
        return "string"
    least, greatest = fact.lengths
    if fact.kind == "code" and whole:
        size = f"{{{least}}}" if least == greatest else f"{{{least},{greatest}}}"
        return {"base": "string", "format": f"[0-9]{size}"}
    choices = fact.values
    few = 0 < len(choices) <= _MOST_CHOICES
    if few and fact.filled >= _USED_EACH * len(choices):
        return {"base": "string", "format": choices_pattern(choices)}
    return {"base": "string", "minLength": least, "maxLength": greatest}
