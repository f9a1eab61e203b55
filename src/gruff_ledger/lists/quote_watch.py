"""Noticing, in a stream of bytes, quotes that do not enclose a whole cell.

Arrow reads ``"big" boat`` as ``big boat`` and says nothing. Every run of quotes is
looked at by arrays: where all odd runs open and close cells in turn, at the starts and
ends of cells, nothing is odd. Elsewhere the runs are followed one by one.
"""

from __future__ import annotations

import numpy as np

_QUOTE, _LINE_FEED, _CARRIAGE_RETURN = 34, 10, 13


class QuoteWatch:
    """
    Follows the quotes of a text, block by block.

    Attributes
    ----------
    is_odd : bool
        Whether a quoted cell was met that goes on behind its closing quote.
    """

    def __init__(self, delimiter: bytes) -> None:
        self.is_odd = False
        self._ends = np.zeros(256, np.bool_)
        self._ends[[delimiter[0], _LINE_FEED, _CARRIAGE_RETURN]] = True
        self._inside = False
        # The last byte that is no quote, and the quotes behind it: what follows them
        # is not known yet.
        self._carry_sums = b"\n"

    def add(self, block: bytes) -> None:
        """Look at the next block."""
        if self.is_odd or not block:
            return
        if len(self._carry_sums) == 1 and b'"' not in block:
            self._carry_sums = block[-1:]
            return
        data = self._carry_sums + block
        known = len(data.rstrip(b'"'))
        self._carry_sums = data[known - 1 :]
        codes = np.frombuffer(data, np.uint8, known)
        places = np.flatnonzero(codes == _QUOTE)
        if not len(places):
            return
        is_first = np.concatenate([[True], np.diff(places) > 1])
        firsts = np.flatnonzero(is_first)
        starts = places[firsts]
        lengths = np.diff(np.concatenate([firsts, [len(places)]]))
        at_start = self._ends[codes[starts - 1]]
        at_end = self._ends[codes[starts + lengths]]
        is_single = lengths % 2 == 1
        inside = np.logical_xor.accumulate(np.concatenate([[self._inside], is_single]))
        before = inside[:-1]
        fits = np.where(
            before, ~is_single | at_end, at_start & (is_single | at_end)
        ).all()
        if fits:
            self._inside = bool(inside[-1])
        else:
            self._follow(at_start, at_end, is_single)

    def _follow(self, at_start: object, at_end: object, is_single: object) -> None:
        """Follow runs one by one: quotes within unquoted cells open nothing."""
        inside = self._inside
        runs = zip(at_start.tolist(), at_end.tolist(), is_single.tolist(), strict=True)  # type: ignore[attr-defined]
        for starts, ends, single in runs:
            if not inside and not starts:
                continue
            closes = single if inside else not single
            if closes and not ends:
                self.is_odd = True
                return
            inside = not closes if inside or single else inside
        self._inside = inside
