"""Charges whole packs of published cells by a battery modelling package, held by one limiter after another.

In an environment of its own (pip install pybamm):  python scripts/power/make_sessions.py [NAME...]
writes gladwire/benchmarks/blind/outside/power/NAME.csv, a row every 5 s. Each step is what one party allows: amperes or
kilowatts of the pack for a time, or until the cells' volts, then a hold of volts.
"""

from __future__ import annotations

import csv
import sys
from pathlib import Path
from typing import NamedTuple

import pybamm

OUT = Path(__file__).resolve().parents[2] / "gladwire/benchmarks/blind/outside/power"
EVERY_S = 5


class Cells(NamedTuple):
    """published: the package's name of the parameter set. top_v: where the cells are held."""

    published: str
    model: type
    series: int
    parallel: int
    top_v: float


NICKEL = Cells("Chen2020", pybamm.lithium_ion.SPMe, 96, 36, 4.2)
NICKEL_HIGH = Cells("Chen2020", pybamm.lithium_ion.SPMe, 198, 22, 4.2)
PHOSPHATE = Cells("Prada2013", pybamm.lithium_ion.SPM, 104, 60, 3.6)


class Step(NamedTuple):
    """who: the limiter. what: ("A" or "kW", how many) of the pack, or ("V", 0), the cells' top volts. ends: seconds, or None
    for the top volts (a hold of them: for an eighth of the current)."""

    who: str
    what: tuple[str, float]
    ends: float | None


class Play(NamedTuple):
    cells: Cells
    from_percent: float
    steps: tuple[Step, ...]


HOLD = Step("vehicle_taper", ("V", 0.0), None)


def stairs(amps: tuple[float, ...], each_s: float) -> tuple[Step, ...]:
    """Ever less; the last until the top, where volts are held."""
    steps = [Step("vehicle_taper", ("A", a), each_s) for a in amps]
    return (*steps[:-1], steps[-1]._replace(ends=None), HOLD)


RAMP = tuple(Step("ramp", ("A", a), 5.0) for a in (20.0, 45.0, 70.0, 95.0))

PLAYS: dict[str, Play] = {
    "post_amps": Play(NICKEL, 20, (*RAMP, Step("evse_current", ("A", 125.0), None), HOLD)),
    "post_amps_high": Play(NICKEL_HIGH, 12, (*RAMP, Step("evse_current", ("A", 100.0), None), HOLD)),
    "post_kw": Play(NICKEL, 15, (*RAMP, Step("evse_power", ("kW", 50.0), None), HOLD)),
    "post_kw_high": Play(NICKEL_HIGH, 25, (*RAMP, Step("evse_power", ("kW", 75.0), None), HOLD)),
    "post_kw_flat": Play(PHOSPHATE, 15, (*RAMP, Step("evse_power", ("kW", 50.0), 2400), *stairs((110.0, 80.0), 300))),
    "cable": Play(NICKEL, 10, (*RAMP, Step("cable_rating", ("A", 200.0), 900), *stairs((150.0, 110.0, 80.0), 400))),
    "adapter": Play(NICKEL, 22, (*RAMP, Step("adapter", ("A", 150.0), 1200), *stairs((110.0, 80.0), 400))),
    "boost": Play(
        NICKEL,
        10,
        (
            *RAMP,
            Step("cable_rating", ("A", 260.0), 300),
            Step("cable_rating", ("A", 200.0), 700),
            *stairs((140.0, 90.0), 400),
        ),
    ),
    "stairs": Play(NICKEL, 12, (*RAMP, *stairs((240.0, 205.0, 175.0, 140.0, 110.0, 75.0), 330))),
    "stairs_flat": Play(PHOSPHATE, 8, (*RAMP, *stairs((230.0, 190.0, 150.0, 100.0), 500))),
    "vehicle_amps": Play(NICKEL, 30, (*RAMP, Step("vehicle_limit", ("A", 110.0), None), HOLD)),
    "neighbour": Play(
        NICKEL,
        20,
        (
            *RAMP,
            Step("evse_power", ("kW", 75.0), 420),
            Step("shared_cabinet", ("kW", 37.5), 540),
            Step("evse_power", ("kW", 75.0), None),
            HOLD,
        ),
    ),
    "neighbour_stays": Play(
        NICKEL, 18, (*RAMP, Step("evse_power", ("kW", 70.0), 480), Step("shared_cabinet", ("kW", 35.0), 2400))
    ),
    "buffer": Play(NICKEL, 12, (*RAMP, Step("evse_power", ("kW", 80.0), 700), Step("site_supply", ("kW", 38.0), 2000))),
    "throttled": Play(
        NICKEL, 15, (*RAMP, Step("evse_current", ("A", 200.0), 480), Step("vehicle_limit", ("A", 70.0), 1500))
    ),
}


def played(play: Play) -> list[tuple[float, float, float, float, str]]:
    cells = play.cells
    values = pybamm.ParameterValues(cells.published)
    asked = []
    for step in play.steps:
        kind, size = step.what
        if kind == "V":
            asked.append(f"Hold at {cells.top_v} V until C/8")
            continue
        one = size / cells.parallel if kind == "A" else 1000.0 * size / cells.series / cells.parallel
        until = f"until {cells.top_v} V" if step.ends is None else f"for {step.ends:g} seconds or until {cells.top_v} V"
        asked.append(f"Charge at {one:.5f} {'A' if kind == 'A' else 'W'} {until}")
    experiment = pybamm.Experiment(asked, period=f"{EVERY_S} seconds")
    simulation = pybamm.Simulation(cells.model(), parameter_values=values, experiment=experiment)
    solution = simulation.solve(initial_soc=play.from_percent / 100.0)
    capacity = float(values["Nominal cell capacity [A.h]"])
    rows, amp_hours, last = [], 0.0, 0.0
    for step, cycle in zip(play.steps, solution.cycles, strict=False):
        times = cycle["Time [s]"].entries
        volts = cycle["Terminal voltage [V]"].entries
        amps = -cycle["Current [A]"].entries
        for t, v, a in zip(times, volts, amps, strict=True):
            amp_hours += a * (t - last) / 3600.0
            last = t
            soc = play.from_percent + 100.0 * amp_hours / capacity
            rows.append((float(t), float(v) * cells.series, float(a) * cells.parallel, soc, step.who))
    return rows


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    for name in sys.argv[1:] or PLAYS:
        rows = played(PLAYS[name])
        with (OUT / f"{name}.csv").open("w", newline="") as file:
            writer = csv.writer(file)
            writer.writerow(("time_s", "volts_v", "amps_a", "soc_percent", "held_by"))
            kept = -1.0
            for t, v, a, soc, who in rows:
                if t >= kept + EVERY_S - 0.01:
                    writer.writerow((round(t), f"{v:.2f}", f"{a:.2f}", f"{soc:.2f}", who))
                    kept = t
        last = rows[-1]
        print(f"{name}: {last[0]:.0f} s, {last[3]:.0f} %, pybamm {pybamm.__version__}")


if __name__ == "__main__":
    main()
