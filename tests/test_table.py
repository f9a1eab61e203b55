"""Tests of the table."""

import os
import subprocess
import sys
import unittest
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.columns.arrays import (
    concat_columns,
    constant_column,
    emptied,
    taken,
    text_column,
)
from gruff_ledger.columns.threads import map_ahead, map_whole, mapped
from gruff_ledger.problems import BadTerms
from gruff_ledger.table import Table
from tests.support import table


def masks(n: int) -> st.SearchStrategy[np.ndarray]:
    """Return lists of n booleans as arrays."""
    return st.lists(st.booleans(), min_size=n, max_size=n).map(
        lambda marks: np.array(marks, np.bool_)
    )


class FilterTest(unittest.TestCase):
    def setUp(self) -> None:
        """Make a table of six records in two chunks."""
        letters = concat_columns([text_column("abcd"), text_column("ef")])
        base = table("number", *"123456")
        self.table = base.with_field("letter", letters)

    @given(st.data())
    def test_filters_one_after_another(self, data: st.DataObject) -> None:
        """Filtered lazily, also with a field added in between, cells stay together."""
        first = data.draw(masks(6))
        once = self.table.keep_records(first)
        added = once.with_field("mark", constant_column("x", len(once)))
        second = data.draw(masks(len(once)))
        twice = added.keep_records(second)
        kept = np.flatnonzero(first)[second]
        expected = [(str(i + 1), "abcdef"[i], "x") for i in kept]
        self.assertEqual(twice.origin.record.tolist(), (kept + 1).tolist())
        stretches = [stretch() for stretch in twice.stretches(2)]
        by_stretch = [
            record
            for stretch in stretches
            for record in zip(*(part.to_pylist() for part in stretch), strict=True)
        ]
        self.assertEqual(by_stretch, expected)
        self.assertEqual(twice.records(), expected)

    def test_leaves_the_table_unchanged(self) -> None:
        """A table is immutable."""
        before = self.table.records()
        self.table.keep_records(np.array([True, False] * 3)).records()
        self.assertEqual(self.table.records(), before)


class TakeTest(unittest.TestCase):
    def test_takes_few_and_many_in_the_order_asked(self) -> None:
        """Few are picked out chunk by chunk first; the result is the same."""
        numbers = table("number", *map(str, range(100)))
        for indices in ([99, 0, 7, 7], list(range(99, -1, -1))):
            with self.subTest(indices=len(indices)):
                taken = numbers.pick_records(np.array(indices))
                self.assertEqual(taken.records(), [(str(i),) for i in indices])
                self.assertEqual(taken.origin.record.tolist(), [i + 1 for i in indices])

    def test_takes_very_many_in_stretches(self) -> None:
        """From chunks, in threads; and a few out of many."""
        n = 300_000
        texts = [f"cell {number}" for number in range(n)]
        column = concat_columns(
            [text_column(texts[:100_000]), text_column(texts[100_000:])]
        )
        order = np.random.default_rng(5).permutation(n)
        found = taken(column, order)
        self.assertEqual(found.to_pylist(), [texts[place] for place in order.tolist()])
        few = np.array([299_999, 5, 5, 0])
        self.assertEqual(
            taken(column, few).to_pylist(), [texts[place] for place in few.tolist()]
        )

    def test_what_a_list_is_known_by_goes_with_it(self) -> None:
        """Fields that name the source, detail and figures, whatever is done."""
        from msgspec import structs

        known = {
            "from_source": frozenset("q"),
            "beneath": "d",
            "figures": frozenset("f"),
        }
        listed = structs.replace(table("q|d|f", "1|2|3", "4|5|6"), **known)
        mask = np.array([True, False])
        for other in (
            listed.keep_records(mask),
            listed.pick_records(np.array([1, 0])),
            listed.in_order(np.array([1, 0])),
            listed.cut_records(0, 1),
            listed.renamed("x"),
            listed.with_field("n", text_column(["1", "2"])),
            listed.with_fields(listed.headings, listed.held),
        ):
            for name, value in known.items():
                self.assertEqual(getattr(other, name), value)


class EmptiedTest(unittest.TestCase):
    def test_cells_are_empty_where_the_mask_is_true(self) -> None:
        """In short columns and in long ones of several chunks."""
        for n in (0, 3, 5000):
            texts = [f"é{place % 17}" * (place % 4) for place in range(n)]
            mask = np.arange(n) % 3 == 1
            column = concat_columns(
                [text_column(texts[: n // 3]), text_column(texts[n // 3 :])]
            )
            found = emptied(column, mask)
            self.assertEqual(
                found.to_pylist(),
                ["" if place % 3 == 1 else text for place, text in enumerate(texts)],
            )
            self.assertEqual((found.null_count, len(found)), (0, n))
            self.assertEqual(found.type, column.type)


class WithFieldTest(unittest.TestCase):
    def test_refuses_a_heading_that_is_there(self) -> None:
        """The problem names the list and the heading."""
        with self.assertRaises(BadTerms) as caught:
            table("boat", "Tern", name="north").with_field("boat", text_column(["x"]))
        self.assertIn("north already has a field 'boat'", caught.exception.what)


class EmptyTest(unittest.TestCase):
    def test_a_table_may_have_no_records_or_no_fields(self) -> None:
        """Nothing is special about zero."""
        empty = table("boat")
        self.assertEqual(empty.records(), [])
        self.assertEqual(len(empty.keep_records(np.zeros(0, np.bool_))), 0)
        self.assertEqual(list(empty.stretches(10)), [])
        self.assertEqual(Table.of_records((), [(), ()]).records(), [(), ()])


class ThreadsTest(unittest.TestCase):
    def test_work_within_work_comes_to_an_end(self) -> None:
        """Also from several threads at once, each of which asks for more."""

        def inner(number: int) -> int:
            return sum(mapped(lambda each: each * number, range(5)))

        def ahead(number: int) -> int:
            return sum(map_ahead(inner, range(number)))

        expected = [sum(10 * each for each in range(number)) for number in range(20)]
        with ThreadPoolExecutor(4) as callers:
            asked = [callers.submit(lambda: mapped(ahead, range(20))) for _ in range(8)]
            for each in asked:
                self.assertEqual(each.result(60), expected)
        self.assertEqual(map_whole(ahead, range(20)), expected)
        self.assertEqual(mapped(ahead, range(20)), expected)

    def test_a_failure_is_told_and_leaves_the_threads_usable(self) -> None:
        """As is one who stops asking."""

        def fails(number: int) -> int:
            return 1 // (number - 3)

        for work in (mapped, map_whole, lambda *given: list(map_ahead(*given))):
            with self.assertRaises(ZeroDivisionError):
                work(fails, range(50))
        asked = map_ahead(abs, range(10_000))
        self.assertEqual([next(asked), next(asked)], [0, 1])
        asked.close()
        self.assertEqual(mapped(abs, range(-2, 1)), [2, 1, 0])

    @unittest.skipUnless(hasattr(os, "fork"), "this system copies no processes")
    def test_a_copy_of_the_process_has_threads_of_its_own(self) -> None:
        """Those of the first one are not there."""
        code = (
            "import os, warnings; warnings.simplefilter('ignore')\n"
            "from gruff_ledger.table import mapped\n"
            "mapped(abs, range(3)); child = os.fork()\n"
            "found = mapped(abs, range(-2, 1))\n"
            "if not child: os._exit(0 if found == [2, 1, 0] else 1)\n"
            "raise SystemExit(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]))"
        )
        done = subprocess.run([sys.executable, "-c", code], timeout=60)
        self.assertEqual(done.returncode, 0)
