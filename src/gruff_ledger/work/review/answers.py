"""Questions as a list to be filled in, and answers read back from it.

Each question takes two records of the list: the two that are asked about, one beneath
the other. The answer stands in the field `decision` of either.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from gruff_ledger.field_names import free_heading
from gruff_ledger.problems import BadTerms, nearest_or_all
from gruff_ledger.table import Table
from gruff_ledger.work.review.decisions import Decision, record_of
from gruff_ledger.work.review.questions import Question, Questions

SAME, DIFFERENT, LATER = "same", "different", "later"
_WORDS = {SAME: SAME, "s": SAME, DIFFERENT: DIFFERENT, "d": DIFFERENT}
_WORDS |= {LATER: LATER, "l": LATER, "?": LATER}

_OWN = ("question", "decision", "asked", "likeness", "why")


class Answered(NamedTuple):
    """
    Answers read back.

    Attributes
    ----------
    decisions : list of Decision
    open : int
        Questions that are not answered, or are left for later.
    """

    decisions: list[Decision]
    open: int


def questions_table(questions: Questions) -> Table:
    """
    Return questions as a list to be filled in.

    Parameters
    ----------
    questions : Questions
        With at least one.

    Returns
    -------
    Table
        First the number of the question, `decision` to be filled in, what is asked,
        how alike the records are and why; then the fields of the list.
    """
    source = questions.table
    headings = [*_own_headings(source.headings), *source.headings]
    rows = []
    for number, question in enumerate(questions.all, 1):
        asked = "same or different?"
        if question.field:
            asked = f"{question.field}: {' or '.join(question.values)}?"
        score = "" if question.score is None else f"{question.score:.0f}"
        for at, record in enumerate((question.one, question.other)):
            (cells,) = source.records(record, record + 1)
            own = (str(number), "", asked, score, question.why)
            if at:
                own = (str(number), "", "", "", "")
            rows.append([*own, *cells])
    return Table.of_records(headings, rows, name="questions")


def _own_headings(headings: Sequence[str]) -> list[str]:
    return [free_heading(own, headings) for own in _OWN]


def decision_on(
    questions: Questions, question: Question, answer: str, decided: str
) -> Decision:
    """
    Return the decision that an answer is.

    Parameters
    ----------
    questions : Questions
    question : Question
        One of them.
    answer : str
        ``same`` or ``different``, or a value where one is asked for.
    decided : str
        When, ISO 8601 in UTC.
    """
    one, other = (
        record_of(questions.table, record, questions.apart_from)
        for record in (question.one, question.other)
    )
    if question.field:
        return Decision("value", one, other, question.field, answer, decided)
    return Decision(
        "same" if answer == SAME else "different", one, other, decided=decided
    )


def answers_in(
    filled: Table, questions: Questions, term: str, decided: str
) -> Answered:
    """
    Read the answers of a list that was filled in.

    Parameters
    ----------
    filled : Table
        As `questions_table` made it, with decisions.
    questions : Questions
        What is open now.
    term : str
        What named the list, for messages.
    decided : str

    Raises
    ------
    BadTerms
        If it is no such list, an answer is none, two records of a question say
        different things, or a record is not one of those that are asked about.
    """
    own = _own_headings(questions.table.headings)
    for heading in own[:2]:
        if heading not in filled.headings:
            raise BadTerms(
                f"{filled.name} has no field '{heading}'.",
                "Give the list of questions as it was written, filled in.",
                term=term,
            )
    missing = [h for h in questions.table.headings if h not in filled.headings]
    if missing:
        raise BadTerms(
            f"{filled.name} has no field '{missing[0]}', by which records are known.",
            "Give the list of questions with all its fields.",
            term=term,
        )
    found: list[Decision] = []
    for number, rows in _by_question(filled, own[0]).items():
        answer = _answer(filled, rows, own[1], term)
        if not answer or answer.lower() in (LATER, "l", "?"):
            continue
        question = _question(filled, rows, questions, number, term)
        checked = _check_answer(answer, question, filled, rows, term)
        found.append(decision_on(questions, question, checked, decided))
    return Answered(found, len(questions.all) - len(found))


def _by_question(filled: Table, heading: str) -> dict[str, list[int]]:
    groups: dict[str, list[int]] = {}
    for record, number in enumerate(filled.cells(heading).to_pylist()):
        if number.strip():
            groups.setdefault(number.strip(), []).append(record)
    return groups


def _answer(filled: Table, rows: Sequence[int], heading: str, term: str) -> str:
    column = filled.cells(heading)
    said = {column[row].as_py().strip() for row in rows} - {""}
    if len({word.lower() for word in said}) > 1:
        raise BadTerms(
            f"{filled.name} answers a question twice, with "
            f"{' and '.join(sorted(map(repr, said)))} "
            f"({_place(filled, rows[0])}).",
            "Leave one answer.",
            term=term,
        )
    return next(iter(said), "")


def _question(
    filled: Table, rows: Sequence[int], questions: Questions, number: str, term: str
) -> Question:
    """Return the open question that some records are about."""
    source = questions.table
    mine = [
        tuple(filled.cells(heading)[row].as_py() for heading in source.headings)
        for row in rows
    ]
    asked = _ask_field(filled, rows, source.headings)
    for question in questions.all:
        (one,) = source.records(question.one, question.one + 1)
        (other,) = source.records(question.other, question.other + 1)
        if sorted(mine) == sorted([one, other]) and question.field == asked:
            return question
    raise BadTerms(
        f"question {number} of {filled.name} ({_place(filled, rows[0])}) is none that "
        "is open: its records are not in the list as they stand there, or it was "
        "answered before.",
        "Take it out, or write the questions anew.",
        term=term,
    )


def _ask_field(filled: Table, rows: Sequence[int], headings: Sequence[str]) -> str:
    heading = _own_headings(headings)[2]
    if heading not in filled.headings:
        return ""
    said = "".join(filled.cells(heading)[row].as_py() for row in rows)
    return next((h for h in headings if said.startswith(f"{h}: ")), "")


def _check_answer(
    answer: str, question: Question, filled: Table, rows: Sequence[int], term: str
) -> str:
    """Return an answer in its plain form."""
    choices = question.values if question.field else (SAME, DIFFERENT, LATER)
    if question.field and answer in choices:
        return answer
    if not question.field and answer.lower() in _WORDS:
        return _WORDS[answer.lower()]
    raise BadTerms(
        f"'{answer}' is not an answer ({filled.name}, {_place(filled, rows[0])}).",
        nearest_or_all(answer, choices, "answers"),
        term=term,
    )


def _place(filled: Table, row: int) -> str:
    return f"record {filled.origin.record[row]}"
