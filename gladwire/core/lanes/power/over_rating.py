"""Currents above what an adapter, a cable or a connector is rated for continuously: how much, how long, and when."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.moments import Moment
from gladwire.core.power.chain import Context
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import BOOST_MIN, OVER_RATING_S, OVER_RATING_SHARE

# What a reading must last to be a current that flowed, in readings.
_SETTLED = 3


class Exceeded(BaseModel):
    """amps: the highest that stood for a few readings; minutes: above the rating in all. allowed: whether a boost or peak
    that is known, or a boost as cooled cables usually have, covers it."""

    model_config = ConfigDict(frozen=True)

    part: str
    rating_a: float
    amps: float
    minutes: float
    start_s: Moment
    end_s: Moment
    words: str
    allowed: bool


class _Rated(NamedTuple):
    part: str
    amps: float
    more_a: float | None = None
    more_min: float | None = None
    more: str = ""
    usual_boost: bool = False


def exceeded(record: PowerRecord, context: Context) -> tuple[Exceeded, ...]:
    """One for each rating that was exceeded for longer than a moment; record: completed. None on AC, whose fuses speak."""
    times, amps = record.at_readings("amps_a")
    parts = [] if context.is_ac else _rated(context)
    if not parts or len(times) < _SETTLED + 1:
        return ()
    settled = amps.copy()
    settled[1:-1] = np.median([amps[:-2], amps[1:-1], amps[2:]], axis=0)
    # At the ends there is no neighbour on one side: no more than the one beside.
    settled[0], settled[-1] = min(amps[0], amps[1]), min(amps[-1], amps[-2])
    steps = np.diff(times, append=times[-1])
    steps = np.minimum(steps, 5.0 * float(np.median(steps[:-1])))
    found = [_over(rated, times, settled, steps) for rated in parts]
    return tuple(one for one in found if one)


def _rated(c: Context) -> list[_Rated]:
    parts = []
    if c.adapter_a_continuous:
        parts.append(_Rated("adapter", c.adapter_a_continuous, c.adapter_a_peak, None, "peak"))
    if c.cable_a:
        parts.append(_Rated("cable", c.cable_a, c.cable_boost_a, c.cable_boost_min, "boost", c.cable_boost_a is None))
    if c.connector_a:
        parts.append(_Rated("connector", c.connector_a))
    return parts


def _over(rated: _Rated, times: Floats, amps: Floats, steps: Floats) -> Exceeded | None:
    above = amps > (1.0 + OVER_RATING_SHARE) * rated.amps
    minutes = float(steps[above].sum()) / 60.0
    if 60.0 * minutes < OVER_RATING_S:
        return None
    at = np.flatnonzero(above)
    most = float(amps.max())
    words = (
        f"{most:.0f} A flowed through the {rated.part} rated {rated.amps:g} A continuous, "
        f"{100.0 * (most / rated.amps - 1.0):.0f} % more; above the rating for {minutes:.1f} min."
    )
    allowed = False
    if rated.more_a is not None:
        within = most <= (1.0 + OVER_RATING_SHARE) * rated.more_a
        lasts = rated.more_min is None or minutes <= 1.1 * rated.more_min
        allowed = within and lasts and rated.more_min is not None
        held = "within" if within else "more than"
        longer = "" if lasts else f", and longer than its {rated.more_min:g} min"
        words = f"{words} That is {held} its {rated.more} rating of {rated.more_a:g} A{longer}."
    elif rated.usual_boost and minutes <= BOOST_MIN:
        allowed, words = (
            True,
            f"{words} Cooled cables boost for minutes; how high and how long this one may is not known.",
        )
    if not allowed:
        words = f"{words} A continuous rating is the limit to plan with: stop if it is hot or discoloured."
    return Exceeded(
        part=rated.part,
        rating_a=rated.amps,
        amps=most,
        minutes=minutes,
        start_s=float(times[at[0]]),
        end_s=float(times[at[-1]]),
        words=words,
        allowed=allowed,
    )
