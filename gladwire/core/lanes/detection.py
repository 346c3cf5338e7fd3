"""What an unnamed channel is by what it looks like: only shapes nothing else of a plug-in has.

Scopes call their channels CH1 to CH4. A mains voltage swings at 50 or 60 Hz far beyond any signal; a latch-switch
proximity sits on three levels and switches between them. A current through a clamp of unknown ratio looks like nothing.
"""

from __future__ import annotations

import numpy as np

from gladwire.core.calculations.proximity import LATCH_LEVELS
from gladwire.core.signal.blocks import over_blocks
from gladwire.core.signal.waveform import Waveform

_MAINS_LEAST_V = 80.0
# A quarter of a cycle is enough to tell that it swings through nought.
_CYCLE_S = 20e-3
_LATCH_NEAR_V = 0.15
_LATCH_SHARE = 0.97
_BLOCK_S = 1e-3


def is_mains(wave: Waveform) -> bool:
    """Where it is large it swings evenly about nought, as no logger's column of RMS does."""
    if not _has_volts(wave) or wave.rate_hz * _CYCLE_S < 8:
        return False
    squares, _ = over_blocks(wave, _CYCLE_S, lambda rows: (np.nan_to_num(rows) ** 2).mean(axis=1))
    means, _ = over_blocks(wave, _CYCLE_S, lambda rows: np.nan_to_num(rows).mean(axis=1))
    large = squares > _MAINS_LEAST_V**2
    return bool(large.mean() > 0.05 and np.median(np.abs(means[large])) < 0.3 * np.sqrt(np.median(squares[large])))


def is_latch(wave: Waveform) -> bool:
    """On the latch's levels nearly all the time, and on more than one of them, latched among these."""
    if not _has_volts(wave):
        return False
    levels, _ = over_blocks(wave, _BLOCK_S, lambda rows: np.nan_to_num(rows).mean(axis=1))
    near = {level.state: np.abs(levels - level.volts) < _LATCH_NEAR_V for level in LATCH_LEVELS}
    held = {state: float(hits.mean()) for state, hits in near.items()}
    return sum(held.values()) > _LATCH_SHARE and held["latched"] > 0.02 and held["absent"] + held["pressed"] > 0.02


def _has_volts(wave: Waveform) -> bool:
    return wave.unit == "V" and len(wave.samples) >= 8
