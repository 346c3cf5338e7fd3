"""Prices of energy, of minutes and of staying too long; and energy from a price paid."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

_Price = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class Tariff(BaseModel):
    """In any currency. per_start: once; idle_per_min: for each minute plugged in after charging and a grace time."""

    model_config = ConfigDict(frozen=True)

    per_kwh: _Price = 0.0
    per_min: _Price = 0.0
    per_start: _Price = 0.0
    idle_per_min: _Price = 0.0
    idle_free_min: Annotated[float, Field(ge=0, le=1e5)] = 0.0


def price(tariff: Tariff, energy_kwh: float, minutes: float, idle_minutes: float = 0.0) -> float:
    """What a session costs."""
    idle = max(0.0, idle_minutes - tariff.idle_free_min)
    return tariff.per_start + tariff.per_kwh * energy_kwh + tariff.per_min * minutes + tariff.idle_per_min * idle


def energy_from_price(tariff: Tariff, paid: float, minutes: float = 0.0, idle_minutes: float = 0.0) -> float:
    """kWh a price paid means. Raises ValueError where energy costs nothing, or less was paid than the rest costs."""
    if tariff.per_kwh <= 0:
        raise ValueError("the tariff has no price for energy, so the price paid does not tell it")
    rest = price(tariff, 0.0, minutes, idle_minutes)
    if paid < rest:
        raise ValueError(f"minutes and fees alone cost {rest:.2f}, more than was paid")
    return (paid - rest) / tariff.per_kwh
