"""When mains volts and amperes were there, on how many phases, and how much."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.records import Record
from gladwire.core.moments import Duration, Moment


class Span(BaseModel):
    """A stretch in which a quantity was there. rms: of the phase with the most; carried_by: channels that carried it, each
    with its own RMS in `each`."""

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    rms: float
    carried_by: tuple[str, ...] = ()
    each: tuple[float, ...] = ()

    def rms_of(self, channel: str) -> float:
        """RMS of one channel that carried it, else of the one with the most."""
        found = dict(zip(self.carried_by, self.each, strict=False))
        return found.get(channel, self.rms)

    @property
    def phases(self) -> int:
        return len(self.carried_by)

    @property
    def duration_s(self) -> float:
        return self.end_s - self.start_s


class Sag(BaseModel):
    """What the volts of a line lose as current flows: between a stretch of little current, or none, and one of the most."""

    model_config = ConfigDict(frozen=True)

    line: str
    start_s: Moment
    end_s: Moment
    idle_v: float
    loaded_v: float
    idle_a: float
    loaded_a: float

    @property
    def ohm(self) -> float:
        return (self.idle_v - self.loaded_v) / (self.loaded_a - self.idle_a)

    @property
    def share(self) -> float:
        """Of the volts without any current, what is lost at the most."""
        return self.ohm * self.loaded_a / (self.idle_v + self.ohm * self.idle_a)


class MainsRecord(Record):
    """volts, amps: stretches with voltage and current; levels: stretches of one current, in order.

    dips: stretches in which a voltage that is on falls short of its usual value, rms being the lowest of it.

    ended: stretches in which one line carries nothing more while the others go on, with its volts, where captured, in `each`.
    sags: of each line, where current varies enough to tell. lines: the channels of voltage. has_volts, has_amps: whether such
    channels were captured at all. offered: stretches of one current offered, where a logger told it. step_s: between two
    samples, where they are no waveform but values read now and then; else 0.
    """

    lane: ClassVar[str] = "mains"

    has_volts: bool
    has_amps: bool
    volts: tuple[Span, ...]
    amps: tuple[Span, ...]
    levels: tuple[Span, ...]
    dips: tuple[Span, ...] = ()
    offered: tuple[Span, ...] = ()
    lines: tuple[str, ...] = ()
    sags: tuple[Sag, ...] = ()
    ended: tuple[Span, ...] = ()
    step_s: Duration = 0.0


def joined(records: Sequence[MainsRecord]) -> tuple[MainsRecord, ...]:
    """Volts of one recording and amperes of another make one."""
    if len(records) < 2:
        return tuple(records)

    def together(name: str) -> tuple[Span, ...]:
        return tuple(sorted((s for r in records for s in getattr(r, name)), key=lambda s: s.start_s))

    one = MainsRecord(
        start_s=min(r.start_s for r in records),
        end_s=max(r.end_s for r in records),
        has_volts=any(r.has_volts for r in records),
        has_amps=any(r.has_amps for r in records),
        volts=together("volts"),
        amps=together("amps"),
        levels=together("levels"),
        dips=together("dips"),
        offered=together("offered"),
        lines=tuple(dict.fromkeys(line for r in records for line in r.lines)),
        ended=together("ended"),
        sags=tuple(sag for r in records for sag in r.sags),
        step_s=max(r.step_s for r in records),
    )
    return (one,)
