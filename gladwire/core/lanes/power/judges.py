"""Judges of the stages a power record speaks for: Draw or Ramp, Hold and End."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gladwire.core.findings import Finding, codes, first_of
from gladwire.core.lanes.lane import Judge
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.power.rules import RULES
from gladwire.core.lanes.records import Records
from gladwire.core.stage import Standing
from gladwire.core.words import seconds

# Less than this in all is no charge.
_LEAST_KWH = 0.02


def _flowing(records: Records) -> PowerReport | None:
    """The record of the most energy, None where none flowed."""
    best = max(records.of(PowerReport), key=lambda p: p.energy_kwh, default=None)
    return best if best and best.entries and best.energy_kwh > _LEAST_KWH else None


def _begins(records: Records) -> Standing | None:
    power = _flowing(records)
    if power is None:
        return Standing("not_reached", "No power flows in the record.", "0 kW") if records.of(PowerReport) else None
    ramp = power.of("ramp")
    level = next((e for e in power.entries if e.limiter not in ("none", "ramp")), power.entries[0])
    if not ramp:
        return Standing(
            "proven",
            f"Power flows from the first reading on, at {level.level_kw:.0f} kW.",
            f"{level.level_kw:.0f} kW",
            power.start_s,
            level.end_s,
        )
    took = seconds(60.0 * ramp[0].minutes)
    return Standing("proven", ramp[0].evidence[0], took, ramp[0].start_s, ramp[0].end_s)


def _held(records: Records) -> Standing | None:
    power = _flowing(records)
    if power is None:
        return None
    why = f"Power flowed for {power.flowing_minutes:.0f} min: {power.energy_kwh:.1f} kWh. {power.text}"
    return Standing("proven", why, f"{power.energy_kwh:.1f} kWh", power.start_s, power.end_s)


def _ended(records: Records) -> Standing | None:
    power = _flowing(records)
    if power is None:
        return None
    last = power.entries[-1]
    if last.limiter == "none" and last.start_s > power.start_s:
        return Standing(
            "not_captured",
            f"Power ends at {last.start_s:.0f} s; how, a power record does not show.",
            "0 kW",
            last.start_s,
            last.end_s,
        )
    return Standing("not_captured", "The record ends while power flows, or with its last reading.")


def _alone(judge: Callable[[Records], Standing | None]) -> Judge:
    return lambda records, findings: judge(records)


JUDGES: Mapping[str, Judge] = {
    "ramp": _alone(_begins),
    "draw": _alone(_begins),
    "hold": _alone(_held),
    "end": _alone(_ended),
}


def begun(records: Records, broken: Finding) -> bool | None:
    """Whether energy had flowed before this."""
    powers = records.of(PowerReport)
    if not any(p.energy_kwh > 0 for p in powers):
        return None
    return any(e.energy_kwh > 0 and e.start_s < broken.start_s for p in powers for e in p.entries)


def story(records: Records, findings: Sequence[Finding]) -> str:
    """What flowed, where nothing else tells how a session went."""
    if not records.of(PowerReport):
        return ""
    flowed = first_of(findings, codes(RULES, "held"))
    return flowed.text if flowed else "No power flowed."


def held_back(records: Records) -> str:
    """What a power record says of what held it back, where it says anything."""
    powers = records.of(PowerReport)
    return next((p.text for p in powers if p.verdict != "unknown"), powers[0].text if powers else "")
