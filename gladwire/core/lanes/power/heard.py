"""What vehicle and post said of what they ask and allow, where messages or signals told it: whose limit a stretch shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from gladwire.core.lanes.power.clues import fills, lies_near, matching, pack_c, warm_connector, warms_unmoved
from gladwire.core.lanes.power.hypotheses import Bid
from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.limiters import BY_KEY, POST_SIDE, LimiterKey
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import COLD_PACK_C, HOT_PACK_C

# An asked or allowed value is met when what flows comes this near; volts are met when they come nearer, for they are never
# far below what is allowed (common practice, no source).
_MET, _MET_A, _MET_V = 0.965, 2.0, 0.993
# Less than this of the most it allowed is lowered; the most, less what a first reading may overstate.
_LOWERED, _USUAL_PERCENT = 0.96, 94.0
_KEYS = frozenset({"asked_a", "asked_kw", "post_max_a", "post_max_v", "post_max_kw"})
# What was said weighs more than any shape; a rating met still tells which of one side's limits it was.
_SAID, _REFUTED, _OUTSIDE = 4.5, -7.0, 1.5


@dataclass(frozen=True)
class Heard:
    """side: who holds by what was said; short: the vehicle asks more than it gets, and what the post says it allows does not
    explain it. lowered: the post says less than before. bids: of what was said alone; words: sentences to begin with."""

    side: Literal["vehicle", "post", "short"]
    words: tuple[str, ...]
    bids: tuple[Bid, ...] = ()
    lowered: bool = False

    def shift(self, limiter: LimiterKey) -> float:
        """What it adds to a limiter's bid."""
        if limiter in ("unexplained", "ramp"):
            return 0.0
        vehicles = BY_KEY[limiter].by == "vehicle"
        if self.side == "vehicle":
            return 0.0 if vehicles else _REFUTED
        if vehicles:
            return _REFUTED
        if self.side == "short":
            return _OUTSIDE if limiter in ("shared_cabinet", "site_supply") else 0.0
        constant = limiter in ("evse_current", "evse_power", "evse_voltage", "cable_rating", "adapter")
        return _REFUTED if self.lowered and constant else 0.0


def heard(s: Stretch) -> Heard | None:
    """What was said meanwhile, None where nothing was, or nothing that decides."""
    if _KEYS.isdisjoint(s.whole.read):
        return None
    asked, flows, unit = _asked(s)
    allowed = _allowed(s)
    if asked is not None and flows is not None:
        near = max(_MET * asked, asked - (_MET_A if unit == "A" else 0.0))
        if flows >= min(near, asked * 0.995):
            if allowed is not None and abs(asked - allowed[0]) <= 0.02 * allowed[0] and allowed[1] == unit:
                return _posts(s, f"The vehicle asks {asked:.0f} {unit}, all that the post allows.", allowed)
            if flows < 0.995 * asked and set(matching(s)) & set(POST_SIDE):
                return None  # a little less than asked, at a rating of the post's: either may hold
            return _vehicles(s, asked, flows, unit)
        if allowed is not None:
            return _posts(s, f"The vehicle asks {asked:.0f} {unit} and gets {flows:.0f}.", allowed)
        read = any(key in s.whole.read for key in ("post_max_a", "post_max_kw", "post_max_v"))
        more = "what the post says it allows does not explain it" if read else "what the post allows was not read"
        return Heard("short", (f"The vehicle asks {asked:.0f} {unit} and gets {flows:.0f}; {more}.",))
    if allowed is not None:
        return _posts(s, f"What flows is all that the post allows, {allowed[0]:.0f} {allowed[1]}.", allowed)
    return None


def _asked(s: Stretch) -> tuple[float | None, float | None, str]:
    """(asked, flows, unit) by the stretch's means; None where not said."""
    for key, present, unit in (("asked_a", "amps_a", "A"), ("asked_kw", "power_kw", "kW")):
        asked, flows = s.settled(key), s.settled(present)
        if asked is not None and flows is not None and asked > 0:
            return asked, flows, unit
    return None, None, ""


def _allowed(s: Stretch) -> tuple[float, str] | None:
    """(what the post allows, its unit) of the limit that is nearest to being used up; None where none is."""
    found = []
    for key, present, unit, met in (
        ("post_max_a", "amps_a", "A", _MET), ("post_max_kw", "power_kw", "kW", _MET), ("post_max_v", "volts_v", "V", _MET_V),
    ):  # fmt: skip
        allowed, flows = s.settled(key), s.settled(present)
        falls = unit != "V" or s.course == "fall" or s.change < 0.0
        if allowed is not None and flows is not None and allowed > 0 and flows >= met * allowed and falls:
            found.append((flows / allowed, allowed, unit))
    return max(found)[1:] if found else None


def _vehicles(s: Stretch, asked: float, flows: float, unit: str) -> Heard:
    met = f"The vehicle asks {asked:.0f} {unit} and gets {flows:.0f}: it takes no more."
    pack, own = pack_c(s), s.mean("vehicle_max_a" if unit == "A" else "vehicle_max_kw")
    bids = [Bid("vehicle_limit", 1.5, ("It asks the same all the while.",) if s.course == "level" else ())]
    if own is not None and lies_near(asked, own) and s.course == "level" and not s.fallen:
        bids.append(Bid("vehicle_limit", _SAID, (f"That is the most it says it can take, {own:.0f} {unit}.",)))
    if pack is not None and pack >= HOT_PACK_C and s.course in ("fall", "level"):
        bids.append(Bid("vehicle_hot", _SAID, (f"The pack is at {pack:.0f} °C.",)))
    if pack is not None and pack <= COLD_PACK_C and not s.fallen:
        weight = 0.5 if warms_unmoved(s) else _SAID - 0.5
        bids.append(Bid("vehicle_cold", weight, (f"The pack is at {pack:.0f} °C.",)))
    if s.course == "fall":
        bids.append(Bid("vehicle_taper", 3.0, (fills(s),)))
    return Heard("vehicle", (met,), tuple(bids))


def _posts(s: Stretch, why: str, allowed: tuple[float, str]) -> Heard:
    """A limit the post announced and that is used up: constant, folded back, or lowered for a time."""
    for key, unit in (("post_max_a", "A"), ("post_max_kw", "kW")):
        top, now = s.top_of(key), s.settled(key)
        if unit == allowed[1] and top and now is not None and now < _LOWERED * top and not _same_kw(s, key):
            said = f"It has lowered its limit from {top:.0f} to {now:.0f} {unit}."
            slow = "It sinks slowly, as a warm cable's does."
            sinks = s.course == "fall" and not s.stepped_in
            bids = [Bid("cable_thermal", 3.0, ())] if warm_connector(s) else []
            bids += [Bid("cable_thermal", 1.0, (slow,))] if sinks else [Bid("shared_cabinet", 2.0, ())]
            return Heard("post", (why, said), tuple(bids), lowered=True)
    if allowed[1] == "A" and _falls_with_volts(s):
        return Heard(
            "post", (why,), (Bid("evse_power", 3.0, ("The amperes it allows fall as volts rise: its kW stand.",)),)
        )
    limiter: LimiterKey = {"A": "evse_current", "kW": "evse_power", "V": "evse_voltage"}[allowed[1]]  # type: ignore[assignment]
    beside = (Bid("cable_rating", 1.4, ()),) if limiter == "evse_current" else ()
    return Heard("post", (why,), (Bid(limiter, 2.4, ()), *beside))


def _allowed_kw(s: Stretch) -> Floats | None:
    """What the post's amperes mean in kW at the volts of the moment, over the session; None where either was not read."""
    amps, volts = s.whole.read.get("post_max_a"), s.whole.read.get("volts_v")
    return None if amps is None or volts is None else amps * volts * 1e-3


def _same_kw(s: Stretch, key: str) -> bool:
    """Whether amperes that are fewer than before mean the same kW, at more volts."""
    kw = _allowed_kw(s) if key == "post_max_a" else None
    if kw is None or not np.isfinite(kw).any():
        return False
    usual = float(np.nanpercentile(kw, _USUAL_PERCENT))
    return float(np.nanmean(kw[s.first : s.last + 1])) >= _LOWERED * usual


def _falls_with_volts(s: Stretch) -> bool:
    """Whether the amperes allowed follow the volts so that kW stand, while both move."""
    allowed, volts = s.edges("post_max_a"), s.edges("volts_v")
    if allowed is None or volts is None or volts[1] < 1.01 * volts[0]:
        return False
    return allowed[1] < 0.995 * allowed[0] and abs(allowed[1] * volts[1] / (allowed[0] * volts[0]) - 1.0) < 0.01
