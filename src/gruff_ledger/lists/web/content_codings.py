"""Undoing the content codings of an answer from the web (RFC 9110, 8.4), within bounds.

Lists are asked for as they are, but some servers pack them all the same, and a small
answer can hold a list that fills the disk, also packed several times over. So each
coding is undone in small pieces, which are counted.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Iterator

# More codings on each other than any server has reason for.
_MOST_CODINGS = 3

_PIECE_BYTES = 1 << 20

# Header and trailer of gzip (RFC 1952) or zlib (RFC 1950), whichever is there; and the
# plain stream (RFC 1951) that some send as "deflate".
_GZIP_OR_ZLIB = zlib.MAX_WBITS | 32
_PLAIN = -zlib.MAX_WBITS

_KNOWN = {"gzip", "x-gzip", "deflate"}


class BadCoding(Exception):
    """An answer is not coded as it says, or in a way that is not known."""


class TooLarge(Exception):
    """An answer holds more than is allowed."""


def codings_of(header: str) -> tuple[str, ...]:
    """
    Return the codings that a Content-Encoding header names, in the order applied.

    Raises
    ------
    BadCoding
        If one is not known, or there are too many.

    Examples
    --------
    >>> codings_of("GZIP, identity")
    ('gzip',)
    """
    named = [each.strip().lower() for each in header.split(",")]
    codings = tuple(each for each in named if each not in ("", "identity"))
    unknown = [each for each in codings if each not in _KNOWN]
    if unknown:
        raise BadCoding(f"it was sent in the coding '{unknown[0][:40]}'")
    if len(codings) > _MOST_CODINGS:
        raise BadCoding(f"it was packed {len(codings)} times over")
    return codings


def undone(
    blocks: Iterable[bytes], codings: Iterable[str], most_bytes: int
) -> Iterator[bytes]:
    """
    Undo codings, the last one first.

    Parameters
    ----------
    blocks : iterable of bytes
    codings : iterable of str
        As `codings_of` gives them.
    most_bytes : int
        What may come out, after each of them.

    Yields
    ------
    bytes
        At most a megabyte at a time.

    Raises
    ------
    BadCoding
        If the bytes are not coded so, or end too soon.
    TooLarge
    """
    for coding in reversed(tuple(codings)):
        blocks = _counted(_inflate(blocks, coding), most_bytes)
    yield from _counted(blocks, most_bytes)


def _counted(blocks: Iterable[bytes], most_bytes: int) -> Iterator[bytes]:
    done = 0
    for block in blocks:
        done += len(block)
        if done > most_bytes:
            raise TooLarge
        yield block


def _inflate(blocks: Iterable[bytes], coding: str) -> Iterator[bytes]:
    stream = zlib.decompressobj(_GZIP_OR_ZLIB)
    is_begun = False
    try:
        for block in blocks:
            left = block
            while left:
                if stream.eof:
                    # Several packed parts end to end are one (RFC 1952, 2.2).
                    stream = zlib.decompressobj(_GZIP_OR_ZLIB)
                try:
                    piece = stream.decompress(left, _PIECE_BYTES)
                except zlib.error:
                    if is_begun or coding != "deflate":
                        raise
                    stream = zlib.decompressobj(_PLAIN)
                    piece = stream.decompress(left, _PIECE_BYTES)
                is_begun = True
                left = stream.unused_data if stream.eof else stream.unconsumed_tail
                if piece:
                    yield piece
        while is_begun and not stream.eof:
            # What is still held back, where the last piece was full.
            piece = stream.decompress(b"", _PIECE_BYTES)
            if not piece:
                raise BadCoding(f"its {coding} coding ends too soon")
            yield piece
    except zlib.error as error:
        raise BadCoding(f"it is said to be packed by {coding}, and is not") from error
