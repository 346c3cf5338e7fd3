"""Which quantity of a charging session a column of readings is: by its unit, its name, how it behaves and what it has to do
with the other columns; the best assignment of all columns together.

SoC lies in 0 to 100 and creeps up; an energy counter never falls; volts stand high and hardly move while current flows; power
is volts × amperes, and energy is the sum of power. Common practice, no source, where no other is named.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.recognition.assignment import assign
from gladwire.core.signal.waveform import Floats

# Of these a column can be told without a name or a unit.
_BY_BEHAVIOUR = ("power_kw", "volts_v", "amps_a", "soc_percent", "energy_kwh")
# Names and units speak; behaviour and relations decide what they leave open. Logarithms of odds, by judgement.
_RELATED, _SEEN_ONCE = 4.0, -6.0
_MOST_OPEN = 6
_FLOWS = {"power_kw", "amps_a", "energy_kwh"}
# How far a counter may lie from the sum of power on its way, as a share of the whole.
_ALONG = 0.12
# One phase or direct current, line volts of three phases, and phase volts of three.
_PHASES = (1.0, np.sqrt(3.0), 3.0)


class Open(NamedTuple):
    """A column nobody told the quantity of. kind: of its unit ("kw", "v", "a", "%", "kwh"), "" where it has none. values:
    shape (n,), as written."""

    name: str
    kind: str
    values: Floats


class Guess(NamedTuple):
    """quantity: what an open column is taken for, "" for nothing; factor: to its usual unit; why: in words. sure: whether no
    other reading comes near; else instead is the next, and neither is used."""

    quantity: str
    factor: float
    why: str
    sure: bool = True
    instead: str = ""


_KINDS = {"kw": "power_kw", "v": "volts_v", "a": "amps_a", "%": "soc_percent", "kwh": "energy_kwh"}


def guess(time_s: Floats, known: Mapping[str, Floats], open_: Sequence[Open]) -> list[Guess | None]:
    """What each open column is; None where it is nothing known.

    time_s: shape (n,). known: quantities already told, in their usual units, shape (n,).
    """
    every = [_options(column, known) for column in open_]
    places = [i for i, options in enumerate(every) if len(options) > 1]
    if not 0 < len(places) <= _MOST_OPEN:  # of very many columns that could be anything nothing is said
        return [None] * len(open_)
    chosen, options = [open_[i] for i in places], [every[i] for i in places]

    def together(picks: Sequence[tuple[str, float]]) -> float:
        named = [q for q, _ in picks if q]
        if len(named) != len(set(named)):
            return -np.inf
        held = _held(picks, chosen, known)
        related = _relations(time_s, held, set(named))
        bare = any(q == "soc_percent" and not c.kind for (q, _), c in zip(picks, chosen, strict=True))
        # Whole numbers that creep up are no charge where nothing is known to flow into it.
        unfounded = _RELATED if bare and not _FLOWS & set(known) and related < _RELATED else 0.0
        return sum(_fit(q, held[q]) if q else -0.5 for q, _ in picks) + related - unfounded

    best = assign([[(option, 0.0) for option in each] for each in options], together)
    held = _held([each.chosen for each in best], chosen, known)
    found: list[Guess | None] = [None] * len(open_)
    for place, each in zip(places, best, strict=True):
        quantity, factor = each.chosen
        instead = each.runner_up[0] if each.runner_up else ""
        if quantity:
            why = _why(quantity, time_s, held)
            found[place] = Guess(quantity, factor, why, each.is_sure, "" if each.is_sure else instead)
        elif instead and not each.is_sure:
            found[place] = Guess(instead, 1.0, "", sure=False)
    return found


def _held(
    picks: Sequence[tuple[str, float]], columns: Sequence[Open], known: Mapping[str, Floats]
) -> dict[str, Floats]:
    """Quantities where the columns are so, in their usual units."""
    return {**known, **{q: c.values * f for (q, f), c in zip(picks, columns, strict=True) if q}}


def _options(column: Open, known: Mapping[str, Floats]) -> list[tuple[str, float]]:
    """(quantity, factor) an open column may be, and that it is none."""
    quantities = [_KINDS[column.kind]] if column.kind in _KINDS else _BY_BEHAVIOUR if not column.kind else ()
    found: list[tuple[str, float]] = [("", 1.0)]
    for quantity in quantities:
        if quantity in known:
            continue
        found.append((quantity, 1.0))
        if not column.kind and quantity in ("power_kw", "energy_kwh"):
            found.append((quantity, 1e-3))
        if quantity == "soc_percent" and np.nanmax(np.abs(column.values), initial=0.0) <= 1.0:
            found.append((quantity, 100.0))
    return [(q, f) for q, f in found if not q or _fit(q, column.values * f) > _SEEN_ONCE]


def _fit(quantity: str, values: Floats) -> float:
    """How well a column behaves as a quantity does; below nought where it hardly does."""
    known = values[np.isfinite(values)]
    if len(known) < 3:
        return _SEEN_ONCE
    low, high = float(known.min()), float(known.max())
    steps = np.diff(known)
    rises = float(np.mean(steps >= -1e-9))
    # A display of whole percent: no counter and no power moves so.
    whole = bool(rises > 0.97 and high <= 100.0 and (known == np.round(known)).all())
    match quantity:
        case "soc_percent":
            inside = low >= 0.0 and high <= 100.5
            creeps = rises > 0.97 and high - low >= 1.0 and float(np.abs(steps).max()) < 12.0
            return 1.5 if inside and creeps else 0.2 if inside and high - low < 1.0 and low > 1 else _SEEN_ONCE
        case "energy_kwh":
            return 0.8 if not whole and rises > 0.99 and 0.05 < high - low < 500.0 and low >= 0 else _SEEN_ONCE
        case "volts_v":
            usual = float(np.median(known))
            if not (100.0 <= usual <= 1300.0 and float(np.percentile(known, 95)) < 1.5 * usual and low >= -5.0):
                return _SEEN_ONCE
            # Volts stand where current begins at nought.
            return 1.2 if low > 0.6 * usual else -0.5
        case "amps_a":
            flows = float(np.percentile(np.abs(known), 95))
            begins = 0.4 if float(np.abs(known).min()) < 0.2 * flows else -0.5
            return begins if 1.0 <= flows <= 3500.0 and _one_way(known) else _SEEN_ONCE
        case "power_kw":
            flows = float(np.percentile(np.abs(known), 95))
            return 0.4 if not whole and 0.5 <= flows <= 3800.0 and _one_way(known) else _SEEN_ONCE
    return _SEEN_ONCE


def _one_way(values: Floats) -> bool:
    """Whether energy goes one way for nearly all of the time."""
    top = float(np.abs(values).max())
    return bool((values > -0.05 * top).mean() > 0.9 or (values < 0.05 * top).mean() > 0.9)


def _relations(time_s: Floats, held: Mapping[str, Floats], fresh: set[str]) -> float:
    """What is gained where columns go together, as far as one of them was open."""
    gained = 0.0
    if {"power_kw", "volts_v", "amps_a"} <= set(held) and fresh & {"power_kw", "volts_v", "amps_a"}:
        gained += _RELATED if goes_with_volts_and_amps(held) else -2.0
    if {"power_kw", "energy_kwh"} <= set(held) and fresh & {"power_kw", "energy_kwh"}:
        gained += _RELATED if is_sum_of_power(time_s, held) else -2.0
    if {"soc_percent", "energy_kwh"} <= set(held) and fresh & {"soc_percent", "energy_kwh"}:
        pack = _pack_kwh(held)
        gained += 0.0 if pack != pack else 1.0 if 5.0 < pack < 400.0 else -1.0
    return gained


def goes_with_volts_and_amps(held: Mapping[str, Floats]) -> bool:
    """Whether power is volts × amperes, of one phase or three."""
    power, product_ = np.abs(held["power_kw"]), np.abs(held["volts_v"] * held["amps_a"]) * 1e-3
    flows = np.isfinite(power + product_) & (power > 0.1 * np.nanmax(power, initial=0.0)) & (product_ > 0)
    if flows.sum() < 3:
        return False
    ratios = power[flows] / product_[flows]
    return any(float(np.mean(np.abs(ratios / phases - 1.0) < 0.08)) > 0.8 for phases in _PHASES)


def is_sum_of_power(time_s: Floats, held: Mapping[str, Floats]) -> bool:
    """Whether the energy counter rises by the sum of power."""
    power, energy = held["power_kw"], held["energy_kwh"]
    both = np.isfinite(power + energy)
    if both.sum() < 3:
        return False
    times, power, energy = time_s[both], np.abs(power[both]), energy[both]
    so_far = np.concatenate([[0.0], np.cumsum(np.diff(times) * (power[1:] + power[:-1]) / 2.0)]) / 3600.0
    total = float(so_far[-1])
    if not (total > 0.05 and abs(float(energy[-1] - energy[0]) / total - 1.0) < 0.12):
        return False
    # All along, not in the end alone.
    return bool(np.abs((energy - energy[0]) - so_far).max() < _ALONG * total)


def _pack_kwh(held: Mapping[str, Floats]) -> float:
    soc, energy = held["soc_percent"], held["energy_kwh"]
    both = np.flatnonzero(np.isfinite(soc + energy))
    if len(both) < 2 or soc[both[-1]] - soc[both[0]] < 2.0:
        return float("nan")
    return float((energy[both[-1]] - energy[both[0]]) / (soc[both[-1]] - soc[both[0]]) * 100.0)


def _why(quantity: str, time_s: Floats, held: Mapping[str, Floats]) -> str:
    three, two = {"power_kw", "volts_v", "amps_a"}, {"power_kw", "energy_kwh"}
    if quantity in three and three <= set(held) and goes_with_volts_and_amps(held):
        return "power is volts × amperes"
    if quantity in two and two <= set(held) and is_sum_of_power(time_s, held):
        return "energy is the sum of power"
    return {
        "soc_percent": "it lies in 0 to 100 and creeps up",
        "energy_kwh": "it only rises",
        "volts_v": "it stands high and hardly moves",
    }.get(quantity, "nothing else fits")


# To seconds, with its word; the order is of how often tables that name no unit mean it.
_TIME_UNITS = ((1.0, "seconds"), (60.0, "minutes"), (3600.0, "hours"))
_PACKS_KWH = (6.0, 260.0)
_LEAST_SPAN_S, _ENOUGH_ROWS, _LONGEST = 180.0, 20, 1e12


class TimeUnit(NamedTuple):
    """factor: to seconds; why: in words, "" where only custom speaks for it."""

    factor: float
    word: str
    why: str


def time_unit(times: Floats, held: Mapping[str, Floats]) -> TimeUnit | None:
    """The unit of times that name none, by what they make of the readings; None where two are equally good.

    times: shape (n,), as told. held: quantities in their usual units, shape (n,).
    """
    if not np.abs(times).max(initial=0.0) < _LONGEST:
        return None
    for factor, word in _TIME_UNITS:
        if {"power_kw", "energy_kwh"} <= set(held) and is_sum_of_power(times * factor, held):
            return TimeUnit(factor, word, "only so is energy the sum of power")
    packs = [
        (factor, word) for factor, word in _TIME_UNITS if _PACKS_KWH[0] < _pack_of(times * factor, held) < _PACKS_KWH[1]
    ]
    if len(packs) == 1:
        return TimeUnit(*packs[0], "only so does the charge that was added fit a pack")
    steps = np.diff(times)
    whole = bool((np.abs(steps - np.round(steps)) < 1e-9).all() and (steps >= 1.0).all())
    short = len(times) >= _ENOUGH_ROWS and float(times[-1] - times[0]) < _LEAST_SPAN_S
    return TimeUnit(1.0, "seconds", "") if whole and not short else None


def _pack_of(time_s: Floats, held: Mapping[str, Floats]) -> float:
    """What power and charge make of the pack, in kWh; NaN where they say nothing."""
    soc = held.get("soc_percent")
    power = held.get("power_kw")
    if power is None and {"volts_v", "amps_a"} <= set(held):
        power = held["volts_v"] * held["amps_a"] * 1e-3
    if soc is None or power is None:
        return float("nan")
    flows = np.isfinite(power)
    times, power = time_s[flows], np.abs(power[flows])
    if len(times) < 3:
        return float("nan")
    total = np.concatenate([[0.0], np.cumsum(np.diff(times) * (power[1:] + power[:-1]) / 2.0)]) / 3600.0
    return _pack_kwh({"soc_percent": soc, "energy_kwh": np.interp(time_s, times, total)})
