"""Which encoding a delimited list is written in.

A byte-order mark decides, else UTF-8 if the bytes are valid. Else each candidate is
weighed by the letters it gives: how usual they are in one language, next to each other,
in what case. Windows-1252 has a good start, because most lists that are not UTF-8 are
written in it.
"""

from __future__ import annotations

import codecs
import math
import re
from collections import Counter
from collections.abc import Iterable
from functools import cache
from itertools import pairwise

import msgspec

from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.problems import BadTerms, UnreadableSource, nearest_or_all

# Longest first: the UTF-32 mark begins with the UTF-16 one.
_BYTE_ORDER_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)

# First bytes of files that are not delimited text, what to call them, and the format
# that reads them.
_SIGNATURES = (
    (b"PK\x03\x04", "a workbook or another ZIP archive", "xlsx or ods"),
    (b"\xd0\xcf\x11\xe0", "an old workbook (.xls)", "xls"),
    (b"%PDF", "a PDF document", ""),
    (b"\x89PNG", "a picture", ""),
    (b"\xff\xd8\xff", "a picture", ""),
    (b"GIF8", "a picture", ""),
    (b"\x1f\x8b", "a compressed file", ""),
    (b"SQLite format 3\x00", "a database", "sqlite"),
    (b"PAR1", "a Parquet file", "parquet"),
)

# Letters beyond ASCII by language, the most frequent first; names and addresses have
# them in much the same order as prose.
_WESTERN = (
    "üäößéè",  # German
    "éèàêçôâîûùëïœüæÿ",  # French
    "óíáéñúü¿¡ºª",  # Spanish
    "àèùòìéóíîº",  # Italian
    "ãçáéíóõêâúàôüº",  # Portuguese
    "ëéïèöüóáê",  # Dutch
    "äöåéüàè",  # Swedish, Finnish
    "øåæéöäüêô",  # Danish, Norwegian
    "íáðéóþúöæýàâô",  # Icelandic, Irish, Welsh
)
_CENTRAL = (
    "łóąężśćńźüöä",  # Polish
    "íáéěřýčžšůúťňóďüöä",  # Czech
    "áíéčýžšľťúňôóäďĺŕü",  # Slovak
    "áéöőóüíúű",  # Hungarian
    "čšžćđ",  # Slovene, Croatian
    "ăâîşţșț",  # Romanian
)
_BALTIC = ("āīēšūņļčģķžŗō", "ėšžįųčąūęē", "äõüöšž")
_LANGUAGES = {
    "windows-1252": _WESTERN,
    "iso-8859-15": _WESTERN,
    "windows-1250": _CENTRAL,
    "iso-8859-2": _CENTRAL,
    "windows-1257": _BALTIC,
    "windows-1254": ("ışüğçöİâî",),
    "windows-1251": (
        "оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъё",
        "оаниіевртсклудмпзяьбгйчхїцжєюшщфґ",
    ),
    "koi8-r": ("оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъё",),
    "cp866": ("оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъё",),
    "windows-1253": ("αοιετνςσρηυπκλμάίγωόδήέχύθφβξώζψϊϋ",),
    "iso-8859-7": ("αοιετνςσρηυπκλμάίγωόδήέχύθφβξώζψϊϋ",),
    "windows-1255": ("יוהלארתבשמנםעחדקפכצגסטזןךץף",),
    "windows-1256": ("اليمنرتةبدسعوقحفأكجهشطخصزذضغظءإآىئؤپچژگ",),
    "mac-roman": _WESTERN,
    "cp850": _WESTERN,
    "cp852": _CENTRAL,
}

# What the others must be better by, in natural logarithms, to be taken instead of
# windows-1252: how rarely lists come in them.
_HANDICAP = {
    "windows-1252": 0.0,
    "iso-8859-15": 2.0,
    "windows-1250": 2.5,
    "iso-8859-2": 3.5,
    "windows-1251": 3.0,
    "windows-1253": 3.0,
    "iso-8859-7": 4.0,
    "windows-1254": 1.0,
    "windows-1257": 5.0,
    "windows-1255": 4.0,
    "windows-1256": 4.0,
    "koi8-r": 5.0,
    "cp866": 7.0,
    "mac-roman": 9.0,
    "cp850": 9.0,
    "cp852": 9.0,
}

# Encodings of two bytes a character: the first bytes of their common characters.
_WIDE = {
    "cp932": range(0x88, 0x98),
    "euc-jp": range(0xB0, 0xD0),
    "gb18030": range(0xB0, 0xD8),
    "big5": range(0xA4, 0xC7),
    "euc-kr": range(0xB0, 0xC9),
}
_WIDE_HANDICAP = 6.0
_SYLLABLE, _COMMON_IDEOGRAPH, _RARE_WIDE = -4.0, -5.0, -10.0

# How much of the lines beyond ASCII is weighed.
_SAMPLE_BYTES = 1 << 16

# A reading worse than this, for each byte above 127, is nonsense.
_NONSENSE = -6.0

# Natural logarithms of how likely a character is among those beyond ASCII.
_CAPITAL = -1.6
_FOREIGN_LETTER = -6.5
_COMMON_SIGN, _RARE_SIGN, _CONTROL = -3.0, -7.5, -14.0
_ODD_CASE = -4.0
_SIGN_IN_WORD = -4.0
_LONE_LETTER = -4.0

_COMMON_SIGNS = frozenset("€£§°«»–—‘’“”„…½¼¾²³·©®™º№±×µ\u00a0\ufffd•¿¡ª¢¥")

# In UTF-8 that was damaged, so many letters at least are whole for each bad byte.
_WHOLE_FOR_EACH_BAD = 4

# Lines beyond ASCII that are looked at behind the first bad byte.
_TELLING_LINES = 5000
_BEYOND_ASCII = late_pattern(r"[^\x00-\x7f]")


class Encoding(msgspec.Struct, frozen=True):
    """A codec by name, the byte-order mark found, and whether it was a guess."""

    name: str
    bom: bytes = b""
    guessed: bool = False


def detect_encoding(head: bytes, pinned: str | None, file: str) -> Encoding:
    """
    Tell the encoding of a source from its head.

    A byte-order mark decides; else UTF-8 if the head is valid UTF-8; else the likeliest
    one-byte or Asian encoding by the letters it would give.

    Parameters
    ----------
    head : bytes
        The first part of the source; it may end within a character.
    pinned : str, optional
        The encoding the person states; only a byte-order mark of it is looked for.
    file : str
        The source, for messages.

    Raises
    ------
    BadTerms
        If the pinned encoding is not known.
    UnreadableSource
        If the source is not text.
    """
    marked = next(
        (mark for mark in _BYTE_ORDER_MARKS if head.startswith(mark[0])), None
    )
    if pinned is not None:
        name = known_codec(pinned, file)
        if marked and name in (marked[1], marked[1].removesuffix("-le"), "utf-8-sig"):
            return Encoding(marked[1], marked[0])
        return Encoding("utf-8" if name == "utf-8-sig" else name)
    if marked:
        return Encoding(marked[1], marked[0])
    wide = _wide_encoding(head)
    if wide is not None:
        return Encoding(wide, guessed=True)
    _refuse_binary(head, file)
    if is_utf8(head):
        return Encoding("utf-8")
    return Encoding(guess_encoding(head), guessed=True)


def _wide_encoding(head: bytes) -> str | None:
    """Tell UTF-16 without a mark: mostly Latin text has every other byte zero."""
    pairs = len(head) // 2
    for name, zeros, letters in (
        ("utf-16-le", head[1::2], head[::2]),
        ("utf-16-be", head[::2], head[1::2]),
    ):
        if pairs and zeros.count(0) > 0.7 * pairs and not letters.count(0):
            return name
    return None


def known_codec(name: str, file: str) -> str:
    """
    Return an encoding's name as people know it.

    Raises
    ------
    BadTerms
        If there is no such encoding.
    """
    try:
        found = codecs.lookup(name)
    except (LookupError, ValueError):
        found = None
    if found is None or not getattr(found, "_is_text_encoding", True):
        known = ("utf-8", "utf-16", "windows-1252", "windows-1250", "iso-8859-1")
        raise BadTerms(
            f"there is no encoding '{name}'.",
            nearest_or_all(name, known, "common encodings"),
            file=file,
            term="encoding",
        )
    return _common_name(found.name)


def _common_name(codec: str) -> str:
    """Return the name people know an encoding by (IANA's for the Windows ones)."""
    return re.sub(r"^cp(125\d)$", r"windows-\1", codec.replace("_", "-"))


def _refuse_binary(head: bytes, file: str) -> None:
    kind, read_as = next(
        (
            (kind, format_)
            for start, kind, format_ in _SIGNATURES
            if head.startswith(start)
        ),
        ("", ""),
    )
    if not kind and _is_binary(head[:65536]):
        kind = "a file of a program's own (it holds bytes that no text has)"
    if kind:
        remedy = (
            "Save it as delimited text, or, if it is text after all, give its "
            "`encoding`."
        )
        if read_as:
            formats = " or ".join(f"`format {each}`" for each in read_as.split(" or "))
            remedy = f"Give {formats}: the ending of its name is that of another."
        raise UnreadableSource(
            f"it is not delimited text but {kind}.", remedy, file=file
        )


def _is_binary(head: bytes) -> bool:
    """Whether there are more zero bytes than a cell of text may hold."""
    zeros = head.count(0)
    return zeros > 0 and (zeros > max(3, len(head) // 10) or not is_utf8(head))


def is_utf8(head: bytes) -> bool:
    """Whether bytes are valid UTF-8, but for a character cut off at the end."""
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return False
    return True


class DamagedUtf8(msgspec.Struct, frozen=True):
    """Text that is UTF-8 but for a few bytes: the first one's line, and the counts."""

    line: int
    byte: int
    bad: int
    whole: int


def find_damaged_utf8(lines: Iterable[bytes]) -> DamagedUtf8 | None:
    """
    Whether text is UTF-8 but for a few bytes; None if it is another encoding.

    Parameters
    ----------
    lines : iterable of bytes
        From the first on, so that the place can be named.
    """
    bad = whole = seen = line_of_first = first_byte = 0
    for number, line in enumerate(lines, 1):
        if line.isascii():
            continue
        seen += bad > 0
        if seen > _TELLING_LINES:
            break
        whole += len(_BEYOND_ASCII.findall(line.decode("utf-8", "ignore")))
        place = 0
        while (error := _fault_in(line[place:])) is not None:
            if not bad:
                line_of_first, first_byte = number, line[place + error.start]
            bad += 1
            place += error.end
    if not bad or whole < max(2, _WHOLE_FOR_EACH_BAD * bad):
        return None
    return DamagedUtf8(line_of_first, first_byte, bad, whole)


def _fault_in(data: bytes) -> UnicodeDecodeError | None:
    try:
        data.decode("utf-8")
    except UnicodeDecodeError as error:
        return error
    return None


def guess_encoding(data: bytes) -> str:
    """
    Name the likeliest encoding of bytes that are not UTF-8.

    Only the lines with bytes above 127 are weighed, up to 64 KiB of them.
    """
    lines = [line for line in data.splitlines(keepends=True) if not line.isascii()]
    sample = b"".join(lines)[:_SAMPLE_BYTES]
    weights = {
        name: weight - _HANDICAP[name]
        for name in _LANGUAGES
        if (weight := _weight(sample, name)) is not None
    }
    for name in _WIDE:
        if (weight := _wide_weight(sample, name)) is not None:
            weights[name] = weight - _WIDE_HANDICAP
    best = max(weights, key=lambda name: weights[name])
    high = sum(byte > 127 for byte in sample)
    if weights[best] < _NONSENSE * high - max(_HANDICAP.values()):
        from charset_normalizer import from_bytes

        likely = from_bytes(sample).best()
        return _common_name(likely.encoding) if likely else best
    return best


def _wide_weight(sample: bytes, encoding: str) -> float | None:
    """Return the logarithm of how likely a reading by two bytes a character is."""
    try:
        text = sample.decode(encoding)
    except UnicodeDecodeError:
        if len(sample) < _SAMPLE_BYTES:
            return None
        # Where the sample was cut, a character may be.
        try:
            text = sample[:-1].decode(encoding)
        except UnicodeDecodeError:
            return None
    common = _WIDE[encoding]
    weight = 0.0
    for character, count in Counter(each for each in text if each > "\x7f").items():
        written = character.encode(encoding)
        if len(written) == 2 and (
            "\u3040" <= character <= "\u30ff" or "\uac00" <= character <= "\ud7a3"
        ):
            weight += _SYLLABLE * count
        elif len(written) == 2 and (
            written[0] in common or "\u3000" <= character <= "\u303f"
        ):
            weight += _COMMON_IDEOGRAPH * count
        else:
            weight += _RARE_WIDE * count
    return weight


def _weight(sample: bytes, encoding: str) -> float | None:
    """Return the logarithm of how likely a reading is, in the language it fits best."""
    try:
        text = sample.decode(encoding)
    except UnicodeDecodeError:
        return None
    counts = Counter(character for character in text if character > "\x7f")
    shared = _context_weight(text)
    letters: Counter[str] = Counter()
    for character, count in counts.items():
        if character.isalpha() and character not in "ªº":
            letters[character] += count
        elif character in _COMMON_SIGNS:
            shared += _COMMON_SIGN * count
        elif character < "\xa0":
            shared += _CONTROL * count
        else:
            shared += _RARE_SIGN * count
    return shared + max(
        sum(
            _letter_weight(language, character) * count
            for character, count in letters.items()
        )
        for language in _LANGUAGES[encoding]
    )


def _letter_weight(language: str, character: str) -> float:
    usual = _usual_letters(language)
    if character in usual:
        return usual[character]
    lower = character.lower()
    if lower in usual:
        return usual[lower] + _CAPITAL
    # A name of elsewhere, if it is a letter of any alphabet of this script.
    return _FOREIGN_LETTER


@cache
def _usual_letters(language: str) -> dict[str, float]:
    shares = [1 / (rank + 2) for rank in range(len(language))]
    return {
        letter: math.log(share / sum(shares))
        for letter, share in zip(language, shares, strict=True)
    }


# Where Greek and the scripts behind it begin, less one.
_LAST_LATIN = "\u036f"

_CASE_TURNS = late_pattern(r"[^\W\d_]{2,}")
_SIGNS_IN_WORDS = late_pattern(
    r"(?<=[^\W\d_])[^\w\s\x00-\x7f’‘·–—“”«»…\u00a0](?=[^\W\d_])|[¼½¾](?=[^\W\d_])"
)


# A letter that stands alone at a number is a sign of currency in another reading; one
# between two numbers can be a word, as in 5 à 6.
_LETTERS_AT_NUMBERS = late_pattern(
    r"(?<=\d)[ \u00a0]?[^\W\d_\x00-\x7f](?!\w|\s?\d)"
    r"|(?<![\w ])[^\W\d_\x00-\x7f][ \u00a0]?(?=\d)"
)


def _context_weight(text: str) -> float:
    """
    Weigh what stands beside letters and signs.

    Capitals behind small letters, mixed scripts, signs within words and letters alone
    at numbers are odd.
    """
    weight = 0.0
    for word in _CASE_TURNS.findall(text):
        if word.isascii():
            continue
        for before, after in pairwise(word):
            # Only pairs that the reading can be wrong about.
            if before <= "\x7f" and after <= "\x7f":
                continue
            is_odd_case = before.islower() and after.isupper()
            is_mixed = (before > _LAST_LATIN) != (after > _LAST_LATIN)
            if is_odd_case or is_mixed:
                weight += _ODD_CASE
    weight += _LONE_LETTER * len(_LETTERS_AT_NUMBERS.findall(text))
    return weight + _SIGN_IN_WORD * len(_SIGNS_IN_WORDS.findall(text))
