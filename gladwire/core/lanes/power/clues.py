"""Clues about a stretch that several explanations use: ratings it lies at, temperatures, and whether power comes back.

All shares, times and temperatures here are common practice, no source.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gladwire.core.lanes.power.stretch import Stretch
from gladwire.core.power.limiters import LimiterKey
from gladwire.core.standards.practice import NEAR_SHARE, NEIGHBOUR_AFTER_S, NEIGHBOUR_BEFORE_S, WARM_CONNECTOR_C

POST_SIDE = ("evse_current", "evse_power", "evse_voltage", "cable_rating", "adapter", "shared_cabinet", "site_supply")


class Told(NamedTuple):
    """also: what the columns cannot tell from the limiter. sure: 0 to 1. why: sentences with numbers."""

    limiter: LimiterKey
    sure: float
    why: tuple[str, ...]
    also: tuple[LimiterKey, ...] = ()


def answers(s: Stretch, plugged_s: float) -> bool:
    """Whether a stretch begins as the answer to a neighbour's plug-in would."""
    return -NEIGHBOUR_BEFORE_S < s.start_s - plugged_s < NEIGHBOUR_AFTER_S


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


def shared_out(s: Stretch) -> Told:
    """Who takes what this stall does not get: a neighbour, or the site."""
    above = s.fell_from_kw or s.before_kw
    fell = max(above - s.start_kw, -s.stepped_in, 0.0)
    apart = ", with no step of the state of charge" if on_soc_step(s) is False else ""
    why = [f"Power falls from {above:.1f} to {s.start_kw:.1f} kW at once{apart}."]
    back = comes_back(s)
    if back:
        why.append(f"It comes back to {float(s.whole.later_kw[s.last]):.1f} kW later.")
    near = [at for at in s.whole.neighbours if answers(s, at)]
    if near:
        return Told("shared_cabinet", 0.92, (*why, f"A neighbour plugged in {abs(s.start_s - near[0]):.0f} s away."))
    c = s.context
    if c.grid_kw is not None and lies_near(s.level_kw, c.grid_kw, 0.05):
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
        if len(middle) and abs(float(middle.mean()) - 1.0) <= NEAR_SHARE and float(middle.std()) < 0.03:
            found.setdefault(cap.limiter, f"{s.level_kw:.1f} kW is what {cap.says(s.context)} gives here.")
    return found


def at_rating(s: Stretch) -> Told | None:
    """A level that lies at a rating; equal ratings cannot be told apart and are all named."""
    matched = matching(s)
    if not matched:
        return None
    first, *others = matched
    if first == "vehicle_limit" and others:  # the vehicle's own limit comes after what stands outside, if both fit
        first, others = others[0], [*others[1:], "vehicle_limit"]
    return Told(first, 0.85 if not others else 0.75, tuple(matched.values()), tuple(others))
