"""The pilot's divider: change any part and watch the levels, the state a post reads, and the edges."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple, cast

import numpy as np

from gladwire.core.calculations.pilot_divider import DiodeState, Divider
from gladwire.core.standards import pilot_levels, pilot_timing
from gladwire.core.standards.pilot_levels import PilotState
from gladwire.web.calculators.tool import Field, Tool, number, optional

# Drawn around an edge, seconds.
_SPAN_S, _BEFORE_S = 60e-6, 6e-6
_WIDTH, _HEIGHT = 140.0, 90.0


class Answer(NamedTuple):
    """read_as: the state whose band holds the level, or "no state". rise, fall: SVG paths of the two edges."""

    divider: Divider
    read_as: str
    margin_v: float
    low_fine: bool
    states: tuple[PilotState, ...]
    fall_max_us: float
    rise: str
    fall: str


def answer(typed: Mapping[str, str]) -> Answer:
    r3 = optional(typed, "r3", "R3")
    diode = typed.get("diode", "")
    if diode not in ("good", "shorted", "open"):
        raise ValueError("Diode: good, shorted or open was expected")
    divider = Divider(
        source_v=number(typed, "source", "Source"),
        r1_ohm=number(typed, "r1", "R1"),
        r2_ohm=number(typed, "r2", "R2"),
        r3_ohm=math.inf if r3 is None else r3,
        series_ohm=number(typed, "series", "In series"),
        diode=cast(DiodeState, diode),
        capacitance_f=number(typed, "capacitance", "Capacitance") * 1e-9,
    )
    level = divider.high_v
    read_as = pilot_levels.classify(level)
    return Answer(
        divider,
        read_as if read_as != "unknown" else "no state",
        pilot_levels.nearest(level).accept.margin_v(level),
        divider.low_v in pilot_levels.LOW_SIDE,
        pilot_levels.STATES,
        pilot_timing.FALL_MAX_US,
        _path(divider, True),
        _path(divider, False),
    )


def _path(divider: Divider, rising: bool) -> str:
    """The edge as an SVG path in a box of _WIDTH by _HEIGHT, +13 V on top and -13 V at the bottom."""
    times = np.linspace(0.0, _SPAN_S - _BEFORE_S, 90)
    start = divider.low_v if rising else divider.high_v
    points = [
        (-_BEFORE_S, start),
        (0.0, start),
        *zip(times.tolist(), divider.edge(rising, times).tolist(), strict=True),
    ]
    placed = [f"{(t + _BEFORE_S) / _SPAN_S * _WIDTH:.1f} {(13 - v) / 26 * _HEIGHT:.1f}" for t, v in points]
    return "M" + "L".join(placed)


TOOL = Tool(
    "divider",
    "Pilot divider",
    "Change a part and watch the levels and edges: a worn contact, a wrong resistor, a dead diode, a long wet cable.",
    (
        Field("source", "Source", "12", "V"),
        Field("r1", "R1, post", "1000", "Ω"),
        Field("series", "In CP or PE", "300", "Ω"),
        Field("diode", "Diode", "good", "", (("good", "good"), ("shorted", "shorted"), ("open", "open"))),
        Field("r2", "R2, vehicle", "2740", "Ω"),
        Field("r3", "R3 (empty: not asking)", "1300", "Ω"),
        Field("capacitance", "Capacitance", "1.5", "nF"),
    ),
    answer,
    (pilot_levels.CIRCUIT_SOURCE, pilot_levels.STATES_SOURCE, pilot_timing.EDGES_SOURCE),
)
