"""The latch-switch inlet: what the proximity voltage means."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.calculations.proximity import LATCH_LEVELS, LatchLevel, LatchReading, read_latch
from gladwire.core.diagnosis.cautions import PROBE_CAUTION
from gladwire.core.standards.proximity_codes import LATCH_SOURCE
from gladwire.web.calculators.tool import Field, Tool, number


class Answer(NamedTuple):
    """The reading, and the levels of the drawing."""

    reading: LatchReading
    levels: tuple[LatchLevel, ...]


def answer(typed: Mapping[str, str]) -> Answer:
    return Answer(read_latch(number(typed, "volts", "Voltage")), LATCH_LEVELS)


TOOL = Tool(
    "latch",
    "Latch-switch inlet",
    "Type 1 and J3400: absent, latched, or pressed, from the voltage between proximity and PE.",
    (Field("volts", "Proximity to PE", "2.76", "V"),),
    answer,
    (LATCH_SOURCE,),
    PROBE_CAUTION,
)
