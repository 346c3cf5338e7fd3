"""Buses of vehicles whose charges fail, described as strangers describe theirs (`dialects/buses.py`) and packed by cantools.
Courses by hand; common practice, no source.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from gladwire.benchmarks.blind.truth import Truth
from gladwire.benchmarks.dialects.buses import Course, course, written
from gladwire.core.can.names import read_names
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.supplements import Described, Supplements
from gladwire.formats.can_logs import gather

_AT = 45.0


class Case(NamedTuple):
    name: str
    measured: Measured
    truth: Truth


Values = dict[str, np.ndarray]
Made = Callable[[np.ndarray, Values, random.Random], Truth]


def _settled(played: Course) -> Course:
    """The factory's charge, with volts that meet before anything closes, and contacts that stay cool."""
    t, v = played
    v["inlet_v"] = np.where(t < 40, np.clip((t - 12) * 150, 0.5, v["pack_v"]), v["inlet_v"])
    for key in ("pin_1_c", "pin_2_c"):
        v[key] = 24.0 + 0.2 * (v[key] - 24.0)
    return t, v


def healthy(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    return Truth(("charged", "unknown"), {"precharge": ("proven", "not_captured")}, healthy=True)


def post_stops_giving(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    """The post gives nothing more; the vehicle goes on asking, its contactors closed to the end."""
    late = t > _AT
    v["amps"] = np.where(late, 0.0, v["amps"])
    v["asked_a"] = np.where(late, v["asked_a"].max(), v["asked_a"])
    v["inlet_v"] = np.where(late, v["pack_v"], v["inlet_v"])
    v["contactor"] = np.where(late, 1.0, v["contactor"])
    v["lock"] = np.where(late, 1.0, v["lock"])
    return Truth(("dropped_out", "charged"), {"precharge": ("proven",)}, owners=("evse", "site"), says=("inlet",))


def gives_less(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    v["amps"] = np.minimum(v["amps"], 0.45 * v["asked_a"].max())
    return Truth(("derated",), {"hold": ("proven",)}, owners=("evse", "site"))


def no_precharge(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    for key in ("amps", "contactor"):
        v[key] = np.zeros(len(t))
    v["asked_a"] = np.where(t > 12, 2.0, 0.0)
    v["inlet_v"] = np.where(t > 12, r.choice((0.6, 0.45 * v["pack_v"].mean())), 0.5)
    return Truth(
        ("failed_to_start",),
        {"precharge": ("failed",), "hold": ("not_reached", "not_captured")},
        owners=("evse", "vehicle"),
    )


def does_not_close(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    v["amps"], v["contactor"] = np.zeros(len(t)), np.zeros(len(t))
    v["inlet_v"] = np.where((t > 12) & (t < 80), np.clip((t - 12) * 90, 0, v["pack_v"]), 0.5)
    return Truth(
        ("failed_to_start",),
        {"precharge": ("failed",), "hold": ("not_reached", "not_captured")},
        ("vehicle_does_not_close", "precharge_not_reached_inside"),
        ("vehicle",),
    )


def live_from_the_first(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    """A welded contactor: the inlet carries the pack's volts from before anything began, and says open."""
    v["amps"], v["asked_a"], v["contactor"] = np.zeros(len(t)), np.zeros(len(t)), np.zeros(len(t))
    v["inlet_v"] = v["pack_v"]
    return Truth(
        (), {"hold": ("not_reached", "not_captured")}, ("contactor_welded_inside",), ("vehicle",), says=("welded",)
    )


def hot_pin(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    """One contact warms and the vehicle asks for less and less."""
    v["pin_1_c"] = np.clip(30.0 + 1.6 * np.clip(t - 21, 0, None), None, 96.0)
    v["asked_a"] = np.where(v["pin_1_c"] > 80, v["asked_a"] * 0.35, v["asked_a"])
    v["amps"] = np.minimum(v["amps"], v["asked_a"])
    return Truth(("derated",), {"hold": ("proven",)}, owners=("cable", "vehicle"), says=("°C|pin|contact",))


def lock_slips(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    late = t > _AT
    v["lock"] = np.where(late, 0.0, v["lock"])
    for key in ("amps", "asked_a"):
        v[key] = np.where(t > _AT + 0.5, 0.0, v[key])
    v["contactor"] = np.where(t > _AT + 2, 0.0, v["contactor"])
    v["inlet_v"] = np.where(t > _AT + 2, np.clip(v["pack_v"] - (t - _AT - 2) * 60, 2, None), v["inlet_v"])
    return Truth(("dropped_out",), {"hold": ("failed",)}, owners=("vehicle", "site"), says=("lock",))


def opens_under_load(t: np.ndarray, v: Values, r: random.Random) -> Truth:
    late = t > _AT
    v["contactor"] = np.where(late, 0.0, v["contactor"])
    v["amps"] = np.where(late, 0.0, v["amps"])
    v["asked_a"] = np.where(t > _AT + 1.0, 0.0, v["asked_a"])
    v["inlet_v"] = np.where(late, np.clip(v["pack_v"] - (t - _AT) * 60, 2, None), v["inlet_v"])
    return Truth(("dropped_out",), {"hold": ("failed",)}, owners=("vehicle",))


MAKERS: tuple[Made, ...] = (
    healthy,
    post_stops_giving,
    gives_less,
    no_precharge,
    does_not_close,
    live_from_the_first,
    hot_pin,
    lock_slips,
    opens_under_load,
)


def cases(each: int, seed: int = 7) -> Iterator[Case]:
    """So many buses of every class."""
    for number, maker in enumerate(MAKERS):
        for i in range(each):
            r = random.Random(seed * 100_003 + 1000 * number + i)
            played = _settled(course(r))
            truth = maker(played[0], played[1], r)
            text, frames, _ = written(r, True, played)
            described = Supplements(described=(Described(read_names(text, "stranger")),))
            measured = measure_capture(gather(frames, "can-log"), supplements=described).measured
            yield Case(f"{maker.__name__}-{i}", measured, truth)
