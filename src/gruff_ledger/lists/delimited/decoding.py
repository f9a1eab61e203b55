"""Reading text in the encoding it is written in, also where that shows late."""

from __future__ import annotations

from collections.abc import Callable
from itertools import islice
from typing import TypeVar

from gruff_ledger.lists.delimited.encoding import (
    Encoding,
    detect_encoding,
    find_damaged_utf8,
    guess_encoding,
    is_utf8,
)
from gruff_ledger.lists.source import HEAD_BYTES, Opened
from gruff_ledger.problems import UnreadableSource

_T = TypeVar("_T")

# How much of a source is looked at to tell whether a bad byte in its head is rare.
_DAMAGE_WITHIN_BYTES = 1 << 24


def in_its_encoding(
    opened: Opened, stated: str | None, read: Callable[[Encoding], _T]
) -> _T:
    """
    Read a source in its encoding: as stated, by its mark, or as detected.

    Parameters
    ----------
    opened : Opened
    stated : str, optional
        What the person pinned.
    read : callable
        Reads it in an encoding; called again with another where that raises a
        UnicodeError and the encoding was a guess.

    Raises
    ------
    UnreadableSource
        If it is not text, or not in the stated encoding, or UTF-8 with a few bad bytes.
    BadTerms
        If the stated encoding is unknown.
    """
    head = head_of(opened)
    encoding = detect_encoding(head, stated, opened.address)
    if encoding.guessed and not is_utf8(head):
        _refuse_damaged(opened, _DAMAGE_WITHIN_BYTES)
    try:
        return read(encoding)
    except UnicodeError as error:
        if stated is not None or encoding.bom:
            raise _wrong_encoding(opened, encoding, error) from error
        # The head was UTF-8, or read as guessed, and something further on is not.
        _refuse_damaged(opened)
        guessed = _guess_from_all(opened)
        try:
            return read(guessed)
        except UnicodeError as again:
            raise _wrong_encoding(opened, guessed, again) from again


def head_of(opened: Opened) -> bytes:
    """Return the first bytes of a source, by which it is told how it is written."""
    with opened.start() as stream:
        return stream.read(HEAD_BYTES)


def _refuse_damaged(opened: Opened, most_bytes: int | None = None) -> None:
    """Refuse UTF-8 with a few bad bytes: else all its letters would suffer."""
    with opened.start() as stream:
        lines = stream if most_bytes is None else stream.readlines(most_bytes)
        found = find_damaged_utf8(lines)
    if found is None:
        return
    others = "" if found.bad == 1 else f", the first of {found.bad:,} such bytes"
    raise UnreadableSource(
        f"the text is UTF-8 ({found.whole:,} letters beyond ASCII are), but this row "
        f"holds a byte that is not (byte {found.byte:02X}{others}).",
        "Correct the row in the source. To read all of it in another encoding, which "
        "spoils the other letters, give `encoding`, such as windows-1252.",
        file=opened.address,
        row=found.line,
    )


def _guess_from_all(opened: Opened) -> Encoding:
    with opened.start() as stream:
        lines = islice((line for line in stream if not line.isascii()), 2000)
        return Encoding(guess_encoding(b"".join(lines)), guessed=True)


def _wrong_encoding(
    opened: Opened, encoding: Encoding, error: UnicodeError
) -> UnreadableSource:
    with opened.start() as stream:
        line, found = _first_undecodable_line(stream.read(), encoding.name)
    byte = "" if found is None else f" (byte {found:02X})"
    return UnreadableSource(
        f"it is not written in {encoding.name}: a character{byte} cannot be read so.",
        "Give its true `encoding`, or leave `encoding` out to have it detected.",
        file=opened.address,
        line=line,
    )


def _first_undecodable_line(
    data: bytes, encoding: str
) -> tuple[int | None, int | None]:
    try:
        data.decode(encoding)
    except UnicodeDecodeError as error:
        start, byte = error.start, data[error.start]
    except UnicodeError:
        return None, None  # Some codecs do not tell where.
    else:
        return None, None
    try:
        return data[:start].decode(encoding).count("\n") + 1, byte
    except UnicodeError:
        return None, byte
