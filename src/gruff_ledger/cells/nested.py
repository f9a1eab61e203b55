"""Cells that hold an object or an array of JSON (RFC 8259), as what is nested does."""

from __future__ import annotations

import msgspec


def is_nested(cell: str) -> bool:
    """
    Whether a cell is an object or an array of JSON.

    Examples
    --------
    >>> is_nested('[{"on": "Mon"}]'), is_nested("[sic]"), is_nested("12")
    (True, False, False)
    """
    if cell[:1] not in ("[", "{"):
        return False
    try:
        msgspec.json.decode(cell.encode(), type=msgspec.Raw)
    except (msgspec.DecodeError, RecursionError, UnicodeError):
        return False
    return True
