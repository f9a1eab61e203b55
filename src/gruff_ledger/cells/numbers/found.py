"""How the numbers of a field are written, found out from its own cells.

Cells in the plain form are read at once. Of the others, a few tell which form most
have; one pattern then takes all cells that can be nothing else in that form, and so on
until few are left, which are looked at one by one. Only after all are read it is known
which marks the field proves, and what becomes of the cells that could be two numbers
(`shapes`): they are read if the field proves one way and not the other, and else are in
doubt. A majority proves nothing.
"""

from __future__ import annotations

import functools
import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from typing import NamedTuple

import numpy as np

from gruff_ledger.cells.blank import blank_mask
from gruff_ledger.cells.groups import Group
from gruff_ledger.cells.keys.distinct import distinct, with_cells
from gruff_ledger.cells.keys.few_values import first_places
from gruff_ledger.cells.numbers.amounts import Amounts, put_amounts, read_amounts
from gruff_ledger.cells.numbers.forms import NumberForm, bare_cells, replace_text
from gruff_ledger.cells.numbers.plain import plain_text
from gruff_ledger.cells.numbers.shapes import (
    APOSTROPHES,
    CURRENCY_CODES,
    CURRENCY_WORDS,
    SPACES,
    Shape,
    currency_code,
    dash_as_zeros,
    shape_of,
)
from gruff_ledger.cells.text.patterns import matching
from gruff_ledger.columns.arrays import (
    constant_column,
    filter_column,
    spread_column,
    taken,
)
from gruff_ledger.columns.types import Column, Mask

# What is looked at to tell the form that most of some cells have.
_SAMPLED = 64
# So few cells, or fewer, are looked at one by one.
_FEW = 512
_MOST_FORMS = 12

# A number with what may stand around it; whether its marks make sense is seen later.
_CURRENCY = "|".join(
    [*sorted(CURRENCY_CODES), *map(re.escape, CURRENCY_WORDS), r"[A-Z]{0,3}\p{Sc}"]
)
_ROOM = r"\s\x{a0}\x{2009}\x{202f}+\-\x{2212}"
_COULD_BE_NUMBER = (
    rf"\A[{_ROOM}(]*(?:{_CURRENCY})?[{_ROOM}]*[.,]?[0-9]"
    rf"[0-9.,'\x{{2013}}\x{{2014}}\x{{2019}}eE{_ROOM}]*"
    rf"[{_ROOM}%)]*(?:{_CURRENCY})?[{_ROOM}%)]*\z"
)

# What a cell that is no number is written as: no number in the plain form.
_NO_NUMBER = "?"

_POINT_IN_DOUBT = r"\A[-+]?[1-9][0-9]{0,2}\.[0-9]{3}\z"


class Style(NamedTuple):
    """What cells that are written alike have in common."""

    decimal: str = ""
    group: str = ""
    currency: str = ""
    is_behind: bool = False
    is_spaced: bool = False
    is_percent: bool = False
    in_brackets: bool = False
    has_trailing_minus: bool = False
    has_exponent: bool = False

    @property
    def example(self) -> str:
        """A number written so: 1234.56, or 1234 where no decimals are."""
        # Two groups where no decimals are: 1.234 alone could be taken for a decimal.
        rest = f"{self.decimal}56" if self.decimal else f"{self.group}567"
        text = f"1{self.group}234" + (rest if self.decimal or self.group else "")
        if self.has_exponent:
            text = f"1{self.decimal or '.'}2E+03"
        space = " " if self.is_spaced else ""
        if self.currency:
            pair = (text, self.currency) if self.is_behind else (self.currency, text)
            text = space.join(pair)
        text += "%" if self.is_percent else ""
        text = f"({text})" if self.in_brackets else text
        return f"{text}-" if self.has_trailing_minus else text


class FoundNumbers(NamedTuple):
    """
    The numbers of a field of n cells, and how they are written.

    Attributes
    ----------
    amounts : Amounts, n records
        Zero in cells that hold no number.
    is_number : ndarray of bool, shape (n,)
    styles : dict of Style to Group
        How the cells are written; the plain form is ``Style(".")``, or ``Style()``
        where none of its numbers has decimals.
    doubts : dict of str to Group
        By the mark, the cells that could be two numbers.
    plain : callable
        Returns the cells with each number in the plain form, with all its digits.
    roles : dict of str to str, or None
        What a point and a comma are, ``decimal`` or ``group``, where a lone one stands
        before three digits; None where that is open.
    """

    amounts: Amounts
    is_number: Mask
    styles: dict[Style, Group]
    doubts: dict[str, Group]
    plain: Callable[[], Column]
    roles: Mapping[str, str | None]

    @property
    def is_plain(self) -> bool:
        """Whether all numbers are in the plain form."""
        return not self.doubts and {*self.styles} <= {Style(), Style(".")}

    @property
    def currencies(self) -> dict[str, Group]:
        """The cells of each currency, by what tells it from others."""
        found: dict[str, Group] = {}
        for style, group in self.styles.items():
            if style.currency:
                code = currency_code(style.currency)
                found[code] = found[code].plus(group) if code in found else group
        return found


def find_numbers(
    column: Column, roles: Mapping[str, str | None] | None = None
) -> FoundNumbers:
    """
    Read the numbers of a field in all the forms that its cells prove.

    Parameters
    ----------
    column : Column, n cells
    roles : mapping, optional
        What the whole list proved of its marks, where these are some of its cells.
    """
    amounts, is_number = read_amounts(column)
    odd = ~is_number
    if odd.any():
        odd[odd] = ~blank_mask(filter_column(column, odd))
    plain = Group.of(is_number)
    if not odd.any():
        every = {Style("."): plain} if plain else {}
        plain_roles = {".": "decimal", ",": None}
        if roles is None or roles["."] == "decimal" or not plain:
            return FoundNumbers(
                amounts, is_number, every, {}, lambda: column, roles or plain_roles
            )
    reader = _OddCells(filter_column(column, odd))
    places = np.flatnonzero(odd)
    styles = {style: group.at(places) for style, group in reader.styles.items()}
    in_doubt = {mark: np.zeros(len(column), np.bool_) for mark in ".,"}
    for mark, mask in reader.in_doubt.items():
        in_doubt[mark][places] = mask
    if plain:
        has_points = _tell_points(column, is_number, in_doubt["."])
        is_contested = _is_contested(styles)
        if roles is not None:
            is_contested = roles["."] != "decimal"
        if not is_contested and not reader.in_doubt["."].any():
            in_doubt["."][:] = False
        rest = is_number & ~in_doubt["."]
        if rest.any():
            styles[Style("." if has_points else "")] = Group.of_mask(rest)
    if roles is None:
        roles = {mark: _role_of(mark, styles) for mark in ".,"}
    doubts = {}
    for mark, mask in in_doubt.items():
        group = Group.of(mask)
        if not group:
            continue
        role = roles[mark]
        if role is None:
            doubts[mark] = group
            continue
        style = Style(mark) if role == "decimal" else Style("", mark)
        styles[style] = styles[style].plus(group) if style in styles else group
    found, is_found = read_amounts(reader.plain)
    is_number = is_number.copy()
    is_number[odd] = is_found
    grouped = [in_doubt[mark] for mark, role in roles.items() if role == "group"]

    @functools.cache
    def plain_cells() -> Column:
        result = with_cells(column, odd, reader.plain)
        for mask in grouped:
            if mask.any():
                whole = replace_text(filter_column(result, mask), ".", "")
                result = with_cells(result, mask, whole)
        return with_cells(result, ~is_number, filter_column(column, ~is_number))

    if any(mask.any() for mask in grouped):
        amounts, _ = read_amounts(plain_cells())
    else:
        amounts = put_amounts(amounts, odd, found)
    return FoundNumbers(amounts, is_number, styles, doubts, plain_cells, roles)


def _tell_points(column: Column, is_number: Mask, in_doubt: Mask) -> bool:
    """
    Tell whether plain numbers have decimals, and mark those that may have groups."""
    plain = filter_column(column, is_number)
    in_doubt[is_number] = matching(plain, _POINT_IN_DOUBT)
    return bool(matching(filter_column(column, is_number & ~in_doubt), r"\.").any())


def _is_contested(styles: Iterable[Style]) -> bool:
    """Whether a field proves that a point could part groups of digits."""
    return any(style.decimal == "," or style.group == "." for style in styles)


def _role_of(mark: str, styles: Iterable[Style]) -> str | None:
    """Return what a field proves a mark to be: decimal, group, or neither or both."""
    other = "." if mark == "," else ","
    decimals = {style.decimal for style in styles}
    groups = {style.group for style in styles}
    is_decimal = mark in decimals or other in groups
    # With another mark before the decimals, it is no decimal mark; that alone makes a
    # comma one of groups, but a point could still be the plain form's.
    is_group = mark in groups or (mark == "," and other in decimals)
    if is_decimal == is_group or (mark == "." and "," in decimals and not is_group):
        return None
    return "group" if is_group else "decimal"


class _OddCells:
    """
    Cells that are not plain numbers, read.

    Attributes
    ----------
    plain : Column, n cells
        Each number in the plain form, those in doubt with decimals.
    styles : dict of Style to Group
    in_doubt : dict of str to ndarray of bool, shape (n,)
    """

    def __init__(self, cells: Column) -> None:
        self._cells = cells
        self._left = np.ones(len(cells), np.bool_)
        self._parts: list[tuple[Mask, Column]] = []
        self.styles: dict[Style, Group] = {}
        self.in_doubt = {mark: np.zeros(len(cells), np.bool_) for mark in ".,"}
        for _ in range(_MOST_FORMS):
            if np.count_nonzero(self._left) <= _FEW or not self._take_most():
                break
        self._take_each()
        self.plain = self._cells
        for mask, part in self._parts:
            self.plain = with_cells(self.plain, mask, part)

    def _take_most(self) -> bool:
        """Take the cells written as most of some are; tell whether there are any."""
        left = np.flatnonzero(self._left)
        some = left[np.linspace(0, len(left) - 1, _SAMPLED).astype(np.int64)]
        kinds: Counter[tuple[NumberForm, str, Style]] = Counter()
        for text in taken(self._cells, some).to_pylist():
            shape = shape_of(text)
            is_dashed = dash_as_zeros(text) != text
            if shape is not None and _is_usual(shape) and not is_dashed:
                kinds[(_form_of(shape, text), shape.doubt, _style_of(shape))] += 1
        if not kinds:
            return False
        ((form, doubt, style), _), *_ = kinds.most_common()
        mask = self._left.copy()
        pattern = _pattern_of(form, doubt, style)
        mask[mask] = matching(filter_column(self._cells, self._left), pattern)
        if not mask.any():
            return False
        self._left &= ~mask
        self._parts.append((mask, bare_cells(filter_column(self._cells, mask), form)))
        if doubt:
            self.in_doubt[doubt] |= mask
        else:
            self._count(style, Group.of_mask(mask))
        return True

    def _take_each(self) -> None:
        """Look at each distinct text of the cells that are left."""
        if not self._left.any():
            return
        left = filter_column(self._cells, self._left)
        could = matching(left, _COULD_BE_NUMBER)
        if not could.all():
            # Most texts are told from numbers without being looked at one by one.
            words = constant_column(_NO_NUMBER, int(np.count_nonzero(~could)))
            never = self._left.copy()
            never[never] = ~could
            self._parts.append((never, words))
            self._left &= ~never
            left = filter_column(left, could)
        if not self._left.any():
            return
        texts, codes = distinct(left)
        shapes = [shape_of(text) for text in texts]
        plain = [
            _NO_NUMBER if each is None else plain_text(each.value) for each in shapes
        ]
        self._parts.append((self._left, spread_column(plain, codes)))
        places = np.flatnonzero(self._left)
        counts = np.bincount(codes, minlength=len(texts)).tolist()
        firsts = places[first_places(codes)].tolist()
        for number, shape in enumerate(shapes):
            if shape is None:
                continue
            if shape.doubt:
                self.in_doubt[shape.doubt][places[codes == number]] = True
            else:
                self._count(_style_of(shape), Group(counts[number], firsts[number]))

    def _count(self, style: Style, group: Group) -> None:
        before = self.styles.get(style)
        self.styles[style] = group if before is None else before.plus(group)


def _is_usual(shape: Shape) -> bool:
    """Whether one pattern can take the cells that are written so."""
    return not (
        shape.is_percent
        or shape.in_brackets
        or shape.has_trailing_minus
        or shape.has_exponent
    )


def _style_of(shape: Shape) -> Style:
    return Style(
        shape.decimal,
        shape.group,
        shape.currency,
        shape.is_behind,
        shape.is_spaced,
        shape.is_percent,
        shape.in_brackets,
        shape.has_trailing_minus,
        shape.has_exponent,
    )


def _form_of(shape: Shape, text: str) -> NumberForm:
    """Return the form of a number, with its group mark as it is in the text."""
    group = shape.group
    for kinds in (SPACES, APOSTROPHES):
        if group == kinds[0]:
            group = next(mark for mark in kinds if mark in text)
    decimal = shape.decimal or shape.doubt or ("," if group == "." else ".")
    return NumberForm(decimal=decimal, group=group, currency=shape.currency)


def _pattern_of(form: NumberForm, doubt: str, style: Style) -> str:
    """Return the pattern of cells that can be nothing else in a form."""
    decimal, group = re.escape(form.decimal), re.escape(form.group)
    if doubt:
        digits = f"[1-9][0-9]{{0,2}}{re.escape(doubt)}[0-9]{{3}}"
    else:
        kinds = []
        part = f"{decimal}[0-9]+"
        if form.group:
            in_groups = f"[1-9][0-9]{{0,2}}(?:{group}[0-9]{{3}})"
            least = "{2,}" if form.group in ".," else "+"
            kinds += [f"{in_groups}+{part}"] if style.decimal else []
            kinds += [] if style.decimal else [f"{in_groups}{least}"]
        elif style.decimal:
            kinds += [
                f"[0-9]*{decimal}(?:[0-9]{{1,2}}|[0-9]{{4,}})",
                f"(?:0[0-9]*|[0-9]{{4,}}){part}",
            ]
        else:
            kinds = ["[0-9]+"]
        digits = "(?:" + "|".join(kinds) + ")"
    pattern = f"-?{digits}"
    if form.currency:
        sign, space = re.escape(form.currency), " " if style.is_spaced else ""
        pattern = (
            f"{pattern}{space}{sign}"
            if style.is_behind
            else f"(?:-?{sign}{space}{digits}|{sign}{space}-{digits})"
        )
    return rf"\A{pattern}\z"
