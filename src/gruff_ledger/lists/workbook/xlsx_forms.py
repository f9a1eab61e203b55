"""The formats of the cells of an XLSX workbook, and notes beside them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.outputs.cell_findings import Remark
from gruff_ledger.lists.typed_cells import DATE, TEXT
from gruff_ledger.lists.workbook.own_look import FONT
from gruff_ledger.lists.workbook.places import letters_of
from gruff_ledger.outcome import Severity

# Fills that black text is read on; they differ in lightness too.
FILLS = {
    Severity.STOP: "#F4B6AE",
    Severity.WARN: "#FBE3A4",
    Severity.NOTE: "#DCE9F5",
}

# With more notes a workbook opens slowly; the others are coloured and listed.
MOST_NOTES = 10_000

_NOTE_WIDTH_PIXELS = 260
_LINE_PIXELS = 20
_LINE_CHARACTERS = 38

# A cell of the sheet that samples stand in, with its format.
_SAMPLE = late_pattern(r'<c r="([A-Z]+)2" s="(\d+)"')


class Forms:
    """
    The formats of the cells of a workbook.

    Parameters
    ----------
    book : OwnBook

    Attributes
    ----------
    heading, text
        Of headings, and of cells of text.
    """

    def __init__(self, book: Any) -> None:
        self.heading = book.add_format(
            {"bold": True, "text_wrap": True, "valign": "top"}
        )
        self.text = book.add_format({"num_format": "@"})
        self.wrapped = book.add_format(
            {"num_format": "@", "text_wrap": True, "valign": "top"}
        )
        self._book = book
        self._known: dict[tuple[int, Severity | None], Any] = {
            (TEXT, None): self.text,
            # A whole number needs no format.
            (0, None): None,
        }
        # In a column of texts a whole number needs one.
        self.whole = book.add_format({"num_format": "0"})
        self._notes = 0

    def of(self, kind: int, severity: Severity | None) -> Any:
        """
        Return the format of a cell.

        Parameters
        ----------
        kind : int
            See `typed_cells`.
        severity : Severity, optional
            Of what is said of it.
        """
        if (kind, severity) not in self._known:
            form: dict[str, Any] = {}
            if kind == TEXT:
                form["num_format"] = "@"
            elif kind == DATE:
                form["num_format"] = "yyyy-mm-dd"
            elif kind:
                form["num_format"] = "0." + "0" * kind
            if severity is not None:
                form["bg_color"] = FILLS[severity]
            self._known[kind, severity] = self._book.add_format(form)
        return self._known[kind, severity]

    def write_samples(self, sheet: Any) -> None:
        """Write a cell of each format in row 2, which is not kept, for its number."""
        for place, form in enumerate(self._all()):
            sheet.write_blank(1, place, None, form)

    def numbers_in(self, xml: str) -> dict[int, int]:
        """
        Return the numbers that the library gave the formats.

        Parameters
        ----------
        xml : str
            The tab with the samples.

        Returns
        -------
        dict
            By the identity of a format; one that is not there is number 0.
        """
        found = {match[1]: int(match[2]) for match in _SAMPLE.finditer(xml)}
        return {
            id(form): found[letters_of(place)]
            for place, form in enumerate(self._all(), 1)
        }

    def _all(self) -> list[Any]:
        known = [form for form in self._known.values() if form is not None]
        return [*known, self.wrapped, self.whole]

    def add_note(
        self, sheet: Any, row: int, column: int, remarks: Sequence[Remark]
    ) -> None:
        """Put what is said of a cell beside it, as a note."""
        if self._notes >= MOST_NOTES:
            return
        self._notes += 1
        text = "\n".join(f"{remark.severity}: {remark.text}" for remark in remarks)
        lines = sum(1 + len(line) // _LINE_CHARACTERS for line in text.split("\n"))
        options = {
            "width": _NOTE_WIDTH_PIXELS,
            "height": (lines + 1) * _LINE_PIXELS,
            "author": "",
            "font_name": FONT,
        }
        sheet.write_comment(row, column, text[:32_000], options)


def worst_of(remarks: Sequence[Remark]) -> Severity:
    """Return the severity of the worst that is said of a cell."""
    return max((remark.severity for remark in remarks), key=lambda each: each.rank)
