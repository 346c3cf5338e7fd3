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
    said = _said(stage, scene, findings)
    broken = breaking(tuple(findings), stage)
    if broken and not (stage in _LATER_TRY_COUNTS and said.state == "proven"):
        return Standing("failed", broken.text, broken.measured, broken.start_s, broken.end_s)
    return said


def _said(stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing:
    talked = _asked(_FRAMES, stage, scene, findings)
    # Where a conversation was captured, a pilot that leaves C says only that the request ended, not how the session did.
    sampled = None if talked and (talked.state == "proven" or stage == "end") else _sampled(stage, scene, findings)
    said = sampled if sampled and (sampled.state == "proven" or talked is None) else talked
    for key in _BESIDE:
        said = _better(said, _asked(key, stage, scene, findings))
    return said or Standing("not_captured", MISSING.get(stage, "Nothing captured here shows this."))


def _better(said: Standing | None, other: Standing | None) -> Standing | None:
    """Of two words on a stage the one that decides more; where neither decides, the later asked, unless it saw nothing."""
    if other is None or (said and said.state in ("proven", "failed")):
        return said
    return said if said and other.state == "not_captured" and said.state == "not_reached" else other


def _sampled(stage: str, scene: Scene, findings: Sequence[Finding]) -> Standing | None:
    """By a finding that proves it, else by the lanes, else by what only supports it."""
    proof = first_of(findings, proving(ALL, stage))
    if proof:
        return Standing("proven", proof.text, proof.measured, proof.start_s, proof.end_s)
    heard = [s for lane in LANES if lane.key not in (_FRAMES, *_BESIDE) if (s := _of(lane, stage, scene, findings))]
    decided = next((s for s in heard if s.state == "proven"), None) or (heard[-1] if heard else None)
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
