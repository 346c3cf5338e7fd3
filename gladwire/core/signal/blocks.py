"""One value for every block of a channel, worked out in pieces so that memory does not grow with the record."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gladwire.core.signal.waveform import Floats, Samples, Waveform

_PIECE = 1 << 20


def over_blocks(wave: Waveform, seconds: float, reduce: Callable[[Floats], Floats]) -> tuple[Floats, int]:
    """(values, samples in a block): reduce turns rows of samples (double precision) into one value each.

    The last samples that fill no block are left out; a channel shorter than one block is one block.
    """
    samples = wave.samples
    size = min(max(1, round(seconds * wave.rate_hz)), max(1, len(samples)))
    count = max(1, len(samples) // size)
    values = np.empty(count)
    step = max(1, _PIECE // size)
    for first in range(0, count, step):
        end = min(first + step, count)
        rows = np.asarray(samples[first * size : end * size], dtype=np.float64).reshape(-1, size)
        values[first:end] = reduce(rows)
    return values, size


def mean_square(samples: Samples) -> float:
    """Mean of the squares of all finite samples; 0 for none."""
    total, count = 0.0, 0
    for first in range(0, len(samples), _PIECE):
        part = np.asarray(samples[first : first + _PIECE], dtype=np.float64)
        good = part[np.isfinite(part)]
        total, count = total + float(np.dot(good, good)), count + len(good)
    return total / count if count else 0.0
