"""A log of a bus: to the verdict, against python-can and cantools taking it apart frame by frame."""

from __future__ import annotations

import statistics
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

from gladwire.core.can.names import read_names
from gladwire.core.measured import measure_capture
from gladwire.core.session.session import judge_alone
from gladwire.core.simulate.can_bus import RetrofitPlan
from gladwire.core.supplements import Described, Supplements
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import bus

_RUNS = 3
_LASTS_S = 3600.0


def _file(folder: Path) -> Path:
    path = folder / "one-hour.log"
    if not path.exists():
        plan = RetrofitPlan(lasts_s=_LASTS_S, ends_s=_LASTS_S - 20.0, pin_rise_c_s=0.0, soc=5.0, asks_a=20.0)
        path.write_bytes(bus.log(replace(plan).play(), bus.dbc().decode(), "log"))
    return path


def _ours(path: Path, supplements: Supplements) -> float:
    start = time.perf_counter()
    judge_alone(measure_capture(read_capture(Source(path)), None, supplements).measured)
    return time.perf_counter() - start


def _theirs(path: Path, database: Any) -> float:
    import can

    start = time.perf_counter()
    with can.LogReader(str(path)) as frames:
        for frame in frames:
            database.decode_message(frame.arbitration_id, frame.data, decode_choices=False)
    return time.perf_counter() - start


def measure(folder: Path, millions: list[int]) -> str:
    """A Markdown table: medians of alternating runs. `millions` is of the other benches."""
    import cantools

    path, text = _file(folder), bus.dbc().decode()
    supplements, database = (
        Supplements(described=(Described(read_names(text, "bench")),)),
        cantools.database.load_string(text),
    )
    _ours(path, supplements)
    pairs = [(_ours(path, supplements), _theirs(path, database)) for _ in range(_RUNS)]
    mine, other = (statistics.median(p[n] for p in pairs) for n in (0, 1))
    frames = sum(1 for _ in path.open())
    rows = [
        "| one hour of a retrofit controller, candump | ours | frame by frame | ratio |",
        "|---|---|---|---|",
        f"| read, decode and judge against reading and decoding alone, s | {mine:.2f} | {other:.2f} | {mine / other:.2f} |",
    ]
    return "\n".join(rows) + f"\n\n{frames:,} frames, {path.stat().st_size / 1e6:.1f} MB."
