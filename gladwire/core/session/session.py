"""A charging session of one capture or several: placed on one clock, what they show joined, and judged as one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.records import Record, Records
from gladwire.core.measured import Measured
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.stamps import Stamp
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.judgement import Judgement, judge
from gladwire.core.session.timeline import Part, Placed, place


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
    parts: Sequence[Part], stamps: Sequence[Stamp] = (), inspections: Sequence[Inspection] = ()
) -> SessionResult:
    """Place every capture, join what they show, and judge it. Raises ValueError for no capture at all."""
    placed = place(parts)
    scene = scene_of(placed, stamps, inspections)
    return SessionResult(judge(scene), scene, placed, _shown_only(placed, scene))


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
    return Scene(Records(records), tuple(sorted(stamps, key=lambda s: s.at_s)), tuple(inspections))


def _shown_only(placed: Sequence[Placed], scene: Scene) -> tuple[str, ...]:
    judged = {id(r) for r in scene.of(PilotRecord)}
    return tuple(p.name for p in placed for r in p.of(PilotRecord) if id(r) not in judged)
