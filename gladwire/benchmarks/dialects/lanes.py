"""A seeded factory of scope and logger captures with several lanes: pilot, proximity through usual pull-ups, a lock's motor
current direct or as the volts of a clamp, its position, mains, a contactor's line, and strangers (temperatures, a 12 V
battery, a pack). Each under names of many languages or of none; made by numpy alone.
"""

from __future__ import annotations

import random
from dataclasses import dataclass

import numpy as np

from gladwire.core.lanes.unnamed.record import UnnamedRecord
from gladwire.core.measured import Measured, measure_recording
from gladwire.core.signal.waveform import Floats, Recording, Waveform

# role -> names people give the channel. Common practice, no source.
NAMES: dict[str, tuple[str, ...]] = {
    "cp": ("CP", "Control Pilot", "Pilot", "CP-PE", "Pilote CP", "Piloto", "Styrepilot CP", "cp_signal", "U_CP"),
    "pp": ("PP", "Proximity", "Prox", "Näherung PP", "Proximité", "Proximidad", "PP-PE", "Prossimità", "Plug present PP"),
    "lock_current": ("Lock current", "Lock motor", "I_lock", "Verriegelung Strom", "Courant verrou", "Corriente bloqueo",
                     "Lås ström", "Corrente blocco", "Prąd blokady", "Actuator current", "Vergrendeling stroom"),
    "lock_position": ("Lock position", "Lock feedback", "Verriegelung Rückmeldung", "Position verrou", "Posición bloqueo",
                      "Lås position", "Posizione blocco", "Lock sensor", "Lock switch", "Pozycja blokady"),
    "mains_v": ("L1", "Mains L1", "U L1", "Netz L1", "Réseau L1", "Red L1", "Line voltage", "VL1-N", "Rete L1"),
    "mains_a": ("I L1", "L1 current", "Strom L1", "Courant L1", "Corriente L1", "Mains current", "Netzstrom L1"),
    "contactor": ("Contactor", "Contactor coil", "Schütz", "Relay K1", "Contacteur", "Contattore", "Stycznik", "Relais K2"),
    "temperature": ("Temp handle", "Temperatur Stecker", "T1 inlet", "Température prise"),
    "battery_12v": ("12V supply", "Aux battery", "Bordnetz", "KL30", "LV Batt"),
    "pack": ("HV+", "Pack voltage", "DC bus", "Zwischenkreis"),
}  # fmt: skip
NOTHING = ("CH1", "CH2", "CH3", "CH4", "CH5"), ("A", "B", "C", "D", "E"), ("Channel 1", "Channel 2", "Channel 3", "Channel 4",
           "Channel 5"), ("Kanal 1", "Kanal 2", "Kanal 3", "Kanal 4", "Kanal 5"), ("v1", "v2", "v3", "v4", "v5")  # fmt: skip
SCENES = ("ac start", "dc plug-in", "lock only", "contactor", "strangers", "supply")
RATE_HZ = 20_000.0
# A clamp writes volts: of one ampere so many.
CLAMPS = (0.1, 0.01, 1.0)


@dataclass
class Lane:
    """role: "" for what is none of ours; unit: of the values, shape (n,); clamp: a current told in volts."""

    role: str
    name: str
    unit: str
    values: Floats
    clamp: bool = False


def scene(rng: random.Random, named: bool, with_units: bool) -> tuple[str, float, list[Lane]]:
    """(which, samples a second, lanes)."""
    which = rng.choice(SCENES)
    noise = np.random.default_rng(rng.randrange(2**31))
    slow = which in ("strangers", "supply") and rng.random() < 0.7
    rate = 10.0 if slow else RATE_HZ
    t = np.arange(round((600.0 if slow else 6.0) * rate)) / rate
    made: list[tuple[str, str, Floats]]
    match which:
        case "ac start":
            made = [("cp", "V", _pilot(t, rng)), ("pp", "V", _coded(t, rng))]
            more = [("mains_v", "V", _mains(t, 325.0, 3.5, t[-1])), ("contactor", "V", _step(t, 3.4, 5.6, 12.0))]
            more.append(("mains_a", "A", _mains(t, rng.choice((22.6, 14.1)), 4.2, 5.5)))
            made += rng.sample(more, rng.choice((1, 2)))
        case "dc plug-in":
            made = [("cp", "V", _pilot(t, rng)), ("pp", "V", _latch(t, rng))]
            if rng.random() < 0.5:
                made.append(("lock_current", "A", _pulses(t, rng)))
        case "lock only":
            made = [
                ("lock_current", "A", _pulses(t, rng)),
                ("lock_position", "V", _step(t, 2.05, 9.0, rng.choice((3.3, 5.0, 12.0)))),
            ]
        case "contactor":
            made = [("cp", "V", _pilot(t, rng)), ("contactor", "V", _step(t, 3.4, 5.6, rng.choice((5.0, 12.0))))]
        case "strangers":
            made = [("temperature", "", 24 + 30 * (1 - np.exp(-t / (0.6 * t[-1])))),
                    ("temperature", "", 23 + 18 * (1 - np.exp(-t / (0.8 * t[-1]))))]  # fmt: skip
        case _:
            made = [("battery_12v", "V", np.where(t < 0.3 * t[-1], 12.4, 14.1)), ("pack", "V", 371 + 3 * t / t[-1])]
    rng.shuffle(made)
    words = rng.choice(NOTHING)
    lanes = []
    for number, (role, unit, values) in enumerate(made):
        span = float(np.ptp(values)) or 1.0
        values = values + noise.normal(0, 0.002 * max(span, 1.0), len(t))
        clamp = unit == "A" and with_units and rng.random() < 0.5
        if clamp:
            values, unit = values * rng.choice(CLAMPS), "V"
        name = rng.choice(NAMES[role]) if named else words[number]
        ours = role if role not in ("temperature", "battery_12v", "pack") else ""
        lanes.append(Lane(ours, name, unit if with_units else "", values, clamp))
    return which, rate, lanes


def outcome(lanes: list[Lane], measured: Measured) -> dict[str, str]:
    """channel -> “right”, “proposed” rightly, “asked” or “wrong”, with what it was taken for."""
    found = {}
    asked_of = {c.channel: (c.proposed, c.instead) for r in measured.of(UnnamedRecord) for c in r.channels}
    for lane, info in zip(lanes, measured.channels, strict=True):
        told = "" if info.role == "other" else info.role
        if told == lane.role:
            found[info.name] = "right"
        else:
            asked = "proposed" if lane.role in asked_of.get(info.name, ()) else "asked"
            found[info.name] = asked if not told else f"wrong: {lane.role or 'stranger'} for {told}"
    return found


def told(seed: int, named: bool, with_units: bool) -> tuple[str, list[Lane], Measured]:
    """(which scene, its lanes, what was made of them)."""
    which, rate, lanes = scene(random.Random(seed), named, with_units)
    waves = tuple(Waveform(lane.name, lane.values.astype(np.float32), rate, 0.0, lane.unit) for lane in lanes)
    return which, lanes, measure_recording(Recording(waves, "scope-csv"))


def _pilot(t: Floats, rng: random.Random) -> Floats:
    """A, B1, B2 and C2 at 1 kHz, or already under way."""
    begun = rng.random() < 0.2
    at = (-1.0, -1.0, -1.0) if begun else (1.0, 2.2, 3.2)
    level = np.where(t < at[0], 12.0, np.where(t < at[2], 9.0, 6.0))
    swings = (t * 1000.0) % 1.0 < rng.choice((0.05, 0.25, 0.533))
    return np.where((t < at[1]) | swings, level, -12.0)


def _coded(t: Floats, rng: random.Random) -> Floats:
    """Cable coding through a pull-up: 5 V, 3.3 V or 12 V with 330 ohm to 3.3 kohm. Resistances: IEC 61851-1, table B.2."""
    supply, pull = rng.choice(((5.0, 330.0), (5.0, 1000.0), (3.3, 1000.0), (12.0, 3300.0), (5.0, 470.0)))
    ohms = rng.choice((1500.0, 680.0, 220.0, 100.0))
    return np.where(t < 0.8, supply, supply * ohms / (pull + ohms))


def _latch(t: Floats, rng: random.Random) -> Floats:
    """A latch switch: 5 V over 330 ohm beside 2.7 kohm; 150 ohm latched, 480 ohm pressed. SAE J1772."""
    return np.where(t < 0.6, 4.46, np.where(t < 0.9, 2.77, 1.51))


def _pulses(t: Floats, rng: random.Random) -> Floats:
    """Inrush, free run and stall of a motor: one pulse, or three where something is in the way; then one back."""
    found = np.zeros_like(t)
    peak = rng.choice((0.6, 1.2, 2.4))
    starts = (1.9, 2.9, 3.9) if rng.random() < 0.4 else (1.9,)
    for start, sign in [*((s, 1.0) for s in starts), *([(5.3, -1.0)] if rng.random() < 0.5 else [])]:
        s = t - start
        on = (s >= 0) & (s < 0.35)
        found += np.where(on, sign * peak * (0.35 + 0.65 * np.exp(-s / 0.01) + np.where(s > 0.22, 0.6, 0.0)), 0.0)
    return found


def _mains(t: Floats, peak: float, first: float, last: float) -> Floats:
    return np.where((t > first) & (t < last), peak * np.sin(2 * np.pi * 50 * t), 0.0)


def _step(t: Floats, first: float, last: float, high: float) -> Floats:
    return np.where((t > first) & (t < last), high, 0.0)
