"""A year of sessions through the ledger, against plain trapezoid integration of the same arrays; and whether it is linear."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from gladwire.core.lanes.power.ledger import keep_ledger
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.windows import ten_percent_pairs
from gladwire.core.simulate.charge import Car, Spell, Stay, charge

_RECORDS, _SECONDS, _TURN = 5_000, 3_600, 250
_KINDS = 24


def _kinds() -> list[PowerRecord]:
    """Sessions of one hour at one second: large and small packs, shared, cold, broken off, with noise; 24 of them."""
    rng = np.random.default_rng(11)
    found = []
    for number in range(_KINDS):
        car = Car(kwh=float(rng.uniform(60, 160)), most_a=float(rng.uniform(150, 420)))
        spells = (Spell(12.0, 24.0, 45.0),) if number % 3 == 0 else (Spell(15.0, 18.0, 0.0),) if number % 7 == 0 else ()
        kw, pack_c = float(rng.uniform(60, 180)), float(rng.uniform(5, 30))
        stay = Stay(car, float(rng.uniform(5, 30)), 95.0, kw=kw, spells=spells, pack_c=pack_c)
        course = charge(replace(stay, after_s=4000.0), _SECONDS / 60.0)
        volts = course.volts * (1 + 3e-4 * rng.normal(size=_SECONDS))
        amps = course.amps * (1 + 2e-3 * rng.normal(size=_SECONDS))
        values = {"volts_v": volts, "amps_a": amps, "soc_percent": np.floor(course.soc)}
        found.append(PowerRecord(course.time_s, values))
    return found


def _timed(works: Sequence[Callable[[PowerRecord], object]], kinds: Sequence[PowerRecord], count: int) -> list[float]:
    """Seconds of each, taken in turns of some hundred records, so that a machine that slows down slows all alike."""
    took = [0.0] * len(works)
    for first in range(0, count, _TURN):
        for place, work in enumerate(works):
            start = time.perf_counter()
            for number in range(first, min(first + _TURN, count)):
                work(kinds[number % len(kinds)])
            took[place] += time.perf_counter() - start
    return took


def _plain(record: PowerRecord) -> float:
    return float(np.trapezoid(record.values["volts_v"] * record.values["amps_a"], record.time_s)) / 3.6e6


def measure(folder: Path, millions: list[int]) -> str:
    """A Markdown table."""
    kinds = _kinds()
    keep_ledger(kinds[0])  # what is loaded at first use is not the ledger's work
    half = _timed((_plain, keep_ledger), kinds, _RECORDS // 2)
    plain, full = _timed((_plain, keep_ledger), kinds, _RECORDS)
    few = _RECORDS // 10
    again, windows = (10 * t for t in _timed((_plain, ten_percent_pairs), kinds, few))
    hours = _RECORDS * _SECONDS / 3600.0
    return "\n".join(
        [
            f"{_RECORDS:,} records of one hour at one second ({hours:,.0f} h), {_RECORDS * _SECONDS / 1e6:.0f} million "
            "readings of V, A and SoC, in memory, one core; each against plain integration taken in turns with it.",
            "",
            "| what | time | to plain trapezoid |",
            "|---|---|---|",
            f"| energy by `numpy.trapezoid` of V × A | {plain:.2f} s | 1 |",
            f"| the ledger, whole | {full:.2f} s | {full / plain:.1f} |",
            f"| the ledger, half as many records | {half[1]:.2f} s | {half[1] / half[0]:.1f} |",
            f"| every ten-percent window, from a tenth of them | {windows:.2f} s | {windows / again:.1f} |",
            "",
            f"Twice the records take {full / plain * half[0] / half[1] * 2:.2f} times as long. Aim: 25 or less, and linear.",
        ]
    )
