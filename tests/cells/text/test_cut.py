"""Tests of cutting cells into parts."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.cells.text.cut import (
    Cutting,
    all_parts,
    cut,
    cuts_in,
    find_cuts,
    match_groups,
    parts_by_widths,
    pieces_of,
)
from gruff_ledger.columns.arrays import concat_columns, text_column
from gruff_ledger.problems import BadTerms

CELLS = st.lists(st.text('ab-;" é', max_size=10), max_size=20)
CUTTINGS = st.builds(
    Cutting,
    st.sampled_from(
        [("-",), (";",), ("-", ";"), ("--",), ("-;", "-"), ("é",), ("ab",)]
    ),
    st.sampled_from(["every", "first", "last"]),
    st.booleans(),
)


def column_of(cells):
    """Return cells as a column of two chunks."""
    return concat_columns([text_column(cells[:2]), text_column(cells[2:])])


def one_by_one(cell: str, cutting: Cutting, wanted: int, from_the_end: bool):
    """Cut one cell, told again in the plainest way."""
    spans = cuts_in(cell, cutting)
    most = wanted - 1
    spans = (spans[-most:] if most else []) if from_the_end else spans[:most]
    parts = pieces_of(cell, spans, unquote=cutting.respects_quotes)
    return parts + [""] * (wanted - len(parts))


class CuttingTest(unittest.TestCase):
    @given(CELLS, CUTTINGS, st.integers(2, 4), st.booleans())
    def test_fields_and_texts_agree(self, cells, cutting, wanted, from_the_end) -> None:
        """Whole fields by NumPy, texts one by one."""
        column = column_of(cells)
        cuts = find_cuts(column, cutting)
        columns = cut(column, cuts, wanted, from_the_end=from_the_end)
        found = list(zip(*(each.to_pylist() for each in columns), strict=True))
        expected = [
            tuple(one_by_one(cell, cutting, wanted, from_the_end)) for cell in cells
        ]
        self.assertEqual(found, expected)
        counts = [
            len(cuts_in(cell, cutting)) + 1 if cell.strip() else 0 for cell in cells
        ]
        self.assertEqual(cuts.counts.tolist(), counts)

    @given(CELLS, CUTTINGS)
    def test_all_parts_end_to_end(self, cells, cutting) -> None:
        column = column_of(cells)
        parts, owners = all_parts(column, find_cuts(column, cutting))
        expected = [
            (part, place)
            for place, cell in enumerate(cells)
            for part in (
                pieces_of(cell, cuts_in(cell, cutting), unquote=cutting.respects_quotes)
                if cell.strip()
                else [cell]
            )
        ]
        found = list(zip(parts.to_pylist(), owners.tolist(), strict=True))
        # Of a blank cell only its blank part matters.
        self.assertEqual([o for _, o in found], [o for _, o in expected])
        filled = [each for each in found if each[0].strip()]
        self.assertEqual(filled, [each for each in expected if each[0].strip()])

    @given(st.text("ab;", max_size=12))
    def test_parts_and_delimiters_give_the_text_again(self, text: str) -> None:
        pieces = pieces_of(text, cuts_in(text, Cutting((";",))))
        self.assertEqual(";".join(pieces), text)

    def test_quoted_parts(self) -> None:
        for text, expected in (
            ('"a;b";c', ["a;b", "c"]),
            ('a; "b;c" ;d', ["a", "b;c", "d"]),
            ('"say ""a;b""";c', ['say "a;b"', "c"]),
            ('a "b;c" d', ['a "b', 'c" d']),
            ('"a;b', ['"a', "b"]),
            ('"a" x;b', ['"a" x', "b"]),
            ('""', [""]),
        ):
            with self.subTest(text=text):
                spans = cuts_in(text, Cutting((";",)))
                self.assertEqual(pieces_of(text, spans), expected)


class WidthsTest(unittest.TestCase):
    @given(
        st.lists(st.text("abé", max_size=8), max_size=12),
        st.lists(st.integers(1, 3), min_size=1, max_size=3),
        st.booleans(),
    )
    def test_characters_are_counted(self, cells, widths, from_the_end) -> None:
        parts = parts_by_widths(column_of(cells), widths, from_the_end=from_the_end)
        found = list(zip(*(each.to_pylist() for each in parts.columns), strict=True))
        for cell, mine in zip(cells, found, strict=True):
            self.assertEqual("".join(mine), cell)
            surplus = max(0, len(cell) - sum(widths))
            sizes = list(widths)
            sizes[0 if from_the_end else -1] += surplus
            at = 0
            for part, size in zip(mine, sizes, strict=True):
                self.assertEqual(part, cell[at : at + size])
                at += size

    def test_parts_are_counted(self) -> None:
        parts = parts_by_widths(text_column(["", "a", "abc", "abcdef"]), [2, 2])
        self.assertEqual(parts.counts.tolist(), [0, 1, 2, 3])


class PatternTest(unittest.TestCase):
    def test_named_groups_are_parts(self) -> None:
        column = column_of(["A-7", "x", "", "B12 ", "C"])
        names, parts = match_groups(column, "^(?P<p>[A-C])-?(?P<n>[0-9]+)?")
        self.assertEqual(names, ("p", "n"))
        found = list(zip(*(each.to_pylist() for each in parts.columns), strict=True))
        self.assertEqual(
            found, [("A", "7"), ("", ""), ("", ""), ("B", "12"), ("C", "")]
        )
        self.assertEqual(parts.counts.tolist(), [2, 0, 0, 2, 2])

    def test_patterns_that_cannot_be_used(self) -> None:
        for pattern, words in (
            ("(a)(?P<n>b)", "a group has no name"),
            ("(?P<n>[a", "missing ]"),
            ("abc", "no named group"),
            ("(?P<n>a)(?!b)", "invalid perl operator"),
        ):
            with self.subTest(pattern=pattern):
                with self.assertRaises(BadTerms) as caught:
                    match_groups(text_column(["a"]), pattern)
                self.assertIn(words, caught.exception.what)


if __name__ == "__main__":
    unittest.main()
