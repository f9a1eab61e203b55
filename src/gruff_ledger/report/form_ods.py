"""Forms as ODS (ISO/IEC 26300-1, 9.4.4, content validations)."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator
from typing import Any, BinaryIO
from xml.sax.saxutils import escape, quoteattr

from gruff_ledger.cells.numbers.plain import number_of
from gruff_ledger.lists.typed_cells import DATE, TEXT
from gruff_ledger.lists.workbook.cell_texts import number_text
from gruff_ledger.lists.workbook.ods.package import (
    CellStyles,
    content_end,
    content_head,
    fixed_parts,
)
from gruff_ledger.lists.workbook.ods.rows import paragraphs
from gruff_ledger.lists.workbook.places import letters_of
from gruff_ledger.lists.workbook.streamed import write_parts
from gruff_ledger.lists.workbook.tab_limits import width_of
from gruff_ledger.work.check.form.perform import FormField, FormPlan, Limit

FORM, CHOICES = "Form", "Choices"

Bounds = Callable[[Limit], dict[str, Any]]

# What parts the cells that a choice depends on, in the column that is looked in.
PARTING = " | "

_STOPS = {"stop": "stop", "warn": "warning", "note": "information"}

# What an entry must be, by the kind of its limit (ISO/IEC 26300-1, 19.613).
_KINDS = {
    "number": "cell-content-is-decimal-number()",
    "whole": "cell-content-is-whole-number()",
    "date": "cell-content-is-date()",
}


def write_ods_form(plan: FormPlan, bounds: Bounds, sink: BinaryIO) -> None:
    """
    Write a form.

    Parameters
    ----------
    plan : FormPlan
    bounds : callable
        Returns how a workbook states a least and a greatest.
    sink : binary file
    """
    made = _Form(plan, bounds)
    body = b"".join(made.body())
    content = [content_head(made.styles()), body, content_end([])]
    parts = [*fixed_parts([FORM]), ("content.xml", content)]
    write_parts(sink, parts, {})


class _Form:
    def __init__(self, plan: FormPlan, bounds: Bounds) -> None:
        self._plan = plan
        self._bounds = bounds
        self._cells = CellStyles({})
        self._places = {field.heading: at for at, field in enumerate(plan.fields)}
        self._last = len(plan.records) + plan.rows + 1
        self._choices: list[list[str]] = []
        self._more_styles: list[str] = []

    def styles(self) -> str:
        """Return all styles, once the body was made."""
        return self._cells.xml() + "".join(self._more_styles)

    def body(self) -> Iterator[bytes]:
        """Yield validations and tabs."""
        fields = list(enumerate(self._plan.fields))
        held = "".join(self._validation(place, field) for place, field in fields)
        yield (
            f"<table:content-validations>{held}</table:content-validations>"
            if held
            else ""
        ).encode()
        styles = [self._style(place, field) for place, field in fields]
        columns = self._plan.records.all_cells
        declared = "".join(
            "<table:table-column table:style-name="
            f'"{self._cells.of_width(width_of(field.heading, columns[place]))}" '
            f'table:default-cell-style-name="{styles[place]}"/>'
            for place, field in fields
        )
        headings = "".join(
            '<table:table-cell table:style-name="heading" office:value-type="string">'
            f"<text:p>{paragraphs(field.heading)}</text:p></table:table-cell>"
            for _, field in fields
        )
        yield (
            f'<table:table table:name="{FORM}" table:style-name="tab">{declared}'
            f"<table:table-header-rows><table:table-row>{headings}</table:table-row>"
            "</table:table-header-rows>"
        ).encode()
        open_tags = [
            f'<table:table-cell table:style-name="{styles[place]}"'
            + (f' table:content-validation-name="v{place}"' if _is_held(field) else "")
            for place, field in fields
        ]
        for record in self._plan.records.records():
            cells = "".join(
                _cell(tag, field, cell)
                for tag, (_, field), cell in zip(open_tags, fields, record, strict=True)
            )
            yield f"<table:table-row>{cells}</table:table-row>".encode()
        empty = "".join(f"{tag}/>" for tag in open_tags)
        yield (
            f'<table:table-row table:number-rows-repeated="{self._plan.rows}">{empty}'
            "</table:table-row></table:table>"
        ).encode()
        yield from self._choices_tab()

    def _style(self, place: int, field: FormField) -> str:
        """Return the style of a column; a required one shows where it is blank."""
        kind = {"text": TEXT, "number": 0, "date": DATE}[field.holds]
        base = self._cells.of(kind)
        if not field.required:
            return base
        # A workbook cannot refuse what is not entered: it is coloured instead.
        end, mine = letters_of(len(self._plan.fields)), letters_of(place + 1)
        condition = (
            f'is-true-formula(AND(COUNTA([.$A2:.${end}2])>0;TRIM([.${mine}2])=""))'
        )
        data = {"text": "text", "number": "number0", "date": "date"}[field.holds]
        self._more_styles.append(
            f'<style:style style:name="required{place}" style:family="table-cell" '
            f'style:parent-style-name="Default" style:data-style-name="{data}">'
            f"<style:map style:condition={quoteattr(condition)} "
            'style:apply-style-name="missing" '
            f'style:base-cell-address="{FORM}.{mine}2"/></style:style>'
        )
        return f"required{place}"

    def _validation(self, place: int, field: FormField) -> str:
        if not _is_held(field):
            return ""
        condition = ""
        if field.limit is not None:
            said = f"of:{self._condition(place, field.limit)}"
            condition = f" table:condition={quoteattr(said)}"
        title = quoteattr(field.heading)
        told = ""
        if field.hint:
            told += (
                f'<table:help-message table:title={title} table:display="true">'
                f"<text:p>{paragraphs(field.hint)}</text:p></table:help-message>"
            )
        if field.limit is not None:
            told += (
                f'<table:error-message table:title={title} table:display="true" '
                f'table:message-type="{_STOPS[field.severity]}">'
                f"<text:p>{paragraphs(field.message)}</text:p></table:error-message>"
            )
        return (
            f'<table:content-validation table:name="v{place}"{condition} '
            'table:allow-empty-cell="true" table:display-list="unsorted" '
            f'table:base-cell-address="{FORM}.{letters_of(place + 1)}2">{told}'
            "</table:content-validation>"
        )

    def _condition(self, place: int, limit: Limit) -> str:
        mine = letters_of(place + 1)
        if limit.kind == "choice":
            column = self._next_column([value for _, value in limit.choices])
            whole = _range(column, max(1, len(limit.choices)))
            return f"cell-content-is-in-list({whole})"
        if limit.kind == "choice-per":
            return f"cell-content-is-in-list({self._listed_per(limit)})"
        if limit.kind == "unique":
            whole = f"[.${mine}$2:.${mine}${self._last}]"
            return f"is-true-formula(COUNTIF({whole};[.{mine}2])=1)"
        value = "cell-content()"
        parts = [_KINDS[limit.kind]] if limit.kind in _KINDS else []
        if limit.kind == "length":
            value = "cell-content-text-length()"
        stated = self._bounds(limit)
        if stated["criteria"] == "between":
            parts.append(f"{value}>={_written(stated['minimum'])}")
            parts.append(f"{value}<={_written(stated['maximum'])}")
        else:
            parts.append(f"{value}{stated['criteria']}{_written(stated['value'])}")
        return " and ".join(parts)

    def _listed_per(self, limit: Limit) -> str:
        """Write choices beside what they depend on; return what finds them."""
        ordered = sorted(limit.choices, key=lambda choice: choice[0])
        keys = self._next_column([PARTING.join(key) for key, _ in ordered])
        values = self._next_column([value for _, value in ordered])
        looked_in = _range(keys, max(1, len(ordered)))
        cells = [f"[.${letters_of(self._places[name] + 1)}2]" for name in limit.per]
        wanted = f'&"{PARTING}"&'.join(cells)
        first = f"[${CHOICES}.${values}$1]"
        start = f"MATCH({wanted};{looked_in};0)-1"
        return f"OFFSET({first};{start};0;COUNTIF({looked_in};{wanted});1)"

    def _next_column(self, cells: list[str]) -> str:
        self._choices.append(cells)
        return letters_of(len(self._choices))

    def _choices_tab(self) -> Iterator[bytes]:
        text = self._cells.of(TEXT)
        yield (
            f'<table:table table:name="{CHOICES}" table:style-name="hidden">'
            f'<table:table-column table:default-cell-style-name="{text}" '
            f'table:number-columns-repeated="{max(1, len(self._choices))}"/>'
        ).encode()
        for row in range(max([1, *map(len, self._choices)])):
            cells = "".join(
                _text_cell("<table:table-cell", column[row])
                if row < len(column)
                else "<table:table-cell/>"
                for column in self._choices
            )
            row_of = cells or "<table:table-cell/>"
            yield f"<table:table-row>{row_of}</table:table-row>".encode()
        yield b"</table:table>"


def _is_held(field: FormField) -> bool:
    return field.limit is not None or bool(field.hint)


def _range(column: str, last: int) -> str:
    return f"[${CHOICES}.${column}$1:.${column}${last}]"


def _written(value: Any) -> str:
    if isinstance(value, datetime.date):
        return f"DATE({value.year};{value.month};{value.day})"
    return number_text(float(value))


def _cell(tag: str, field: FormField, cell: str) -> str:
    """Return a cell that has an entry already, as what its field holds."""
    if not cell:
        return f"{tag}/>"
    if field.holds == "number":
        number = number_of(cell)
        # A number that would come back as other text stays text.
        if number is not None and number_text(float(number)) == cell:
            return (
                f'{tag} office:value-type="float" office:value="{cell}"><text:p>{cell}'
                "</text:p></table:table-cell>"
            )
    if field.holds == "date":
        try:
            day = datetime.date.fromisoformat(cell.strip()[:10]).isoformat()
        except ValueError:
            pass
        else:
            return (
                f'{tag} office:value-type="date" office:date-value="{day}"><text:p>'
                f"{escape(day)}</text:p></table:table-cell>"
            )
    return _text_cell(tag, cell)


def _text_cell(tag: str, text: str) -> str:
    return (
        f'{tag} office:value-type="string"><text:p>{paragraphs(text)}</text:p>'
        "</table:table-cell>"
    )
