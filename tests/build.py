"""Builders for test objects, fixed seeds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar, NamedTuple

from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.contactor.record import ContactorRecord
from gladwire.core.lanes.frames.message_store import MessageStore
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.proximity.record import ProximityRecord
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.stamps import Stamp
from gladwire.core.session.alignment import Alignment
from gladwire.core.session.session import SessionResult, judge_alone, judge_session
from gladwire.core.session.timeline import Part as CorePart
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.core.supplements import Supplements
from gladwire.scenarios.pilot_faults import HEALTHY, QUIET, pilot, session

__all__ = ["HEALTHY", "QUIET", "pilot", "session"]


def recording(wave: Waveform) -> Recording:
    return Recording((wave,), "test")


class Analysis:
    """A capture measured, and judged alone: its records by name, and what was said of them."""

    KINDS: ClassVar[dict[str, Any]] = {
        "pilot": PilotRecord, "proximity": ProximityRecord, "lock": LockRecord, "mains": MainsRecord,
        "conversation": ConversationRecord, "bus": CanRecord, "power": PowerReport,
    }  # fmt: skip

    def __init__(self, measured: Measured) -> None:
        self.measured, self.judgement = measured, judge_alone(measured)

    @property
    def contactors(self) -> tuple[ContactorRecord, ...]:
        return self.measured.of(ContactorRecord)

    def __getattr__(self, name: str) -> Any:
        if name in self.KINDS:
            return self.measured.first(self.KINDS[name])
        return getattr(self.judgement if name in type(self.judgement).model_fields else self.measured, name)


class Taken(NamedTuple):
    """What `take` returns: as the core's `CaptureResult`, judged."""

    analysis: Analysis
    recording: Recording
    messages: MessageStore | None


def take(read: Any, settled: Settled | None = None, supplements: Supplements | None = None) -> Taken:
    result = measure_capture(read, settled, supplements)
    return Taken(Analysis(result.measured), result.recording, result.messages)


def analyse(recorded: Recording, settled: Settled | None = None) -> Analysis:
    return take(recorded, settled).analysis


def part(name: str, analysis: Analysis, by_hand: Alignment | None = None) -> CorePart:
    return CorePart(name, analysis.measured, by_hand)


def together(
    parts: Sequence[CorePart], stamps: Sequence[Stamp] = (), inspections: Sequence[Inspection] = ()
) -> SessionResult:
    return judge_session(parts, stamps, inspections)


def analysed(script: PilotScript, rate_hz: float = 103e3, scope: Scope = QUIET, seed: int = 1) -> Analysis:
    return analyse(recording(script.record(rate_hz, scope, seed)))


def labels(analysis: Analysis) -> list[str]:
    return [s.label for s in analysis.pilot.segments]


def codes(analysis: Analysis) -> set[str]:
    return {f.code for f in analysis.findings}
