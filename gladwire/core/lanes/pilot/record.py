"""What the measurement of a pilot yields: segments, events and the record that holds them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.pilot.interpretation import Interpretation
from gladwire.core.lanes.pilot.levels import SEES_HZ
from gladwire.core.lanes.records import Record
from gladwire.core.moments import Moment
from gladwire.core.standards.pilot_levels import State

EventKind = Literal["state", "offer", "oscillation", "interruption"]


class Segment(BaseModel):
    """A stretch in which nothing changed. Times in seconds of the file's own time base, levels in volts CP to PE.

    Each measured value has its doubt (+/-) beside it. Values that do not apply, or that the sampling cannot
    resolve, are None; edge_below_us then says what the edges are surely shorter than. machine: what the machine had
    read of the values a person corrected, with amended_by and why.
    """

    model_config = ConfigDict(frozen=True)

    state: State
    nearest: State
    oscillating: bool
    start_s: Moment
    end_s: Moment
    high_v: float
    low_v: float | None = None
    level_doubt_v: float = 0.0
    cycles: int = 0
    frequency_hz: float | None = None
    frequency_doubt_hz: float | None = None
    duty_percent: float | None = None
    duty_doubt_percent: float | None = None
    offer_kind: Literal["none", "digital", "current", "not_ready"] | None = None
    advertised_current_a: float | None = None
    rise_us: float | None = None
    fall_us: float | None = None
    edge_below_us: float | None = None
    machine: dict[str, float | str | None] = {}
    amended_by: str = ""
    why: str = ""

    @property
    def duration_s(self) -> float:
        return self.end_s - self.start_s

    @property
    def label(self) -> str:
        """The trade's name: state letter with 1 for steady, 2 for oscillating."""
        if self.state == "unknown":
            return "?"
        return (
            self.state if self.state in "EF" and not self.oscillating else f"{self.state}{2 if self.oscillating else 1}"
        )


class Event(BaseModel):
    """A moment at which something changed."""

    model_config = ConfigDict(frozen=True)

    kind: EventKind
    time_s: Moment
    end_s: Moment
    text: str


class PowerNoise(BaseModel):
    """A stretch of raised noise while the vehicle asks. Volts are deviations; before_v: while it only waited."""

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    noise_v: float
    before_v: float


class PilotRecord(Record):
    """One channel, measured. noise: stretches in which power electronics works beside it."""

    lane: ClassVar[str] = "pilot"

    channel: str
    rate_hz: float
    threshold_v: float
    noise_v: float
    quantum_v: float
    interpretation: Interpretation
    segments: tuple[Segment, ...]
    events: tuple[Event, ...]
    noise: tuple[PowerNoise, ...] = ()

    @property
    def sees_oscillation(self) -> bool:
        """Whether it was sampled fast enough for an oscillation of 1 kHz to be seen where there is one."""
        return self.rate_hz >= SEES_HZ


def as_one(records: Sequence[PilotRecord]) -> PilotRecord | None:
    """One record of several that follow each other; None for none."""
    if len(records) < 2:
        return records[0] if records else None
    return records[0].model_copy(
        update={
            "end_s": records[-1].end_s,
            "segments": tuple(s for r in records for s in r.segments),
            "events": tuple(e for r in records for e in r.events),
            "noise": tuple(n for r in records for n in r.noise),
        }
    )
