"""The demo's power records: stays played by the simulator, written as the displays, loggers and meters of the harbour do."""

from __future__ import annotations

import io
from datetime import UTC, datetime, timedelta
from functools import lru_cache

import numpy as np
import openpyxl

from gladwire.core.simulate.charge import Car, Course, Spell, Stay, charge

SKUA_LONG = Car(
    cells=108, kwh=74.0, curve=((0, 100), (6, 158), (42, 158), (55, 118), (66, 92), (78, 64), (90, 28), (100, 5))
)
PETREL_BOX = Car(
    cells=96, kwh=52.0, curve=((0, 70), (8, 96), (52, 96), (64, 70), (76, 50), (88, 24), (100, 4)), most_a=290.0
)
GANNET_14 = Car(cells=192, kwh=216.0, curve=((0, 180), (70, 180), (80, 120), (92, 50), (100, 10)), converter_kw=58.0)
AUK_TUG = Car(cells=96, kwh=38.0, curve=((0, 60), (70, 60), (82, 40), (95, 12), (100, 3)), most_a=190.0)

STAYS: dict[str, Stay] = {
    "warm": Stay(SKUA_LONG, 11.0, 80.0, kw=180.0, amps=375.0, pack_c=29.0),
    "shared": Stay(SKUA_LONG, 18.0, 80.0, kw=180.0, amps=375.0, pack_c=28.0, spells=(Spell(7.2, 17.9, 90.0),), seed=5),
    "neighbour": Stay(PETREL_BOX, 22.0, 60.0, kw=90.0, amps=375.0, pack_c=26.0, seed=6),
    "shared_again": Stay(
        SKUA_LONG, 12.0, 80.0, kw=180.0, amps=375.0, pack_c=27.0, spells=(Spell(5.6, 15.2, 90.0),), seed=21
    ),
    "neighbour_again": Stay(PETREL_BOX, 30.0, 60.0, kw=90.0, amps=375.0, pack_c=25.0, seed=22),
    "converter": Stay(GANNET_14, 9.0, 60.0, kw=150.0, amps=400.0, volts=500.0, pack_c=25.0),
    "cold": Stay(PETREL_BOX, 24.0, 80.0, kw=150.0, amps=400.0, pack_c=1.5, air_c=-4.0),
    "van_warm": Stay(PETREL_BOX, 20.0, 80.0, kw=150.0, amps=400.0, pack_c=27.0, air_c=12.0, seed=8),
    "warm_cable": Stay(
        SKUA_LONG, 8.0, 70.0, kw=180.0, amps=375.0, pack_c=30.0, heats_c=125.0, fold_c=72.0, air_c=23.0, seed=9
    ),
    "first_part": Stay(SKUA_LONG, 16.0, 80.0, kw=180.0, amps=375.0, stop_min=9.4, after_s=40.0, seed=10),
    "second_part": Stay(SKUA_LONG, 42.0, 80.0, kw=180.0, amps=375.0, pack_c=31.0, seed=11),
    "buffer": Stay(SKUA_LONG, 12.0, 74.0, kw=150.0, amps=400.0, buffer_kwh=21.0, grid_kw=44.0, seed=12),
    "hot": Stay(SKUA_LONG, 20.0, 80.0, kw=180.0, amps=375.0, pack_c=38.5, cooled=False, air_c=27.0, seed=17),
    "adapter": Stay(AUK_TUG, 15.0, 85.0, kw=60.0, amps=100.0, seed=13),
    "modules": Stay(SKUA_LONG, 13.0, 80.0, kw=90.0, amps=375.0, seed=14),
    "stairs": Stay(PETREL_BOX, 30.0, 90.0, kw=150.0, amps=400.0, stairs=6.0, seed=15),
}


@lru_cache(maxsize=32)
def course(stay: str) -> Course:
    return charge(STAYS[stay])


def _seen(values: np.ndarray, step: float, seed: int, noise: float = 0.0) -> np.ndarray:
    """As a display or meter shows it: a little noise, rounded to its step."""
    rng = np.random.default_rng(seed)
    return np.asarray(np.round((values + rng.normal(0.0, noise, len(values)) if noise else values) / step) * step)


def logger(stay: str, begun: str, every_s: int = 1) -> bytes:
    """A logger at the post: date and time, volts, amperes, kW, the post's SoC."""
    c, seed = course(stay), STAYS[stay].seed
    start = datetime.fromisoformat(begun)
    rows = ["# read at: post", "Timestamp,DC voltage (V),DC current (A),Power (kW),SOC (%)"]
    volts, amps = _seen(c.volts, 0.1, seed, 0.15), _seen(c.amps, 0.1, seed + 1, 0.2)
    for i in range(0, len(c.time_s), every_s):
        at = start + timedelta(seconds=float(c.time_s[i]))
        kw = volts[i] * amps[i] * 1e-3
        rows.append(f"{at:%Y-%m-%d %H:%M:%S},{volts[i]:.1f},{amps[i]:.1f},{kw:.2f},{int(c.soc[i])}")
    return ("\n".join(rows) + "\n").encode()


def with_temperatures(stay: str, begun: str) -> bytes:
    """A service laptop at the cabinet: semicolons, decimal commas, connector and pack temperature, every 2 s."""
    c, seed = course(stay), STAYS[stay].seed
    start = datetime.fromisoformat(begun)
    rows = ["Source: post, service port", "Time;Voltage [V];Current [A];SoC [%];Connector temp [°C];Battery temp [°C]"]
    amps = _seen(c.amps, 0.5, seed, 0.3)
    for i in range(0, len(c.time_s), 2):
        at = start + timedelta(seconds=float(c.time_s[i]))
        cells = (
            f"{c.volts[i]:.1f}",
            f"{amps[i]:.1f}",
            f"{int(c.soc[i])}",
            f"{c.connector_c[i]:.1f}",
            f"{c.pack_c[i]:.0f}",
        )
        rows.append(";".join([f"{at:%Y-%m-%d %H:%M:%S}", *(cell.replace(".", ",") for cell in cells)]))
    return ("\n".join(rows) + "\n").encode()


def typed(stay: str, every_s: int, begun: str) -> bytes:
    """Readings typed from the car's display: kW and SoC only, a few words above."""
    c = course(stay)
    rows = ["# read at: vehicle", f"# begun {begun}", "Time [s],Power [kW],State of charge [%]"]
    for i in range(0, len(c.time_s), every_s):
        rows.append(f"{c.time_s[i]:g},{c.car_kw[i]:.0f},{int(c.soc[i])}")
    return ("\n".join(rows) + "\n").encode()


def book(stay: str, begun: str, every_s: int = 5) -> bytes:
    """A workbook in which the post's and the car's display stand side by side."""
    c, seed = course(stay), STAYS[stay].seed
    start = datetime.fromisoformat(begun)
    workbook = openpyxl.Workbook()
    sheet = workbook.active
    assert sheet is not None
    sheet.append(["Ferry queue, two displays filmed together"])
    sheet.append(["Time", "Post display kW", "Car display kW", "Car SoC %"])
    post = _seen(c.kw, 0.1, seed, 0.08)
    for i in range(0, len(c.time_s), every_s):
        sheet.append(
            [start + timedelta(seconds=float(c.time_s[i])), float(post[i]), round(float(c.car_kw[i])), int(c.soc[i])]
        )
    workbook.properties.created = workbook.properties.modified = datetime(2026, 10, 1, tzinfo=UTC).replace(tzinfo=None)
    out = io.BytesIO()
    workbook.save(out)
    return out.getvalue()


def ac_meter(phases: int, minutes: int, begun: str, amps: float = 16.0) -> bytes:
    """An energy meter at an AC post: power every ten seconds, kWh."""
    rng = np.random.default_rng(20)
    start = datetime.fromisoformat(begun)
    rows = ["Meter log", "Date;P [W];Energy [kWh]"]
    total = 0.0
    for i in range(0, minutes * 60, 10):
        watts = 0.0 if i < 30 else phases * 231.0 * amps * min(1.0, (i - 20) / 20.0) + float(rng.normal(0, 8))
        rows.append(f"{start + timedelta(seconds=i):%d.%m.%Y %H:%M:%S};{watts:.0f};{total:.2f}".replace(".", ",", 0))
        total += watts * 10 / 3.6e6
    return ("\n".join(rows) + "\n").encode()
