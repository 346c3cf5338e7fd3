"""What vehicle and post said of what they ask and allow, where messages or signals told it: whose limit a stretch shows."""

from __future__ import annotations

from gladwire.core.lanes.power.clues import (
    POST_SIDE,
    Told,
    at_rating,
    fills,
    lies_near,
    matching,
    pack_c,
    shared_out,
    warm_connector,
)
from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.limiters import LimiterKey
from gladwire.core.standards.practice import COLD_PACK_C, HOT_PACK_C

# An asked or allowed value is met when what flows comes this near (common practice, no source).
_MET = 0.965
_MET_A = 2.0
_KEYS = frozenset({"asked_a", "asked_kw", "post_max_a", "post_max_v", "post_max_kw"})


def by_messages(s: Stretch) -> Told | None:
    """What vehicle and post said of what they ask and allow."""
    if _KEYS.isdisjoint(s.whole.read):
        return None
    asked, flows, unit = _asked(s)
    allowed = _allowed(s)
    if asked is not None and flows is not None:
        near = max(_MET * asked, asked - (_MET_A if unit == "A" else 0.0))
        if flows >= min(near, asked * 0.995):
            follows = allowed is not None and abs(asked - allowed[0]) <= 0.02 * allowed[0] and allowed[1] == unit
            if follows:
                return _post_limit(s, f"The vehicle asks {asked:.0f} {unit}, all that the post allows.")
            return _vehicle_request(s, asked, flows, unit)
        if allowed is not None and allowed[2] >= _MET * allowed[0]:
            return _post_limit(s, f"The vehicle asks {asked:.0f} {unit} and gets {flows:.0f}.")
        short = f"The vehicle asks {asked:.0f} {unit} and gets {flows:.0f}; what the post says it allows does not explain it."
        rated = at_rating(s)
        return (
            Told(rated.limiter, rated.sure, (short, *rated.why), rated.also)
            if rated
            else Told("unexplained", 0.7, (short,))
        )
    if allowed is not None and allowed[2] >= _MET * allowed[0]:
        return _post_limit(s, f"What flows is all that the post allows, {allowed[0]:.0f} {allowed[1]}.")
    return None


def _asked(s: Stretch) -> tuple[float | None, float | None, str]:
    """(asked, flows, unit) at the end of the stretch's own mean; None where not said."""
    for key, present, unit in (("asked_a", "amps_a", "A"), ("asked_kw", "power_kw", "kW")):
        asked, flows = s.mean(key), s.mean(present)
        if asked is not None and flows is not None and asked > 0:
            return asked, flows, unit
    return None, None, ""


def _allowed(s: Stretch) -> tuple[float, str, float] | None:
    """(what the post allows, its unit, what flows of that) of the limit that is nearest to being used up."""
    found = []
    for key, present, unit in (
        ("post_max_a", "amps_a", "A"), ("post_max_kw", "power_kw", "kW"), ("post_max_v", "volts_v", "V"),
    ):  # fmt: skip
        allowed, flows = s.mean(key), s.mean(present)
        if allowed is not None and flows is not None and allowed > 0:
            found.append((allowed, unit, flows))
    return max(found, key=lambda one: one[2] / one[0], default=None)


def _vehicle_request(s: Stretch, asked: float, flows: float, unit: str) -> Told:
    met = f"The vehicle asks {asked:.0f} {unit} and gets {flows:.0f}: it takes no more."
    pack = pack_c(s)
    own = s.mean("vehicle_max_a" if unit == "A" else "vehicle_max_kw")
    if pack is not None and pack >= HOT_PACK_C and s.course in ("fall", "level"):
        return Told("vehicle_hot", 0.85, (met, f"The pack is at {pack:.0f} °C."))
    if pack is not None and pack <= COLD_PACK_C and not s.fallen:
        return Told("vehicle_cold", 0.85, (met, f"The pack is at {pack:.0f} °C."))
    if own is not None and lies_near(asked, own) and s.course == "level" and not s.fallen:
        return Told("vehicle_limit", 0.9, (met, f"That is the most it says it can take, {own:.0f} {unit}."))
    if s.course == "fall" or (s.fallen and s.for_good):
        return Told("vehicle_taper", 0.95, (met, fills(s)))
    matched = matching(s)
    if "vehicle_converter" in matched:
        return Told("vehicle_converter", 0.9, (met, matched["vehicle_converter"]))
    if s.course == "rise":
        return Told("vehicle_cold", 0.4, (met, "It asks more and more, as a pack does that warms."), ("vehicle_limit",))
    return Told("vehicle_limit", 0.85, (met, "It asks the same all the while."))


def _post_limit(s: Stretch, why: str) -> Told:
    """A limit the post announced and that is used up: constant, folded back, or lowered for a time."""
    lowered = None
    for key in ("post_max_a", "post_max_kw"):
        top, now = s.top_of(key), s.mean(key)
        unit = "A" if key.endswith("_a") else "kW"
        if top and now is not None and now < 0.96 * top:
            lowered = f"It has lowered its limit from {top:.0f} to {now:.0f} {unit}."
    if lowered is None:
        matched = {k: w for k, w in matching(s).items() if k in POST_SIDE}
        if matched:
            first, *others = matched
            return Told(first, 0.95, (why, *matched.values()), tuple(others))
        unit_key: LimiterKey = "evse_current"
        allowed = _allowed(s)
        if allowed:
            unit_key = {"A": "evse_current", "kW": "evse_power", "V": "evse_voltage"}[allowed[1]]  # type: ignore[assignment]
        return Told(unit_key, 0.85, (why,), ("cable_rating",) if unit_key == "evse_current" else ())
    warm = warm_connector(s)
    if warm:
        return Told("cable_thermal", 0.85, (why, lowered, warm))
    if s.course == "fall" and not s.stepped_in:
        return Told(
            "cable_thermal", 0.5, (why, lowered, "It sinks slowly, as a warm cable's does."), ("shared_cabinet",)
        )
    told = shared_out(s)
    return Told(told.limiter, max(told.sure, 0.75), (why, lowered, *told.why), told.also)
