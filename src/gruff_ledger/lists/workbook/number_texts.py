"""Numbers of workbooks as text: as a person would copy them down."""

from __future__ import annotations

from collections.abc import Sequence

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
