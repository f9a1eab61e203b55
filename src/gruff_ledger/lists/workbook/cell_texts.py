"""Cells of workbooks as text: as a person would copy them down."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from typing import Any

from gruff_ledger.cells.numbers.plain import without_exponent

# Significant digits of a number that a workbook program stores and shows.
DIGITS = 15


def number_texts(values: Sequence[float]) -> list[str]:
    """Return what `number_text` gives for each of many numbers."""
    texts = [f"{value:.{DIGITS}g}" for value in values]
    # An exponent, or a zero with a sign, is rare, and looked for in all at once.
    whole = "\n".join(texts)
    if "e" in whole or "n" in whole:
        return [number_text(value) for value in values]
    return ["0" if text == "-0" else text for text in texts] if "-0" in whole else texts


def number_text(value: float) -> str:
    """
    Return a number with at most 15 significant digits, without a needless point.

    Examples
    --------
    >>> number_text(1e20), number_text(1.5e-7), number_text(12.50), number_text(-0.0)
    ('100000000000000000000', '0.00000015', '12.5', '0')
    """
    text = f"{value:.{DIGITS}g}"
    if "e" not in text:
        return "0" if text == "-0" else text
    return without_exponent(text)


def cell_text(value: Any) -> str:
    """
    Return a cell's value as a person would copy it down.

    Numbers have 15 significant digits at most, which is what workbook programs keep and
    show, and no exponent; dates and times are those
    of ISO 8601, lengths of time are hours, minutes and seconds.

    Examples
    --------
    >>> cell_text(12.0), cell_text(4.9000000000000004), cell_text(True)
    ('12', '4.9', 'TRUE')
    """
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float | int):
        return number_text(value)
    if isinstance(value, datetime.datetime):
        parts = "milliseconds" if value.microsecond else "seconds"
        return value.isoformat(timespec=parts)
    if isinstance(value, datetime.timedelta):
        thousandths = round(value / datetime.timedelta(milliseconds=1))
        sign = "-" if thousandths < 0 else ""
        seconds, rest = divmod(abs(thousandths), 1000)
        part = f".{rest:03}" if rest else ""
        return (
            f"{sign}{seconds // 3600}:{seconds // 60 % 60:02}:{seconds % 60:02}{part}"
        )
    if isinstance(value, datetime.time):
        return value.isoformat("milliseconds" if value.microsecond else "seconds")
    if isinstance(value, datetime.date):
        return value.isoformat()
    return "" if value is None else str(value)
