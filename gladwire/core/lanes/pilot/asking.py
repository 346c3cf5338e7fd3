"""What the vehicle asks for: stretches in C or D, defined once for everything that looks at a request."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from typing import NamedTuple

from gladwire.core.calculations.pilot_circuit import nominal_level_v, series_resistance_ohm
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards.pilot_levels import BY_LETTER
from gladwire.core.standards.pilot_timing import BOUNCE_S, INTERRUPTION_MAX_S, SWITCH_OFF_MAX_S


class Ask(NamedTuple):
    """A stretch of asking. segments: its C and D, in order. after: the state that ended it, None at the capture's end."""

    segments: tuple[Segment, ...]
    after: Segment | None

    @property
    def start_s(self) -> float:
        return self.segments[0].start_s

    @property
    def end_s(self) -> float:
        return self.segments[-1].end_s

    @property
    def duration_s(self) -> float:
        return self.end_s - self.start_s

    @property
    def state(self) -> str:
        return self.segments[0].state

    @property
    def label(self) -> str:
        return self.segments[0].label

    @property
    def then(self) -> str:
        """The state that follows, "" at the capture's end."""
        return self.after.state if self.after else ""


# Two levels told as B are told apart by so many volts, and fit one resistance within so many. By judgement.
_APART_V, _FITS_V, _LEAST_OHM = 0.5, 0.3, 250.0


def asked_behind(record: PilotRecord) -> tuple[Segment, Segment, float] | None:
    """(waiting, asking, ohms) where both read as B because one resistance in the wire lifts both, or None."""
    if not record.interpretation.levels_trusted or record.interpretation.source_v:
        return None
    open_ = [s for s in record.segments if s.state == "A" and not record.interpretation.clips_high(s.high_v)]
    supply = max(open_, key=lambda s: s.duration_s).high_v if open_ else BY_LETTER["A"].nominal_v
    for waits, asks in itertools.pairwise(s for s in record.segments if s.duration_s > BOUNCE_S):
        if waits.state != "B" or asks.state not in ("B", "unknown") or waits.high_v - asks.high_v < _APART_V:
            continue
        ohm = series_resistance_ohm("B", waits.high_v, supply)
        if ohm and ohm > _LEAST_OHM and abs(nominal_level_v("C", supply, ohm) - asks.high_v) < _FITS_V:
            return waits, asks, ohm
    return None


def requests(record: PilotRecord) -> list[Ask]:
    """Each time the vehicle asks. A contact that opened for an instant, or a level that was no state, begins no new one."""
    found = _asks(record.segments, lambda gap: all(s.state == "unknown" for s in gap) or _lost(gap, INTERRUPTION_MAX_S))
    # A capture that ends right after the request shows its end all the same.
    return [ask._replace(after=gap[-1]) if gap and ask.after is None else ask for ask, gap in found]


def commands(segments: Sequence[Segment]) -> list[Ask]:
    """Each time a post has to switch on and off: as requests, and cut where the pilot was gone long enough to open for."""
    return [ask for ask, _ in _asks(segments, lambda gap: _lost(gap, SWITCH_OFF_MAX_S))]


def asking_s(record: PilotRecord) -> float:
    return sum(s.duration_s for s in record.segments if s.state in ("C", "D"))


def _lost(gap: Sequence[Segment], longest_s: float) -> bool:
    """Whether the pilot was only away for a moment, and the vehicle did not let go (B) for longer than a bounce."""
    away = gap[-1].end_s - gap[0].start_s
    return away <= (longest_s if all(s.state != "B" for s in gap) else BOUNCE_S)


def _asks(segments: Sequence[Segment], bridged: Callable[[Sequence[Segment]], bool]) -> list[tuple[Ask, list[Segment]]]:
    """(a stretch of asking, what lies between it and the next). What ended it lasts longer than a bounce."""
    found: list[list[Segment]] = []
    gaps: list[list[Segment]] = []
    for s in segments:
        if s.state not in ("C", "D"):
            if found:
                gaps[-1].append(s)
        elif found and (not gaps[-1] or bridged(gaps[-1])):
            found[-1].append(s)
            gaps[-1] = []
        else:
            found.append([s])
            gaps.append([])
    ends = [next((s for s in gap if s.duration_s >= BOUNCE_S), None) for gap in gaps]
    return [(Ask(tuple(s), after), gap) for s, after, gap in zip(found, ends, gaps, strict=True)]
