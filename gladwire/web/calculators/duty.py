"""Duty to current and back, by both standards' tables."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.standards import pilot_duty
from gladwire.core.standards.pilot_duty import TABLES
from gladwire.web.calculators.tool import Field, Tool, optional


class Answer(NamedTuple):
    """(table, amperes or nothing, meaning) for the duty; (table, duties) for the current; the duty to draw."""

    duty: float | None
    amps: float | None
    meanings: list[tuple[str, str, str]]
    duties: list[tuple[str, str]]


def answer(typed: Mapping[str, str]) -> Answer:
    duty, amps = optional(typed, "duty", "Duty"), optional(typed, "amps", "Current")
    meanings, duties = [], []
    for table in TABLES:
        if duty is not None:
            offer = pilot_duty.offer(duty, table)
            meanings.append((table.name, "" if offer.current_a is None else f"{offer.current_a:g} A", offer.means))
        if amps is not None:
            found = " or ".join(f"{d:g} %" for d in pilot_duty.duties_for(amps, table))
            duties.append((table.name, found or "no duty offers this"))
    return Answer(duty, amps, meanings, duties)


TOOL = Tool(
    "duty",
    "Duty and current",
    "What a duty cycle offers, and which duty offers a current.",
    (Field("duty", "Duty", "26.7", "%"), Field("amps", "Current", "16", "A")),
    answer,
    (pilot_duty.IEC.source, pilot_duty.SAE.source),
)
