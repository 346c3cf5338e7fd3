"""How a capture is to be read: probe factor, polarity, zero, coupling, range. Guesses are said aloud.

A hypothesis is scored by how many windows of the record show levels a pilot can have. The capture as recorded wins
unless another reading explains clearly more, and a fault a vehicle or post can have is never corrected away.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gladwire.core.calculations.pilot_circuit import leaking_level_v, nominal_level_v
from gladwire.core.lanes.pilot.interpretation import Interpretation, Mistake
from gladwire.core.lanes.pilot.levels import SEES_HZ, Glance
from gladwire.core.settled import Settled
from gladwire.core.signal.robust import median
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.pilot_levels import BY_LETTER, SOURCE_HIGH, classify
from gladwire.core.words import sampling

_CONNECTED = np.array([BY_LETTER[letter].nominal_v for letter in "ABCD"])
_STEADY = np.array([state.nominal_v for state in BY_LETTER.values()])
_LOW_V = BY_LETTER["F"].nominal_v
_NEAR_V = 1.15
# Small penalties: of two readings that explain equally much, the plainer wins.
_FACTORS = {1.0: 0.0, 10.0: 0.06, 0.1: 0.12, 100.0: 0.12, 0.001: 0.14, 1000.0: 0.16, 0.01: 0.16}
# Differential probes divide by these.
_FACTORS |= {20.0: 0.17, 50.0: 0.17, 200.0: 0.18, 500.0: 0.18}
_POLARITY_PENALTY = 0.08
# What it costs to read a pilot against what its two sides do.
_AGAINST_ITS_SIDES = 0.3
# Of the swing: within the first a side stays, beyond the second it moves. Of the rail: levels under load lie between.
_STAYS, _MOVES = 0.03, 0.06
_UNDER_LOAD = (0.4, 0.93)
_OFFSET_PENALTY = 0.1
# Source, resistors and hum together move a level by this much without any offset.
_LEVEL_SCATTER_V = 0.7
_CLUSTER_GAP_V = 0.9
_CLEARLY_BETTER = 0.2
# What a factor would make of the channel's own noise: beyond this it is blown-up nothing, not a pilot.
_NOISE_MAX_V = 0.8
_OFFSET_MIN_V = 0.4
_OFFSET_MAX_V = 2.5
_SINKS_BELOW_V, _SINKS_SHARE = 1.5, 0.07
_SCATTER_MAX_V = 1.0
# Levels this far off are read through the offset; smaller ones only where a level leaves its band.
_OFFSET_APPLIED_V = 0.8
# What a logic input makes of a pilot: nought and one, or volts of a family. Common practice, no source.
# A source's two sides agree within this, and a source that still serves lies between these.
_SAME_RAIL_V, _RAIL_V = 0.5, (7.0, 16.0)
# Levels under load are a weak source's within this.
_OF_ONE_SOURCE_V = 0.3
_BEYOND = {"largest": "above", "smallest": "below"}
_LOGIC_V = (1.0, 1.8, 2.5, 3.3, 5.0)
_NEARLY_ALL, _MOSTLY = 0.9, 0.5
# A pilot that oscillates in earnest swings by more, whatever hangs on it.
_LEAST_SWING_V = 4.0
# Of the converter: an oscillation spans more.
_STEPS = 4
_MOST_HOLED, _EARNEST, _EARNEST_SHARE = 0.01, 6.0, 0.1
# Of windows in which a coupled channel oscillates, how many it has settled in.
_SETTLED_SHARE = 0.5


def recognised(seen: Glance, scale: float, offset_v: float = 0.0) -> Floats:
    """Per window 1 where the levels, read with this (signed) scale, are a pilot's; 0 where not. Shape (k,).

    0 V is worth half, and nothing where a factor was applied: a dead wire looks the same under every reading.
    """
    first, second = seen.high * scale + offset_v, seen.low * scale + offset_v
    high, low = np.maximum(first, second), np.minimum(first, second)
    on_level = _distance(high, _CONNECTED) < _NEAR_V
    # A shorted diode mirrors the high side: no healthy pilot, but a pilot.
    mirrored = on_level & (np.abs(low + high) < 0.1 * high)
    swinging = np.where(on_level & (np.abs(low - _LOW_V) < _NEAR_V), 1.0, np.where(mirrored, 0.7, 0.0))
    steady = (_distance(high, _STEADY) < _NEAR_V).astype(np.float64)
    at_zero = (high > BY_LETTER["E"].accept.low_v - 0.15) & (high < BY_LETTER["E"].accept.high_v)
    steady[at_zero] = 0.5 if scale == 1.0 else 0.0
    return np.where(seen.swings, swinging, steady)


def interpret(seen: Glance, unit: str, settled: Settled | None = None) -> Interpretation:
    """Choose the reading of a channel. unit "V" is taken at its word unless the levels clearly deny it."""
    settled = settled or Settled()
    by_hand = any(v is not None for v in (settled.scale, settled.inverted, settled.offset_v))
    if not by_hand and (logic := _as_logic(seen, unit)):
        return logic
    # A coupled channel drifts through levels of every other reading: it is looked for first.
    chosen = (
        _with_coupling(seen, Interpretation(recognised_share=_mean(recognised(seen, 1.0)))) if not by_hand else None
    )
    if chosen is None or chosen.levels_trusted:
        chosen = _best(seen, unit, settled)
        source_v = _both_rails_v(seen, chosen)
        weak_v = _positive_rail_v(seen, chosen) if not source_v else None
        if source_v or weak_v:
            chosen = chosen.model_copy(update={"source_v": source_v or weak_v, "source_low_holds": bool(weak_v)})
        else:
            chosen = _with_coupling(seen, _with_offset(seen, chosen, settled))
    chosen = chosen.model_copy(update={"erratic_share": _mean(_is_erratic(seen, chosen.scale))})
    chosen = _with_range(seen, chosen)
    return chosen if by_hand else _unless_other(seen, chosen, unit)


def _in_earnest(seen: Glance) -> NDArray[np.bool_]:
    """Windows that swing by more than noise does, and by more than the last step of a converter."""
    swing = seen.high - seen.low
    least = _EARNEST_SHARE * max(abs(seen.top), abs(seen.bottom))
    return np.asarray(seen.swings & (swing > _EARNEST * seen.noise) & (swing > least))


def _as_logic(seen: Glance, unit: str) -> Interpretation | None:
    """A capture of high and low alone: two levels all along, nought and that of a logic family, oscillating somewhere."""
    swings = _in_earnest(seen)
    if unit not in ("", "V", "logic") or not swings.any():
        return None
    low, high = median(seen.low[swings]), median(seen.high[swings])
    swing = high - low
    near = (np.abs(np.stack([seen.low, seen.high]) - low) < 0.1 * swing) | (
        np.abs(np.stack([seen.low, seen.high]) - high) < 0.1 * swing
    )
    families = (1.0,) if unit == "logic" else _LOGIC_V
    of_family = any(abs(high - level) < 0.1 * level for level in families)
    if abs(low) > 0.08 * high or not of_family or float(near.all(axis=0).mean()) < _NEARLY_ALL:
        return None
    sentence = (
        f"It stands at {low + 0.0:.2g} and {high:.2g} alone: a capture of high and low, as a logic input makes. It shows "
        "frequency, duty and when the offer changes, and nothing of the levels: not whether a vehicle is there or asks."
    )
    return Interpretation(
        why=(sentence,), levels_trusted=False, kind="logic", logic_low=low, logic_high=high, recognised_share=1.0
    )


def too_slow(seen: Glance, rate_hz: float, reading: Interpretation) -> Interpretation:
    """The reading, or none where samples of both sides show an oscillation that so few of them cannot follow."""
    correction = reading.correction
    low = min(side * correction.scale + correction.offset_v for side in (seen.bottom, seen.top))
    high = max(side * correction.scale + correction.offset_v for side in (seen.bottom, seen.top))
    if rate_hz >= SEES_HZ or not (low < -_LEAST_SWING_V and high > BY_LETTER["D"].accept.low_v):
        return reading
    sentence = (
        f"At {sampling(rate_hz)} a pilot's 1 kHz cannot be followed: which samples are its high and which its low side "
        "is chance. Record again with 20,000 samples a second or more."
    )
    return reading.model_copy(update={"kind": "other", "why": (*reading.why, sentence)})


def _unless_other(seen: Glance, reading: Interpretation, unit: str) -> Interpretation:
    """The reading, or that the channel shows nothing a pilot does: a guess has to explain what it was made for."""
    if not reading.levels_trusted or not reading.is_pilot_like:
        return reading
    if seen.holed > _MOST_HOLED:
        sentence = (
            f"{100 * seen.holed:.0f} % of the samples are marked as beyond the range, and not on which side: whether the "
            "pilot oscillates there cannot be told. Record again with a larger range."
        )
        return reading.model_copy(update={"kind": "other", "why": (*reading.why, sentence)})
    correction = reading.correction
    held = recognised(seen, correction.scale, correction.offset_v)
    guessed = {"scale", "polarity"} & set(reading.guessed)
    if sides_swapped(seen) == reading.inverted:
        guessed -= {"polarity"}
    swings = _in_earnest(seen) & (seen.high - seen.low > _STEPS * seen.quantum / 2)
    if swings.any():
        swing = abs(correction.scale) * median(seen.high[swings] - seen.low[swings])
        explained = (_mean(held[swings]) > _MOSTLY and _mean(held) > _MOSTLY) or _on_both_rails(seen, correction.scale)
        if (explained or not guessed) and (swing > _LEAST_SWING_V or _mean(held[swings]) > _MOSTLY):
            return reading
        low, high = median(seen.low[swings]), median(seen.high[swings])
        step = 0.01 * (high - low)
        what = f"it swings between {round(low / step) * step + 0.0:.3g} and {high:.3g}{' V' if unit == 'V' else ''}"
    else:
        levels = {int(np.argmin(np.abs(_STEADY - v))) for v in seen.high * correction.scale + correction.offset_v}
        if not guessed or (len(levels) > 1 and _mean(held) > _NEARLY_ALL):
            return reading
        what = f"it stands at {median(seen.high):.3g}{' V' if unit == 'V' else ''}"
    sentence = f"As recorded {what}, which is no pilot's, and no usual probe factor makes it one beyond doubt."
    return Interpretation(why=(sentence,), kind="other", recognised_share=_mean(recognised(seen, 1.0)))


def _on_both_rails(seen: Glance, scale: float) -> bool:
    """Whether the low side keeps to -12 V, and a steady level stands at 12 V: what lies between is then the chain's."""
    high, low = np.maximum(seen.high * scale, seen.low * scale), np.minimum(seen.high * scale, seen.low * scale)
    keeps = float(np.mean(np.abs(low[seen.swings] - _LOW_V) < _SAME_RAIL_V)) > _NEARLY_ALL
    open_v = BY_LETTER["A"].nominal_v
    return keeps and any(
        abs(level - open_v) < _SAME_RAIL_V for level, swings in _clusters(high, seen.swings) if not swings
    )


def _is_erratic(seen: Glance, scale: float) -> Floats:
    """1 for each window whose samples scatter beyond what noise on a pilot's level does, else 0."""
    return np.asarray(seen.scatter * abs(scale) > _SCATTER_MAX_V, dtype=np.float64)


def _best(seen: Glance, unit: str, settled: Settled) -> Interpretation:
    factors = _FACTORS if settled.scale is None else {settled.scale: 0.0}
    if unit != "V" and settled.scale is None:
        factors = {**factors, **_free_factors(seen)}
    swapped = sides_swapped(seen) if settled.inverted is None else None
    signs = ((False, 0.0), (True, _POLARITY_PENALTY)) if settled.inverted is None else ((settled.inverted, 0.0),)
    rests = _rests_negative(seen) if settled.inverted is None else None
    if rests is not None:
        signs = ((rests, 0.0),)
    elif swapped is not None:
        signs = ((swapped, 0.0), (not swapped, _AGAINST_ITS_SIDES))
    scored = []
    for factor, penalty in factors.items():
        for inverted, inversion_penalty in signs:
            blown_up = abs(factor) * seen.noise > _NOISE_MAX_V
            if blown_up and factor != 1.0 and settled.scale is None:
                continue
            share = _share(seen, -factor if inverted else factor, settled.offset_v)
            scored.append((share - penalty - inversion_penalty, share, factor, inverted))
    best = max(scored)
    plain = next((s for s in scored if s[2] == 1.0 and s[3] == bool(swapped)), scored[0])
    # Held against the levels just as they stand in the file: a shifted zero is a guess like the others.
    as_it_stands = _mean(recognised(seen, -plain[2] if plain[3] else plain[2], settled.offset_v or 0.0))
    if best[0] < as_it_stands + _CLEARLY_BETTER:
        best = plain
    _, share, scale, inverted = best
    guessed: list[Mistake] = []
    why: list[str] = []
    if settled.scale is None and scale != 1.0:
        guessed.append("scale")
        why.append(_scale_sentence(seen, scale, share, unit))
    if settled.inverted is None and inverted:
        guessed.append("polarity")
        why.append(_polarity_sentence(seen, scale))
    by_person = any(v is not None for v in (settled.scale, settled.inverted, settled.offset_v))
    return Interpretation(
        scale=scale,
        inverted=inverted,
        guessed=tuple(guessed),
        why=tuple(why),
        recognised_share=share,
        settled_by_person=by_person,
    )


def sides_swapped(seen: Glance) -> bool | None:
    """Whether probe and reference were swapped, told by what the two sides do whatever their volts; None where that is open.

    The source's negative side stays where it is; the positive one moves with what the vehicle hangs on it, and steady
    levels under load lie on that side only.
    """
    told: set[bool] = set()
    rail = max(abs(seen.top), abs(seen.bottom))
    if seen.swings.any():
        swing = median(seen.high[seen.swings] - seen.low[seen.swings])
        sides = [_clusters_of(side[seen.swings], _STAYS * swing, len(seen.high)) for side in (seen.high, seen.low)]
        reach = [side[-1] - side[0] if side else 0.0 for side in sides]
        stays = [r < max(_STAYS * swing, 4.0 * seen.noise) for r in reach]
        moves = [r > max(_MOVES * swing, 8.0 * seen.noise) for r in reach]
        if stays[0] != stays[1] and moves[0] != moves[1]:
            told.add(stays[0])
    loaded, open_ = _steady_sides(seen, rail)
    if len(loaded) == 1 and open_:
        told |= loaded
    return told.pop() if len(told) == 1 else None


def _steady_sides(seen: Glance, rail: float) -> tuple[set[bool], set[bool]]:
    """Sides (whether negative) on which steady levels lie under load, and at the rail."""
    steady = _clusters_of(seen.high[~seen.swings], _STAYS * rail, len(seen.high))
    loaded = {level < 0.0 for level in steady if _UNDER_LOAD[0] * rail < abs(level) < _UNDER_LOAD[1] * rail}
    return loaded, {level < 0.0 for level in steady if abs(level) > _UNDER_LOAD[1] * rail}


def _rests_negative(seen: Glance) -> bool | None:
    """What conducts both ways loads both sides, so neither stays; the line then tells by where it rests without it, which is
    its positive side. None where one side is loaded alone, or the line rests on both."""
    loaded, open_ = _steady_sides(seen, max(abs(seen.top), abs(seen.bottom)))
    return next(iter(open_)) if len(loaded) == 2 and len(open_) == 1 else None


def _clusters_of(levels: Floats, gap: float, of: int) -> list[float]:
    """Median of every group of levels that `gap` parts from the next, smallest first; passing ones left out."""
    ranked = np.sort(levels)
    parts = np.split(ranked, np.flatnonzero(np.diff(ranked) > gap) + 1) if len(ranked) else []
    return [float(np.median(part)) for part in parts if len(part) > 0.02 * of]


def _share(seen: Glance, scale: float, offset_v: float | None) -> float:
    """How much a reading explains, with the zero settled by a person or, a little less likely, off by a common shift."""
    if offset_v is not None:
        return _mean(recognised(seen, scale, offset_v))
    as_is = _mean(recognised(seen, scale))
    shift = common_shift(seen, scale)
    if abs(shift) < _OFFSET_MIN_V:
        return as_is
    return max(as_is, _mean(recognised(seen, scale, -shift)) - _OFFSET_PENALTY * (1 + abs(shift)))


def _free_factors(seen: Glance) -> dict[float, float]:
    """Where the file has no volts at all, the constant low side gives the scale."""
    if not seen.swings.any():
        return {}
    low, high = np.median(seen.low[seen.swings]), np.median(seen.high[seen.swings])
    return {float(f"{12.0 / abs(level):.4g}"): 0.0 for level in (low, high) if abs(level) > 1e-9}


def _with_offset(seen: Glance, reading: Interpretation, settled: Settled) -> Interpretation:
    if settled.offset_v is not None:
        return reading.model_copy(update={"offset_v": settled.offset_v})
    shift = common_shift(seen, reading.correction.scale)
    if abs(shift) < _OFFSET_MIN_V or _is_low_alike(seen, reading):
        return reading
    sentence = (
        f"Every level, the low side included, sits {shift:+.2f} V from where a pilot has it. A series resistance or a "
        "diode cannot do that; the zero of the probe or the channel can."
    )
    if abs(shift) < _OFFSET_APPLIED_V and not _leaves_band(seen, reading.correction.scale):
        return reading.model_copy(update={"offset_seen_v": shift, "why": (*reading.why, sentence)})
    share = _mean(recognised(seen, reading.correction.scale, -shift))
    return reading.model_copy(
        update={
            "offset_v": -shift,
            "offset_seen_v": shift,
            "guessed": (*reading.guessed, "offset"),
            "why": (*reading.why, f"{sentence} Read with {-shift:+.2f} V added."),
            "recognised_share": share,
        }
    )


def _is_low_alike(seen: Glance, reading: Interpretation) -> bool:
    """Whether every level under load is a state's of a source as low as the low side tells, or lies between that and what a
    leak leaves of it: then no zero is off."""
    if not seen.swings.any():
        return False
    scale = reading.correction.scale
    high, low = np.maximum(seen.high * scale, seen.low * scale), np.minimum(seen.high * scale, seen.low * scale)
    rail = -median(low[seen.swings])
    if not _RAIL_V[0] < rail < BY_LETTER["A"].accept.low_v:
        return False
    return _of_one_source([level for level, _ in _clusters(high[seen.swings], seen.swings[seen.swings])], rail)


def _of_one_source(levels: list[float], rail: float) -> bool:
    """Whether each level is open or under load what a source of these volts gives, weak or with a leak beside it."""
    spans = [(nominal_level_v(letter, rail), leaking_level_v(letter, rail)) for letter in "BCD"]
    near = [(weak - _OF_ONE_SOURCE_V, leak + _OF_ONE_SOURCE_V) for weak, leak in (*spans, (rail, rail))]
    return all(any(low < level < high for low, high in near) for level in levels)


def _both_rails_v(seen: Glance, reading: Interpretation) -> float | None:
    """Volts of a source that is off alike on both sides: open it stands at the one, oscillating its low side at the other."""
    scale = reading.correction.scale
    high, low = np.maximum(seen.high * scale, seen.low * scale), np.minimum(seen.high * scale, seen.low * scale)
    # A clipped channel ends alike on both sides too.
    if set(reading.guessed) - {"polarity"} or not seen.swings.any() or seen.clipped_high or seen.clipped_low:
        return None
    rail = -median(low[seen.swings])
    constant = float(np.mean(np.abs(low[seen.swings] + rail) < _SAME_RAIL_V)) > _NEARLY_ALL
    usual = BY_LETTER["A"].accept.low_v <= rail <= BY_LETTER["A"].accept.high_v
    if not constant or usual or not _RAIL_V[0] < rail < _RAIL_V[1]:
        return None
    levels = [level for level, _ in _clusters(high, seen.swings)]
    loaded = [level for level in levels if abs(level - rail) >= _SAME_RAIL_V]
    return rail if len(loaded) < len(levels) and _of_one_source(loaded, rail) else None


def _positive_rail_v(seen: Glance, reading: Interpretation) -> float | None:
    """Volts of a source whose positive side alone is low: with it, and nothing in the wire, every level is a state's."""
    scale = reading.correction.scale
    high, low = np.maximum(seen.high * scale, seen.low * scale), np.minimum(seen.high * scale, seen.low * scale)
    if set(reading.guessed) - {"polarity"} or not seen.swings.any() or seen.clipped_high or seen.clipped_low:
        return None
    if float(np.mean(np.abs(low[seen.swings] - _LOW_V) < _SAME_RAIL_V)) < _NEARLY_ALL:
        return None
    levels = [level for level, _ in _clusters(high, seen.swings)]
    top = max(levels)
    if not _RAIL_V[0] < top < SOURCE_HIGH.low_v - _SAME_RAIL_V:
        return None
    under = {letter: nominal_level_v(letter, top) for letter in "BCD"}
    loaded = [level for level in levels if top - level > _CLUSTER_GAP_V]
    nearest = [min(under, key=lambda letter, v=level: abs(under[letter] - v)) for level in loaded]  # type: ignore[misc]
    fits = all(abs(under[letter] - level) < _OF_ONE_SOURCE_V for letter, level in zip(nearest, loaded, strict=True))
    return top if fits and len(set(nearest)) > 1 else None


def _leaves_band(seen: Glance, scale: float) -> bool:
    """Whether any level, as it stands, is inside no state's accept band."""
    high = np.maximum(seen.high * scale, seen.low * scale)
    return any(classify(level) == "unknown" for level, _ in _clusters(high, seen.swings))


def common_shift(seen: Glance, scale: float) -> float:
    """Volts by which all levels are off together, 0 where they are not or where too few differ to tell.

    Needs an oscillating stretch, because only its low side is free of what hangs on the wire.
    """
    if not seen.swings.any():
        return 0.0
    first, second = seen.high * scale, seen.low * scale
    high, low = np.maximum(first, second), np.minimum(first, second)
    shift = float(np.median(low[seen.swings])) - _LOW_V
    if abs(shift) > _OFFSET_MAX_V:
        return 0.0
    as_is, left = [], []
    for level, swings in _clusters(high, seen.swings):
        known = _CONNECTED if swings else _STEADY
        as_is.append(float(np.min(np.abs(known - level))))
        off = level - shift - known
        # A series resistance lifts a level further than tolerances lower it.
        left.append(float(np.min(np.where(off > 0, 0.75 * off, -off))))
    fits = max(left) < _LEVEL_SCATTER_V
    return shift if fits and sum(as_is) > sum(left) + 0.2 * len(left) else 0.0


def _clusters(high: Floats, swings: NDArray[np.bool_]) -> list[tuple[float, bool]]:
    """(median level, whether it swings) of every group of windows; within a group hum averages out."""
    found = []
    for kind in (True, False):
        levels = np.sort(high[swings == kind])
        if len(levels):
            parts = np.split(levels, np.flatnonzero(np.diff(levels) > _CLUSTER_GAP_V) + 1)
            found += [(float(np.median(part)), kind) for part in parts if len(part) > 0.03 * len(high)]
    return found


def _with_coupling(seen: Glance, reading: Interpretation) -> Interpretation:
    """AC coupling: whatever the duty, the mean of an oscillating window is zero."""
    # Between two neighbouring steps of the converter noise goes to and fro as well.
    if not seen.swings.any() or median((seen.high - seen.low)[seen.swings]) < _STEPS * seen.quantum:
        return reading
    scale = reading.correction.scale
    high, low = seen.high[seen.swings] * scale, seen.low[seen.swings] * scale
    high, low = np.maximum(high, low), np.minimum(high, low)
    up_share = seen.duty[seen.swings] if scale > 0 else 1 - seen.duty[seen.swings]
    mean = up_share * high + (1 - up_share) * low
    near = np.abs(mean) < 0.06 * (high - low)
    has_low = float(np.mean(np.abs(low + reading.offset_v - _LOW_V) < _NEAR_V)) > _SETTLED_SHARE
    steady = np.abs(seen.high[~seen.swings] * scale)
    # A coupled channel lets every steady level sink to nought.
    sinks = len(steady) > 0 and float(np.median(steady)) < _SINKS_SHARE * float(np.median(high - low))
    # After each change it takes its time to settle; where no steady stretch tells, all of it has to be centred.
    centred = float(near.mean()) > (_SETTLED_SHARE if sinks or _sags(seen, scale) else 0.8)
    holds = len(steady) > 0 and not sinks and not _sags(seen, scale)
    if not centred or has_low or holds:
        return reading
    sentence = (
        "Over each cycle the signal averages to zero whatever its duty: the channel was AC coupled, so absolute levels "
        "are lost. States are told from the swing alone, taking the low side for -12 V, and steady stretches not at "
        "all; duty and frequency are sound. Record again with DC coupling."
    )
    return reading.model_copy(
        update={
            "offset_v": 0.0,
            "offset_seen_v": 0.0,
            "levels_trusted": False,
            "guessed": (*(g for g in reading.guessed if g != "offset"), "ac_coupled"),
            "why": (*reading.why, sentence),
        }
    )


def _sags(seen: Glance, scale: float) -> bool:
    """Whether steady stretches sink towards nought all along, as no source with a level does."""
    steady = np.abs(np.where(seen.swings, np.nan, seen.high * scale))
    steps, pairs = np.diff(steady), np.isfinite(steady[1:]) & np.isfinite(steady[:-1]) & (steady[:-1] > _SINKS_BELOW_V)
    return bool(pairs.sum() >= 4 and np.mean(steps[pairs] < -0.005 * steady[:-1][pairs]) > _NEARLY_ALL)


def _with_range(seen: Glance, reading: Interpretation) -> Interpretation:
    guessed, why = list(reading.guessed), list(reading.why)
    limits: dict[str, float | None] = {"clip_high_v": None, "clip_low_v": None}
    clipped = [("largest", seen.top)] * seen.clipped_high + [("smallest", seen.bottom)] * seen.clipped_low
    for side, raw in clipped:
        upper = (side == "largest") != (reading.correction.scale < 0)
        limits["clip_high_v" if upper else "clip_low_v"] = raw * reading.correction.scale + reading.offset_v
    if clipped and seen.marked:
        guessed.append("clipped")
        why.append(
            f"Samples are marked as beyond the range of the instrument, "
            f"{' and '.join(_BEYOND[side] for side, _ in clipped)} it: the channel was clipped, and the true level is "
            "beyond. Record again with a larger range."
        )
    elif clipped:
        guessed.append("clipped")
        why.append(
            f"A level lies dead flat on the {' and on the '.join(side for side, _ in clipped)} value of the file while "
            "others are noisy: the channel was clipped, and the true level is beyond. Record again with a larger range."
        )
    if seen.invalid > 0:
        guessed.append("gaps")
        why.append(f"{100 * seen.invalid:.2g} % of the samples looked at are over range or missing.")
    return reading.model_copy(update={"guessed": tuple(dict.fromkeys(guessed)), "why": tuple(why), **limits})


def _scale_sentence(seen: Glance, scale: float, share: float, unit: str) -> str:
    told = f"Times {scale:g}, {100 * share:.0f} % of it lies on pilot levels"
    if unit != "V":
        return f"The file does not say volts. {told}."
    kind = "an unscaled probe" if scale > 1 else "a probe factor counted twice"
    if seen.swings.any():
        low, high = (float(np.median(side[seen.swings])) for side in (seen.low, seen.high))
        return f"As recorded it swings between {low:+.3g} and {high:+.3g} V, which no pilot does. {told}: {kind}."
    levels = sorted({float(f"{v:.2g}") for v in np.quantile(seen.high, [0.02, 0.5, 0.98])})
    listed = " and ".join(f"{v:+g} V" for v in levels)
    return f"As recorded the level is {listed}, nowhere near a steady pilot. {told}: {kind}."


def _polarity_sentence(seen: Glance, scale: float) -> str:
    top, bottom = float(np.max(seen.high)) * scale, float(np.min(seen.low)) * scale
    return (
        f"The signal lies between {bottom:+.1f} and {top:+.1f} V, and what the vehicle moves is its negative side. A pilot "
        f"keeps its negative side where it is, so probe and reference were swapped."
    )


def _mean(values: Floats) -> float:
    return float(values.mean()) if len(values) else 0.0


def _distance(values: Floats, nominal: Floats) -> Floats:
    return np.asarray(np.abs(values[:, None] - nominal).min(axis=1))
