"""An archive of parts, some of which are streamed into it as they are made.

The same parts give the same bytes, at any time: each is dated the first day that an
archive can tell (ZIP, 4.4.6). They are packed quickly rather than tightly, which is
what takes the time of writing a workbook.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterable, Mapping
from typing import BinaryIO

_LEVEL = 1

# What a cell takes of XML at most, beside its text; and how long a text can get in it.
_MARKS_BYTES = 160
_TIMES_ESCAPED = 7

# From this size on a part is told by longer numbers, which not all programs know.
_ZIP64_BYTES = (1 << 31) - (1 << 20)

Part = tuple[str, Iterable[bytes]]


def write_parts(
    sink: BinaryIO, parts: Iterable[Part], large: Mapping[str, bool]
) -> None:
    """
    Write an archive.

    Parameters
    ----------
    sink : binary file
    parts : iterable of (name, blocks)
        The first one is stored as it is where it is called ``mimetype``, as ODF asks.
    large : mapping
        Which parts may be larger than two gigabytes.
    """
    with zipfile.ZipFile(
        sink, "w", zipfile.ZIP_DEFLATED, compresslevel=_LEVEL
    ) as archive:
        for name, blocks in parts:
            if name == "mimetype":
                stored = zipfile.ZipInfo(name)
                archive.writestr(stored, b"".join(blocks), zipfile.ZIP_STORED)
                continue
            with archive.open(name, "w", force_zip64=large.get(name, False)) as part:
                for block in blocks:
                    part.write(block)


def may_be_large(text_bytes: int, cells: int) -> bool:
    """Whether the XML of so many cells may be larger than two gigabytes."""
    return text_bytes * _TIMES_ESCAPED + cells * _MARKS_BYTES > _ZIP64_BYTES
