"""Amounts that are added, compared or put in one field must be of one currency."""

from __future__ import annotations

from collections.abc import Sequence

from gruff_ledger.formula.nodes import BadFormula, Place
from gruff_ledger.formula.values import Numbers


def one_currency(amounts: Sequence[Numbers], places: Sequence[Place]) -> str:
    """
    Return the currency that amounts have in common; empty where none is known.

    Parameters
    ----------
    amounts : sequence of Numbers
        To be put together as they are.
    places : sequence of Place
        Where each stands in the formula.

    Raises
    ------
    BadFormula
        If two are known to be of different ones.
    """
    known = [
        (each.currency, place)
        for each, place in zip(amounts, places, strict=True)
        if each.currency
    ]
    for currency, place in known:
        first, there = known[0]
        if currency != first:
            raise BadFormula(
                f"{there.written} is in {first} and {place.written} in {currency}: "
                "amounts of two currencies cannot be added, compared or put together "
                "as they are.",
                f"Multiply one by a rate first, as in {place.written} * 1.25; or say "
                f"that it is a bare number, as in CAST({place.written} AS DECIMAL).",
                place,
            )
    return known[0][0] if known else ""
