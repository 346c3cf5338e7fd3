"""Matching as a vehicle's and posts' modems play it, frame by frame. Field order as in the standard's tables."""

from __future__ import annotations

import random
import struct
from collections.abc import Sequence
from dataclasses import dataclass, field

from gladwire.core.simulate.plc.wire import BROADCAST, Station, Wire

_GROUPS = 58
_SOUNDS = 10


@dataclass(frozen=True)
class Listener:
    """A post that hears the vehicle. loss_db: mean attenuation. heard: sounds it hears of those sent."""

    station: Station
    loss_db: float = 6.0
    sounds_received: int = _SOUNDS
    answers: bool = True
    gives_result: bool = True
    confirms: bool = True
    confirms_after_s: float = 0.03


@dataclass
class Matching:
    """One vehicle looking for its post. chooses: index of the listener it matches, None for the least attenuated.

    tries: how often parameters are asked for when nobody answers. pause_s: between steps.
    """

    vehicle: Station
    listeners: Sequence[Listener]
    seed: int = 1
    chooses: int | None = None
    tries: int = 3
    nid: bytes = bytes.fromhex("026BCBA5354E08")
    nmk: bytes = field(default_factory=lambda: bytes(range(0xB5, 0xC5)))

    def run(self, wire: Wire) -> Station | None:
        """Plays it; the post matched, or None."""
        dice = random.Random(self.seed)
        identity = dice.randbytes(8)
        hearing = [x for x in self.listeners if x.answers]
        for _ in range(1 if hearing else self.tries):
            wire.homeplug(BROADCAST, self.vehicle.mac, 0x6064, b"\0\0" + identity)
            wire.time_s += 0.06 if hearing else 0.42
        if not hearing:
            return None
        for x in hearing:
            body = BROADCAST + bytes([_SOUNDS, 6, 1]) + self.vehicle.mac + b"\0\0" + identity
            wire.homeplug(self.vehicle.mac, x.station.mac, 0x6065, body)
            wire.time_s += 0.004
        start = b"\0\0" + bytes([_SOUNDS, 6, 1]) + self.vehicle.mac + identity
        for _ in range(3):
            wire.homeplug(BROADCAST, self.vehicle.mac, 0x606A, start)
            wire.time_s += 0.03
        for left in range(_SOUNDS - 1, -1, -1):
            sound = b"\0\0" + bytes(17) + bytes([left]) + identity + bytes(8) + dice.randbytes(16)
            wire.homeplug(BROADCAST, self.vehicle.mac, 0x6076, sound)
            wire.time_s += 0.022
        wire.time_s += 0.3
        giving = [x for x in hearing if x.gives_result]
        for x in giving:
            self._result(wire, x, identity, dice)
        if not giving:
            wire.time_s += 1.2
            return None
        best = giving[self.chooses] if self.chooses is not None else min(giving, key=lambda x: x.loss_db)
        return self._match(wire, best, identity)

    def _result(self, wire: Wire, x: Listener, identity: bytes, dice: random.Random) -> None:
        tilt = [x.loss_db + 3.0 * (g / _GROUPS - 0.5) + dice.uniform(-1.5, 1.5) for g in range(_GROUPS)]
        groups = bytes(max(0, min(255, round(v))) for v in tilt)
        head = b"\0\0" + self.vehicle.mac + identity + bytes(17) + bytes(17)
        wire.homeplug(self.vehicle.mac, x.station.mac, 0x606E, head + bytes([x.sounds_received, _GROUPS]) + groups)
        wire.time_s += 0.02
        wire.homeplug(x.station.mac, self.vehicle.mac, 0x606F, head + b"\0")
        wire.time_s += 0.02

    def _match(self, wire: Wire, post: Listener, identity: bytes) -> Station | None:
        ends = bytes(17) + self.vehicle.mac + bytes(17) + post.station.mac + identity + bytes(8)
        for _ in range(1 if post.confirms else 3):
            body = b"\0\0" + struct.pack("<H", 62) + ends
            wire.homeplug(post.station.mac, self.vehicle.mac, 0x607C, body)
            wire.time_s += post.confirms_after_s if post.confirms else 0.21
        if not post.confirms:
            return None
        confirmed = b"\0\0" + struct.pack("<H", 86) + ends + self.nid + b"\0" + self.nmk
        wire.homeplug(self.vehicle.mac, post.station.mac, 0x607D, confirmed)
        return post.station
