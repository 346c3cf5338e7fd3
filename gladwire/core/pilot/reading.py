"""The reading of a capture: the factor, polarity and zero in use, what was guessed and why, what a person settled."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from gladwire.core.pilot.trace import Correction
from gladwire.core.power.chain import Context
from gladwire.core.roles import SettledRole
from gladwire.core.standards.pilot_levels import State

Mistake = Literal["scale", "polarity", "offset", "ac_coupled", "clipped", "gaps"]

_CLIP_NEAR_V = 0.2
_ERRATIC_MAX_SHARE = 0.5


class Amendment(BaseModel):
    """What a person reads in the segment that holds at_s; None leaves the machine's value. Volts, percent."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    at_s: float
    state: State | None = None
    high_v: float | None = Field(None, ge=-20, le=20)
    low_v: float | None = Field(None, ge=-20, le=20)
    duty_percent: float | None = Field(None, ge=0, le=100)
    by_name: str = ""
    why: str = ""

    @property
    def values(self) -> dict[str, Any]:
        given = {name: getattr(self, name) for name in ("state", "high_v", "low_v", "duty_percent")}
        return {name: value for name, value in given.items() if value is not None}


class Settled(BaseModel):
    """What a person has settled about a capture; None leaves it to the analysis.

    roles: what channels are, by name. signals: of a bus, by role. context: what is known of vehicle, post and what lies
    between. amendments: readings of segments a person corrected.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    roles: dict[str, SettledRole] = {}
    scale: float | None = None
    inverted: bool | None = None
    offset_v: float | None = None
    context: Context | None = None
    signals: dict[str, str] = {}
    amendments: tuple[Amendment, ...] = ()

    @property
    def pilot(self) -> str | None:
        """The channel settled as the pilot, if one is."""
        return next((name for name, role in self.roles.items() if role == "cp"), None)

    @property
    def others(self) -> tuple[str, ...]:
        """Channels settled as something else."""
        return tuple(name for name, role in self.roles.items() if role != "cp")


class Reading(BaseModel):
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

    @property
    def is_pilot_like(self) -> bool:
        """False where most of the record shows no levels at all: noise, mains, a ramp."""
        return self.erratic_share <= _ERRATIC_MAX_SHARE

    def clips_high(self, level_v: float) -> bool:
        """Whether a level lies on the range's upper end, so that it may be higher in truth."""
        return self.clip_high_v is not None and level_v > self.clip_high_v - _CLIP_NEAR_V

    def clips_low(self, level_v: float) -> bool:
        """Whether a level lies on the range's lower end, so that it may be lower in truth."""
        return self.clip_low_v is not None and level_v < self.clip_low_v + _CLIP_NEAR_V

    @property
    def correction(self) -> Correction:
        return Correction(-self.scale if self.inverted else self.scale, self.offset_v)
