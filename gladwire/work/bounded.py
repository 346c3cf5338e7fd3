"""Work on what strangers gave, in a process of its own, with bounds on memory and time that this side enforces.

The process is forked off a small server process that has the libraries loaded, so that it begins at once and shares no
connection, lock or thread with the one that asks. A failure in it, of whatever kind, ends it alone.
"""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import multiprocessing
import os
import resource
import signal
import tempfile
import time
from collections.abc import Callable
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext, ForkServerProcess
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

# With what readers and analyses import only when they need it: once here instead of in every process.
_PRELOADED = [
    "gladwire.work.analysis",
    "numpy.ma",  # taken in by a first median, which would cost every capture some hundredths of a second
    "cantools",
    "can.io",
    "cryptography.x509",
    "openpyxl",
    "scipy.io",
    "scipy.ndimage",
]
_LOOKS_EVERY_S = 0.05
_TELLS_EVERY_S = 1.0
_DIES_WITH_PARENT = 1  # PR_SET_PDEATHSIG
_MIB = 2**20
# Workers that analyse at the same time.
MOST_AT_ONCE = 4


class Bounds(NamedTuple):
    """share_mib: what every work may take at any time; of those that want more only one goes on at a time, so that all
    together never want more than the machine has."""

    memory_mib: int
    seconds: float
    share_mib: int | None = None


class Progress(NamedTuple):
    """How far the work is, as far as it can be told from outside. waits: for memory that other work holds."""

    seconds: float
    memory_mib: float
    waits: bool = False


class RefusedWorkError(Exception):
    """The work came to no result. The sentence says why, in words for a person."""


class StopWork(Exception):
    """Raised by a watcher to end the work. The sentence says who wished it."""


def default_bounds(size: int = 0) -> Bounds:
    """size: bytes of what is worked on. Memory by GLADWIRE_ANALYSIS_MB, else half of this machine's."""
    given = os.environ.get("GLADWIRE_ANALYSIS_MB", "")
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // _MIB
    memory = int(given) if given.isdigit() and int(given) > 0 else max(1024, whole // 2)
    return Bounds(memory, 120.0 + 3.0 * size / _MIB, whole // 2 // MOST_AT_ONCE)


def run_bounded(
    work: Callable[..., Any], *arguments: Any, bounds: Bounds, watch: Callable[[Progress], None] | None = None
) -> Any:
    """The result of work(*arguments), both of which can be pickled. watch: called about once a second; may raise StopWork.

    Raises RefusedWorkError where the work refused, failed, or went beyond a bound, and StopWork where the watcher did.
    """
    context = _context()
    mine, theirs = context.Pipe(duplex=False)
    process = context.Process(target=_child, args=(theirs, bounds, work, arguments), daemon=True)
    process.start()
    theirs.close()
    try:
        outcome = _awaited(process, mine, bounds, watch)
    finally:
        if process.is_alive():
            process.kill()
        process.join()
        mine.close()
        process.close()
    kind, value = outcome
    if kind != "done":
        raise RefusedWorkError(value)
    return value


def get_ready() -> None:
    """Start the server that processes are forked off, so that the first capture need not wait for its imports."""
    _context()
    forkserver.ensure_running()


def _context() -> ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_PRELOADED)
    return context


def _awaited(
    process: ForkServerProcess, mine: Connection, bounds: Bounds, watch: Callable[[Progress], None] | None
) -> tuple[str, Any]:
    begun = told = time.monotonic()
    with _Turn(process.pid or 0) as turn:
        while True:
            try:
                if mine.poll(_LOOKS_EVERY_S):
                    answer: tuple[str, Any] = mine.recv()
                    return answer
            except EOFError:
                process.join()
                return "ended", _how_it_ended(process.exitcode, bounds)
            now = time.monotonic()
            memory = _memory_mib(process.pid or 0)
            if memory > bounds.memory_mib:
                return "ended", _too_much(bounds)
            if bounds.share_mib is not None and memory > bounds.share_mib:
                begun += turn.take(now)
            if not turn.waits and now - begun > bounds.seconds:
                minutes = bounds.seconds / 60.0
                return (
                    "ended",
                    f"This took longer than the {minutes:.0f} min a capture of its size may take, and was ended",
                )
            if watch and now - told >= _TELLS_EVERY_S:
                told = now
                watch(Progress(now - begun, memory, turn.waits))


class _Turn:
    """The turn of one process among those of this application that want much memory. It stands still until it has it; the
    kernel gives the turn on when the side that waits for it ends, however it does."""

    def __init__(self, number: int) -> None:
        self._number, self._has = number, False
        self._file: BinaryIO | None = None
        self._since: float | None = None

    def __enter__(self) -> _Turn:
        return self

    def __exit__(self, *_: object) -> None:
        if self._file is not None:
            self._file.close()

    @property
    def waits(self) -> bool:
        return self._since is not None

    def take(self, now: float) -> float:
        """Take the turn, or let the process stand still until the next call; how long it has stood still, in seconds, once
        it goes on."""
        if self._has:
            return 0.0
        if self._file is None:
            self._file = (Path(tempfile.gettempdir()) / "gladwire-large.lock").open("ab")
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            if self._since is None:
                self._since = now
                os.kill(self._number, signal.SIGSTOP)
            return 0.0
        self._has = True
        if self._since is None:
            return 0.0
        stood, self._since = now - self._since, None
        os.kill(self._number, signal.SIGCONT)
        return stood


def _too_much(bounds: Bounds) -> str:
    return (
        f"This needs more than the {bounds.memory_mib / 1024:.1f} GiB of memory one capture may take here, and was ended; "
        "GLADWIRE_ANALYSIS_MB allows more"
    )


def _how_it_ended(code: int | None, bounds: Bounds) -> str:
    if code == -signal.SIGKILL:
        return f"{_too_much(bounds)}, or something else ended it from outside"
    how = f"signal {-code}" if code is not None and code < 0 else f"code {code}"
    return f"The work on it broke off by itself ({how}) without a result"


def _memory_mib(number: int) -> float:
    """Memory of its own that a process holds, from the kernel's own account; 0 where it is gone."""
    with contextlib.suppress(OSError, ValueError, IndexError):
        for line in Path(f"/proc/{number}/status").read_text().splitlines():
            if line.startswith("RssAnon:"):
                return int(line.split()[1]) / 1024.0
    return 0.0


def _child(theirs: Connection, bounds: Bounds, work: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
    ctypes.CDLL(None).prctl(_DIES_WITH_PARENT, signal.SIGKILL)
    most = bounds.memory_mib * _MIB
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_DATA, (most, most))
    with contextlib.suppress(OSError):
        Path("/proc/self/oom_score_adj").write_text("1000")
    try:
        answer = ("done", work(*arguments))
    except RefusedWorkError as error:
        answer = ("refused", str(error))
    except MemoryError:
        answer = ("ended", _too_much(bounds))
    except Exception as error:  # what strangers give can trip anything; one sentence, and the process ends
        answer = (
            "failed",
            f"Something in it was not expected here ({type(error).__name__}); it is damaged or of a new kind",
        )
    with contextlib.suppress(BrokenPipeError):  # nobody is left to hear it
        theirs.send(answer)
    theirs.close()
