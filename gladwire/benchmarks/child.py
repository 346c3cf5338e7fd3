"""One measured task in a process of its own: prints seconds and the growth of its peak memory in bytes as JSON."""

from __future__ import annotations

import json
import re
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import polars as pl

from gladwire.core.lanes.pilot.measure import measure
from gladwire.core.measured import measure_capture
from gladwire.core.plc.keylog import read_keylog
from gladwire.core.session.session import judge_alone
from gladwire.core.signal.waveform import Waveform
from gladwire.core.supplements import Supplements
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.work.worker import calm_collector


def _memory(which: str) -> int:
    """Bytes of VmRSS (now) or VmHWM (peak since the last reset)."""
    found = re.search(rf"{which}:\s*(\d+) kB", Path("/proc/self/status").read_text())
    return int(found.group(1)) * 1024 if found else 0


def _reset_peak() -> None:
    # Inherited from the parent otherwise.
    Path("/proc/self/clear_refs").write_text("5")


def read_ours(path: Path) -> Callable[[], object]:
    return lambda: read_capture(Source(path))


def read_polars(path: Path) -> Callable[[], object]:
    return lambda: pl.read_csv(path)


def analyse_ours(path: Path) -> Callable[[], object]:
    wave = Waveform("CP", np.load(path), 1e3 * float(path.stem.split("-")[1]))
    return lambda: measure(wave)


def analyse_plain(path: Path) -> Callable[[], object]:
    """The baseline: where is it above 0 V, and where does that change."""
    samples = np.load(path)
    return lambda: np.flatnonzero(np.diff(samples > 0))


def frames_ours(path: Path) -> Callable[[], object]:
    """Frames to the verdict: reading, opening where a key log lies beside, putting together, decoding, judging."""
    keys = path.with_suffix(".keys")
    supplements = Supplements(read_keylog(keys.read_text())) if keys.exists() else None
    return lambda: judge_alone(measure_capture(read_capture(Source(path)), None, supplements).measured)


TASKS = {f.__name__: f for f in (read_ours, read_polars, analyse_ours, analyse_plain, frames_ours)}

if __name__ == "__main__":
    calm_collector()  # as in the worker
    task, file = TASKS[sys.argv[1]], Path(sys.argv[2])
    # What every run needs once (lazy imports, thread pools) is no part of the measurement.
    warm = file.with_name(f"warm-1000{file.suffix}")
    if warm.exists():
        TASKS[sys.argv[1]](warm)()
    prepared = task(file)
    _reset_peak()
    before, start = _memory("VmRSS"), time.perf_counter()
    result = prepared()
    seconds = time.perf_counter() - start
    print(json.dumps({"seconds": seconds, "grown": _memory("VmHWM") - before}))
