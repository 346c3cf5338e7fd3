"""Energy from a price paid, what it means in distance, and what a label in kW means at a pack's volts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.power.distance import UNITS, distance
from gladwire.core.power.tariff import Tariff, energy_from_price
from gladwire.core.standards.source import PRACTICE
from gladwire.web.calculators.tool import Field, Tool, number, optional


class Answer(NamedTuple):
    """shares: (words, part of the price paid) for the drawing. minutes: of the session, None where not typed."""

    kwh: float
    shares: tuple[tuple[str, float], ...]
    average_kw: float | None
    far: str


def answer(typed: Mapping[str, str]) -> Answer:
    """Raises ValueError where the price does not tell energy."""
    paid = number(typed, "paid", "Paid")
    per_kwh, per_min = number(typed, "per_kwh", "Price a kWh"), optional(typed, "per_min", "Price a minute") or 0.0
    start, minutes = optional(typed, "per_start", "Price a start") or 0.0, optional(typed, "minutes", "Minutes")
    if min(paid, per_kwh, per_min, start, minutes or 0.0) < 0:
        raise ValueError("prices and minutes cannot be negative")
    tariff = Tariff(per_kwh=per_kwh, per_min=per_min, per_start=start)
    kwh = energy_from_price(tariff, paid, minutes or 0.0)
    use = optional(typed, "consumption", "Consumption")
    far, length = distance(kwh, use, typed["unit"]) if use else (0.0, "")
    parts = (("energy", per_kwh * kwh), ("minutes", per_min * (minutes or 0.0)), ("start", start))
    return Answer(
        kwh,
        tuple((words, part / paid) for words, part in parts if part > 0) if paid else (),
        kwh * 60.0 / minutes if minutes else None,
        f"{far:.0f} {length}" if use else "",
    )


TOOL = Tool(
    "paid",
    "Energy from the price paid",
    "Where nothing else was read: kWh from the receipt and the tariff, and how far they go.",
    (
        Field("paid", "Paid", "18.20"),
        Field("per_kwh", "Price a kWh", "0.52"),
        Field("per_min", "a minute", ""),
        Field("per_start", "a start", ""),
        Field("minutes", "Lasted", "24", "min"),
        Field("consumption", "Consumption", "17"),
        Field("unit", "in", UNITS[0], choices=tuple((unit, unit) for unit in UNITS)),
    ),
    answer,
    (PRACTICE,),
)
