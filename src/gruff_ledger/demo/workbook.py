"""The demo's workbook: the dues that boats paid, a tab a month, as people keep them.

It has titles above each list, codes that only look like numbers, a row of totals, notes
below and a hidden tab.
"""

from __future__ import annotations

import datetime
from pathlib import Path

_BOATS = (
    ("Quiet Petrel", 120.0, 0.2),
    ("Brave Sandpiper", 86.5, 0.2),
    ("Lucky Otter", 140.25, 0.1),
    ("Amber Cormorant", 99.9, 0.2),
    ("Élodie", 240.0, 0.1),
    ("Northern Petrel", 75.0, 0.2),
    ("Old Compass", 64.8, 0.2),
    ("Merry Bell", 310.4, 0.1),
)
_MONTHS = (
    ("September", 9, 6, False),
    ("October", 10, 8, False),
    ("Draft", 11, 2, True),
)
_HEADINGS = ("Berth", "Boat", "Paid on", "Dues", "Reduction")


def write_dues(path: Path) -> None:
    """Write the workbook, by XlsxWriter."""
    import xlsxwriter

    options = {"in_memory": True}
    with xlsxwriter.Workbook(str(path), options) as book:
        # So that the same file is made each time.
        book.set_properties({"created": datetime.datetime(2026, 10, 31)})
        forms = {
            name: book.add_format({"num_format": form})
            for name, form in (
                ("code", "000"),
                ("date", "dd/mm/yyyy"),
                ("money", "#,##0.00"),
                ("share", "0%"),
            )
        }
        bold = book.add_format({"bold": True})
        for name, month, count, hidden in _MONTHS:
            tab = book.add_worksheet(name)
            if hidden:
                tab.hide()
            tab.set_column(1, 5, 16)
            tab.write_string(0, 1, "Harbour dues", bold)
            tab.write_string(1, 1, f"{name} 2026")
            tab.write_row(3, 1, _HEADINGS, bold)
            for row, (boat, dues, share) in enumerate(_BOATS[:count], 4):
                tab.write_number(row, 1, row - 2, forms["code"])
                tab.write_string(row, 2, boat)
                day = datetime.datetime(2026, month, 1 + row * 2)
                tab.write_datetime(row, 3, day, forms["date"])
                tab.write_number(row, 4, dues + month, forms["money"])
                tab.write_number(row, 5, share, forms["share"])
            end = 4 + count
            total = sum(dues + month for _, dues, _ in _BOATS[:count])
            tab.write_string(end, 1, "Total", bold)
            sums = f"=SUM(E5:E{end})"
            tab.write_formula(end, 4, sums, forms["money"], round(total, 2))
            tab.write_string(end + 2, 1, "Paid in cash unless stated.")
