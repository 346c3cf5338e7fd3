"""Limits: the tables every finding is held against, the rules, their sources, and duty to current both ways."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.findings import Rule
from gladwire.core.power.limiters import LIMITERS, Limiter
from gladwire.core.rulebook import ALL
from gladwire.core.standards import pilot_levels, v2g_codes
from gladwire.core.standards.limits import TOPICS, Topic
from gladwire.core.standards.pilot_duty import DIFFERENCES, TABLES, Difference, DutyTable
from gladwire.core.standards.pilot_levels import SAE_BANDS, STATES, Band, PilotState
from gladwire.core.standards.source import SOURCES, Source
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class Constant:
    name: str
    value: str
    source: Source


@dataclass(frozen=True)
class LimitsPage:
    area: str
    states: tuple[PilotState, ...]
    sae: dict[str, Band]
    tables: tuple[DutyTable, ...]
    differences: tuple[Difference, ...]
    circuit: list[Constant]
    topics: tuple[Topic, ...]
    codes: list[tuple[str, str]]
    rules: tuple[Rule[Any], ...]
    sources: tuple[Source, ...]
    limiters: tuple[Limiter, ...]


def _circuit() -> list[Constant]:
    """What source and vehicle are built of."""
    v = pilot_levels
    return [
        Constant("Source, open circuit", f"{v.SOURCE_HIGH.low_v:g} to {v.SOURCE_HIGH.high_v:g} V", v.CIRCUIT_SOURCE),
        Constant("Source, negative side", f"{v.SOURCE_LOW.low_v:g} to {v.SOURCE_LOW.high_v:g} V", v.CIRCUIT_SOURCE),
        Constant("Low side while oscillating", f"{v.LOW_SIDE.low_v:g} to {v.LOW_SIDE.high_v:g} V", v.STATES_SOURCE),
        Constant("Source resistance", f"{v.SOURCE_OHM:g} Ω", v.CIRCUIT_SOURCE),
        Constant("Vehicle, always", f"{v.VEHICLE_R2_OHM:g} Ω behind a diode", v.CIRCUIT_SOURCE),
        Constant("Vehicle, asking", f"{v.VEHICLE_R3_OHM:g} Ω in parallel", v.CIRCUIT_SOURCE),
        Constant(
            "Vehicle, asking with ventilation", f"{v.VEHICLE_R3_VENTILATED_OHM:g} Ω in parallel", v.CIRCUIT_SOURCE
        ),
    ]


def _codes() -> list[tuple[str, str]]:
    """Codes a message may carry, with their meaning."""
    tables = (v2g_codes.RESPONSES, v2g_codes.EV_ERRORS, v2g_codes.POST_STATUS)
    return [(code, meaning) for table in tables for code, meaning in table.items()]


@router.get("/limits")
def limits() -> Response:
    page = LimitsPage(
        "limits", STATES, SAE_BANDS, TABLES, DIFFERENCES, _circuit(), TOPICS, _codes(), ALL, SOURCES, LIMITERS
    )
    return render("limits.html", page)
