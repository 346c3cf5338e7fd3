"""How a capture is read: the factor, polarity and zero in use, what was guessed and why."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.pilot.trace import Correction

Mistake = Literal["scale", "polarity", "offset", "ac_coupled", "clipped", "gaps"]

_CLIP_NEAR_V = 0.2
_ERRATIC_MAX_SHARE = 0.5


class Interpretation(BaseModel):
    """The reading in use. why holds one sentence for each thing guessed or noticed."""

    model_config = ConfigDict(frozen=True)

    scale: float = 1.0
    inverted: bool = False
    offset_v: float = 0.0
    guessed: tuple[Mistake, ...] = ()
    why: tuple[str, ...] = ()
    # Zero error seen but small enough to leave alone.
    offset_seen_v: float = 0.0
    levels_trusted: bool = True
    # Volts at which the capture's range ended, where it was clipped: the true level is there or beyond.
    clip_high_v: float | None = None
    clip_low_v: float | None = None
    recognised_share: float = 0.0
    # Share of the record that is neither steady nor switching between two levels.
    erratic_share: float = 0.0
    settled_by_person: bool = False
    # What the post's source gives on both sides where that is not 12 V; states are told by it.
    source_v: float | None = None
    source_low_holds: bool = False
    # "logic": two levels that tell high from low and no volts; "other": levels no pilot has under any usual factor.
    kind: Literal["pilot", "logic", "other"] = "pilot"
    # Of a logic capture, as recorded.
    logic_low: float = 0.0
    logic_high: float = 1.0

    @property
    def is_pilot_like(self) -> bool:
        """False where most of the record shows no levels at all (noise, mains, a ramp), or none a pilot has."""
        return self.erratic_share <= _ERRATIC_MAX_SHARE and self.kind != "other"

    def clips_high(self, level_v: float) -> bool:
        """Whether a level lies on the range's upper end, so that it may be higher in truth."""
        return self.clip_high_v is not None and level_v > self.clip_high_v - _CLIP_NEAR_V

    def clips_low(self, level_v: float) -> bool:
        """Whether a level lies on the range's lower end, so that it may be lower in truth."""
        return self.clip_low_v is not None and level_v < self.clip_low_v + _CLIP_NEAR_V

    @property
    def correction(self) -> Correction:
        return Correction(-self.scale if self.inverted else self.scale, self.offset_v)

    @property
    def measured_by(self) -> Correction:
        """What edges are found by: of a logic capture its two levels stretched to those of a pilot."""
        if self.kind != "logic":
            return self.correction
        stretch = 24.0 / (self.logic_high - self.logic_low)
        return Correction(stretch, -12.0 - stretch * self.logic_low)
