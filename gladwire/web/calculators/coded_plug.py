"""The coded cable plug: ohms or volts to a current, and resistors that stand in for a code."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from gladwire.core.calculations.proximity import (
    CodedReading,
    PullUp,
    Substitute,
    candidates,
    ohms_from_volts,
    read_ohms,
    substitutes,
)
from gladwire.core.diagnosis.cautions import DEAD_CAUTION
from gladwire.core.standards.proximity_codes import CODES, CODES_SOURCE, CableCode
from gladwire.web.calculators.tool import Field, Tool, optional

# The drawn scale, ohms; logarithmic.
_FROM, _TO = 30.0, 6000.0


class Answer(NamedTuple):
    """reading, or the pull-ups each code would take where a voltage came without one; substitutes of the code read."""

    reading: CodedReading | None
    pull_ups: tuple[PullUp, ...]
    substitutes: tuple[Substitute, ...]
    codes: tuple[CableCode, ...]

    @staticmethod
    def place(ohm: float) -> float:
        """Drawing units, 0 to 300, of a resistance on the logarithmic scale."""
        share = math.log(max(ohm, 1e-3) / _FROM) / math.log(_TO / _FROM)
        return 300 * min(max(share, 0.0), 1.0)


def answer(typed: Mapping[str, str]) -> Answer:
    ohm, volts = optional(typed, "ohm", "Resistance"), optional(typed, "volts", "Voltage")
    supply, pull_up = optional(typed, "supply", "Supply"), optional(typed, "pull_up", "Pull-up")
    if ohm is None and volts is None:
        raise ValueError("a resistance, or a voltage, was expected")
    if ohm is None and volts is not None:
        if supply is None:
            raise ValueError("Supply: the reader's supply voltage was expected")
        if pull_up is None:
            return Answer(None, candidates(volts, supply), (), CODES)
        ohm = ohms_from_volts(volts, supply, pull_up)
    assert ohm is not None
    reading = read_ohms(ohm)
    return Answer(reading, (), substitutes(reading.code) if reading.code else (), CODES)


TOOL = Tool(
    "coded-plug",
    "Coded cable plug",
    "The current a resistor between PP and PE stands for; what to bridge it with from the tool bag.",
    (
        Field("ohm", "Resistance PP to PE", "218", "Ω"),
        Field("volts", "or voltage", "", "V"),
        Field("supply", "through a pull-up to", "5", "V"),
        Field("pull_up", "of", "", "Ω"),
    ),
    answer,
    (CODES_SOURCE,),
    DEAD_CAUTION + " A substitution resistor goes between low-voltage pins only.",
)
