"""Where the program starts: what has to be settled before anything large is imported.

The work on a list can use all processors; loading Python's packages uses one. So what
needs no package begins here, beside the loading.
"""

from __future__ import annotations

import _signal  # type: ignore[import-not-found]
import os
import sys

# As type checkers know it: to load `typing` takes time in which nobody listens.
TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import FrameType
    from typing import NoReturn


def _leave(number: int, frame: FrameType | None) -> NoReturn:
    """Leave at once, and quietly: an import that is interrupted shows a traceback."""
    os.write(2, b"gruff: interrupted. No output was written or replaced.\n")
    os._exit(130)


# From here on, and before anything else is loaded: until all is, nothing could be left
# half done. (`signal` itself loads more; this is what is beneath it.)
_IS_PROGRAM = os.path.basename(sys.argv[0]).startswith(("gruff", "-m", "__main__"))  # noqa: PTH119
_LISTENS = _IS_PROGRAM and _signal.getsignal(_signal.SIGINT) is not _signal.SIG_IGN
if _LISTENS:
    _signal.signal(_signal.SIGINT, _leave)

import contextlib  # noqa: E402
import gc  # noqa: E402
from collections.abc import Iterator  # noqa: E402

_EXIT_NOT_DONE = 2

# What needs little room.
_TELLING = ("--help", "-h", "--version", "help")

# Threads of Arrow and the C library take addresses, though hardly any memory.
_LEAST_ADDRESSES = 1_000_000_000
_TOO_LITTLE_ROOM = (
    b"gruff: the system allows this program less than 1 GB of addresses, which is too "
    b"little to work with. Nothing was written. Allow more (see ulimit -v).\n"
)

# With these a docket's sources are hashed in another way, or not at all.
_KEEP_NO_HASHES = ("--if-changed", "--dry-run", "--stop-after", "--diagram")


def main() -> NoReturn:
    """Run the command line and exit; see `gruff_ledger.cli.main`."""
    if _has_too_little_room(sys.argv[1:]):
        os.write(2, _TOO_LITTLE_ROOM)
        os._exit(_EXIT_NOT_DONE)
    _make_ready(sys.argv[1:])
    from gruff_ledger.cli.main import main as run

    if _LISTENS:
        _signal.signal(_signal.SIGINT, _signal.default_int_handler)
    run()


def _has_too_little_room(arguments: list[str]) -> bool:
    """
    Whether the system allows fewer addresses (`getrlimit`) than work needs.

    Its libraries would end the program without a word when they begin their threads.
    """
    if not arguments or any(each in _TELLING for each in arguments):
        return False
    if sys.platform == "win32":
        # There is no such limit.
        return False
    import resource

    limit, _ = resource.getrlimit(resource.RLIMIT_AS)
    return limit != resource.RLIM_INFINITY and limit < _LEAST_ADDRESSES


def _make_ready(arguments: list[str]) -> None:
    # NumPy's library for matrices, which nothing here uses, would start a thread for
    # each processor, and those look busily for work for a while.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # To look for circles of objects takes a tenth of the start; a run makes few.
    gc.set_threshold(100_000, 20, 20)
    # Threads that mostly work outside of Python need not wait long to come back to it.
    sys.setswitchinterval(0.0005)
    if _hashes_sources(arguments):
        from gruff_ledger.lists.early_hashing import hash_ahead

        # Where no thread can be begun, sources are hashed when they are read.
        with contextlib.suppress(RuntimeError):
            hash_ahead(lambda: _sure_sources(arguments))


def _hashes_sources(arguments: list[str]) -> bool:
    """Whether a command line surely wants the hashes of all that it reads."""
    if arguments[:1] != ["run"]:
        return "--ledger" in arguments
    return not any(each.startswith(_KEEP_NO_HASHES) for each in arguments)


def _sure_sources(arguments: list[str]) -> Iterator[str]:
    """Yield addresses that a command line surely names as those of sources."""
    if arguments[0] == "run":
        yield from _sources_of_docket(arguments[1:2])
        return
    for argument in arguments[1:]:
        if argument.startswith("-"):
            break
        yield argument
    if "--in" in arguments:
        at = arguments.index("--in") + 1
        yield from arguments[at : at + 1]


def _sources_of_docket(docket: list[str]) -> Iterator[str]:
    import tomllib

    try:
        if not os.path.isfile(docket[0]):  # noqa: PTH113
            # What comes through a pipe comes once.
            return
        with open(docket[0], "rb") as stream:  # noqa: PTH123
            lists = tomllib.load(stream)["lists"]
        folder = os.path.dirname(docket[0])  # noqa: PTH120
        yield from [os.path.join(folder, each["from"]) for each in lists.values()]  # noqa: PTH118
    except (OSError, ValueError, TypeError, AttributeError, LookupError):
        # What is wrong with a docket is said when it is loaded.
        return
