"""From a sampled channel to a PilotRecord. The whole walk: glance, reading, edges, runs, pieces, segments, events."""

from __future__ import annotations

import itertools
import math

import numpy as np

from gladwire.core.lanes.pilot.crossings import HYSTERESIS_V, Edges, find_edges
from gladwire.core.lanes.pilot.cycles import Cycles, Train, cut_cycles, find_trains
from gladwire.core.lanes.pilot.events import events_between
from gladwire.core.lanes.pilot.hypotheses import interpret, too_slow
from gladwire.core.lanes.pilot.interpretation import Interpretation
from gladwire.core.lanes.pilot.levels import Glance, glance
from gladwire.core.lanes.pilot.oscillation import (
    RESOLVED_INTERVALS,
    cut_oscillation,
    edge_numbers,
    edge_time,
    period_of,
    plateaus_of,
    width_of,
)
from gladwire.core.lanes.pilot.record import Event, PilotRecord, Segment
from gladwire.core.lanes.pilot.steady import cut_steady, steady_level
from gladwire.core.lanes.pilot.trace import Trace
from gladwire.core.settled import Settled
from gladwire.core.signal.robust import median
from gladwire.core.signal.splitting import Piece
from gladwire.core.signal.waveform import Waveform
from gladwire.core.standards import pilot_duty, pilot_levels
from gladwire.core.standards.pilot_levels import BY_LETTER, State

_ALIKE_V = 0.5
_JOINT_MAX_S = 2.2e-3
_FEW_SAMPLES, _MOST_OF_A_HALF, _BURST = 3, 0.5, 2.0
# Crossings of noise about nought are no oscillation: the least swing of one, whatever hangs on the pilot.
_LEAST_SWING_V = 3.0
# No session changes state this often: what is cut into more pieces is noise, whatever its levels.
MOST_SEGMENTS = 3000


def measure(wave: Waveform, settled: Settled | None = None) -> PilotRecord:
    """Measure a control pilot channel.

    wave: any rate from about 10 kS/s; samples that are NaN are left out. settled: what a person decided about scale,
    polarity and zero. Raises ValueError for fewer than 4 samples.
    """
    if len(wave.samples) < 4:
        raise ValueError(f"a pilot needs more than {len(wave.samples)} samples")
    seen = glance(wave)
    reading = too_slow(seen, wave.rate_hz, interpret(seen, wave.unit, settled))
    trace = Trace(wave, reading.measured_by, absolute=reading.levels_trusted)
    noise_v = seen.noise * abs(trace.correction.scale)
    quantum_v = seen.quantum * abs(trace.correction.scale)
    threshold_v = _threshold(seen, reading)
    if reading.is_pilot_like:
        segments, interruptions = _segments(trace, reading, find_edges(trace, threshold_v, noise_v), quantum_v)
        if reading.kind == "logic":
            segments = [_as_recorded(s, reading) for s in segments]
    else:
        segments, interruptions = [_no_level(wave)], []
    return PilotRecord(
        channel=wave.name,
        start_s=wave.start_s,
        end_s=wave.end_s,
        rate_hz=wave.rate_hz,
        threshold_v=threshold_v,
        noise_v=noise_v,
        quantum_v=quantum_v,
        interpretation=reading,
        segments=tuple(segments),
        events=tuple(sorted([*events_between(segments), *interruptions], key=lambda e: e.time_s)),
    )


def _segments(
    trace: Trace, reading: Interpretation, edges: Edges, quantum_v: float
) -> tuple[list[Segment], list[Event]]:
    """(segments that cover the record, single odd cycles among them)."""
    segments: list[Segment] = []
    interruptions: list[Event] = []
    at = 0.0
    for run in find_trains(edges, len(trace), trace.rate_hz):
        cycles = cut_cycles(trace, edges, run)
        if not len(cycles) or (trace.absolute and median(cycles.high_v - cycles.low_v) < _LEAST_SWING_V):
            continue
        segments += _steady_segments(trace, reading, at, run.start, quantum_v)
        found, odd = _oscillating_segments(trace, reading, edges, run, cycles, quantum_v)
        segments += found
        interruptions += odd
        at = run.end
        if len(segments) > MOST_SEGMENTS:
            return [_no_level(trace.wave)], []
    segments += _steady_segments(trace, reading, at, float(len(trace)), quantum_v)
    return _without_joints(_joined(segments)), interruptions


def _as_recorded(segment: Segment, reading: Interpretation) -> Segment:
    """Of a logic capture the levels of the file, which stand for no volts."""
    high = reading.logic_high if segment.oscillating or segment.high_v > 0 else reading.logic_low
    return segment.model_copy(update={"high_v": high, "low_v": reading.logic_low if segment.oscillating else None})


def _no_level(wave: Waveform) -> Segment:
    """The whole record as one stretch without a level."""
    start_s, end_s = wave.start_s, wave.end_s
    return Segment(state="unknown", nearest="unknown", oscillating=False, start_s=start_s, end_s=end_s, high_v=0.0)


def _threshold(seen: Glance, reading: Interpretation) -> float:
    """0 V as the standard has it; half-way between the levels where the high side never gets clear of 0 V."""
    if not seen.swings.any() or not reading.levels_trusted:
        return 0.0
    correction = reading.correction
    first = seen.high[seen.swings] * correction.scale + correction.offset_v
    second = seen.low[seen.swings] * correction.scale + correction.offset_v
    high, low = median(np.maximum(first, second)), median(np.minimum(first, second))
    clear = 2 * HYSTERESIS_V
    return 0.0 if high > clear and low < -clear else round((high + low) / 2, 3)


def _steady_segments(
    trace: Trace, reading: Interpretation, start: float, end: float, quantum_v: float
) -> list[Segment]:
    # Less than a third of a millisecond between two oscillations is no state.
    if end - start < max(1.0, 0.3e-3 * trace.rate_hz):
        return []
    parts = cut_steady(trace, start, end) if trace.absolute else [(start, end)]
    return [_steady_segment(trace, reading, a, b, quantum_v) for a, b in parts]


def _steady_segment(trace: Trace, reading: Interpretation, start: float, end: float, quantum_v: float) -> Segment:
    level, doubt = steady_level(trace, start, end)
    state, nearest = _state_of(level if trace.absolute else math.nan, reading)
    return Segment(
        state=state,
        nearest=nearest,
        oscillating=False,
        start_s=trace.time_s(start),
        end_s=trace.time_s(end),
        high_v=round(level, 4) if math.isfinite(level) else 0.0,
        level_doubt_v=round(doubt + quantum_v / 2, 4),
    )


def _oscillating_segments(
    trace: Trace, reading: Interpretation, edges: Edges, run: Train, cycles: Cycles, quantum_v: float
) -> tuple[list[Segment], list[Event]]:
    pieces, odd = cut_oscillation(cycles, trace.absolute)
    starts = [run.start, *(float(cycles.rise[p.first]) for p in pieces[1:])]
    bounds = zip(starts, [*starts[1:], run.end], strict=True)
    segments = [
        _oscillating_segment(trace, reading, edges, cycles, piece, start, end, quantum_v)
        for piece, (start, end) in zip(pieces, bounds, strict=True)
    ]
    events = []
    for piece in odd:
        if _is_spike(trace, cycles, piece):
            continue
        start_s, end_s = trace.time_s(cycles.rise[piece.first]), trace.time_s(cycles.next_rise[piece.first])
        level = float(cycles.high_v[piece.first])
        text = f"one odd cycle, high level {level:.1f} V"
        events.append(Event(kind="interruption", time_s=start_s, end_s=end_s, text=text))
    return segments, events


def _is_spike(trace: Trace, cycles: Cycles, piece: Piece) -> bool:
    """Whether single samples alone make a cycle odd, as a charger's switching does: an open contact takes a half along."""
    at = piece.first
    usual_v = median(cycles.high_v[max(0, at - 2) : piece.end + 2])
    odd_v = float(cycles.high_v[at]) - usual_v
    volts = trace.slice_v(math.ceil(float(cycles.rise[at])), math.floor(float(cycles.fall[at])) + 1)
    if len(volts) < _FEW_SAMPLES or abs(odd_v) < _ALIKE_V:
        return False
    # Noise of a burst moves the middle of a half by far less than it scatters.
    if abs(odd_v) < _BURST * float(np.std(volts)):
        return True
    return float(np.mean((volts - usual_v) * np.sign(odd_v) > abs(odd_v) / 2)) < _MOST_OF_A_HALF


def _oscillating_segment(
    trace: Trace,
    reading: Interpretation,
    edges: Edges,
    cycles: Cycles,
    piece: Piece,
    start: float,
    end: float,
    quantum_v: float,
) -> Segment:
    period, width = period_of(cycles, piece), width_of(cycles, piece)
    high, low = plateaus_of(trace, edges, cycles, piece, pilot_levels.BY_LETTER["F"].nominal_v)
    duty = min(100.0, 100.0 * width.value / period.value)
    duty_doubt = duty * (width.doubt / max(width.value, 1e-9) + period.doubt / period.value)
    frequency = trace.rate_hz / period.value
    meaning = pilot_duty.offer(duty)
    first, last = edge_numbers(cycles, piece)
    part = slice(piece.first, piece.end)
    levels = (median(cycles.low_v[part]), median(cycles.high_v[part]))
    rise = edge_time(trace, edges, first, last, True, levels)
    fall = edge_time(trace, edges, first, last, False, levels)
    to_us = 1e6 / trace.rate_hz
    shortest = RESOLVED_INTERVALS
    state, nearest = _state_of(high.value, reading)
    unresolved = not (rise >= shortest and fall >= shortest)
    return Segment(
        state=state,
        nearest=nearest,
        oscillating=True,
        start_s=trace.time_s(start),
        end_s=trace.time_s(end),
        high_v=round(high.value, 4),
        low_v=round(low.value, 4),
        level_doubt_v=round(max(high.doubt, low.doubt) + quantum_v / 2, 4),
        cycles=piece.end - piece.first,
        frequency_hz=round(frequency, 4),
        frequency_doubt_hz=round(frequency * period.doubt / period.value, 4),
        duty_percent=round(duty, 4),
        duty_doubt_percent=round(duty_doubt, 4),
        offer_kind=meaning.kind,
        advertised_current_a=meaning.current_a,
        rise_us=round(rise * to_us, 3) if rise >= shortest else None,
        fall_us=round(fall * to_us, 3) if fall >= shortest else None,
        edge_below_us=round(shortest * to_us, 3) if unresolved else None,
    )


def _state_of(level_v: float, reading: Interpretation) -> tuple[State, State]:
    """(state by accept band, nearest state); both "unknown" where there is no level, or where clipping hides it."""
    if not math.isfinite(level_v) or reading.kind == "logic":
        return "unknown", "unknown"
    if reading.clips_high(level_v) or reading.clips_low(level_v):
        # The true level is beyond the range: only where one single state lies there is it known.
        upper = reading.clips_high(level_v)
        beyond = [
            s.letter for s in pilot_levels.STATES if (s.accept.high_v > level_v if upper else s.accept.low_v < level_v)
        ]
        return (beyond[0], beyond[0]) if len(beyond) == 1 else ("unknown", "unknown")
    told_v = level_v * BY_LETTER["A"].nominal_v / reading.source_v if reading.source_v else level_v
    return pilot_levels.classify(told_v), pilot_levels.nearest(told_v).letter


def _is_last_half(before: Segment, after: Segment) -> bool:
    """The low half in which an oscillation was cut off is part of it, not a state F of its own."""
    if not before.oscillating or after.oscillating or before.low_v is None or not before.frequency_hz:
        return False
    return abs(after.high_v - before.low_v) < _ALIKE_V and after.duration_s < 1.0 / before.frequency_hz


def _without_joints(segments: list[Segment]) -> list[Segment]:
    """Drop a steady stretch of up to two cycles between two oscillations when its level lies between theirs: the one
    long half in which the oscillator changed its pace or the vehicle its load. What lies outside is a contact."""
    kept = segments[:1]
    for gap, after in itertools.pairwise(segments[1:]):
        before = kept[-1]
        joint = before.oscillating and not gap.oscillating and after.oscillating and gap.duration_s < _JOINT_MAX_S
        low, high = sorted((before.high_v, after.high_v))
        if joint and low - _ALIKE_V < gap.high_v < high + _ALIKE_V:
            kept[-1] = before.model_copy(update={"end_s": gap.end_s})
        else:
            kept.append(gap)
    return [*kept, *segments[-1:]] if len(segments) > 1 else segments


def _joined(segments: list[Segment]) -> list[Segment]:
    """Neighbouring steady stretches of one level (cut by an edge of ringing, say) become one."""
    joined: list[Segment] = []
    for segment in segments:
        last = joined[-1] if joined else None
        alike = last and not last.oscillating and not segment.oscillating
        if last and ((alike and abs(last.high_v - segment.high_v) < _ALIKE_V) or _is_last_half(last, segment)):
            joined[-1] = last.model_copy(update={"end_s": segment.end_s})
        else:
            joined.append(segment)
    return joined
