"""How likely a channel that nobody named is a pilot: its kilohertz leaves little doubt, steps from level to level some, and
one steady level is a pilot's, a supply's or a line's."""

from __future__ import annotations

import numpy as np

from gladwire.core.lanes.detection import Look
from gladwire.core.lanes.pilot.hypotheses import interpret, recognised
from gladwire.core.lanes.pilot.levels import Glance, glance
from gladwire.core.signal.waveform import Floats, Waveform
from gladwire.core.standards.pilot_levels import STATES

# Logarithms of odds, by judgement.
CERTAIN, _KILOHERTZ, _STEPS, _ONE_LEVEL, _ALONE, _NOT = 6.0, 4.0, 2.2, 0.5, 1.7, -4.0
_NEAR_KHZ = 0.1
# A supply or a line of another kind stands near a pilot's level by chance.
_NEAR_V = 0.75
_NEARLY_ALL, _MOSTLY, _GUESS = 0.9, 0.5, 0.2
# A pilot in volts is nowhere near this, whatever probe.
_VOLTS = 30.0


def pilot_odds(look: Look) -> float:
    """Logarithm of the odds, by what the channel does alone."""
    if look.wave.unit == "logic":
        return _KILOHERTZ if abs(look.period_s * 1000.0 - 1.0) < _NEAR_KHZ else _NOT
    if look.wave.unit not in ("V", "", "full_scale"):
        return _NOT
    seen = glance(look.wave)
    if seen.swings.any():
        if pilot_share(look.wave) > _MOSTLY:
            return CERTAIN
        return _KILOHERTZ if abs(look.period_s * 1000.0 - 1.0) < _NEAR_KHZ else _NOT
    stood = _levels(seen, 1.0)
    if not stood and look.alone:
        # An unscaled probe on a pilot that never oscillates: two of its levels at least.
        reading = interpret(seen, look.wave.unit)
        return _STEPS if len(_levels(seen, reading.correction.scale)) > 1 else _NOT
    if not stood or stood == {"E"}:
        return _NOT
    odds = _STEPS if len(stood & {"A", "B", "C"}) > 1 else _ONE_LEVEL
    return odds + (_ALONE if look.alone else 0.0)


def unit_of_pilot(wave: Waveform) -> str:
    """Volts, where the file names no unit and they can be: numbers far beyond a pilot's are counts of something."""
    return wave.unit or ("V" if Look(wave).peak < _VOLTS else "")


def doubt_of_pilot(look: Look) -> str:
    """Numbers without a unit that no factor brings to a pilot's levels tell none."""
    unit = unit_of_pilot(look.wave)
    if unit in ("V", "logic") or pilot_share(look.wave) > _MOSTLY:
        return ""
    return f"{look.says()}, without a unit: how many volts that is, is not told, nor where its nought lies"


def pilot_share(wave: Waveform) -> float:
    """The share of a channel's oscillation that lies on a pilot's levels, less for each thing that has to be guessed for it;
    0 where it never oscillates. Steady levels lie near some state's by chance under one factor or another."""
    seen = glance(wave)
    if not seen.swings.any():
        return 0.0
    reading = interpret(seen, wave.unit)
    correction = reading.correction
    held = recognised(seen, correction.scale, correction.offset_v)[seen.swings]
    return float(held.mean()) - _GUESS * len(reading.guessed)


def _levels(seen: Glance, scale: float) -> set[str]:
    """States on whose levels nearly all windows stand; empty where they do not."""
    levels: Floats = np.asarray(seen.high * scale, dtype=np.float64)
    near = {s.letter: np.abs(levels - s.nominal_v) < _NEAR_V for s in STATES}
    on_any = np.any(list(near.values()), axis=0) if len(levels) else np.zeros(0, bool)
    if not len(levels) or float(on_any.mean()) < _NEARLY_ALL:
        return set()
    return {letter for letter, hits in near.items() if hits.any()}
