"""A source as text, all of it, in the encoding it is written in."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from gruff_ledger.lists.delimited.decoding import in_its_encoding
from gruff_ledger.lists.delimited.encoding import Encoding, detect_encoding
from gruff_ledger.lists.source import Feed, Opened, word_changed_source
from gruff_ledger.problems import Problem, UnreadableSource

# Text that is laid out for people is held as a whole.
MOST_BYTES = 1 << 30

# A beginning of fewer bytes is all there is, and has no line that is cut off.
_LEAST_HEAD_BYTES = 1 << 12


class WholeText(msgspec.Struct, frozen=True, eq=False):
    """
    All of a source.

    Attributes
    ----------
    data : bytes
        As UTF-8, without a byte-order mark.
    encoding : Encoding
    size_bytes : int
        On the disk.
    sha256 : callable, optional
    """

    data: bytes
    encoding: Encoding
    size_bytes: int
    sha256: Callable[[], str] | None

    def written(self) -> dict[str, Any]:
        """Return how it is written, for the account."""
        return {
            "encoding": self.encoding.name,
            "byte_order_mark": bool(self.encoding.bom),
        }


def text_of_head(head: bytes) -> str | None:
    """Return the beginning of a text, up to a line end; None if it is not text."""
    try:
        encoding = detect_encoding(head, None, "")
    except Problem:
        return None
    text = head[len(encoding.bom) :].decode(encoding.name, errors="replace")
    cut = text.rfind("\n")
    return text if cut < 0 or len(head) < _LEAST_HEAD_BYTES else text[: cut + 1]


def whole_text(opened: Opened, stated: str | None, *, hashed: bool) -> WholeText:
    """
    Read a source as text.

    Parameters
    ----------
    opened : Opened
    stated : str, optional
        The encoding, where it is given.
    hashed : bool
        Whether its hash is wanted.

    Raises
    ------
    UnreadableSource
        If it is not text, not in the stated encoding, or too large for its kind.
    """

    def read(encoding: Encoding) -> WholeText:
        blocks: list[bytes] = []
        size = 0
        with Feed(
            opened, encoding=encoding.name, bom=encoding.bom, hashed=hashed
        ) as feed:
            while block := feed.read(1 << 20):
                blocks.append(block)
                size += len(block)
                if size > MOST_BYTES:
                    raise UnreadableSource(
                        f"it is more than {MOST_BYTES >> 30} GB of text laid out for "
                        "people, which is read as a whole.",
                        "Ask for it as delimited text.",
                        file=opened.address,
                    )
            seen = feed.finish()
        if opened.path is not None and seen.size_bytes != opened.size_bytes:
            raise word_changed_source(opened.address)
        return WholeText(b"".join(blocks), encoding, seen.size_bytes, seen.sha256)

    return in_its_encoding(opened, stated, read)
