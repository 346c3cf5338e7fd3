"""Reading and analysing pilot captures of 1, 10 and 100 million samples, against plain library calls."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
from pathlib import Path

import numpy as np
import polars as pl

from gladwire.core.signal.waveform import Samples
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.script import PilotScript, Scope

_RUNS = {1: 9, 10: 7, 100: 3}
_MILLION = 1_000_000
# (million samples, kS/s): a scope's usual rate, and one row at a logger's, where the same array holds ten times the cycles.
_SLOW = (10, 100)


def _samples(millions: int, ks_per_s: int) -> Samples:
    """One session that fills the array: every state, a change of offer, a contact that opens for 6 ms each tenth."""
    circuit, hz = PilotCircuit(), 999.4
    ms = 1e-1 * millions * _MILLION / ks_per_s  # a tenth
    script = PilotScript().circuit(circuit, "none", 0.8 * ms).circuit(circuit, "waiting", 0.9 * ms)
    script.circuit(circuit, "waiting", 1.3 * ms, 26.7, hz)
    for duty in (26.7, 26.7, 53.3, 53.3, 53.3, 16.7):
        script.circuit(circuit, "asking", ms - 6, duty, hz).circuit(circuit, "none", 6, duty, hz)
    script.circuit(circuit, "waiting", 1.1 * ms, 16.7, hz)
    # Piece by piece: the generator works in double precision and would need many times the array.
    parts = script.pieces(1e3 * ks_per_s, Scope(noise_v=0.08, bits=10), seed=1, size=_MILLION)
    return np.concatenate(list(parts))[: millions * _MILLION]


def capture_files(folder: Path, millions: int, ks_per_s: int = 1000) -> tuple[Path, Path]:
    """(CSV, NumPy) of one size, made once and kept."""
    table, array = (folder / f"{millions}m-{ks_per_s}.{kind}" for kind in ("csv", "npy"))
    if not array.exists():
        np.save(array, _samples(millions, ks_per_s))
    if not table.exists():
        _write_table(table, np.load(array), 1e3 * ks_per_s)
    return table, array


def _write_table(path: Path, samples: Samples, rate_hz: float) -> None:
    with path.open("wb") as file:
        for first in range(0, len(samples), 10 * _MILLION):
            part = samples[first : first + 10 * _MILLION]
            times = np.round((first + np.arange(len(part))) / rate_hz, 7)
            frame = pl.DataFrame({"time_s": times, "cp_v": np.round(part.astype(np.float64), 3)})
            frame.write_csv(file, include_header=first == 0)


def _warm_up(folder: Path) -> None:
    samples = _samples(1, 1000)[:20_000]
    np.save(folder / "warm-1000.npy", samples)
    _write_table(folder / "warm-1000.csv", samples, 1e6)


def _run(task: str, path: Path) -> tuple[float, float]:
    done = subprocess.run(
        [sys.executable, "-m", "gladwire.benchmarks.child", task, str(path)], capture_output=True, text=True, check=True
    )
    seen = json.loads(done.stdout)
    return float(seen["seconds"]), float(seen["grown"])


def _pair(ours: str, baseline: str, path: Path, runs: int) -> tuple[list[float], list[float], float]:
    """(seconds of ours, seconds of the baseline, largest memory growth of ours), taken in turn."""
    first, second, grown = [], [], 0.0
    for _ in range(runs):
        seconds, more = _run(ours, path)
        first.append(seconds)
        grown = max(grown, more)
        second.append(_run(baseline, path)[0])
    return first, second, grown


def measure(folder: Path, millions: list[int]) -> str:
    """A Markdown table; ratios are medians of ours over medians of the baseline, memory is growth over the array."""
    _warm_up(folder)
    lines = [
        "| million samples | at kS/s | read s | polars alone s | ratio (aim 1.5) | memory × array (aim 4) "
        "| analyse s | numpy pass s | ratio (aim 6) | memory × array, samples included (aim 4) |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    rows = [(size, 1000) for size in millions] + [_SLOW] * (_SLOW[0] in millions)
    for size, rate in rows:
        table, array = capture_files(folder, size, rate)
        bytes_ = 4.0 * size * _MILLION
        runs = _RUNS.get(size, 3)
        ours, polars, grown = _pair("read_ours", "read_polars", table, runs)
        mine, plain, more = _pair("analyse_ours", "analyse_plain", array, runs)
        cells = [
            str(size),
            str(rate),
            f"{statistics.median(ours):.3f}",
            f"{statistics.median(polars):.3f}",
            f"{statistics.median(ours) / statistics.median(polars):.2f}",
            f"{grown / bytes_:.2f}",
            f"{statistics.median(mine):.3f}",
            f"{statistics.median(plain):.3f}",
            f"{statistics.median(mine) / statistics.median(plain):.2f}",
            f"{1 + more / bytes_:.2f}",
        ]
        lines.append("| " + " | ".join(cells) + " |")
        print(lines[-1], flush=True)
    return "\n".join(lines)
