"""Clues about a stretch that several explanations use: ratings it lies at, temperatures, and whether power comes back.

All shares, times and temperatures here are common practice, no source.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.limiters import LimiterKey
from gladwire.core.standards.practice import NEAR_SHARE, NEIGHBOUR_AFTER_S, NEIGHBOUR_BEFORE_S, WARM_CONNECTOR_C
from gladwire.core.standards.supply import MAINS_SHARE

# Two steps further apart are two; a pack that warms by so much and takes no more is not held by its cold.
_ONE_STEP_S, _WARMS_C = 15.0, 3.0


class Told(NamedTuple):
    """also: what the columns cannot tell from the limiter. sure: 0 to 1. why: sentences with numbers."""

    limiter: LimiterKey
    sure: float
    why: tuple[str, ...]
    also: tuple[LimiterKey, ...] = ()


def answers(s: Stretch, plugged_s: float) -> bool:
    """Whether a stretch begins as the answer to a neighbour's plug-in would: with the largest step down of those that could
    be it."""
    if not -NEIGHBOUR_BEFORE_S < s.start_s - plugged_s < NEIGHBOUR_AFTER_S:
        return False
    times, power = s.whole.blocks.time_s, s.whole.blocks.power_kw
    since, until = np.searchsorted(times, (plugged_s - NEIGHBOUR_BEFORE_S, plugged_s + NEIGHBOUR_AFTER_S))
    near = power[max(int(since) - 2, 0) : int(until) + 2]
    if len(near) < 3:
        return True
    largest = float(times[max(int(since) - 2, 0) + int(np.argmax(near[:-2] - near[2:])) + 1])
    return abs(s.start_s - largest) <= _ONE_STEP_S + 3.0 * s.whole.block_s


def warms_unmoved(s: Stretch) -> bool:
    """Whether the pack warms by degrees and power does not grow with it: no cold holds that."""
    pack = s.edges("pack_c")
    return pack is not None and pack[1] - pack[0] > _WARMS_C and s.course == "level"


def lies_near(value: float, rating: float | None, share: float = NEAR_SHARE) -> bool:
    return rating is not None and abs(value - rating) <= share * rating


def pack_c(s: Stretch) -> float | None:
    read = s.mean("pack_c")
    return read if read is not None else s.context.pack_c


def fills(s: Stretch) -> str:
    soc = s.ends("soc_percent")
    fall = f"Power goes from {s.start_kw:.1f} to {s.end_kw:.1f} kW"
    return f"{fall} from {soc[0]:.0f} to {soc[1]:.0f} % and does not come back." if soc else f"{fall} for good."


def warm_connector(s: Stretch) -> str:
    """What a connector's temperature says, or nothing: warm, and warming until power sank."""
    read = s.whole.read.get("connector_c")
    if read is None:
        return ""
    inside = read[s.first : s.last + 1]
    if np.isnan(inside).all():
        return ""
    highest = float(np.nanmax(inside))
    return f"The connector is at {highest:.0f} °C." if highest >= WARM_CONNECTOR_C else ""


def comes_back(s: Stretch) -> bool:
    """Whether power is near again where it fell from, or in a taper steps up again."""
    half = s.end_kw + 0.5 * (s.fell_from_kw - s.end_kw)
    if float(s.whole.later_kw[s.last]) >= half or (s.course == "rise" and s.end_kw >= 0.9 * s.fell_from_kw):
        return True
    return s.fell == "step" and s.stepped_out >= 0.04 * s.whole.top_kw


def on_soc_step(s: Stretch) -> bool | None:
    """Whether the display of SoC stepped when power did; None where that would happen by chance as well."""
    steps = s.whole.soc_steps
    near = 2.0 + 0.6 * s.whole.every_s
    if len(steps) < 3 or 2.0 * near > 0.35 * float(steps[-1] - steps[0]) / (len(steps) - 1):
        return None
    return bool(np.abs(steps - s.start_s).min() <= near)


def matching(s: Stretch) -> dict[LimiterKey, str]:
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
        known = ratio[np.isfinite(ratio)]
        # The edges of a stretch may lie beyond a step, of power or of a rating that ends.
        middle = np.sort(known)[len(known) // 10 : len(known) - len(known) // 10] if len(known) else known
        # At nominal mains: without volts, what a phase gives is known no better than the mains are held.
        near = MAINS_SHARE if s.context.is_ac and s.mean("volts_v") is None else NEAR_SHARE
        if len(middle) and abs(float(middle.mean()) - 1.0) <= near and float(middle.std()) < 0.03:
            found.setdefault(cap.limiter, f"{s.level_kw:.1f} kW is what {cap.says(s.context)} gives here.")
    return found


def cools_while_it_sinks(s: Stretch) -> bool:
    """Whether the connector cools while power sinks further: a cable that cools gives more, not less."""
    read = s.edges("connector_c")
    return read is not None and read[1] < read[0] - 1.0


def earlier_falls(s: Stretch) -> bool:
    """Whether power had stepped or sunk before this stretch already."""
    return s.number > 1 and s.before_kw < 0.9 * s.whole.top_kw
