"""The verdict: what happened to a session, in one or two sentences with numbers and units."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.findings import Finding, Rank, codes, first_of
from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.power.judges import held_back
from gladwire.core.lanes.unnamed.record import UnnamedRecord
from gladwire.core.lanes.unnamed.rules import asks
from gladwire.core.rulebook import ALL, breaking, danger
from gladwire.core.scene.scene import Scene
from gladwire.core.session.outcome import BEFORE_HOLD, derates


def verdict_sentence(scene: Scene, findings: Sequence[Finding]) -> str:
    """What can hurt somebody; then the first thing that broke the session, or what it waits for, or the story of the lane
    that knows it best."""
    hurts = danger(findings)
    told = _sentence(scene, findings)
    return (
        told if hurts is None or told.startswith(hurts.text) else f"{hurts.text} {told.replace(hurts.text, '').strip()}"
    )


def _sentence(scene: Scene, findings: Sequence[Finding]) -> str:
    found = tuple(findings)
    capture = _ranked(found, "capture")
    first = [b for stage in (*BEFORE_HOLD, "hold") if (b := breaking(found, stage))]
    if capture and (not first or first[0].code == "pilot_level_between_states"):
        return capture.text
    if first:
        return min(first, key=lambda f: f.start_s).text
    kept = breaking(found, "end")
    lanes = scene.records.lanes
    if "frames" in lanes:
        return kept.text if kept else _with_power(_told(scene, found), scene)
    if "pilot" not in lanes and lanes & {"bus", "power"}:
        return _with_power(_told(scene, found), scene)
    waiting = _ranked(found, "waiting")
    if waiting:
        return waiting.text
    story = _of_pilot(scene, found) if "pilot" in lanes else _without_pilot(scene, found)
    return f"{story} {kept.text}" if kept and kept.text not in story else story


def _ranked(findings: tuple[Finding, ...], rank: Rank) -> Finding | None:
    return first_of(findings, codes(ALL, rank))


def _told(scene: Scene, findings: tuple[Finding, ...]) -> str:
    """The story of the lane that knows it best."""
    for lane in sorted(LANES, key=lambda lane: lane.tells):
        if story := lane.story(scene.records, findings):
            return story
    return ""


def _with_power(story: str, scene: Scene) -> str:
    return f"{story} {held_back(scene.records)}".strip()


def _of_pilot(scene: Scene, findings: tuple[Finding, ...]) -> str:
    """The pilot's story, with what held the session back before it and what is to be watched after it."""
    story = _told(scene, findings)
    watch = next((f for f in findings if f.severity == "suspect" and not derates(f)), None)
    less = next((f for f in findings if derates(f)), None)
    if watch and not story.startswith("The capture is too short"):
        story = f"{story} To watch: {watch.text}"
    return f"{less.text} {story}" if less and less.text not in story else story


def _without_pilot(scene: Scene, findings: tuple[Finding, ...]) -> str:
    """What sampled lanes alone tell, and what is asked of those nothing told."""
    grave = next((f for f in findings if f.severity in ("fault", "suspect")), None)
    shown = grave or _ranked(findings, "telling")
    unnamed = scene.of(UnnamedRecord)
    missing = asks(unnamed) if unnamed else "No pilot was captured, so most stages stay open."
    return f"{shown.text} {missing}" if shown else missing
