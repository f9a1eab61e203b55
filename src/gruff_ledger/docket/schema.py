"""The JSON Schema of a docket, for editors that check and complete it."""

from __future__ import annotations

from typing import Any

from gruff_ledger.docket.sections import (
    AskTerms,
    DocketTerms,
    ListTerms,
    OutTerms,
    entry_terms,
)
from gruff_ledger.terms.declared import json_schema
from gruff_ledger.work.registry import VERBS
from gruff_ledger.work.verb import Verb


def docket_schema() -> dict[str, Any]:
    """
    Return the JSON Schema (draft 2020-12) of a docket.

    It is made from the declarations that dockets are checked by.
    """
    schema = json_schema(DocketTerms)
    schema["properties"]["docket"]["const"] = 1
    schema["properties"] |= {
        "ask": _tables_by_name(json_schema(AskTerms)),
        "lists": {**_tables_by_name(json_schema(ListTerms)), "minProperties": 1},
        "entry": {
            "type": "array",
            "items": {"oneOf": [_entry_schema(verb) for verb in VERBS.values()]},
        },
        "out": {"type": "array", "items": json_schema(OutTerms)},
    }
    schema["required"] = ["docket", "lists"]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Gruff Ledger docket",
        **schema,
    }


def _tables_by_name(members: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "additionalProperties": members}


def _entry_schema(verb: Verb) -> dict[str, Any]:
    head = json_schema(entry_terms(verb))["properties"]
    head |= {
        each.key: {"type": "string", "description": each.description}
        for each in verb.further
    }
    head["do"] = {"const": verb.name, "description": verb.purpose}
    schema = json_schema(verb.terms, also=head)
    schema["required"] = ["do", *schema.get("required", [])]
    return schema
