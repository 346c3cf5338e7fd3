"""What a person settled about a capture: roles, probe, known equipment, corrected readings."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from gladwire.core.moments import Moment
from gladwire.core.power.chain import Context
from gladwire.core.standards.pilot_levels import State


class Amendment(BaseModel):
    """What a person reads in the segment that holds at_s; None leaves the machine's value. Volts, percent."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    at_s: Moment
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

    roles: what channels are, by name; factors: what their values, less their noughts, are multiplied by to be volts or
    amperes. columns: quantities of a power record's columns, by title, "" for none. signals: of a bus, by role. context:
    what is known of vehicle, post and what lies between. amendments: readings of segments a person corrected.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    roles: dict[str, str] = {}
    factors: dict[str, Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]] = {}
    noughts: dict[str, Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)]] = {}
    columns: dict[str, str] = {}
    scale: float | None = None
    inverted: bool | None = None
    offset_v: float | None = None
    context: Context | None = None
    signals: dict[str, str] = {}
    amendments: tuple[Amendment, ...] = ()
