"""The questions of a docket: their answers, and where they go."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from gruff_ledger.docket.sections import AskTerms
from gruff_ledger.docket.text import DocketText
from gruff_ledger.problems import BadDocket, BadTerms, Problem, nearest_or_all
from gruff_ledger.terms.declared import all_of, read


def find_answers(
    raw: Mapping[str, Any],
    text: DocketText,
    given: Mapping[str, str],
    ask: Callable[[str, AskTerms], str] | None,
    faults: list[Problem],
) -> dict[str, str]:
    """Return the answers; without them nothing more can be told of a docket."""
    questions: dict[str, AskTerms] = {}
    before = len(faults)
    for name, table in raw.get("ask", {}).items():
        try:
            questions[name] = read(AskTerms, table)
        except BadTerms as problem:
            entry = f"question '{name}'"
            faults.append(text.refused(problem, ("ask", name), entry=entry))
    faults += [
        BadDocket(
            f"it asks no question '{name}'.",
            nearest_or_all(name, raw.get("ask", {}), "questions"),
            file=text.file,
        )
        for name in given
        if name not in raw.get("ask", {})
    ]
    if len(faults) > before:
        raise all_of(faults)
    answers: dict[str, str] = {}
    for name, question in questions.items():
        answer = given.get(name)
        if answer is None and ask is not None:
            answer = ask(name, question)
        if answer is None:
            answer = question.default
        if answer is None:
            faults.append(
                BadDocket(
                    f"the question '{name}' is not answered: {question.say}",
                    f"Answer it with `set` {name}=ANSWER.",
                    file=text.file,
                )
            )
        elif question.choices and answer not in question.choices:
            faults.append(
                BadDocket(
                    f"'{answer}' is not an answer to the question '{name}': "
                    f"{question.say}",
                    nearest_or_all(answer, question.choices, "answers"),
                    file=text.file,
                )
            )
        else:
            answers[name] = answer
    if len(faults) > before:
        raise all_of(faults)
    return answers


def fill_in(value: Any, answers: Mapping[str, str]) -> Any:
    """Put the answers in all text of a docket, but not in the questions."""
    if not answers:
        return value
    if isinstance(value, str):
        names = "|".join(map(re.escape, answers))
        return re.sub(rf"\{{({names})\}}", lambda name: answers[name[1]], value)
    if isinstance(value, list):
        return [fill_in(each, answers) for each in value]
    if isinstance(value, dict):
        return {
            key: each if key == "ask" else fill_in(each, answers)
            for key, each in value.items()
        }
    return value
