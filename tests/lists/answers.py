"""A server that answers by the byte: bad manners that no web server would have."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Sequence
from types import TracebackType
from typing import Self

# Between two parts of an answer that is slow.
_PAUSE_SECONDS = 0.2


class Answering:
    """
    Gives one prepared answer to everybody, on a port of its own.

    Parameters
    ----------
    parts : sequence of bytes
        Sent one by one, with a pause between them; then it hangs up.
    """

    def __init__(self, *parts: bytes) -> None:
        self.parts: Sequence[bytes] = parts
        self.requests: list[bytes] = []
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}/list.csv"
        threading.Thread(target=self._serve, daemon=True).start()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._socket.close()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._socket.accept()
            except OSError:
                return
            threading.Thread(
                target=self._answer, args=[connection], daemon=True
            ).start()

    def _answer(self, connection: socket.socket) -> None:
        with connection:
            try:
                self.requests.append(connection.recv(65536))
                for number, part in enumerate(self.parts):
                    if number:
                        time.sleep(_PAUSE_SECONDS)
                    connection.sendall(part)
            except OSError:
                return


def answer(body: bytes, *headers: str, status: str = "200 OK") -> bytes:
    """Return an answer with its headers and body (RFC 9112)."""
    lines = [f"HTTP/1.1 {status}", f"Content-Length: {len(body)}", "Connection: close"]
    head = "\r\n".join([*lines, *headers]).encode("latin-1")
    return head + b"\r\n\r\n" + body
