"""The forms numbers are written in: read as stated, and written by a pattern.

The plain form needs no statement: a sign, digits, a decimal point. Other forms state
their decimal and group characters, a currency sign, per cent, and how negatives are
marked. Patterns are those of Unicode LDML (Technical Standard 35, part 3), in which
``#,##0.00`` stands for the characters of the form and not for a point and a comma.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Sequence
from decimal import Decimal
from typing import Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa

from gruff_ledger.cells.blank import is_blank, strip_space
from gruff_ledger.cells.keys.distinct import rewrite_distinct, with_cells
from gruff_ledger.cells.numbers.plain import MOST_DIGITS_A_SIDE, number_of, plain_text
from gruff_ledger.cells.numbers.shapes import (
    APOSTROPHES,
    MINUS_SIGNS,
    SPACES,
    dash_as_zeros,
)
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.cells.text.weave import by_stretches, text_array
from gruff_ledger.cells.text_bytes import Chunk, text_chunks
from gruff_ledger.columns.arrays import arrow_functions, filter_column
from gruff_ledger.columns.threads import mapped
from gruff_ledger.columns.types import Column, Mask
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms

# What a cell is given that is no number in the stated form: no number in the plain one.
_NO_NUMBER = "?"

_PLAIN_NUMBER = r"\A\s*[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)\s*\z"
_POWER = late_pattern(r"[eE]([+-]?[0-9]{1,3})\Z")


class NumberForm(msgspec.Struct, frozen=True):
    """
    How the numbers of a field are written.

    Attributes
    ----------
    decimal : str
        The character before the decimals.
    group : str
        The character between groups of digits, or empty; a space stands for all
        white space that is used so.
    currency : str
        A sign or word that may stand before or after the number.
    percent : bool
        Whether a per cent sign may stand after the number, which divides it by 100.
    brackets, trailing_minus : bool
        Whether negative numbers may stand in brackets, or have their minus behind.
    exponent : bool
        Whether a power of ten may stand behind the number, as in 1.5E+03.

    Examples
    --------
    >>> form = NumberForm(decimal=",", group=".", currency="€", brackets=True)
    >>> form.read("(1.250,50 €)"), form.read("1.25")
    (Decimal('-1250.50'), None)
    """

    decimal: str = "."
    group: str = ""
    currency: str = ""
    percent: bool = False
    brackets: bool = False
    trailing_minus: bool = False
    exponent: bool = False

    def read(self, text: str) -> Decimal | None:
        """Return the number that a text is in this form, exactly; None for none."""
        if self == PLAIN:
            return number_of(text)
        text = dash_as_zeros(strip_space(text))
        bare, negative, hundredth = self._bare(text)
        power = _POWER.search(bare) if self.exponent else None
        bare = bare[: power.start()] if power else bare
        match = _digits_of(self.decimal, self.group).fullmatch(bare)
        if match is None or not (match["whole"] or match["part"]):
            return None
        whole = re.sub(r"\D", "", match["whole"])
        part = match["part"] or ""
        if max(len(whole), len(part)) > MOST_DIGITS_A_SIDE:
            return None
        digits = tuple(map(int, whole + part))
        scale = len(part) + (2 if hundredth else 0) - (int(power[1]) if power else 0)
        return Decimal((negative, digits, -scale))

    def _bare(self, text: str) -> tuple[str, int, bool]:
        """Take off brackets, signs, currency and per cent, each at most once."""
        negative = signed = False
        hundredth = False
        priced = not self.currency
        if self.brackets and text[:1] == "(" and text[-1:] == ")":
            text, negative, signed = strip_space(text[1:-1]), True, True
        while text:
            if not signed and text[0] in "+" + MINUS_SIGNS:
                negative, signed = text[0] != "+", True
                text = text[1:].lstrip()
            elif not signed and self.trailing_minus and text[-1] in MINUS_SIGNS:
                negative = signed = True
                text = text[:-1].rstrip()
            elif not priced and text.startswith(self.currency):
                text, priced = text[len(self.currency) :].lstrip(), True
            elif not priced and text.endswith(self.currency):
                text, priced = text[: -len(self.currency)].rstrip(), True
            elif self.percent and not hundredth and text[-1] == "%":
                text, hundredth = text[:-1].rstrip(), True
            else:
                break
        return text, int(negative), hundredth


PLAIN = NumberForm()


@functools.cache
def _digits_of(decimal: str, group: str) -> re.Pattern[str]:
    """Return what the digits of a form look like: groups of three, of two in India."""
    whole = "[0-9]*"
    if group:
        kinds = next((each for each in (SPACES, APOSTROPHES) if group in each), group)
        mark = f"[{re.escape(kinds)}]"
        # All groups are parted by the same character.
        whole = (
            f"(?:[0-9]{{1,3}}(?P<mark>{mark})(?:[0-9]{{2,3}}(?P=mark))*[0-9]{{3}}"
            "|[0-9]*)"
        )
    return re.compile(f"(?P<whole>{whole})(?:{re.escape(decimal)}(?P<part>[0-9]*))?")


def in_one_form(column: Column, forms: Sequence[NumberForm]) -> Column:
    """
    Return a field with its numbers in the plain form.

    Parameters
    ----------
    column : Column, n cells
    forms : sequence of NumberForm
        How they are written; the first that a cell is a number in is its own. What is
        no number in any of them is none in the result either.
    """
    result = in_plain_form(column, forms[0])
    for form in forms[1:]:
        unread = ~matching(result, _PLAIN_NUMBER)
        if not unread.any():
            break
        rest = in_plain_form(filter_column(column, unread), form)
        result = with_cells(result, unread, rest)
    return result


def in_plain_form(column: Column, form: NumberForm) -> Column:
    """
    Return a field with its numbers in the plain form.

    Parameters
    ----------
    column : Column, n cells
    form : NumberForm
        How they are written. What is no number in it is none in the result either.
    """
    if form == PLAIN:
        return column

    def plain(text: str) -> str:
        number = form.read(text)
        if number is not None:
            return plain_text(number)
        return text if is_blank(text) else _NO_NUMBER

    if (
        form.exponent
        or not form.decimal.isascii()
        or form.decimal.isspace()
        or {*form.currency} & {*"0123456789+-", form.decimal}
    ):
        # What is a sign of the currency here is no part of a number.
        return rewrite_distinct(column, plain).column
    simple = np.zeros(256, np.bool_)
    simple[[*b"0123456789+-", ord(form.decimal)]] = True
    as_plain = np.arange(256, dtype=np.uint8)
    as_plain[ord(form.decimal)] = ord(".")
    others = np.zeros(len(column), np.bool_)

    def in_point_form(chunks: list[Chunk], where: slice) -> list[Any]:
        (chunk,) = chunks
        odd = np.flatnonzero(~simple[chunk.bytes])
        others[where][np.searchsorted(chunk.offsets, odd, side="right") - 1] = True
        # A minus behind, or a dash for decimals.
        ends = chunk.offsets[1:][np.diff(chunk.offsets) > 0] - 1
        behind = ends[chunk.bytes[ends] == ord("-")]
        places = np.searchsorted(chunk.offsets, behind, side="right") - 1
        others[where][places] = True
        return [text_array(as_plain[chunk.bytes], np.diff(chunk.offsets))]

    # Cells of digits, signs and decimal characters alone are most; of those only that
    # character differs. Of the others, most have groups or a currency as usual; what is
    # written in any other way is read one by one.
    (pointed,) = by_stretches([column], in_point_form)
    if not others.any():
        return pointed
    rest = filter_column(column, others)
    usual = _are_usual(rest, form)
    if usual.any():
        rest = with_cells(rest, usual, bare_cells(filter_column(rest, usual), form))
    if not usual.all():
        odd = rewrite_distinct(filter_column(rest, ~usual), plain).column
        rest = with_cells(rest, ~usual, odd)
    return with_cells(pointed, others, rest)


def plain_cells(column: Column, form: NumberForm) -> tuple[Mask, Column]:
    """
    Write the numbers of a field in the plain form, where that is quickly done.

    Parameters
    ----------
    column : Column, n cells
    form : NumberForm
        How they are written.

    Returns
    -------
    usual : ndarray of bool, shape (n,)
        The cells that are written as most numbers are in the form: they are done.
    cells : Column
        As many as are marked: what `plain_text` writes of each.
    """
    usual = _are_usual(column, form, exactly=True)
    lengths = [np.diff(chunk.offsets) for chunk in text_chunks(column)]
    usual &= np.concatenate([np.zeros(0, np.int32), *lengths]) <= MOST_DIGITS_A_SIDE
    return usual, bare_cells(filter_column(column, usual), form)


def _are_usual(column: Column, form: NumberForm, *, exactly: bool = False) -> Mask:
    """
    Mark cells with a sign, a currency and groups of three digits, as most have.

    With `exactly`, only those that have neither zeros in front nor a point and nothing
    behind it.
    """
    if re.search(r"[0-9+-]", form.currency) or form.decimal == " ":
        # What is to be taken off cannot be told from the number by its characters.
        return np.zeros(len(column), np.bool_)
    decimal, group = re.escape(form.decimal), re.escape(form.group)
    first, rest, least = "[0-9]", "[0-9]+", "*"
    if exactly:
        first, rest, least = "[1-9]", "0|[1-9][0-9]*", "+"
    in_groups = f"{first}[0-9]{{0,2}}(?:{group}[0-9]{{3}})+|" if group else ""
    digits = f"(?:{in_groups}{rest})(?:{decimal}[0-9]{least})?"
    pattern = f"-?{digits}"
    if form.currency:
        sign = re.escape(form.currency)
        pattern = f"(?:{pattern}(?: ?{sign})?|-?{sign} ?{digits}|{sign} ?-{digits})"
    return matching(column, rf"\A{pattern}\z")


def replace_text(column: Column, written: str, plain: str) -> Column:
    """Return a field with one text in the place of another, wherever it stands."""
    functions = arrow_functions()
    options = functions.ReplaceSubstringOptions(written, plain)
    cells = functions.call_function("replace_substring", [column], options)
    return pa.chunked_array(cells.chunks, pa.string())


def bare_cells(column: Column, form: NumberForm) -> Column:
    """Return cells that are written as usual with no more than sign, digits, point."""
    functions = arrow_functions()
    # Spaces stand between groups, or beside the currency.
    changes = [(form.currency, ""), (form.group, ""), (" ", ""), (form.decimal, ".")]

    def bare(chunk: Chunk) -> Any:
        cells = chunk.array
        for written, plain in changes:
            if written and written != plain:
                options = functions.ReplaceSubstringOptions(written, plain)
                cells = functions.call_function("replace_substring", [cells], options)
        return cells

    return pa.chunked_array(mapped(bare, list(text_chunks(column))), pa.string())


class NumberPattern(NamedTuple):
    """
    A pattern that numbers are written by.

    Attributes
    ----------
    before, after : str
        Text around the number.
    least_whole, least_part, most_part : int
        Digits before the decimal character that are always written; digits after it
        that always and that at most are.
    group, second_group : int
        Digits of the group next to the decimal character and of the others; 0 for
        no groups.
    """

    before: str
    after: str
    least_whole: int
    least_part: int
    most_part: int
    group: int
    second_group: int

    def write(
        self, number: Decimal, decimal: str = ".", group: str = ","
    ) -> str | None:
        """
        Write a number; None if it has more decimals than the pattern.

        Examples
        --------
        >>> number_pattern("#,##0.00").write(Decimal("-1234567.5"))
        '-1,234,567.50'
        """
        text = plain_text(number.copy_abs())
        whole, _, part = text.partition(".")
        part = part.rstrip("0")
        if len(part) > self.most_part:
            return None
        part = part.ljust(self.least_part, "0")
        whole = whole.lstrip("0").rjust(self.least_whole, "0")
        if not whole and not part:
            whole = "0"
        if self.group and len(whole) > self.group:
            head, groups = whole[: -self.group], [whole[-self.group :]]
            while head:
                groups.insert(0, head[-self.second_group :])
                head = head[: -self.second_group]
            whole = group.join(groups)
        sign = "-" if number < 0 and (whole + part).strip("0" + group) else ""
        return f"{sign}{self.before}{whole}{decimal if part else ''}{part}{self.after}"


def number_pattern(pattern: str) -> NumberPattern:
    """
    Read a number pattern of LDML.

    Raises
    ------
    BadTerms
        If it is none, or uses what is not supported: exponents, per cent, padding,
        significant digits, a pattern of its own for negatives.
    """
    affixes = r"(?:'[^']*'|[^#0,.;*@%‰+\-'E])*"
    match = re.fullmatch(rf"({affixes})([#0,]*)(?:\.(0*)(#*))?({affixes})", pattern)
    if match is None or not (match[2] + (match[3] or "") + (match[4] or "")).strip(","):
        raise _bad_pattern(pattern)
    whole, least, more = match[2], match[3] or "", match[4] or ""
    groups = whole.split(",")
    bare = whole.replace(",", "")
    if "#" in bare.lstrip("#") or any(not part for part in groups[1:]):
        raise _bad_pattern(pattern)
    group = len(groups[-1]) if len(groups) > 1 else 0
    second = len(groups[-2]) if len(groups) > 2 else group
    return NumberPattern(
        before=match[1].replace("'", ""),
        after=match[5].replace("'", ""),
        least_whole=bare.count("0"),
        least_part=len(least),
        most_part=len(least) + len(more),
        group=group,
        second_group=second,
    )


def _bad_pattern(pattern: str) -> BadTerms:
    return BadTerms(
        f"'{pattern}' is not a pattern for numbers.",
        "Write 0 for a digit that is always written, # for one that may, a comma for "
        "groups and a point for decimals, as in #,##0.00.",
    )
