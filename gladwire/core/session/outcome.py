"""The outcome in one word and the verdict in one sentence."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from gladwire.core.findings import Finding
from gladwire.core.lanes.bus.rules import flowing
from gladwire.core.lanes.frames.judges import story as told_story
from gladwire.core.lanes.frames.rules.loop import LOOPS, top
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.rules.offer import offers
from gladwire.core.lanes.pilot.rules.requests import asking_s, requests
from gladwire.core.session.judges import breaking
from gladwire.core.session.scene import Scene
from gladwire.core.session.spine import StageResult
from gladwire.core.standards.dc_limits import FLOWS_A
from gladwire.core.words import amps, seconds

Outcome = Literal["charged", "failed_to_start", "dropped_out", "derated", "unknown"]

OUTCOME_WORDS: dict[Outcome, str] = {
    "charged": "charged",
    "failed_to_start": "failed to start",
    "dropped_out": "dropped out",
    "derated": "derated",
    "unknown": "not decided by this capture",
}
# Facts about the capture that must be settled before its levels are judged.
_CAPTURE_FIRST = ("capture_ac_coupled", "capture_clipped")
_BEFORE_HOLD = (
    "seat", "proximity", "lock", "pilot", "offer", "request", "match", "link", "agree", "authorise", "parameters",
    "insulation", "precharge", "ramp", "energise", "draw",
)  # fmt: skip
_NOTHING_TO_JUDGE = ("no_pilot",)
# What makes a held session a derated one.
_DERATING = (
    "current_reduced", "offer_followed", "power_below_rating", "power_lead", "power_hot", "power_thermal", "power_shared",
    "power_supply", "power_slower", "power_phase_lost", "can_pin_hot",
)  # fmt: skip
# Faults that a session charges through.
_CHARGES_YET = ("current_over_offer", "mains_without_request")
# By then a vehicle that asks has voltage and begins to draw.
_UNDER_WAY_S = 4.0
# Without a pilot, what to tell first.
_TELLING = ("current_flows", "mains_on", "lock_engaged", "proximity_read")
# Findings of a session that waits longer than anybody would.
_STALLED = ("no_offer", "never_asked")


def outcome_of(scene: Scene, stages: Sequence[StageResult], findings: Sequence[Finding]) -> Outcome:
    """What the captures decide. A pilot alone cannot prove that current flowed: "charged" needs mains beside it."""
    if any(not p.reading.is_pilot_like for p in scene.pilots) or any(f.code in _NOTHING_TO_JUDGE for f in findings):
        return "unknown"
    state = {s.stage: s.state for s in stages}
    if state["hold"] == "failed":
        broken_hold = breaking(findings, "hold")
        begun = not (scene.conversations or scene.buses) or broken_hold is None or _had_begun(scene, broken_hold)
        return "dropped_out" if begun else "failed_to_start"
    held = state["hold"] == "proven"
    broken = [b for name in _BEFORE_HOLD if (b := breaking(findings, name)) and not (held and b.code in _CHARGES_YET)]
    if broken:
        return "dropped_out" if _had_begun(scene, min(broken, key=lambda f: f.start_s)) else "failed_to_start"
    if held and (state["end"] in ("proven", "failed") or _ended_by_power(scene)):
        return "derated" if _derated(scene, findings) else "charged"
    stalled = any(f.code in _STALLED and f.severity == "suspect" for f in findings)
    return "failed_to_start" if stalled and state.get("request") == "not_reached" else "unknown"


def _derated(scene: Scene, findings: Sequence[Finding]) -> bool:
    """A power record's verdict counts; findings of it that are mere notes do not."""
    if any(p.verdict == "derated" for p in scene.powers):
        return True
    return any(f.code in _DERATING and (not f.code.startswith("power_") or f.severity == "suspect") for f in findings)


def _ended_by_power(scene: Scene) -> bool:
    """Whether a power record alone tells enough to say how the session went."""
    return any(p.verdict in ("normal", "derated") for p in scene.powers)


def _had_begun(scene: Scene, broken: Finding) -> bool:
    """Whether the session was past its start when this broke it: current flowed, or, unseen, it had had time to."""
    if scene.conversations:
        return any(
            turn.start_s < broken.start_s and top(turn, "EVSEPresentCurrent") > FLOWS_A
            for c in scene.conversations
            for talk in c.talks
            for turn in talk.of(*LOOPS)
        )
    if scene.buses:
        return any(start < broken.start_s for bus in scene.buses for start, _ in flowing(bus))
    if any(p.energy_kwh > 0 for p in scene.powers):
        return True
    if scene.mains and scene.mains.has_amps:
        return any(span.start_s < broken.start_s - 0.1 for span in scene.mains.amps)
    asked = requests(scene.pilot) if scene.pilot else []
    # What breaks these stages keeps them from being passed, however long it takes.
    passed = broken.stage in ("seat", "proximity", "lock", "pilot")
    return bool(asked) and passed and broken.end_s - asked[0].start_s > _UNDER_WAY_S


def verdict_sentence(scene: Scene, findings: Sequence[Finding]) -> str:
    """What happened, in numbers with units."""
    capture = next((f for f in findings if f.code in _CAPTURE_FIRST), None)
    first = [b for stage in (*_BEFORE_HOLD, "hold") if (b := breaking(findings, stage))]
    if capture and (not first or first[0].code == "pilot_level_between_states"):
        return capture.text
    if first:
        return min(first, key=lambda f: f.start_s).text
    if scene.conversations:
        kept = breaking(findings, "end")
        return f"{kept.text}" if kept else f"{told_story(findings)}{_power_story(scene)}"
    if scene.buses and scene.pilot is None:
        return f"{_bus_story(findings)}{_power_story(scene)}"
    if scene.powers and scene.pilot is None:
        return f"{_flowed(findings)}{_power_story(scene)}"
    waiting = next((f for f in findings if f.code in ("never_asked", "no_offer", "nothing_connected")), None)
    if waiting:
        return waiting.text
    less = next((f for f in findings if f.code in _DERATING), None)
    record = scene.pilot
    story = _story(record, findings) if record else _without_pilot(scene, findings)
    kept = breaking(findings, "end")
    if less and record and less.text not in story:
        story = f"{less.text} {story}"
    return f"{story} {kept.text}" if kept else story


def _bus_story(findings: Sequence[Finding]) -> str:
    watch = next((f for f in findings if f.severity == "suspect" and f.code != "can_post_stopped"), None)
    told = [f.text for code in ("can_flows", "can_ended", "can_post_stopped") for f in findings if f.code == code]
    parts = told or [next((f.text for f in findings if f.severity == "note"), "No current flows in this log.")]
    # What holds a charge back comes first; what is only to be watched, last.
    if watch and watch.code in _DERATING:
        return " ".join([watch.text, *parts])
    return " ".join([*parts, *([f"To watch: {watch.text}"] if watch else [])])


def _flowed(findings: Sequence[Finding]) -> str:
    return next((f.text for f in findings if f.code == "power_flows"), "No power flowed.")


def _power_story(scene: Scene) -> str:
    """What a power record says of what held it back, where it says anything."""
    told = next((p.text for p in scene.powers if p.verdict != "unknown"), scene.powers[0].text if scene.powers else "")
    return f" {told}" if told else ""


def _without_pilot(scene: Scene, findings: Sequence[Finding]) -> str:
    """What lanes alone tell."""
    grave = next((f for f in findings if f.severity in ("fault", "suspect")), None)
    shown = grave or next((f for f in findings if f.code in _TELLING), None)
    missing = "No pilot was captured, so most stages stay open."
    return f"{shown.text} {missing}" if shown else missing


def _story(record: PilotRecord, findings: Sequence[Finding]) -> str:
    made = [s for s in offers(record) if s.state != "A"]
    asked = requests(record)
    if not made or not asked:
        return "The capture is too short to walk the pilot's stages."
    offered = (
        "digital communication (5 %)"
        if made[0].offer_kind == "digital"
        else f"{amps(made[0].advertised_current_a or 0.0)} (duty {made[0].duty_percent:.1f} %)"
    )
    suspect = next((f for f in findings if f.severity == "suspect" and f.code not in _DERATING), None)
    flows = next((f for f in findings if f.code == "current_flows"), None)
    ended = any(f.code == "stopped_asking" for f in findings)
    text = (
        f"The post offered {offered} and the vehicle asked for {seconds(asking_s(record))}; the pilot did not stop it."
    )
    if flows:
        end = "and it ended in order" if ended else "until the capture ends"
        drawn = f"{flows.measured} for {seconds(flows.end_s - flows.start_s)}"
        text = f"The post offered {offered}; the vehicle drew {drawn}, {end}."
    return f"{text} To watch: {suspect.text}" if suspect else text
