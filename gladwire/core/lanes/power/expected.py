"""The one course a session is held against: what the ratings give, or its own with its dips filled in."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gladwire.core.lanes.power.clues import Told
from gladwire.core.lanes.power.stretch import Stretch, Whole
from gladwire.core.power.limiters import BY_KEY
from gladwire.core.signal.waveform import Bools, Floats

_OUTSIDE = ("evse_current", "evse_power", "cable_rating", "adapter")
_VEHICLE = ("vehicle_limit", "vehicle_converter", "vehicle_taper")


def expected_course(whole: Whole, stretches: Sequence[Stretch], told: Sequence[Told]) -> tuple[Floats, str]:
    """(expected kW, shape (k,); what it is). 0 before and after charging."""
    power = whole.blocks.power_kw
    filled = _filled(whole, stretches, told)
    if (rated := _rated_course(whole)) is not None:
        expected = rated.copy()
        if not whole.context.vehicle_curve:
            for s, t in zip(stretches, told, strict=True):
                # A limit in amperes of unknown rating, or at unknown volts, gives what it gave.
                unrated = "volts_v" not in whole.read or not whole.context.has_amps
                in_amps = t.limiter in ("evse_current", "cable_rating") and unrated and not whole.context.is_ac
                if t.limiter in ("vehicle_taper", "vehicle_limit", "vehicle_converter") or in_amps:
                    expected[s.first : s.last + 1] = power[s.first : s.last + 1]
            # While something else holds it back in the taper, the taper goes on underneath.
            expected = np.minimum(expected, np.where(_in_taper(whole, stretches, told), filled, np.inf))
        words = "what the ratings known give at the pack's present volts; where the vehicle itself asks less, that"
    else:
        expected = filled
        words = "the session's own course, with its ramp, dips and breaks filled in straight"
    idle = np.zeros(len(power), dtype=bool)
    for s, t in zip(stretches, told, strict=True):
        if t.limiter == "none":
            idle[s.first + (s.number > 0) : s.last + (s.number > 0)] = True
    expected = np.where(idle, 0.0, expected)
    return expected, words


def _in_taper(whole: Whole, stretches: Sequence[Stretch], told: Sequence[Told]) -> Bools:
    """Blocks after the first taper, shape (k,)."""
    first = next((s.first for s, t in zip(stretches, told, strict=True) if t.limiter == "vehicle_taper"), None)
    inside = np.zeros(len(whole.blocks.power_kw), dtype=bool)
    if first is not None:
        inside[first:] = True
    return inside


def _rated_course(whole: Whole) -> Floats | None:
    """The least of the healthy ratings, where both the post's and the vehicle's side are known; shape (k,)."""
    healthy = [(cap, kw) for cap, kw in whole.caps if cap.healthy and cap.limiter != "vehicle_taper"]
    if whole.context.vehicle_curve:
        healthy = [(cap, kw) for cap, kw in whole.caps if cap.healthy]
    sides = {cap.limiter for cap, _ in healthy}
    if not sides & set(_OUTSIDE) or not sides & set(_VEHICLE):
        return None
    least = np.full(len(whole.blocks.power_kw), np.inf)
    for _, kw in healthy:
        least = np.minimum(least, np.where(np.isnan(kw), np.inf, kw))
    return least if np.isfinite(least).all() else None


def _filled(whole: Whole, stretches: Sequence[Stretch], told: Sequence[Told]) -> Floats:
    """Power with everything that is not as usual filled in straight from the usual beside it, shape (k,)."""
    power = whole.blocks.power_kw
    # Blocks inside a step belong to no stretch and say nothing.
    usual = np.zeros(len(power), dtype=bool)
    for s, t in zip(stretches, told, strict=True):
        if t.limiter not in ("none", "ramp") and BY_KEY[t.limiter].usual:
            usual[s.first : s.last + 1] = True
    if not usual.any():
        return np.full(len(power), whole.top_kw)
    at = np.flatnonzero(usual)
    return np.maximum(np.interp(np.arange(len(power)), at, power[at]), 0.0)
