"""Fetching lists by http and https (RFC 9110), with a kept copy where one is wanted.

A list is fetched whole or not at all: it goes to a file beside its place, and is used
only when all of it has come. A kept copy is asked after with its ETag or date, so that
what has not changed is not sent again.
"""

from __future__ import annotations

import contextlib
import datetime
import os
import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import unquote, urlsplit

import msgspec

from gruff_ledger.credentials import holds_credentials, without_credentials
from gruff_ledger.late_patterns import late_pattern
from gruff_ledger.lists.source import Opened, open_path
from gruff_ledger.lists.web.ask import (
    Answer,
    Asking,
    Deadline,
    KeptCopy,
    TryAgain,
    age_words,
    check_status,
    redirect_to,
    too_large,
)
from gruff_ledger.lists.web.terms import FetchTerms
from gruff_ledger.outcome import Note
from gruff_ledger.problems import UnreadableSource, UnwritableOutput

if TYPE_CHECKING:
    import tempfile

# Redirects that are followed, all of them within the host that the address names.
MOST_REDIRECTS = 5

# Pauses before a further try, in seconds; a server that names a longer one is given up.
_PAUSES = (0.5, 1.0, 2.0, 4.0, 8.0)
_LONGEST_PAUSE = 30.0

_CONNECT_SECONDS = 10.0

_REDIRECTS = {301, 302, 303, 307, 308}


# An entity tag and a date as they may be sent back (RFC 9110, 8.8.3 and 5.6.7).
_ETAG = late_pattern(r'(?:W/)?"[\x21\x23-\x7e]*"')
_DATE = late_pattern(r"[A-Za-z0-9 ,:+-]{1,64}")


class Fetching:
    """
    Fetches lists for one run; copies that are not kept are removed by `close`.

    Parameters
    ----------
    terms : FetchTerms, optional
    folder : Path, optional
        What a relative folder for kept copies starts from.
    on_progress : callable, optional
        Told how many bytes have come, and of how many (0 where that is unknown).
    """

    def __init__(
        self,
        terms: FetchTerms | None = None,
        *,
        folder: Path | None = None,
        on_progress: Callable[[int, int], None] = lambda done, total: None,
    ) -> None:
        self._terms = terms or FetchTerms()
        self._on_progress = on_progress
        self._passing: tempfile.TemporaryDirectory[str] | None = None
        self._folder: Path | None = None
        if self._terms.kept is not None:
            self._folder = (folder or Path()) / self._terms.kept

    def close(self) -> None:
        """Remove the copies that nobody asked to keep."""
        if self._passing is not None:
            self._passing.cleanup()
            self._passing = None

    def fetch(self, url: str, *, name: str, address: str) -> Opened:
        """
        Fetch a list, or take its kept copy where that is still what is served.

        Raises
        ------
        UnreadableSource
            If it cannot be fetched whole, in time, and from where its address says; or
            if `offline` is set and there is no kept copy.
        """
        shown = without_credentials(address)
        _check_url(url, shown)
        known = self._known(url)
        if self._terms.offline:
            if known is None:
                raise UnreadableSource(
                    "there is no kept copy of it, and nothing is fetched offline.",
                    "Leave `offline` out, or name the folder of kept copies in `kept`.",
                    file=shown,
                )
            note = Note(
                f"{name}: the kept copy was used, fetched {age_words(known.fetched)}.",
                "To fetch it anew, leave `offline` out.",
                warning=True,
            )
            return self._as_opened(url, known, name, shown, (note,))
        limit = Deadline(self._terms.time_limit)
        problem: UnreadableSource | None = None
        for number in range(1, self._terms.tries + 1):
            try:
                answer = self._ask(url, known, shown, limit)
            except TryAgain as again:
                problem = again.problem
                pause = _PAUSES[min(number, len(_PAUSES)) - 1]
                pause = max(pause, again.pause)
                if (
                    number == self._terms.tries
                    or pause > _LONGEST_PAUSE
                    or pause > limit.left()
                ):
                    break
                time.sleep(pause)
                continue
            return self._as_opened(url, answer.kept, name, shown, answer.notes(name))
        assert problem is not None
        if known is not None:
            fetched = age_words(known.fetched)
            problem.remedy += (
                f" A kept copy, fetched {fetched}, is used with `offline`."
            )
        raise problem

    # Copies ---------------------------------------------------------------------

    def _place(self, url: str) -> Path:
        if self._folder is None:
            if self._passing is None:
                import tempfile

                self._passing = tempfile.TemporaryDirectory(prefix="gruff-")
            folder = Path(self._passing.name)
        else:
            folder = self._folder
            try:
                folder.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise UnwritableOutput(
                    f"the folder for kept copies cannot be made: {error.strerror}.",
                    "Name another in `kept`.",
                    file=str(folder),
                ) from error
        import hashlib

        stem = re.sub(r"[^\w.-]", "_", Path(unquote(urlsplit(url).path)).name)[-60:]
        digest = hashlib.sha256(url.encode("utf-8", "replace")).hexdigest()[:16]
        return folder / f"{digest}-{stem or 'list'}"

    def _known(self, url: str) -> KeptCopy | None:
        if self._folder is None:
            return None
        place = self._place(url)
        try:
            kept = msgspec.json.decode(_facts(place).read_bytes(), type=KeptCopy)
            whole = place.stat().st_size == kept.size_bytes
        except (OSError, msgspec.MsgspecError, UnicodeError):
            return None
        return kept if whole else None

    def _as_opened(
        self, url: str, kept: KeptCopy, name: str, shown: str, notes: tuple[Note, ...]
    ) -> Opened:
        opened = open_path(self._place(url), name=name, address=shown)
        modified = None
        if kept.last_modified:
            from email.utils import parsedate_to_datetime

            with contextlib.suppress(ValueError, TypeError, OverflowError):
                modified = parsedate_to_datetime(kept.last_modified).timestamp()
        return msgspec.structs.replace(
            opened, modified=modified, media_type=kept.media_type, notes=notes
        )

    # Asking ---------------------------------------------------------------------

    def _ask(
        self, url: str, known: KeptCopy | None, shown: str, limit: Deadline
    ) -> Answer:
        """Ask in a thread: some of what can take long knows no limit of its own."""
        asking = Asking(
            lambda on_event: self._asked(url, known, shown, limit, on_event)
        )
        answer = asking.answer_within(limit.left())
        if answer is None:
            raise TryAgain(limit.problem(shown))
        return answer

    def _asked(
        self,
        url: str,
        known: KeptCopy | None,
        shown: str,
        limit: Deadline,
        on_event: Callable[[str, Any], None],
    ) -> Answer:
        import httpx

        try:
            with httpx.Client(
                timeout=httpx.Timeout(_CONNECT_SECONDS, read=limit.left() + 1),
                verify=_trust(url, shown),
                headers={"User-Agent": "gruff-ledger", "Accept-Encoding": "identity"},
            ) as client:
                return self._follow(client, url, known, shown, limit, on_event)
        except httpx.TimeoutException as error:
            raise TryAgain(limit.problem(shown)) from error
        except httpx.TransportError as error:
            if "CERTIFICATE" in str(error).upper():
                raise UnreadableSource(
                    "the certificate of the server could not be verified: "
                    f"{_plain(error)}.",
                    "Check the address; if the server is your own, have its "
                    "certificate added to those that this computer trusts.",
                    file=shown,
                ) from error
            what = f"it could not be fetched whole: {_plain(error)}. "
            what += "What was received was not used."
            if isinstance(error, httpx.ConnectError | httpx.ProxyError):
                what = f"its server cannot be reached: {_plain(error)}."
            raise TryAgain(
                UnreadableSource(
                    what,
                    "Check the connection, and try again.",
                    file=shown,
                )
            ) from error
        except (httpx.InvalidURL, httpx.HTTPError, ValueError) as error:
            raise UnreadableSource(
                f"it is not an address on the web: {_plain(error)}.",
                "Correct it.",
                file=shown,
            ) from error

    def _follow(
        self,
        client: Any,
        url: str,
        known: KeptCopy | None,
        shown: str,
        limit: Deadline,
        on_event: Callable[[str, Any], None],
    ) -> Answer:
        conditions = {}
        if known is not None and _ETAG.fullmatch(known.etag):
            conditions["If-None-Match"] = known.etag
        if known is not None and _DATE.fullmatch(known.last_modified):
            conditions["If-Modified-Since"] = known.last_modified
        place = url
        for _ in range(MOST_REDIRECTS + 1):
            with client.stream(
                "GET", place, headers=conditions, extensions={"trace": on_event}
            ) as response:
                if response.status_code in _REDIRECTS:
                    place = redirect_to(place, response, shown)
                    continue
                if response.status_code == 304 and known is not None:
                    return Answer(known, unchanged=True)
                check_status(response, shown)
                return Answer(
                    self._keep(url, response, shown, limit),
                    moved=place if place != url else "",
                )
        raise UnreadableSource(
            f"it is redirected more than {MOST_REDIRECTS} times.",
            "Ask its publisher for its true address.",
            file=shown,
        )

    def _keep(self, url: str, response: Any, shown: str, limit: Deadline) -> KeptCopy:
        """Write all of an answer beside its place, then put it there."""
        from gruff_ledger.lists.web.content_codings import (
            BadCoding,
            TooLarge,
            codings_of,
            undone,
        )

        most = self._terms.size_limit * 1_000_000
        said = response.headers.get("content-length", "")
        total = int(said) if said.isdecimal() else 0
        if total > most:
            raise too_large(shown, self._terms.size_limit)
        place = self._place(url)
        beside = place.with_name(f".{place.name}.{os.urandom(4).hex()}.part")
        # What a password was needed for is for its owner alone.
        mode = 0o600 if holds_credentials(url) else 0o666
        done = 0
        try:
            codings = codings_of(response.headers.get("content-encoding", ""))
            flags = os.O_CREAT | os.O_EXCL | os.O_WRONLY | getattr(os, "O_BINARY", 0)
            with os.fdopen(os.open(beside, flags, mode), "wb") as sink:
                for block in undone(response.iter_raw(), codings, most):
                    done += len(block)
                    if limit.left() <= 0:
                        raise TryAgain(limit.problem(shown))
                    sink.write(block)
                    self._on_progress(done, total)
                sink.flush()
                os.fsync(sink.fileno())
            kept = KeptCopy(
                address=without_credentials(url),
                fetched=_now(),
                etag=response.headers.get("etag", ""),
                last_modified=response.headers.get("last-modified", ""),
                media_type=response.headers.get("content-type", "")
                .partition(";")[0]
                .strip()
                .lower(),
                size_bytes=done,
            )
            # A copy without its facts is never used, and neither are the facts of
            # another: the old ones go first.
            _facts(place).unlink(missing_ok=True)
            beside.replace(place)
            facts = msgspec.json.format(msgspec.json.encode(kept), indent=2)
            _facts(place).write_bytes(facts + b"\n")
        except TooLarge:
            raise too_large(shown, self._terms.size_limit) from None
        except BadCoding as error:
            raise UnreadableSource(
                f"{error}. What was received was not used.",
                "Ask its publisher to send it as it is.",
                file=shown,
            ) from error
        except OSError as error:
            raise UnwritableOutput(
                f"the fetched list cannot be kept: {error.strerror or error}.",
                "Free some space, or name another folder in `kept`.",
                file=str(place.parent),
            ) from error
        finally:
            beside.unlink(missing_ok=True)
        return kept


def _check_url(url: str, shown: str) -> None:
    try:
        parts = urlsplit(url)
        # Asking for the port checks it.
        good = bool(parts.hostname) and parts.port != 0
        good &= not re.search(r"[\s%]", parts.hostname or "")
    except ValueError:
        good = False
    if not good:
        raise UnreadableSource(
            "it is not an address on the web.",
            "Correct it: https://HOST/PATH, with a port between 1 and 65535 if any.",
            file=shown,
        )


def _facts(place: Path) -> Path:
    return place.with_name(f"{place.name}.facts.json")


def _trust(url: str, shown: str) -> Any:
    """Return what certificates are checked by: those that this computer trusts."""
    if not url.lower().startswith("https:"):
        return False  # There is no certificate to check; making the list takes time.
    import ssl

    try:
        return ssl.create_default_context()
    except OSError as error:
        raise UnreadableSource(
            f"the certificates that this computer trusts cannot be read: {error}.",
            "Correct the environment variable SSL_CERT_FILE, or remove it.",
            file=shown,
        ) from error


def _plain(error: Exception) -> str:
    text = re.sub(r"\s+", " ", str(error) or type(error).__name__).strip().rstrip(".")
    return _lower_first(re.sub(r"^\[[^\]]*\]\s*", "", text))


def _lower_first(text: str) -> str:
    return text[:1].lower() + text[1:]


def _now() -> str:
    moment = datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")
    return moment.replace("+00:00", "Z")
