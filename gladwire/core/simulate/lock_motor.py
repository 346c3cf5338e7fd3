"""A lock's motor and pin: current of a run and a stall, position, retries. Volts of a latch switch by its resistors."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from gladwire.core.signal.waveform import Floats, Waveform


@dataclass(frozen=True)
class Drive:
    """One pulse: when, which way (+1 locks), and whether the pin gets through. Seconds and amperes."""

    at_s: float
    way: int = 1
    through: bool = True
    run_a: float = 0.9
    stall_a: float = 2.4
    run_s: float = 0.18
    cut_off_s: float = 0.65

    @property
    def length_s(self) -> float:
        """A run ends with a short stall at the stop; an obstructed one stalls until it is cut off."""
        return self.run_s + 0.06 if self.through else self.cut_off_s

    def current(self, since: Floats) -> Floats:
        """Current over the time since the pulse began: inrush, run, stall."""
        inrush = (self.stall_a - self.run_a) * np.exp(-np.maximum(since, 0.0) / 0.012)
        stalls_at = self.run_s if self.through else 0.09
        level = np.where(since < stalls_at, self.run_a + inrush, self.stall_a)
        shaped: Floats = np.where((since >= 0) & (since < self.length_s), self.way * level, 0.0)
        return shaped


@dataclass
class LockScript:
    """A lock written down like a bench log."""

    drives: list[Drive] = field(default_factory=list)
    feedback: bool = True

    def drive(self, at_s: float, way: int = 1, through: bool = True) -> LockScript:
        self.drives.append(Drive(at_s, way, through))
        return self

    def record(
        self, duration_s: float, rate_hz: float, seed: int = 0, noise_a: float = 0.03
    ) -> tuple[Waveform, Waveform]:
        """(current, position) of the lock; position is 0 V unlocked and 5 V locked, and stays where feedback is dead."""
        times = np.arange(int(duration_s * rate_hz)) / rate_hz
        rng = np.random.default_rng(seed)
        current, position = np.zeros(len(times)), np.zeros(len(times))
        for drive in self.drives:
            current += drive.current(times - drive.at_s)
            if drive.through and self.feedback:
                position[times >= drive.at_s + 0.9 * drive.run_s] = 5.0 if drive.way > 0 else 0.0
        current += rng.normal(0, noise_a, len(times))
        position += rng.normal(0, 0.02, len(times))
        return (
            Waveform("Lock current", current.astype(np.float32), rate_hz, 0.0, "A"),
            Waveform("Lock position", position.astype(np.float32), rate_hz, 0.0, "V"),
        )


def latch_volts(states: list[tuple[str, float]], rate_hz: float, seed: int = 0, noise_v: float = 0.02) -> Waveform:
    """Proximity of a latch-switch inlet over (state, seconds) pairs: "absent", "latched", "pressed", "shorted", "open".

    Solved from its resistors: 330 ohms to 5 V in the vehicle, 2700 to PE in the inlet, 150 or 480 in the plug.
    """
    plug = {"absent": np.inf, "latched": 150.0, "pressed": 480.0, "shorted": 1e-3}
    parts = []
    for state, seconds in states:
        to_pe = 1 / (1 / 2700.0 + 1 / plug.get(state, np.inf))
        volts = 5.0 if state == "open" else 5.0 * to_pe / (to_pe + 330.0)
        parts.append(np.full(int(seconds * rate_hz), volts))
    whole = np.concatenate(parts)
    whole += np.random.default_rng(seed).normal(0, noise_v, len(whole))
    return Waveform("PP", whole.astype(np.float32), rate_hz, 0.0, "V")
