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
    """key ends in the unit."""

    key: str
    title: str
    unit: str


QUANTITIES: tuple[Quantity, ...] = (
    Quantity("power_kw", "Power", "kW"),
    Quantity("volts_v", "Volts", "V"),
    Quantity("amps_a", "Amperes", "A"),
    Quantity("soc_percent", "State of charge", "%"),
    Quantity("energy_kwh", "Energy so far", "kWh"),
    Quantity("asked_a", "Amperes the vehicle asks", "A"),
    Quantity("asked_v", "Volts the vehicle asks", "V"),
    Quantity("asked_kw", "Power the vehicle asks", "kW"),
    Quantity("post_max_a", "Amperes the post allows", "A"),
    Quantity("post_max_v", "Volts the post allows", "V"),
    Quantity("post_max_kw", "Power the post allows", "kW"),
    Quantity("vehicle_max_a", "Amperes the vehicle can take", "A"),
    Quantity("vehicle_max_kw", "Power the vehicle can take", "kW"),
    Quantity("pack_c", "Pack temperature", "°C"),
    Quantity("connector_c", "Connector temperature", "°C"),
    Quantity("ambient_c", "Outside temperature", "°C"),
)
BY_KEY = {quantity.key: quantity for quantity in QUANTITIES}
