"""The pilot circuit of a post and a vehicle, with the faults a technician meets. Ideal diode with a fixed drop."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

Branch = Literal["none", "waiting", "asking", "ventilated"]
# Resistors as drawn in the standard's figure; the simulator knows the parts, not the bands they are judged by.
_R2, _R3, _R3_VENTILATED = 2740.0, 1300.0, 270.0


def _parallel(a: float, b: float) -> float:
    return a * b / (a + b)


_BRANCH_OHM = {"waiting": _R2, "asking": _parallel(_R2, _R3), "ventilated": _parallel(_R2, _R3_VENTILATED)}


@dataclass(frozen=True)
class PilotCircuit:
    """Post generator, wire and vehicle. Volts, ohms, farads.

    series_ohm: resistance in the CP wire or contact (or in PE, which looks the same). diode_shorted: the vehicle's
    diode conducts both ways. shorted_to_pe, opened: the wire's own faults. probe_at: where the scope looks.
    """

    source_high_v: float = 12.0
    source_low_v: float = -12.0
    source_ohm: float = 1000.0
    diode_drop_v: float = 0.7
    series_ohm: float = 0.0
    diode_shorted: bool = False
    shorted_to_pe: bool = False
    opened: bool = False
    capacitance_f: float = 1.5e-9
    probe_at: Literal["post", "vehicle"] = "post"
    branch_ohm: float | None = None

    def with_branch(self, branch: Branch) -> PilotCircuit:
        return replace(self, branch_ohm=_BRANCH_OHM.get(branch))

    def settled_v(self, source_v: float) -> float:
        """Level at the probe when the generator has been at source_v for long."""
        if self.shorted_to_pe:
            return 0.0
        if self.opened or self.branch_ohm is None:
            return 0.0 if self.opened and self.probe_at == "vehicle" else source_v
        drop = 0.0 if self.diode_shorted else self.diode_drop_v
        if source_v <= drop and not self.diode_shorted:
            return source_v
        current = (source_v - drop) / (self.source_ohm + self.series_ohm + self.branch_ohm)
        if self.probe_at == "vehicle":
            return drop + current * self.branch_ohm
        return source_v - current * self.source_ohm

    @property
    def high_v(self) -> float:
        return self.settled_v(self.source_high_v)

    @property
    def low_v(self) -> float:
        return self.settled_v(self.source_low_v)

    @property
    def fall_tau_s(self) -> float:
        """Discharge through the source alone: the diode blocks."""
        return self.source_ohm * self.capacitance_f

    @property
    def rise_tau_s(self) -> float:
        load = self.branch_ohm
        return (self.source_ohm if load is None else _parallel(self.source_ohm, load)) * self.capacitance_f
