"""How one stage stands: broken by a finding, proven by one, or as the lanes that were captured say."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from gladwire.core.findings import Finding, first_of, proving
from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.lane import Lane
from gladwire.core.rulebook import ALL, breaking
from gladwire.core.scene.scene import Scene
from gladwire.core.session.explained import MISSING
from gladwire.core.stage import Standing

# A lock that went home at a later try is home: there the lane's own word comes before what broke an earlier try.
_LATER_TRY_COUNTS = ("lock",)
# Captures of their own, which speak for a stage where sampled lanes leave it open; frames are asked before all others.
_FRAMES, _BESIDE = "frames", ("bus", "power")


def standing_of(stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing:
    """What is said of a stage by everything captured."""
    standing = _standing(stage, scene, findings)
    broken = breaking(tuple(findings), stage)
    if broken and not (stage in _LATER_TRY_COUNTS and standing.state == "proven"):
        return Standing("failed", broken.text, broken.measured, broken.start_s, broken.end_s)
    return standing


def _standing(stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing:
    by_frames = _asked(_FRAMES, stage, scene, findings)
    # Where a conversation was captured, a pilot that leaves C says only that the request ended, not how the session did.
    sampled = (
        None if by_frames and (by_frames.state == "proven" or stage == "end") else _sampled(stage, scene, findings)
    )
    standing = sampled if sampled and (sampled.state == "proven" or by_frames is None) else by_frames
    for key in _BESIDE:
        standing = _better(standing, _asked(key, stage, scene, findings))
    return standing or Standing("not_captured", MISSING.get(stage, "Nothing captured here shows this."))


def _better(standing: Standing | None, other: Standing | None) -> Standing | None:
    """Of two words on a stage the one that decides more; where neither decides, the later asked, unless it saw nothing."""
    if other is None or (standing and standing.state in ("proven", "failed")):
        return standing
    return standing if standing and other.state == "not_captured" and standing.state == "not_reached" else other


def _sampled(stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing | None:
    """By a finding that proves it, else by the lanes, else by what only supports it."""
    proof = first_of(findings, proving(ALL, stage))
    if proof:
        return Standing("proven", proof.text, proof.measured, proof.start_s, proof.end_s)
    standings = [s for lane in LANES if lane.key not in (_FRAMES, *_BESIDE) if (s := _of(lane, stage, scene, findings))]
    decided = next((s for s in standings if s.state == "proven"), None) or (standings[-1] if standings else None)
    hint = first_of(findings, (rule.code for rule in ALL if stage in rule.supports))
    if hint and (decided is None or decided.state == "not_captured"):
        missing = MISSING.get(stage, "")
        return Standing("not_captured", f"{hint.text} {missing}".strip(), hint.measured, hint.start_s, hint.end_s)
    return decided


def _asked(key: str, stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing | None:
    return next(_of(lane, stage, scene, findings) for lane in LANES if lane.key == key)


def _of(lane: Lane[Any], stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing | None:
    judge = lane.judges.get(stage)
    return judge(scene.records, findings) if judge else None
