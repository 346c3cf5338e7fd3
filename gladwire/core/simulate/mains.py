"""Mains as a post and a charger make it: voltage behind the contactor, current after a soft start."""

from __future__ import annotations

import numpy as np

from gladwire.core.signal.waveform import Floats, Waveform


def _steps(times: Floats, rows: list[tuple[float, float]]) -> Floats:
    """Value of each time from (from_s, value) rows; 0 before the first."""
    values = np.zeros(len(times))
    for start_s, value in rows:
        values[times >= start_s] = value
    return values


def rms_log(
    rows: dict[str, tuple[str, list[tuple[float, float]]]], duration_s: float, rate_hz: float = 10.0, seed: int = 0
) -> list[Waveform]:
    """What a logger writes down: RMS per channel. rows: name to (unit, RMS from a moment on as (from_s, value))."""
    times = np.arange(int(duration_s * rate_hz)) / rate_hz
    rng = np.random.default_rng(seed)
    found = []
    for name, (unit, steps) in rows.items():
        values = _steps(times, steps)
        noisy = values + rng.normal(0, 0.002, len(times)) * values
        found.append(Waveform(name, noisy.astype(np.float32), rate_hz, 0.0, unit))
    return found


def mains(
    volts: list[tuple[float, float]],
    amps: list[tuple[float, float]],
    duration_s: float,
    rate_hz: float,
    phases: int = 1,
    hz: float = 50.0,
    seed: int = 0,
) -> list[Waveform]:
    """Sampled voltage and current per phase. volts, amps: RMS from a moment on, as (from_s, value) rows."""
    times = np.arange(int(duration_s * rate_hz)) / rate_hz
    rng = np.random.default_rng(seed)
    found = []
    for phase in range(phases):
        wave = np.sqrt(2) * np.sin(2 * np.pi * hz * times - 2 * np.pi * phase / 3)
        for name, unit, rows, noise in (("U", "V", volts, 0.5), ("I", "A", amps, 0.05)):
            samples = _steps(times, rows) * wave + rng.normal(0, noise, len(times))
            found.append(Waveform(f"{name}_L{phase + 1}", samples.astype(np.float32), rate_hz, 0.0, unit))
    return found
