"""Tracing: where a record or a cell of a result came from, and where one went.

Here the questions are asked; `back`, `forth` and `by_key` answer them, all from the
trail of a run alone.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar

import msgspec

from gruff_ledger.account.trail import by_key, known
from gruff_ledger.account.trail.answers import Sent, Traced
from gruff_ledger.account.trail.back import MadeWords, trace_back
from gruff_ledger.account.trail.forth import trace_forth
from gruff_ledger.account.trail.walk import OpenTrail
from gruff_ledger.problems import BadTerms

Asked = ParamSpec("Asked")
Answered = TypeVar("Answered")


def _as_one_answer(
    method: Callable[Concatenate[Tracing, Asked], Answered],
) -> Callable[Concatenate[Tracing, Asked], Answered]:
    """Say what does not fit in a damaged trail as a problem, whatever is asked."""

    @functools.wraps(method)
    def answer(self: Tracing, *asked: Asked.args, **more: Asked.kwargs) -> Answered:
        with self._trail.file.answering():
            answered = method(self, *asked, **more)
            if isinstance(answered, msgspec.Struct):
                # Cells that were altered may be of another kind than all were written.
                answered = msgspec.convert(
                    msgspec.to_builtins(answered), type(answered)
                )
            return answered

    return answer  # type: ignore[return-value]


def _nothing_to_say(verb: str, terms: Mapping[str, Any], field: str) -> str:
    return ""


class Tracing:
    """
    The trail of a run, for questions.

    Parameters
    ----------
    ledger : Path
        The folder of the ledger.
    made_words : callable, optional
        Says how a verb made a field; see `gruff_ledger.work.registry.made_words`.

    Raises
    ------
    UnreadableSource
        If it holds no trail.
    """

    def __init__(self, ledger: Path, made_words: MadeWords = _nothing_to_say) -> None:
        self._trail = OpenTrail(ledger)
        self._made_words = made_words

    # What there is ---------------------------------------------------------------

    @property
    def started(self) -> str:
        """When the run was begun."""
        return self._trail.account.started

    @property
    def results(self) -> list[str]:
        """The addresses of the results."""
        return [out.address for out in self._trail.outs]

    @property
    def sources(self) -> list[str]:
        """The names of the sources."""
        return [line.name for line in self._trail.sources]

    @property
    def place(self) -> Path:
        """The folder of the ledger."""
        return self._trail.ledger

    @_as_one_answer
    def lying_at(self, said: str) -> list[known.KnownList]:
        """Return the results and sources that lie where an address says."""
        return known.lists_lying_at(self._trail, said)

    @_as_one_answer
    def is_unchanged(self, kind: str, position: int, path: Path) -> bool:
        """Whether the file of a result or source is as the run left it."""
        return known.is_unchanged(self._trail, kind, position, path)

    @_as_one_answer
    def of_size(self, size_bytes: int) -> list[tuple[str, int, str]]:
        """Return kind, position and address of the lists of a size."""
        return known.lists_of_size(self._trail, size_bytes)

    def sha256_of(self, source: int) -> str:
        """Return the hash of a source; empty where it is not known."""
        return self._trail.account.sources[source].sha256 or ""

    @_as_one_answer
    def is_copy(self, result: int, path: Path) -> bool:
        """Whether a file of the size of a result is a copy of it."""
        return known.is_copy(self._trail, result, path)

    @_as_one_answer
    def find(self, said: str) -> known.KnownList:
        """
        Find what is meant by an address or a name.

        Returns
        -------
        kind : str
            ``result`` or ``source``.
        position : int

        Raises
        ------
        UnreadableSource
            If the run knows no such list, or several.
        """
        return known.find_list(self._trail, said)

    # Questions -------------------------------------------------------------------

    @_as_one_answer
    def record_in_row(self, source: int | None, row: int) -> int:
        """
        Return the number of the record in a row, as a list shows its rows.

        Parameters
        ----------
        source : int, optional
            The position of a source; of a result, whose heading is in row 1, None.
        row : int

        Raises
        ------
        BadTerms
            If the list knows no rows, or no record is there.
        """
        heading = 1
        if source is not None:
            above = self._trail.account.sources[source].heading_row
            if above is None:
                raise BadTerms(
                    "the list was read from a format without rows.",
                    "Give the number of the record in `record`.",
                    term="row",
                )
            heading = above
        if row <= heading:
            raise BadTerms(
                f"row {row} is the heading, or above it.",
                f"The records begin in row {heading + 1}.",
                term="row",
            )
        return row - heading

    @_as_one_answer
    def back(self, result: int, record: int, fields: Sequence[str] = ()) -> Traced:
        """
        Trace a record of a result back.

        Parameters
        ----------
        result : int
            The position of the result.
        record : int
            Its number, from 1.
        fields : sequence of str
            Headings of cells to trace; all, unless named.

        Raises
        ------
        UnreadableSource
            If the result has no such record.
        UnknownField
            If it has no such field.
        """
        return trace_back(self._trail, result, record, fields, self._made_words)

    @_as_one_answer
    def forth(self, source: int, record: int) -> Sent:
        """
        Tell what became of a record of a source.

        Raises
        ------
        UnreadableSource
            If the source had no such record.
        """
        return trace_forth(self._trail, source, record)

    @_as_one_answer
    def records_with(
        self, result: int, wanted: Mapping[str, str]
    ) -> tuple[list[int], bool]:
        """
        Find the records of a result that have certain cells.

        Returns
        -------
        records : list of int
            Their numbers, in order.
        is_all : bool
            False where there are more, which were not looked at.

        Raises
        ------
        UnknownField
            If the result has no such field.
        """
        return by_key.find_records(self._trail, result, wanted, self._made_words)

    @_as_one_answer
    def records_of_source(
        self, source: int, wanted: Mapping[str, str]
    ) -> tuple[list[int], bool]:
        """Find the records of a source that had certain cells; see `records_with`."""
        return by_key.find_records_of_source(self._trail, source, wanted), True
