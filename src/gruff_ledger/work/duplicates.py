"""duplicates: records that occur more than once, as they are or nearly.

A record with a blank in a key field never matches anything. Without key fields the
whole record is the key, and then a blank cell equals only a cell of the same text.
Records that are only alike (`near`) are never taken out without a decision; neither are
others, where a file of decisions is named.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

import numpy as np
from msgspec import Meta

from gruff_ledger.cells.keys import (
    blank_key_mask,
    first_at_levels,
    first_with_same_key,
    group_sizes,
)
from gruff_ledger.formula.forms import FORM, FormTerms, forms_of
from gruff_ledger.likeness.forest import Forest
from gruff_ledger.naming import free_heading
from gruff_ledger.outcome import Finding, Note, Outcome, SetAside, Severity
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import (
    Column,
    Indices,
    Mask,
    Table,
    number_column,
    spread_column,
    taken,
    text_column,
)
from gruff_ledger.terms import Item, StorePath, Terms
from gruff_ledger.work.copies import (
    best_of_group,
    differing,
    filled,
    filled_cells,
    last_of_group,
)
from gruff_ledger.work.decisions import Recognised, read_decisions, recognised
from gruff_ledger.work.keyfields import (
    KeyField,
    find_key_fields,
    key_words,
    parse_key_fields,
)
from gruff_ledger.work.questions import Question, Questions

if TYPE_CHECKING:
    from gruff_ledger.formula.forms import Form
    from gruff_ledger.work.nearness import Near

_DEFAULT_HEADINGS = {
    "mark": "duplicate",
    "count": "copies",
    "number": "copy",
    "group": "group",
    "show": "group",
}

# Copies are compared with the record kept only up to so many, to say where they differ:
# it would take long to say of all.
_MOST_COMPARED = 5_000


class DuplicatesTerms(Terms, frozen=True, kw_only=True):
    """The terms of `perform`."""

    by: Annotated[
        tuple[Item, ...],
        Meta(
            description="The fields that identify a record; without them the whole "
            "record does. Boat AS LOOSE matches that field at another level; for "
            "`near`, Boat WEIGHT 5 gives it a weight."
        ),
    ] = ()
    match: Annotated[
        Literal["exact", "loose", "letters", "number"],
        Meta(
            description="How cells must match: exact; loose (spaces, case and Unicode "
            "do not count); letters (nor punctuation and accents); number (equal "
            "value)."
        ),
    ] = "exact"
    near: Annotated[
        bool,
        Meta(
            description="Find records that are only alike: slips, swapped and "
            "shortened words, changed digits. A field with AS must match at that level."
        ),
    ] = False
    ask_from: Annotated[
        int,
        Meta(description="From which score on, of 0 to 100, records are alike."),
    ] = 72
    same_from: Annotated[
        int | None,
        Meta(
            description="From which score on alike records are marked as the same, "
            "and not asked about."
        ),
    ] = None
    keep: Annotated[
        Literal["first", "last", "fullest", "greatest", "least", "none"],
        Meta(
            description="Which record of a group stands for it: fullest has the most "
            "filled cells, greatest and least are by the field in `of`."
        ),
    ] = "first"
    of: Annotated[
        str | None,
        Meta(
            description="The field of which the greatest or least is kept, such as "
            "Paid until."
        ),
    ] = None
    fill: Annotated[
        bool,
        Meta(
            description="Fill blanks of the record kept from its copies; where their "
            "values differ, that is a finding."
        ),
    ] = False
    treat: Annotated[
        Literal["set-aside", "mark", "number", "count", "group", "show"] | None,
        Meta(
            description="What to do: set-aside takes out all but the kept record of "
            "a group; mark adds a field that says kept, repeats or ask; number counts "
            "the copies, 1, 2 and so on; count gives their number; group gives each "
            "record its group; show leaves only the groups, brought together. "
            "set-aside, unless stated; mark for `near`."
        ),
    ] = None
    field: Annotated[
        str | None,
        Meta(
            description="The heading of the field that is added (otherwise duplicate, "
            "copy, copies or group)."
        ),
    ] = None
    decisions: Annotated[
        StorePath | None,
        Meta(
            description="The file of decisions that `gruff review` keeps: what is "
            "decided holds, and nothing else is set aside."
        ),
    ] = None
    apart_from: Annotated[
        tuple[str, ...],
        Meta(
            description="Fields that do not count when a decision is recognised, "
            "beside those that name the source."
        ),
    ] = ()
    form: Annotated[tuple[FormTerms, ...], FORM] = ()

    def __post_init__(self) -> None:
        """Refuse terms that contradict each other."""
        parse_key_fields(self.by, "by")
        if self.field is not None and self.treatment == "set-aside":
            raise BadTerms(
                "setting aside adds no field to the list.",
                "Leave it out, or set `treat` to mark, number, count, group or show.",
                term="field",
            )
        if (self.of is None) == (self.keep in ("greatest", "least")):
            raise BadTerms(
                "the greatest or least of a field is kept, and which field is not said."
                if self.of is None
                else "it is of use where the greatest or least of a field is kept.",
                "Give `keep` greatest or least and `of` together.",
                term="of" if self.of is not None else "keep",
            )
        if self.fill and (self.keep == "none" or self.treatment != "set-aside"):
            raise BadTerms(
                "the record that is kept is filled, and all stay as they are here."
                if self.keep != "none"
                else "no record is kept that could be filled.",
                "Leave it out, or set the copies aside.",
                term="fill",
            )
        self._check_scores()

    def _check_scores(self) -> None:
        for term, score in (("ask-from", self.ask_from), ("same-from", self.same_from)):
            if score is not None and not 1 <= score <= 100:
                raise BadTerms(
                    f"{score} is no score.", "Give one from 1 to 100.", term=term
                )
        if self.same_from is not None and self.same_from < self.ask_from:
            raise BadTerms(
                f"{self.same_from} is less than `ask-from`, {self.ask_from}.",
                "Let it be as much or more.",
                term="same-from",
            )
        if self.same_from is not None and not self.near:
            raise BadTerms(
                "scores are of use where records are alike.", "Give `near` too.",
                term="same-from",
            )  # fmt: skip

    @property
    def treatment(self) -> str:
        """What is done."""
        return self.treat or ("mark" if self.near else "set-aside")


class _Groups(NamedTuple):
    """
    Groups of n records.

    Attributes
    ----------
    first : ndarray of int64, shape (n,)
        The first record of each one's group, of all that may be copies.
    sure : ndarray of int64, shape (n,)
        The same, of those that are: by their keys, or by a decision.
    words : str
        What they have in common.
    near : Near, optional
    """

    first: Indices
    sure: Indices
    words: str
    near: Near | None = None


def perform(
    terms: DuplicatesTerms,
    table: Table,
    files: Mapping[str, bytes | None] | None = None,
) -> Outcome:
    """
    Find the records that repeat another, and treat them as the terms say.

    Parameters
    ----------
    terms : DuplicatesTerms
    table : Table, n records
    files : mapping, optional
        What is in the file of decisions, by its path.

    Returns
    -------
    Outcome
        With `set-aside`, the repeats are set aside with the record kept; with `show`,
        the records that repeat nothing are; otherwise every record stays. Its detail
        is `Questions`.

    Raises
    ------
    UnknownField
        If `by` names a field that the list does not have.
    BadTerms
        If the field to add is there already, or the decisions cannot be read.
    """
    fields, notes = find_key_fields(table, parse_key_fields(terms.by, "by"), "by")
    forms, said = forms_of(terms.form, table, ())
    decided = Recognised([], [], [], [])
    if terms.decisions is not None:
        known = read_decisions(terms.decisions, (files or {}).get(terms.decisions))
        decided = recognised(table, known, terms.apart_from)
    groups, more = _groups(terms, table, fields, decided)
    notes += said + more
    findings: tuple[Finding, ...] = ()
    members = np.flatnonzero(group_sizes(groups.first) > 1)
    keys, found = _scores(terms, table, members, forms)
    findings += found
    kept = _kept(terms, groups.first, members, keys)
    notes += _decided_notes(terms, decided)
    questions = _questions(terms, table, groups, kept, decided)
    notes += _question_notes(terms, groups, questions)
    # A list that nothing is asked about need not stay in memory.
    asked_of = table if questions else table.slice(0, 0)
    detail = Questions(asked_of, questions, terms.decisions or "", terms.apart_from)
    if terms.treatment == "set-aside":
        kept_sure = kept
        if groups.sure is not groups.first:
            members = np.flatnonzero(group_sizes(groups.sure) > 1)
            keys, _ = _scores(terms, table, members, forms)
            kept_sure = _kept(terms, groups.sure, members, keys)
        outcome = _set_aside(terms, table, groups, kept_sure, members, fields, decided)
    elif terms.treatment == "show":
        outcome = _shown(terms, table, groups, kept)
    else:
        outcome = _with_marks(terms, table, groups, kept)
    return Outcome(
        outcome.table,
        outcome.aside,
        outcome.changes,
        findings + outcome.findings,
        notes + outcome.notes,
        detail=detail,
    )


def _groups(
    terms: DuplicatesTerms,
    table: Table,
    fields: Sequence[KeyField],
    decided: Recognised,
) -> tuple[_Groups, tuple[Note, ...]]:
    if terms.near:
        from gruff_ledger.work.nearness import near_groups

        near = near_groups(
            table,
            fields,
            terms.ask_from,
            decided.same,
            decided.different,
        )
        sure = _joined(len(table), decided.same)
        words = f"alike in {key_words(near.fields)}"
        return _Groups(near.first, sure, words, near), near.notes
    names = [field.name for field in fields] or list(table.headings)
    columns = [table.column(name) for name in names]
    levels = [field.level or terms.match for field in fields] or [
        terms.match for _ in names
    ]
    # Compared as a whole record, blanks equal blanks: then none is left out.
    blank = blank_key_mask(columns) if fields else np.zeros(len(table), np.bool_)
    loosely = ["loose" if level == "exact" else level for level in levels]
    first, alike = first_at_levels(columns, levels, loosely, blank)
    words = key_words(fields, terms.match) if fields else ""
    notes = _notes(terms, table, fields, blank, first, alike)
    if terms.decisions is None:
        return _Groups(first, first, words), notes
    same = decided.same + _equal_pairs(table, first)
    sure = _joined(len(table), same)
    return _Groups(_parted(first, sure, decided.different), sure, words), notes


def _joined(n: int, pairs: Sequence[tuple[int, int]]) -> Indices:
    forest = Forest(n)
    for one, other in pairs:
        forest.join(one, other)
    return forest.firsts()


def _equal_pairs(table: Table, first: Indices) -> list[tuple[int, int]]:
    """Return pairs that are equal in every field: they need no decision."""
    members = np.flatnonzero(group_sizes(first) > 1)
    if not len(members):
        return []
    columns = [taken(column, members) for column in table.columns]
    within = first_with_same_key(columns)
    repeats = np.flatnonzero(within != np.arange(len(members)))
    return list(
        zip(members[within[repeats]].tolist(), members[repeats].tolist(), strict=True)
    )


def _parted(
    first: Indices, sure: Indices, different: Sequence[tuple[int, int]]
) -> Indices:
    """Part groups so that no two records decided to be different are together."""
    apart: dict[int, set[int]] = {}
    for one, other in different:
        if first[one] == first[other]:
            apart.setdefault(int(first[one]), set())
    if not apart:
        return first
    result = first.copy()
    pairs = {frozenset((int(sure[one]), int(sure[other]))) for one, other in different}
    for group in apart:
        parts: list[list[int]] = []
        for record in np.flatnonzero(first == group).tolist():
            mine = int(sure[record])
            for part in parts:
                if all(frozenset((mine, other)) not in pairs for other in part):
                    part.append(mine)
                    break
            else:
                part = [mine]
                parts.append(part)
            result[record] = part[0]
    return result


def _scores(
    terms: DuplicatesTerms,
    table: Table,
    members: Indices,
    forms: Mapping[str, Form],
) -> tuple[Indices | None, tuple[Finding, ...]]:
    """Return by how much each record in a group is to be kept; None for its place."""
    if terms.keep == "fullest":
        return filled_cells(table, members), ()
    if terms.of is None:
        return None, ()
    from gruff_ledger.work.order import ordering, parse_order

    (key,) = parse_order(terms.of, "of")
    _, ranked = ordering(table, key, forms, "of")
    ranks = ranked.ranks[members]
    scores = ranks if terms.keep == "greatest" else -ranks
    lowest = int(scores.min(initial=0)) - 1
    return np.where(ranked.last[members], lowest, scores), ranked.findings


def _kept(
    terms: DuplicatesTerms, first: Indices, members: Indices, scores: Indices | None
) -> Indices:
    if scores is not None:
        return best_of_group(first, members, scores)
    return last_of_group(first) if terms.keep == "last" else first


def _set_aside(
    terms: DuplicatesTerms,
    table: Table,
    groups: _Groups,
    kept: Indices,
    members: Indices,
    fields: Sequence[KeyField],
    decided: Recognised,
) -> Outcome:
    repeats = kept != np.arange(len(table))
    reason = "repeats another record in every field"
    if groups.words:
        reason = f"repeats another record by {groups.words}"
    if groups.near is not None:
        reason = "decided to be the same as another record"
    if terms.keep == "none":
        repeats = group_sizes(groups.sure) > 1
        aside = (SetAside(reason, table.filter(repeats)),) if repeats.any() else ()
        return Outcome(table.filter(~repeats) if aside else table, aside)
    if not repeats.any():
        return Outcome(table)
    places = np.flatnonzero(repeats)
    aside = (SetAside(reason, table.filter(repeats), table.origin.pick(kept[repeats])),)
    notes: tuple[Note, ...] = ()
    if fields and groups.near is None:
        notes = _copies_note(table, places, kept)
    if not terms.fill:
        return Outcome(table.filter(~repeats), aside, notes=notes)
    leave = [field.name for field in fields] if groups.near is None else []
    chosen = {
        (int(groups.sure[one]), field): value
        for one, other, field, value in decided.values
        if groups.sure[one] == groups.sure[other]
    }
    done = filled(table, groups.sure, kept, members, leave, chosen)
    return Outcome(
        done.table.filter(~repeats), aside, done.changes, done.findings, notes
    )


def _copies_note(table: Table, places: Indices, kept: Indices) -> tuple[Note, ...]:
    """Say how many copies are no copies of the whole record, and where they differ."""
    looked = places[:_MOST_COMPARED]
    unlike = differing(table, looked, kept[looked])
    count, same = len(looked), int(np.count_nonzero(unlike.same))
    of = _number(count, "record", "records")
    if len(looked) < len(places):
        of = f"the first {count} records"
    if same == count:
        what = f"By the whole record the same would go: of {of} set aside all are "
        return (Note(f"{what}equal to the record kept in every field."),)
    where = unlike.words(np.ones(count, np.bool_))
    return (
        Note(
            f"By the whole record {same} of {of} set aside would go; the others "
            f"differ from the record kept, in {where}.",
            "To see them side by side, set `treat` to show.",
            table.origin.pick(looked[~unlike.same]),
        ),
    )


def _with_marks(
    terms: DuplicatesTerms, table: Table, groups: _Groups, kept: Indices
) -> Outcome:
    """Add a field on the copies of each record."""
    heading = terms.field or _DEFAULT_HEADINGS[terms.treatment]
    sizes = group_sizes(groups.first)
    if terms.treatment == "count":
        return Outcome(table.with_field(heading, number_column(sizes)))
    if terms.treatment == "number":
        return Outcome(table.with_field(heading, number_column(_places(groups.first))))
    if terms.treatment == "group":
        is_first = groups.first == np.arange(len(table))
        numbers = np.cumsum(is_first)[groups.first]
        return Outcome(table.with_field(heading, number_column(numbers)))
    marked = table.with_field(heading, _marks(terms, groups, kept))
    if groups.near is None:
        return Outcome(marked)
    return Outcome(_explained(marked, groups, kept))


def _places(first: Indices) -> Indices:
    """Number the records of each group from 1, in order."""
    order = np.argsort(first, kind="stable")
    ordered = first[order]
    starts = np.concatenate([[True], ordered[1:] != ordered[:-1]])[: len(order)]
    at = np.arange(len(order))
    places = np.empty(len(order), np.int64)
    places[order] = at - np.maximum.accumulate(np.where(starts, at, 0)) + 1
    return places


def _marks(terms: DuplicatesTerms, groups: _Groups, kept: Indices) -> Column:
    n = len(kept)
    in_group = group_sizes(groups.first) > 1
    repeats = kept != np.arange(n)
    is_sure = groups.sure == groups.sure[kept]
    if groups.near is not None and terms.same_from is not None:
        at = np.flatnonzero(repeats)
        is_sure[at] |= groups.near.scores_of(at, kept[at]) >= terms.same_from
    codes = np.where(repeats, np.where(is_sure, 2, 3), np.where(in_group, 1, 0))
    return spread_column(("", "kept", "repeats", "ask"), codes)


def _explained(table: Table, groups: _Groups, kept: Indices) -> Table:
    """Add the group of each record, and how much it is like the one kept and why."""
    assert groups.near is not None
    n = len(table)
    in_group = group_sizes(groups.first) > 1
    is_first = (groups.first == np.arange(n)) & in_group
    numbers = np.cumsum(is_first)[groups.first]
    repeats = np.flatnonzero(kept != np.arange(n))
    scores = groups.near.scores_of(repeats, kept[repeats])
    said, why = [""] * n, [""] * n
    for place, other, score in zip(
        repeats.tolist(), kept[repeats].tolist(), scores.tolist(), strict=True
    ):
        said[place] = f"{score:.0f}"
        why[place] = groups.near.why(place, other)
    grouped = spread_column(
        ["", *map(str, range(1, int(numbers.max(initial=0)) + 1))],
        np.where(in_group, numbers, 0),
    )
    for heading, column in (
        ("group", grouped),
        ("likeness", text_column(said)),
        ("why", text_column(why)),
    ):
        table = table.with_field(free_heading(heading, table.headings), column)
    return table


def _shown(
    terms: DuplicatesTerms, table: Table, groups: _Groups, kept: Indices
) -> Outcome:
    """Leave only the groups, together; cells that differ in one are findings."""
    first, in_group = groups.first, group_sizes(groups.first) > 1
    heading = terms.field or _DEFAULT_HEADINGS["show"]
    members = np.flatnonzero(in_group)
    together = members[np.argsort(first[members], kind="stable")]
    _, numbers = np.unique(first[together], return_inverse=True)
    marked = table
    if groups.near is not None:
        marked = table.with_field(
            free_heading("duplicate", table.headings), _marks(terms, groups, kept)
        )
        marked = _explained(marked, groups, kept)
        own = marked.headings.index("group") if "group" in marked.headings else -1
        if own >= len(table.headings):
            # The number of the group stands first here.
            keep = [h for h in marked.headings if h != "group"]
            marked = marked.with_fields(
                keep, [marked.held[marked.headings.index(h)] for h in keep]
            )
    shown = marked.take(together)
    unlike = differing(table, together, kept[together])
    names = [
        ", ".join(
            field
            for field, mask in zip(unlike.fields, unlike.masks, strict=True)
            if mask[place]
        )
        for place in range(len(together))
    ]
    shown = shown.with_field(heading, number_column(numbers + 1), at=0)
    shown = shown.with_field(
        free_heading("differs in", shown.headings), text_column(names)
    )
    aside: tuple[SetAside, ...] = ()
    if len(members) < len(table):
        aside = (SetAside("repeats no other record", table.filter(~in_group)),)
    findings = tuple(
        Finding(
            rule=f"copies agree in {field}",
            severity=Severity.NOTE,
            message=f"{field} is not as in the record kept of its group.",
            field=field,
            origin=table.origin.pick(together[mask]),
            value=taken(table.column(field), together[mask]),
        )
        for field, mask in zip(unlike.fields, unlike.masks, strict=True)
        if mask.any()
    )
    return Outcome(shown, aside, findings=findings)


def _questions(
    terms: DuplicatesTerms,
    table: Table,
    groups: _Groups,
    kept: Indices,
    decided: Recognised,
) -> tuple[Question, ...]:
    """Return what is open: records in a group that are not surely the same."""
    if groups.sure is groups.first:
        return ()
    numbers = np.cumsum(
        (groups.first == np.arange(len(table))) & (group_sizes(groups.first) > 1)
    )
    open_ = np.flatnonzero(groups.sure != groups.sure[kept])
    # Of records that are the same, one is asked about.
    _, places = np.unique(
        np.stack([groups.first[open_], groups.sure[open_]]), axis=1, return_index=True
    )
    open_ = open_[np.sort(places)]
    asked: list[Question] = []
    scores = np.zeros(len(open_))
    if groups.near is not None:
        scores = groups.near.scores_of(open_, kept[open_])
    for other, score in zip(open_.tolist(), scores.tolist(), strict=True):
        if terms.same_from is not None and score >= terms.same_from:
            continue
        one = int(kept[other])
        group = int(numbers[groups.first[other]])
        if groups.near is None:
            asked.append(Question(group, one, other))
        else:
            why = groups.near.why(other, one)
            asked.append(Question(group, one, other, score, why))
    order = sorted(asked, key=lambda q: (q.group, -(q.score or 0), q.other))
    return (*order, *_conflicts(terms, table, groups, decided))


def _conflicts(
    terms: DuplicatesTerms, table: Table, groups: _Groups, decided: Recognised
) -> tuple[Question, ...]:
    """Return the values that are open where copies that are the same differ."""
    if not terms.fill:
        return ()
    settled = {
        (int(groups.sure[one]), field)
        for one, other, field, _ in decided.values
        if groups.sure[one] == groups.sure[other]
    }
    found = []
    members = np.flatnonzero(group_sizes(groups.sure) > 1)
    is_other = _differs_in_words if groups.near is not None else _differs
    by_group: dict[int, list[int]] = {}
    for record in members.tolist():
        by_group.setdefault(int(groups.sure[record]), []).append(record)
    for number, (group, records) in enumerate(by_group.items(), 1):
        rows = [table.records(record, record + 1)[0] for record in records]
        for place, field in enumerate(table.headings):
            values = dict.fromkeys(row[place] for row in rows if row[place].strip())
            if is_other(values) and (group, field) not in settled:
                one, other = records[0], records[1]
                found.append(
                    Question(number, one, other, field=field, values=tuple(values))
                )
    return tuple(found)


def _differs(values: Collection[str]) -> bool:
    return len(values) > 1


def _differs_in_words(values: Collection[str]) -> bool:
    """Tell whether texts differ in more than how they are written."""
    from gruff_ledger.likeness.words import words_of

    return len({"".join(sorted(words_of(value))) for value in values}) > 1


def _decided_notes(terms: DuplicatesTerms, decided: Recognised) -> tuple[Note, ...]:
    if terms.decisions is None or not decided.stale:
        return ()
    count = len(decided.stale)
    said = "1 decision is" if count == 1 else f"{count} decisions are"
    return (
        Note(
            f"{terms.decisions}: {said} on records that are not there as they were "
            "then; nothing was done by them.",
            "They stay in the file, for when the records come again.",
            warning=True,
        ),
    )


def _question_notes(
    terms: DuplicatesTerms, groups: _Groups, questions: Sequence[Question]
) -> tuple[Note, ...]:
    if groups.sure is groups.first:
        return ()
    pairs = sum(not question.field for question in questions)
    values = len(questions) - pairs
    if not questions:
        return (Note("Nothing is left to be decided."),)
    told = []
    if pairs:
        told.append(_number(pairs, "pair of records waits", "pairs of records wait"))
    if values:
        told.append(_number(values, "value waits", "values wait"))
    remedy = "To decide, run gruff review on the docket, or with the same terms."
    if terms.decisions is None:
        remedy = "To decide, name a file in `decisions`, and run gruff review with it."
    return (Note(f"{' and '.join(told)} for a decision.", remedy, warning=True),)


def _notes(
    terms: DuplicatesTerms,
    table: Table,
    fields: Sequence[KeyField],
    blank: Mask,
    first: Indices,
    alike: Indices,
) -> tuple[Note, ...]:
    how = f"by {key_words(fields, terms.match)}" if fields else "by the whole record"
    repeats = first != np.arange(len(first))
    count = int(np.count_nonzero(repeats))
    is_head = np.zeros(len(table), np.bool_)
    is_head[first[repeats]] = True
    groups = int(np.count_nonzero(is_head))
    origin = table.origin.pick(repeats) if count else None
    said = f"{_number(count, 'record repeats', 'records repeat')} another {how}"
    said += f", in {_number(groups, 'group', 'groups')}." if count else "."
    remedy = "" if fields else "To compare chosen fields only, name them in `by`."
    notes = [Note(said, remedy, origin)]
    notes += _loose_note(first, alike)
    if blank.any():
        number = _number(int(blank.sum()), "record matches", "records match")
        notes.append(
            Note(
                f"{number} nothing, with a blank in a key field.",
                "To compare them too, choose other fields in `by`.",
                table.origin.pick(blank),
                warning=True,
            )
        )
    return tuple(notes)


def _loose_note(first: Indices, alike: Indices) -> list[Note]:
    """Say how many more records would repeat another at the level `loose`."""
    own = np.arange(len(first))
    more = int(np.count_nonzero(alike != own) - np.count_nonzero(first != own))
    if more <= 0:
        return []
    said = "1 record more repeats" if more == 1 else f"{more} records more repeat"
    return [
        Note(
            f"Matched loosely, {said} another: spaces, case or Unicode differ.",
            "To match so, set `match` to loose.",
            warning=True,
        )
    ]


def _number(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"
