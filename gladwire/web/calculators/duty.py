"""Duty to current and back, by both standards' tables. Whichever was moved last leads, and the other follows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.standards import pilot_duty
from gladwire.core.standards.pilot_duty import TABLES
from gladwire.web.calculators.tool import Field, Tool, number


class Answer(NamedTuple):
    """meanings: (table, amperes or nothing, what it means) of the duty; duties: (table, duties) of the current.

    amps is None where the duty offers no current.
    """

    duty: float
    amps: float | None
    meanings: list[tuple[str, str, str]]
    duties: list[tuple[str, str]]


def answer(typed: Mapping[str, str]) -> Answer:
    leads = typed.get("leads", "duty")
    if leads == "amps":
        amps: float | None = number(typed, "amps", "Current")
        found = pilot_duty.duties_for(amps or 0.0)
        if not found:
            raise ValueError(f"no duty offers {amps:g} A: 6 to 80 A can be offered")
        duty = found[0]
    else:
        duty = number(typed, "duty", "Duty")
        amps = pilot_duty.offer(duty).current_a or None
    meanings = []
    for table in TABLES:
        offer = pilot_duty.offer(duty, table)
        meanings.append((table.name, "" if offer.current_a is None else f"{offer.current_a:g} A", offer.means))
    duties = []
    for table in TABLES if amps else ():
        found = pilot_duty.duties_for(amps or 0.0, table)
        duties.append((table.name, " or ".join(f"{d:g} %" for d in found) or "no duty offers this"))
    return Answer(duty, amps, meanings, duties)


TOOL = Tool(
    "duty",
    "Duty and current",
    "Move either, by number, by slider or by the edge of the drawing; the other follows.",
    (
        Field("duty", "Duty", "26.7", "%", slide=(0, 100, 0.1)),
        Field("amps", "Current", "16", "A", slide=(6, 80, 0.5)),
        Field("leads", "Leads", "duty", choices=(("duty", "the duty"), ("amps", "the current"))),
    ),
    answer,
    (pilot_duty.IEC.source, pilot_duty.SAE.source),
)
