"""From a scene to findings, stages, outcome, verdict and ranked causes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from pydantic import BaseModel, ConfigDict

from gladwire.core.answers import Answer, Before
from gladwire.core.diagnosis.answers import danger_of
from gladwire.core.diagnosis.cause import Disagreement, OwnerShare, RankedCause, Rests
from gladwire.core.diagnosis.evidence import observed
from gladwire.core.diagnosis.next_test import Proposal, proposals
from gladwire.core.diagnosis.ranking import disagreement, owners, pair, rank, rests_on
from gladwire.core.findings import Finding, apply, gravest_first
from gladwire.core.lanes.all import LANES
from gladwire.core.rulebook import danger
from gladwire.core.scene.rules import RULES as SCENE_RULES
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.spine import placed, spine_of
from gladwire.core.session.consequences import within_a_record, within_a_scene
from gladwire.core.session.outcome import Outcome, outcome_of
from gladwire.core.session.sight import blind_spots
from gladwire.core.session.stages import walk
from gladwire.core.session.verdict import verdict_sentence
from gladwire.core.stage import StageResult

# Raise when the same measurements would be judged differently; stored judgements of an older version are then made anew.
JUDGES = 18


class Judgement(BaseModel):
    """What is said of a plug-in, whether it was one capture or several on one clock. judges: the version that judged.

    hurts: what tests showed that can hurt, in words. next: tests worth doing, best first. rests: what the leading cause rests
    on most. blind: by code of a finding, what was missing for it to be seen. ac: the lead is a part of its own. record,
    before: what was counted in what is kept here, of attempts and of closed cases.
    disagreement: where people's words and captures part. both: two causes that are likelier
    together.
    """

    model_config = ConfigDict(frozen=True)

    judges: int = JUDGES
    findings: tuple[Finding, ...]
    stages: tuple[StageResult, ...]
    outcome: Outcome
    verdict: str
    hurts: str = ""
    causes: tuple[RankedCause, ...]
    owners: tuple[OwnerShare, ...] = ()
    next: tuple[Proposal, ...] = ()
    rests: Rests | None = None
    disagreement: Disagreement | None = None
    both: tuple[str, ...] = ()
    blind: Mapping[str, str] = {}
    ac: bool = True
    record: tuple[Answer, ...] = ()
    before: Mapping[str, Before] = {}

    @property
    def is_dangerous(self) -> bool:
        """Whether something can hurt somebody; the verdict begins with it."""
        return bool(self.hurts) or danger(self.findings) is not None


def judge(scene: Scene) -> Judgement:
    """Apply every rule that has its lanes, walk the stages, name the outcome, rank the causes."""
    # The same fact seen by two instruments is one fact.
    found = within_a_scene(dict.fromkeys(_findings(scene)), scene)
    findings = placed(gravest_first(found), spine_of(scene))
    stages = walk(scene, findings)
    blind = blind_spots(scene, findings, stages)
    hurts = danger_of(scene.answers)
    seen = observed(findings, blind, scene.answers, all(s.stage != "precharge" for s in stages), scene.before)
    return Judgement(
        findings=findings,
        stages=stages,
        outcome=outcome_of(scene, stages, findings),
        verdict=f"{hurts} {verdict_sentence(scene, findings)}".strip(),
        hurts=hurts,
        causes=rank(seen, findings),
        owners=owners(seen),
        next=proposals(seen, findings),
        rests=rests_on(seen),
        disagreement=disagreement(seen),
        both=tuple(cause.code for cause in pair(seen) or ()),
        blind=blind,
        ac=seen.ac,
        record=tuple(a for a in scene.answers if a.of_record),
        before=scene.before,
    )


def _findings(scene: Scene) -> Iterator[Finding]:
    for lane in LANES:
        for subject in lane.subjects(scene.records):
            yield from within_a_record(lane.key, subject, apply(lane.rules, subject))
    yield from apply(SCENE_RULES, scene)
