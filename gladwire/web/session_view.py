"""A stored session as pages see it: its captures on one clock, and the judgement that was made of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.records import Record
from gladwire.core.measured import Measured
from gladwire.core.scene.scene import Scene
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.marks import Mark, marks_of
from gladwire.core.session.session import scene_of
from gladwire.core.session.timeline import Part, Placed, placed_at
from gladwire.store.captures import WAITING
from gladwire.store.judgements import judged_of, waits
from gladwire.store.kept_parsed import KeptParsed
from gladwire.store.measurements import measured_of, newest_measurement
from gladwire.store.models import Capture, ChargingSession, StoredJudgement, StoredMeasurement
from gladwire.store.shapes import OldShapeError
from gladwire.web.errors import RefusedError
from gladwire.work.judging import inspections_of, measurements_of, stamps_of

R = TypeVar("R", bound=Record)


@dataclass(frozen=True)
class SessionView:
    """captures and placed in step: those the judgement was made of. scene: what they show, joined. shown_only: names of
    captures whose pilot is shown and not judged."""

    captures: tuple[Capture, ...]
    placed: tuple[Placed, ...]
    scene: Scene
    judgement: Judgement
    shown_only: tuple[str, ...]

    def placed_of(self, capture: Capture) -> Placed | None:
        return next((p for c, p in zip(self.captures, self.placed, strict=True) if c.id == capture.id), None)

    def alignment_of(self, capture: Capture) -> Alignment | None:
        placed = self.placed_of(capture)
        return placed.alignment if placed else None

    @property
    def measured(self) -> tuple[Measured, ...]:
        return tuple(p.measured for p in self.placed)

    def of(self, kind: type[R]) -> tuple[R, ...]:
        """Records of a lane, of all captures."""
        return tuple(record for m in self.measured for record in m.of(kind))

    @property
    def marks(self) -> tuple[Mark, ...]:
        """Of who took part."""
        return marks_of(self.of(ConversationRecord), self.of(CanRecord))

    def holds(self, kind: type[R]) -> bool:
        """Whether any capture shows this lane."""
        return any(m.of(kind) for m in self.measured)


# What is worked out of a judgement's row and the measurements it names never changes: the row's number tells it apart.
_placed: KeptParsed[tuple[tuple[Placed, ...], Scene]] = KeptParsed(128)


def session_view(session: ChargingSession) -> SessionView | None:
    """None while the session has no judgement of what is stored now: nothing read yet, or all of it being read anew."""
    stored = session.judgement
    found = measurements_of(session)
    if stored is None or not found:
        return None
    try:
        judged = judged_of(stored)
        if judged is None or len(judged.alignments) != len(found):
            return None
        placed, scene = _on_one_clock(session, stored, found, judged.alignments)
    except OldShapeError:
        return None
    return SessionView(tuple(c for c, _ in found), placed, scene, judged.judgement, judged.shown_only)


def _on_one_clock(
    session: ChargingSession,
    stored: StoredJudgement,
    found: list[tuple[Capture, StoredMeasurement]],
    alignments: tuple[Alignment, ...],
) -> tuple[tuple[Placed, ...], Scene]:
    key = (stored.id, tuple(m.id for _, m in found))
    kept = _placed.get(key)
    if kept is None:
        pairs = zip(found, alignments, strict=True)
        placed = tuple(placed_at(Part(c.name, measured_of(m)), alignment) for (c, m), alignment in pairs)
        kept = _placed.put(key, (placed, scene_of(placed, stamps_of(session), inspections_of(session))))
    return kept


def measured_or_409(capture: Capture) -> tuple[Measured, StoredMeasurement]:
    """What a capture shows. Raises RefusedError while nothing is known of it."""
    stored = newest_measurement(capture)
    try:
        if stored is not None:
            return measured_of(stored), stored
    except OldShapeError:
        pass
    if capture.state == "unreadable":
        raise RefusedError(409, f"“{capture.name}” could not be read.", "See on its session why it was refused.")
    raise RefusedError(409, f"“{capture.name}” is being read.", "Come again in a moment.")


def is_waiting(session: ChargingSession) -> bool:
    """Whether something of the session is still to be read, measured or judged."""
    return waits(session) or any(c.state in WAITING for c in session.captures)
