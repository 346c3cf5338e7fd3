"""The course of a quantity as straight pieces: levels, rises, falls and steps between them."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np

from gladwire.core.signal.waveform import Floats, Ints

_MOST_BLOCKS = 480
# A course may leave its straight piece by this share of the top before it is another piece, or by so much of its noise.
_BEND_SHARE, _BEND_NOISE = 0.022, 4.0
_LEAST_KW = 0.02
# Steps displays round to, and how exactly they do.
_STEPS, _EXACT = np.array([5.0, 2.0, 1.0, 0.5, 0.1]), 1e-6
# What a display rounds wanders by a step either way.
_BEND_STEPS = 1.6


class Blocks(NamedTuple):
    """Readings gathered into at most some hundreds of blocks. edges: index of the first reading of each, shape (k + 1,).

    time_s, power_kw: shape (k,), means.
    """

    edges: Ints
    time_s: Floats
    power_kw: Floats

    def mean(self, values: Floats) -> Floats:
        """Means of another series of the same readings, shape (k,); NaN where a block holds none."""
        return _means(values, self.edges)


class StraightPiece(NamedTuple):
    """A straight piece: blocks first to last, both included; powers at its ends, times of its ends."""

    first: int
    last: int
    start_s: float
    end_s: float
    start_kw: float
    end_kw: float

    @property
    def seconds(self) -> float:
        return self.end_s - self.start_s

    @property
    def level_kw(self) -> float:
        return 0.5 * (self.start_kw + self.end_kw)


def blocks_of(time_s: Floats, power_kw: Floats) -> Blocks:
    """Means of neighbouring readings; power_kw must be read at every time."""
    count = len(time_s)
    size = -(-count // _MOST_BLOCKS)
    edges = np.append(np.arange(0, count, size), count)
    if size == 1:
        return Blocks(edges, time_s, power_kw)
    middles = 0.5 * (time_s[edges[:-1]] + time_s[edges[1:] - 1])
    return Blocks(edges, middles, _means(power_kw, edges))


def _means(values: Floats, edges: Ints) -> Floats:
    sizes = np.diff(edges)
    if len(edges) == len(values) + 1:
        return values
    sums = np.add.reduceat(values, edges[:-1])
    if (total := float(np.add.reduce(sums))) == total:  # nothing is missing
        return sums / sizes
    known = np.isfinite(values)
    counts = np.add.reduceat(known.astype(np.float64), edges[:-1])
    with np.errstate(invalid="ignore"):
        return np.add.reduceat(np.where(known, values, 0.0), edges[:-1]) / np.where(counts > 0, counts, np.nan)


def display_step(power_kw: Floats, top_kw: float) -> float:
    """The step in kW a display rounds to, where it is coarse beside the top; 0 where it is fine. power_kw: as read."""
    for step in (1.0, 0.1):
        if (
            _BEND_STEPS * step > _BEND_SHARE * top_kw
            and (np.abs(power_kw - np.round(power_kw / step) * step) < 1e-6).all()
        ):
            return step
    return 0.0


def resolution(values: Floats) -> float:
    """The step a display rounds a quantity to, 0 where it is finer than a tenth. values: as read, NaN where nothing was."""
    known = values[np.isfinite(values)]
    if not len(known):
        return 0.0
    # A few tell at once what a fine series is not.
    few = known[:24, None] / _STEPS
    for step in _STEPS[(np.abs(few - np.round(few)) * _STEPS < _EXACT).all(axis=0)]:
        if (np.abs(known - np.round(known / step) * step) < _EXACT).all():
            return float(step)
    return 0.0


def pieces_of(time_s: Floats, power_kw: Floats, top_kw: float, step_kw: float = 0.0) -> list[StraightPiece]:
    """Straight pieces of a course, in order; shape (k,) each. The ends of each lie on the course.

    step_kw: what a display rounds to, as `display_step` tells.
    """
    bend = max(_BEND_SHARE * top_kw, _BEND_NOISE * _noise(power_kw), _BEND_STEPS * step_kw, _LEAST_KW)
    corners = _corners(time_s, power_kw, bend)
    return [
        StraightPiece(a, b, float(time_s[a]), float(time_s[b]), float(power_kw[a]), float(power_kw[b]))
        for a, b in pairwise(corners)
    ]


def _noise(power: Floats) -> float:
    """Half the usual difference of neighbours: what a course wanders without going anywhere."""
    if len(power) < 4:
        return 0.0
    bends = np.abs(power[2:] - 2.0 * power[1:-1] + power[:-2])
    return float(np.partition(bends, len(bends) // 2)[len(bends) // 2]) / 2.0


def _corners(time_s: Floats, power: Floats, bend: float) -> list[int]:
    """Indices at which straight pieces meet: the farthest point of a piece is a corner while it is farther than bend."""
    waiting = [(0, len(time_s) - 1)]
    corners = {0, len(time_s) - 1}
    while waiting:
        a, b = waiting.pop()
        if b - a < 2:
            continue
        slope = (power[b] - power[a]) / (time_s[b] - time_s[a])
        # Against the straight line from a to b, less what is the same for all of them.
        lifted = time_s[a + 1 : b] * -slope
        lifted += power[a + 1 : b]
        line = power[a] - slope * time_s[a]
        high, low = int(lifted.argmax()), int(lifted.argmin())
        above, below = lifted[high] - line, line - lifted[low]
        if above > bend or below > bend:
            corner = a + 1 + (high if above > below else low)
            corners.add(corner)
            waiting += [(a, corner), (corner, b)]
    return sorted(corners)
