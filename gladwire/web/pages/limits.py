"""Limits: the tables every finding is held against, the rules, their sources, and duty to current both ways."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query
from starlette.responses import Response

from gladwire.core.findings import Rule
from gladwire.core.pilot.record import PilotRecord
from gladwire.core.pilot.rules import RULES
from gladwire.core.standards import pilot_duty, pilot_levels, pilot_timing
from gladwire.core.standards.pilot_duty import DIFFERENCES, TABLES, Difference, DutyTable
from gladwire.core.standards.pilot_levels import SAE_BANDS, STATES, Band, PilotState
from gladwire.core.standards.source import SOURCES, Source
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class DutyAnswer:
    """What the calculator says: a line per table for a duty, the duties for a current, or why not."""

    duty: str
    amps: str
    meanings: list[tuple[str, str, str]]
    duties: list[tuple[str, str]]
    trouble: str


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
    constants: list[Constant]
    rules: tuple[Rule[PilotRecord], ...]
    sources: tuple[Source, ...]
    answer: DutyAnswer


def within(share: float) -> str:
    return f"± {100 * share:g} %"


def _constants() -> list[Constant]:
    t, v = pilot_timing, pilot_levels
    rises = ", ".join(f"{state} {limit:g} µs" for state, limit in t.RISE_MAX_US.items())
    return [
        Constant("Source, open circuit", f"{v.SOURCE_HIGH.low_v:g} to {v.SOURCE_HIGH.high_v:g} V", v.CIRCUIT_SOURCE),
        Constant("Source, negative side", f"{v.SOURCE_LOW.low_v:g} to {v.SOURCE_LOW.high_v:g} V", v.CIRCUIT_SOURCE),
        Constant("Low side while oscillating", f"{v.LOW_SIDE.low_v:g} to {v.LOW_SIDE.high_v:g} V", v.STATES_SOURCE),
        Constant("Source resistance", f"{v.SOURCE_OHM:g} Ω", v.CIRCUIT_SOURCE),
        Constant("Vehicle, always", f"{v.VEHICLE_R2_OHM:g} Ω behind a diode", v.CIRCUIT_SOURCE),
        Constant("Vehicle, asking", f"{v.VEHICLE_R3_OHM:g} Ω in parallel", v.CIRCUIT_SOURCE),
        Constant("Vehicle, asking with ventilation", f"{v.VEHICLE_R3_VENTILATED_OHM:g} Ω in parallel", v.CIRCUIT_SOURCE),
        Constant("Frequency, source", f"{t.FREQUENCY_HZ:g} Hz {within(t.FREQUENCY_SOURCE_TOLERANCE)}", t.FREQUENCY_SOURCE),
        Constant("Frequency a vehicle accepts", within(t.FREQUENCY_VEHICLE_TOLERANCE), t.FREQUENCY_SOURCE),
        Constant("Rise, 10 to 90 %, at most", rises, t.EDGES_SOURCE),
        Constant("Fall, 90 to 10 %, at most", f"{t.FALL_MAX_US:g} µs", t.EDGES_SOURCE),
        Constant("Capacitance on the pilot, at most", f"{t.CAPACITANCE_MAX_NF:g} nF", t.EDGES_SOURCE),
        Constant("Restart of matching (E or F)", f"at least {t.RESTART_MATCHING_MIN_S:g} s", t.RESTART_SOURCE),
        Constant("Gap taken for a contact", f"up to {t.INTERRUPTION_MAX_S:g} s", t.PRACTICE_SOURCE),
        Constant("Hunting, not a wake-up", f"from {t.HUNTING_MIN_REQUESTS} requests on", t.PRACTICE_SOURCE),
    ]  # fmt: skip


def _answer(duty: str, amps: str) -> DutyAnswer:
    meanings: list[tuple[str, str, str]] = []
    duties: list[tuple[str, str]] = []
    try:
        if duty.strip():
            value = float(duty.replace(",", "."))
            for table in TABLES:
                offer = pilot_duty.offer(value, table)
                current = "" if offer.current_a is None else f"{offer.current_a:g} A"
                meanings.append((table.name, current, offer.means))
        if amps.strip():
            value = float(amps.replace(",", "."))
            for table in TABLES:
                found = " or ".join(f"{d:g} %" for d in pilot_duty.duties_for(value, table))
                duties.append((table.name, found or "no duty offers this"))
    except ValueError as error:
        said = str(error)
        trouble = "A number was expected." if said.startswith("could not convert") else f"{said[0].upper()}{said[1:]}."
        return DutyAnswer(duty, amps, [], [], trouble)
    return DutyAnswer(duty, amps, meanings, duties, "")


@router.get("/limits")
def limits(
    duty: Annotated[str, Query(max_length=20)] = "26.7", amps: Annotated[str, Query(max_length=20)] = "16"
) -> Response:
    page = LimitsPage(
        "limits", STATES, SAE_BANDS, TABLES, DIFFERENCES, _constants(), RULES, SOURCES, _answer(duty, amps)
    )
    return render("limits.html", page)


@router.get("/limits/duty")
def duty_answer(
    duty: Annotated[str, Query(max_length=20)] = "", amps: Annotated[str, Query(max_length=20)] = ""
) -> Response:
    """The calculator's answer alone, as a fragment."""
    return render("parts/duty.html", _answer(duty, amps))
