"""Simulates whole captures of a control pilot with ngspice (Debian package `ngspice`), faults arising in the circuit.

python scripts/pilot/make_circuits.py [NAME...]  writes gladwire/benchmarks/blind/outside/pilots/NAME.npz: `post` and `inlet`,
int16 millivolts of CP to PE at either end, 250 kS/s. Values of the parts from memory of IEC 61851-1 Annex A.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

OUT = Path(__file__).resolve().parents[2] / "gladwire/benchmarks/blind/outside/pilots"
STEP_S = 4e-6
CIRCUIT = """* control pilot, both ends and the cable between
{source}Rsource gen cp {source_ohm}
Cpost cp 0 {post_farad}
Rleak cp 0 {leak_ohm}
Vshort short 0 PWL({short})
Sshort cp 0 short 0 made
Rcore cp core {core_ohm}
Vplug plug 0 PWL({plug})
Splug core vin plug 0 made
Rearth car 0 {earth_ohm}
Ccar vin car {car_farad}
Ddiode vin k dsmall
Rshort vin k {diode_ohm}
Rprobe vin car 10meg
R2 k car {r2_ohm}
Vask ask 0 PWL({asks})
Sask k r3 ask 0 made
R3 r3 car {r3_ohm}
Vfan fan 0 PWL({fan})
Sfan k r4 fan 0 made
R4 r4 car 270
.model made sw(vt=0.5 vh=0.1 ron=0.02 roff=1e10)
.model dsmall d(is=2.52n n=1.752 rs=0.568 cjo=4p tt=20n)
.tran 4u {seconds} 0 5u
.control
run
let inlet = v(vin) - v(car)
linearize v(cp) inlet
set wr_singlescale
option numdgt=10
wrdata out.txt v(cp) inlet
.endc
.end
"""


@dataclass
class Play:
    """source: (seconds from, what), what: "high", "zero", "minus", or the duty in percent. plug, asks, fan, short: moments at
    which the switch turns, first to closed. Parts in ohms and farads."""

    seconds: float
    source: tuple[tuple[float, str | float], ...]
    plug: tuple[float, ...] = (0.4,)
    asks: tuple[float, ...] = ()
    fan: tuple[float, ...] = ()
    short: tuple[float, ...] = ()
    plus_v: float = 12.0
    minus_v: float = -12.0
    hertz: float = 1000.0
    parts: dict[str, float] = field(default_factory=dict)


PARTS = {
    "source_ohm": 1000.0,
    "post_farad": 0.6e-9,
    "car_farad": 1.2e-9,
    "leak_ohm": 1e9,
    "core_ohm": 0.05,
    "earth_ohm": 0.05,
    "diode_ohm": 1e12,
    "r2_ohm": 2740.0,
    "r3_ohm": 1300.0,
}


def usual(duty: float, end: float = 4.6, **more: object) -> Play:
    """A usual start: plugged in, offered, asked for, ended by the vehicle, drawn."""
    given = {
        "plug": (0.4, end - 0.3),
        "asks": (1.5, end - 1.2),
        "source": ((0.0, "high"), (1.0, duty), (end - 0.8, "high")),
    }
    return Play(**{"seconds": end, **given, **more})  # type: ignore[arg-type]


def cut(duty: float, at: float, what: str | float, end: float) -> tuple[tuple[float, str | float], ...]:
    return ((0.0, "high"), (1.0, duty), (at, what), *(((end, "high"),) if end else ()))


PLAYS = {
    "healthy_16": usual(26.7),
    "healthy_32": usual(53.3, hertz=1003.0, plus_v=11.8, minus_v=-11.9),
    "healthy_6": usual(10.0, parts={"car_farad": 2.4e-9}),
    "healthy_bounces": usual(26.7, plug=(0.4, 0.406, 0.41, 0.423, 0.425, 0.431, 0.44, 4.3)),
    "healthy_pause": usual(26.7, 6.4, asks=(1.5, 2.9, 4.1, 5.2)),
    "healthy_talks": usual(5.0, 5.5, asks=(3.2, 4.3)),
    "core_300": usual(26.7, parts={"core_ohm": 300.0}),
    "core_900": usual(16.7, parts={"core_ohm": 900.0}),
    "earth_500": usual(26.7, parts={"earth_ohm": 500.0}),
    "wet": usual(26.7, parts={"leak_ohm": 4700.0}),
    "shorted_in_charge": usual(26.7, 8.5, short=(5.5,), plug=(0.4,), asks=(1.5,), source=((0.0, "high"), (1.0, 26.7))),
    "shorted_in_waiting": Play(3.5, ((0.0, "high"),), short=(1.4,)),
    "dead_in_charge": usual(26.7, 8.5, plug=(0.4,), asks=(1.5,), source=cut(26.7, 5.5, "zero", 0.0)),
    "minus_in_charge": usual(26.7, 8.5, plug=(0.4,), asks=(1.5, 5.7), source=cut(26.7, 5.5, "minus", 7.5)),
    "minus_in_waiting": Play(4.0, ((0.0, "high"), (1.6, "minus")), plug=(0.4,)),
    "rests_before_anew": Play(9.0, ((0.0, "high"), (1.0, 5.0), (2.5, "minus"), (6.9, "high"), (7.3, 5.0)), asks=(8.2,)),
    "core_opens": usual(
        26.7,
        4.5,
        plug=(0.4, 2.2, 2.23, 2.6, 2.7, 3.0, 3.012, 3.5, 3.56),
        asks=(1.5,),
        source=((0.0, "high"), (1.0, 26.7)),
    ),
    "drawn": usual(33.3, 8.0, plug=(0.4, 5.6), asks=(1.5,), source=cut(33.3, 5.65, "high", 0.0)),
    "diode_shorted": usual(26.7, parts={"diode_ohm": 1.0}),
    "never_asks": Play(9.0, ((0.0, "high"), (1.0, 26.7))),
    "asks_for_air": usual(26.7, fan=(1.5, 3.4), asks=()),
    "weak_source": usual(26.7, plus_v=10.1, minus_v=-10.0),
    "one_rail": usual(26.7, minus_v=-8.6),
    "off_frequency": usual(26.7, hertz=1062.0),
    "steps_down": usual(
        53.3, 10.5, asks=(1.5, 9.6), plug=(0.4, 10.2), source=((0.0, "high"), (1.0, 53.3), (5.5, 16.7), (9.8, "high"))
    ),
    "withdrawn": usual(26.7, 8.5, asks=(1.5, 7.2), plug=(0.4,), source=cut(26.7, 5.6, "high", 0.0)),
    "hunts": usual(
        26.7, 9.0, plug=(0.4,), asks=(1.5, 2.3, 3.2, 4.0, 5.0, 5.8, 6.7, 7.5), source=((0.0, "high"), (1.0, 26.7))
    ),
    "alone": Play(2.0, ((0.0, 26.7),), plug=(9.0,)),
    "nothing_offered": Play(9.0, ((0.0, "high"),)),
    "unavailable": Play(3.0, ((0.0, "minus"),)),
    "healthy_bounces_out": usual(33.3, plug=(0.4, 4.3, 4.304, 4.31, 4.322, 4.33, 4.335, 4.36)),
    "healthy_regulated": usual(
        53.3,
        10.0,
        source=(
            (0.0, "high"),
            (1.0, 53.3),
            (3.0, 46.7),
            (4.0, 40.0),
            (5.0, 33.3),
            (6.0, 40.0),
            (7.0, 53.3),
            (9.2, "high"),
        ),
    ),
    "healthy_wakes": usual(26.7, 6.5, asks=(1.5, 1.8, 2.6, 5.2)),
    "healthy_twice": usual(
        16.7,
        8.4,
        plug=(0.4, 2.9, 4.3, 8.1),
        asks=(1.5, 2.2, 5.6, 7.2),
        source=((0.0, "high"), (1.0, 16.7), (2.95, "high"), (4.9, 16.7), (7.5, "high")),
    ),
    "request_high": usual(26.7, parts={"r3_ohm": 2700.0}),
    "presence_high": usual(26.7, parts={"r2_ohm": 4500.0}),
    "half_leak": usual(26.7, parts={"leak_ohm": 9000.0}),
    "duty_3": Play(8.0, ((0.0, "high"), (1.0, 1.5))),
    "duty_7_5": Play(8.0, ((0.0, "high"), (1.0, 7.5))),
    "resets_in_charge": usual(
        26.7,
        10.5,
        plug=(0.4,),
        asks=(1.5, 5.7, 8.6),
        source=((0.0, "high"), (1.0, 26.7), (5.5, "zero"), (7.2, "high"), (8.0, 26.7)),
    ),
    "trips_again": usual(
        26.7,
        12.0,
        plug=(0.4,),
        asks=(1.5, 3.6, 6.2, 8.1),
        source=((0.0, "high"), (1.0, 26.7), (3.5, "minus"), (5.0, "high"), (5.6, 26.7), (8.0, "minus")),
    ),
    "earth_opens": usual(26.7, 6.0, plug=(0.4, 3.0, 3.4, 4.1, 5.0), asks=(1.5,), source=((0.0, "high"), (1.0, 26.7))),
    "core_worsens": usual(21.7, 6.0, parts={"core_ohm": 1500.0}),
    "source_drops": usual(26.7, plus_v=9.4, minus_v=-11.9),
}


def of_source(play: Play) -> str:
    """The open-circuit volts: one level and one oscillation for every span, each chosen while it lasts. 2 us an edge."""
    bounds = [*(t for t, _ in play.source), play.seconds + 1.0]
    flat = {"high": play.plus_v, "zero": 0.0, "minus": play.minus_v}
    lines, sum_ = [], []
    for k, ((begins, what), ends) in enumerate(zip(play.source, bounds[1:], strict=True)):
        chosen = "0 1" if begins == 0 else f"0 0 {begins:.6f} 0 {begins + 2e-6:.6f} 1"
        lines.append(f"Vsel{k} sel{k} 0 PWL({chosen} {ends:.6f} 1 {ends + 2e-6:.6f} 0)")
        period = 1.0 / play.hertz
        lines.append(
            f"Vat{k} at{k} 0 {flat[what]}"
            if isinstance(what, str)
            else f"Vat{k} at{k} 0 PULSE({play.minus_v} {play.plus_v} {begins} 2u 2u "
            f"{period * what / 100 - 2e-6:.9f} {period:.9f})"
        )
        sum_.append(f"V(sel{k})*V(at{k})")
    return "\n".join([*lines, f"Bgen gen 0 V = {' + '.join(sum_)}"]) + "\n"


def switched(moments: tuple[float, ...]) -> str:
    corners, is_made = ["0 0"], 0
    for at in moments:
        corners.append(f"{at:.6f} {is_made}")
        is_made = 1 - is_made
        corners.append(f"{at + 1e-6:.6f} {is_made}")
    return " ".join(corners)


def simulated(play: Play) -> dict[str, np.ndarray]:
    with tempfile.TemporaryDirectory() as folder:
        turns = {key: switched(getattr(play, key)) for key in ("plug", "asks", "fan", "short")}
        text = CIRCUIT.format(seconds=play.seconds, source=of_source(play), **{**PARTS, **play.parts}, **turns)
        Path(folder, "pilot.cir").write_text(text)
        run = subprocess.run(["ngspice", "-b", "pilot.cir"], cwd=folder, capture_output=True, text=True, check=False)
        out = Path(folder, "out.txt")
        if not out.exists():
            raise SystemExit(run.stdout[-2000:] + run.stderr[-2000:])
        table = np.loadtxt(out)
    even = np.arange(0.0, play.seconds, STEP_S)
    return {
        name: np.round(1000.0 * np.interp(even, table[:, 0], table[:, column])).astype(np.int16)
        for name, column in (("post", 1), ("inlet", 2))
    }


if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    for name in sys.argv[1:] or PLAYS:
        np.savez_compressed(OUT / f"{name}.npz", **simulated(PLAYS[name]))
        print(name, flush=True)
