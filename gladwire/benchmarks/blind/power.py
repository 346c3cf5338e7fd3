"""Power records by a battery of its own: cells with a rest voltage and a resistance, a vehicle that asks by charge and
temperature, a post, a cable and a site that allow, and for every second the limiter that truly held. Common practice, no
source.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from gladwire.core.lanes.power.ledger import keep_ledger
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.power.chain import Context
from gladwire.core.power.limiters import BY_KEY

Array = np.ndarray
# Rest volts of one cell by charge, of no maker: a usual nickel-rich one.
_REST = (
    (0, 3.05), (5, 3.38), (10, 3.48), (20, 3.56), (30, 3.62), (40, 3.67), (50, 3.74), (60, 3.84), (70, 3.93), (80, 4.02),
    (90, 4.10), (100, 4.18),
)  # fmt: skip
_CELL_OHM = 0.00125
# An iron-phosphate one: hardly any rise between the ends.
_REST_FLAT = (
    (0, 2.95), (3, 3.12), (10, 3.21), (20, 3.265), (30, 3.29), (40, 3.30), (60, 3.315), (75, 3.33), (95, 3.345), (100, 3.42),
)  # fmt: skip
# A connector's warmth from which a cable folds back.
_FOLDS_C = 60.0


@dataclass
class Night:
    """One session. What is None does not limit. curve: amperes the vehicle takes by charge. truth: what may be told of each
    name the play gives; known: what the ledger is told."""

    cells: int = 96
    rest: tuple[tuple[float, float], ...] = _REST
    kwh: float = 64.0
    begins: float = 14.0
    ends: float = 82.0
    curve: tuple[tuple[float, float], ...] = ((0, 300), (45, 300), (60, 210), (75, 130), (88, 60), (100, 15))
    post_a: float | None = None
    post_kw: float | None = None
    cable_a: float | None = None
    adapter_a: float | None = None
    boost: tuple[float, float] | None = None
    boost_s: float = 300.0
    converter_kw: float | None = None
    vehicle_a: float | None = None
    cold_from_c: float | None = None
    neighbour: tuple[float, float, float] | None = None
    buffer: tuple[float, float] | None = None
    folds_back: bool = False
    throttle: tuple[float, float] | None = None
    ac_kw: float | None = None
    onboard_kw: float | None = None
    ramp_a_s: float = 4.0
    noise: float = 0.004
    rounds: dict[str, float] = field(default_factory=dict)
    every_s: int = 5
    shows: tuple[str, ...] = ("volts_v", "amps_a", "soc_percent")
    known: dict[str, float] = field(default_factory=dict)
    # Full or not, what a vehicle asks by its own curve is its limit.
    names: dict[str, tuple[str, ...]] = field(
        default_factory=lambda: {
            "vehicle_taper": ("vehicle_taper", "vehicle_limit"),
            # Nobody says why it ended.
            "none": ("none", "stop_fault"),
        }
    )
    neighbours: tuple[float, ...] = ()

    def play(self, seed: int) -> tuple[PowerRecord, list[str]]:
        """(the record as somebody logged it, the limiter of each of its readings)."""
        rng = np.random.default_rng(seed)
        soc, pack_c, wh, t, amps = self.begins, self.cold_from_c or 24.0, 0.0, 0.0, 0.0
        plug_c = 25.0
        rows: list[tuple[float, float, float, float, float, float, float, float, str]] = []
        while soc < self.ends and t < 3 * 3600:
            rest = _between(soc, self.rest) * self.cells
            asked, why = self._asked(soc, pack_c, t)
            allowed, other = self._allowed(t, rest + amps * _CELL_OHM * self.cells, wh, plug_c)
            target, name = (asked, why) if asked <= allowed else (allowed, other)
            ramp = self.ramp_a_s if amps < target and t < 1.2 * target / self.ramp_a_s else 40.0
            if target - amps > ramp:
                name = "ramp"
            amps += float(np.clip(target - amps, -60.0, ramp))
            volts = rest + amps * _CELL_OHM * self.cells
            wh += volts * amps / 3600.0
            soc += 100.0 * volts * amps / 3600.0 / (self.kwh * 1000.0) * 0.96
            pack_c += 0.0035 * (amps / 200.0) ** 2 + (0.004 if self.cold_from_c is not None else 0.0)
            plug_c += ((25.0 + 0.00055 * amps**2) - plug_c) / 420.0
            rows.append((t, volts, amps, soc, pack_c, plug_c, asked, min(allowed, 900.0), name))
            t += 1.0
        rows += [(t + i, volts * 0.99, 0.0, soc, pack_c, plug_c, 0.0, min(allowed, 900.0), "none") for i in range(30)]
        kept = rows[:: self.every_s]
        columns = {"volts_v": 1, "amps_a": 2, "pack_c": 4, "connector_c": 5, "asked_a": 6, "post_max_a": 7}
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
        for key, step in self.rounds.items():
            if key in values:
                values[key] = np.round(values[key] / step) * step
        return PowerRecord(np.array([float(r[0]) for r in kept]), values), [str(r[8]) for r in kept]

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
            limits.append((self.boost[0] if t > self.boost_s else self.boost[1], "cable_rating"))
        for kw, name in ((self.post_kw, "evse_power"), (self.converter_kw, "vehicle_converter")):
            if kw is not None:
                limits.append((1000.0 * kw / volts, name))
        if self.neighbour and self.neighbour[0] <= t < self.neighbour[1]:
            limits.append((1000.0 * self.neighbour[2] / volts, "shared_cabinet"))
        if self.buffer and wh / 1000.0 - self.buffer[1] * t / 3600.0 > self.buffer[0]:
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


def at_random(r: random.Random) -> Night:
    """Everything at once, as it comes: pack, vehicle, post, what happens, what was logged, and what of it people know."""
    high = r.random() < 0.3
    flat = r.random() < 0.3
    top = r.choice((120.0, 180.0, 250.0, 320.0, 400.0, 500.0))
    night = Night(
        cells=r.randint(176, 208) if high else r.randint(88, 112),
        rest=_REST_FLAT if flat else _REST,
        kwh=r.uniform(38.0, 60.0) * (1.6 if high else 1.0),
        begins=r.uniform(5.0, 45.0),
        curve=_curve_at_random(r, top),
        post_a=r.choice((125.0, 200.0, 250.0, 300.0, 400.0, 500.0)),
        post_kw=r.choice((50.0, 75.0, 100.0, 150.0, 180.0, 300.0, 400.0)),
        ramp_a_s=r.choice((2.5, 4.0, 8.0, 15.0)),
        noise=r.choice((0.0, 0.002, 0.005)),
        every_s=r.choice((1, 2, 5, 10, 30)),
    )
    night.ends = min(night.begins + r.uniform(25.0, 70.0), 96.0)
    truths = {"post_a": night.post_a, "post_kw": night.post_kw, "pack_class_v": 800.0 if high else 400.0}
    _happens(r, night, truths)
    night.known = {
        key: value
        for key, value in truths.items()
        if value is not None and (key.startswith("adapter") or r.random() < 0.6)
    }
    if night.cold_from_c is not None and r.random() < 0.5:
        night.known["ambient_c"] = -3.0
    _logged(r, night)
    return night


def _curve_at_random(r: random.Random, top: float) -> tuple[tuple[float, float], ...]:
    bends = sorted(r.uniform(25.0, 88.0) for _ in range(r.randint(2, 5)))
    shares = sorted((r.uniform(0.15, 0.9) for _ in bends), reverse=True)
    points = [(0.0, top), (bends[0] - 5.0, top)]
    stairs = r.random() < 0.35
    for bend, share, before in zip(bends, shares, [1.0, *shares], strict=False):
        if stairs:
            points.append((bend - 0.05, top * before))
        points.append((bend, top * share))
    return (*points, (97.0, top * shares[-1]) if stairs else (100.0, 12.0))


def _happens(r: random.Random, night: Night, truths: dict[str, float | None]) -> None:
    """At most two of what may come between, with what people could know of it."""
    for happening in r.sample((*_HAPPENINGS, r.choice((_cable, _boost))), 2):
        happening(r, night, truths)


Truths = dict[str, float | None]


def _least_kw(night: Night) -> float:
    return min(night.post_kw or 1e3, 0.35 * (night.post_a or 1e3))


def _adapter(r: random.Random, night: Night, truths: Truths) -> None:
    night.adapter_a = truths["adapter_a_continuous"] = r.choice((100.0, 150.0, 200.0, 300.0))


def _neighbour(r: random.Random, night: Night, truths: Truths) -> None:
    comes = r.uniform(250.0, 800.0)
    stays = r.choice((r.uniform(240.0, 900.0), 1e6))
    night.neighbour = (comes, comes + stays, _least_kw(night) * r.choice((0.35, 0.5, 0.7)))
    if r.random() < 0.4:
        night.neighbours = (comes - r.uniform(3.0, 60.0),)


def _buffer(r: random.Random, night: Night, truths: Truths) -> None:
    grid, kwh = _least_kw(night) * r.choice((0.3, 0.45, 0.6)), r.uniform(4.0, 14.0)
    truths["grid_kw"], truths["buffer_kwh"] = grid, kwh
    night.buffer = (kwh, grid)


def _warms(r: random.Random, night: Night, truths: Truths) -> None:
    night.folds_back = True


def _throttled(r: random.Random, night: Night, truths: Truths) -> None:
    night.throttle = (r.uniform(250.0, 900.0), r.uniform(40.0, 110.0))


def _cold(r: random.Random, night: Night, truths: Truths) -> None:
    night.cold_from_c = r.uniform(3.0, 12.0)


def _vehicle(r: random.Random, night: Night, truths: Truths) -> None:
    night.vehicle_a = truths["vehicle_a"] = r.choice((80.0, 110.0, 150.0, 210.0))


def _cable(r: random.Random, night: Night, truths: Truths) -> None:
    night.cable_a = truths["cable_a"] = r.choice((125.0, 200.0, 250.0))


def _boost(r: random.Random, night: Night, truths: Truths) -> None:
    rated = truths["cable_a"] = r.choice((150.0, 200.0, 300.0))
    night.boost, night.boost_s = (rated, 1.4 * rated), r.choice((180.0, 300.0, 600.0))
    if r.random() < 0.5:
        truths["cable_boost_a"], truths["cable_boost_min"] = 1.4 * rated, night.boost_s / 60.0


def _nothing(r: random.Random, night: Night, truths: Truths) -> None:
    """As usual."""


_HAPPENINGS = (_nothing, _adapter, _neighbour, _buffer, _warms, _throttled, _cold, _vehicle)


def _logged(r: random.Random, night: Night) -> None:
    columns = r.choice((("volts_v", "amps_a"), ("volts_v", "amps_a"), ("volts_v", "amps_a", "power_kw"), ("power_kw",)))
    more = ["soc_percent"] if r.random() < 0.85 else []
    more += ["pack_c"] if r.random() < 0.3 else []
    more += ["connector_c"] if r.random() < 0.4 else []
    if "amps_a" in columns and r.random() < 0.25:
        more += ["asked_a"] + (["post_max_a"] if r.random() < 0.5 else [])
    night.shows = (*columns, *more)
    if r.random() < 0.5:
        night.rounds = {
            "volts_v": 1.0,
            "amps_a": r.choice((0.5, 1.0)),
            "power_kw": r.choice((0.1, 0.5, 1.0)),
            "pack_c": 1.0,
        }


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


class Logged(NamedTuple):
    """A record, the limiter of each of its readings, what people know, and when they saw neighbours come."""

    record: PowerRecord
    limiters: list[str]
    known: dict[str, float]
    names: dict[str, tuple[str, ...]]
    neighbours: tuple[float, ...] = ()


def told_of(night: Night, seed: int) -> Counter[tuple[str, str, bool]]:
    record, truth = night.play(seed)
    return told_of_record(Logged(record, truth, night.known, night.names, night.neighbours))


def told_of_record(logged: Logged) -> Counter[tuple[str, str, bool]]:
    """Minutes by (what held, what was told, whether the former was named beside); told as held where it may be so called."""
    record = logged.record
    ledger = keep_ledger(record, Context.model_validate(logged.known), logged.neighbours)
    found = Counter[tuple[str, str, bool]]()
    lasts = np.diff(record.time_s, append=record.time_s[-1]) / 60.0
    entries = ledger.entries if ledger else ()
    for at, right, minutes in zip(record.time_s, logged.limiters, lasts, strict=True):
        entry = next((e for e in entries if e.start_s <= at < e.end_s), None)
        names = logged.names.get(right, (right,))
        told = entry.limiter if entry else "none"
        beside = entry is not None and bool(set(names) & set(entry.also))
        found[right, right if told in names else told, beside] += minutes
    return found


class Minutes(NamedTuple):
    """Shares of the minutes: told right; right named beside; nothing named; of the right party; something else. confused:
    what was taken for what, the longest first."""

    total: float
    right: float
    beside: float
    silent: float
    party: float
    wrong: float
    confused: list[tuple[tuple[str, str], float]]


def _summed(found: Counter[tuple[str, str, bool]]) -> Minutes:
    kinds = dict.fromkeys(("right", "beside", "silent", "party", "wrong"), 0.0)
    confused: dict[tuple[str, str], float] = {}
    for (held, told, beside), minutes in found.items():
        kind = _kind(held, told, beside)
        kinds[kind] += minutes
        if kind in ("party", "wrong"):
            confused[held, told] = confused.get((held, told), 0.0) + minutes
    total = sum(kinds.values())
    shares = {kind: minutes / total for kind, minutes in kinds.items()}
    return Minutes(total=total, confused=sorted(confused.items(), key=lambda pair: -pair[1]), **shares)


def _kind(held: str, told: str, beside: bool) -> str:
    if held == told:
        return "right"
    if beside:
        return "beside"
    if told == "unexplained":
        return "silent"
    return "party" if BY_KEY[held].by == BY_KEY[told].by else "wrong"


def limiter_minutes(each: int, seed: int) -> Minutes:
    """Each class so many times."""
    found = Counter[tuple[str, str, bool]]()
    for number, play in enumerate(PLAYS):
        for i in range(each):
            r = random.Random(seed * 100_003 + 1000 * number + i)
            found.update(told_of(play(r), r.randrange(2**31)))
    return _summed(found)


def minutes_of(records: Iterable[Logged]) -> Minutes:
    found = Counter[tuple[str, str, bool]]()
    for logged in records:
        found.update(told_of_record(logged))
    return _summed(found)


def minutes_at_random(count: int, seed: int) -> Minutes:
    """So many sessions in which everything varies at once; much of it cannot be told apart by what was logged."""
    found = Counter[tuple[str, str, bool]]()
    for i in range(count):
        r = random.Random(seed * 100_003 + i)
        found.update(told_of(at_random(r), r.randrange(2**31)))
    return _summed(found)
