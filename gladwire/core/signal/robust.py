"""Estimates that a few odd values do not move. By partition rather than numpy's general routines: these run on
thousands of short arrays, where the call costs more than the work."""

from __future__ import annotations

import numpy as np

from gladwire.core.signal.waveform import Floats, Ints


def median(values: Floats) -> float:
    """Middle value (lower of the two for an even count); NaN for none. NaN values count as large."""
    return quantile(values, 0.5)


def quantile(values: Floats, share: float) -> float:
    """The value below which `share` of all lie, by nearest rank; NaN for none. NaN values count as large."""
    n = len(values)
    if n == 0:
        return float("nan")
    rank = int(share * (n - 1) + 0.5 - 1e-9)
    return float(np.partition(values, rank)[rank])


def midmean(values: Floats) -> float:
    """Mean of the middle half: as robust as a median against edges and bursts, finer than one quantisation step.

    NaN values are left out; returns NaN when nothing is left.
    """
    kept = np.sort(values[np.isfinite(values)])
    if not len(kept):
        return float("nan")
    quarter = len(kept) // 4
    return float(np.mean(kept[quarter : len(kept) - quarter]))


def robust_sigma(values: Floats) -> float:
    """Standard deviation estimated from the median absolute deviation; 0 for fewer than two values."""
    kept = values[np.isfinite(values)]
    if len(kept) < 2:
        return 0.0
    return 1.4826 * median(np.abs(kept - median(kept)))


def spread_out(first: int, last: int, most: int) -> Ints:
    """Up to `most` different whole numbers spread evenly over first..last, both included."""
    count = min(last - first + 1, most)
    picked: Ints = np.linspace(first, last, count).astype(np.int64)
    return picked
