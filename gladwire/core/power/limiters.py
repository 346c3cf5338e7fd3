"""What can hold a session back at a moment: each limiter once, with who it belongs to and the words people read."""

from __future__ import annotations

from typing import Literal, NamedTuple

LimiterKey = Literal[
    "none", "ramp", "vehicle_taper", "vehicle_cold", "vehicle_hot", "vehicle_converter", "vehicle_limit", "evse_current",
    "evse_power", "evse_voltage", "cable_rating", "cable_thermal", "adapter", "shared_cabinet", "site_supply",
    "phase_lost", "stop_fault", "unexplained",
]  # fmt: skip
By = Literal["vehicle", "evse", "cable", "adapter", "site", "none", "unknown"]


class Limiter(NamedTuple):
    """by: whose it is. usual: whether it is a limit of things as they are, never a fault. why: what it means, in words."""

    key: LimiterKey
    title: str
    by: By
    usual: bool
    why: str


LIMITERS: tuple[Limiter, ...] = (
    Limiter("none", "Nothing flows", "none", True, "Before power begins and after it has ended nothing limits it."),
    Limiter(
        "ramp", "Ramp-up", "none", True, "Power rises to its level; 60 to 80 s are usual, up to two minutes for trucks."
    ),
    Limiter(
        "vehicle_taper",
        "Taper",
        "vehicle",
        True,
        "The vehicle asks less as it fills, evenly or in stairs. Never a fault.",
    ),
    Limiter("vehicle_cold", "Cold pack", "vehicle", True, "A cold pack takes little current and more as it warms."),
    Limiter("vehicle_hot", "Hot pack", "vehicle", False, "A hot pack asks for less until it has cooled."),
    Limiter(
        "vehicle_converter",
        "Converter",
        "vehicle",
        True,
        ("The post's volts are below the pack's: a converter on board lifts them, at its own power."),
    ),
    Limiter("vehicle_limit", "Vehicle's limit", "vehicle", True, "The vehicle takes no more, however much is offered."),
    Limiter(
        "evse_current",
        "Post's current",
        "evse",
        True,
        "The post's amperes are all used; kW creep up with the pack's volts.",
    ),
    Limiter(
        "evse_power", "Post's power", "evse", True, "The post's kW are all used; amperes fall as the pack's volts rise."
    ),
    Limiter("evse_voltage", "Post's volts", "evse", True, "The post gives no more volts."),
    Limiter(
        "cable_rating", "Cable or connector", "cable", True, "The cable or connector is rated for no more amperes."
    ),
    Limiter(
        "cable_thermal",
        "Warm cable or connector",
        "cable",
        False,
        "The cable or connector warms, and current is folded back slowly.",
    ),
    Limiter(
        "adapter", "Adapter", "adapter", False, "The adapter is rated for no more; ratings are usually continuous."
    ),
    Limiter(
        "shared_cabinet",
        "Shared cabinet",
        "site",
        False,
        "A neighbour on the same cabinet takes its part while it is plugged in.",
    ),
    Limiter(
        "site_supply", "Site supply", "site", False, "The site's supply is used up, or its buffer battery is empty."
    ),
    Limiter(
        "phase_lost",
        "Phase lost",
        "unknown",
        False,
        ("One or two of three phases carry nothing: in the supply, the cable or the on-board charger."),
    ),
    Limiter("stop_fault", "Stopped", "unknown", False, "Power fell to nothing in the middle of a session."),
    Limiter("unexplained", "Unexplained", "unknown", False, "Nothing that was read explains this level."),
)
BY_KEY: dict[str, Limiter] = {limiter.key: limiter for limiter in LIMITERS}
# What stands outside the vehicle and has a rating or a share.
POST_SIDE: tuple[LimiterKey, ...] = (
    "evse_current", "evse_power", "evse_voltage", "cable_rating", "adapter", "shared_cabinet", "site_supply",
)  # fmt: skip
