"""Work on what strangers gave, in a process of its own, with bounds on memory and time that this side enforces.

The process is forked off a small server process that has the libraries loaded, so that it begins at once and shares no
connection, lock or thread with the one that asks. A failure in it, of whatever kind, ends it alone.
"""

from __future__ import annotations

import contextlib
import ctypes
import multiprocessing
import os
import resource
import signal
import time
from collections.abc import Callable
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext, ForkServerProcess
from pathlib import Path
from typing import Any, NamedTuple

# With what readers and analyses import only when they need it: once here instead of in every process.
_PRELOADED = [
    "gladwire.work.analysis",
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


class Bounds(NamedTuple):
    memory_mib: int
    seconds: float


class Progress(NamedTuple):
    """How far the work is, as far as it can be told from outside."""

    seconds: float
    memory_mib: float


class RefusedWorkError(Exception):
    """The work came to no result. The sentence says why, in words for a person."""


class StopWork(Exception):
    """Raised by a watcher to end the work. The sentence says who wished it."""


def default_bounds(size: int = 0) -> Bounds:
    """size: bytes of what is worked on. Memory by GLADWIRE_ANALYSIS_MB, else half of this machine's."""
    given = os.environ.get("GLADWIRE_ANALYSIS_MB", "")
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // _MIB
    memory = int(given) if given.isdigit() and int(given) > 0 else max(1024, whole // 2)
    return Bounds(memory, 120.0 + 3.0 * size / _MIB)


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
        if now - begun > bounds.seconds:
            minutes = bounds.seconds / 60.0
            return "ended", f"This took longer than the {minutes:.0f} min a capture of its size may take, and was ended"
        if watch and now - told >= _TELLS_EVERY_S:
            told = now
            watch(Progress(now - begun, memory))


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
