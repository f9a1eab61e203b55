"""Forms as XLSX (ISO/IEC 29500-1, section 18.3.1.33, data validations), and as ODS."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import Any, BinaryIO

from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.lists.workbook.cell_texts import number_text
from gruff_ledger.lists.workbook.places import letters_of
from gruff_ledger.lists.workbook.tab_limits import width_of
from gruff_ledger.lists.workbook.write_xlsx import CREATED
from gruff_ledger.report.form_ods import CHOICES, PARTING, write_ods_form
from gruff_ledger.work.check.form.perform import FormField, FormPlan, Limit

# The limits of the standard on what is told (18.3.1.32: prompt, error and titles).
_MOST_TOLD = 255
_MOST_TITLE = 32

_STOPS = {"stop": "stop", "warn": "warning", "note": "information"}

_REQUIRED_FILL = "#F4B6AE"


def write_form(
    plan: FormPlan,
    sink: BinaryIO,
    ending: str,
    sources: Mapping[str, Mapping[str, Any]],
) -> None:
    """
    Write a form.

    Parameters
    ----------
    plan : FormPlan
    sink : binary file
    ending : str
        Of the path: ``.ods`` or ``.xlsx``.
    sources : mapping
        Not looked at.
    """
    if ending == ".ods":
        write_ods_form(plan, _bounds, sink)
        return
    from gruff_ledger.lists.workbook.own_look import OwnBook

    with OwnBook(sink, {"in_memory": True}) as book:
        book.set_properties({"created": CREATED})
        _FormBook(book, plan).write()


class _FormBook:
    """The workbook of a form."""

    def __init__(self, book: Any, plan: FormPlan) -> None:
        self._plan = plan
        self._sheet = book.add_worksheet("Form")
        self._choices = book.add_worksheet(CHOICES)
        self._choices.hide()
        self._heading = book.add_format({"bold": True, "text_wrap": True})
        self._required = book.add_format({"bg_color": _REQUIRED_FILL})
        self._forms = {
            "text": book.add_format({"num_format": "@"}),
            "number": book.add_format({}),
            "date": book.add_format({"num_format": "yyyy-mm-dd"}),
        }
        self._places = {f.heading: at for at, f in enumerate(plan.fields)}
        self._used_columns = 0
        self._last = len(plan.records) + plan.rows

    def write(self) -> None:
        """Write headings, records, limits and choices."""
        sheet = self._sheet
        for place, field in enumerate(self._plan.fields):
            column = self._plan.records.all_cells[place]
            width = width_of(field.heading, column)
            sheet.set_column(place, place, width, self._forms[field.holds])
            sheet.write_string(0, place, field.heading, self._heading)
            for row, cell in enumerate(column.to_pylist(), 1):
                self._write_cell(row, place, cell, field)
            self._hold(place, field)
        sheet.freeze_panes(1, 0)
        letters = letters_of(len(self._plan.fields))
        sheet.ignore_errors({"number_stored_as_text": f"A1:{letters}{self._last + 1}"})

    def _write_cell(self, row: int, place: int, cell: str, field: FormField) -> None:
        form = self._forms[field.holds]
        if not cell:
            return
        if field.holds == "number":
            number = number_of(cell)
            # A number that would come back as other text stays text.
            if number is not None and number_text(float(number)) == cell:
                self._sheet.write_number(row, place, float(number), form)
                return
        if field.holds == "date":
            day = _date_of(cell)
            if day is not None:
                self._sheet.write_datetime(row, place, day, form)
                return
        self._sheet.write_string(row, place, cell, self._forms["text"])

    def _hold(self, place: int, field: FormField) -> None:
        """Hold the entries of a field to its limit, and give its hint."""
        told: dict[str, Any] = {}
        if field.hint:
            told["input_title"] = field.heading[:_MOST_TITLE]
            told["input_message"] = field.hint[:_MOST_TOLD]
        if field.limit is None:
            if told:
                self._validate(place, {"validate": "any", **told})
        else:
            told["error_title"] = field.heading[:_MOST_TITLE]
            told["error_message"] = field.message[:_MOST_TOLD]
            told["error_type"] = _STOPS[field.severity]
            self._validate(place, {**self._criterion(place, field.limit), **told})
        if field.required:
            # A workbook cannot refuse what is not entered: it is coloured instead.
            end = letters_of(len(self._plan.fields))
            mine = letters_of(place + 1)
            formula = f'=AND(COUNTA($A2:${end}2)>0,TRIM(${mine}2)="")'
            self._sheet.conditional_format(
                *(1, place, self._last, place),
                {"type": "formula", "criteria": formula, "format": self._required},
            )

    def _validate(self, place: int, options: dict[str, Any]) -> None:
        self._sheet.data_validation(1, place, self._last, place, options)

    def _criterion(self, place: int, limit: Limit) -> dict[str, Any]:
        if limit.kind == "choice":
            return {"validate": "list", "source": self._listed(limit)}
        if limit.kind == "choice-per":
            return {"validate": "list", "source": self._listed_per(limit)}
        if limit.kind == "unique":
            mine = letters_of(place + 1)
            whole = f"${mine}$2:${mine}${self._last + 1}"
            return {"validate": "custom", "value": f"=COUNTIF({whole},{mine}2)=1"}
        kinds = {"number": "decimal", "whole": "integer", "length": "length"}
        return {"validate": kinds.get(limit.kind, limit.kind), **_bounds(limit)}

    def _listed(self, limit: Limit) -> str:
        """Write choices to a column of their own; return where they are."""
        column = self._next_column([value for _, value in limit.choices])
        return f"={CHOICES}!${column}$1:${column}${max(1, len(limit.choices))}"

    def _listed_per(self, limit: Limit) -> str:
        """Write choices beside what they depend on; return what finds them."""
        ordered = sorted(limit.choices, key=lambda choice: choice[0])
        keys = self._next_column([PARTING.join(key) for key, _ in ordered])
        values = self._next_column([value for _, value in ordered])
        looked_in = f"{CHOICES}!${keys}$1:${keys}${max(1, len(ordered))}"
        cells = [f"${letters_of(self._places[heading] + 1)}2" for heading in limit.per]
        wanted = f'&"{PARTING}"&'.join(cells)
        first = f"{CHOICES}!${values}$1"
        start = f"MATCH({wanted},{looked_in},0)-1"
        return f"=OFFSET({first},{start},0,COUNTIF({looked_in},{wanted}),1)"

    def _next_column(self, cells: list[str]) -> str:
        place = self._used_columns
        self._used_columns += 1
        for row, cell in enumerate(cells):
            self._choices.write_string(row, place, cell, self._forms["text"])
        return letters_of(place + 1)


def _bounds(limit: Limit) -> dict[str, Any]:
    """Return how a workbook states a least and a greatest."""
    least, greatest = (_bound(limit, each) for each in (limit.least, limit.greatest))
    if least is not None and greatest is not None:
        if not any(limit.exclusive):
            return {"criteria": "between", "minimum": least, "maximum": greatest}
        # Two exclusive bounds cannot be stated; the other is told in the hint.
        return {"criteria": ">" if limit.exclusive[0] else ">=", "value": least}
    if least is not None:
        return {"criteria": ">" if limit.exclusive[0] else ">=", "value": least}
    if greatest is not None:
        return {"criteria": "<" if limit.exclusive[1] else "<=", "value": greatest}
    if limit.kind == "date":
        # Any date: the first that workbooks know, and later.
        return {"criteria": ">=", "value": datetime.date(1900, 1, 1)}
    # Any number that a workbook holds to the last digit.
    return {"criteria": "between", "minimum": -(10**15), "maximum": 10**15}


def _bound(limit: Limit, text: str | None) -> Any:
    if text is None:
        return None
    if limit.kind == "date":
        return _date_of(text)
    number = number_of(text)
    assert number is not None
    return int(number) if number == int(number) else float(number)


def _date_of(text: str) -> datetime.date | None:
    try:
        return datetime.date.fromisoformat(text.strip()[:10])
    except ValueError:
        return None
