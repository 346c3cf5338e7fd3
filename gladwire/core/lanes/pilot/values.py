"""The readings table: every measured value of a segment against its accept band, with margin and source."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards import pilot_levels, pilot_timing
from gladwire.core.standards.pilot_duty import IEC, row_for
from gladwire.core.standards.source import Source

# Volts drawn on either side of an accept band.
_ROOM_V = 2.0


class MeasuredValue(BaseModel):
    """One value on its scale. low/high: accept band; scale_low/scale_high: the span worth drawing; one unit for all."""

    model_config = ConfigDict(frozen=True)

    label: str
    value: float
    doubt: float
    unit: str
    low: float | None
    high: float | None
    scale_low: float
    scale_high: float
    source: str
    document: str
    rule: str
    digits: int = 2

    @property
    def margin(self) -> float | None:
        """Distance to the nearer limit, negative outside."""
        ends = [self.value - self.low] if self.low is not None else []
        ends += [self.high - self.value] if self.high is not None else []
        return min(ends) if ends else None

    @property
    def inside(self) -> bool:
        return self.margin is None or self.margin >= 0


def values_of(record: PilotRecord, segment: Segment) -> tuple[MeasuredValue, ...]:
    """What can be said of one segment."""
    found = [_level(segment)] if record.interpretation.levels_trusted else []
    if segment.oscillating:
        found += _oscillation(record, segment)
    return tuple(found)


def _level(s: Segment) -> MeasuredValue:
    near = pilot_levels.BY_LETTER.get(s.nearest)
    low, high = near.accept if near else (None, None)
    label = f"High side, {s.nearest}" if s.oscillating else f"Level, {s.nearest}"
    if near is None:
        label, span = "High side" if s.oscillating else "Level", (-13.5, 13.5)
    else:
        span = (near.accept.low_v - _ROOM_V, near.accept.high_v + _ROOM_V)
    return _measured(label, s.high_v, s.level_doubt_v, "V", low, high, span, pilot_levels.STATES_SOURCE)


def _oscillation(record: PilotRecord, s: Segment) -> list[MeasuredValue]:
    found = []
    if s.low_v is not None and record.interpretation.levels_trusted:
        source = pilot_levels.STATES_SOURCE
        band = pilot_levels.LOW_SIDE
        span = (band.low_v - _ROOM_V, band.high_v + _ROOM_V)
        found.append(_measured("Low side", s.low_v, s.level_doubt_v, "V", *band, span, source))
    if s.duty_percent is not None:
        row = row_for(min(s.duty_percent, 100.0))
        allowed = row.kind in ("digital", "current")
        low, high = (row.from_percent, row.to_percent) if allowed else (8.0, 97.0)
        found.append(
            _measured("Duty", s.duty_percent, s.duty_doubt_percent or 0.0, "%", low, high, (0, 100), IEC.source)
        )
    if s.frequency_hz is not None:
        tolerance = pilot_timing.FREQUENCY_HZ * pilot_timing.FREQUENCY_SOURCE_TOLERANCE
        low, high = pilot_timing.FREQUENCY_HZ - tolerance, pilot_timing.FREQUENCY_HZ + tolerance
        source = pilot_timing.FREQUENCY_SOURCE
        doubt = s.frequency_doubt_hz or 0.0
        found.append(_measured("Frequency", s.frequency_hz, doubt, "Hz", low, high, (970, 1030), source, 1))
    doubt_us = 0.5e6 / record.rate_hz
    source = pilot_timing.EDGES_SOURCE
    if s.rise_us is not None:
        limit = pilot_timing.RISE_MAX_US.get(s.nearest, pilot_timing.RISE_MAX_US["B"])
        found.append(_measured("Rise 10 to 90 %", s.rise_us, doubt_us, "µs", None, limit, (0, 2 * limit), source, 1))
    if s.fall_us is not None:
        limit = pilot_timing.FALL_MAX_US
        found.append(_measured("Fall 90 to 10 %", s.fall_us, doubt_us, "µs", None, limit, (0, 2 * limit), source, 1))
    return found


def _measured(
    label: str,
    value: float,
    doubt: float,
    unit: str,
    low: float | None,
    high: float | None,
    scale: tuple[float, float],
    source: Source,
    digits: int = 2,
) -> MeasuredValue:
    return MeasuredValue(
        label=label,
        value=value,
        doubt=doubt,
        unit=unit,
        low=low,
        high=high,
        scale_low=scale[0],
        scale_high=scale[1],
        source=str(source),
        document=source.document,
        rule=source.key,
        digits=digits,
    )
