"""Signals as evenly sampled lanes, and the power record they make."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gladwire.core.can.decode import Track
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.bus.roles import BY_KEY, unit_words
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.signal.waveform import Waveform
from gladwire.core.signal.zero_order_hold import zero_order_hold

_RATE_HZ = 20.0
# A signal sent longer ago than this many of its cycles, and this long, is no longer the present one.
_CYCLES, _LEAST_S = 5.0, 2.0
_STEP_S = 1.0
_FLOWS_A = 3.0
# Signals without a role that are drawn all the same.
_MOST_OTHERS = 24


def lanes_of_can(record: CanRecord, tracks: Sequence[Track]) -> tuple[Waveform, ...]:
    """Lanes of signals: those with a role first, quantities before states; then the others that change."""
    roles = {s.name: s.role for s in record.signals if s.role}
    # What has a unit is drawn first; states are told better by their own drawing.
    order = sorted(BY_KEY, key=lambda key: not BY_KEY[key].unit)
    with_role = sorted((t for t in tracks if t.name in roles), key=lambda t: order.index(roles[t.name]))
    others = [t for t in tracks if t.name not in roles and len(t.values) > 1 and np.ptp(t.values) > 0][:_MOST_OTHERS]
    return tuple(_lane(t, roles.get(t.name, ""), record.end_s) for t in (*with_role, *others) if len(t.time_s) > 1)


def _lane(track: Track, role: str, end_s: float) -> Waveform:
    cycle = float(np.median(np.diff(track.time_s)))
    words = ", ".join(f"{n} {w}" for n, w in sorted(track.signal.choices.items())[:4])
    name = f"{BY_KEY[role].title}: {track.signal.name}" if role else track.signal.name
    title = f"{name} ({words})" if words else name
    stays = max(_CYCLES * cycle, _LEAST_S)
    return zero_order_hold(title, unit_words(track.signal.unit), track.time_s, track.values, end_s, _RATE_HZ, stays)


def power_of_can(record: CanRecord, tracks: Sequence[Track]) -> PowerRecord | None:
    """The power record of a bus, read once a second; None where no current flows."""
    by_role = {s.role: t for s in record.signals if s.role for t in tracks if t.name == s.name}
    amps = by_role.get("amps")
    volts = by_role.get("inlet_v") or by_role.get("pack_v")
    if amps is None or volts is None or not np.nanmax(np.abs(amps.values), initial=0.0) > _FLOWS_A:
        return None
    at = np.arange(record.start_s, record.end_s, _STEP_S)
    if len(at) < 4:
        return None
    chosen = {BY_KEY[role].quantity: track for role, track in by_role.items() if BY_KEY[role].quantity}
    chosen["volts_v"] = volts
    values = {}
    for quantity, track in chosen.items():
        index = np.searchsorted(track.time_s, at, side="right") - 1
        values[quantity] = np.where(index >= 0, track.values[np.clip(index, 0, None)], np.nan)
    derived: tuple[str, ...] = ()
    flows = values["amps_a"][np.abs(values["amps_a"]) > _FLOWS_A]
    if np.median(flows) < 0:  # many battery managers count what goes in as negative
        values["amps_a"] = -values["amps_a"]
        derived = ("Current is negative while charging on this bus; it was turned.",)
    return PowerRecord(at, values, {key: "vehicle" for key in values}, derived, format="can")
