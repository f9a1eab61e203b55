"""The text of a docket, and where what is wrong with it stands."""

from __future__ import annotations

import msgspec

from gruff_ledger.docket.toml_lines import Statement, line_of
from gruff_ledger.problems import BadDocket, BadTerms, Problem


class DocketText(msgspec.Struct, frozen=True):
    """The docket's text, to tell the line on which a thing stands."""

    file: str
    statements: tuple[Statement, ...] = ()

    def line(
        self,
        table: str | tuple[str, ...],
        number: int = 1,
        key: str | None = None,
    ) -> int | None:
        """
        Return the line of the `number`-th table of that name, or of a key in it.

        A best effort for people: a docket that builds its tables inline has no such
        lines, and None is returned.
        """
        if isinstance(table, str):
            table = (table,) if table else ()
        return line_of(self.statements, table, number, key)

    def refused(
        self,
        problem: Problem,
        table: str | tuple[str, ...],
        number: int = 1,
        entry: str | None = None,
    ) -> Problem:
        """Return a problem of terms as one of the docket, with its place."""
        if isinstance(problem, BadDocket) or not isinstance(problem, BadTerms):
            line = self.line(table, number)
            return problem.placed(file=self.file, entry=entry, line=line)
        refused = BadDocket(
            problem.what,
            problem.remedy,
            file=self.file,
            entry=entry,
            line=self.line(table, number, problem.term),
            term=problem.term,
        )
        refused.excerpt = problem.excerpt
        refused.also = tuple(
            self.refused(each, table, number, entry) for each in problem.also
        )
        return refused
