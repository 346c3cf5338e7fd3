"""What the measurement of a pilot yields: segments, events and the record that holds them."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.pilot.interpretation import Reading
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
    start_s: float
    end_s: float
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
    time_s: float
    end_s: float
    text: str


class PilotRecord(BaseModel):
    """One channel, measured."""

    model_config = ConfigDict(frozen=True)

    channel: str
    start_s: float
    end_s: float
    rate_hz: float
    threshold_v: float
    noise_v: float
    quantum_v: float
    reading: Reading
    segments: tuple[Segment, ...]
    events: tuple[Event, ...]
