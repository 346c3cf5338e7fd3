"""At which end of the cable the probe sits: with nothing connected it reads 12 V at the post, 0 V at the inlet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from gladwire.core.lanes.pilot.record import Segment
from gladwire.core.standards.pilot_timing import BOUNCE_S

Place = Literal["post", "inlet", ""]


def probe_place(segments: Sequence[Segment]) -> Place:
    """ "" where nothing tells: the capture begins with the plug in and never shows it out. "inlet" is likely, not proven: a
    post that was off begins so too."""
    if any(s.state == "A" and s.duration_s >= BOUNCE_S for s in segments):
        return "post"
    first = next((s for s in segments if s.duration_s >= BOUNCE_S), None)
    later = any(s.state in ("B", "C", "D") for s in segments)
    return "inlet" if first is not None and first.state == "E" and not first.oscillating and later else ""
