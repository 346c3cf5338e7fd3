"""Rules that need more than one lane, or what people noticed. One file a subject; named in one tuple."""

from __future__ import annotations

from gladwire.core.findings import Rule
from gladwire.core.scene.rules import across_lanes, pilot_and_frames, stamped
from gladwire.core.scene.scene import Scene

RULES: tuple[Rule[Scene], ...] = (*across_lanes.RULES, *pilot_and_frames.RULES, *stamped.RULES)
