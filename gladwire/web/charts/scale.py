"""A reading as a value on a scale: track, accept band, marker, doubt."""

from __future__ import annotations

from typing import NamedTuple

from gladwire.core.lanes.pilot.values import MeasuredValue

WIDTH = 150.0


class Scale(NamedTuple):
    """Drawing units from 0 to WIDTH. band and doubt are (from, to); off: the value lies beyond the drawn span."""

    band: tuple[float, float]
    doubt: tuple[float, float]
    value: float
    inside: bool
    off: bool


def scale_of(reading: MeasuredValue) -> Scale:
    """Place a reading on its scale; what lies beyond the span sits at its end."""
    low, high = reading.scale_low, reading.scale_high
    span = high - low

    def place(value: float) -> float:
        return min(max((value - low) / span, 0.0), 1.0) * WIDTH

    band = (
        place(reading.low if reading.low is not None else low),
        place(reading.high if reading.high is not None else high),
    )
    doubt = (place(reading.value - reading.doubt), place(reading.value + reading.doubt))
    return Scale(band, doubt, place(reading.value), reading.inside, not low <= reading.value <= high)
