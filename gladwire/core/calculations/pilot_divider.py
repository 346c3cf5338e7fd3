"""The pilot's divider with every part open to change: levels and edges of a source, a wire and a vehicle's resistors."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.pilot_levels import DIODE_DROP_V, SOURCE_OHM, VEHICLE_OHM

DiodeState = Literal["good", "shorted", "open"]


@dataclass(frozen=True)
class Divider:
    """Ohms, volts, farads. r1: the source's own; r2: always there in the vehicle; r3: switched in to ask (infinite: not
    asked, or open). series: in the CP or PE path. The diode's fault decides what loads the low half."""

    source_v: float = 12.0
    r1_ohm: float = SOURCE_OHM
    r2_ohm: float = VEHICLE_OHM["B"]
    r3_ohm: float = math.inf
    series_ohm: float = 0.0
    diode: DiodeState = "good"
    capacitance_f: float = 1.5e-9

    def __post_init__(self) -> None:
        """Raises ValueError for parts that cannot be."""
        if min(self.r1_ohm, self.r2_ohm, self.r3_ohm) <= 0:
            raise ValueError("a resistor of the divider must be above 0 Ω")
        if self.series_ohm < 0 or self.capacitance_f < 0:
            raise ValueError("a resistance or capacitance is not negative")
        if not 0 < self.source_v <= 30:
            raise ValueError("a source above 0 and up to 30 V was expected")

    @property
    def load_ohm(self) -> float:
        """R2 and R3 together."""
        return 1 / (1 / self.r2_ohm + 1 / self.r3_ohm)

    @property
    def high_v(self) -> float:
        """Level at the post while the source is high."""
        if self.diode == "open":
            return self.source_v
        drop = 0.0 if self.diode == "shorted" else DIODE_DROP_V
        current = max(0.0, self.source_v - drop) / (self.r1_ohm + self.series_ohm + self.load_ohm)
        return self.source_v - current * self.r1_ohm

    @property
    def low_v(self) -> float:
        """Level at the post while the source is low: pulled up only where the diode conducts both ways."""
        if self.diode != "shorted":
            return -self.source_v
        return -self.source_v + self.source_v * self.r1_ohm / (self.r1_ohm + self.series_ohm + self.load_ohm)

    @property
    def rise_tau_s(self) -> float:
        loaded = self.series_ohm + self.load_ohm
        both = self.r1_ohm if self.diode == "open" else 1 / (1 / self.r1_ohm + 1 / loaded)
        return both * self.capacitance_f

    @property
    def fall_tau_s(self) -> float:
        """Once the diode blocks only the source discharges the line."""
        return self.rise_tau_s if self.diode == "shorted" else self.r1_ohm * self.capacitance_f

    @property
    def rise_us(self) -> float:
        """10 to 90 %, the source's own slope left out."""
        return math.log(9.0) * self.rise_tau_s * 1e6

    @property
    def fall_us(self) -> float:
        """90 to 10 %, the source's own slope left out."""
        return math.log(9.0) * self.fall_tau_s * 1e6

    def edge(self, rising: bool, times_s: Floats) -> Floats:
        """The level over the time since an edge of the source, volts, shape of times_s."""
        start, end = (self.low_v, self.high_v) if rising else (self.high_v, self.low_v)
        tau = max(self.rise_tau_s if rising else self.fall_tau_s, 1e-12)
        level: Floats = end + (start - end) * np.exp(-times_s / tau)
        return level
