"""Reading JSON: an array of objects (RFC 8259), or an object a line (JSON Lines).

Numbers keep their digits as written, without an exponent; ``null`` and what is missing
are blank, ``true`` and ``false`` are those words, what is nested stays as JSON.
"""

from __future__ import annotations

import codecs
import re
from collections.abc import Iterator

import msgspec

from gruff_ledger.lists.address import Fragment
from gruff_ledger.lists.bounds import settled
from gruff_ledger.lists.json.columns import AS_MEMBERS, ColumnsOfObjects
from gruff_ledger.lists.json.parts import elements_of, parts_of_array, parts_of_lines
from gruff_ledger.lists.json.regular import BROKEN
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened, begin_hashing, bytes_on_disk
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource, nearest_or_all

# How deep arrays are looked for, to tell what could be named.
_SEARCHED_DEPTH = 3


def read_json(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read an array of objects, at the top or under the JSON Pointer of the address.

    Elements that are no objects are set aside with their text.

    Raises
    ------
    UnreadableSource
        If it is no JSON, or there is no array of objects at that place.
    """
    data, sha256, size = _taken_in(opened, terms, hashed=hashed)
    array, pointer, notes = _array(opened, data, fragment.pointer)
    columns = ColumnsOfObjects(opened)
    columns.take_in(parts_of_array(array))
    written = {"encoding": "utf-8", **({"pointer": pointer} if pointer else {})}
    found = columns.found("json", source, written, size, sha256, notes)
    return settled(found, opened, fragment, terms)


def read_json_lines(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read one object a line; lines that hold none are set aside with their text.

    Raises
    ------
    UnreadableSource
        If no line holds an object.
    """
    data, sha256, size = _taken_in(opened, terms, hashed=hashed)
    columns = ColumnsOfObjects(opened)
    columns.take_in(parts_of_lines(data))
    written = {"encoding": "utf-8"}
    found = columns.found("json-lines", source, written, size, sha256, ())
    return settled(found, opened, fragment, terms)


def _taken_in(
    opened: Opened, terms: ReadingTerms, *, hashed: bool
) -> tuple[bytes, object, int]:
    """Return a source as UTF-8 without a mark, what waits for its hash, its size."""
    with opened.start() as stream:
        raw = stream.read()
        on_disk = bytes_on_disk(stream, raw)
    sha256 = None
    if hashed:
        hashing = begin_hashing(opened)
        hashing.add(on_disk)
        sha256 = hashing.finish()
    encoding = terms.encoding
    for mark, name in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if raw.startswith(mark):
            encoding = name
    try:
        text = raw if encoding is None else raw.decode(encoding).encode("utf-8")
        text.decode("utf-8")
    except LookupError as error:
        raise UnreadableSource(
            f"there is no encoding '{encoding}'.",
            "JSON is written in UTF-8: leave `encoding` out.",
            file=opened.address,
        ) from error
    except UnicodeError as error:
        line = raw[: getattr(error, "start", 0)].count(b"\n") + 1
        raise UnreadableSource(
            "it is not written in UTF-8, as JSON is (RFC 8259).",
            "Give `encoding`, or ask for it in UTF-8.",
            file=opened.address,
            line=line,
        ) from error
    return text, sha256, len(raw)


# The array ------------------------------------------------------------------------


def _array(
    opened: Opened, data: bytes, pointer: str | None
) -> tuple[bytes, str, tuple[Note, ...]]:
    """Return the text of the array, its pointer, and what is said of it."""
    if not data.strip():
        raise UnreadableSource(
            "there is nothing in it.", "Send a list.", file=opened.address
        )
    try:
        # Once through all of it, so that what is broken is told with its place.
        msgspec.json.decode(data, type=msgspec.Raw)
    except BROKEN as error:
        raise _word_malformed(opened, data, error) from error
    inside = data
    for step in _steps(pointer or ""):
        inside = _member(opened, inside, step, pointer or "")
    kind = inside.lstrip()[:1]
    if kind == b"[":
        return inside, pointer or "", ()
    if kind == b"{":
        arrays = list(_arrays_in(inside, pointer or "", _SEARCHED_DEPTH))
        if len(arrays) == 1 and pointer is None:
            array, taken, _ = _array(opened, data, arrays[0])
            note = Note(
                f"{opened.name}: the list was found under {taken}.",
                f"To pin it, end the address with #{taken}.",
            )
            return array, taken, (note,)
        if arrays:
            told = ", ".join(f"#{each}" for each in arrays[:8])
            remedy = f"End the address with one of {told}."
        else:
            remedy = "A list is an array of objects; this holds none."
        raise UnreadableSource(
            "there is an object, not an array of records.", remedy, file=opened.address
        )
    raise UnreadableSource(
        "there is a single value, not an array of records.",
        "A list is an array of objects.",
        file=opened.address,
    )


def _steps(pointer: str) -> list[str]:
    steps = pointer.split("/")[1:]
    return [step.replace("~1", "/").replace("~0", "~") for step in steps]


def _member(opened: Opened, inside: bytes, step: str, pointer: str) -> bytes:
    kind = inside.lstrip()[:1]
    if kind == b"{":
        members = AS_MEMBERS.decode(inside)
        if step in members:
            return bytes(members[step])
        known = list(members)
    elif kind == b"[":
        elements = elements_of(inside)
        if step.isdecimal() and int(step) < len(elements):
            return elements[int(step)]
        known = [str(place) for place in range(min(len(elements), 12))]
    else:
        known = []
    raise UnreadableSource(
        f"there is nothing under '{step}' of {pointer}.",
        nearest_or_all(step, known, "keys there"),
        file=opened.address,
    )


def _arrays_in(inside: bytes, pointer: str, depth: int) -> Iterator[str]:
    """Yield the pointers of arrays with an object first, a few levels deep."""
    for key, raw in AS_MEMBERS.decode(inside).items():
        value = bytes(raw).lstrip()
        place = f"{pointer}/{key.replace('~', '~0').replace('/', '~1')}"
        if value[:1] == b"[" and value[1:].lstrip()[:1] == b"{":
            yield place
        elif value[:1] == b"{" and depth > 1:
            yield from _arrays_in(value, place, depth - 1)


def _word_malformed(opened: Opened, data: bytes, error: Exception) -> UnreadableSource:
    if isinstance(error, RecursionError):
        return UnreadableSource(
            "it is nested too deeply to be read.",
            "A list is an array of objects.",
            file=opened.address,
        )
    half = re.search(rb"\\u[dD][89a-fA-F]", data)
    if half and "truncated" in str(error) and data.rstrip()[-1:] in (b"]", b"}"):
        return UnreadableSource(
            "a text holds half a character (a lone surrogate such as \\ud800), which "
            "no encoding can write.",
            "Correct it in the source.",
            file=opened.address,
            line=data[: half.start()].count(b"\n") + 1,
        )
    text = str(error)
    _, _, tail = text.rpartition("(byte ")
    digits = tail.rstrip(")")
    line = data[: int(digits)].count(b"\n") + 1 if digits.isdecimal() else None
    what = "it ends too soon" if "truncated" in text else "it is not JSON"
    return UnreadableSource(
        f"{what}: {_lower(text.partition(' (byte')[0].rpartition(': ')[2])}.",
        "Correct it there, or ask for it again; if it has one object a line, "
        "give `format json-lines`.",
        file=opened.address,
        line=line,
    )


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]
