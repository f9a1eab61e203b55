"""How one number is written: its marks, its currency, and what they leave open.

A number is digits with at most two kinds of marks between them. Two kinds, a mark that
comes twice, or a lone one that three digits do not follow, tell which mark parts groups
and which begins the decimals. A lone point or comma before three digits tells nothing:
``1,234`` is a thousand and more in one list and less than two in another.
"""

from __future__ import annotations

import functools
import re
import unicodedata
from decimal import Decimal
from typing import NamedTuple

from gruff_ledger.cells.blank import strip_space
from gruff_ledger.cells.numbers.plain import MOST_DIGITS_A_SIDE
from gruff_ledger.late_patterns import late_pattern

# White space that parts groups of digits; people type one and mean any.
SPACES = " \u00a0\u2009\u202f"
APOSTROPHES = "'\u2019"
MINUS_SIGNS = "-\u2212"

# The codes of currencies in use (ISO 4217), as of 2026.
_CODES = """
AED AFN ALL AMD AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN BWP
BYN BZD CAD CDF CHF CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP
GBP GEL GHS GIP GMD GNF GTQ GYD HKD HNL HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES
KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL MGA MKD MMK MNT MOP MRU
MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON
RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND
TOP TRY TTD TWD TZS UAH UGX USD UYU UZS VED VES VND VUV WST XAF XCD XCG XOF XPF YER ZAR
ZMW ZWG
"""
CURRENCY_CODES = frozenset(_CODES.split())
# Words for currencies that are written beside amounts (CLDR's symbols that are words).
CURRENCY_WORDS = ("SFr.", "Fr.", "kr.", "kr", "zł", "Kč", "Ft", "lei", "din.")
# A sign or word and the code that it stands for where nothing else is said (CLDR, root
# and the languages of each). A crown is one of several, with and without its point.
_SIGNS = """
€=EUR £=GBP $=USD US$=USD ¥=JPY JP¥=JPY CN¥=CNY ₹=INR Fr.=CHF SFr.=CHF zł=PLN Kč=CZK
Ft=HUF lei=RON kr.=kr A$=AUD CA$=CAD NZ$=NZD HK$=HKD NT$=TWD MX$=MXN R$=BRL EC$=XCD
S$=SGD ₩=KRW ₪=ILS ₫=VND ₺=TRY ₽=RUB ₴=UAH ₦=NGN ₱=PHP ฿=THB ₸=KZT ₾=GEL ₼=AZN ₵=GHS
₲=PYG ₡=CRC ₮=MNT ₭=LAK
"""
_CODE_OF_SIGN = dict(each.split("=") for each in _SIGNS.split())

# A dash in the place of decimals, as shops write it: 12,- or 12.--
_DASH_FOR_DECIMALS = late_pattern(r"(?<=[0-9][.,])(?:--?|[\u2013\u2014])(?![0-9])")

_BODY = late_pattern(r"[0-9][0-9.,'\u2019 \u00a0\u2009\u202f]*[0-9]|[0-9]|[.,][0-9]+")
_EXPONENT = late_pattern(r"(.*[0-9])[eE]([+-]?[0-9]{1,3})")


# Digits of both sides with groups, and what stands around them.
_MOST_CHARACTERS = 3 * MOST_DIGITS_A_SIDE


class Shape(NamedTuple):
    """
    A number as it is written.

    Attributes
    ----------
    value : Decimal
        What it is; where the mark is in doubt, with it before the decimals.
    decimal, group : str
        The marks that are told, or empty; a space stands for all white space used so,
        an apostrophe for both.
    doubt : str
        The point or comma that could be either, or empty.
    currency : str
        As it is written, or empty.
    is_behind, is_spaced : bool
        Whether the currency stands behind the number, and apart from it.
    is_percent, in_brackets, has_trailing_minus, has_exponent : bool
    """

    value: Decimal
    decimal: str = ""
    group: str = ""
    doubt: str = ""
    currency: str = ""
    is_behind: bool = False
    is_spaced: bool = False
    is_percent: bool = False
    in_brackets: bool = False
    has_trailing_minus: bool = False
    has_exponent: bool = False

    @property
    def grouped_value(self) -> Decimal:
        """What it is where the mark in doubt parts groups of digits."""
        return self.value.scaleb(3) if self.doubt else self.value


def currency_code(currency: str) -> str:
    """
    Return what tells a currency from others, however it is written.

    Examples
    --------
    >>> currency_code("€"), currency_code("EUR"), currency_code("CA$")
    ('EUR', 'EUR', 'CAD')
    """
    return _CODE_OF_SIGN.get(currency, currency)


def dash_as_zeros(text: str) -> str:
    """
    Return a number with zeros where a dash stands for its decimals.

    Examples
    --------
    >>> dash_as_zeros("1.250,- €"), dash_as_zeros("Fr. 12.--"), dash_as_zeros("12-")
    ('1.250,00 €', 'Fr. 12.00', '12-')
    """
    return _DASH_FOR_DECIMALS.sub("00", text)


@functools.lru_cache(maxsize=1024)
def is_currency(text: str) -> bool:
    """Whether a text stands for a currency beside an amount."""
    if text in CURRENCY_CODES or text in CURRENCY_WORDS:
        return True
    return (
        bool(text)
        and unicodedata.category(text[-1]) == "Sc"
        and len(text) <= 4
        and re.fullmatch("[A-Z]*", text[:-1]) is not None
    )


def shape_of(text: str) -> Shape | None:
    """
    Tell how a number is written; None for what is no number in any form.

    Examples
    --------
    >>> shape = shape_of("(1.234,56 €)")
    >>> shape.value, shape.decimal, shape.group, shape.currency
    (Decimal('-1234.56'), ',', '.', '€')
    >>> shape_of("1,234").doubt, shape_of("0,234").doubt, shape_of("12/3")
    (',', '', None)
    """
    if len(text) > _MOST_CHARACTERS:
        return None
    rest = _Wrapped(dash_as_zeros(strip_space(text)))
    rest.unwrap()
    body, exponent = rest.text, 0
    match = _EXPONENT.fullmatch(body)
    has_exponent = match is not None and ("." in match[1] or match[2][0] in "+-")
    if match is not None and has_exponent:
        body, exponent = match[1], int(match[2])
    if not _BODY.fullmatch(body) or len(body) > 2 * MOST_DIGITS_A_SIDE:
        return None
    marked = _marks_of(body)
    if marked is None:
        return None
    decimal, group, doubt = marked
    whole, _, part = (
        body.partition(decimal or doubt) if decimal or doubt else (body,) * 3
    )
    if not (decimal or doubt):
        part = ""
    digits = re.sub(r"[^0-9]", "", whole)
    if max(len(digits), len(part)) > MOST_DIGITS_A_SIDE:
        return None
    scale = len(part) - exponent + (2 if rest.is_percent else 0)
    value = Decimal((rest.negative, tuple(map(int, digits + part)), -scale))
    return Shape(
        value=value,
        decimal=decimal,
        group=group,
        doubt=doubt,
        currency=rest.currency,
        is_behind=rest.is_behind,
        is_spaced=rest.is_spaced,
        is_percent=rest.is_percent,
        in_brackets=rest.in_brackets,
        has_trailing_minus=rest.has_trailing_minus,
        has_exponent=has_exponent,
    )


class _Wrapped:
    """What stands around the digits of a number, taken off piece by piece."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.negative = 0
        self.currency = ""
        self.is_behind = self.is_spaced = False
        self.is_percent = self.in_brackets = self.has_trailing_minus = False
        self._is_signed = False

    def unwrap(self) -> None:
        """Take off brackets, sign, currency and per cent, each at most once."""
        if self.text[:1] == "(" and self.text[-1:] == ")":
            self.in_brackets = self._is_signed = True
            self.negative = 1
            self.text = strip_space(self.text[1:-1])
        while self.text and (
            self._take_sign() or self._take_percent() or self._take_currency()
        ):
            pass

    def _take_sign(self) -> bool:
        if self._is_signed or len(self.text) < 2:
            return False
        if self.text[0] in "+" + MINUS_SIGNS:
            self.negative = int(self.text[0] != "+")
            self.text = self.text[1:].lstrip()
        elif self.text[-1] in MINUS_SIGNS:
            self.negative = 1
            self.has_trailing_minus = True
            self.text = self.text[:-1].rstrip()
        else:
            return False
        self._is_signed = True
        return True

    def _take_percent(self) -> bool:
        if self.is_percent or self.text[-1] != "%":
            return False
        self.is_percent, self.text = True, self.text[:-1].rstrip()
        return True

    def _take_currency(self) -> bool:
        if self.currency or (self.text[0].isdigit() and self.text[-1].isdigit()):
            return False
        before = re.match(r"[^0-9.,'\s(+\-\u2212]+\.?", self.text)
        behind = re.search(r"[^0-9,'\s)+\-\u2212%]+\Z", self.text)
        if before is not None and is_currency(before[0]):
            self.currency = before[0]
            rest = self.text[before.end() :]
        elif behind is not None and is_currency(behind[0]):
            self.currency, self.is_behind = behind[0], True
            rest = self.text[: behind.start()]
        else:
            return False
        self.text = strip_space(rest)
        self.is_spaced = self.text != rest
        return True


def _marks_of(body: str) -> tuple[str, str, str] | None:
    """Return the decimal mark, the group mark and the one in doubt, each or empty."""
    written = re.sub(r"[0-9]", "", body)
    for kinds in (SPACES, APOSTROPHES):
        for mark in kinds[1:]:
            written, body = (
                written.replace(mark, kinds[0]),
                body.replace(mark, kinds[0]),
            )
    if not written:
        return "", "", ""
    group, last = written[0], written[-1]
    if len(written) == 1:
        return _lone_mark(body, last)
    if len(set(written)) == 1:
        return ("", group, "") if _in_groups(body, group) else None
    if written != group * (len(written) - 1) + last or last not in ".,":
        return None
    return (last, group, "") if _in_groups(body.partition(last)[0], group) else None


def _lone_mark(body: str, mark: str) -> tuple[str, str, str] | None:
    before, _, after = body.partition(mark)
    if mark not in ".,":
        return ("", mark, "") if _in_groups(body, mark) else None
    if len(after) != 3 or not before or before[0] == "0" or len(before) > 3:
        return mark, "", ""
    return "", "", mark


def _in_groups(whole: str, group: str) -> bool:
    """Whether digits stand in groups of three, or of two before the last (India)."""
    groups = whole.split(group)
    is_last = len(groups[-1]) == 3 and 1 <= len(groups[0]) <= 3
    middle = {len(each) for each in groups[1:-1]}
    if middle == {2}:
        return is_last and len(groups[0]) <= 2
    return is_last and middle <= {3} and (groups[0] != "0")
