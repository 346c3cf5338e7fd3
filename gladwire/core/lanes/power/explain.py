"""What explains a stretch: explanations in the order of the field guide, the first that fits holds.

To add one: write a function from a `Stretch` to `Told` or None, name it in EXPLANATIONS. All shares, times and sureness
here are common practice, no source, but where a comment names one.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from gladwire.core.lanes.power.clues import (
    POST_SIDE,
    Told,
    answers,
    at_rating,
    comes_back,
    fills,
    matching,
    on_soc_step,
    pack_c,
    shared_out,
    warm_connector,
)
from gladwire.core.lanes.power.limits_in_messages import by_messages
from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.chain import At, needs_converter
from gladwire.core.power.limiters import LimiterKey
from gladwire.core.standards.practice import COLD_AIR_C, COLD_PACK_C, HOT_PACK_C, NEAR_SHARE, SLOW_RAMP_S

# A ramp longer than this is slow. Field: 60 to 80 s, up to two minutes for trucks.
# A level that rises by more creeps up; volts of a pack lift power by no more a point of charge, nor in all.
_CREEPS, _LIFT_PER_POINT, _LIFT_MOST = 0.012, 0.005, 0.25
# Amperes stand still within this share while kW creep up with volts.
_STEADY_A = 0.025
# How sure a neighbour, modules or the site's supply make it at least; a drop alone that stays does not. Steady kW move by
# less than this share of what the pack's volts rise by.
_NO_WITNESS, _LIFTED, _HOLDS_KW = 0.5, 0.01, 0.3
# Usual sizes of posts, connectors and cables in amperes.
_ROUND_A = (100, 125, 150, 200, 250, 300, 350, 375, 400, 500, 600, 700, 800, 1000, 1500)
# Volts of packs of the 400 and the 800 V class while they charge.
_PACK_V = ((290.0, 430.0), (560.0, 860.0))


Explanation = Callable[[Stretch], Told | None]


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


def _thermal(s: Stretch) -> Told | None:
    slow = s.fell == "slow" and not s.stepped_in
    warm = warm_connector(s) if slow and s.course != "off" and s.seconds > 40.0 else ""
    if warm and s.course == "rise":
        return Told("cable_thermal", 0.7, (f"Power comes back slowly from {s.start_kw:.1f} kW as it cools.", warm))
    if warm and (s.course == "fall" or s.number > 1):
        return Told("cable_thermal", 0.8, (f"Power sinks slowly from {s.start_kw:.1f} to {s.end_kw:.1f} kW.", warm))
    pack = s.ends("pack_c")
    if s.course == "fall" and pack and pack[1] >= HOT_PACK_C:
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
    if not comes_back(s):
        return None
    if s.fell == "step":
        return shared_out(s)
    way = "comes back slowly" if s.course == "rise" else "sinks slowly and comes back later"
    text = f"Power fell from {s.fell_from_kw:.1f} kW, {s.start_kw:.1f} to {s.end_kw:.1f} kW here; it {way}."
    return Told(
        "cable_thermal", 0.35, (text, "No temperature was read that explains it."), ("site_supply", "vehicle_hot")
    )


def _taper(s: Stretch) -> Told | None:
    """Power that falls for good as the pack fills, evenly or in stairs."""
    if not s.for_good or not (s.course == "fall" or s.fallen):
        return None
    soc = s.ends("soc_percent")
    if s.course == "fall" and (s.change < -0.03 or s.fallen):
        sure = 0.85 if soc is not None and soc[1] > soc[0] else 0.6
        pack = pack_c(s)
        if pack is not None and pack <= COLD_PACK_C:
            return Told("vehicle_taper", 0.6, (fills(s), f"The pack is still at {pack:.0f} °C."), ("vehicle_cold",))
        return Told("vehicle_taper", sure, (fills(s),))
    if s.course == "level" and s.fallen and s.change < _CREEPS:
        return _step_of_taper(s, soc) if s.stepped_in < 0 else Told("vehicle_taper", 0.6, (fills(s),))
    return None


def _step_of_taper(s: Stretch, soc: tuple[float, float] | None) -> Told | None:
    """A step down that stays: a stair of the taper, unless it lies at a rating or SoC tells otherwise."""
    if set(matching(s)) & set(POST_SIDE) or any(answers(s, at) for at in s.whole.neighbours):
        return None
    at = f" at {soc[0]:.0f} %" if soc else ""
    text = f"Power steps to {s.start_kw:.1f} kW{at} and stays or falls on."
    stair, on_step = _stair(s), on_soc_step(s)
    if stair or on_step:
        return Told("vehicle_taper", 0.75 if on_step else 0.65, (text,))
    if on_step is None:
        return Told("vehicle_taper", 0.5, (text, "One step alone could be a neighbour's too."), ("shared_cabinet",))
    return None


def _stair(s: Stretch) -> bool:
    """A step down that belongs to a taper: late, or after or before other falls."""
    soc = s.mean("soc_percent")
    if soc is not None and soc >= 75.0:
        return True
    falls_on = s.after_kw > s.whole.idle_kw and s.after_kw < 0.97 * s.end_kw
    earlier = s.number > 1 and s.before_kw < 0.9 * s.whole.top_kw
    return falls_on or earlier


def _levels_at_rating(s: Stretch) -> Told | None:
    if s.course not in ("level", "rise", "fall"):
        return None
    told = at_rating(s)
    if told is None and s.mean("amps_a") is None and _CREEPS < s.change < _lift(s) and s.seconds > 240.0:
        implied = _implied_volts(s)
        if implied:
            first, *others = implied
            text = f"kW creep up from {s.start_kw:.1f} to {s.end_kw:.1f}, as they do at steady amperes when volts rise."
            return Told(first, 0.55, (text, *implied.values()), (*others, "vehicle_limit"))
    return told


def _through_converter(s: Stretch) -> Told | None:
    """A steady level where the pack's volts are above the post's, and the converter's power is not known."""
    c = s.context
    if s.course != "level" or c.converter_kw is not None or c.post_v is None or c.pack_class_v is None:
        return None
    soc = s.mean("soc_percent")
    if not np.all(needs_converter(c, At(None, 50.0 if soc is None else soc, 0.0, None, 0.0))):
        return None
    text = (
        f"A {c.pack_class_v:g} V class pack charges at a post of {c.post_v:g} V: a converter on board lifts the volts."
    )
    return Told("vehicle_converter", 0.7, (text, f"It stands at {s.level_kw:.1f} kW for {s.seconds / 60.0:.0f} min."))


def _by_temperature(s: Stretch) -> Told | None:
    """Power that creeps up for minutes, more than volts explain, or stands low on a cold or hot pack."""
    pack, air = pack_c(s), s.mean("ambient_c")
    if pack is not None and pack >= HOT_PACK_C and s.course in ("level", "fall"):
        return Told("vehicle_hot", 0.6, (f"Power stands at {s.level_kw:.1f} kW.", f"The pack is at {pack:.0f} °C."))
    air = air if air is not None else s.context.ambient_c
    cold = pack is not None and pack <= COLD_PACK_C
    cold_air = pack is None and air is not None and air <= COLD_AIR_C
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
        if cap.limiter in POST_SIDE
    ]
    return bool(outside) and power < (1.0 - NEAR_SHARE) * min(outside)


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
    # A label in kW alone says nothing of the amperes behind it.
    in_amps = outside or not s.context.has_amps
    if amps and abs(amps[1] - amps[0]) <= _STEADY_A * amps[0] and _creeps(s, volts):
        level = s.mean("amps_a") or amps[0]
        size = min(_ROUND_A, key=lambda size: abs(size - level))
        usual = abs(size - level) <= 0.015 * size
        up = f"{s.start_kw:.1f} to {s.end_kw:.1f} kW"
        text = f"Amperes stand at {level:.0f} while kW go with the volts, {up}."
        if not in_amps:
            return Told(
                "vehicle_limit", 0.5, (text, "Every rating known on the post's side is higher."), ("unexplained",)
            )
        hint = (f"{size} A is a usual size of posts and connectors.",) if usual else ()
        return Told("evse_current", 0.6 if usual else 0.45, (text, *hint), ("cable_rating", "vehicle_limit"))
    if amps is None and _CREEPS < s.change < _lift(s) and s.seconds > 240.0:
        text = f"kW creep up from {s.start_kw:.1f} to {s.end_kw:.1f}, as they do at steady amperes when volts rise."
        if not in_amps:
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
    """A step down that is no stair of a taper and does not come back while the record lasts: the vehicle's, unless a
    neighbour's coming, the modules or the site's supply speak for another."""
    if not (s.stepped_in < 0 and -s.stepped_in >= 0.05 * s.before_kw and s.course == "level"):
        return None
    shared = shared_out(s)
    if shared.sure > _NO_WITNESS:
        return shared
    volts = s.ends("volts_v")
    lifted = volts[1] / volts[0] - 1.0 if volts and volts[0] > 0 else 0.0
    if lifted > _LIFTED and abs(s.change) < _HOLDS_KW * lifted:
        # Steady kW with falling amperes is how a cabinet gives what it has; nobody saw who took the rest.
        return Told(
            "evse_power", 0.4, (*shared.why, "kW stand while amperes fall."), ("shared_cabinet", "vehicle_limit")
        )
    if lifted <= _LIFTED:
        why = (*shared.why, "It stays there, and without volts nobody can tell who asked or gave less.")
        return Told("unexplained", 0.5, why, ("vehicle_limit", "shared_cabinet", "vehicle_taper"))
    # Amperes that stand while kW go with the volts are asked so.
    why = (*shared.why, "It stays there, and kW go with the volts: the vehicle asks less from there on.")
    return Told("vehicle_limit", 0.55, why, ("shared_cabinet", "vehicle_taper"))


def _nothing(s: Stretch) -> Told:
    return Told(
        "unexplained", 0.5, (f"Power goes from {s.start_kw:.1f} to {s.end_kw:.1f} kW; nothing read explains it.",)
    )


EXPLANATIONS: tuple[Explanation, ...] = (
    _off, _ramp, by_messages, _phases, _thermal, _returns, _taper, _levels_at_rating, _through_converter, _by_temperature,
    _single_step, _modules, _shape, _nothing,
)  # fmt: skip


def explain(stretch: Stretch, explanations: Sequence[Explanation] = EXPLANATIONS) -> Told:
    """The first explanation that fits."""
    return next(told for explanation in explanations if (told := explanation(stretch)))
