"""Power records by a battery of its own: cells with a rest voltage and a resistance, a vehicle that asks by charge and
temperature, a post, a cable and a site that allow, and for every second the limiter that truly held. Common practice, no
source.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from gladwire.core.lanes.power.ledger import keep_ledger
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.power.chain import Context

Array = np.ndarray
# Rest volts of one cell by charge, of no maker: a usual nickel-rich one.
_REST = (
    (0, 3.05),
    (5, 3.38),
    (10, 3.48),
    (20, 3.56),
    (30, 3.62),
    (40, 3.67),
    (50, 3.74),
    (60, 3.84),
    (70, 3.93),
    (80, 4.02),
    (90, 4.10),
    (100, 4.18),
)
_CELL_OHM = 0.00125
# A connector's warmth from which a cable folds back.
_FOLDS_C = 60.0


@dataclass
class Night:
    """One session. What is None does not limit. curve: amperes the vehicle takes by charge. truth: what may be told of each
    name the play gives; known: what the ledger is told."""

    cells: int = 96
    kwh: float = 64.0
    begins: float = 14.0
    ends: float = 82.0
    curve: tuple[tuple[float, float], ...] = ((0, 300), (45, 300), (60, 210), (75, 130), (88, 60), (100, 15))
    post_a: float | None = None
    post_kw: float | None = None
    cable_a: float | None = None
    adapter_a: float | None = None
    boost: tuple[float, float] | None = None
    converter_kw: float | None = None
    vehicle_a: float | None = None
    cold_from_c: float | None = None
    neighbour: tuple[float, float, float] | None = None
    buffer: tuple[float, float] | None = None
    folds_back: bool = False
    throttle: tuple[float, float] | None = None
    ac_kw: float | None = None
    onboard_kw: float | None = None
    noise: float = 0.004
    every_s: int = 5
    shows: tuple[str, ...] = ("volts_v", "amps_a", "soc_percent")
    known: dict[str, float] = field(default_factory=dict)
    # Full or not, what a vehicle asks by its own curve is its limit.
    names: dict[str, tuple[str, ...]] = field(
        default_factory=lambda: {"vehicle_taper": ("vehicle_taper", "vehicle_limit")}
    )
    neighbours: tuple[float, ...] = ()

    def play(self, seed: int) -> tuple[PowerRecord, list[str]]:
        """(the record as somebody logged it, the limiter of each of its readings)."""
        rng = np.random.default_rng(seed)
        soc, pack_c, wh, t, amps = self.begins, self.cold_from_c or 24.0, 0.0, 0.0, 0.0
        plug_c = 25.0
        rows: list[tuple[float, float, float, float, float, float, str]] = []
        while soc < self.ends and t < 3 * 3600:
            rest = _between(soc, _REST) * self.cells
            asked, why = self._asked(soc, pack_c, t)
            allowed, other = self._allowed(t, rest + amps * _CELL_OHM * self.cells, wh, plug_c)
            target, name = (asked, why) if asked <= allowed else (allowed, other)
            ramp = 4.0 if amps < target and t < 90 else 40.0
            if target - amps > ramp:
                name = "ramp"
            amps += float(np.clip(target - amps, -60.0, ramp))
            volts = rest + amps * _CELL_OHM * self.cells
            wh += volts * amps / 3600.0
            soc += 100.0 * volts * amps / 3600.0 / (self.kwh * 1000.0) * 0.96
            pack_c += 0.0035 * (amps / 200.0) ** 2 + (0.004 if self.cold_from_c is not None else 0.0)
            plug_c += ((25.0 + 0.00055 * amps**2) - plug_c) / 420.0
            rows.append((t, volts, amps, soc, pack_c, plug_c, name))
            t += 1.0
        rows += [(t + i, volts * 0.99, 0.0, soc, pack_c, plug_c, "none") for i in range(30)]
        kept = rows[:: self.every_s]
        columns = {"volts_v": 1, "amps_a": 2, "pack_c": 4, "connector_c": 5}
        wander = 1.0 + self.noise * rng.normal(size=len(kept))
        values: dict[str, Array] = {
            key: np.array([float(r[i]) for r in kept]) * (wander if key == "amps_a" else 1.0)
            for key, i in columns.items()
            if key in self.shows
        }
        if "soc_percent" in self.shows:
            values["soc_percent"] = np.floor([float(r[3]) for r in kept])
        if "power_kw" in self.shows:
            values["power_kw"] = np.array([float(r[1]) * float(r[2]) / 1000.0 for r in kept]) * wander
        return PowerRecord(np.array([float(r[0]) for r in kept]), values), [str(r[6]) for r in kept]

    def _asked(self, soc: float, pack_c: float, t: float) -> tuple[float, str]:
        wants = [(_between(soc, self.curve), "vehicle_taper")]
        if self.vehicle_a is not None:
            wants.append((self.vehicle_a, "vehicle_limit"))
        if self.cold_from_c is not None:
            wants.append((max(20.0, 14.0 * (pack_c - 2.0)), "vehicle_cold"))
        if self.throttle and t >= self.throttle[0]:
            wants.append((self.throttle[1], "vehicle_limit"))
        return min(wants)

    def _allowed(self, t: float, volts: float, wh: float, plug_c: float) -> tuple[float, str]:
        limits: list[tuple[float, str]] = [(1e6, "none")]
        for amps, name in ((self.post_a, "evse_current"), (self.cable_a, "cable_rating"), (self.adapter_a, "adapter")):
            if amps is not None:
                limits.append((amps, name))
        if self.boost:
            limits.append((self.boost[0] if t > 300 else self.boost[1], "cable_rating"))
        for kw, name in ((self.post_kw, "evse_power"), (self.converter_kw, "vehicle_converter")):
            if kw is not None:
                limits.append((1000.0 * kw / volts, name))
        if self.neighbour and self.neighbour[0] <= t < self.neighbour[1]:
            limits.append((1000.0 * self.neighbour[2] / volts, "shared_cabinet"))
        if self.buffer and wh > 1000.0 * self.buffer[0]:
            limits.append((1000.0 * self.buffer[1] / volts, "site_supply"))
        if self.folds_back and plug_c > _FOLDS_C:
            limits.append((max(120.0, 330.0 - 14.0 * (plug_c - _FOLDS_C)), "cable_thermal"))
        for kw, name in ((self.ac_kw, "evse_current"), (self.onboard_kw, "vehicle_limit")):
            if kw is not None:
                limits.append((1000.0 * kw / volts, name))
        return min(limits)


def _between(at: float, points: Sequence[tuple[float, float]]) -> float:
    return float(np.interp(at, [x for x, _ in points], [y for _, y in points]))


def _of_post_current(r: random.Random) -> Night:
    a = r.choice((125.0, 200.0, 250.0))
    return Night(post_a=a, known={"post_a": a} if r.random() < 0.6 else {})


def _of_post_power(r: random.Random) -> Night:
    kw = r.choice((50.0, 62.5, 75.0))
    return Night(post_kw=kw, known={"post_kw": kw})


def _of_post_power_unknown(r: random.Random) -> Night:
    return Night(post_kw=r.choice((50.0, 60.0, 75.0)))


def _of_cable(r: random.Random) -> Night:
    return Night(cable_a=200.0, known={"cable_a": 200.0, "post_kw": 150.0, "post_a": 350.0})


def _of_adapter(r: random.Random) -> Night:
    a = r.choice((100.0, 150.0, 200.0))
    return Night(adapter_a=a, known={"adapter_a_continuous": a, "post_kw": 150.0, "post_a": 375.0})


def _of_boost(r: random.Random) -> Night:
    return Night(
        boost=(200.0, 270.0), known={"cable_a": 200.0, "cable_boost_a": 270.0, "cable_boost_min": 5.0, "post_kw": 180.0}
    )


def _of_vehicle(r: random.Random) -> Night:
    a = r.choice((85.0, 110.0, 140.0))
    known = (
        {"post_kw": 150.0, "post_a": 400.0, "vehicle_a": a} if r.random() < 0.6 else {"post_kw": 150.0, "post_a": 400.0}
    )
    return Night(vehicle_a=a, known=known)


def _of_converter(r: random.Random) -> Night:
    kw = r.choice((46.0, 100.0))
    return Night(cells=192, kwh=84.0, converter_kw=kw, known={"post_v": 500.0, "pack_class_v": 800.0, "post_kw": 150.0})


def _of_cold(r: random.Random) -> Night:
    with_c = r.random() < 0.6
    shows = ("volts_v", "amps_a", "soc_percent", *(("pack_c",) if with_c else ()))
    return Night(
        cold_from_c=r.uniform(4, 9),
        shows=shows,
        known={"post_kw": 150.0, "post_a": 400.0, **({} if with_c else {"ambient_c": -2.0})},
    )


def _of_neighbour(r: random.Random) -> Night:
    comes = r.uniform(300, 500)
    kw = r.choice((50.0, 75.0))
    return Night(
        post_kw=100.0, neighbour=(comes, comes + r.uniform(400, 700), kw), known={"post_kw": 100.0, "module_kw": 25.0}
    )


def _of_neighbour_told(r: random.Random) -> Night:
    comes = r.uniform(300, 500)
    night = Night(post_kw=100.0, neighbour=(comes, 1e9, 52.0), known={"post_kw": 100.0})
    night.neighbours = (comes - r.uniform(5, 60),)
    return night


def _of_buffer(r: random.Random) -> Night:
    return Night(
        post_kw=120.0,
        buffer=(18.0, 40.0),
        known={"post_kw": 120.0, "post_a": 400.0, "grid_kw": 40.0, "buffer_kwh": 18.0},
    )


def _of_warm_cable(r: random.Random) -> Night:
    return Night(
        folds_back=True,
        curve=((0, 330), (62, 330), (75, 160), (100, 20)),
        known={"post_kw": 180.0, "post_a": 400.0},
        shows=("volts_v", "amps_a", "soc_percent", "connector_c"),
    )


def _of_throttle(r: random.Random) -> Night:
    night = Night(throttle=(r.uniform(350, 550), 95.0), known={"post_kw": 150.0, "post_a": 400.0})
    night.names["vehicle_limit"] = ("vehicle_limit", "vehicle_taper")
    return night


def _of_taper_alone(r: random.Random) -> Night:
    stairs = (
        (0, 260),
        (22, 260),
        (22.1, 210),
        (38, 210),
        (38.1, 170),
        (55, 170),
        (55.1, 120),
        (72, 120),
        (72.1, 70),
        (100, 60),
    )
    curve = stairs if r.random() < 0.5 else ((0, 260), (20, 250), (50, 170), (80, 70), (100, 20))
    return Night(curve=curve, known={"post_kw": 180.0, "post_a": 500.0})


def _of_ac_offer(r: random.Random) -> Night:
    return Night(
        ac_kw=11.04,
        ends=40.0,
        every_s=30,
        shows=("power_kw", "soc_percent"),
        known={"offer_a": 16.0, "ac_phases": 3, "onboard_a": 32.0, "onboard_phases": 3},
    )


def _of_ac_charger(r: random.Random) -> Night:
    return Night(
        onboard_kw=11.04,
        ends=40.0,
        every_s=30,
        shows=("power_kw", "soc_percent"),
        known={"offer_a": 32.0, "ac_phases": 3, "onboard_a": 16.0, "onboard_phases": 3},
    )


PLAYS: tuple[Callable[[random.Random], Night], ...] = (
    _of_post_current,
    _of_post_power,
    _of_post_power_unknown,
    _of_cable,
    _of_adapter,
    _of_boost,
    _of_vehicle,
    _of_converter,
    _of_cold,
    _of_neighbour,
    _of_neighbour_told,
    _of_buffer,
    _of_warm_cable,
    _of_throttle,
    _of_taper_alone,
    _of_ac_offer,
    _of_ac_charger,
)


def told_of(play: Callable[[random.Random], Night], seed: int) -> Counter[tuple[str, str]]:
    """Minutes by (what held, what was told), the latter the same where it may be told so."""
    r = random.Random(seed)
    night = play(r)
    record, truth = night.play(r.randrange(2**31))
    ledger = keep_ledger(record, Context.model_validate(night.known), night.neighbours)
    found = Counter[tuple[str, str]]()
    minutes = night.every_s / 60.0
    for at, right in zip(record.time_s, truth, strict=True):
        told = next((e.limiter for e in ledger.entries if e.start_s <= at < e.end_s), "none") if ledger else "nothing"
        found[right, right if told in night.names.get(right, (right,)) else told] += minutes  # type: ignore[assignment]
    return found


def limiter_minutes(each: int, seed: int) -> tuple[float, float, list[tuple[tuple[str, str], float]]]:
    """(share of minutes told right, minutes in all, what was taken for what, the longest first)."""
    found = Counter[tuple[str, str]]()
    for number, play in enumerate(PLAYS):
        for i in range(each):
            found.update(told_of(play, seed * 100_003 + 1000 * number + i))
    total = sum(found.values())
    right = sum(minutes for (held, told), minutes in found.items() if held == told)
    return right / total, total, [(pair, m) for pair, m in found.most_common() if pair[0] != pair[1]]
