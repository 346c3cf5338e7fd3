"""What somebody, or the weather, may do to the world: each act by its name, with the one figure or word it takes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from gladwire.core.simulate.world.parts import Lead
from gladwire.core.simulate.world.world import World

Value = float | str | bool


@dataclass(frozen=True)
class Between:
    """Numbers from low to high, both included."""

    low: float
    high: float
    unit: str


class Act(NamedTuple):
    """key: as scripts name it. words: on a button. takes: the words it may be told, a range of numbers, true or false, or ()
    for nothing. do: what it does to the world."""

    key: str
    words: str
    takes: tuple[str, ...] | Between | type[bool]
    do: Callable[[World, Value], None]


def _set(thing: str, field: str) -> Callable[[World, Value], None]:
    def do(world: World, value: Value) -> None:
        setattr(getattr(world, thing), field, value)

    return do


def _plug(world: World, value: Value) -> None:
    if value == "out":
        world.pull()
    else:
        world.plug_in("half" if value == "half" else "home")


def _lead(world: World, value: Value) -> None:
    """Another lead of this code, sound."""
    ohm, amps = {"13 A": (1500.0, 13.0), "20 A": (680.0, 20.0), "32 A": (220.0, 32.0), "63 A": (100.0, 63.0)}[
        str(value)
    ]
    world.lead = Lead(coded_ohm=ohm, rated_a=amps)


def _duty(world: World, value: Value) -> None:
    world.post.duty_error = float(value) / 100.0


def _pack(world: World, value: Value) -> None:
    world.vehicle.soc = float(value)


def _other_vehicle(world: World, value: Value) -> None:
    world.vehicle = replace(world.vehicle, inlet="latch" if value == "latch" else "coded")


ACTS: tuple[Act, ...] = (
    Act("plug", "Move the plug", ("home", "half", "out"), _plug),
    Act("latch", "Press the plug's latch", bool, _set("hands", "latch")),
    Act("stop_button", "Lean on the post's stop button", bool, _set("hands", "stop")),
    Act("stop_at_post", "End it at the post", (), lambda world, _: world.stop_at_post()),
    Act("wants", "The driver wants it to charge", bool, _set("vehicle", "wants")),
    Act("ignores_stop", "The vehicle ignores a stop", bool, _set("vehicle", "ignores_stop")),
    Act("blocked", "Debris in the lock's way", bool, _set("vehicle", "blocked")),
    Act("feedback", "The lock's position switch works", bool, _set("vehicle", "feedback")),
    Act("diode_shorted", "The vehicle's diode conducts both ways", bool, _set("vehicle", "diode_shorted")),
    Act("pack", "State of charge", Between(0, 100, "%"), _pack),
    Act("inlet", "The vehicle's inlet", ("coded", "latch"), _other_vehicle),
    Act("pilot_wire", "The lead's pilot wire", ("sound", "open", "short"), _set("lead", "pilot")),
    Act("corroded", "Corrosion on the pilot contact", Between(0, 5000, "Ω"), _set("lead", "corroded_ohm")),
    Act("lead", "Take another lead", ("13 A", "20 A", "32 A", "63 A"), _lead),
    Act("offer", "The post offers", Between(6, 80, "A"), _set("post", "offer_a")),
    Act("neighbour", "A neighbour charges", bool, _set("post", "neighbour")),
    Act("shares", "The post shares with its neighbour", bool, _set("post", "shares")),
    Act("mains", "Mains at the post", Between(0, 260, "V"), _set("post", "mains_v")),
    Act("contactor", "The post's contactor", ("sound", "welded", "stuck open"), _set("post", "contactor")),
    Act("duty_error", "The post's duty is off by", Between(-10, 10, "%"), _duty),
    Act("source", "The post's pilot source", Between(5, 13, "V"), _set("post", "source_v")),
    Act("power", "The post has its own supply", bool, _set("post", "power")),
)
BY_KEY: Mapping[str, Act] = {act.key: act for act in ACTS}


def do(world: World, key: str, value: Value = "") -> None:
    """Raises ValueError for an act nobody knows, or a value it does not take; nothing is done then."""
    act = BY_KEY.get(key)
    if act is None:
        raise ValueError(f"“{key}” is no act; known are {', '.join(BY_KEY)}")
    takes = act.takes
    if isinstance(takes, Between):
        if isinstance(value, (bool, str)) or not takes.low <= value <= takes.high:
            raise ValueError(f"“{key}” takes {takes.low:g} to {takes.high:g} {takes.unit}, not {value!r}")
        value = float(value)
    elif isinstance(takes, tuple):
        if takes and value not in takes:
            raise ValueError(f"“{key}” takes one of {', '.join(takes)}, not {value!r}")
    elif not isinstance(value, bool):
        raise ValueError(f"“{key}” takes true or false, not {value!r}")
    act.do(world, value)
