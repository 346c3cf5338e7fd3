"""What instruments see of the world: samples of any stretch of time it still remembers, at any rate.

A probe looks; it changes nothing. Each sample is the same however the time is cut into stretches.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Literal, NamedTuple

import numpy as np

from gladwire.core.signal.waveform import Floats
from gladwire.core.simulate.script import ramp_through_rc
from gladwire.core.simulate.world.course import Course
from gladwire.core.simulate.world.world import World

# The generator's ramp from one side to the other.
_SLEW_S = 2e-6
_MAINS_HZ = 50.0


class Probe(NamedTuple):
    """name, unit: of the channel it makes. sees: (world, times in seconds, shape (n,)) to values of that shape."""

    name: str
    unit: str
    sees: Callable[[World, Floats], Floats]


def times_of(first: int, count: int, rate_hz: float) -> Floats:
    """Moments of samples by their number since the world began."""
    return (first + np.arange(count)) / rate_hz


def pilot(world: World, times: Floats, at: Literal["post", "vehicle"] = "post") -> Floats:
    """Volts of the pilot to earth."""
    if not len(times):
        return np.empty(0)
    moments, source_v = _edges(world, float(times[0]), float(times[-1]))
    wirings = [world.seen.circuit.at(moment) for moment in moments]
    after = np.array(
        [replace(w, probe_at=at).settled_v(v) for w, v in zip(wirings, source_v, strict=True)], dtype=float
    )
    before = np.concatenate((after[:1], after[:-1]))
    tau = np.where(after > before, [w.rise_tau_s for w in wirings], [w.fall_tau_s for w in wirings])
    last = np.maximum(np.searchsorted(moments, times, side="right") - 1, 0)
    since = np.maximum(times - moments[last], 0.0)
    volts: Floats = ramp_through_rc(since, before[last], after[last], tau[last], _SLEW_S)
    return volts


def _edges(world: World, first_s: float, last_s: float) -> tuple[Floats, Floats]:
    """(moments, volts of the source from then on) of all that changes the pilot, from before the first moment on."""
    begins = first_s - 4e-3  # what the line was before, so that no edge is taken for the first
    rows: list[tuple[float, float]] = []
    for start, end, source in world.seen.source.between(begins, last_s + 1e-9):
        if source.duty is None or source.duty >= 1.0:
            rows.append((start, source.high_v))
            continue
        # Its periods count from when it began, and the one it is in at `start` belongs to it.
        began = world.seen.source.begun(start)
        k = np.arange(max(0.0, np.floor((start - began) * source.hz)), np.ceil((end - began) * source.hz))
        rows += [(at, source.high_v) for at in began + k / source.hz if at < end]
        rows += [(at, source.low_v) for at in began + (k + source.duty) / source.hz if at < end]
    rows.sort()
    wired = [start for start, _, _ in world.seen.circuit.between(begins, last_s + 1e-9)]
    moments, volts = np.array([r[0] for r in rows]), np.array([r[1] for r in rows])
    held = np.maximum(np.searchsorted(moments, wired, side="right") - 1, 0)
    all_moments = np.concatenate((moments, wired))
    order = np.argsort(all_moments, kind="stable")
    return all_moments[order], np.concatenate((volts, volts[held]))[order]


def steps(course: Course[float], times: Floats) -> Floats:
    """A course as it was at each moment."""
    found = np.empty(len(times))
    if len(times):
        for start, _, value in course.between(float(times[0]), float(times[-1]) + 1e-9):
            found[np.searchsorted(times, start) :] = value
    return found


def _lock_current(world: World, times: Floats) -> Floats:
    found = np.zeros(len(times))
    for drive in world.seen.drives:
        found += drive.current(times - drive.at_s)
    return found


def _logic(course: Course[bool], times: Floats) -> Floats:
    found = np.zeros(len(times))
    if len(times):
        for start, _, value in course.between(float(times[0]), float(times[-1]) + 1e-9):
            found[np.searchsorted(times, start) :] = 5.0 if value else 0.0
    return found


def _wave(times: Floats) -> Floats:
    wave: Floats = np.sqrt(2.0) * np.sin(2.0 * np.pi * _MAINS_HZ * times)
    return wave


PROBES: tuple[Probe, ...] = (
    Probe("CP", "V", pilot),
    Probe("CP at vehicle", "V", lambda world, times: pilot(world, times, "vehicle")),
    Probe("PP", "V", lambda world, times: steps(world.seen.proximity_v, times)),
    Probe("Lock current", "A", _lock_current),
    Probe("Lock position", "V", lambda world, times: _logic(world.seen.locked, times)),
    Probe("Contactor", "V", lambda world, times: _logic(world.seen.commanded, times)),
    Probe("U_L1", "V", lambda world, times: steps(world.seen.mains_v, times) * _wave(times)),
    Probe("I_L1", "A", lambda world, times: steps(world.seen.amps, times) * _wave(times)),
)
BY_NAME: Mapping[str, Probe] = {probe.name: probe for probe in PROBES}
