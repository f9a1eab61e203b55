"""Tests of cutting formulas into words and signs."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gruff_ledger.formula.nodes import BadFormula
from gruff_ledger.formula.tokens import MOST_CHARACTERS, Cursor, Kind, tokenize


class TokenizeTest(unittest.TestCase):
    def test_each_kind(self) -> None:
        tokens = tokenize("Qty>=1.5 || 'it''s' \"Item code\"")
        self.assertEqual(
            [(token.kind.name, token.place.written, token.word) for token in tokens],
            [
                ("NAME", "Qty", "QTY"),
                ("SIGN", ">=", ">="),
                ("NUMBER", "1.5", ""),
                ("SIGN", "||", "||"),
                ("TEXT", "'it''s'", ""),
                ("QUOTED", '"Item code"', ""),
                ("END", "", ""),
            ],
        )

    def test_quoted_words_are_never_words_of_the_language(self) -> None:
        self.assertFalse(tokenize('"AND"')[0].is_reserved)
        self.assertTrue(tokenize("and")[0].is_reserved)

    def test_it_ends_at_what_begins_nothing(self) -> None:
        for text, mark in (("a ? b", "?"), ("a == b", "=="), ("a 'b", "'")):
            with self.subTest(text=text):
                last = tokenize(text)[-1]
                self.assertEqual((last.kind, last.place.written), (Kind.UNKNOWN, mark))

    @given(st.text(max_size=80).filter(str.strip))
    def test_nothing_but_spaces_lies_between_tokens(self, text: str) -> None:
        end = 0
        for token in tokenize(text):
            self.assertEqual(text[end : token.place.start].strip(), "")
            end = token.place.end

    def test_empty_and_too_long_ones_are_refused(self) -> None:
        many = "a" * (MOST_CHARACTERS + 1)
        for text, words in ((" \n", "is empty"), (many, "10000")):
            with self.subTest(words=words), self.assertRaisesRegex(BadFormula, words):
                tokenize(text)


class CursorTest(unittest.TestCase):
    def test_what_closes_belongs_to_what_was_opened_last(self) -> None:
        cursor = Cursor("( CASE END )")
        cursor.open()
        cursor.open()
        cursor.close("END")
        with self.assertRaisesRegex(BadFormula, "'\\)' was not expected"):
            cursor.refuse()

    def test_the_end_names_what_is_still_open(self) -> None:
        for text, words in (("(", "a bracket is opened"), ("CASE", "closed by END")):
            cursor = Cursor(text)
            cursor.open()
            with self.subTest(text=text), self.assertRaisesRegex(BadFormula, words):
                cursor.take()

    def test_behind_a_call_with_brackets_in_it(self) -> None:
        cursor = Cursor("(a (b) c) d")
        cursor.open()
        self.assertEqual(cursor.skip_call().place.start, 8)
        self.assertEqual(cursor.next.word, "D")


if __name__ == "__main__":
    unittest.main()
