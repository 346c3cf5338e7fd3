"""From a scene to findings, stages, outcome, verdict and ranked causes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from pydantic import BaseModel, ConfigDict

from gladwire.core import rulebook as rules
from gladwire.core.diagnosis.cause import RankedCause
from gladwire.core.diagnosis.ranking import rank
from gladwire.core.findings import SEVERITIES, Finding, apply
from gladwire.core.lanes.contactor.rules import Switching
from gladwire.core.lanes.frames.consequences import FOLLOWS, causes_before_consequences, in_its_own_standard
from gladwire.core.lanes.mains.rules import Ac
from gladwire.core.session.outcome import Outcome, outcome_of, verdict_sentence
from gladwire.core.session.scene import Scene
from gladwire.core.session.spine import StageResult, placed, spine_of
from gladwire.core.session.stages import walk
from gladwire.core.session.together_rules import pilot_first


class Judgement(BaseModel):
    """What is said of a plug-in, whether it was one capture or several on one clock."""

    model_config = ConfigDict(frozen=True)

    findings: tuple[Finding, ...]
    stages: tuple[StageResult, ...]
    outcome: Outcome
    verdict: str
    causes: tuple[RankedCause, ...]


def judge(scene: Scene) -> Judgement:
    """Apply every rule that has its lanes, walk the stages, name the outcome, rank the causes."""
    # The same fact seen by two instruments is one fact.
    found: Iterable[Finding] = dict.fromkeys(_findings(scene))
    if scene.conversations:
        found = pilot_first(list(found))
    gravest = sorted(found, key=lambda f: (-SEVERITIES.index(f.severity), f.start_s))
    findings = placed(gravest, spine_of(scene))
    stages = walk(scene, findings)
    return Judgement(
        findings=findings,
        stages=stages,
        outcome=outcome_of(scene, stages, findings),
        verdict=verdict_sentence(scene, findings),
        causes=rank(findings),
    )


def _first_is_cause(found: Sequence[Finding]) -> Iterator[Finding]:
    """Of a bus's faults the first is the cause; what comes more than a breath later is consequence."""
    faults = [f for f in found if f.severity == "fault"]
    first = min((f.start_s for f in faults), default=0.0)
    for finding in found:
        if finding.severity == "fault" and finding.start_s > first + _BREATH_S:
            finding = finding.model_copy(update={"severity": "note", "text": f"{finding.text} {FOLLOWS}"})
        yield finding


_BREATH_S = 0.2


def _findings(scene: Scene) -> Iterator[Finding]:
    for pilot in scene.pilots:
        yield from apply(rules.PILOT, pilot)
    for proximity in scene.proximities:
        yield from apply(rules.PROXIMITY, proximity)
    for lock in scene.locks:
        yield from apply(rules.LOCK, lock)
    whole = scene.pilot
    if scene.mains:
        yield from apply(rules.MAINS, Ac(whole, scene.mains))
    if whole:
        for contactor in scene.contactors:
            if contactor.switched:
                yield from apply(rules.CONTACTOR, Switching(whole, contactor))
    for conversation in scene.conversations:
        found = in_its_own_standard(apply(rules.CONVERSATION, conversation), conversation)
        yield from causes_before_consequences(found, conversation)
    for bus in scene.buses:
        yield from _first_is_cause(apply(rules.BUS, bus))
    yield from _of_power(scene)
    yield from apply(rules.SCENE, scene)


def _of_power(scene: Scene) -> Iterator[Finding]:
    for power in scene.powers:
        for finding in apply(rules.POWER, power):
            # How a session ended is told by what was said and switched, where that was captured.
            if finding.code == "power_interrupted" and (scene.conversations or scene.pilots or scene.buses):
                finding = finding.model_copy(update={"severity": "note"})
            yield finding
