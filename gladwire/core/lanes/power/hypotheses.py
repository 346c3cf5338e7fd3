"""Hypotheses about a stretch of a session: what each limiter would hold there, and how well what was read fits.

A bid's weight is the natural logarithm of its odds against “nothing that was read explains it”. To add one: write a
function from a `Stretch` to bids, name it in HYPOTHESES. A `guess` has no evidence of its own: it is named among what could
not be told apart, never first. All shares, times and weights here are common practice, no source, but where a comment names
one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from gladwire.core.lanes.power.clues import (
    answers,
    comes_back,
    cools_while_it_sinks,
    earlier_falls,
    fills,
    lies_near,
    matching,
    on_soc_step,
    pack_c,
    warm_connector,
    warms_unmoved,
)
from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.chain import At, needs_converter
from gladwire.core.power.limiters import LimiterKey
from gladwire.core.power.pack import open_circuit_v
from gladwire.core.standards.practice import COLD_AIR_C, COLD_PACK_C, HOT_PACK_C, NEAR_SHARE

# Usual sizes of posts, connectors and cables in amperes, and of posts in kW.
_ROUND_A = (100, 125, 150, 200, 250, 300, 350, 375, 400, 500, 600, 700, 800, 1000, 1500)
_ROUND_KW = (20, 22, 25, 30, 40, 50, 60, 62.5, 75, 90, 100, 120, 150, 175, 180, 200, 250, 300, 350, 400)
_ROUND_SHARE = 0.015
# Volts of packs while they charge, as shares of a class's resting volts at a state of charge.
_CLASSES_V, _OF_CLASS = (400.0, 800.0), (0.88, 1.2)
# A level this many points of charge long is hardly a stair of a taper.
_LONG_STAIR = 15.0
# A rating met, a rating met by the vehicle's own figures, a neighbour seen, a temperature read.
_MET, _OWN_MET, _SEEN, _WARM = 3.5, 3.2, 5.0, 2.8
# A boost of a cable lasts minutes; a step down later is no boost that ends.
_BOOST_S = 1500.0


class Bid(NamedTuple):
    """One limiter's claim to a stretch. why: sentences with numbers."""

    limiter: LimiterKey
    weight: float
    why: tuple[str, ...]
    guess: bool = False


Hypothesis = Callable[[Stretch], Iterator[Bid]]


def _steady(s: Stretch) -> bool:
    return s.course == "level" or (s.course == "rise" and s.holds == "amps")


def _stands(s: Stretch) -> str:
    """What stands still, in words."""
    amps = s.settled("amps_a")
    up = f"{s.start_kw:.1f} to {s.end_kw:.1f} kW"
    if s.holds == "amps" and amps is not None:
        return f"Amperes stand at {amps:.0f} while kW go with the volts, {up}."
    if s.holds == "amps":
        return f"kW creep up from {s.start_kw:.1f} to {s.end_kw:.1f}, as they do at steady amperes when volts rise."
    if s.holds == "power" and amps is not None:
        return f"kW stand at {s.level_kw:.1f} for {s.seconds / 60.0:.1f} min while amperes fall as volts rise."
    return f"kW stand at {s.level_kw:.1f} for {s.seconds / 60.0:.1f} min."


def ratings_met(s: Stretch) -> Iterator[Bid]:
    """A level that lies where a known rating holds it; equal ratings all bid, what stands outside the vehicle first."""
    if s.course not in ("level", "rise", "fall"):
        return
    for order, (limiter, words) in enumerate(matching(s).items()):
        own = limiter in ("vehicle_limit", "vehicle_converter")
        weight = (_OWN_MET if own else _MET) - 0.25 * order
        if s.course == "fall" and s.change < -0.03:
            weight -= 2.0  # a rating that falls itself, as a modelled one; a taper falls too
        if s.stepped_in < 0 and not (s.holds == "amps" and limiter in ("cable_rating", "adapter")):
            weight -= 1.0  # what was above a rating a moment ago was not held by it
        yield Bid(limiter, weight, (words,))


def unknown_ratings(s: Stretch) -> Iterator[Bid]:
    """A constant that no rating known explains, from its own shape. Only the session's highest level can be one: whatever
    was exceeded before or after is no constant."""
    if not _steady(s) or s.seconds <= 60.0 or s.stepped_in < 0:
        return
    c, text = s.context, _stands(s)
    amps, implied = s.settled("amps_a"), _implied_volts(s)
    if s.highest_amps and s.holds in ("amps", "either"):
        less = 0.4 if s.holds == "either" else 0.0
        size = min(_ROUND_A, key=lambda size: abs(size - amps)) if amps else 0
        usual = amps is not None and abs(size - amps) <= _ROUND_SHARE * size
        hint = (text, f"{size} A is a usual size of posts and connectors.") if usual else (text,)
        if c.post_a is None and (c.offer_a is None or not c.is_ac):
            yield Bid("evse_current", (2.0 if usual else 1.2) - less, hint)
        elif "evse_current" in implied:
            yield Bid("evse_current", 2.2 - less, (text, implied["evse_current"]))
        if c.cable_a is None and c.connector_a is None and not c.is_ac:
            yield Bid("cable_rating", (1.0 if usual else 0.2) - less, hint)
        elif "cable_rating" in implied:
            yield Bid("cable_rating", 2.2 - less, (text, implied["cable_rating"]))
        if "adapter" in implied:
            yield Bid("adapter", 2.0 - less, (text, implied["adapter"]))
    if s.highest_kw and s.holds in ("power", "either") and not c.is_ac and c.post_kw is None:
        less = 0.3 if s.holds == "either" else 0.0
        usual = any(abs(size - s.level_kw) <= _ROUND_SHARE * size for size in _ROUND_KW)
        yield Bid("evse_power", (1.9 if usual else 1.5) - less, (text,))


def vehicle_holds(s: Stretch) -> Iterator[Bid]:
    """The vehicle takes no more, where its own figures do not say that it takes more."""
    if not _steady(s) or (s.stepped_in < 0 and not s.for_good):
        return
    c = s.context
    higher = "Every rating known on the post's side is higher."
    why = (_stands(s), *((higher,) if s.below_outside else ()))
    weight = {"amps": 1.0, "either": 0.7, "power": 0.5}[s.holds]
    # A label in kW alone says nothing of the amperes behind it.
    told = {"amps": c.has_amps, "power": False, "either": bool(c.has_amps and c.post_kw)}[s.holds] or c.is_ac
    weight += 0.5 if s.below_outside and told else 0.0
    # Steady kW under every rating are fewer modules, a share, or the vehicle: nothing more speaks for it.
    weight -= 0.8 if s.below_outside and s.holds == "power" and c.post_kw else 0.0
    known = [kw for cap, kw in s.whole.caps if cap.limiter == "vehicle_limit"] if not c.is_ac or c.onboard_a else []
    if known and "vehicle_limit" not in matching(s):
        weight -= 1.5
    if s.fallen and not s.stepped_in:
        weight -= 0.7  # whatever lowered it before goes on
    if s.stepped_in < 0:
        weight += {"amps": 0.6, "either": 0.0, "power": -0.6}[s.holds]
        why = (*why, "It stays there, as when a vehicle asks less from there on.")
    yield Bid("vehicle_limit", weight, why)


def taper(s: Stretch) -> Iterator[Bid]:
    """Power that falls for good as the pack fills, evenly or in stairs."""
    if not s.for_good or s.course in ("off", "ramp"):
        return
    soc = s.edges("soc_percent")
    if s.course == "fall":
        sinks = s.change < -0.03 or s.fallen
        weight = 2.4 if soc is not None and soc[1] > soc[0] else 1.8
        yield Bid("vehicle_taper", weight if sinks else weight - 1.0, (fills(s),))
    elif s.fallen and s.course == "level" and s.stepped_in < 0:
        at = f" at {soc[0]:.0f} %" if soc else ""
        weight = {"amps": 0.9, "either": 0.6, "power": -0.4}[s.holds]
        weight += {True: 1.2, False: -0.5, None: 0.0}[on_soc_step(s)]
        late = soc is not None and soc[0] >= 75.0
        weight -= 0.8 if soc is not None and soc[1] - soc[0] >= _LONG_STAIR else 0.0
        weight += 1.0 if late or earlier_falls(s) or _falls_on(s) else 0.0
        yield Bid("vehicle_taper", weight, (f"Power steps to {s.start_kw:.1f} kW{at} and stays or falls on.",))
    elif s.fallen and s.course == "level":
        below = f"Power stands at {s.level_kw:.1f} kW, lower than before, and does not come back."
        yield Bid("vehicle_taper", 1.0 if s.fell == "slow" or earlier_falls(s) else 0.5, (below,))


def _falls_on(s: Stretch) -> bool:
    return s.whole.idle_kw < s.after_kw < 0.97 * s.end_kw


def temperatures(s: Stretch) -> Iterator[Bid]:
    """A cold pack that takes little and more as it warms, a hot one that asks for less."""
    pack, air = pack_c(s), s.mean("ambient_c")
    air = air if air is not None else s.context.ambient_c
    grows = s.course == "rise" and s.seconds > 90.0 and s.holds != "amps"
    how = f"Power creeps up from {s.start_kw:.1f} to {s.end_kw:.1f} kW in {s.seconds / 60.0:.1f} min"
    how = f"{how}, more than the pack's volts explain." if grows else f"Power stands at {s.level_kw:.1f} kW."
    if pack is not None and pack >= HOT_PACK_C and s.course in ("level", "fall"):
        sinks = s.course == "fall" or s.fallen
        yield Bid("vehicle_hot", _WARM if sinks or s.below_outside else 1.0, (how, f"The pack is at {pack:.0f} °C."))
    cold = pack is not None and pack <= COLD_PACK_C
    cold_air = pack is None and air is not None and air <= COLD_AIR_C
    if not (cold or cold_air):
        if grows and pack is None:
            yield Bid("vehicle_cold", 0.4, (how, "No temperature was read."), guess=True)
        return
    words = f"The pack is at {pack:.0f} °C." if cold else f"It is {air:.0f} °C outside."
    if grows:
        yield Bid("vehicle_cold", 3.2 if cold else 2.4, (how, words))
    elif _steady(s) and s.stepped_in >= 0:
        less = (1.2 if s.fallen else 0.0) + (2.0 if warms_unmoved(s) else 0.0)
        yield Bid("vehicle_cold", (1.6 if cold else 0.6) - less, (how, words))
    elif s.course == "fall":
        yield Bid("vehicle_cold", 0.8 if cold else 0.0, (fills(s), words))


def warm_cable(s: Stretch) -> Iterator[Bid]:
    """A cable or connector that warms and folds back slowly, levels off, and gives more as it cools."""
    if s.course in ("off", "ramp"):
        return
    warm = warm_connector(s)
    if not warm:
        if s.fell == "slow" and comes_back(s) and s.seconds > 40.0:
            back = f"Power fell slowly from {s.fell_from_kw:.1f} kW and comes back."
            yield Bid("cable_thermal", 0.3, (back, "No temperature was read that explains it."), guess=True)
        return
    if s.stepped_in and s.fell != "slow":
        return
    if s.course == "rise" and s.fallen:
        yield Bid("cable_thermal", _WARM, (f"Power comes back slowly from {s.start_kw:.1f} kW as it cools.", warm))
    elif s.course == "fall":
        weight = -2.0 if cools_while_it_sinks(s) else _WARM + 0.4
        yield Bid("cable_thermal", weight, (f"Power sinks slowly from {s.start_kw:.1f} to {s.end_kw:.1f} kW.", warm))
    elif s.course == "level" and s.fell == "slow":
        yield Bid("cable_thermal", 1.8, (f"Power stands at {s.level_kw:.1f} kW, below {s.fell_from_kw:.1f} kW.", warm))


def boost_ends(s: Stretch) -> Iterator[Bid]:
    """A cable that carried more for minutes than it carries for long."""
    if s.course != "level" or s.stepped_in >= 0 or s.start_s > _BOOST_S or s.context.is_ac:
        return
    c, amps, before = s.context, s.settled("amps_a"), s.whole.amps_before(s)
    for rating in (c.cable_a, c.connector_a):
        if rating and amps is not None and before is not None:
            if lies_near(amps, rating) and before > (1.0 + NEAR_SHARE) * rating:
                why = f"{before:.0f} A flowed for a while, then {amps:.0f}: the boost of what is rated {rating:g} A is over."
                yield Bid("cable_rating", _MET + 1.0, (why,))
                return
        elif rating and amps is None and s.holds == "amps":
            low, high = 1e3 * s.start_kw / rating, 1e3 * s.end_kw / rating
            before_v = 1e3 * s.before_kw / rating
            if _as_packs_have(s, low, high) and not _as_packs_have(s, before_v, before_v, beginning=True):
                why = f"At {rating:g} A that is {low:.0f} to {high:.0f} V, as packs have; what flowed before was more."
                yield Bid("cable_rating", _MET, (why,))
                return
    if amps is None or before is None:
        return
    usual = any(abs(size - amps) <= _ROUND_SHARE * size for size in _ROUND_A)
    if c.cable_a is None and s.holds == "amps" and usual and not earlier_falls(s):
        yield Bid(
            "cable_rating", 0.6, (f"{before:.0f} A flowed, then {amps:.0f}, as when a cable's boost ends.",), True
        )


def shared_out(s: Stretch) -> Iterator[Bid]:
    """Somebody else takes what this stall does not get: a neighbour on the cabinet, or the site."""
    above = s.fell_from_kw or s.before_kw
    fell = max(above - s.start_kw, -s.stepped_in, 0.0)
    if not s.stepped_in and s.fell == "step" and s.start_kw < 0.9 * s.fell_to_kw and not comes_back(s):
        return  # it has sunk further since
    if s.course in ("off", "ramp") or fell < 0.05 * max(above, 1e-9) or (s.fell == "slow" and not s.stepped_in):
        if s.fell == "slow" and comes_back(s):
            yield Bid("site_supply", 0.2, ("It sinks slowly and comes back later.",), guess=True)
        return
    back = comes_back(s)
    apart = ", with no step of the state of charge" if on_soc_step(s) is False else ""
    why = [f"Power falls from {above:.1f} to {s.start_kw:.1f} kW at once{apart}."]
    weight = {"amps": -0.9, "either": 0.0, "power": 0.9}[s.holds] if s.course != "fall" else -0.8
    if back:
        weight += 2.6
        why.append(f"It comes back to {float(s.whole.later_kw[s.last]):.1f} kW later.")
    weight += {True: -0.8, False: 0.4, None: 0.0}[on_soc_step(s)]
    near = [at for at in s.whole.neighbours if answers(s, at)]
    c = s.context
    if near:
        weight += _SEEN
        why.append(f"A neighbour plugged in {abs(s.start_s - near[0]):.0f} s away.")
    elif c.module_kw and abs(fell / c.module_kw - round(fell / c.module_kw)) < 0.15 and fell > 0.8 * c.module_kw:
        weight += 1.5
        why.append(f"That is {round(fell / c.module_kw)} modules of {c.module_kw:g} kW.")
    volts = s.edges("volts_v")
    lifted = s.holds == "power" and volts is not None and volts[1] > 1.02 * volts[0]
    # Steady kW with falling amperes is how a cabinet gives what it has.
    seen = back or len(why) > 1 or lifted
    if len(why) == 1:
        why.append(
            "kW stand while amperes fall; nobody saw who took the rest." if lifted else "Nobody saw who took it."
        )
    yield Bid("shared_cabinet", weight, tuple(why), guess=not seen)
    if s.course != "level":
        return
    if c.grid_kw is not None and lies_near(s.level_kw, c.grid_kw, 0.05) and s.holds != "amps":
        yield Bid("site_supply", _MET, (why[0], f"The site's supply has {c.grid_kw:g} kW."))
    elif c.grid_kw is None and c.buffer_kwh and s.holds != "amps" and _buffer_is_empty(s, c.buffer_kwh):
        empty = f"Beside what stays, a buffer of {c.buffer_kwh:g} kWh is used up by then."
        yield Bid("site_supply", _MET, (why[0], empty))
    elif c.grid_kw is None and s.holds != "amps":
        yield Bid("site_supply", weight - 1.2, tuple(why), guess=True)


def _buffer_is_empty(s: Stretch, buffer_kwh: float) -> bool:
    """Whether what flowed so far, less what the supply alone gives from here on, is what a buffer holds."""
    given, hours = s.whole.given_until(s.first)
    return lies_near(given - s.level_kw * hours, buffer_kwh, 0.25)


def converter(s: Stretch) -> Iterator[Bid]:
    """A steady level where the pack's volts are above the post's, and the converter's power is not known."""
    c = s.context
    if s.course != "level" or c.converter_kw is not None or c.post_v is None or c.pack_class_v is None:
        return
    soc = s.mean("soc_percent")
    if np.all(needs_converter(c, At(None, 50.0 if soc is None else soc, 0.0, None, 0.0))):
        text = f"A {c.pack_class_v:g} V class pack charges at a post of {c.post_v:g} V: a converter on board lifts the volts."
        yield Bid("vehicle_converter", 3.0, (text, f"It stands at {s.level_kw:.1f} kW for {s.seconds / 60.0:.0f} min."))


def phases(s: Stretch) -> Iterator[Bid]:
    """A three-phase charge that shows one or two thirds of what it should."""
    c = s.context
    if not c.is_ac or (c.ac_phases or 1) < 3 or (c.onboard_phases or 3) < 3 or s.course != "level":
        return
    rated = [
        float(kw[0]) for cap, kw in s.whole.caps if cap.limiter in ("evse_current", "cable_rating", "vehicle_limit")
    ]
    for number in (1, 2):
        if rated and abs(s.level_kw / min(rated) - number / 3.0) < 0.04:
            text = f"{s.level_kw:.1f} kW are {number} of 3 phases of the {min(rated):.1f} kW offered."
            yield Bid("phase_lost", 4.5, (text,))


def modules(s: Stretch) -> Iterator[Bid]:
    """A level at a whole number of modules below the post's power, where no cable or adapter explains it."""
    c = s.context
    if s.course != "level" or not c.post_kw or s.level_kw > 0.96 * c.post_kw or s.holds == "amps":
        return
    if {"cable_rating", "adapter"} & set(matching(s)) or s.whole.exceeded_a:
        return
    count = round(s.level_kw / c.module_kw) if c.module_kw else 0
    if count and abs(s.level_kw - count * (c.module_kw or 0.0)) <= 0.025 * s.level_kw:
        of = round(c.post_kw / (c.module_kw or 1.0))
        text = f"{s.level_kw:.1f} kW are {count} of {of} modules of {c.module_kw:g} kW."
        yield Bid("evse_power", 2.2 if s.stepped_in >= 0 else 0.8, (text,))
        return
    vehicle = any(cap.limiter == "vehicle_limit" for cap, _ in s.whole.caps)
    if vehicle and s.stepped_in >= 0 and s.highest_kw and s.below_outside and s.holds == "power":
        text = "Every rating known on the post's side is higher."
        fewer = "The vehicle's too: a cabinet that works with fewer modules holds such a level."
        yield Bid("evse_power", 1.4, (_stands(s), text, fewer))


def ramp_goes_on(s: Stretch) -> Iterator[Bid]:
    """A rise right after the ramp, slower than it."""
    if s.course == "rise" and s.number <= 2 and s.seconds <= 90.0 and not s.fallen:
        yield Bid("ramp", 1.5, (f"Power still rises from {s.start_kw:.1f} to {s.end_kw:.1f} kW in {s.seconds:.0f} s.",))


HYPOTHESES: tuple[Hypothesis, ...] = (
    ratings_met, unknown_ratings, vehicle_holds, taper, temperatures, warm_cable, boost_ends, shared_out, converter, phases,
    modules, ramp_goes_on,
)  # fmt: skip


def _as_packs_have(s: Stretch, low: float, high: float, beginning: bool = False) -> bool:
    """Whether a pack of a class known, or of a usual one, has such volts at the states of charge read, or as they begin."""
    first, last = s.edges("soc_percent") or (5.0, 95.0)
    last = first if beginning else last
    c = s.context.pack_class_v
    return any(
        _OF_CLASS[0] * float(open_circuit_v(size, first)) <= low
        and high <= _OF_CLASS[1] * float(open_circuit_v(size, last))
        for size in ((c,) if c else _CLASSES_V)
    )


def _implied_volts(s: Stretch) -> dict[LimiterKey, str]:
    """Ratings in amperes that, at the kW seen, would mean volts a pack has; for records without volts and amperes."""
    c = s.context
    found: dict[LimiterKey, str] = {}
    if s.settled("amps_a") is not None or c.is_ac:
        return found
    ratings: tuple[tuple[LimiterKey, float | None], ...] = (
        ("evse_current", c.post_a), ("cable_rating", c.cable_a), ("cable_rating", c.connector_a),
        ("adapter", c.adapter_a_continuous),
    )  # fmt: skip
    known = [amps for _, amps in ratings if amps]
    for limiter, amps in ratings:
        if amps and amps <= min(known):
            low, high = 1e3 * s.start_kw / amps, 1e3 * s.end_kw / amps
            if _as_packs_have(s, low, high):
                found.setdefault(limiter, f"At {amps:g} A that is {low:.0f} to {high:.0f} V, as packs have.")
    return found
