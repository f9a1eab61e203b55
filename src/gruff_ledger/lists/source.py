"""Sources as bytes: opened, read through, hashed on the way.

`Opened` is a source that can be read again from the start; `Feed` is one reading of it,
as UTF-8 without a byte-order mark, whatever its encoding is.
"""

from __future__ import annotations

import codecs
import errno
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

import msgspec

from gruff_ledger.lists.hashing import Hashing
from gruff_ledger.lists.quote_watch import QuoteWatch
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource

# How much of a source is looked at to see how it is written.
HEAD_BYTES = 1 << 18

# Enough of the end to see whether a quote is still open there.
TAIL_BYTES = 1 << 16

_BLOCK_BYTES = 1 << 20


def _unheard(done: int, total: int) -> None:
    """Take no notice of progress."""


class Opened(msgspec.Struct, frozen=True):
    """
    A source that is there and can be read from the start, more than once.

    Attributes
    ----------
    name : str
        What the person calls the list.
    address : str
        As the person wrote it.
    size_bytes : int
    modified : float or None
        When the file was last changed, in seconds since 1970; None for a stream.
    start : callable
        Opens it for one reading.
    path : Path, optional
        Where it is on the disk; None for a stream.
    media_type : str
        What it was served as, where it was (RFC 9110).
    notes : tuple of Note
        What was met on the way to it.
    on_read : callable
        Told, while it is read, how many bytes have been, and of how many.
    memo : dict
        What readers keep for the next part of it, such as an opened workbook.
    stamp : int, optional
        The time of the file on the disk when it was opened, in nanoseconds.
    server : str
        The address of a database that is no file, but on a server.
    packing : str
        How it is packed; `start` gives what is packed in it, and its size is that of
        the packed bytes. See `gruff_ledger.lists.packing.streams`.
    archive : Path, optional
        The archive on the disk that it is a file of.
    """

    name: str
    address: str
    size_bytes: int
    modified: float | None
    start: Callable[[], BinaryIO]
    path: Path | None = None
    media_type: str = ""
    notes: tuple[Note, ...] = ()
    on_read: Callable[[int, int], None] = _unheard
    memo: dict[str, Any] = msgspec.field(default_factory=dict)
    stamp: int | None = None
    server: str = ""
    packing: str = ""
    archive: Path | None = None

    @property
    def on_disk(self) -> Path | None:
        """The file that it is read from: its own, or the archive that it is in."""
        return self.path or self.archive


def bytes_on_disk(stream: BinaryIO, block: bytes) -> bytes:
    """Return what was read of a file for a block: packed bytes, where it is packed."""
    take = getattr(stream, "take_packed", None)
    return block if take is None else take()


def open_path(path: Path, *, name: str, address: str | None = None) -> Opened:
    """
    Look at a file before it is read.

    Raises
    ------
    UnreadableSource
        If it is missing, a folder, not permitted, or empty.
    """
    shown = address or str(path)
    try:
        facts = path.stat()
        if path.is_dir():
            raise UnreadableSource(
                "it is a folder, not a file.", "Name a file in it.", file=shown
            )
        if not path.is_file():
            # A pipe or device can be read only once.
            return open_bytes(path.read_bytes(), name=name, address=shown)
        with path.open("rb") as stream:
            stream.read(1)
    except OSError as error:
        raise unreadable(error, path, shown) from error
    except ValueError as error:
        raise UnreadableSource(
            f"it cannot be the path of a file: {error}.", "Correct it.", file=shown
        ) from error
    if facts.st_size == 0:
        raise _empty(shown)
    return Opened(
        name,
        shown,
        facts.st_size,
        facts.st_mtime,
        lambda: path.open("rb"),
        path,
        stamp=facts.st_mtime_ns,
    )


def open_bytes(data: bytes, *, name: str, address: str) -> Opened:
    """Take bytes that are in memory, such as those of standard input, as a source."""
    if not data:
        raise _empty(address)
    return Opened(name, address, len(data), None, lambda: io.BytesIO(data))


def open_server(place: str, *, name: str, address: str) -> Opened:
    """Take a database on a server as a source; its tables have no bytes of a file."""
    return Opened(name, address, 0, None, io.BytesIO, server=place)


def _empty(shown: str) -> UnreadableSource:
    return UnreadableSource(
        "it is empty: not even a heading row.", "Send a list with headings.", file=shown
    )


def unreadable(error: OSError, path: Path, shown: str) -> UnreadableSource:
    """Word an operating system's refusal to read a file."""
    if isinstance(error, FileNotFoundError):
        return UnreadableSource("there is no such file.", _near_file(path), file=shown)
    if isinstance(error, IsADirectoryError):
        return UnreadableSource(
            "it is a folder, not a file.", "Name a file in it.", file=shown
        )
    if isinstance(error, PermissionError):
        return UnreadableSource(
            "permission to read it is denied.",
            "Ask its owner for access, or copy it to a folder of your own.",
            file=shown,
        )
    if error.errno in (errno.ENAMETOOLONG, errno.ENOTDIR, errno.EINVAL):
        return UnreadableSource(
            "there is no such file.", "Correct the path.", file=shown
        )
    return UnreadableSource(
        f"it cannot be read: {error.strerror or error}.", "Try again.", file=shown
    )


def _near_file(path: Path) -> str:
    from gruff_ledger.problems import nearest

    try:
        there = sorted(each.name for each in path.parent.iterdir())
    except OSError:
        return f"The folder '{path.parent}' is not there either. Correct the path."
    near = nearest(path.name, there)
    return f"Did you mean '{path.with_name(near)}'?" if near else "Correct the path."


class Seen(msgspec.Struct):
    """
    What one reading of a source saw; complete once the reading is.

    Attributes
    ----------
    sha256 : callable, optional
        Returns the hash of all bytes read; it may have to wait for it.
    """

    size_bytes: int = 0
    has_quote: bool = False
    tail: bytes = b""
    sha256: Callable[[], str] | None = None


class Surprise(Exception):
    """The rest of a source is not as its head promised: read it again, differently."""


class Feed(io.RawIOBase):
    """
    One reading of a source as UTF-8, for whoever wants a binary file.

    Parameters
    ----------
    opened : Opened
    encoding : str
        A codec's name; what cannot be read so raises a UnicodeDecodeError.
    bom : bytes
        The byte-order mark to leave out, where there is one.
    skip : int
        UTF-8 bytes to leave out at the start: titles and headings.
    refuse_quotes : bool
        Raise `Surprise` at a quote character: the reading was begun as if there
        were none.
    watch : QuoteWatch, optional
        Shown all text; once it has met an odd quote, reading stops.
    hashed : bool
        Find the hash of all bytes on the way.
    """

    def __init__(
        self,
        opened: Opened,
        *,
        encoding: str,
        bom: bytes = b"",
        skip: int = 0,
        refuse_quotes: bool = False,
        watch: QuoteWatch | None = None,
        hashed: bool = False,
    ) -> None:
        super().__init__()
        self._hashing = begin_hashing(opened) if hashed else None
        self.seen = Seen()
        self.surprised = False
        self._name = opened.address
        self._on_read = opened.on_read
        self._total = opened.size_bytes
        self._stream = opened.start()
        self._encoding = encoding
        self._decoder = codecs.getincrementaldecoder(encoding)()
        self._refuse_quotes = refuse_quotes
        self._quote_watch = watch
        self._pending = b""
        self._held = b""
        self._at_end = False
        self._stopped = False
        self._leave_out(len(bom), skip)

    def readable(self) -> bool:
        """Tell that this file is for reading."""
        return True

    def read(self, size: int = -1) -> bytes:
        """Return the next block of about `size` bytes; empty at the end."""
        if size is None or size < 0:
            return b"".join(iter(lambda: self.read(_BLOCK_BYTES), b""))
        while True:
            # What is held back comes after what is pending, and before the next block.
            if self._pending:
                block, self._pending = self._pending + self._held, b""
            elif self._at_end or self._stopped:
                block, self._held = self._held, b""
                return block
            else:
                block = self._held + self._next_block(max(size, 1))
            self._held = b""
            # Arrow leaves out a line feed at the start of a block where the block
            # before ended with a carriage return, even between quotes: so none does.
            if block.endswith(b"\r") and not self._at_end:
                block, self._held = block[:-1], b"\r"
            if block:
                return block

    def stop(self) -> None:
        """End here: whoever reads this will begin again in another way."""
        # A flag of its own: another thread may be reading a block just now.
        self._stopped = True

    def unread(self, block: bytes) -> None:
        """Give back a block, to be read again before what follows it."""
        self._pending = block + self._pending

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        """Fill a buffer, as buffered text readers ask."""
        block = self.read(len(buffer))
        taken = block[: len(buffer)]
        self._pending = block[len(buffer) :]
        buffer[: len(taken)] = taken
        return len(taken)

    def close(self) -> None:
        """Stop reading."""
        if not self.closed:
            if self._hashing is not None:
                self._hashing.give_up()
            self._stream.close()
        super().close()

    def finish(self) -> Seen:
        """Read what is left, and return what was seen of the whole."""
        while self.read(_BLOCK_BYTES):
            pass
        if self._hashing is not None:
            self.seen.sha256 = self._hashing.finish()
            self._hashing = None
        return self.seen

    def _leave_out(self, bom_bytes: int, skip: int) -> None:
        if bom_bytes:
            self._raw(bom_bytes)
        while skip > 0:
            block = self._next_block(_BLOCK_BYTES, watch=False)
            if not block and self._at_end:
                return
            self._pending = block[skip:]
            skip -= len(block)
        if self._pending:
            self._watch(self._pending)

    def _next_block(self, size: int, *, watch: bool = True) -> bytes:
        raw = self._raw(size)
        self._at_end = not raw
        block = raw
        if self._encoding != "utf-8":
            block = self._decoder.decode(raw, final=self._at_end).encode("utf-8")
        elif not raw.isascii() or self._at_end or self._decoder.getstate()[0]:
            # Only looked at, to see that it can be read; plain ASCII always can.
            self._decoder.decode(raw, final=self._at_end)
        if watch and block:
            self._watch(block)
        return block

    def _raw(self, size: int) -> bytes:
        try:
            raw = self._stream.read(size)
        except OSError as error:
            raise _cut_off(error, self._name) from error
        on_disk = bytes_on_disk(self._stream, raw)
        self.seen.size_bytes += len(on_disk)
        self._on_read(self.seen.size_bytes, self._total)
        if self._hashing is not None:
            self._hashing.add(on_disk)
        return raw

    def _watch(self, block: bytes) -> None:
        if not self.seen.has_quote and b'"' in block:
            self.seen.has_quote = True
            if self._refuse_quotes:
                self.surprised = True
                raise Surprise
        if self._quote_watch is not None:
            self._quote_watch.add(block)
            if self._quote_watch.is_odd:
                self.stop()
        tail = self.seen.tail
        self.seen.tail = (
            block[-TAIL_BYTES:]
            if len(block) >= TAIL_BYTES
            else (tail + block)[-TAIL_BYTES:]
        )


def begin_hashing(opened: Opened) -> Hashing:
    """Return what finds the hash of a source, once it is given all bytes on disk."""
    return Hashing(opened.path, opened.size_bytes, opened.stamp)


def hash_of(opened: Opened) -> Callable[[], str]:
    """Return what waits for the SHA-256 of a source, read through once more."""
    hashing = begin_hashing(opened)
    with opened.start() as stream:
        while block := stream.read(_BLOCK_BYTES):
            hashing.add(bytes_on_disk(stream, block))
        hashing.add(bytes_on_disk(stream, b""))
    return hashing.finish()


def check_same(opened: Opened, sha256: Callable[[], str] | None) -> None:
    """
    Check, after a source was read, that it is what it was when it was opened.

    A file whose time alone differs is read once more: only its content counts.

    Parameters
    ----------
    opened : Opened
    sha256 : callable, optional
        Returns the hash of what was read, where it is known.

    Raises
    ------
    UnreadableSource
        If it changed, grew or shrank while it was read.
    """
    if opened.path is None or opened.stamp is None:
        return
    try:
        facts = opened.path.stat()
    except OSError:
        # It was read to its end; that it is gone since changes nothing.
        return
    if facts.st_size != opened.size_bytes:
        raise word_changed_source(opened.address)
    if facts.st_mtime_ns == opened.stamp or sha256 is None:
        return
    with opened.path.open("rb") as stream:
        import hashlib

        if hashlib.file_digest(stream, "sha256").hexdigest() != sha256():
            raise word_changed_source(opened.address)


def word_changed_source(shown: str) -> UnreadableSource:
    """Word that a source did not stay the same while it was read."""
    return UnreadableSource(
        "it changed while it was read. Nothing was written.",
        "Wait until whoever writes it is done, and run again.",
        file=shown,
    )


def _cut_off(error: OSError, shown: str) -> UnreadableSource:
    return UnreadableSource(
        f"it could not be read to its end: {error.strerror or error}.",
        "Check the disk or the connection, and try again.",
        file=shown,
    )
