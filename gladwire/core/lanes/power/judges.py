"""Judges of the stages a power record speaks for: Draw or Ramp, Hold and End."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.session.scene import Scene
from gladwire.core.verdict import Verdict
from gladwire.core.words import seconds

# Less than this in all is no charge.
_LEAST_KWH = 0.02


def _flowing(scene: Scene) -> PowerReport | None:
    """The record of the most energy, None where none flowed."""
    best = max(scene.powers, key=lambda p: p.energy_kwh, default=None)
    return best if best and best.entries and best.energy_kwh > _LEAST_KWH else None


def _begins(scene: Scene) -> Verdict | None:
    power = _flowing(scene)
    if power is None:
        return Verdict("not_reached", "No power flows in the record.", "0 kW") if scene.powers else None
    ramp = power.of("ramp")
    level = next((e for e in power.entries if e.limiter not in ("none", "ramp")), power.entries[0])
    if not ramp:
        return Verdict(
            "proven",
            f"Power flows from the first reading on, at {level.level_kw:.0f} kW.",
            f"{level.level_kw:.0f} kW",
            power.start_s,
            level.end_s,
        )
    took = seconds(60.0 * ramp[0].minutes)
    return Verdict("proven", ramp[0].evidence[0], took, ramp[0].start_s, ramp[0].end_s)


def _held(scene: Scene) -> Verdict | None:
    power = _flowing(scene)
    if power is None:
        return None
    why = f"Power flowed for {power.flowing_minutes:.0f} min: {power.energy_kwh:.1f} kWh. {power.text}"
    return Verdict("proven", why, f"{power.energy_kwh:.1f} kWh", power.start_s, power.end_s)


def _ended(scene: Scene) -> Verdict | None:
    power = _flowing(scene)
    if power is None:
        return None
    last = power.entries[-1]
    if last.limiter == "none" and last.start_s > power.start_s:
        return Verdict(
            "not_captured",
            f"Power ends at {last.start_s:.0f} s; how, a power record does not show.",
            "0 kW",
            last.start_s,
            last.end_s,
        )
    return Verdict("not_captured", "The record ends while power flows, or with its last reading.")


POWERED: Mapping[str, Callable[[Scene], Verdict | None]] = {
    "ramp": _begins,
    "draw": _begins,
    "hold": _held,
    "end": _ended,
}
