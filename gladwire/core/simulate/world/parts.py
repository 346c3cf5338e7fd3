"""The things themselves: figures and faults of post, lead and vehicle. Ohms, volts, amperes, seconds.

How quick controllers are, and where their comparators sit, are habits of these things, chosen here and moved a little by the
world's seed; nothing here knows what a record of them is judged by.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

Seat = Literal["out", "half", "home"]
Wire = Literal["sound", "open", "short"]
Contactor = Literal["sound", "welded", "stuck open"]


class Source(NamedTuple):
    """The post's generator: steady at high_v (duty None), or oscillating. duty: 0 to 1."""

    high_v: float
    low_v: float
    duty: float | None
    hz: float = 1000.0


@dataclass
class Post:
    """offer_a: what it offers; duty_error: added to its duty (0.01 is a percent). shares: a neighbour takes half while it is
    there. authorise_s: from the plug to the go-ahead, None for never. power: whether it has its own supply."""

    offer_a: float = 32.0
    mains_v: float = 230.0
    phases: int = 1
    source_v: float = 12.0
    source_ohm: float = 1000.0
    duty_error: float = 0.0
    hz: float = 1000.0
    authorise_s: float | None = 0.6
    closes_s: float = 0.5
    shares: bool = False
    neighbour: bool = False
    contactor: Contactor = "sound"
    power: bool = True


@dataclass
class Lead:
    """coded_ohm: resistor between PP and PE of its plug; rated_a: what the vehicle takes it to carry. pilot: its pilot wire;
    corroded_ohm: of its pilot contact."""

    coded_ohm: float = 220.0
    rated_a: float = 32.0
    pilot: Wire = "sound"
    corroded_ohm: float = 0.0
    capacitance_f: float = 1.5e-9


@dataclass
class Vehicle:
    """inlet: how it sees a plug, by a coded resistor, or by a latch switch in the plug. soc, target_soc: percent. blocked:
    something lies in the way of the lock's pin; feedback: its position switch works; ignores_stop: goes on where it should
    let go. wants: the driver wants it to charge."""

    inlet: Literal["coded", "latch"] = "coded"
    onboard_a: float = 32.0
    soc: float = 41.0
    target_soc: float = 80.0
    kwh: float = 58.0
    diode_shorted: bool = False
    blocked: bool = False
    feedback: bool = True
    ignores_stop: bool = False
    wants: bool = True
    locks_s: float = 0.5
    asks_s: float = 0.9


@dataclass
class Hands:
    """What people do to it. latch: the plug's button is pressed; stop: somebody leans on the post's stop button."""

    seat: Seat = "out"
    latch: bool = False
    stop: bool = False
