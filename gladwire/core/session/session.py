"""A charging session of one capture or several: placed on one clock, what they show joined, and judged as one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

from gladwire.core.answers import Answer, Before
from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.frames.parties import Parties, all_connections, only_of, parties_of
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.records import Record, Records
from gladwire.core.measured import Measured
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.scene import Beside, Scene
from gladwire.core.scene.stamps import Stamp
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.judgement import Judgement, judge
from gladwire.core.session.locking import with_locks_as_used
from gladwire.core.session.outcome import OUTCOME_WORDS, Outcome
from gladwire.core.session.timeline import Part, Placed, place
from gladwire.core.standards.practice import TIE_S


class SessionResult(NamedTuple):
    """A session judged as one. placed: in the order of its parts. shown_only: names of captures whose pilot is a second
    view of a time that another one's is judged for."""

    judgement: Judgement
    scene: Scene
    placed: tuple[Placed, ...]
    shown_only: tuple[str, ...]

    @property
    def alignments(self) -> tuple[Alignment, ...]:
        return tuple(p.alignment for p in self.placed)


def judge_session(
    parts: Sequence[Part],
    stamps: Sequence[Stamp] = (),
    inspections: Sequence[Inspection] = (),
    answers: Sequence[Answer] = (),
    before: Mapping[str, Before] | None = None,
) -> SessionResult:
    """Place every capture, join what they show, and judge it. Raises ValueError for no capture at all."""
    placed = place(parts)
    scene = replace(scene_of(placed, stamps, inspections), answers=tuple(answers), before=before or {})
    return SessionResult(_judged(scene), scene, placed, _shown_only(placed, scene))


def _judged(scene: Scene) -> Judgement:
    """The judgement; of several vehicles in the same captures each is judged for itself, and the one that other lanes show,
    else the gravest, is told first."""
    parties = parties_of(all_connections(scene.of(ConversationRecord)))
    found = parties.names
    if len(found) < 2:
        return judge(scene)
    alone = {vehicle: _of_vehicle(scene, vehicle, parties) for vehicle in found}
    judged = {vehicle: judge(one) for vehicle, one in alone.items()}
    first = min(found, key=lambda vehicle: (-_shown_beside(alone[vehicle]), _gravity(judged[vehicle])))
    beside = tuple(
        Beside(v, *_span(alone[v]), f"{OUTCOME_WORDS[judged[v].outcome]}. {judged[v].verdict}")
        for v in found
        if v != first
    )
    return judge(replace(alone[first], beside=beside))


def _of_vehicle(scene: Scene, vehicle: str, parties: Parties) -> Scene:
    """What one vehicle said, with the lanes of instruments; a ledger made of a conversation is of the one it was made of."""
    conversations = [only_of(r, vehicle, parties) for r in scene.of(ConversationRecord)]
    drawn = {parties.by.get(r.drawn, "") for r in scene.of(ConversationRecord)} - {""}
    records: dict[str, list[Record]] = {}
    for record in scene.records:
        of_other = isinstance(record, PowerReport) and bool(drawn) and vehicle not in drawn
        if not isinstance(record, ConversationRecord) and not of_other:
            records.setdefault(record.lane, []).append(record)
    return replace(scene, records=Records({**records, ConversationRecord.lane: conversations}))


def _shown_beside(scene: Scene) -> int:
    """How many moments of the conversation other lanes show as well."""
    by_lane = {
        lane.key: [mark for record in scene.of(lane.record) for mark in lane.landmarks(record)] for lane in LANES
    }
    said = by_lane.pop(ConversationRecord.lane, [])
    shown = [mark for marks in by_lane.values() for mark in marks]
    return sum(any(a.kind == b.kind and abs(a.time_s - b.time_s) < TIE_S for b in shown) for a in said)


def _span(scene: Scene) -> tuple[float, float]:
    connections = all_connections(scene.of(ConversationRecord))
    return min(c.start_s for c in connections), max(c.end_s for c in connections)


_GRAVITY: tuple[Outcome, ...] = ("failed_to_start", "dropped_out", "derated", "unknown", "charged")


def _gravity(judgement: Judgement) -> tuple[bool, int]:
    return not judgement.is_dangerous, _GRAVITY.index(judgement.outcome)


def judge_alone(measured: Measured) -> Judgement:
    """What one capture by itself says."""
    return judge_session([Part("", measured)]).judgement


def scene_of(placed: Sequence[Placed], stamps: Sequence[Stamp] = (), inspections: Sequence[Inspection] = ()) -> Scene:
    """What captures show, joined lane by lane. What could not be placed is not in it."""
    # The capture that sets the clock is heard first.
    in_order = sorted(placed, key=lambda p: p.alignment.how != "first")
    records: dict[str, tuple[Record, ...]] = {
        lane.key: lane.join([r for p in in_order for r in p.records.of(lane.record)]) for lane in LANES
    }
    return Scene(with_locks_as_used(Records(records)), tuple(sorted(stamps, key=lambda s: s.at_s)), tuple(inspections))


def _shown_only(placed: Sequence[Placed], scene: Scene) -> tuple[str, ...]:
    judged = {id(r) for r in scene.of(PilotRecord)}
    return tuple(p.name for p in placed for r in p.of(PilotRecord) if id(r) not in judged)
