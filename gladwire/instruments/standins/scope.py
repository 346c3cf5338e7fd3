"""A scope of four channels that looks at the world: it streams what it samples, in pieces that are fetched one by one.

Its own headers (SCPI-1999 subsystems SENSe, TRACe, FORMat, INITiate; from memory):

    SENSe:CHANnel:CATalog?       what may be looked at
    SENSe:CHANnel<n>:SOURce "PP" what channel n looks at
    SENSe:CHANnel<n>:RANGe 20    greatest volts or amperes either way; UNIT? tells which
    SENSe:SWEep:RATE 200000      samples a second of each channel
    FORMat:BORDer SWAPped        the low byte first (NORMal: the high one)
    INITiate:CONTinuous ON       from now on it samples
    TRACe:POINts?                first sample and count of the next piece, since sampling began
    TRACe:DATA?                  that piece: counts of 16 bits, channel after channel in each sample

A piece that nobody fetches in time is written over: the next begins later, and the gap shows in its first sample.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from gladwire.core.simulate.world.probes import BY_NAME, PROBES, times_of
from gladwire.core.simulate.world.world import World
from gladwire.instruments.standins.scpi import BAD_VALUE, NOT_NOW, Asked, Instrument, ScpiError, block

CHANNELS = 4
_FULL = 32000
_RANGES = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 500.0)
_REMEMBERS_S, _MOST_A_PIECE = 4.0, 250_000
_NOISE = 0.0008


class Scope:
    """world: what it looks at; whoever made it moves it on. seed: of its noise, the same for a sample whoever asks."""

    def __init__(self, world: Callable[[], World], seed: int = 1) -> None:
        self._world, self._seed = world, seed
        self.instrument = Instrument(
            ("Gull Instruments", "G4", "0017", "1.2"),
            {
                "SENSe:CHANnel:CATalog?": lambda _: ",".join(f'"{p.name}"' for p in PROBES),
                "SENSe:CHANnel<n>:SOURce": self._look_at,
                "SENSe:CHANnel<n>:SOURce?": lambda asked: f'"{self._sources[self._channel(asked)]}"',
                "SENSe:CHANnel<n>:RANGe": self._set_range,
                "SENSe:CHANnel<n>:RANGe?": lambda asked: f"{self._ranges[self._channel(asked)]:g}",
                "SENSe:CHANnel<n>:SCALe?": lambda asked: f"{self._ranges[self._channel(asked)] / _FULL:.9g}",
                "SENSe:CHANnel<n>:UNIT?": lambda asked: BY_NAME[self._sources[self._channel(asked)]].unit,
                "SENSe:SWEep:RATE": self._set_rate,
                "SENSe:SWEep:RATE?": lambda _: f"{self._rate_hz:g}",
                "FORMat:BORDer": self._set_order,
                "FORMat:BORDer?": lambda _: "SWAP" if self._order == "<" else "NORM",
                "FORMat:DATA?": lambda _: "INT,16",
                "INITiate:CONTinuous": self._run,
                "INITiate:CONTinuous?": lambda _: str(int(self._began is not None)),
                "TRACe:POINts?": lambda _: self._next_piece(),
                "TRACe:DATA?": lambda _: self._piece(),
            },
            self._reset,
        )
        self._reset()

    def _reset(self) -> None:
        self._sources = ["CP", "PP", "Lock current", "U_L1"]
        self._ranges = [20.0, 10.0, 5.0, 500.0]
        self._rate_hz = 200e3
        self._order: Literal["<", ">"] = ">"
        self._began: float | None = None
        self._given, self._held = 0, (0, 0)

    def _channel(self, asked: Asked) -> int:
        if not 1 <= asked.suffixes[0] <= CHANNELS:
            raise ScpiError(BAD_VALUE)
        return asked.suffixes[0] - 1

    def _at_rest(self) -> None:
        if self._began is not None:
            raise ScpiError(NOT_NOW)

    def _look_at(self, asked: Asked) -> None:
        self._at_rest()
        if asked.value() not in BY_NAME:
            raise ScpiError(BAD_VALUE)
        self._sources[self._channel(asked)] = asked.value()

    def _set_range(self, asked: Asked) -> None:
        self._at_rest()
        wished = asked.number(0.0, _RANGES[-1])
        self._ranges[self._channel(asked)] = next(r for r in _RANGES if r >= wished)

    def _set_rate(self, asked: Asked) -> None:
        self._at_rest()
        self._rate_hz = asked.number(1e3, 1e6)

    def _set_order(self, asked: Asked) -> None:
        orders: dict[str, Literal["<", ">"]] = {"SWAP": "<", "SWAPPED": "<", "NORM": ">", "NORMAL": ">"}
        if asked.value().upper() not in orders:
            raise ScpiError(BAD_VALUE)
        self._order = orders[asked.value().upper()]

    def _run(self, asked: Asked) -> None:
        self._began = self._world().now if asked.switch() else None
        self._given, self._held = 0, (0, 0)

    def _next_piece(self) -> str:
        """Sampled since the last piece, less what was written over meanwhile."""
        if self._began is None:
            raise ScpiError(NOT_NOW)
        sampled = int((self._world().now - self._began) * self._rate_hz)
        first = max(self._given, sampled - int(_REMEMBERS_S * self._rate_hz))
        self._held = (first, min(sampled - first, _MOST_A_PIECE))
        return f"{first},{self._held[1]}"

    def _piece(self) -> bytes:
        if self._began is None:
            raise ScpiError(NOT_NOW)
        first, count = self._held
        self._given = max(self._given, first + count)
        world, begins = self._world(), self._began
        counts = np.empty((count, CHANNELS), dtype=f"{self._order}i2")
        times = begins + times_of(first, count, self._rate_hz)
        for n, (source, most) in enumerate(zip(self._sources, self._ranges, strict=True)):
            values = BY_NAME[source].sees(world, times) + most * _noise(first, count, self._seed + n)
            counts[:, n] = np.clip(np.round(values / most * _FULL), -_FULL, _FULL)
        self._held = (first + count, 0)
        return block(counts.tobytes())


def _noise(first: int, count: int, seed: int) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """Noise of each sample by its number alone, so that a piece fetched twice is the same."""
    size = 4096
    blocks = range(first // size, (first + count) // size + 1)
    whole = np.concatenate([np.random.default_rng((seed, b)).normal(0.0, _NOISE, size) for b in blocks])
    begins = first - (first // size) * size
    return whole[begins : begins + count]
