"""One judge for each stage: from the scene and its findings to proven, failed, not reached or not captured."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gladwire.core.findings import Finding
from gladwire.core.lanes.bus import judges as can_judges
from gladwire.core.lanes.frames import judges as talk_judges
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.lanes.pilot.rules.offer import offers
from gladwire.core.lanes.pilot.rules.requests import asking_s, requests
from gladwire.core.lanes.power.judges import POWERED
from gladwire.core.session.scene import Scene
from gladwire.core.standards.pilot_timing import PATIENCE_S
from gladwire.core.verdict import Verdict
from gladwire.core.words import amps, seconds

# Chargers ramp down before they let go of the request.
_HELD_UNTIL_S = 5.0


Judge = Callable[[Scene, Sequence[Finding]], Verdict]

# Findings that break the stage they belong to, when they are faults.
_BREAKING: Mapping[str, frozenset[str]] = {
    "seat": frozenset({"plug_not_home"}),
    "proximity": frozenset({"latch_pressed", "proximity_intermittent", "proximity_wrong"}),
    "lock": frozenset({"lock_obstructed", "lock_no_feedback"}),
    "pilot": frozenset(
        {
            "oscillating_without_vehicle",
            "pilot_stuck_at_zero",
            "post_not_available",
            "pilot_withdrawn",
            "no_pilot",
            "pilot_level_between_states",
            "low_side_pulled_up",
            "pilot_interrupted",
        }
    ),
    "offer": frozenset({"duty_forbidden", "frequency_out"}),
    "request": frozenset({"hunting"}),
    "parameters": frozenset({"hunting"}),
    "energise": frozenset({"mains_missing", "mains_without_request", "contactor_not_driven"}),
    "draw": frozenset({"current_missing", "current_over_offer"}),
    "hold": frozenset(
        {
            "pilot_lost_while_asking",
            "pilot_withdrawn",
            "pilot_interrupted",
            "current_lost",
            "breaker_tripped",
            "power_interrupted",
        }
    ),
    "end": frozenset({"lock_not_released", "plug_stays_held", "contactor_stays_closed"}),
}
BREAKING: Mapping[str, frozenset[str]] = {
    stage: frozenset().union(
        *(told.get(stage, frozenset()) for told in (_BREAKING, talk_judges.BREAKING, can_judges.BREAKING))
    )
    for stage in {*_BREAKING, *talk_judges.BREAKING, *can_judges.BREAKING}
}
# A withdrawn offer ends what was held, however grave it is in itself.
_ENDS_HOLD = "offer_withdrawn"


def breaking(findings: Sequence[Finding], stage: str) -> Finding | None:
    """The first finding that breaks this stage; a level fault breaks only when it is more than suspected."""
    codes = BREAKING.get(stage, frozenset())
    hits = [f for f in findings if f.code in codes and f.stage == stage and f.severity == "fault"]
    hits += [f for f in findings if f.code == _ENDS_HOLD and stage == "hold"]
    return min(hits, key=lambda f: f.start_s) if hits else None


def _first(findings: Sequence[Finding], *codes: str) -> Finding | None:
    return next((f for f in findings if f.code in codes), None)


def _by(finding: Finding) -> Verdict:
    """Proven by this finding."""
    return Verdict("proven", finding.text, finding.measured, finding.start_s, finding.end_s)


def _seat(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    home = _first(findings, "plug_home")
    if home:
        return _by(home)._replace(short="home")
    return Verdict("not_captured", "Seat shows only where proximity and pilot are both captured, or is looked at.")


def _proximity(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    segments = [s for r in scene.proximities for s in r.segments]
    if not segments:
        lamp = _first(findings, "lamp_steady")
        return Verdict("not_captured", lamp.text if lamp else "Proximity was not captured.")
    home = [s for s in segments if s.state in ("latched", "coded", "doubtful")]
    if not home:
        last = segments[-1]
        return Verdict("not_reached", f"No plug is seen by proximity: {last.meaning}", f"{last.value:.2f} {last.unit}")
    short = f"{home[0].value:.2f} V" if home[0].unit == "V" else f"{home[0].value:.0f} Ω"
    return Verdict("proven", home[0].meaning, short, home[0].start_s, home[-1].end_s)


def _lock(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    engaged = next((a for r in scene.locks for a in r.attempts if a.result == "engaged"), None)
    if engaged and engaged.positioned:
        why = f"Driven at {engaged.start_s:.2f} s, and the position follows."
        return Verdict("proven", why, f"{engaged.end_s - engaged.start_s:.1f} s", engaged.start_s, engaged.end_s)
    if engaged:
        return Verdict("not_captured", "One normal pulse; without a position it is probable only.", "1 pulse")
    broken = breaking(findings, "lock")
    if broken:
        return _failed(broken)
    moved = _first(findings, "lock_moved")
    if moved:
        return _by(moved)._replace(short="moved")
    undriven = _first(findings, "lock_not_driven")
    if undriven:
        return Verdict("not_reached", undriven.text, "no pulse", undriven.start_s, undriven.end_s)
    heard = _first(findings, "heard_lock_click", "heard_lock_clatter")
    if scene.locks:
        return Verdict("not_captured", "The lock is not driven in this capture.")
    return Verdict("not_captured", heard.text if heard else "The lock was not captured.")


def _failed(finding: Finding) -> Verdict:
    return Verdict("failed", finding.text, finding.measured, finding.start_s, finding.end_s)


def _of_pilot(judge: Callable[[PilotRecord, Sequence[Finding]], Verdict]) -> Judge:
    """A judge that needs a pilot."""

    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict:
        pilot = scene.pilot
        return judge(pilot, findings) if pilot else Verdict("not_captured", "The pilot was not captured.")

    return judged


def _connected(record: PilotRecord) -> list[Segment]:
    return [s for s in record.segments if s.state in ("B", "C", "D")]


def _pilot(record: PilotRecord, findings: Sequence[Finding]) -> Verdict:
    seen = _connected(record)
    if seen:
        first = seen[0]
        why = f"A vehicle is there: {first.label} at {first.high_v:.2f} V from {first.start_s:.2f} s."
        return Verdict("proven", why, f"{first.high_v:.1f} V", first.start_s, seen[-1].end_s)
    if not record.reading.levels_trusted:
        return Verdict("not_captured", "Levels were lost to AC coupling.")
    return Verdict("not_reached", "No vehicle is seen on the pilot: it stays in A.", "A only")


def _offer(record: PilotRecord, findings: Sequence[Finding]) -> Verdict:
    made = [s for s in offers(record) if s.state != "A" and s.offer_kind in ("current", "digital")]
    if not made:
        waited = sum(s.duration_s for s in _connected(record))
        if 0 < waited < PATIENCE_S:
            return Verdict("not_captured", f"No offer within the {seconds(waited)} in which a vehicle is seen.")
        return Verdict("not_reached", "The post never oscillates with a vehicle connected.", "none")
    first = made[0]
    short = f"{first.duty_percent:.0f} %" if first.offer_kind == "digital" else amps(first.advertised_current_a or 0.0)
    begun = min(s.start_s for s in record.segments if s.state != "A" and s.offer_kind == first.offer_kind)
    why = f"Oscillation from {begun:.2f} s, duty {first.duty_percent:.1f} %."
    return Verdict("proven", why, short, begun, made[-1].end_s)


def _request(record: PilotRecord, findings: Sequence[Finding]) -> Verdict:
    asked = requests(record)
    weak = next((s for s in record.segments if s.state == "unknown" and s.oscillating and s.nearest in "CD"), None)
    if not asked and weak:
        why = (
            f"At {weak.start_s:.2f} s the level moves to {weak.high_v:.2f} V, near {weak.nearest} but inside no state."
        )
        return Verdict("not_reached", why, f"{weak.high_v:.1f} V")
    if not asked:
        waiting = [s for s in record.segments if s.state == "B"]
        offered = sum(s.duration_s for s in waiting if s.oscillating) or sum(s.duration_s for s in waiting)
        if 0 < offered < PATIENCE_S:
            return Verdict("not_captured", f"The vehicle does not ask within the {seconds(offered)} seen here.", "no C")
        return Verdict("not_reached", "The vehicle never asks (no C or D).", "no C")
    why = f"The vehicle asks from {asked[0].start_s:.2f} s, {seconds(asking_s(record))} in all."
    return Verdict("proven", why, asked[0].label, asked[0].start_s, asked[-1].end_s)


def _parameters(record: PilotRecord, findings: Sequence[Finding]) -> Verdict:
    """On the DC spine C comes once limits are agreed; the pilot shows that moment and nothing of what was agreed."""
    asked = requests(record)
    if not asked:
        return Verdict("not_captured", "The vehicle has not gone to C, which follows agreed parameters.", "no C")
    why = f"The vehicle goes to C at {asked[0].start_s:.2f} s, as it does once parameters are agreed."
    return Verdict("proven", why, asked[0].label, asked[0].start_s, asked[-1].end_s)


def _energise(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    on = _first(findings, "mains_on", "current_flows")
    if on:
        return _by(on)
    closes = _first(findings, "contactor_closes")
    if closes:
        why = f"{closes.text} Voltage behind it was not captured."
        return Verdict("not_captured", why, "line closes", closes.start_s, closes.end_s)
    heard = _first(findings, "heard_contactor")
    if heard:
        return Verdict("not_captured", heard.text, "heard", heard.start_s, heard.end_s)
    if scene.mains is None:
        return Verdict("not_captured", "Mains behind the contactor was not captured.")
    if not scene.mains.has_volts or (scene.pilot and requests(scene.pilot)):
        return Verdict("not_captured", "The capture does not show the contactor's output long enough to tell.")
    return Verdict("not_reached", "No mains, and the vehicle is not seen asking.")


def _draw(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    flows = _first(findings, "current_flows")
    if flows:
        return _by(flows)
    noise = _first(findings, "power_noise", "noticed_power")
    if noise:
        why = f"{noise.text} Current itself was not captured."
        return Verdict("not_captured", why, "by its noise", noise.start_s, noise.end_s)
    seen = scene.mains is not None and scene.mains.has_amps
    return Verdict("not_captured", "No current flows in this capture." if seen else "Current was not captured.")


def _hold(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    pilot, mains = scene.pilot, scene.mains
    ended = _first(findings, "stopped_asking")
    if mains and mains.amps and ended and mains.amps[-1].end_s > ended.start_s - _HELD_UNTIL_S:
        flowed = sum(s.duration_s for s in mains.amps)
        why = f"Current flowed for {seconds(flowed)}, until the vehicle let go of its request."
        return Verdict("proven", why, seconds(flowed), mains.amps[0].start_s, mains.amps[-1].end_s)
    if pilot is None:
        return Verdict("not_captured", "The pilot was not captured.")
    if not requests(pilot):
        return Verdict("not_captured", "The vehicle is not seen asking.")
    asked = seconds(asking_s(pilot))
    flows = "whether current flowed it cannot show" if not (mains and mains.amps) else "and current flowed with it"
    return Verdict("not_captured", f"The pilot kept asking for {asked} without a break; {flows}.", f"C {asked}")


def _end(record: PilotRecord, findings: Sequence[Finding]) -> Verdict:
    stopped = _first(findings, "stopped_asking")
    if stopped:
        return Verdict("proven", stopped.text, "C to B", stopped.start_s, stopped.end_s)
    if requests(record):
        return Verdict("not_captured", "The capture ends before the session does.")
    return Verdict("not_captured", "The vehicle is not seen asking.")


def _unless_broken(stage: str, judge: Judge) -> Judge:
    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict:
        broken = breaking(findings, stage)
        return _failed(broken) if broken else judge(scene, findings)

    return judged


def _talked_or(stage: str, judge: Judge | None) -> Judge:
    """Where a conversation was captured it speaks for the stage; else the judge of other lanes, if there is one."""

    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict:
        if scene.conversations:
            said = talk_judges.TALKED[stage](scene, findings)
            # A pilot that leaves C says only that the request ended, not how the session did.
            if said.state == "proven" or judge is None or stage == "end":
                return said
            other = judge(scene, findings)
            return other if other.state == "proven" else said
        return judge(scene, findings) if judge else Verdict("not_captured", "Nothing captured here shows this.")

    return judged


def _canned_or(stage: str, judge: Judge) -> Judge:
    """Where no other capture proves a stage, a log of the bus speaks for it."""

    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict:
        said = judge(scene, findings)
        if said.state in ("proven", "failed") or not scene.buses:
            return said
        heard = can_judges.CANNED[stage](scene, findings)
        return heard or said

    return judged


def _powered_or(stage: str, judge: Judge) -> Judge:
    """Where other captures leave a stage open, the power record speaks for it."""

    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict:
        said = judge(scene, findings)
        if said.state in ("proven", "failed") or not scene.powers:
            return said
        power = POWERED[stage](scene)
        return power if power and (power.state != "not_captured" or said.state == "not_captured") else said

    return judged


_OF_LANES: Mapping[str, Judge] = {
    "seat": _seat,
    "proximity": _proximity,
    "pilot": _of_pilot(_pilot),
    "offer": _of_pilot(_offer),
    "request": _of_pilot(_request),
    "parameters": _of_pilot(_parameters),
    "energise": _energise,
    "draw": _draw,
    "hold": _hold,
    "end": _of_pilot(_end),
}
_ALL: Mapping[str, Judge] = {
    # A lock that went home at a later try is home: its judge looks at the failures itself.
    "lock": _lock,
    **{stage: _unless_broken(stage, judge) for stage, judge in _OF_LANES.items() if stage not in talk_judges.TALKED},
    **{stage: _unless_broken(stage, _talked_or(stage, _OF_LANES.get(stage))) for stage in talk_judges.TALKED},
}
_WITH_BUSES = {s: _canned_or(s, judge) if s in can_judges.CANNED else judge for s, judge in _ALL.items()}
JUDGES: Mapping[str, Judge] = {s: _powered_or(s, judge) if s in POWERED else judge for s, judge in _WITH_BUSES.items()}
