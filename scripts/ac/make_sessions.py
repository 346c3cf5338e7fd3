"""Simulates what lies beside the pilot of an AC session with ngspice: supply, contactor and charger, lock motor, proximity.

python scripts/ac/make_sessions.py [NAME...]  writes gladwire/benchmarks/blind/outside/ac/NAME.npz: of every lane its samples,
int16, and in `LANE_per` samples a second and units a count. Parts of pilot and proximity from memory of IEC 61851-1 and SAE
J1772; those of motor, supply and charger are common practice, no source.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np

OUT = Path(__file__).resolve().parents[2] / "gladwire/benchmarks/blind/outside/ac"
PILOT = """* control pilot at the post, and a latch-switch proximity at the inlet
Vone one 0 PWL({one})
Vtwo two 0 PULSE(-12 12 {oscillates} 2u 2u {on_us}u 1000u)
Vtell tell 0 PWL({tell})
Sone one gen quiet 0 made
Btell quiet 0 V = (V(tell) < 0.5 || V(tell) > 1.5) ? 1 : 0
Stwo two gen busy 0 made
Bbusy busy 0 V = (V(tell) > 0.5 && V(tell) < 1.5) ? 1 : 0
Rsource gen cp 1000
Cpost cp 0 1n
Vplug plug 0 PWL({plug})
Splug cp vin plug 0 made
Ccar vin 0 1.5n
Ddiode vin k dsmall
Rdiode vin k {diode_ohm}
R2 k 0 2740
Vdown down 0 PWL({down})
Sdown vin 0 down 0 made
Vask ask 0 PWL({asks})
Sask k r3 ask 0 made
R3 r3 0 1300
Vpull pull 0 5
Rpull pull px 330
Rinlet px 0 2700
Vseat seat 0 PWL({proximity})
Sseat px pin seat 0 made
Rcontact pin pin2 {pp_contact_ohm}
Rplug pin2 pin3 150
Rlatch pin3 0 330
Vlatch latch 0 PWL({latch})
Slatch pin3 0 latch 0 open
.model made sw(vt=0.5 vh=0.1 ron=0.02 roff=1e10)
.model open sw(vt=0.5 vh=0.1 ron=1e10 roff=0.02)
.model dsmall d(is=2.52n n=1.752 rs=0.568 cjo=4p tt=20n)
.tran 20u {seconds} 0 20u
.control
run
linearize v(cp) v(px)
set wr_singlescale
option numdgt=8
wrdata out.txt v(cp) v(px)
.endc
.end
"""
# Speed is the volts of a capacitor, travel those of another: 1 is locked.
MOTOR = """* lock actuator: bridge, motor with its back EMF, spindle between two stops, position switch
Vdrive drive 0 PWL({drive})
Rbridge drive a {motor_ohm}
Lmotor a b 6m
Vsense b c 0
Bemf c 0 V = 0.9*V(w)
Bw 0 w I = 0.9*I(Vsense) - 0.06*V(w) - 0.25*tanh(V(w)*20) - stop(V(x)) - 0.05*V(w)*(V(x)>{stop_at} || V(x)<0 ? 60 : 0)
Cw w 0 0.004
Rw w 0 1e6
Bx 0 x I = V(w)
Cx x 0 {travel}
.func stop(x) = {{400*max(x-{stop_at},0) + 400*min(x,0)}}
.ic v(x)=0 v(w)=0
Bpos pos 0 V = {position}
.tran 200u {seconds} 0 100u uic
.control
run
linearize i(Vsense) v(pos)
set wr_singlescale
option numdgt=8
wrdata out.txt i(Vsense) v(pos)
.endc
.end
"""
SUPPLY = """* mains, contactor with its coil, lead and charger: phase {phase}
Vgrid grid 0 DC 0 SIN(0 {peak} 50 0 0 {degrees})
Vfifth fifth grid SIN(0 {fifth} 250 0 0 {degrees5})
Vfeed feed 0 PWL({feed})
Sfeed fifth line0 feed 0 made
Rline line0 line1 {line_ohm}
Lline line1 line 120u
Vcoil coil 0 PWL({coil})
Scontact line out coil 0 pole
Cx out 0 {x_farad}
Rbleed out 0 {bleed_ohm}
Vwant want 0 PWL({want})
Bcharger out 0 I = V(want)*1.41421*(V(out)/325)*(abs(V(out))<15 ? 0.3 : 1)*(1 + 0.06*cos(2*3.14159*150*time))
.model made sw(vt=0.5 vh=0.1 ron=0.001 roff=1e9)
.model pole sw(vt=0.5 vh=0.1 ron=0.002 roff=2e7)
.tran 100u {seconds} 0 50u
.control
run
let amps = (v(line0)-v(line1))/{line_ohm}
linearize v(out) amps
set wr_singlescale
option numdgt=8
wrdata out.txt v(out) amps
.endc
.end
"""
Steps = tuple[tuple[float, float], ...]


@dataclass
class Play:
    """Moments in seconds. source: (from, what) with "high", "zero", "minus" or a duty in percent, one duty only. plug,
    latch, proximity, asks: moments at which that switch turns, first to closed (the latch: to pressed). closed: at which
    the contact turns, per phase or of all. down: at which the pilot behind the plug touches earth and no more. amps: what
    the charger takes from then on, of all phases or per phase. drive: volts of the lock's bridge from then on. stop_at:
    where the pin meets something; 1 where it should."""

    seconds: float = 8.0
    source: tuple[tuple[float, str | float], ...] = ((0.0, "high"), (1.2, 26.7), (7.2, "high"))
    plug: tuple[float, ...] = (0.5, 7.7)
    latch: tuple[float, ...] = ()
    proximity: tuple[float, ...] = ()
    asks: tuple[float, ...] = (2.0, 6.8)
    closed: tuple[tuple[float, ...], ...] = ((2.35, 6.88),)
    feed: tuple[float, ...] = (0.0,)
    amps: tuple[Steps, ...] = (((3.2, 6.0), (3.5, 12.0), (3.8, 15.2), (6.7, 4.0), (6.75, 0.0)),)
    drive: Steps = ((0.9, 12.0), (1.25, 0.0), (7.05, -12.0), (7.4, 0.0))
    stop_at: float = 1.0
    position: str = "V(x)>0.8 ? 5 : 0.1"
    bounce: bool = True
    volts: tuple[float, ...] = (230.0,)
    line_ohm: float = 0.15
    x_farad: float = 2e-6
    bleed_ohm: float = 330e3
    pp_contact_ohm: float = 0.05
    diode_ohm: float = 1e9
    down: tuple[float, ...] = ()
    motor_ohm: float = 7.0
    travel: float = 1.4
    lanes: tuple[str, ...] = ("cp", "px", "lock_a", "lock_at", "u", "i")
    phases: int = 1
    coil: tuple[float, ...] = ()


_THREE = ((2.35, 6.88),) * 3
_FULL = (((3.2, 6.0), (3.6, 15.4), (6.7, 0.0)),) * 3
_TRIES: Steps = tuple(
    (t + d, v) for t in (0.9, 2.1, 3.3) for d, v in ((0.0, 12.0), (0.5, 0.0), (0.55, -12.0), (0.8, 0.0))
)

PLAYS = {
    "healthy": Play(),
    "healthy_three": Play(phases=3, closed=_THREE, amps=_FULL, lanes=("cp", "u", "i")),
    "healthy_heater": Play(amps=(((0.0, 13.0),),), lanes=("cp", "u", "i", "lock_a")),
    "healthy_slow_to_draw": Play(
        10.0,
        ((0.0, "high"), (1.2, 26.7), (9.2, "high")),
        (0.5, 9.7),
        asks=(2.0, 8.8),
        closed=((2.9, 8.88),),
        amps=(((6.0, 6.0), (6.6, 15.6), (8.7, 0.0)),),
        drive=((0.9, 12.0), (1.25, 0.0), (9.05, -12.0), (9.4, 0.0)),
    ),
    "healthy_residual": Play(x_farad=6e-6, bleed_ohm=1e6, lanes=("cp", "u", "i")),
    "healthy_full_tapers": Play(
        12.0,
        ((0.0, "high"), (1.2, 26.7), (11.2, "high")),
        (0.5, 11.7),
        asks=(2.0, 10.8),
        closed=((2.4, 10.88),),
        amps=(((3.2, 15.6), (6.5, 13.0), (7.5, 10.5), (8.5, 8.0), (9.5, 6.2), (10.5, 0.0)),),
        drive=((0.9, 12.0), (1.25, 0.0), (11.05, -12.0), (11.4, 0.0)),
        lanes=("cp", "lock_a", "u", "i"),
    ),
    "healthy_lock_retries": Play(
        stop_at=1.0, drive=((0.9, 12.0), (1.0, 0.0), (1.15, 12.0), (1.5, 0.0), (7.05, -12.0), (7.4, 0.0))
    ),
    "lock_obstructed": Play(stop_at=0.35, drive=_TRIES, asks=(), closed=((),), plug=(0.5,), source=((0.0, "high"),)),
    "lock_obstructed_short": Play(
        6.0,
        ((0.0, "high"),),
        (0.5,),
        stop_at=0.1,
        drive=tuple((t + d, v) for t in (0.9, 1.9) for d, v in ((0.0, 12.0), (0.4, 0.0))),
        asks=(),
        closed=((),),
        lanes=("cp", "lock_a", "lock_at"),
    ),
    "lock_switch_dead": Play(
        position="0.12",
        lanes=("cp", "lock_a", "lock_at"),
        asks=(),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
        drive=((0.9, 12.0), (1.3, 0.0)),
    ),
    "lock_actuator_open": Play(
        motor_ohm=1e6,
        position="0.12",
        asks=(),
        closed=((),),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
        lanes=("cp", "lock_a", "lock_at"),
    ),
    "lock_stays": Play(9.0, drive=((0.9, 12.0), (1.25, 0.0)), plug=(0.5,), lanes=("cp", "lock_a", "lock_at", "i")),
    "lock_jams_at_end": Play(
        10.0,
        plug=(0.5,),
        position="time<3 ? (V(x)>0.8 ? 5 : 0.1) : 5",
        drive=((0.9, 12.0), (1.25, 0.0), (7.05, -12.0), (7.5, 0.0), (8.2, -12.0), (8.65, 0.0)),
        lanes=("cp", "lock_a", "lock_at", "i"),
    ),
    "latch_leaned_on": Play(
        latch=(4.4, 5.9),
        asks=(2.0, 4.5),
        closed=((2.35, 4.56),),
        amps=(((3.2, 15.0), (4.45, 0.0)),),
        source=((0.0, "high"), (1.2, 26.7)),
        plug=(0.5,),
        lanes=("cp", "px", "u", "i"),
    ),
    "latch_stays_pressed": Play(
        latch=(0.2,), asks=(), closed=((),), plug=(0.5,), source=((0.0, "high"), (1.2, 26.7)), lanes=("cp", "px")
    ),
    "proximity_opens": Play(
        proximity=(0.48, 3.9, 4.05, 4.6, 4.9, 5.2),
        asks=(2.0, 4.0, 5.8, 6.9),
        closed=((2.4, 4.08),),
        amps=(((3.2, 15.0), (3.95, 0.0)),),
        source=((0.0, "high"), (1.2, 26.7)),
        plug=(0.5,),
        lanes=("cp", "px", "i"),
    ),
    "proximity_first": Play(
        proximity=(0.6,), plug=(30.0,), asks=(), closed=((),), source=((0.0, "high"),), lanes=("cp", "px")
    ),
    "contact_stays_open": Play(
        closed=((),), coil=(), lanes=("cp", "u", "i"), asks=(2.0,), plug=(0.5,), source=((0.0, "high"), (1.2, 26.7))
    ),
    "contact_not_driven": Play(
        closed=((),), lanes=("cp", "u", "coil"), asks=(2.0,), plug=(0.5,), source=((0.0, "high"), (1.2, 26.7))
    ),
    "no_feed": Play(
        feed=(99.0,),
        coil=(2.3,),
        lanes=("cp", "u", "coil"),
        asks=(2.0,),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
    ),
    "contact_welded": Play(closed=((2.35,),), coil=(2.3, 6.83), lanes=("cp", "u", "i", "coil")),
    "contact_welded_before": Play(closed=((0.0,),), lanes=("cp", "u", "i")),
    "one_pole_welded": Play(phases=3, closed=((2.35, 6.88), (2.35, 6.88), (0.0,)), amps=_FULL, lanes=("cp", "u", "i")),
    "feed_trips": Play(
        feed=(0.0, 4.6),
        asks=(2.0,),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
        closed=((2.35,),),
        lanes=("cp", "u", "i"),
    ),
    "contact_drops": Play(
        closed=((2.35, 4.2, 5.9),),
        asks=(2.0,),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
        coil=(2.3,),
        lanes=("cp", "u", "i", "coil"),
    ),
    "trips_at_energise": Play(
        closed=((2.35, 2.42),),
        asks=(2.0, 3.1),
        amps=(((2.36, 0.3),),),
        source=((0.0, "high"), (1.2, 26.7), (2.43, "minus")),
        plug=(0.5,),
        lanes=("cp", "u", "i"),
    ),
    "trips_under_load": Play(
        closed=((2.35, 5.2),),
        asks=(2.0, 5.9),
        source=((0.0, "high"), (1.2, 26.7), (5.19, "zero")),
        plug=(0.5,),
        lanes=("cp", "u", "i"),
    ),
    "never_draws": Play(
        14.0,
        amps=(((0.0, 0.05),),),
        asks=(2.0,),
        plug=(0.5,),
        closed=((2.35,),),
        source=((0.0, "high"), (1.2, 26.7)),
        lanes=("cp", "u", "i"),
    ),
    "turns_down": Play(
        13.0,
        amps=(((3.2, 15.4), (6.5, 8.1), (12.1, 0.0)),),
        asks=(2.0, 12.2),
        plug=(0.5, 12.8),
        closed=((2.35, 12.28),),
        source=((0.0, "high"), (1.2, 26.7), (12.5, "high")),
        lanes=("cp", "u", "i"),
    ),
    "one_phase_of_charger": Play(
        phases=3, closed=_THREE, amps=(_FULL[0], _FULL[0], ((0.0, 0.0),)), lanes=("cp", "u", "i")
    ),
    "one_phase_of_feed": Play(phases=3, closed=((2.35, 6.88), (), (2.35, 6.88)), amps=_FULL, lanes=("cp", "u", "i")),
    "takes_too_much": Play(
        12.0,
        amps=(((3.2, 15.4), (11.0, 0.0)),),
        source=((0.0, "high"), (1.2, 10.0), (11.5, "high")),
        asks=(2.0, 11.2),
        closed=((2.35, 11.3),),
        plug=(0.5, 11.8),
        lanes=("cp", "u", "i"),
    ),
    "small_charger": Play(
        12.0,
        amps=(((3.2, 12.8), (11.0, 0.0)),),
        source=((0.0, "high"), (1.2, 53.3), (11.5, "high")),
        asks=(2.0, 11.2),
        closed=((2.35, 11.3),),
        plug=(0.5, 11.8),
        lanes=("cp", "u", "i"),
    ),
    "healthy_ended_at_the_latch": Play(
        latch=(6.75, 7.4),
        asks=(2.0, 6.82),
        amps=(((3.2, 15.0), (6.76, 0.0)),),
        proximity=(0.48, 7.35),
        lanes=("cp", "px", "u", "i"),
    ),
    "healthy_one_of_three": Play(
        phases=3, closed=((2.35, 6.88), (), ()), amps=(_FULL[0], ((0.0, 0.0),), ((0.0, 0.0),)), lanes=("cp", "u", "i")
    ),
    "healthy_gets_full": Play(
        26.0,
        ((0.0, "high"), (1.2, 26.7), (25.2, "high")),
        (0.5, 25.7),
        asks=(2.0, 24.8),
        closed=((2.4, 24.88),),
        amps=(((3.2, 15.6), (8.0, 12.0), (12.0, 9.0), (16.0, 7.0), (20.0, 5.4), (24.5, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "healthy_pauses": Play(
        15.0,
        ((0.0, "high"), (1.2, 26.7), (14.2, "high")),
        (0.5, 14.7),
        asks=(2.0, 6.0, 9.0, 13.8),
        closed=((2.4, 6.05, 9.5, 13.87),),
        amps=(((3.2, 15.4), (5.9, 0.0), (10.2, 15.4), (13.7, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "healthy_long_feed": Play(line_ohm=0.55, lanes=("cp", "u", "i")),
    "feed_dips": Play(
        9.0,
        ((0.0, "high"), (1.2, 26.7), (8.2, "high")),
        (0.5, 8.7),
        asks=(2.0, 7.8),
        closed=((2.4, 7.88),),
        feed=(0.0, 5.0, 5.08),
        amps=(((3.2, 15.4), (7.7, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "neutral_open": Play(phases=3, closed=_THREE, amps=_FULL, volts=(285.0, 176.0, 240.0), lanes=("cp", "u", "i")),
    "lock_slow_motor": Play(
        motor_ohm=14.0, drive=((0.9, 12.0), (2.0, 0.0), (7.05, -12.0), (7.9, 0.0)), lanes=("cp", "lock_a", "lock_at")
    ),
    "lock_without_position": Play(
        stop_at=0.3, drive=_TRIES, asks=(), closed=((),), plug=(0.5,), source=((0.0, "high"),), lanes=("cp", "lock_a")
    ),
    "proximity_resistive": Play(
        pp_contact_ohm=420.0,
        asks=(),
        closed=((),),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
        lanes=("cp", "px"),
    ),
    "coil_driven_not_closing": Play(
        closed=((),),
        coil=(2.3,),
        asks=(2.0,),
        plug=(0.5,),
        source=((0.0, "high"), (1.2, 26.7)),
        lanes=("cp", "u", "coil", "i"),
    ),
    "opens_late": Play(
        9.0,
        closed=((2.35, 7.6),),
        plug=(0.5, 8.6),
        lanes=("cp", "u", "i"),
        source=((0.0, "high"), (1.2, 26.7), (8.2, "high")),
    ),
    "closes_late": Play(
        11.0,
        ((0.0, "high"), (1.2, 26.7), (10.2, "high")),
        (0.5, 10.7),
        asks=(2.0, 9.8),
        closed=((6.4, 9.88),),
        amps=(((7.2, 15.4), (9.7, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "stops_drawing": Play(
        18.0,
        asks=(2.0,),
        plug=(0.5,),
        closed=((2.35,),),
        source=((0.0, "high"), (1.2, 26.7)),
        amps=(((3.2, 15.4), (5.0, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "offer_withdrawn": Play(
        10.0,
        ((0.0, "high"), (1.2, 26.7), (5.0, "high")),
        (0.5, 9.7),
        asks=(2.0, 7.2),
        closed=((2.35, 7.26),),
        amps=(((3.2, 15.4), (6.2, 8.0), (6.9, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "stop_button": Play(
        10.0,
        ((0.0, "high"), (1.2, 26.7), (5.0, "high")),
        (0.5, 9.7),
        asks=(2.0, 5.9),
        closed=((2.35, 5.03),),
        amps=(((3.2, 15.4), (5.06, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "stop_button_three": Play(
        10.0,
        ((0.0, "high"), (1.2, 26.7), (5.0, "high")),
        (0.5, 9.7),
        asks=(2.0, 7.1),
        phases=3,
        closed=((2.35, 5.12),) * 3,
        amps=(((3.2, 15.4), (5.15, 0.0)),) * 3,
        lanes=("cp", "u", "i"),
    ),
    "draws_without_offer": Play(
        14.0,
        ((0.0, "high"), (1.2, 26.7), (5.0, "high")),
        (0.5, 13.6),
        asks=(2.0, 11.4),
        closed=((2.35, 11.2),),
        amps=(((3.2, 15.4), (11.22, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "draws_without_offer_and_ends": Play(
        14.0,
        ((0.0, "high"), (1.2, 26.7), (5.0, "high")),
        (0.5, 13.6),
        asks=(2.0, 11.4),
        closed=((2.35, 11.48),),
        amps=(((3.2, 15.4), (10.4, 6.0), (11.0, 0.0)),),
        lanes=("cp", "u", "i"),
    ),
    "lead_shorted": Play(
        8.0,
        ((0.0, "high"),),
        (1.5,),
        asks=(),
        closed=((),),
        down=(0.0,),
        proximity=(1.42,),
        lanes=("cp", "px"),
    ),
    "diode_refused": Play(
        8.0,
        ((0.0, "high"), (1.4, 26.7), (1.75, "minus"), (6.8, "high")),
        (0.5, 7.6),
        asks=(),
        closed=((),),
        diode_ohm=0.5,
        lanes=("cp", "px"),
    ),
    "weak_feed": Play(
        10.0,
        line_ohm=3.2,
        amps=(((3.2, 6.0), (4.5, 15.4), (8.4, 0.0)),),
        asks=(2.0, 8.5),
        plug=(0.5, 9.6),
        closed=((2.35, 8.58),),
        source=((0.0, "high"), (1.2, 26.7), (9.0, "high")),
        lanes=("cp", "u", "i"),
    ),
}


def turning(moments: tuple[float, ...], bounce: bool = False) -> str:
    """A switch that turns at these moments, open at first; a closing contact bounces for some milliseconds."""
    points: list[tuple[float, int]] = []
    state = 0
    for at in moments:
        for later in (0.0, 0.0006, 0.0013, 0.0024, 0.003) if bounce and not state else (0.0,):
            points += [(at + later, state), (at + later + 5e-5, 1 - state)]
            state = 1 - state
    if points and points[0][0] <= 0.0:
        return "0 1 " + " ".join(f"{t:.6f} {v}" for t, v in points[2:])
    return "0 0 " + " ".join(f"{t:.6f} {v}" for t, v in points)


def stepping(steps: Steps, slope_s: float = 2e-4, first: float = 0.0) -> str:
    words, held = [f"0 {first}"], first
    for at, value in steps:
        if at > 0:
            words += [f"{at:.6f} {held}", f"{at + slope_s:.6f} {value}"]
        else:
            words = [f"0 {value}"]
        held = value
    return " ".join(words)


def run(netlist: str) -> np.ndarray:
    with tempfile.TemporaryDirectory() as place:
        (Path(place) / "in.cir").write_text(netlist)
        done = subprocess.run(
            ["ngspice", "-b", "in.cir"], cwd=place, check=False, capture_output=True, text=True, timeout=900
        )
        out = Path(place) / "out.txt"
        if not out.exists():
            raise SystemExit(done.stdout[-3000:] + done.stderr[-3000:])
        return np.loadtxt(out)


def of_pilot(play: Play) -> dict[str, tuple[float, np.ndarray]]:
    flat = {"high": 12.0, "zero": 0.0, "minus": -12.0}
    duty = next((what for _, what in play.source if not isinstance(what, str)), 50.0)
    begins = next((at for at, what in play.source if not isinstance(what, str)), 0.0)
    levels = tuple((at, flat[what]) for at, what in play.source if isinstance(what, str))
    tells = tuple((at, 1.0 if not isinstance(what, str) else 0.0) for at, what in play.source)
    rows = run(
        PILOT.format(
            one=stepping(levels, 2e-6),
            tell=stepping(tells, 2e-6),
            oscillates=begins,
            on_us=10.0 * float(duty) - 2.0,
            plug=turning(play.plug),
            asks=turning(play.asks),
            latch=turning(play.latch),
            proximity=turning(play.proximity or play.plug),
            pp_contact_ohm=play.pp_contact_ohm,
            diode_ohm=play.diode_ohm,
            down=turning(play.down),
            seconds=play.seconds,
        )
    )
    rate = (len(rows) - 1) / (rows[-1, 0] - rows[0, 0])
    return {"cp": (rate, rows[:, 1]), "px": (rate / 10, rows[::10, 2])}


def of_motor(play: Play) -> dict[str, tuple[float, np.ndarray]]:
    rows = run(
        MOTOR.format(
            drive=stepping(play.drive, 1e-4),
            motor_ohm=play.motor_ohm,
            stop_at=play.stop_at,
            travel=play.travel,
            position=play.position,
            seconds=play.seconds,
        )
    )
    rate = (len(rows) - 1) / (rows[-1, 0] - rows[0, 0])
    return {"lock_a": (rate, rows[:, 1]), "lock_at": (rate, rows[:, 2])}


def of_supply(play: Play, phase: int) -> dict[str, tuple[float, np.ndarray]]:
    own = play.closed[phase] if phase < len(play.closed) else play.closed[-1]
    volts = play.volts[phase] if phase < len(play.volts) else play.volts[-1]
    rows = run(
        SUPPLY.format(
            phase=phase + 1,
            peak=volts * np.sqrt(2),
            degrees=-120 * phase,
            fifth=volts * 0.025,
            degrees5=-600 * phase,
            feed=turning(play.feed),
            line_ohm=play.line_ohm,
            coil=turning(own, play.bounce),
            x_farad=play.x_farad,
            bleed_ohm=play.bleed_ohm,
            want=stepping(play.amps[phase] if phase < len(play.amps) else play.amps[-1], 0.05),
            seconds=play.seconds,
        )
    )
    rate = (len(rows) - 1) / (rows[-1, 0] - rows[0, 0])
    return {f"u{phase + 1}": (rate / 2, rows[::2, 1]), f"i{phase + 1}": (rate / 2, rows[::2, 2])}


def of_coil(play: Play) -> dict[str, tuple[float, np.ndarray]]:
    t = np.arange(0.0, play.seconds, 1e-3)
    turned = np.searchsorted(np.asarray(play.coil), t, side="right") % 2
    return {"coil": (1000.0, 24.0 * turned)}


def made(play: Play) -> dict[str, tuple[float, np.ndarray]]:
    lanes = of_pilot(play)
    if {"lock_a", "lock_at"} & set(play.lanes):
        lanes |= of_motor(play)
    if {"u", "i"} & set(play.lanes):
        for phase in range(play.phases):
            lanes |= of_supply(play, phase)
    if "coil" in play.lanes:
        lanes |= of_coil(play)
    return {name: lane for name, lane in lanes.items() if name.rstrip("123") in play.lanes}


def main(names: list[str]) -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    for name in names or PLAYS:
        kept: dict[str, np.ndarray] = {}
        for lane, (rate, values) in made(PLAYS[name]).items():
            count = max(float(np.abs(values).max()) / 30000.0, 1e-6)
            kept[lane] = np.round(values / count).astype(np.int16)
            kept[f"{lane}_per"] = np.array([rate, count])
        np.savez_compressed(OUT / f"{name}.npz", **kept)  # type: ignore[arg-type]
        print(name, {lane: len(v) for lane, v in kept.items() if not lane.endswith("_per")})


if __name__ == "__main__":
    main(sys.argv[1:])
