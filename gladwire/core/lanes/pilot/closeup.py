"""Single cycles of a short stretch: what a person sees at deep zoom, measured one by one."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.pilot.crossings import find_edges
from gladwire.core.lanes.pilot.cycles import cut_cycles, find_trains
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.trace import Trace
from gladwire.core.moments import Moment
from gladwire.core.signal.waveform import Waveform

MOST_CYCLES = 40
_MARGIN_S = 4e-3


class Cycle(BaseModel):
    """One cycle, rise to rise. Times in seconds of the file, levels in volts; duty of this cycle alone."""

    model_config = ConfigDict(frozen=True)

    rise_s: Moment
    fall_s: Moment
    next_rise_s: Moment
    high_v: float
    low_v: float
    duty_percent: float
    duty_doubt_percent: float


def cycles_between(wave: Waveform, record: PilotRecord, start_s: float, end_s: float) -> tuple[Cycle, ...]:
    """Cycles that touch start_s..end_s; none where more than MOST_CYCLES would fit or nothing oscillates."""
    if end_s - start_s > MOST_CYCLES * 1.2e-3:
        return ()
    first = max(0, int((start_s - _MARGIN_S - wave.start_s) * wave.rate_hz))
    last = min(len(wave.samples), int((end_s + _MARGIN_S - wave.start_s) * wave.rate_hz) + 1)
    if last - first < 4:
        return ()
    begin_s = wave.start_s + first / wave.rate_hz
    part = Waveform(wave.name, wave.samples[first:last], wave.rate_hz, begin_s, wave.unit)
    trace = Trace(part, record.interpretation.measured_by, record.interpretation.levels_trusted)
    edges = find_edges(trace, record.threshold_v, record.noise_v)
    found = []
    for run in find_trains(edges, len(trace), trace.rate_hz):
        cycles = cut_cycles(trace, edges, run)
        for i in range(len(cycles)):
            period = float(cycles.next_rise[i] - cycles.rise[i])
            found.append(
                Cycle(
                    rise_s=trace.time_s(float(cycles.rise[i])),
                    fall_s=trace.time_s(float(cycles.fall[i])),
                    next_rise_s=trace.time_s(float(cycles.next_rise[i])),
                    high_v=round(float(cycles.high_v[i]), 3),
                    low_v=round(float(cycles.low_v[i]), 3),
                    duty_percent=round(100 * float(cycles.fall[i] - cycles.rise[i]) / period, 3),
                    duty_doubt_percent=round(100 * float(cycles.width_doubt[i]) / period, 3),
                )
            )
    return tuple(c for c in found if c.next_rise_s > start_s and c.rise_s < end_s)
