"""A fast-charging session as it really goes: pack, vehicle, post and what happens on the way, second by second.

Physics and habits of the simulator's own; it knows nothing of how a record is judged.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
_SOC = np.array([0, 10, 20, 30, 40, 50, 60, 70, 80, 90, 100], dtype=float)
_REST_V = np.array([3.1, 3.42, 3.52, 3.58, 3.63, 3.70, 3.82, 3.92, 4.03, 4.11, 4.2])


@dataclass(frozen=True)
class Car:
    """cells in series; kwh usable; curve: (SoC %, kW) when warm; most_a; own_kw: what it uses itself while charging.

    converter_kw: through which a pack above the post's volts is charged, None where there is none.
    """

    cells: int = 96
    kwh: float = 64.0
    curve: tuple[tuple[float, float], ...] = (
        (0, 95),
        (8, 120),
        (48, 120),
        (60, 92),
        (72, 70),
        (82, 46),
        (92, 22),
        (100, 4),
    )
    most_a: float = 400.0
    own_kw: float = 1.1
    converter_kw: float | None = None


@dataclass(frozen=True)
class Spell:
    """Something that caps power from start to end in minutes since plug-in; slow: minutes in which it comes and goes."""

    start_min: float
    end_min: float
    kw: float
    slow: float = 0.0


@dataclass(frozen=True)
class Stay:
    """One plug-in. kw, amps, volts: of the post; spells: what happens; ramp_s; pause_min: between plug and power.

    pack_c: at the start; a cold pack takes a share and warms, one not cooled grows too hot. heats_c: °C a connector gains
    at 500 A in the long run.
    buffer_kwh, grid_kw: a post fed from a battery. stop_min: power is cut then. stairs: the vehicle steps its request down
    at every so many percent instead of evenly.
    """

    car: Car = field(default_factory=Car)
    start_soc: float = 14.0
    target_soc: float = 80.0
    kw: float = 150.0
    amps: float = 400.0
    volts: float = 920.0
    spells: Sequence[Spell] = ()
    ramp_s: float = 65.0
    pause_s: float = 18.0
    pack_c: float | None = 27.0
    cooled: bool = True
    heats_c: float = 0.0
    fold_c: float = 90.0
    air_c: float = 14.0
    buffer_kwh: float = 0.0
    grid_kw: float = 0.0
    stop_min: float | None = None
    stairs: float = 0.0
    after_s: float = 25.0
    seed: int = 3


@dataclass(frozen=True)
class Course:
    """What two honest meters would show: shape (n,) each, once a second."""

    time_s: Array
    volts: Array
    amps: Array
    kw: Array
    car_kw: Array
    soc: Array
    pack_c: Array
    connector_c: Array


def charge(stay: Stay, longest_min: float = 240.0) -> Course:
    """Play a stay to its target, its stop or the longest time."""
    car = stay.car
    points, powers = zip(*car.curve, strict=True)
    rows = []
    soc, given = stay.start_soc, 0.0
    pack = stay.pack_c if stay.pack_c is not None else 27.0
    connector, folded = stay.air_c, 1.0
    ended: float | None = None
    for second in range(int(longest_min * 60)):
        now = float(second)
        kw = 0.0
        rest = car.cells * float(np.interp(soc, _SOC, _REST_V))
        if ended is None and now >= stay.pause_s:
            at = soc if not stay.stairs else stay.stairs * np.ceil(soc / stay.stairs)
            wants = float(np.interp(at, points, powers)) * _warmth(pack)
            if car.converter_kw is not None and rest > stay.volts:
                wants = min(wants, car.converter_kw)
            amps_most = min(car.most_a, stay.amps * folded)
            kw = min(wants, stay.kw, amps_most * min(rest * 1.02, stay.volts) * 1e-3)
            kw = min([kw, *(_spelled(spell, now / 60.0, kw) for spell in stay.spells)])
            if stay.grid_kw and given - stay.grid_kw * now / 3600.0 >= stay.buffer_kwh:
                kw = min(kw, stay.grid_kw)
            kw *= min(1.0, (now - stay.pause_s) / stay.ramp_s)
        volts = min(rest * (1.0 + 0.02 * kw / max(car.kwh, 1.0)), stay.volts)
        rows.append((now, volts, kw * 1e3 / volts, kw, max(kw - car.own_kw, 0.0), soc, pack, connector))
        soc += 100.0 * max(kw - car.own_kw, 0.0) / 3600.0 / car.kwh
        given += kw / 3600.0
        pack += kw * 0.04 / 5.6 / car.kwh if pack < 41.0 or not stay.cooled else 0.0
        load = (kw * 1e3 / volts / 500.0) ** 2
        connector += (stay.air_c + stay.heats_c * load - connector) / 420.0
        if connector > stay.fold_c:
            folded = max(0.45, folded - 0.0009)
        if ended is None and (soc >= stay.target_soc or (stay.stop_min is not None and now >= 60.0 * stay.stop_min)):
            ended = now
        if ended is not None and now - ended > stay.after_s:
            break
    table = np.array(rows)
    return Course(*(table[:, i] for i in range(8)))


def _warmth(pack_c: float) -> float:
    return float(np.interp(pack_c, [-10, 0, 8, 15, 22, 40, 48, 55], [0.1, 0.22, 0.45, 0.68, 1.0, 1.0, 0.6, 0.3]))


def _spelled(spell: Spell, minute: float, free_kw: float) -> float:
    """The cap of a spell at a minute, reached and left over its slow minutes."""
    if spell.slow <= 0:
        return spell.kw if spell.start_min <= minute < spell.end_min else free_kw
    into = np.clip((minute - spell.start_min) / spell.slow, 0.0, 1.0)
    out = np.clip((spell.end_min - minute) / spell.slow, 0.0, 1.0)
    return free_kw + (min(spell.kw, free_kw) - free_kw) * float(min(into, out))
