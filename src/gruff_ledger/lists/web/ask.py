"""Asking a server once, within limits of time and size."""

from __future__ import annotations

import contextlib
import datetime
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import msgspec

from gruff_ledger.credentials import without_credentials
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource

if TYPE_CHECKING:
    pass


# Answers after which a further try can help.
_PASSING = {408, 425, 429, 500, 502, 503, 504}


class KeptCopy(msgspec.Struct):
    """What is known of a kept copy; it lies beside it as JSON."""

    address: str
    fetched: str
    etag: str = ""
    last_modified: str = ""
    media_type: str = ""
    size_bytes: int = 0


class Deadline:
    """The time that is left for one list."""

    def __init__(self, seconds: int) -> None:
        self._seconds = seconds
        self._end = time.monotonic() + seconds

    def left(self) -> float:
        """Return how many seconds are left."""
        return self._end - time.monotonic()

    def problem(self, shown: str) -> UnreadableSource:
        """Word that the time is over."""
        return UnreadableSource(
            f"it did not arrive within {self._seconds} seconds. What was received "
            "was not used.",
            "Try again, or allow more in `time-limit`.",
            file=shown,
        )


class Asking(threading.Thread):
    """
    One asking, in a thread of its own, that is cut off where it takes too long.

    Finding a host, and headers that come letter by letter, obey no limit otherwise.

    Parameters
    ----------
    ask : callable
        Given a function that is to be told of each event on the connection.
    """

    # How long the thread may take to remove what it wrote.
    _TIDYING_SECONDS = 2.0

    def __init__(self, ask: Callable[[Callable[[str, Any], None]], Answer]) -> None:
        super().__init__(daemon=True)
        self._ask = ask
        self._socket: Any = None
        self._answer: Answer | None = None
        self._error: BaseException | None = None

    def run(self) -> None:
        """Ask, and keep what comes of it."""
        try:
            self._answer = self._ask(self._on_event)
        except BaseException as error:
            self._error = error

    def answer_within(self, seconds: float) -> Answer | None:
        """Return what came of it, or None when the time is over."""
        self.start()
        is_over = True
        try:
            self.join(max(seconds, 0))
            is_over = self.is_alive()
        finally:
            if is_over:
                self._cut_off()
                self.join(self._TIDYING_SECONDS)
        if is_over:
            # Whatever went wrong when it was cut off, that was the reason.
            return self._answer
        if self._error is not None:
            raise self._error
        return self._answer

    def _on_event(self, name: str, info: Any) -> None:
        if name.endswith(("connect_tcp.complete", "start_tls.complete")):
            with contextlib.suppress(AttributeError, KeyError):
                self._socket = info["return_value"].get_extra_info("socket")

    def _cut_off(self) -> None:
        import socket

        with contextlib.suppress(OSError, AttributeError):
            self._socket.shutdown(socket.SHUT_RDWR)


class TryAgain(Exception):
    """A fetch failed in a way that may pass."""

    def __init__(self, problem: UnreadableSource, pause: float = 0.0) -> None:
        super().__init__(problem)
        self.problem = problem
        self.pause = pause


class Answer(msgspec.Struct, frozen=True):
    """What came of a fetch: a copy, whether it is the old one, where it lies now."""

    kept: KeptCopy
    unchanged: bool = False
    moved: str = ""

    def notes(self, name: str) -> tuple[Note, ...]:
        """Say what is to be known of how it came."""
        said = []
        if self.unchanged:
            age = age_words(self.kept.fetched)
            said.append(
                Note(f"{name}: not changed since the kept copy was fetched {age}.")
            )
        if self.moved:
            said.append(
                Note(
                    f"{name}: the address redirects to {self.moved}.",
                    "Write that instead.",
                )
            )
        return tuple(said)


def redirect_to(place: str, response: Any, shown: str) -> str:
    """Return where a server sends us on to, if we may go there."""
    import httpx

    said = response.headers.get("location", "")
    target = httpx.URL(place).join(said)
    before = httpx.URL(place)
    if target.scheme not in ("http", "https") or not said:
        what = (
            "to nowhere" if not said else f"to '{said[:200]}', which is not on the web"
        )
    elif before.scheme == "https" and target.scheme == "http":
        what = f"from https to http, which anyone could read: {said[:200]}"
    elif target.host != before.host:
        what = f"to another host: {without_credentials(str(target))[:300]}"
    elif _port(target) != _port(before) and (_port(before), _port(target)) != (80, 443):
        # Another program may listen there, of somebody else.
        what = f"to another port: {without_credentials(str(target))[:300]}"
    else:
        return str(target)
    raise UnreadableSource(
        f"it redirects {what}.",
        "If that is where the list is to come from, write that address.",
        file=shown,
    )


def _port(url: Any) -> int:
    """Return the port of an address, also where it is that of its scheme."""
    return int(url.port or (443 if url.scheme == "https" else 80))


def check_status(response: Any, shown: str) -> None:
    """Raise a problem for an answer that has no list."""
    status = response.status_code
    if status == 200:
        return
    words = {
        401: ": a password is asked for",
        403: ": access is denied",
        404: ": there is nothing at this address",
        410: ": it no longer exists",
    }.get(status, f" ({response.reason_phrase})" if response.reason_phrase else "")
    problem = UnreadableSource(
        f"the server answered {status}{words}.",
        "Check the address, or ask its publisher.",
        file=shown,
    )
    if status in _PASSING:
        said = response.headers.get("retry-after", "")
        raise TryAgain(problem, float(said) if said.isdecimal() else 0.0)
    raise problem


def too_large(shown: str, limit: int) -> UnreadableSource:
    """Word that a list is larger than is allowed."""
    return UnreadableSource(
        f"it is larger than {limit} MB. What was received was not used.",
        "If it should be, allow more in `size-limit`.",
        file=shown,
    )


def age_words(fetched: str) -> str:
    """Say when a copy was fetched, and how long ago that is."""
    try:
        moment = datetime.datetime.fromisoformat(fetched)
        seconds = (datetime.datetime.now(datetime.UTC) - moment).total_seconds()
    except (ValueError, TypeError):
        return "at an unknown time"
    for unit, size in (("day", 86400), ("hour", 3600), ("minute", 60)):
        if seconds >= size:
            count = int(seconds // size)
            return f"{fetched}, {count} {unit}{'' if count == 1 else 's'} ago"
    return f"{fetched}, less than a minute ago"
