"""The chain of AC limits: offer, cable, supply, on-board charger. The least wins; the charger converts only its phases."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

System = Literal["230/400", "120/240", "120/208"]
Link = Literal["offer", "cable", "supply", "onboard"]

LINK_WORDS: dict[Link, str] = {
    "offer": "the post's offer",
    "cable": "the cable",
    "supply": "the supply",
    "onboard": "the on-board charger",
}


class Limit(NamedTuple):
    """What one link allows: amperes per phase, and phases (the offer names none: it follows the supply)."""

    current_a: float
    phases: int


class Chain(NamedTuple):
    """current_a per phase, phases in use, power in kW; binding: every link that sets the current or the phases.

    gains_kw: what more would flow if that link alone were no limit.
    """

    current_a: float
    phases: int
    power_kw: float
    binding: tuple[Link, ...]
    gains_kw: dict[Link, float]


def power_kw(system: System, phases: int, current_a: float) -> float:
    """Power at unity power factor. 230/400: star, 1 to 3 phases; 120/240: split; 120/208: two legs of three-phase.

    Raises ValueError for more phases than the system has.
    """
    if system == "230/400":
        if not 1 <= phases <= 3:
            raise ValueError("230/400 V has one to three phases")
        return phases * 230.0 * current_a / 1e3
    if phases not in (1, 2):
        raise ValueError(f"{system} V serves a vehicle with one leg (120 V) or two")
    volts = 120.0 if phases == 1 else 240.0 if system == "120/240" else math.sqrt(3) * 120.0
    return volts * current_a / 1e3


def chain(system: System, offer_a: float, cable: Limit, supply: Limit, onboard: Limit) -> Chain:
    """The weakest links and what each costs. Raises ValueError for currents or phases that cannot be."""
    if min(offer_a, cable.current_a, supply.current_a, onboard.current_a) < 0:
        raise ValueError("a current is not negative")
    limits: dict[Link, Limit] = {
        "offer": Limit(offer_a, supply.phases),
        "cable": cable,
        "supply": supply,
        "onboard": onboard,
    }
    current, phases, power = _least(system, limits)
    gains = {}
    for link in limits:
        others = {k: v for k, v in limits.items() if k != link}
        if link == "supply":  # the offer's phases were the supply's
            others["offer"] = Limit(offer_a, 99)
        gains[link] = round(_least(system, others)[2] - power, 3)
    binding = tuple(k for k, v in limits.items() if v.current_a == current or (v.phases == phases and k != "offer"))
    binding = tuple(k for k in binding if gains[k] > 0) or binding
    return Chain(current, phases, power, binding, gains)


def _least(system: System, limits: dict[Link, Limit]) -> tuple[float, int, float]:
    current = min(limit.current_a for limit in limits.values())
    phases = min(min(limit.phases for limit in limits.values()), 3 if system == "230/400" else 2)
    return current, phases, power_kw(system, phases, current)
