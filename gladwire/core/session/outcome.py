"""The outcome in one word: how far a session got, and whether it held what it should."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from gladwire.core.findings import Finding, at_least
from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.rulebook import BY_CODE, breaking
from gladwire.core.scene.scene import Scene
from gladwire.core.stage import StageResult

Outcome = Literal["charged", "failed_to_start", "dropped_out", "derated", "unknown"]

OUTCOME_WORDS: dict[Outcome, str] = {
    "charged": "charged",
    "failed_to_start": "failed to start",
    "dropped_out": "dropped out",
    "derated": "derated",
    "unknown": "not decided by this capture",
}
BEFORE_HOLD = (
    "seat", "proximity", "lock", "pilot", "offer", "request", "match", "link", "agree", "authorise", "parameters",
    "insulation", "precharge", "ramp", "energise", "draw",
)  # fmt: skip


# Current that ends within this of a fault, or of the end of what was recorded, ended with it. By judgement.
_AFTER_S, _AT_END_S = 0.5, 0.1


def outcome_of(scene: Scene, stages: Sequence[StageResult], findings: Sequence[Finding]) -> Outcome:
    """What the captures decide. A pilot alone cannot prove that current flowed: "charged" needs mains beside it."""
    if any(not p.interpretation.is_pilot_like for p in scene.of(PilotRecord)) or any(
        BY_CODE[f.code].undecided for f in findings
    ):
        return "unknown"
    found, state = tuple(findings), {s.stage: s.state for s in stages}
    if state["hold"] == "failed":
        broken_hold = breaking(found, "hold")
        tells_current = scene.records.lanes & {"frames", "bus"} or any(m.has_amps for m in scene.of(MainsRecord))
        begun = not tells_current or broken_hold is None or had_begun(scene, broken_hold)
        return "dropped_out" if begun else "failed_to_start"
    held = state["hold"] == "proven"
    broken = [b for name in BEFORE_HOLD if (b := breaking(found, name))]
    broken = [b for b in broken if not (BY_CODE[b.code].charges_through and (held or _flows_on(scene, b)))]
    if broken:
        return "dropped_out" if had_begun(scene, min(broken, key=lambda f: f.start_s)) else "failed_to_start"
    if held and (state["end"] in ("proven", "failed") or _ended_by_power(scene)):
        return "derated" if _derated(scene, findings) else "charged"
    stalled = any(BY_CODE[f.code].stalls and f.severity == "suspect" for f in findings)
    return "failed_to_start" if stalled and state.get("request") == "not_reached" else "unknown"


def derates(finding: Finding) -> bool:
    """Whether a session that held with this is a derated one."""
    least = BY_CODE[finding.code].derates
    return least is not None and at_least(finding, least)


def had_begun(scene: Scene, broken: Finding) -> bool:
    """Whether the session was past its start when this broke it: current flowed, or, unseen, it had had time to.

    The lane that shows current best is asked first.
    """
    told = (lane.begun(scene.records, broken) for lane in reversed(LANES))
    return next((begun for begun in told if begun is not None), False)


def _flows_on(scene: Scene, fault: Finding) -> bool:
    """Whether mains current was there before a fault and still after it, or to the record's end with it."""
    return any(
        span.start_s < fault.start_s
        and span.end_s >= min(fault.end_s + _AFTER_S + mains.step_s, mains.end_s - _AT_END_S - mains.step_s)
        for mains in scene.of(MainsRecord)
        for span in mains.amps
    )


def _derated(scene: Scene, findings: Sequence[Finding]) -> bool:
    return any(p.verdict == "derated" for p in scene.of(PowerReport)) or any(derates(f) for f in findings)


def _ended_by_power(scene: Scene) -> bool:
    """Whether a power record alone tells enough to say how the session went."""
    return any(p.verdict in ("normal", "derated") for p in scene.of(PowerReport))
