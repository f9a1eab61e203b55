"""What `form` does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from gruff_ledger.cells.blank import is_blank
from gruff_ledger.field_names import find_field, find_fields
from gruff_ledger.outcome import Note, Outcome
from gruff_ledger.problems import BadTerms
from gruff_ledger.rules.check import Checking
from gruff_ledger.rules.rule import DATES, NUMBERS, Rule
from gruff_ledger.table import Table
from gruff_ledger.words import first_few
from gruff_ledger.work.check.form.terms import FormTerms
from gruff_ledger.written.of_list import with_other_ways
from gruff_ledger.written.way import kind_said

# Choices of one field in a form; more are no help to pick from.
_MOST_CHOICES = 100_000


class Limit(NamedTuple):
    """
    What an entry is held to.

    Attributes
    ----------
    kind : str
        ``choice``, ``choice-per``, ``number``, ``whole``, ``date``, ``length``,
        ``unique`` or ``holds``.
    least, greatest : str or None
        Of numbers, dates and lengths; exclusive where so said.
    exclusive : tuple of bool
        Whether the least and the greatest are themselves outside.
    choices : tuple of (key, value)
        What may be picked; the key is the cells of `per`.
    per : tuple of str
        Headings of the fields that the choices depend on.
    """

    kind: str
    least: str | None = None
    greatest: str | None = None
    exclusive: tuple[bool, bool] = (False, False)
    choices: tuple[tuple[tuple[str, ...], str], ...] = ()
    per: tuple[str, ...] = ()


class FormField(NamedTuple):
    """
    One field of a form.

    Attributes
    ----------
    heading : str
    limit : Limit, optional
    severity : str
        Of the rule that the limit is of.
    hint, message : str
        Told when a cell is entered, and when its entry breaks the limit.
    required : bool
    holds : str
        ``number``, ``date`` or ``text``: how its cells are kept in a workbook.
    """

    heading: str
    limit: Limit | None
    severity: str
    hint: str
    message: str
    required: bool
    holds: str


class FormPlan(NamedTuple):
    """A form: its fields, the records that stand in it already, the rows to fill."""

    fields: tuple[FormField, ...]
    records: Table
    rows: int


def perform(
    terms: FormTerms,
    table: Table | None = None,
    references: Mapping[str, Table] | None = None,
    files: Mapping[str, bytes | None] | None = None,
) -> Outcome:
    """
    Plan a form.

    Parameters
    ----------
    terms : FormTerms
    table : Table, optional
        Whose headings, and whose records unless they are left out, it has.
    references, files : mapping, optional
        As for `gruff_ledger.work.check.flag.perform.perform`.

    Returns
    -------
    Outcome
        With the list as it was, and a `FormPlan` as its detail. Notes say which rules
        a workbook cannot hold an entry to.

    Raises
    ------
    UnknownField
        If a rule names a field that the form does not have.
    BadTerms
        If it would have no fields, or a rule cannot be followed.
    """
    name = "" if table is None else table.name
    headings = None if table is None else table.headings
    stated = terms.stated(files or {}, name, headings)
    wanted = _headings(terms, table, stated.in_file.fields, stated.rules)
    shape = table
    if shape is None:
        shape = Table.of_records(wanted, [], name="the form")
    fields, notes = find_fields(shape, wanted, "fields")
    shape, said = with_other_ways(shape, stated.in_file.written)
    checking = Checking(shape.cut_records(0, 0), references or {})
    resolved = [(term, checking.resolved(rule, term)) for term, rule in stated.rules]
    # On no records: rules that cannot be followed are refused now, not when it is back.
    checking.check(resolved)
    rules = [rule for _, rule in resolved]
    told = [*stated.in_file.notes, *notes, *said, *checking.notes]
    planned = []
    for heading in fields:
        mine = [
            rule for rule in rules if rule.field == heading or rule.key == (heading,)
        ]
        is_dated = kind_said(shape, heading) == "date"
        planned.append(
            _field(heading, mine, references or {}, fields, told, is_dated=is_dated)
        )
    told += _unheld(rules, fields)
    count = "1 field" if len(fields) == 1 else f"{len(fields)} fields"
    what = f"The form has {count}, and {terms.rows} rows to fill in."
    told.append(Note(what, is_headline=True))
    records = (
        shape if table is not None and not terms.empty else shape.cut_records(0, 0)
    )
    kept = shape.with_fields(fields, [shape.cells(h) for h in fields])
    plan = FormPlan(
        tuple(planned),
        kept.cut_records(0, len(records)),
        terms.rows,
    )
    return Outcome(shape, notes=tuple(told), detail=plan)


def _headings(
    terms: FormTerms,
    table: Table | None,
    in_file: Sequence[str],
    rules: Sequence[tuple[str, Rule]],
) -> tuple[str, ...]:
    """Return the headings of the form: named, of the list, or those that rules name."""
    if terms.fields:
        return terms.fields
    if table is not None:
        return table.headings
    named = [
        field
        for _, rule in rules
        for field in (*rule.per, rule.field, *rule.key)
        if field is not None
    ]
    headings = tuple(in_file) or tuple(dict.fromkeys(named))
    if not headings:
        raise BadTerms(
            "the form would have no fields.",
            "Name them in `fields`, or give a list that has them.",
            term="fields",
        )
    return headings


def _field(
    heading: str,
    rules: Sequence[Rule],
    references: Mapping[str, Table],
    fields: Sequence[str],
    notes: list[Note],
    *,
    is_dated: bool,
) -> FormField:
    """Plan one field; a cell of a workbook can be held to one limit only."""
    held: tuple[Limit, Rule] | None = None
    for rule in rules:
        for new in _limits(rule, heading, references, is_dated=is_dated):
            if not set(new.per) <= set(fields):
                notes.append(
                    Note(
                        f"{heading}: its choices depend on a field that the form does "
                        "not have, and are not given.",
                        "Name it in `fields`.",
                        warning=True,
                    )
                )
                continue
            better = held is None or _ORDER[new.kind] < _ORDER[held[0].kind]
            loser = new if not better else None if held is None else held[0]
            if loser is not None:
                notes.append(
                    Note(
                        f"{heading}: a cell can be held to one limit, and "
                        f"{_WORDS[loser.kind]} not checked as it is filled in.",
                        "That is checked when the form comes back and is flagged.",
                    )
                )
            if better:
                held = new, rule
        for kind, stated in (("pattern", rule.pattern), ("where", rule.where)):
            if stated is not None:
                what = "its pattern" if kind == "pattern" else "a condition on a rule"
                notes.append(
                    Note(
                        f"{heading}: {what} is not checked as it is filled in.",
                        "That is checked when the form comes back and is flagged.",
                    )
                )
    required = any(rule.required and rule.where is None for rule in rules)
    limit = None if held is None else held[0]
    rule = Rule(field=heading, required=True) if held is None else held[1]
    return FormField(
        heading=heading,
        limit=limit,
        severity=rule.severity or "warn",
        hint=_hint(heading, rules, limit, required=required),
        message=_message(heading, rule, limit),
        required=required,
        holds=_holds(rules, limit, is_dated=is_dated),
    )


# The limit that is kept where a field has several, and what each is called.
_ORDER = {
    "choice-per": 0,
    "choice": 1,
    "date": 2,
    "number": 3,
    "whole": 3,
    "unique": 4,
    "length": 5,
}
_WORDS = {
    "choice-per": "the choice is",
    "choice": "the choice is",
    "date": "its datatype with bounds is",
    "number": "its datatype with bounds is",
    "whole": "its datatype with bounds is",
    "unique": "that it is unique is",
    "length": "its length is",
}


def _limits(
    rule: Rule, heading: str, references: Mapping[str, Table], *, is_dated: bool
) -> list[Limit]:
    if rule.where is not None:
        return []
    found = []
    if rule.allowed:
        found.append(Limit("choice", choices=tuple(((), v) for v in rule.allowed)))
    elif rule.allowed_for:
        choices = tuple(
            ((key,), value) for key, each in rule.allowed_for.items() for value in each
        )
        found.append(Limit("choice-per", choices=choices, per=rule.per))
    elif rule.allowed_from is not None:
        found.append(_listed(rule, heading, references[rule.allowed_from]))
    elif rule.datatype == "boolean":
        found.append(Limit("choice", choices=tuple(((), w) for w in rule.truths()[:2])))
    if rule.unique or rule.key:
        found.append(Limit("unique"))
    if (rule.datatype in NUMBERS and rule.format_ is None) or _bounds_numbers(rule):
        kind = "whole" if rule.datatype == "integer" else "number"
        found.append(_between(rule, kind))
    elif rule.datatype in DATES and rule.format_ is None and not is_dated:
        found.append(_between(rule, "date"))
    lengths = (rule.length, rule.min_length, rule.max_length)
    if any(each is not None for each in lengths):
        least = rule.length if rule.length is not None else rule.min_length
        most = rule.length if rule.length is not None else rule.max_length
        found.append(
            Limit(
                "length",
                None if least is None else str(least),
                None if most is None else str(most),
            )
        )
    return found


def _bounds_numbers(rule: Rule) -> bool:
    from gruff_ledger.cells.numbers.plain import number_of

    stated = [each for each in rule.bounds() if each is not None]
    return bool(stated) and rule.datatype is None and number_of(stated[0]) is not None


def _between(rule: Rule, kind: str) -> Limit:
    least = rule.minimum if rule.minimum is not None else rule.min_exclusive
    most = rule.maximum if rule.maximum is not None else rule.max_exclusive
    return Limit(kind, least, most, (rule.minimum is None, rule.maximum is None))


def _listed(rule: Rule, heading: str, listed: Table) -> Limit:
    """Return the choices that a list gives, in its order, each once."""
    names = [rule.named.get(name, name) for name in (*rule.per, heading)]
    if len(listed.headings) == 1 and not rule.per and names[0] not in listed.headings:
        names = [listed.headings[0]]
    columns = [listed.cells(find_field(listed, name, "named")[0]) for name in names]
    cells = zip(
        *(column.slice(0, _MOST_CHOICES).to_pylist() for column in columns), strict=True
    )
    choices = dict.fromkeys(
        (tuple(keys), value)
        for *keys, value in cells
        if not is_blank(value) and not any(map(is_blank, keys))
    )
    return Limit(
        "choice-per" if rule.per else "choice",
        None,
        None,
        (False, False),
        tuple(choices),
        rule.per,
    )


def _holds(rules: Sequence[Rule], limit: Limit | None, *, is_dated: bool) -> str:
    """Tell how cells are kept: only what comes back as it was typed is no text."""
    if limit is not None and limit.kind.startswith("choice"):
        return "text"
    for rule in rules:
        if rule.datatype in NUMBERS or _bounds_numbers(rule):
            return "text" if any(each.format_ for each in rules) else "number"
        if rule.datatype == "date" and rule.format_ is None and not is_dated:
            return "date"
    return "text"


def _hint(
    heading: str, rules: Sequence[Rule], limit: Limit | None, *, required: bool
) -> str:
    own = [rule.hint for rule in rules if rule.hint]
    if own:
        return " ".join(dict.fromkeys(own))
    said = []
    if required:
        said.append("Must not be blank.")
    if limit is not None:
        said.append(_limit_words(limit))
    for rule in rules:
        if rule.format_ is not None and rule.datatype != "boolean":
            said.append(f"Written as {rule.format_}.")
    return " ".join(dict.fromkeys(said))


def _limit_words(limit: Limit) -> str:
    if limit.kind == "choice":
        return f"One of {first_few([value for _, value in limit.choices], 8)}."
    if limit.kind == "choice-per":
        return f"Pick one; the choices are those of its {' and '.join(limit.per)}."
    if limit.kind == "unique":
        return "No two rows may have the same."
    nouns = {"number": "A number", "whole": "A whole number", "date": "A date"}
    words = nouns.get(limit.kind, "")
    below, above = (" from ", " to ")
    if limit.exclusive[0]:
        below = " above "
    if limit.exclusive[1]:
        above = " below " if limit.least is None else " and below "
    said = words or "Characters:"
    if limit.least is not None:
        said += f"{below}{limit.least}"
    if limit.greatest is not None:
        alone = limit.least is None and not limit.exclusive[1]
        said += f"{' up to ' if alone else above}{limit.greatest}"
    return f"{said}."


def _message(heading: str, rule: Rule, limit: Limit | None) -> str:
    """Return the message of a rule without what only a finding could fill in."""
    if rule.message is None:
        return f"{heading}: {_limit_words(limit)}" if limit is not None else ""
    from gruff_ledger.cells.text.templates import template_parts
    from gruff_ledger.rules.rule import NEAREST, VALUE

    said = []
    for text, is_field in template_parts(rule.message, "rule"):
        words = {VALUE: "this", NEAREST: "…"}.get(text, f"its {text}")
        said.append(words if is_field else text)
    whole = "".join(said).strip()
    return whole[:1].upper() + whole[1:]


def _unheld(rules: Sequence[Rule], fields: Sequence[str]) -> list[Note]:
    """Say which rules are on several fields: a form does not check them."""
    told = []
    for rule in rules:
        if rule.holds is not None:
            told.append(f"that {rule.holds}")
        if len(rule.key) > 1:
            told.append(f"that {' with '.join(rule.key)} is unique")
    if not told:
        return []
    return [
        Note(
            f"Not checked as the form is filled in: {'; '.join(told)}.",
            "That is checked when the form comes back and is flagged.",
        )
    ]
