"""JSON that is read as a list, without a file."""

from __future__ import annotations

from gruff_ledger.lists.address import parse_address
from gruff_ledger.lists.json.read import read_json, read_json_lines
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import open_bytes


def json_of(text: str | bytes, part: str = "", lines: bool = False) -> Reading:
    """Read JSON, or JSON Lines."""
    data = text if isinstance(text, bytes) else text.encode("utf-8")
    opened = open_bytes(data, name="list", address="list.json")
    reader = read_json_lines if lines else read_json
    return reader(opened, ReadingTerms(), parse_address("list.json" + part).fragment)
