"""An AC lead: what the sheath says, what it may carry, what it loses over its length."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.calculations.cable import Cores, Drop, Lead, LeadVerdict, drop, judge, read_print
from gladwire.core.diagnosis.cautions import DEAD_CAUTION
from gladwire.core.standards.conductors import LEAD_SOURCE, RESISTANCE_OHM_PER_KM, RESISTANCE_SOURCE
from gladwire.web.calculators.tool import Field, Tool, number, optional


class Answer(NamedTuple):
    """drop is None where nothing can be planned with, or the cross-section is not in the table."""

    cores: Cores | None
    verdict: LeadVerdict
    drop: Drop | None
    length_m: float
    temperature_c: float


def answer(typed: Mapping[str, str]) -> Answer:
    text = typed.get("print", "").strip()
    cores = read_print(text) if text else None
    contacts = optional(typed, "contacts", "Phase contacts")
    if contacts is not None and contacts not in (1, 3):
        raise ValueError("Phase contacts: 1 or 3 was expected")
    lead = Lead(
        cores,
        optional(typed, "rating", "Rating"),
        optional(typed, "code", "Code"),
        int(contacts) if contacts is not None else None,
    )
    length, temperature = number(typed, "length", "Length"), number(typed, "temperature", "Conductor")
    if not 0 < length <= 1000 or not -40 <= temperature <= 120:
        raise ValueError("a length up to 1000 m and a conductor between -40 and 120 °C were expected")
    verdict = judge(lead)
    lost = None
    if cores and verdict.current_a and cores.section_mm2 in RESISTANCE_OHM_PER_KM:
        lost = drop(cores.section_mm2, length, verdict.current_a, 3 if verdict.phases == 3 else 1, 230.0, temperature)
    return Answer(cores, verdict, lost, length, temperature)


TOOL = Tool(
    "lead",
    "AC lead",
    "Rating, phases and loss from what is printed, coded and seen; contradictions named.",
    (
        Field("print", "Print on the sheath", "5G6 + 2x0.5", text=True),
        Field("rating", "Rating printed", "32", "A"),
        Field("code", "Code PP to PE", "220", "Ω"),
        Field("contacts", "Phase contacts seen", "3"),
        Field("length", "Length", "7.5", "m"),
        Field("temperature", "Conductor at", "40", "°C"),
    ),
    answer,
    (RESISTANCE_SOURCE, LEAD_SOURCE),
    DEAD_CAUTION,
)
