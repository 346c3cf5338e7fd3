"""Pilot voltages: IEC 61851-1 Annex A and SAE J1772, from memory. Volts between CP and PE."""

from __future__ import annotations

from typing import Literal, NamedTuple

from gladwire.core.standards.source import IEC_61851_A, IEC_61851_LEVELS, SAE_J1772, Source

State = Literal["A", "B", "C", "D", "E", "F", "unknown"]


class Band(NamedTuple):
    """An accept band in volts, ends included."""

    low_v: float
    high_v: float

    def __contains__(self, volts: object) -> bool:
        return isinstance(volts, int | float) and self.low_v <= volts <= self.high_v

    def margin_v(self, volts: float) -> float:
        """Distance to the nearer end in volts; negative outside."""
        return min(volts - self.low_v, self.high_v - volts)


class PilotState(NamedTuple):
    """One row of the pilot table: letter, nominal high level in volts, accept band, meaning."""

    letter: State
    nominal_v: float
    accept: Band
    means: str


# E reaches -1 V to +2 V as seen at the post.
STATES = (
    PilotState("A", 12.0, Band(11.0, 13.0), "nothing connected"),
    PilotState("B", 9.0, Band(8.0, 10.0), "vehicle connected, not asking"),
    PilotState("C", 6.0, Band(5.0, 7.0), "vehicle asks for energy"),
    PilotState("D", 3.0, Band(2.0, 4.0), "vehicle asks, ventilation needed"),
    PilotState("E", 0.0, Band(-1.0, 2.0), "pilot lost: shorted to PE, or post off or in error"),
    PilotState("F", -12.0, Band(-13.0, -11.0), "post not available"),
)
BY_LETTER: dict[str, PilotState] = {state.letter: state for state in STATES}
STATES_SOURCE: Source = IEC_61851_LEVELS

# Narrower bands of SAE J1772; a level inside one and outside the other is a remark.
SAE_BANDS = {
    "A": Band(11.40, 12.60),
    "B": Band(8.36, 9.59),
    "C": Band(5.48, 6.49),
    "D": Band(2.62, 3.25),
}
SAE_SOURCE: Source = SAE_J1772

# The post's own generator, open circuit.
SOURCE_HIGH = Band(11.4, 12.6)
SOURCE_LOW = Band(-12.6, -11.4)
# The low half as accepted while oscillating.
LOW_SIDE = Band(-13.0, -11.0)

SOURCE_OHM = 1000.0
VEHICLE_R2_OHM = 2740.0
VEHICLE_R3_OHM = 1300.0
VEHICLE_R3_VENTILATED_OHM = 270.0
DIODE_DROP_V = 0.7
CIRCUIT_SOURCE: Source = IEC_61851_A


def parallel_ohm(first: float, second: float) -> float:
    return first * second / (first + second)


# What the vehicle puts behind its diode in each state.
VEHICLE_OHM = {
    "B": VEHICLE_R2_OHM,
    "C": parallel_ohm(VEHICLE_R2_OHM, VEHICLE_R3_OHM),
    "D": parallel_ohm(VEHICLE_R2_OHM, VEHICLE_R3_VENTILATED_OHM),
}


def classify(level_v: float) -> State:
    """Letter of the state whose accept band holds the high level, or "unknown" between bands."""
    return next((s.letter for s in STATES if level_v in s.accept), "unknown")


def nearest(level_v: float) -> PilotState:
    """The state whose accept band lies nearest to the level."""
    return max(STATES, key=lambda s: s.accept.margin_v(level_v))
