"""What explains a stretch: explanations in the order of the field guide, the first that fits holds.

To add one: write a function from a `Stretch` to `Told` or None, name it in EXPLANATIONS. All shares, times and sureness
here are common practice, no source, but where a comment names one.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.power.limiters import LimiterKey
from gladwire.core.power.stretch import Stretch

# An asked or allowed value is met when what flows comes this near.
_MET = 0.965
_MET_A = 2.0
# A level is a rating's when it lies within this share of it.
_NEAR = 0.03
# A ramp longer than this is slow. Field: 60 to 80 s, up to two minutes for trucks.
SLOW_RAMP_S = 150.0
_WARM_CONNECTOR_C, _COLD_PACK_C, _COLD_AIR_C, _HOT_PACK_C = 60.0, 18.0, 7.0, 44.0
# A level that rises by more creeps up; volts of a pack lift power by no more a point of charge, nor in all.
_CREEPS, _LIFT_PER_POINT, _LIFT_MOST = 0.012, 0.005, 0.25
# Amperes stand still within this share while kW creep up with volts.
_STEADY_A = 0.025
# Usual sizes of posts, connectors and cables in amperes.
_ROUND_A = (100, 125, 150, 200, 250, 300, 350, 375, 400, 500, 600, 700, 800, 1000, 1500)
_NEIGHBOUR_S = 30.0
# Volts of packs of the 400 and the 800 V class while they charge.
_PACK_V = ((290.0, 430.0), (560.0, 860.0))


class Told(NamedTuple):
    """also: what the columns cannot tell from the limiter. sure: 0 to 1. why: sentences with numbers."""

    limiter: LimiterKey
    sure: float
    why: tuple[str, ...]
    also: tuple[LimiterKey, ...] = ()


Explanation = Callable[[Stretch], Told | None]


def _near(value: float, rating: float | None, share: float = _NEAR) -> bool:
    return rating is not None and abs(value - rating) <= share * rating


def _off(s: Stretch) -> Told | None:
    if s.course != "off":
        return None
    if s.number == 0:
        return Told("none", 1.0, ("Nothing flows yet.",))
    if s.number == s.of - 1 or s.whole.later_kw[s.last] <= s.whole.idle_kw:
        if stopped_early(s):
            soc = s.mean("soc_percent")
            at = f" at {soc:.0f} %" if soc is not None else ""
            return Told(
                "stop_fault", 0.6, (f"Power falls from {s.before_kw:.1f} kW to nothing{at} and does not come back.",)
            )
        return Told("none", 1.0, ("Nothing flows any more.",))
    return Told("stop_fault", 0.9, (f"Power falls from {s.before_kw:.1f} kW to nothing and comes back later.",))


def stopped_early(s: Stretch) -> bool:
    """Whether power ended all at once, far from full and from a level nobody stops at by plan.

    A stop at 80 % or more, or on a whole ten above half, looks like somebody's wish.
    """
    if s.before_kw < 0.3 * s.whole.top_kw or s.seconds < 15.0:
        return False
    soc = s.mean("soc_percent")
    if soc is None or soc >= 78.0:
        return False
    return not (soc >= 49.5 and abs(soc - 10.0 * round(soc / 10.0)) <= 1.0)


def _ramp(s: Stretch) -> Told | None:
    if s.course != "ramp":
        return None
    took = f"Power rises from {s.start_kw:.1f} to {s.end_kw:.1f} kW in {s.seconds:.0f} s"
    if s.seconds > SLOW_RAMP_S:
        return Told("ramp", 0.7, (f"{took}: slow, 60 to 80 s are usual and up to two minutes for trucks.",))
    return Told("ramp", 0.95, (f"{took}.",))


def _said(s: Stretch) -> Told | None:
    """What vehicle and post said of what they ask and allow."""
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
        rated = _rated(s)
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
    pack = _pack_c(s)
    own = s.mean("vehicle_max_a" if unit == "A" else "vehicle_max_kw")
    if pack is not None and pack >= _HOT_PACK_C and s.course in ("fall", "level"):
        return Told("vehicle_hot", 0.85, (met, f"The pack is at {pack:.0f} °C."))
    if pack is not None and pack <= _COLD_PACK_C and not s.fallen:
        return Told("vehicle_cold", 0.85, (met, f"The pack is at {pack:.0f} °C."))
    if own is not None and _near(asked, own) and s.course == "level" and not s.fallen:
        return Told("vehicle_limit", 0.9, (met, f"That is the most it says it can take, {own:.0f} {unit}."))
    if s.course == "fall" or (s.fallen and s.for_good):
        return Told("vehicle_taper", 0.95, (met, _fills(s)))
    matched = _matches(s)
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
        matched = {k: w for k, w in _matches(s).items() if k in _POST_SIDE}
        if matched:
            first, *others = matched
            return Told(first, 0.95, (why, *matched.values()), tuple(others))
        unit_key: LimiterKey = "evse_current"
        allowed = _allowed(s)
        if allowed:
            unit_key = {"A": "evse_current", "kW": "evse_power", "V": "evse_voltage"}[allowed[1]]  # type: ignore[assignment]
        return Told(unit_key, 0.85, (why,), ("cable_rating",) if unit_key == "evse_current" else ())
    warm = _warm_connector(s)
    if warm:
        return Told("cable_thermal", 0.85, (why, lowered, warm))
    if s.course == "fall" and not s.stepped_in:
        return Told(
            "cable_thermal", 0.5, (why, lowered, "It sinks slowly, as a warm cable's does."), ("shared_cabinet",)
        )
    told = _divided(s)
    return Told(told.limiter, max(told.sure, 0.75), (why, lowered, *told.why), told.also)


def _pack_c(s: Stretch) -> float | None:
    read = s.mean("pack_c")
    return read if read is not None else s.context.pack_c


def _fills(s: Stretch) -> str:
    soc = s.ends("soc_percent")
    fall = f"Power goes from {s.start_kw:.1f} to {s.end_kw:.1f} kW"
    return f"{fall} from {soc[0]:.0f} to {soc[1]:.0f} % and does not come back." if soc else f"{fall} for good."


def _warm_connector(s: Stretch) -> str:
    """What a connector's temperature says, or nothing: warm, and warming until power sank."""
    read = s.whole.read.get("connector_c")
    if read is None:
        return ""
    inside = read[s.first : s.last + 1]
    if np.isnan(inside).all():
        return ""
    highest = float(np.nanmax(inside))
    return f"The connector is at {highest:.0f} °C." if highest >= _WARM_CONNECTOR_C else ""


def _thermal(s: Stretch) -> Told | None:
    slow = s.fell == "slow" and not s.stepped_in
    warm = _warm_connector(s) if slow and s.course != "off" and s.seconds > 40.0 else ""
    if warm and s.course == "rise":
        return Told("cable_thermal", 0.7, (f"Power comes back slowly from {s.start_kw:.1f} kW as it cools.", warm))
    if warm and (s.course == "fall" or s.number > 1):
        return Told("cable_thermal", 0.8, (f"Power sinks slowly from {s.start_kw:.1f} to {s.end_kw:.1f} kW.", warm))
    pack = s.ends("pack_c")
    if s.course == "fall" and pack and pack[1] >= _HOT_PACK_C:
        return Told("vehicle_hot", 0.75, (f"Power sinks while the pack reaches {pack[1]:.0f} °C.",), ("vehicle_taper",))
    return None


def _phases(s: Stretch) -> Told | None:
    """A three-phase charge that shows one or two thirds of what it should."""
    c = s.context
    if not c.is_ac or (c.ac_phases or 1) < 3 or (c.onboard_phases or 3) < 3 or s.course != "level":
        return None
    rated = [
        float(kw[0]) for cap, kw in s.whole.caps if cap.limiter in ("evse_current", "cable_rating", "vehicle_limit")
    ]
    if not rated:
        return None
    share = s.level_kw / min(rated)
    for phases in (1, 2):
        if abs(share - phases / 3.0) < 0.04:
            text = f"{s.level_kw:.1f} kW are {phases} of 3 phases of the {min(rated):.1f} kW offered."
            return Told("phase_lost", 0.85, (text,))
    return None


def _returns(s: Stretch) -> Told | None:
    """A dip: power fell and comes back, at once or slowly."""
    least = min(s.start_kw, s.end_kw)
    if not s.fell or s.course in ("off", "ramp") or s.fell_from_kw - least < 0.05 * s.fell_from_kw:
        return None
    if not _comes_back(s):
        return None
    if s.fell == "step":
        return _divided(s)
    way = "comes back slowly" if s.course == "rise" else "sinks slowly and comes back later"
    text = f"Power fell from {s.fell_from_kw:.1f} kW, {s.start_kw:.1f} to {s.end_kw:.1f} kW here; it {way}."
    return Told(
        "cable_thermal", 0.35, (text, "No temperature was read that explains it."), ("site_supply", "vehicle_hot")
    )


def _comes_back(s: Stretch) -> bool:
    """Whether power is near again where it fell from, or in a taper steps up again."""
    half = s.end_kw + 0.5 * (s.fell_from_kw - s.end_kw)
    if float(s.whole.later_kw[s.last]) >= half or (s.course == "rise" and s.end_kw >= 0.9 * s.fell_from_kw):
        return True
    return s.fell == "step" and s.stepped_out >= 0.04 * s.whole.top_kw


def _divided(s: Stretch) -> Told:
    """Who takes what this stall does not get: a neighbour, or the site."""
    above = s.fell_from_kw or s.before_kw
    fell = max(above - s.start_kw, -s.stepped_in, 0.0)
    why = [f"Power falls from {above:.1f} to {s.start_kw:.1f} kW at once, with no step of the state of charge."]
    back = _comes_back(s)
    if back:
        why.append(f"It comes back to {float(s.whole.later_kw[s.last]):.1f} kW later.")
    near = [at for at in s.whole.neighbours if -_NEIGHBOUR_S < s.start_s - at < _NEIGHBOUR_S]
    if near:
        return Told("shared_cabinet", 0.92, (*why, f"A neighbour plugged in {abs(s.start_s - near[0]):.0f} s away."))
    c = s.context
    if c.grid_kw is not None and (_near(s.level_kw, c.grid_kw, 0.05) or c.buffer_kwh is not None):
        return Told("site_supply", 0.75, (*why, f"The site's supply has {c.grid_kw:g} kW."), ("shared_cabinet",))
    if c.module_kw and abs(fell / c.module_kw - round(fell / c.module_kw)) < 0.15 and fell > 0.8 * c.module_kw:
        return Told(
            "shared_cabinet", 0.8, (*why, f"That is {round(fell / c.module_kw)} modules of {c.module_kw:g} kW.")
        )
    return Told(
        "shared_cabinet",
        0.65 if back else 0.45,
        tuple(why),
        ("site_supply",) if back else ("vehicle_taper", "site_supply"),
    )


def _taper(s: Stretch) -> Told | None:
    """Power that falls for good as the pack fills, evenly or in stairs."""
    if not s.for_good or not (s.course == "fall" or s.fallen):
        return None
    soc = s.ends("soc_percent")
    if s.course == "fall" and (s.change < -0.03 or s.fallen):
        sure = 0.85 if soc is not None and soc[1] > soc[0] else 0.6
        pack = _pack_c(s)
        if pack is not None and pack <= _COLD_PACK_C:
            return Told("vehicle_taper", 0.6, (_fills(s), f"The pack is still at {pack:.0f} °C."), ("vehicle_cold",))
        return Told("vehicle_taper", sure, (_fills(s),))
    if s.course == "level" and s.fallen and s.change < _CREEPS:
        return _step_of_taper(s, soc) if s.stepped_in < 0 else Told("vehicle_taper", 0.6, (_fills(s),))
    return None


def _step_of_taper(s: Stretch, soc: tuple[float, float] | None) -> Told | None:
    """A step down that stays: a stair of the taper, unless it lies at a rating or SoC tells otherwise."""
    if set(_matches(s)) & set(_POST_SIDE) or any(abs(s.start_s - at) < _NEIGHBOUR_S for at in s.whole.neighbours):
        return None
    at = f" at {soc[0]:.0f} %" if soc else ""
    text = f"Power steps to {s.start_kw:.1f} kW{at} and stays or falls on."
    stair, on_step = _stair(s), _on_soc_step(s)
    if stair or on_step:
        return Told("vehicle_taper", 0.75 if on_step else 0.65, (text,))
    if on_step is None:
        return Told("vehicle_taper", 0.5, (text, "One step alone could be a neighbour's too."), ("shared_cabinet",))
    return None


def _on_soc_step(s: Stretch) -> bool | None:
    """Whether the display of SoC stepped when power did; None where that would happen by chance as well."""
    steps = s.whole.soc_steps
    near = 2.0 + 0.6 * s.whole.every_s
    if len(steps) < 3 or 2.0 * near > 0.35 * float(steps[-1] - steps[0]) / (len(steps) - 1):
        return None
    return bool(np.abs(steps - s.start_s).min() <= near)


def _stair(s: Stretch) -> bool:
    """A step down that belongs to a taper: late, or after or before other falls."""
    soc = s.mean("soc_percent")
    if soc is not None and soc >= 75.0:
        return True
    falls_on = s.after_kw > s.whole.idle_kw and s.after_kw < 0.97 * s.end_kw
    earlier = s.number > 1 and s.before_kw < 0.9 * s.whole.top_kw
    return falls_on or earlier


_POST_SIDE = ("evse_current", "evse_power", "evse_voltage", "cable_rating", "adapter", "shared_cabinet", "site_supply")


def _matches(s: Stretch) -> dict[LimiterKey, str]:
    """Ratings a level lies at, in the order of the field guide, each with its words."""
    found: dict[LimiterKey, str] = {}
    power = s.whole.blocks.power_kw[s.first : s.last + 1]
    for cap, kw in s.whole.caps:
        if cap.limiter in ("vehicle_taper", "vehicle_cold", "vehicle_hot"):
            continue
        limit = kw if len(kw) == 1 else kw[s.first : s.last + 1]
        if cap.limiter == "site_supply" and s.context.grid_kw:
            limit = np.minimum(limit, s.context.grid_kw)  # when a buffer is empty, its level tells best
        with np.errstate(invalid="ignore"):
            ratio = power / limit
        if np.isfinite(ratio).any() and abs(float(np.nanmean(ratio)) - 1.0) <= _NEAR and float(np.nanstd(ratio)) < 0.03:
            found.setdefault(cap.limiter, f"{s.level_kw:.1f} kW is what {cap.says(s.context)} gives here.")
    return found


def _rated(s: Stretch) -> Told | None:
    """A level that lies at a rating; equal ratings cannot be told apart and are all named."""
    matched = _matches(s)
    if not matched:
        return None
    first, *others = matched
    if first == "vehicle_limit" and others:  # the vehicle's own limit comes after what stands outside, if both fit
        first, others = others[0], [*others[1:], "vehicle_limit"]
    return Told(first, 0.85 if not others else 0.75, tuple(matched.values()), tuple(others))


def _levels_at_rating(s: Stretch) -> Told | None:
    if s.course not in ("level", "rise", "fall"):
        return None
    told = _rated(s)
    if told is None and s.mean("amps_a") is None and _CREEPS < s.change < _lift(s) and s.seconds > 240.0:
        implied = _implied_volts(s)
        if implied:
            first, *others = implied
            text = f"kW creep up from {s.start_kw:.1f} to {s.end_kw:.1f}, as they do at steady amperes when volts rise."
            return Told(first, 0.55, (text, *implied.values()), (*others, "vehicle_limit"))
    return told


def _cold(s: Stretch) -> Told | None:
    """Power that creeps up for minutes, more than volts explain, or stands low on a cold pack."""
    pack, air = _pack_c(s), s.mean("ambient_c")
    air = air if air is not None else s.context.ambient_c
    cold = pack is not None and pack <= _COLD_PACK_C
    cold_air = pack is None and air is not None and air <= _COLD_AIR_C
    words = f"The pack is at {pack:.0f} °C." if cold else f"It is {air:.0f} °C outside." if cold_air else ""
    amps = s.ends("amps_a")
    more = amps is not None and amps[1] > 1.06 * amps[0]
    if s.course == "rise" and s.seconds > 90.0 and (more or (amps is None and s.change > 0.12)):
        text = f"Power creeps up from {s.start_kw:.1f} to {s.end_kw:.1f} kW in {s.seconds / 60.0:.1f} min"
        grows = f"{text}, and amperes with it." if more else f"{text}, more than the pack's volts explain."
        if cold or cold_air:
            return Told("vehicle_cold", 0.8 if cold else 0.65, (grows, words))
        return Told("vehicle_cold", 0.4, (grows, "No temperature was read."), ("unexplained",))
    if s.course in ("level", "rise") and cold and not s.fallen:
        return Told(
            "vehicle_cold", 0.6, (f"Power stands at {s.level_kw:.1f} kW from the start.", words), ("vehicle_limit",)
        )
    return None


def _below_all_ratings(s: Stretch) -> bool:
    """Whether ratings of the post's side are known and the level lies clearly under each."""
    power = s.level_kw
    outside = [
        float(np.nanmean(kw if len(kw) == 1 else kw[s.first : s.last + 1]))
        for cap, kw in s.whole.caps
        if cap.limiter in _POST_SIDE
    ]
    return bool(outside) and power < (1.0 - _NEAR) * min(outside)


def _modules(s: Stretch) -> Told | None:
    """A level at a whole number of modules below the post's power."""
    c = s.context
    if s.course != "level" or not c.module_kw or not c.post_kw or s.level_kw > 0.96 * c.post_kw:
        return None
    count = round(s.level_kw / c.module_kw)
    if count and abs(s.level_kw - count * c.module_kw) <= 0.025 * s.level_kw:
        text = f"{s.level_kw:.1f} kW are {count} of {round(c.post_kw / c.module_kw)} modules of {c.module_kw:g} kW."
        return Told("evse_power", 0.7, (text,), ("shared_cabinet",))
    return None


def _shape(s: Stretch) -> Told | None:
    """What the course alone tells: steady amperes, or steady kW."""
    if s.course not in ("level", "rise"):
        return None
    amps, volts = s.ends("amps_a"), s.ends("volts_v")
    outside = not _below_all_ratings(s)
    if amps and abs(amps[1] - amps[0]) <= _STEADY_A * amps[0] and _creeps(s, volts):
        level = s.mean("amps_a") or amps[0]
        size = min(_ROUND_A, key=lambda size: abs(size - level))
        usual = abs(size - level) <= 0.015 * size
        up = f"{s.start_kw:.1f} to {s.end_kw:.1f} kW"
        text = f"Amperes stand at {level:.0f} while kW go with the volts, {up}."
        if not outside:
            return Told(
                "vehicle_limit", 0.5, (text, "Every rating known on the post's side is higher."), ("unexplained",)
            )
        hint = (f"{size} A is a usual size of posts and connectors.",) if usual else ()
        return Told("evse_current", 0.6 if usual else 0.45, (text, *hint), ("cable_rating", "vehicle_limit"))
    if amps is None and _CREEPS < s.change < _lift(s) and s.seconds > 240.0:
        text = f"kW creep up from {s.start_kw:.1f} to {s.end_kw:.1f}, as they do at steady amperes when volts rise."
        if not outside:
            return Told(
                "vehicle_limit", 0.4, (text, "Every rating known on the post's side is higher."), ("unexplained",)
            )
        return Told("evse_current", 0.4, (text,), ("cable_rating", "vehicle_limit"))
    if s.course == "level" and abs(s.change) <= 0.02 and s.seconds > 60.0:
        text = f"kW stand at {s.level_kw:.1f} for {s.seconds / 60.0:.1f} min."
        if not outside:
            return _under_all(s, text)
        falls = amps is not None and amps[1] < 0.99 * amps[0]
        more = ("Amperes fall as volts rise.",) if falls else ()
        return Told("evse_power", 0.55 if falls else 0.4, (text, *more), ("vehicle_limit", "shared_cabinet"))
    return None


def _lift(s: Stretch) -> float:
    """The most by which a pack's volts lift power over the stretch at steady amperes, as a share."""
    soc = s.ends("soc_percent")
    return _LIFT_MOST if soc is None else min(_LIFT_MOST, 0.03 + _LIFT_PER_POINT * max(soc[1] - soc[0], 0.0))


def _under_all(s: Stretch, text: str) -> Told:
    """Steady kW below every rating of the post's side: the vehicle's, where that is not known; else the post's."""
    own = [cap for cap, _ in s.whole.caps if cap.limiter == "vehicle_limit"]
    higher = "Every rating known on the post's side is higher."
    if not own:
        return Told("unexplained", 0.5, (text, higher), ("vehicle_limit",))
    fewer = "The vehicle's too: a cabinet that works with fewer modules holds such a level."
    return Told("evse_power", 0.55, (text, higher, fewer), ("shared_cabinet",))


def _implied_volts(s: Stretch) -> dict[LimiterKey, str]:
    """Ratings in amperes that, at the kW seen, would mean volts a pack has; for records without volts."""
    c = s.context
    found: dict[LimiterKey, str] = {}
    ratings: tuple[tuple[LimiterKey, float | None], ...] = (
        ("evse_current", c.post_a), ("cable_rating", c.cable_a), ("cable_rating", c.connector_a),
        ("adapter", c.adapter_a_continuous),
    )  # fmt: skip
    known = [amps for _, amps in ratings if amps]
    for limiter, amps in ratings:
        if amps and amps <= min(known):
            low, high = 1e3 * s.start_kw / amps, 1e3 * s.end_kw / amps
            if any(least <= low and high <= most for least, most in _PACK_V):
                found.setdefault(limiter, f"At {amps:g} A that is {low:.0f} to {high:.0f} V, as packs have.")
    return found


def _creeps(s: Stretch, volts: tuple[float, float] | None) -> bool:
    return s.end_kw > 1.004 * s.start_kw or (volts is not None and volts[1] > 1.004 * volts[0])


def _single_step(s: Stretch) -> Told | None:
    """A step down that is no stair of a taper and does not come back while the record lasts."""
    if s.stepped_in < 0 and -s.stepped_in >= 0.05 * s.before_kw and s.course == "level":
        return _divided(s)
    return None


def _nothing(s: Stretch) -> Told:
    return Told(
        "unexplained", 0.5, (f"Power goes from {s.start_kw:.1f} to {s.end_kw:.1f} kW; nothing read explains it.",)
    )


EXPLANATIONS: tuple[Explanation, ...] = (
    _off, _ramp, _said, _phases, _thermal, _returns, _taper, _levels_at_rating, _cold, _single_step, _modules, _shape,
    _nothing,
)  # fmt: skip


def explain(stretch: Stretch, explanations: Sequence[Explanation] = EXPLANATIONS) -> Told:
    """The first explanation that fits."""
    return next(told for explanation in explanations if (told := explanation(stretch)))
