"""A pilot written down like a bench log, and the samples a scope would take of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from gladwire.core.signal.waveform import Floats, Samples, Waveform
from gladwire.core.simulate.circuit import Branch, PilotCircuit

# A charger's power stage, both edges of every period counted; no whole multiple of any sampling rate in use.
_SWITCHING_HZ = 97.3e3


@dataclass(frozen=True)
class Phase:
    """One stretch: steady at high_v (duty None) or oscillating between high_v and low_v. Times in seconds."""

    duration_s: float
    high_v: float
    low_v: float = -12.0
    duty: float | None = None
    frequency_hz: float = 1000.0
    rise_tau_s: float = 1e-9
    fall_tau_s: float = 1e-9


@dataclass(frozen=True)
class Scope:
    """What the instrument adds. Volts unless named.

    factor: what the file's values are multiplied by (0.1: a x10 probe nobody told the scope about). bits, range_v:
    quantisation and clipping at +/- range_v, after the factor. coupling_s: time constant of AC coupling, 0 for DC.
    switching: (from_s, to_s, volts) in which a converter beside the line switches and rings.
    """

    noise_v: float = 0.0
    hum_v: float = 0.0
    hum_hz: float = 50.0
    offset_v: float = 0.0
    factor: float = 1.0
    bits: int = 0
    range_v: float = 20.0
    ringing_v: float = 0.0
    ringing_hz: float = 400e3
    burst_v: float = 0.0
    coupling_s: float = 0.0
    switching: tuple[tuple[float, float, float], ...] = ()


@dataclass
class PilotScript:
    """Builder: `PilotScript().hold(12, ms=500).pwm(9, duty=26.7, ms=400)`. slew_s: time of the generator's ramp."""

    slew_s: float = 2e-6
    phases: list[Phase] = field(default_factory=list)

    def hold(self, level_v: float, ms: float) -> PilotScript:
        self.phases.append(Phase(ms / 1e3, level_v))
        return self

    def pwm(self, high_v: float, duty: float, ms: float, low_v: float = -12.0, hz: float = 1000.0) -> PilotScript:
        self.phases.append(Phase(ms / 1e3, high_v, low_v, duty / 100.0, hz))
        return self

    def circuit(
        self, circuit: PilotCircuit, branch: Branch, ms: float, duty: float | None = None, hz: float = 1000.0
    ) -> PilotScript:
        """A stretch as the circuit makes it; duty in percent, None for a steady high, 0 for a steady low."""
        loaded = circuit.with_branch(branch)
        if duty == 0:
            return self.hold(loaded.low_v, ms)
        share = None if duty is None else duty / 100.0
        taus = (loaded.rise_tau_s, loaded.fall_tau_s)
        self.phases.append(Phase(ms / 1e3, loaded.high_v, loaded.low_v, share, hz, *taus))
        return self

    @property
    def duration_s(self) -> float:
        return sum(phase.duration_s for phase in self.phases)

    def record(
        self, rate_hz: float, scope: Scope | None = None, seed: int = 0, delay_s: float = 0.0, name: str = "CP"
    ) -> Waveform:
        """Sample the script. delay_s: fraction of a sampling interval the first sample is taken late."""
        count = int(self.duration_s * rate_hz)
        whole = next(self.pieces(rate_hz, scope, seed, max(count, 1), delay_s), np.empty(0, np.float32))
        return Waveform(name, whole, rate_hz)

    def pieces(
        self, rate_hz: float, scope: Scope | None, seed: int, size: int, delay_s: float = 0.0
    ) -> Iterator[Samples]:
        """The samples in pieces of `size`, for records too long to make at once. AC coupling starts anew in each."""
        count = int(self.duration_s * rate_hz)
        rng = np.random.default_rng(seed)
        for first in range(0, count, size):
            times = delay_s + np.arange(first, min(first + size, count)) / rate_hz
            volts = self._volts(times, scope.ringing_v if scope else 0.0, scope.ringing_hz if scope else 1.0)
            yield (_through_scope(volts, times, rate_hz, scope, rng) if scope else volts).astype(np.float32)

    def edges(self) -> tuple[Floats, Floats, Floats, Floats]:
        """(time, level before, level after, time constant) of every change; times in seconds, shape (m,) each."""
        rows: list[Floats] = []
        start, level = 0.0, self.phases[0].high_v
        for phase in self.phases:
            rows.append(_phase_edges(phase, start, level))
            start += phase.duration_s
            level = float(rows[-1][-1, 2]) if len(rows[-1]) else level
        table = np.concatenate(rows)
        return table[:, 0], table[:, 1], table[:, 2], table[:, 3]

    def _volts(self, times: Floats, ringing_v: float, ringing_hz: float) -> Floats:
        at, before, after, tau = self.edges()
        if not len(at):
            return np.full(len(times), self.phases[0].high_v)
        last = np.searchsorted(at, times, side="right") - 1
        since = np.maximum(times - at[np.maximum(last, 0)], 0.0)
        volts = ramp_through_rc(since, before[last], after[last], tau[last], self.slew_s)
        if ringing_v:
            swing = np.sign(after - before)[last]
            volts = volts + swing * ringing_v * np.exp(-since * ringing_hz / 3) * np.sin(2 * np.pi * ringing_hz * since)
        return np.where(last < 0, before[0], volts)


def _phase_edges(phase: Phase, start: float, level: float) -> Floats:
    """Rows (time, before, after, tau) of one phase entered at a level."""
    if phase.duty is None:
        return np.array([[start, level, phase.high_v, phase.rise_tau_s]]) if level != phase.high_v else np.empty((0, 4))
    cycles = int(np.ceil(phase.duration_s * phase.frequency_hz))
    rise = start + np.arange(cycles) / phase.frequency_hz
    fall = rise + phase.duty / phase.frequency_hz
    table = np.empty((2 * cycles, 4))
    table[0::2, 0], table[1::2, 0] = rise, fall
    table[0::2, 1], table[1::2, 1] = phase.low_v, phase.high_v
    table[0::2, 2], table[1::2, 2] = phase.high_v, phase.low_v
    table[0::2, 3], table[1::2, 3] = phase.rise_tau_s, phase.fall_tau_s
    table[0, 1] = level
    return table[table[:, 0] < start + phase.duration_s - 1e-9]


def ramp_through_rc(since: Floats, before: Floats, after: Floats, tau: Floats, slew_s: float) -> Floats:
    """Response of an RC to a linear ramp of length slew_s, `since` seconds after it began."""
    slope = (after - before) / slew_s
    during = before + slope * (since - tau * (1 - np.exp(-since / tau)))
    past = np.maximum(since - slew_s, 0.0)
    later = after - slope * tau * (1 - np.exp(-slew_s / tau)) * np.exp(-past / tau)
    result: Floats = np.where(since < slew_s, during, later)
    return result


def _through_scope(volts: Floats, times: Floats, rate_hz: float, scope: Scope, rng: np.random.Generator) -> Samples:
    seen = volts + scope.offset_v
    if scope.hum_v:
        seen = seen + scope.hum_v * np.sin(2 * np.pi * scope.hum_hz * times)
    if scope.coupling_s:
        seen = seen - _slow_part(seen, 1.0 / (scope.coupling_s * rate_hz))
    if scope.burst_v:
        busy = (times % 0.02) < 0.002
        seen = seen + busy * rng.uniform(-scope.burst_v, scope.burst_v, len(times))
    for start, end, amplitude in scope.switching:
        since = times % (1 / _SWITCHING_HZ)
        ring = amplitude * np.exp(-since * 60e3) * np.sin(2 * np.pi * 240e3 * since)
        seen = seen + np.where((times >= start) & (times < end), ring, 0.0)
    if scope.noise_v:
        seen = seen + rng.normal(0.0, scope.noise_v, len(times))
    seen = seen * scope.factor
    if scope.bits:
        step = 2 * scope.range_v / 2**scope.bits
        seen = np.clip(np.round(seen / step) * step, -scope.range_v, scope.range_v - step)
    return seen.astype(np.float32)


def _slow_part(values: Floats, share: float) -> Floats:
    """First-order low-pass, in blocks so that long records stay quick: what AC coupling takes away."""
    size = max(1, int(0.02 / share))
    slow = np.empty_like(values)
    level = float(values[0])
    for first in range(0, len(values), size):
        part = values[first : first + size]
        slow[first : first + size] = level
        level += (float(part.mean()) - level) * (1 - (1 - share) ** len(part))
    return slow
