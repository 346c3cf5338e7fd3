"""From a scene to findings, stages, outcome, verdict and ranked causes."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import BaseModel, ConfigDict

from gladwire.core.diagnosis.cause import OwnerShare, RankedCause
from gladwire.core.diagnosis.ranking import owners, rank
from gladwire.core.findings import Finding, apply, gravest_first
from gladwire.core.lanes.all import LANES
from gladwire.core.rulebook import danger
from gladwire.core.scene.rules import RULES as SCENE_RULES
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.spine import placed, spine_of
from gladwire.core.session.consequences import within_a_record, within_a_scene
from gladwire.core.session.outcome import Outcome, outcome_of
from gladwire.core.session.stages import walk
from gladwire.core.session.verdict import verdict_sentence
from gladwire.core.stage import StageResult

# Raise when the same measurements would be judged differently; stored judgements of an older version are then made anew.
JUDGES = 10


class Judgement(BaseModel):
    """What is said of a plug-in, whether it was one capture or several on one clock. judges: the version that judged."""

    model_config = ConfigDict(frozen=True)

    judges: int = JUDGES
    findings: tuple[Finding, ...]
    stages: tuple[StageResult, ...]
    outcome: Outcome
    verdict: str
    causes: tuple[RankedCause, ...]
    owners: tuple[OwnerShare, ...] = ()

    @property
    def danger(self) -> Finding | None:
        """What can hurt somebody, if anything; the verdict begins with it."""
        return danger(self.findings)


def judge(scene: Scene) -> Judgement:
    """Apply every rule that has its lanes, walk the stages, name the outcome, rank the causes."""
    # The same fact seen by two instruments is one fact.
    found = within_a_scene(dict.fromkeys(_findings(scene)), scene)
    findings = placed(gravest_first(found), spine_of(scene))
    stages = walk(scene, findings)
    return Judgement(
        findings=findings,
        stages=stages,
        outcome=outcome_of(scene, stages, findings),
        verdict=verdict_sentence(scene, findings),
        causes=rank(findings),
        owners=owners(findings),
    )


def _findings(scene: Scene) -> Iterator[Finding]:
    for lane in LANES:
        for subject in lane.subjects(scene.records):
            yield from within_a_record(lane.key, subject, apply(lane.rules, subject))
    yield from apply(SCENE_RULES, scene)
