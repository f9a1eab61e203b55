"""Packed lists: gzip (RFC 1952), bzip2, xz and Zstandard (RFC 8878), read as a stream.

A packed file is told by its first bytes, whatever it is called. It is unpacked as it is
read, never to the disk; its size and hash are those of the packed bytes, which are what
stands on the disk.
"""

from __future__ import annotations

import contextlib
import io
from collections.abc import Callable, Iterator
from typing import Any, BinaryIO

import msgspec

from gruff_ledger.lists.address import BZIP2, GZIP, PACKINGS, XZ, ZSTANDARD, Packing
from gruff_ledger.lists.source import Opened
from gruff_ledger.problems import UnreadableSource

# By how much a list is usually larger than it is packed.
_LIKELY_TIMES = 6

# Packed bytes that are unpacked at a time.
_BLOCK_BYTES = 1 << 17

# What unpacks to more than both is made to fill a disk, and is no list.
_MOST_FREE_BYTES = 2_000_000_000
_MOST_TIMES = 400


_HEAD_BYTES = 10


def unpacked(opened: Opened) -> Opened:
    """Return a source as what is packed in it; one that is not packed, as it is."""
    if opened.server:
        return opened
    with opened.start() as stream:
        head = stream.read(_HEAD_BYTES)
    packing = next((each for each in PACKINGS if head.startswith(each.starts)), None)
    if packing is None:
        return opened

    def start() -> BinaryIO:
        packed = _Packed(opened.start())
        made = _Unpacking(packed, packing, opened.address)
        return _Reader(made, packed)

    return msgspec.structs.replace(opened, start=start, packing=packing.name)


@contextlib.contextmanager
def packing_sink(sink: BinaryIO, packing: Packing | None) -> Iterator[BinaryIO]:
    """Give a file that packs what is written to it: the same text as the same bytes."""
    if packing is None:
        yield sink
        return
    packed: Any
    if packing is GZIP:
        import gzip

        # Without name and time, which would differ from run to run.
        packed = gzip.GzipFile("", "wb", 6, sink, mtime=0)
    elif packing is BZIP2:
        import bz2

        packed = bz2.BZ2File(sink, "wb")
    elif packing is XZ:
        import lzma

        packed = lzma.LZMAFile(sink, "wb")  # noqa: SIM115  (closed below)
    else:
        import pyarrow as pa

        packed = pa.CompressedOutputStream(pa.PythonFile(_Open(sink), "w"), "zstd")
    with packed:
        yield packed


class _Open(io.RawIOBase):
    """A file that stays open for whoever gave it."""

    def __init__(self, sink: BinaryIO) -> None:
        super().__init__()
        self._sink = sink

    def writable(self) -> bool:
        return True

    def write(self, block: Any) -> int:
        return self._sink.write(block)


def likely_bytes(opened: Opened) -> int:
    """Return about how many bytes there are to be read."""
    return opened.size_bytes * (_LIKELY_TIMES if opened.packing else 1)


class _Packed(io.RawIOBase):
    """The packed bytes, which are kept until they are asked for."""

    def __init__(self, stream: BinaryIO) -> None:
        super().__init__()
        self._stream = stream
        self._taken: list[bytes] = []
        self.size = 0

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        block = self._stream.read(_BLOCK_BYTES if size < 0 else size)
        self._taken.append(block)
        self.size += len(block)
        return block

    def take(self) -> bytes:
        """Return the bytes since the last time."""
        taken, self._taken = b"".join(self._taken), []
        return taken

    def close(self) -> None:
        self._stream.close()
        super().close()


class _Unpacking(io.RawIOBase):
    """What is packed, one stream after the other; for a buffered reader."""

    def __init__(self, packed: _Packed, packing: Packing, shown: str) -> None:
        super().__init__()
        self._packed = packed
        self._packing = packing
        self._shown = shown
        self._size = 0
        self._ready = b""
        self._held = b""
        self._machine: Any = None
        self._stream: Any = None
        if packing is ZSTANDARD:
            import pyarrow as pa

            self._stream = pa.CompressedInputStream(pa.PythonFile(packed, "r"), "zstd")

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        if not self._ready:
            self._ready = self._unpack()
            self._check_size()
        taken = self._ready[: len(buffer)]
        self._ready = self._ready[len(taken) :]
        buffer[: len(taken)] = taken
        return len(taken)

    def close(self) -> None:
        self._packed.close()
        super().close()

    def _unpack(self) -> bytes:
        """Return the next bytes; none at the end."""
        import lzma
        import zlib

        try:
            if self._stream is not None:
                block: bytes = self._stream.read(_BLOCK_BYTES)
                return block
            return self._unpack_streams()
        except (OSError, EOFError, ValueError, zlib.error, lzma.LZMAError) as error:
            if "runcated" in str(error):
                raise self._cut() from error
            raise UnreadableSource(
                f"it is damaged: it cannot be unpacked by {self._packing.name}.",
                "Ask for it again.",
                file=self._shown,
            ) from error

    def _unpack_streams(self) -> bytes:
        while True:
            block = self._held or self._packed.read(_BLOCK_BYTES)
            self._held = b""
            if not block:
                if self._machine is not None:
                    raise self._cut()
                return b""
            if self._machine is None:
                self._machine = _MACHINES[self._packing.name]()
            made: bytes = self._machine.decompress(block)
            if self._machine.eof:
                # Another stream may follow; zeros that fill up a block do not count.
                self._held = self._machine.unused_data.lstrip(b"\0")
                self._machine = None
            if made:
                return made

    def _check_size(self) -> None:
        self._size += len(self._ready)
        most = max(_MOST_FREE_BYTES, _MOST_TIMES * self._packed.size)
        if self._size > most:
            raise UnreadableSource(
                f"it unpacks to more than {_MOST_TIMES} times its size and "
                f"{_MOST_FREE_BYTES // 1_000_000_000} GB, as no list does.",
                "If it is to be trusted, unpack it first.",
                file=self._shown,
            )

    def _cut(self) -> UnreadableSource:
        return UnreadableSource(
            f"it is cut off: what is packed in it by {self._packing.name} has no end.",
            "Ask for it again.",
            file=self._shown,
        )


class _Reader(io.BufferedReader):
    """An unpacked source, which can be asked what was read of the packed one."""

    def __init__(self, raw: _Unpacking, packed: _Packed) -> None:
        super().__init__(raw, 1 << 20)
        self._packed = packed

    def take_packed(self) -> bytes:
        """Return the packed bytes that were read since the last time."""
        return self._packed.take()


def _gzip_machine() -> Any:
    import zlib

    return zlib.decompressobj(wbits=31)


def _bzip2_machine() -> Any:
    import bz2

    return bz2.BZ2Decompressor()


def _xz_machine() -> Any:
    import lzma

    return lzma.LZMADecompressor(lzma.FORMAT_XZ)


_MACHINES: dict[str, Callable[[], Any]] = {
    GZIP.name: _gzip_machine,
    BZIP2.name: _bzip2_machine,
    XZ.name: _xz_machine,
}
