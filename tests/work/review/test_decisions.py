"""Tests of decisions: kept, recognised by content, reused, and stale."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from gruff_ledger.work.check.duplicates.perform import perform
from gruff_ledger.work.check.duplicates.terms import DuplicatesTerms
from gruff_ledger.work.review.answers import answers_in, decision_on, questions_table
from gruff_ledger.work.review.decisions import (
    Decision,
    added,
    read_decisions,
    recognise,
    write_decisions,
)
from gruff_ledger.work.together.merge.perform import perform as merge
from gruff_ledger.work.together.merge.terms import MergeTerms
from tests.support import table

BOATS = table(
    "Boat|Berth|Phone",
    *("Tern|1|555", "Tern|2|556", "Seal|3|", "Seal|3|", "Auk|4|777", "Auk|5|"),
    name="boats",
)
FILE = "d.jsonl"
BY_BOAT = DuplicatesTerms(by=("Boat",), decisions=FILE, fill=True)


def done(given_list, decisions=(), terms=BY_BOAT):
    """Perform duplicates with decisions."""
    return perform(terms, given_list, {FILE: write_decisions(decisions)})


def answered(given_list, *answers, decisions=(), terms=BY_BOAT):
    """Answer the questions on a list in order; return all decisions."""
    questions = done(given_list, decisions, terms).detail
    new = [
        decision_on(questions, question, answer, "2026-11-23T12:00:00Z")
        for question, answer in zip(questions.all, answers, strict=False)
        if answer
    ]
    return added(decisions, new)


def asked(given_list, decisions=(), terms=BY_BOAT):
    """Return what is still asked: record numbers and field."""
    questions = done(given_list, decisions, terms).detail
    record = questions.table.origin.record
    return [(int(record[q.one]), int(record[q.other]), q.field) for q in questions.all]


class DecidedTest(unittest.TestCase):
    def test_only_what_is_decided_is_set_aside(self) -> None:
        """Equal records need no decision."""
        self.assertEqual(asked(BOATS), [(1, 2, ""), (5, 6, "")])
        self.assertEqual(done(BOATS).table.origin.record.tolist(), [1, 2, 3, 5, 6])
        decisions = answered(BOATS, "same", "different")
        outcome = done(BOATS, decisions)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 3, 5, 6])
        self.assertEqual(asked(BOATS, decisions), [(1, 2, "Berth"), (1, 2, "Phone")])

    def test_a_chosen_value_is_put_in_and_journaled(self) -> None:
        decisions = answered(BOATS, "same", "different")
        decisions = answered(BOATS, "2", "", decisions=decisions)
        outcome = done(BOATS, decisions)
        self.assertEqual(outcome.table.records(0, 1), [("Tern", "2", "555")])
        (change,) = outcome.changes
        self.assertEqual((change.field, change.was.to_pylist()), ("Berth", ["1"]))
        self.assertEqual(asked(BOATS, decisions), [(1, 2, "Phone")])

    def test_who_is_different_from_one_may_be_the_same_as_another(self) -> None:
        listed = table("Boat|Berth", "Tern|1", "Tern|2", "Tern|3")
        self.assertEqual(asked(listed), [(1, 2, ""), (1, 3, "")])
        decisions = answered(listed, "different", "different")
        self.assertEqual(asked(listed, decisions), [(2, 3, "")])
        decisions = answered(listed, "same", decisions=decisions)
        self.assertEqual(done(listed, decisions).table.origin.record.tolist(), [1, 2])

    def test_near_ones_are_taken_out_when_decided(self) -> None:
        terms = DuplicatesTerms(near=True, treat="set-aside", decisions=FILE)
        listed = table(
            "Name|Born|Phone",
            "Mira Sund|1999-09-09|0116 4960253",
            "Mira Snud|1999-09-09|0116 4960253",
            "Otto Kelp|1951-01-30|0113 4960888",
        )
        self.assertEqual(len(done(listed, terms=terms).table), 3)
        decisions = answered(listed, "same", terms=terms)
        outcome = done(listed, decisions, terms)
        self.assertEqual(outcome.table.origin.record.tolist(), [1, 3])
        self.assertEqual(
            outcome.aside[0].reason, "decided to be the same as another record"
        )


class RecognisedTest(unittest.TestCase):
    DECISIONS = answered(BOATS, "same", "different")

    def open_pairs(self, given_list: Table) -> int:
        """Count the pairs of records that are still asked about."""
        return sum(not field for *_, field in asked(given_list, self.DECISIONS))

    def test_not_asked_again_in_another_order_or_with_new_records(self) -> None:
        moved = BOATS.pick_records(np.array([5, 3, 1, 0, 2, 4]))
        self.assertEqual(self.open_pairs(moved), 0)
        more = table("Boat|Berth|Phone", *map("|".join, BOATS.records()), "Gull|9|")
        self.assertEqual(self.open_pairs(more), 0)

    def test_not_asked_again_when_a_source_is_renamed(self) -> None:
        """The field that names the source is no part of a record's content."""
        terms = MergeTerms(name_source="Quay")
        first = merge(terms, BOATS.renamed("north")).table
        decisions = answered(first, "same", "different")
        self.assertNotIn("Quay", decisions[0].one)
        again = merge(terms, BOATS.renamed("north, 2027")).table
        self.assertEqual([f for *_, f in asked(again, decisions) if not f], [])

    def test_fields_can_be_left_out_of_what_is_recognised(self) -> None:
        terms = DuplicatesTerms(by=("Boat",), decisions=FILE, apart_from=("Phone",))
        decisions = answered(BOATS, "same", "different", terms=terms)
        rows = [(boat, berth, "new") for boat, berth, _ in BOATS.records()]
        changed = Table.of_records(BOATS.headings, rows)
        self.assertEqual(asked(changed, decisions, terms), [])
        # Also of decisions that were made with them.
        self.assertEqual(asked(changed, self.DECISIONS, terms), [])

    def test_a_changed_record_is_asked_again_and_the_old_decision_is_stale(
        self,
    ) -> None:
        """And the old decision is said to be stale."""
        rows = BOATS.records()
        rows[1] = ("Tern", "2", "999")
        changed = Table.of_records(BOATS.headings, rows)
        self.assertEqual(self.open_pairs(changed), 1)
        notes = " ".join(note.what for note in done(changed, self.DECISIONS).notes)
        self.assertIn("1 decision is on records that are not there", notes)

    def test_a_new_record_of_a_group_is_asked_about(self) -> None:
        rows = [*BOATS.records(), ("Tern", "8", "1")]
        self.assertEqual(self.open_pairs(Table.of_records(BOATS.headings, rows)), 1)

    def test_a_field_more_does_not_make_decisions_stale(self) -> None:
        wider = BOATS.with_field("Remark", BOATS.cells("Berth"))
        self.assertEqual(self.open_pairs(wider), 0)

    @given(st.permutations(range(6)))
    def test_any_order(self, order: list[int]) -> None:
        self.assertEqual(self.open_pairs(BOATS.pick_records(np.array(order))), 0)


class FileTest(unittest.TestCase):
    def test_is_read_as_it_was_written(self) -> None:
        decisions = answered(BOATS, "same", "different")
        self.assertEqual(read_decisions(FILE, write_decisions(decisions)), decisions)
        self.assertEqual(read_decisions(FILE, None), [])

    def test_a_later_decision_takes_the_place_of_an_earlier_one(self) -> None:
        """Whichever record stands first."""
        one = Decision("same", {"a": "1"}, {"a": "2"})
        other = Decision("different", {"a": "2"}, {"a": "1"})
        self.assertEqual(added([one], [other]), [other])

    def test_lines_that_are_none_are_named(self) -> None:
        for data in (b"{}", b"x", b'{"decision":"maybe","one":{},"other":{}}', b"\xff"):
            with (
                self.subTest(data=data),
                self.assertRaisesRegex(BadTerms, "line 2: it is not a decision"),
            ):
                read_decisions(FILE, b"\n" + data)

    def test_decisions_about_nothing_there_do_no_harm(self) -> None:
        odd = [Decision("same", {}, {}), Decision("same", {"x": "1"}, {"x": "2"})]
        self.assertEqual(len(recognise(BOATS, odd).stale), 2)
        self.assertEqual(len(recognise(table("Boat"), odd).stale), 2)


class AnswersTest(unittest.TestCase):
    QUESTIONS = done(BOATS).detail

    def filled(self, *answers: str, **changes: str) -> Table:
        """Return the list of questions with answers in it."""
        listed = questions_table(self.QUESTIONS)
        rows = [list(record) for record in listed.records()]
        for row, answer in zip(rows[::2], answers, strict=False):
            row[1] = answer
        for heading, cell in changes.items():
            rows[0][listed.headings.index(heading)] = cell
        return Table.of_records(listed.headings, rows, name="q.csv")

    def test_answers_are_read_back(self) -> None:
        """In words or their first letters; a blank and later stay open."""
        for answers, kinds, left in (
            (("same", "different"), ["same", "different"], 0),
            ((" S", "d"), ["same", "different"], 0),
            (("", "later"), [], 2),
        ):
            with self.subTest(answers=answers):
                listed = self.filled(*answers)
                found = answers_in(listed, self.QUESTIONS, "answers", "")
                self.assertEqual([d.decision for d in found.decisions], kinds)
                self.assertEqual(found.open, left)

    def test_values_are_chosen_among_those_there_are(self) -> None:
        decisions = answered(BOATS, "same", "different")
        questions = done(BOATS, decisions).detail
        listed = questions_table(questions)
        rows = [list(record) for record in listed.records()]
        rows[0][1] = "2"
        filled = Table.of_records(listed.headings, rows)
        (found,) = answers_in(filled, questions, "answers", "").decisions
        self.assertEqual((found.field, found.value), ("Berth", "2"))
        rows[0][1] = "3"
        filled = Table.of_records(listed.headings, rows)
        with self.assertRaisesRegex(BadTerms, "'3' is not an answer"):
            answers_in(filled, questions, "answers", "")

    def test_what_cannot_be_read_back_is_refused(self) -> None:
        for listed, words in (
            (self.filled("sane"), "'sane' is not an answer"),
            (self.filled("same", Berth="01"), "none that is open"),
            (table("question|Boat|Berth|Phone"), "no field 'decision'"),
            (table("question|decision|Boat"), "no field 'Berth'"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(BadTerms, words):
                answers_in(listed, self.QUESTIONS, "answers", "")
        twice = questions_table(self.QUESTIONS).records()
        rows = [list(record) for record in twice]
        rows[0][1], rows[1][1] = "same", "different"
        listed = Table.of_records(questions_table(self.QUESTIONS).headings, rows)
        with self.assertRaisesRegex(BadTerms, "answers a question twice"):
            answers_in(listed, self.QUESTIONS, "answers", "")


if __name__ == "__main__":
    unittest.main()
