"""A stand-in for a publisher on the web: it serves the demo's lists on this computer.

It can be told, at an address of its own, to behave badly: to change a list, be slow,
fail, redirect or cut off. The tests use it too.
"""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Callable
from email.utils import formatdate
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from importlib.resources import files
from typing import Any

from gruff_ledger.problems import UnwritableOutput, nearest_or_all

HOST = "127.0.0.1"

LISTS = {
    "north-quay.csv": "text/csv; charset=utf-8",
    "south_quay.csv": "text/csv; charset=windows-1252",
    "east-quay.txt": "text/plain; charset=utf-8",
}

# How it can be told to behave, and what that is.
BEHAVIOURS = {
    "well": "as a publisher should",
    "change": "serve the list with one record more from now on",
    "slow": "send a few bytes at a time",
    "fail": "answer 500, every time",
    "fail-once": "answer 503 the next time, then well again",
    "redirect": "redirect within this host to where the list lies now",
    "away": "redirect to another host",
    "loop": "redirect in a circle",
    "cut-off": "promise all of the list and send half of it",
    "gone": "answer 404",
}

_CHANGED_RECORD = {
    "north-quay.csv": "099,Late Arrival,B,73500000999999999999,9.9,P. Driftwood,"
    "2026-12-31,\r\n",
    "south_quay.csv": "Late Arrival;S99;73500000999999999999;B;P. Driftwood;9.9;"
    "2026-12-31;\r\n",
    "east-quay.txt": "E-099\t73500000999999999999\tLate Arrival\tP. Driftwood\tB\t"
    "2026-12-31\t9.9\n",
}

# The lists have been as they are since then (2026-11-01, in seconds since 1970).
_PUBLISHED = 1793491200
_SLOW_BYTES, _SLOW_SECONDS = 64, 0.1


class Publisher:
    """
    The stand-in, serving from a thread of its own; use as a context manager.

    Parameters
    ----------
    port : int
        0 for any that is free.
    on_request : callable, optional
        Told each request and the status it was answered with.

    Raises
    ------
    UnwritableOutput
        If the port is taken.
    """

    def __init__(
        self,
        port: int = 0,
        on_request: Callable[[str, int], None] = lambda request, status: None,
    ) -> None:
        self._behaviour = dict.fromkeys(LISTS, "well")
        self._edition = dict.fromkeys(LISTS, 0)
        self._lock = threading.Lock()
        self.on_request = on_request
        self.requests: list[tuple[str, int]] = []
        publisher = self

        class Handler(_Handler):
            """Answers for this publisher."""

            owner = publisher

        try:
            self._server = _Server((HOST, port), Handler)
        except (OSError, OverflowError) as error:
            raise UnwritableOutput(
                f"nothing can be published at port {port}: "
                f"{getattr(error, 'strerror', None) or error}.",
                "Name another port, or none for any that is free.",
            ) from error
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)

    def __enter__(self) -> Publisher:
        self._thread.start()
        return self

    def __exit__(self, *of: object) -> None:
        self._server.shutdown()
        self._server.server_close()

    @property
    def address(self) -> str:
        """Where it is to be found."""
        return f"http://{HOST}:{self._server.server_address[1]}"

    def tell(self, name: str, behaviour: str) -> str:
        """
        Tell it how to behave about one list.

        Returns
        -------
        str
            What it makes of that.
        """
        if name not in LISTS:
            return f"No list '{name}'. {nearest_or_all(name, LISTS, 'lists')}"
        if behaviour not in BEHAVIOURS:
            known = nearest_or_all(behaviour, BEHAVIOURS, "behaviours")
            return f"No behaviour '{behaviour}'. {known}"
        with self._lock:
            if behaviour == "change":
                self._edition[name] += 1
                self._behaviour[name] = "well"
            else:
                self._behaviour[name] = behaviour
        return f"{name} from now on: {BEHAVIOURS[behaviour]}."

    def behaviour(self, name: str) -> str:
        """Return how it is to behave about a list, this time."""
        with self._lock:
            now = self._behaviour[name]
            if now == "fail-once":
                self._behaviour[name] = "well"
            return now

    def content(self, name: str) -> tuple[bytes, str, str]:
        """Return a list as it is now, its ETag, and when it was changed."""
        data = (files("gruff_ledger.demo") / "data" / "incoming" / name).read_bytes()
        edition = self._edition[name]
        codec = "cp1252" if name == "south_quay.csv" else "utf-8"
        if edition:
            lines = data.splitlines(keepends=True)
            while not lines[-1].strip(b";,\t\r\n "):
                lines.pop()
            data = b"".join(lines) + _CHANGED_RECORD[name].encode(codec) * edition
        tag = f'"{hashlib.sha256(data).hexdigest()[:16]}"'
        return data, tag, formatdate(_PUBLISHED + 86400 * edition, usegmt=True)

    def note(self, request: str, status: int) -> None:
        """Take note of a request."""
        self.requests.append((request, status))
        self.on_request(request, status)


class _Server(ThreadingHTTPServer):
    """A server that takes it calmly when whoever asked goes away."""

    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Say nothing: the other side has left in the middle."""


class _Handler(BaseHTTPRequestHandler):
    """Answers requests; what is asked for is a list, or to behave in some way."""

    owner: Publisher
    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        parts = self.path.partition("?")[0].strip("/").split("/")
        if parts == [""]:
            self._say(200, self._index())
        elif parts[0] == "tell" and len(parts) == 3:
            said = self.owner.tell(parts[1], parts[2])
            self._say(404 if said.startswith("No ") else 200, said + "\n")
        elif parts[-1] in LISTS and len(parts) <= 2:
            moved = len(parts) == 2
            behaviour = self.owner.behaviour(parts[-1])
            self._list(parts[-1], "well" if moved else behaviour)
        else:
            self._say(404, "There is no such list.\n")

    def do_POST(self) -> None:
        self.do_GET()

    def log_message(self, format: str, *args: Any) -> None:
        """Say nothing here: the publisher takes note of requests."""

    def _list(self, name: str, behaviour: str) -> None:
        if behaviour == "fail":
            self._say(500, "It cannot be served.\n")
        elif behaviour == "fail-once":
            self._say(503, "Later.\n")
        elif behaviour == "gone":
            self._say(404, "It is not here.\n")
        elif behaviour == "redirect":
            self._say(302, "", ("Location", f"/archive/{name}"))
        elif behaviour == "away":
            self._say(302, "", ("Location", f"http://elsewhere.invalid/{name}"))
        elif behaviour == "loop":
            self._say(302, "", ("Location", f"/{name}"))
        else:
            self._send(name, behaviour)

    def _send(self, name: str, behaviour: str) -> None:
        data, tag, changed = self.owner.content(name)
        facts = (("ETag", tag), ("Last-Modified", changed))
        if self.headers.get("If-None-Match") == tag and behaviour == "well":
            self._say(304, "", *facts)
            return
        self._start(200, len(data), LISTS[name], *facts)
        try:
            if behaviour == "cut-off":
                self.wfile.write(data[: len(data) // 2])
                self.close_connection = True
            elif behaviour == "slow":
                for at in range(0, len(data), _SLOW_BYTES):
                    self.wfile.write(data[at : at + _SLOW_BYTES])
                    self.wfile.flush()
                    time.sleep(_SLOW_SECONDS)
            else:
                self.wfile.write(data)
        except OSError:
            self.close_connection = True  # Whoever asked has had enough.

    def _say(self, status: int, text: str, *headers: tuple[str, str]) -> None:
        body = text.encode("utf-8")
        self._start(status, len(body), "text/plain; charset=utf-8", *headers)
        self.wfile.write(body)

    def _start(
        self, status: int, length: int, kind: str, *headers: tuple[str, str]
    ) -> None:
        self.owner.note(f"{self.command} {self.path}", status)
        self.send_response(status)
        for name, value in (*headers, ("Content-Type", kind)):
            self.send_header(name, value)
        if status != 304:
            self.send_header("Content-Length", str(length))
        self.end_headers()

    def _index(self) -> str:
        lists = "".join(f"  {self.owner.address}/{name}\n" for name in LISTS)
        ways = "".join(f"  {name:<10} {what}\n" for name, what in BEHAVIOURS.items())
        return (
            f"Lists:\n{lists}\nTo tell how to behave about one, ask for\n"
            f"  {self.owner.address}/tell/LIST/BEHAVIOUR\nwhere BEHAVIOUR is\n{ways}"
        )
