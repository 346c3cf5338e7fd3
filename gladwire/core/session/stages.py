"""The spine: every stage of a session with its state and its evidence. A pilot capture speaks for its own stages only."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

from gladwire.core.findings import Finding
from gladwire.core.lock import LockRecord
from gladwire.core.mains import MainsRecord
from gladwire.core.pilot.record import PilotRecord, Segment
from gladwire.core.pilot.rules.offer import offers
from gladwire.core.pilot.rules.requests import asking_s, requests
from gladwire.core.pilot.words import amps, seconds
from gladwire.core.proximity_lane import ProximityRecord
from gladwire.core.standards.pilot_timing import PATIENCE_S

StageState = Literal["proven", "failed", "not_reached", "not_captured", "not_applicable"]


class Stage(NamedTuple):
    """Name used in data, and the title people read."""

    key: str
    title: str


_COMMON = (
    Stage("seat", "Seat"),
    Stage("proximity", "Proximity"),
    Stage("lock", "Lock"),
    Stage("pilot", "Pilot"),
    Stage("offer", "Offer"),
)
AC_SPINE = (
    *_COMMON,
    Stage("request", "Request"),
    Stage("energise", "Energise"),
    Stage("draw", "Draw"),
    Stage("hold", "Hold"),
    Stage("end", "End"),
)
DC_SPINE = (
    *_COMMON,
    Stage("match", "Match"),
    Stage("link", "Link"),
    Stage("agree", "Agree"),
    Stage("authorise", "Authorise"),
    Stage("parameters", "Parameters"),
    Stage("insulation", "Insulation"),
    Stage("precharge", "Pre-charge"),
    Stage("ramp", "Ramp"),
    Stage("hold", "Hold"),
    Stage("end", "End"),
)


class StageResult(BaseModel):
    """One stage as this session shows it. short: a value to stand under the mark; why: the whole sentence."""

    model_config = ConfigDict(frozen=True)

    stage: str
    title: str
    state: StageState
    start_s: float | None = None
    end_s: float | None = None
    short: str = ""
    why: str


class _Verdict(NamedTuple):
    state: StageState
    why: str
    short: str = ""
    start_s: float | None = None
    end_s: float | None = None


# Findings that break the stage they belong to.
_BREAKING = {
    "proximity": {"latch_pressed", "proximity_intermittent", "proximity_wrong"},
    "lock": {"lock_obstructed", "lock_no_feedback"},
    "energise": {"mains_missing", "mains_without_request"},
    "draw": {"current_missing", "current_over_offer"},
    "pilot": {
        "oscillating_without_vehicle",
        "pilot_stuck_at_zero",
        "post_not_available",
        "pilot_withdrawn",
        "no_pilot",
        "pilot_level_between_states",
        "low_side_pulled_up",
        "pilot_interrupted",
    },
    "offer": {"duty_forbidden", "frequency_out"},
    "request": {"hunting"},
    "parameters": {"hunting"},
    "hold": {"pilot_lost_while_asking", "offer_withdrawn", "pilot_withdrawn", "pilot_interrupted", "current_lost"},
}


def spine_of(record: PilotRecord) -> tuple[Stage, ...]:
    """At 5 % duty the DC spine (or AC with ISO 15118; the pilot cannot tell), else the AC one."""
    return DC_SPINE if any(s.offer_kind == "digital" and s.state != "A" for s in offers(record)) else AC_SPINE


def placed(findings: Sequence[Finding], spine: Sequence[Stage]) -> tuple[Finding, ...]:
    """Findings on the stages of this spine: on the DC one the request (C) is what ends Parameters."""
    if any(stage.key == "request" for stage in spine):
        return tuple(findings)
    return tuple(f.model_copy(update={"stage": "parameters"}) if f.stage == "request" else f for f in findings)


def walk(
    record: PilotRecord,
    findings: Sequence[Finding],
    proximity: ProximityRecord | None = None,
    lock: LockRecord | None = None,
    mains: MainsRecord | None = None,
) -> tuple[StageResult, ...]:
    """Walk the spine the capture shows. proximity, lock, mains: where lanes of theirs were captured."""
    results: list[StageResult] = []
    broken = False
    for stage in spine_of(record):
        verdict = _JUDGES.get(stage.key, _not_captured)(record, findings)
        if stage.key == "proximity" and proximity:
            verdict = _proximity(proximity, findings)
        elif stage.key == "lock" and lock:
            verdict = _lock(lock, findings)
        elif mains and stage.key in _MAINS_JUDGES:
            verdict = _MAINS_JUDGES[stage.key](record, mains, findings)
        if broken and verdict.state == "not_captured" and stage.key not in ("seat", "proximity", "lock", "pilot"):
            verdict = _Verdict("not_reached", "An earlier stage was not passed.")
        # What follows a failure may still have been seen; only what was not seen is called not reached.
        # Proximity or lock not seen stops nothing: an inlet may have no lock, and its lane may begin late.
        stops = verdict.state == "not_reached" and stage.key not in ("proximity", "lock")
        broken = broken or verdict.state == "failed" or stops
        results.append(
            StageResult(
                stage=stage.key,
                title=stage.title,
                state=verdict.state,
                start_s=verdict.start_s,
                end_s=verdict.end_s,
                short=verdict.short,
                why=verdict.why,
            )
        )
    return tuple(results)


def breaking(findings: Sequence[Finding], stage: str) -> Finding | None:
    """The first grave finding that breaks this stage; a level fault breaks only when it is more than suspected."""
    codes = _BREAKING.get(stage, set())
    hits = [f for f in findings if f.code in codes and f.stage == stage and f.severity == "fault"]
    hits += [f for f in findings if f.code == "offer_withdrawn" and stage == "hold"]
    return min(hits, key=lambda f: f.start_s) if hits else None


def _proximity(record: ProximityRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "proximity")
    if broken:
        return _failed(broken)
    home = [s for s in record.segments if s.state in ("latched", "coded", "doubtful")]
    if not home:
        last = record.segments[-1]
        return _Verdict("not_reached", f"No plug is seen by proximity: {last.meaning}", f"{last.value:.2f} {last.unit}")
    short = f"{home[0].value:.2f} V" if home[0].unit == "V" else f"{home[0].value:.0f} Ω"
    return _Verdict("proven", home[0].meaning, short, home[0].start_s, home[-1].end_s)


def _lock(record: LockRecord, findings: Sequence[Finding]) -> _Verdict:
    engaged = next((a for a in record.attempts if a.result == "engaged"), None)
    if engaged and engaged.positioned:
        why = f"Driven at {engaged.start_s:.2f} s, and the position follows."
        return _Verdict("proven", why, f"{engaged.end_s - engaged.start_s:.1f} s", engaged.start_s, engaged.end_s)
    if engaged:
        return _Verdict("not_captured", "One normal pulse; without a position it is probable only.", "1 pulse")
    broken = breaking(findings, "lock")
    if broken:
        return _failed(broken)
    return _Verdict("not_captured", "The lock is not driven in this capture.")


def _not_captured(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    return _Verdict("not_captured", "A pilot capture does not show this.")


def _failed(finding: Finding) -> _Verdict:
    return _Verdict("failed", finding.text, finding.measured, finding.start_s, finding.end_s)


def _connected(record: PilotRecord) -> list[Segment]:
    return [s for s in record.segments if s.state in ("B", "C", "D")]


def _pilot(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "pilot")
    if broken:
        return _failed(broken)
    seen = _connected(record)
    if seen:
        first = seen[0]
        why = f"A vehicle is there: {first.label} at {first.high_v:.2f} V from {first.start_s:.2f} s."
        return _Verdict("proven", why, f"{first.high_v:.1f} V", first.start_s, seen[-1].end_s)
    if not record.reading.levels_trusted:
        return _Verdict("not_captured", "Levels were lost to AC coupling.")
    return _Verdict("not_reached", "No vehicle is seen on the pilot: it stays in A.", "A only")


def _offer(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "offer")
    if broken:
        return _failed(broken)
    made = [s for s in offers(record) if s.state != "A" and s.offer_kind in ("current", "digital")]
    if not made:
        waited = sum(s.duration_s for s in _connected(record))
        if 0 < waited < PATIENCE_S:
            return _Verdict("not_captured", f"No offer within the {seconds(waited)} in which a vehicle is seen.")
        return _Verdict("not_reached", "The post never oscillates with a vehicle connected.", "none")
    first = made[0]
    short = f"{first.duty_percent:.0f} %" if first.offer_kind == "digital" else amps(first.advertised_current_a or 0.0)
    why = f"Oscillation from {first.start_s:.2f} s, duty {first.duty_percent:.1f} %."
    return _Verdict("proven", why, short, first.start_s, made[-1].end_s)


def _request(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "request")
    if broken:
        return _failed(broken)
    asked = requests(record)
    weak = next((s for s in record.segments if s.state == "unknown" and s.oscillating and s.nearest in "CD"), None)
    if not asked and weak:
        why = (
            f"At {weak.start_s:.2f} s the level moves to {weak.high_v:.2f} V, near {weak.nearest} but inside no state."
        )
        return _Verdict("not_reached", why, f"{weak.high_v:.1f} V")
    if not asked:
        waiting = [s for s in record.segments if s.state == "B"]
        offered = sum(s.duration_s for s in waiting if s.oscillating) or sum(s.duration_s for s in waiting)
        if 0 < offered < PATIENCE_S:
            return _Verdict(
                "not_captured", f"The vehicle does not ask within the {seconds(offered)} seen here.", "no C"
            )
        return _Verdict("not_reached", "The vehicle never asks (no C or D).", "no C")
    why = f"The vehicle asks from {asked[0].start_s:.2f} s, {seconds(asking_s(record))} in all."
    return _Verdict("proven", why, asked[0].label, asked[0].start_s, asked[-1].end_s)


def _parameters(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    """On the DC spine C comes once limits are agreed; the pilot shows that moment and nothing of what was agreed."""
    broken = breaking(findings, "parameters")
    if broken:
        return _failed(broken)
    asked = requests(record)
    if not asked:
        return _Verdict("not_captured", "The vehicle has not gone to C, which follows agreed parameters.", "no C")
    why = f"The vehicle goes to C at {asked[0].start_s:.2f} s, as it does once parameters are agreed."
    return _Verdict("proven", why, asked[0].label, asked[0].start_s, asked[-1].end_s)


def _hold(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "hold")
    if broken:
        return _failed(broken)
    if not requests(record):
        return _Verdict("not_captured", "The vehicle is not seen asking.")
    why = (
        f"The pilot kept asking for {seconds(asking_s(record))} without a break; whether current flowed it cannot show."
    )
    return _Verdict("not_captured", why, f"C {seconds(asking_s(record))}")


def _end(record: PilotRecord, findings: Sequence[Finding]) -> _Verdict:
    stopped = next((f for f in findings if f.code == "stopped_asking"), None)
    if stopped:
        return _Verdict("proven", stopped.text, "C to B", stopped.start_s, stopped.end_s)
    if requests(record):
        return _Verdict("not_captured", "The capture ends before the session does.")
    return _Verdict("not_captured", "The vehicle is not seen asking.")


def _energise(record: PilotRecord, mains: MainsRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "energise")
    if broken:
        return _failed(broken)
    on = next((f for f in findings if f.code in ("mains_on", "current_flows")), None)
    if on:
        return _Verdict("proven", on.text, on.measured, on.start_s, on.end_s)
    if not mains.has_volts or requests(record):
        return _Verdict("not_captured", "The capture does not show the contactor's output long enough to tell.")
    return _Verdict("not_reached", "No mains, and the vehicle is not seen asking.")


def _draw(record: PilotRecord, mains: MainsRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "draw")
    if broken:
        return _failed(broken)
    flows = next((f for f in findings if f.code == "current_flows"), None)
    if flows:
        return _Verdict("proven", flows.text, flows.measured, flows.start_s, flows.end_s)
    why = "No current flows in this capture." if mains.has_amps else "Current was not captured."
    return _Verdict("not_captured", why)


def _hold_with_mains(record: PilotRecord, mains: MainsRecord, findings: Sequence[Finding]) -> _Verdict:
    broken = breaking(findings, "hold")
    if broken:
        return _failed(broken)
    ended = next((f for f in findings if f.code == "stopped_asking"), None)
    if mains.amps and ended and mains.amps[-1].end_s > ended.start_s - HELD_UNTIL_S:
        flowed = sum(s.duration_s for s in mains.amps)
        why = f"Current flowed for {seconds(flowed)}, until the vehicle let go of its request."
        return _Verdict("proven", why, seconds(flowed), mains.amps[0].start_s, mains.amps[-1].end_s)
    return _hold(record, findings)


# Chargers ramp down before they let go of the request.
HELD_UNTIL_S = 5.0
_MAINS_JUDGES: dict[str, Callable[[PilotRecord, MainsRecord, Sequence[Finding]], _Verdict]] = {
    "energise": _energise,
    "draw": _draw,
    "hold": _hold_with_mains,
}
_JUDGES: dict[str, Callable[[PilotRecord, Sequence[Finding]], _Verdict]] = {
    "pilot": _pilot,
    "offer": _offer,
    "request": _request,
    "parameters": _parameters,
    "hold": _hold,
    "end": _end,
}
