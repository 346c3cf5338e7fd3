"""Lines told by their changes, held between them and put on an even clock."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from gladwire.core.signal.waveform import Floats, Waveform
from gladwire.formats.errors import UnreadableError

_MOST_SAMPLES = 2_000_000
# Of all lines together: half a gigabyte as float32.
_MOST_IN_ALL = 120_000_000
_FEWEST_SAMPLES = 2_000
# Samples to the shortest stretch between two changes, where the record is short enough for it.
_PER_STRETCH = 4
# Fine enough for the limits on contactors and locks, which are tens of milliseconds.
_FINE_S = 100e-6


class Line:
    """One line: its name, whether its values are volts, and its changes (ticks and values)."""

    def __init__(self, name: str, real: bool) -> None:
        self.name, self.real = name, real
        self.ticks: list[int] = []
        self.values: list[float] = []

    def change(self, tick: int, value: float) -> None:
        self.ticks.append(tick)
        self.values.append(value)


def on_even_clock(
    lines: Sequence[Line], tick_s: float, first: int, last: int
) -> tuple[tuple[Waveform, ...], tuple[str, ...]]:
    """(a channel for every line, held between its changes from tick `first` to `last`, remarks). Raises UnreadableError."""
    step, note = _step([line.ticks for line in lines], first, last, round(_FINE_S / tick_s))
    count = max(4, (last - first) // step + 1)
    if count * len(lines) > _MOST_IN_ALL:
        raise UnreadableError(
            f"{len(lines)} lines of {count:,} samples each are more than is read at once; record fewer lines"
        )
    channels = tuple(
        Waveform(
            line.name,
            _held(line, first, step, count),
            1.0 / (step * tick_s),
            first * tick_s,
            "V" if line.real else "logic",
        )
        for line in lines
    )
    return channels, (f"Read at one sample every {step * tick_s * 1e6:g} µs; {note}.",) if note else ()


def _step(changes: Sequence[Sequence[int]], first: int, last: int, fine: int) -> tuple[int, str]:
    """(ticks between samples, what that cannot resolve): at least `fine`, and finer for the shortest stretch, in bounds."""
    gaps = [int(np.diff(np.unique(c)).min()) for c in changes if len(set(c)) > 1]
    span = max(1, last - first)
    wanted = max(1, min(min(gaps, default=span) // _PER_STRETCH, span // _FEWEST_SAMPLES, fine))
    least = max(1, -(-span // _MOST_SAMPLES))
    if wanted >= least:
        return wanted, ""
    return least, "switchings that follow each other faster are not told apart"


def _held(line: Line, first: int, step: int, count: int) -> np.ndarray[Any, np.dtype[np.float32]]:
    """The line's value at every sample; missing before its first change."""
    times = first + step * np.arange(count)
    last = np.searchsorted(np.array(line.ticks), times, side="right") - 1
    values: Floats = np.array([*line.values, np.nan])
    return values[last].astype(np.float32)
