"""Templates: texts with the cells of a record in them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.text.weave import by_stretches, bytes_of, repeated, woven
from gruff_ledger.cells.text_bytes import Chunk
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.problems import BadTerms


def template_parts(template: str, term: str) -> list[tuple[str, bool]]:
    """
    Return the parts of a template, each with whether it is a name in braces.

    Parameters
    ----------
    template : str
    term : str
        The term that states it, for messages.

    Raises
    ------
    BadTerms
        If a brace stands alone.

    Examples
    --------
    >>> template_parts("{Boat} lies {{here}}", "template")
    [('Boat', True), (' lies ', False), ('{', False), ('here', False), ('}', False)]
    """
    parts = []
    for match in re.finditer(r"\{\{|\}\}|\{([^{}]*)\}|[{}]|[^{}]+", template):
        if match[0] in "{}":
            raise BadTerms(
                f"a brace has no partner in the template '{template}'.",
                "Write {FIELD}, and a brace itself twice.",
                term=term,
            )
        if match[1] is not None:
            parts.append((match[1].strip(), True))
        else:
            text = match[0].replace("{{", "{").replace("}}", "}")
            parts.append((text, False))
    return parts


def by_template(
    parts: Sequence[str | int], columns: Sequence[Column], wanted: Mask | None = None
) -> Column:
    """
    Put the cells of each record into a text.

    Parameters
    ----------
    parts : sequence
        Texts as they stand, and positions in `columns`.
    columns : sequence of Column, n cells each
    wanted : ndarray of bool, shape (n,), optional
        Where there is to be a text; unless given, where not all columns are blank.

    Returns
    -------
    Column, n cells
    """
    filled = wanted
    if filled is None:
        filled = np.logical_or.reduce([~blank_mask(column) for column in columns])

    def of_stretch(chunks: list[Chunk], where: slice) -> list[Any]:
        mine = filled[where]
        return [
            woven(
                [
                    repeated(part, mine)
                    if isinstance(part, str)
                    else cells_where(chunks[part], mine)
                    for part in parts
                ]
            )
        ]

    (column,) = by_stretches(columns, of_stretch)
    return column


def cells_where(chunk: Chunk, mask: Mask) -> tuple[Any, Any]:
    """Return the cells where a mask is true, as a part to be woven."""
    data, lengths = bytes_of(chunk)
    if mask.all():
        return data, lengths
    return data[np.repeat(mask, lengths)], np.where(mask, lengths, 0)
