"""Lists that map: two fields, what is found and what stands for it."""

from __future__ import annotations

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table


def pairs_of(listed: Table, term: str) -> dict[str, str]:
    """
    Return what a map list says.

    Parameters
    ----------
    listed : Table
        Of two fields: what is found, and what stands for it.
    term : str
        What named the list, for messages.

    Returns
    -------
    dict
        Without records in which what is found is blank.

    Raises
    ------
    BadTerms
        If the list has not two fields, or says two things of one value.
    """
    if len(listed.headings) != 2:
        raise BadTerms(
            f"{listed.name} has {len(listed.headings)} fields, and a map has two: what "
            "is found, and what stands for it.",
            "Choose its two fields in the address, as in map.csv#col=1;3.",
            term=term,
        )
    pairs: dict[str, str] = {}
    for number, (was, now) in enumerate(listed.records()):
        if is_blank(was):
            continue
        if pairs.setdefault(was, now) != now:
            raise BadTerms(
                f"{listed.name} says two things of '{was}': '{pairs[was]}' and '{now}' "
                f"(record {listed.places.record[number]}).",
                "Leave one of the records in it.",
                term=term,
            )
    return pairs
