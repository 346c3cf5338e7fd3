"""What a power record can hold: each quantity once, with its unit and the words people read."""

from __future__ import annotations

from typing import Literal, NamedTuple

# Where a series was read. "frames": said in messages between vehicle and post.
Place = Literal["post", "vehicle", "meter", "frames", "unknown"]
PLACE_WORDS: dict[Place, str] = {
    "post": "read at the post",
    "vehicle": "read in the vehicle",
    "meter": "read from a meter",
    "frames": "said in messages",
    "unknown": "not said where it was read",
}


class Quantity(NamedTuple):
    """key ends in the unit. least, most: beyond them no charging session goes, and a reading is none (common practice, no
    source: megawatt charging reaches 1250 V, 3000 A and 3.75 MW)."""

    key: str
    title: str
    unit: str
    least: float
    most: float


QUANTITIES: tuple[Quantity, ...] = (
    Quantity("power_kw", "Power", "kW", -6_000, 6_000),
    Quantity("volts_v", "Volts", "V", -2_000, 5_000),
    Quantity("amps_a", "Amperes", "A", -6_000, 6_000),
    Quantity("soc_percent", "State of charge", "%", -1, 110),
    Quantity("energy_kwh", "Energy so far", "kWh", -1e6, 1e9),
    Quantity("asked_a", "Amperes the vehicle asks", "A", -6_000, 6_000),
    Quantity("asked_v", "Volts the vehicle asks", "V", -2_000, 5_000),
    Quantity("asked_kw", "Power the vehicle asks", "kW", -6_000, 6_000),
    Quantity("post_max_a", "Amperes the post allows", "A", -6_000, 6_000),
    Quantity("post_max_v", "Volts the post allows", "V", -2_000, 5_000),
    Quantity("post_max_kw", "Power the post allows", "kW", -6_000, 6_000),
    Quantity("vehicle_max_a", "Amperes the vehicle can take", "A", -6_000, 6_000),
    Quantity("vehicle_max_kw", "Power the vehicle can take", "kW", -6_000, 6_000),
    Quantity("pack_c", "Pack temperature", "°C", -90, 250),
    Quantity("connector_c", "Connector temperature", "°C", -90, 250),
    Quantity("ambient_c", "Outside temperature", "°C", -90, 250),
)
BY_KEY = {quantity.key: quantity for quantity in QUANTITIES}
