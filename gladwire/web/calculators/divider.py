"""The pilot's divider: level, state and edges for a source, a state, a series resistance and a capacitance."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.pilot import explain
from gladwire.core.standards import pilot_levels, pilot_timing
from gladwire.core.standards.pilot_levels import PilotState
from gladwire.web.calculators.tool import Field, Tool, number


class Answer(NamedTuple):
    """level_v at the post; read_as: the state whose band holds it, or "no state"; fall_us 90 to 10 %."""

    asked: str
    level_v: float
    read_as: str
    margin_v: float
    fall_us: float
    fall_max_us: float
    states: tuple[PilotState, ...]


def answer(typed: Mapping[str, str]) -> Answer:
    state = typed.get("state", "")
    if state not in pilot_levels.VEHICLE_OHM:
        raise ValueError("Vehicle: B, C or D was expected")
    source = number(typed, "source", "Source")
    series = number(typed, "series", "In series")
    capacitance = number(typed, "capacitance", "Capacitance")
    if not 5 <= source <= 15:
        raise ValueError("Source: 5 to 15 V was expected")
    if series < 0 or capacitance < 0:
        raise ValueError("a resistance or capacitance is not negative")
    level = explain.nominal_level_v(state, source, series)
    near = pilot_levels.nearest(level)
    read_as = pilot_levels.classify(level)
    return Answer(
        state,
        level,
        read_as if read_as != "unknown" else "no state",
        near.accept.margin_v(level),
        explain.fall_us(capacitance),
        pilot_timing.FALL_MAX_US,
        pilot_levels.STATES,
    )


TOOL = Tool(
    "divider",
    "Pilot divider",
    "Where a poor contact in CP or PE moves the level, and what capacitance does to the edges.",
    (
        Field("state", "Vehicle in", "C", "", (("B", "B, waiting"), ("C", "C, asking"), ("D", "D, ventilation"))),
        Field("source", "Source", "12", "V"),
        Field("series", "In series with CP or PE", "300", "Ω"),
        Field("capacitance", "Capacitance", "1.5", "nF"),
    ),
    answer,
    (pilot_levels.CIRCUIT_SOURCE, pilot_levels.STATES_SOURCE, pilot_timing.EDGES_SOURCE),
)
