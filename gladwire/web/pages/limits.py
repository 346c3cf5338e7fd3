"""Limits: the tables every finding is held against, the rules, their sources, and duty to current both ways."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.findings import Rule
from gladwire.core.power.limiters import LIMITERS, Limiter
from gladwire.core.rulebook import ALL
from gladwire.core.standards import dc_limits, pilot_levels, pilot_timing, slac_limits, v2g_codes, v2g_timers
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
    constants: list[Constant]
    talked: list[Constant]
    codes: list[tuple[str, str]]
    rules: tuple[Rule[Any], ...]
    sources: tuple[Source, ...]
    limiters: tuple[Limiter, ...]


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


def _codes() -> list[tuple[str, str]]:
    """Codes a message may carry, with their meaning."""
    tables = (v2g_codes.RESPONSES, v2g_codes.EV_ERRORS, v2g_codes.POST_STATUS)
    return [(code, meaning) for table in tables for code, meaning in table.items()]


def _talked() -> list[Constant]:
    """Limits of the conversation, and whose timers they are."""
    s, t, d = slac_limits, v2g_timers, dc_limits
    iso, din = t.timer_source("ISO15118-2"), t.timer_source("DIN70121")
    slow = f"{t.answer_max_s('ISO15118-2', 'PowerDelivery'):g} s"
    return [
        Constant("Attenuation found at once", f"up to {s.FOUND_DB:g} dB on average", s.MATCHING_SOURCE),
        Constant("Attenuation possible", f"up to {s.POSSIBLE_DB:g} dB", s.MATCHING_SOURCE),
        Constant("Answer to matching parameters, vehicle waits", f"{s.SEQUENCE_MAX_S:g} s", s.MATCHING_SOURCE),
        Constant("Results of sounding, vehicle waits", f"{s.RESULTS_MAX_S:g} s", s.MATCHING_SOURCE),
        Constant(
            "Match confirmation, vehicle waits", f"{s.MATCH_RESPONSE_MAX_S:g} s, {s.RETRIES} retries", s.MATCHING_SOURCE
        ),
        Constant("Modems join after the match", f"within {s.JOIN_MAX_S:g} s", s.MATCHING_SOURCE),
        Constant("From discovery to a session, vehicle waits", f"{t.SETUP_S:g} s", iso),
        Constant("Discovery, vehicle asks", f"every {t.SDP_EVERY_S:g} s, up to {t.SDP_TIMES} times", iso),
        Constant("Answer to a message, vehicle waits", f"{t.answer_max_s('ISO15118-2', 'SessionSetup'):g} s", iso),
        Constant("Answer to some (ISO 15118-2), vehicle waits", slow, iso),
        Constant("Answer in the charge loop, vehicle waits", f"{t.answer_max_s('', 'CurrentDemand'):g} s", iso),
        Constant("Next request, post waits", f"{t.SEQUENCE_S:g} s", iso),
        Constant("“Ongoing”, vehicle waits", f"{t.ONGOING_S['ISO15118-2']:g} s", iso),
        Constant("Ready to charge (DIN), vehicle waits", f"{t.ONGOING_S['DIN70121']:g} s", din),
        Constant("Cable check, vehicle waits", f"{t.CABLE_CHECK_S:g} s", din),
        Constant("Pre-charge, vehicle waits", f"{t.PRECHARGE_S:g} s, within {d.CLOSE_V:g} V", din),
        Constant("Insulation fault", f"under {d.INSULATION_FAULT_OHM_PER_V:g} Ω per volt", d.DC_SOURCE),
        Constant("Insulation warning", f"under {d.INSULATION_WARNING_OHM_PER_V:g} Ω per volt", d.DC_SOURCE),
        Constant("Cable after the stop", f"under {d.SAFE_V:g} V", d.DC_SOURCE),
    ]


@router.get("/limits")
def limits() -> Response:
    page = LimitsPage(
        "limits", STATES, SAE_BANDS, TABLES, DIFFERENCES, _constants(), _talked(), _codes(), ALL, SOURCES, LIMITERS
    )
    return render("limits.html", page)
