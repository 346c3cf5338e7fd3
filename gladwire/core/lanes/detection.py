"""What an unnamed channel does, whatever it is called: shapes that lanes tell their channels by, and words for them.

Scopes call their channels CH1 to CH4. A mains voltage swings at 50 or 60 Hz far beyond any signal; a latch-switch proximity
sits on three levels and switches between them; a line has two levels. Common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from gladwire.core.calculations.proximity import LATCH_LEVELS
from gladwire.core.signal.robust import median, quantile
from gladwire.core.signal.waveform import Floats, Samples, Waveform
from gladwire.core.words import seconds

_MAINS_LEAST_V = 80.0
# A quarter of a cycle is enough to tell that it swings through nought.
_CYCLE_S = 20e-3
_LATCH_NEAR_V = 0.15
_LATCH_SHARE = 0.97
_BLOCK_S, _OF_A_BLOCK = 1e-3, 32
# Of two levels: how near samples lie, as a share of the swing, and how many of them; a switch that bounces changes once.
_ON_LEVEL, _LEVEL_SHARE, _BOUNCE_S, _NOISE = 0.12, 0.97, 0.02, 8.0
_MOST_CHANGES = 200
# What moves by less than this share of itself stands.
_STEADY = 0.02
# More scatter within a millisecond than this is no steady line's.
_MOST_NOISE = 0.5
# The lower level of a line, as a share of the upper.
_OFF = 0.3
_PERIOD_SAMPLES, _LEAST_PERIODS, _SOME = 400_000, 8, 50_000


@dataclass(frozen=True)
class Look:
    """A channel and what can be seen of it; alone: it is the only one of its recording."""

    wave: Waveform
    alone: bool = False

    @property
    def has_volts(self) -> bool:
        """Whether it is in volts, or names no unit, which of a scope's channel means volts."""
        return self.wave.unit in ("V", "") and len(self.wave.samples) >= 8

    @cached_property
    def blocks(self) -> tuple[Floats, float]:
        """(mean of each millisecond or sample, seconds of one)."""
        rows, block_s = self.rows(_BLOCK_S)
        return rows.mean(axis=1), block_s

    def rows(self, seconds_each: float) -> tuple[Floats, float]:
        """(some samples of every block, spread evenly, missing ones as 0, shape (blocks, samples); seconds of a block).

        To see what a channel does not every sample is needed, however long it is.
        """
        samples, rate = self.wave.samples, self.wave.rate_hz
        if not len(samples):
            return np.zeros((1, 1)), seconds_each
        size = min(max(1, round(seconds_each * rate)), max(1, len(samples)))
        count = max(1, len(samples) // size)
        whole = samples[: count * size].reshape(count, -1)
        picked = np.nan_to_num(whole[:, :: max(1, size // _OF_A_BLOCK)].astype(np.float64))
        return picked, size / rate

    @cached_property
    def extremes(self) -> tuple[float, float]:
        """The least and the most that was read; nought where nothing was."""
        if not np.isfinite(self.wave.samples).any():
            return 0.0, 0.0
        return float(np.nanmin(self.wave.samples)), float(np.nanmax(self.wave.samples))

    @cached_property
    def levels(self) -> tuple[float, float] | None:
        """The two levels it stands on nearly all the time, both for a while; None where it does not."""
        values, _ = self.blocks
        low, high = quantile(values, 0.02), quantile(values, 0.98)
        swing = high - low
        noise = 1.4826 * median(np.abs(np.diff(values))) if len(values) > 1 else 0.0
        if not swing > max(_NOISE * noise, 1e-9):
            # Of a line that is up for a moment only the extremes tell.
            low, high = float(values.min()), float(values.max())
            swing = high - low
            if not swing > max(2 * _NOISE * noise, 1e-9):
                return None
        near = (np.abs(values - low) < _ON_LEVEL * swing) | (np.abs(values - high) < _ON_LEVEL * swing)
        return (low, high) if float(near.mean()) > _LEVEL_SHARE else None

    @cached_property
    def changes(self) -> tuple[float, ...]:
        """Moments at which it goes from one of its two levels to the other; empty where it has not two."""
        if self.levels is None:
            return ()
        values, block_s = self.blocks
        above = values > sum(self.levels) / 2
        where = np.flatnonzero(above[1:] != above[:-1]) + 1
        kept = [int(w) for i, w in enumerate(where) if i == 0 or (w - where[i - 1]) * block_s > _BOUNCE_S]
        return tuple(self.wave.start_s + k * block_s for k in kept) if len(kept) <= _MOST_CHANGES else ()

    @property
    def is_line(self) -> bool:
        """Whether it switches between hardly anything and a level, as a switch or a coil does."""
        if not self.changes or self.levels is None:
            return False
        less, more = sorted(abs(level) for level in self.levels)
        return less < _OFF * more

    @cached_property
    def is_still(self) -> bool:
        """Whether it never changes, but for its noise."""
        return self._moves_by_no_more_than(0.0)

    @cached_property
    def is_steady(self) -> bool:
        """Whether it hardly changes, beside its noise and its size."""
        return self._moves_by_no_more_than(_STEADY)

    def _moves_by_no_more_than(self, share: float) -> bool:
        if self.changes or self.is_of_mains_frequency:
            return False
        values, _ = self.blocks
        rows, _ = self.rows(_BLOCK_S)
        noise = float(rows.std(axis=1).mean()) if rows.shape[1] > 1 else 0.0
        noise = max(noise, 1.4826 * median(np.abs(np.diff(values)))) if len(values) > 1 else noise
        moves = quantile(values, 0.999) - quantile(values, 0.001)
        return moves <= max(_NOISE * noise, share * float(np.abs(values).max()), 1e-9) and noise < _MOST_NOISE

    @cached_property
    def period_s(self) -> float:
        """The usual time between rises through the middle, where it swings again and again; NaN where it does not."""
        samples = self._where_it_moves()
        good = samples[np.isfinite(samples)]
        if not len(good):
            return float("nan")
        low, high = float(good.min()), float(good.max())
        # Noise in the middle is no swing: only what goes well beyond it counts.
        away = np.flatnonzero((samples > low + 0.65 * (high - low)) | (samples < low + 0.35 * (high - low)))
        above = samples[away] > (low + high) / 2.0
        ups = away[1:][above[1:] & ~above[:-1]]
        return (
            median(np.diff(ups).astype(np.float64)) / self.wave.rate_hz if len(ups) > _LEAST_PERIODS else float("nan")
        )

    def _where_it_moves(self) -> Samples:
        """Enough samples to tell a period by, around where it moves most: mains is off for most of some recordings."""
        samples = self.wave.samples
        if len(samples) <= _PERIOD_SAMPLES:
            return samples
        rows, block_s = self.rows(_CYCLE_S)
        middle = (int(np.argmax(rows.std(axis=1))) + 0.5) * block_s * self.wave.rate_hz
        first = min(max(0, round(middle) - _PERIOD_SAMPLES // 2), len(samples) - _PERIOD_SAMPLES)
        return samples[first : first + _PERIOD_SAMPLES]

    @property
    def peak(self) -> float:
        """The largest magnitude; 0 where nothing was read."""
        return max(map(abs, self.extremes))

    @property
    def is_of_mains_frequency(self) -> bool:
        """Whether it swings through nought 50 or 60 times a second, as a current or a voltage of the mains does."""
        if self.wave.rate_hz * _CYCLE_S < 8 or not 1 / 63 < self.period_s < 1 / 47:
            return False
        low, high = self.extremes
        return low < 0 < high and min(-low, high) > 0.5 * max(-low, high)

    def says(self) -> str:
        """What it does, without what it is: “two levels, 0.02 and 5.01; it changes twice, first at 2.05 s”."""
        samples = self.wave.samples[np.isfinite(self.wave.samples)]
        if not len(samples):
            return "it holds no reading"
        unit = f" {self.wave.unit}" if self.wave.unit else ""
        if self.is_of_mains_frequency:
            return f"it swings {1 / self.period_s:.0f} times a second, up to {self.peak:.3g}{unit}"
        some = samples[:: max(1, len(samples) // _SOME)].astype(np.float64)
        low, high = self.levels or (quantile(some, 0.005), quantile(some, 0.995))
        step = 10.0 ** np.floor(np.log10(max(high - low, 1e-2 * max(abs(low), abs(high)), 1e-9) / 30.0))
        lower, upper = (f"{round(v / step) * step + 0.0:.6g}" for v in (low, high))
        if self.changes:
            often = "one change, at" if len(self.changes) == 1 else f"{len(self.changes)} changes, the first at"
            return f"two levels, {lower} and {upper}{unit}; {often} {seconds(self.changes[0])}"
        if self.is_steady:
            stands = median(some)
            stands = 0.0 if abs(stands) < high - low else stands
            return f"it stands at {stands:.3g}{unit} and {'never' if self.is_still else 'hardly'} changes"
        return f"it goes between {lower} and {upper}{unit}"


def is_mains(look: Look) -> bool:
    """Where it is large it swings evenly about nought, as no logger's column of RMS does."""
    if not look.has_volts or look.wave.rate_hz * _CYCLE_S < 8 or look.peak < _MAINS_LEAST_V:
        return False
    rows, _ = look.rows(_CYCLE_S)
    squares, means = (rows**2).mean(axis=1), rows.mean(axis=1)
    large = squares > _MAINS_LEAST_V**2
    return bool(large.mean() > 0.05 and np.median(np.abs(means[large])) < 0.3 * np.sqrt(np.median(squares[large])))


def is_latch(look: Look) -> bool:
    """On the latch's levels nearly all the time, and on more than one of them, latched among these."""
    if not look.has_volts:
        return False
    levels, _ = look.blocks
    near = {level.state: np.abs(levels - level.volts) < _LATCH_NEAR_V for level in LATCH_LEVELS}
    held = {state: float(hits.mean()) for state, hits in near.items()}
    return sum(held.values()) > _LATCH_SHARE and held["latched"] > 0.02 and held["absent"] + held["pressed"] > 0.02
