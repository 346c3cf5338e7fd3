"""Pilots by a circuit: source, its resistor, cable, contacts, diode and resistors of the vehicle, solved for every sample,
and what an instrument of any rate, range, noise and place makes of it.

Values of the circuit are those of IEC 61851-1 Annex A, from memory; instruments and faults are common practice.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from scipy.signal import lfilter  # type: ignore[import-untyped]

from gladwire.benchmarks.blind.truth import Truth
from gladwire.core.signal.waveform import Recording, Waveform

Array = np.ndarray


@dataclass(frozen=True)
class Bench:
    """What is wired and measured. Resistances in ohms; probe: "post" or "inlet"."""

    plus_v: float = 12.0
    minus_v: float = -12.0
    hertz: float = 1000.0
    source_ohm: float = 1000.0
    contact_ohm: float = 0.05
    earth_ohm: float = 0.05
    leak_ohm: float = 1e9
    diode: bool = True
    r2_ohm: float = 2740.0
    rate_hz: float = 100e3
    bits: int = 10
    noise_v: float = 0.05
    range_v: float = 20.0
    probe: str = "post"
    tau_s: float = 1.5e-6
    charger_noise_v: float = 0.0


class Step(NamedTuple):
    """seconds: of this state. post: "high", "zero", "minus", or the duty in percent. asks: "", "B", "C" or "D"."""

    seconds: float
    post: str | float
    asks: str


_R3 = {"C": 1300.0, "D": 270.0}
_DIODE_V = 0.68


def volts(steps: list[Step], bench: Bench, rng: np.random.Generator) -> Array:
    """Volts at the probe, shape (n,)."""
    parts = []
    phase = rng.uniform(0, 1)
    begun = 0.0
    for step in steps:
        # Sampled finely enough that an edge lies where it lies, then filtered and picked.
        n = round(step.seconds * bench.rate_hz)
        fine = max(1, round(1e6 / bench.rate_hz))
        t = begun + (np.arange(n * fine) + rng.uniform(0, 1)) / (bench.rate_hz * fine)
        if step.post in ("high", "zero", "minus"):
            source = np.full(len(t), {"high": bench.plus_v, "zero": 0.0, "minus": bench.minus_v}[str(step.post)])
        else:
            source = np.where((t * bench.hertz + phase) % 1.0 < float(step.post) / 100.0, bench.plus_v, bench.minus_v)
        parts.append(np.zeros(len(t)) if step.post == "zero" else _loaded(source, step.asks, bench))
        begun += step.seconds
    fine = max(1, round(1e6 / bench.rate_hz))
    whole = np.concatenate(parts)
    alpha = 1.0 - np.exp(-1.0 / (bench.rate_hz * fine * bench.tau_s))
    whole = lfilter([alpha], [1.0, alpha - 1.0], whole, zi=[whole[0] * (1 - alpha)])[0]
    return np.asarray(whole[::fine], dtype=np.float64)


def _loaded(source: Array, asks: str, bench: Bench) -> Array:
    """Volts where the probe is, for every volt of the source."""
    if not asks or bench.contact_ohm > 1e6:
        at_post = source * bench.leak_ohm / (bench.leak_ohm + bench.source_ohm)
        return np.zeros_like(source) if bench.probe == "inlet" else at_post
    load = bench.r2_ohm if asks == "B" else 1.0 / (1.0 / bench.r2_ohm + 1.0 / _R3[asks])
    series = bench.contact_ohm + bench.earth_ohm
    drop = np.where(source > 0, _DIODE_V, 0.0) if bench.diode else 0.0
    # Thevenin of source and leak, then the branch of the vehicle.
    open_v = source * bench.leak_ohm / (bench.leak_ohm + bench.source_ohm)
    inner = bench.source_ohm * bench.leak_ohm / (bench.leak_ohm + bench.source_ohm)
    conducts = (open_v > _DIODE_V) | (not bench.diode)
    current = np.where(conducts, (open_v - drop) / (inner + series + load), 0.0)
    post = open_v - current * inner
    inlet = post - current * series
    return post if bench.probe == "post" else inlet


def captured(steps: list[Step], bench: Bench, seed: int) -> Recording:
    rng = np.random.default_rng(seed)
    v = volts(steps, bench, rng)
    noise = rng.normal(0, bench.noise_v, len(v))
    if bench.charger_noise_v:
        asking = np.concatenate([np.full(round(s.seconds * bench.rate_hz), s.asks in ("C", "D")) for s in steps])[
            : len(v)
        ]
        t = np.arange(len(v)) / bench.rate_hz
        ripple = np.sin(2 * np.pi * rng.uniform(40e3, 140e3) * t) * (0.5 + 0.5 * np.sin(2 * np.pi * 100 * t))
        spikes = rng.normal(0, 1, len(v)) * (rng.random(len(v)) < 0.05)
        noise = noise + bench.charger_noise_v * asking * (ripple + 2 * spikes)
    step = 2 * bench.range_v / 2**bench.bits
    v = np.clip(np.round((v + noise) / step) * step, -bench.range_v, bench.range_v)
    return Recording((Waveform("CP", v.astype(np.float32), bench.rate_hz, 0.0, "V"),), "scope-csv")


class Case(NamedTuple):
    name: str
    recording: Recording
    truth: Truth


Maker = Callable[[random.Random], tuple[list[Step], Bench, Truth]]
_BEFORE_HOLD = ("proven", "not_captured", "not_reached")
_NO_CONTACT = ("interrupt", "contact opens", "loose pilot contact")


def _bench(r: random.Random) -> Bench:
    return Bench(
        rate_hz=r.choice((50e3, 100e3, 200e3, 487e3)),
        bits=r.choice((8, 10, 12)),
        noise_v=r.choice((0.02, 0.05, 0.1, 0.2)),
        range_v=r.choice((16.0, 20.0, 25.0)),
        plus_v=r.uniform(11.7, 12.3),
        minus_v=-r.uniform(11.7, 12.3),
        hertz=1000.0 * (1 + r.uniform(-0.003, 0.003)),
        r2_ohm=2740 * (1 + r.uniform(-0.02, 0.02)),
        probe=r.choice(("post", "post", "inlet")),
    )


def _duty(r: random.Random) -> float:
    return r.choice((10.0, 16.7, 21.7, 26.7, 33.3, 41.7, 53.3))


def _start(r: random.Random, duty: float, ask_s: float) -> list[Step]:
    return [
        Step(r.uniform(0.4, 1.0), "high", ""),
        Step(r.uniform(0.3, 1.5), "high", "B"),
        Step(r.uniform(0.3, 1.0), duty, "B"),
        Step(ask_s, duty, "C"),
    ]


def healthy(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = [*_start(r, duty, r.uniform(2.0, 6.0)), Step(0.6, duty, "B"), Step(0.8, "high", "B"), Step(0.6, "high", "")]
    return (
        steps,
        _bench(r),
        Truth(
            ("charged", "unknown"),
            {"pilot": ("proven",), "offer": ("proven",), "request": ("proven",), "hold": ("proven", "not_captured")},
            healthy=True,
            never=("interrupt",),
        ),
    )


def healthy_noisy(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = r.choice((5.0, 8.0, 10.0, 12.0, 16.0))
    bench = replace(_bench(r), rate_hz=50e3, noise_v=0.3, charger_noise_v=r.choice((0.3, 0.6)), probe="post")
    steps = [*_start(r, duty, r.uniform(3.0, 8.0))]
    asked = "parameters" if duty == 5.0 else "request"
    return steps, bench, Truth(("charged", "unknown"), {asked: ("proven",)}, healthy=True, never=_NO_CONTACT)


def inlet_before_the_plug(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps, bench, truth = healthy(r)
    return steps, replace(bench, probe="inlet"), replace(truth, never=("interrupt", "shorted", "in error", "(E)"))


def vehicle_waits(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = [Step(0.5, "high", ""), Step(0.6, "high", "B"), Step(r.uniform(7, 12), duty, "B")]
    truth = Truth(
        ("failed_to_start", "unknown"),
        {"pilot": ("proven",), "offer": ("proven",), "request": ("not_reached",)},
        ("vehicle_not_asking", "request_branch_open"),
        ("vehicle",),
    )
    return steps, _bench(r), truth


def post_waits(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = [Step(0.5, "high", ""), Step(r.uniform(8, 14), "high", "B")]
    return (
        steps,
        _bench(r),
        Truth(
            ("failed_to_start", "unknown"),
            {"pilot": ("proven",), "offer": ("not_reached",)},
            ("not_authorised", "post_has_nothing_to_offer"),
            ("backend", "evse", "site"),
        ),
    )


def error_in_charge(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    """The post goes to E and stays there: a trip, a short of CP, or out of use."""
    steps = [*_start(r, _duty(r), r.uniform(6.0, 9.0)), Step(r.choice((0.4, 2.0, 6.0)), "zero", "C")]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(
            ("dropped_out",),
            {"request": ("proven",), "hold": ("failed",)},
            ("post_dead_or_unavailable", "pilot_shorted_to_pe", "earth_fault_trip", "post_stopped_with_error"),
            ("evse", "cable", "vehicle"),
            _NO_CONTACT,
        ),
    )


def error_in_waiting(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = [Step(0.6, "high", ""), Step(1.0, "high", "B"), Step(r.choice((0.5, 3.0, 8.0)), "zero", "B")]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(
            ("failed_to_start", "unknown"),
            {"pilot": ("failed", "proven")},
            ("post_dead_or_unavailable", "pilot_shorted_to_pe", "post_stopped_with_error"),
            ("evse", "cable"),
            _NO_CONTACT,
        ),
    )


def minus_in_charge(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = [*_start(r, _duty(r), r.uniform(6.0, 9.0)), Step(r.choice((0.4, 0.8, 2.0, 6.0)), "minus", "C")]
    if r.random() < 0.4:
        steps += [Step(1.0, "high", "B")]
    return (
        steps,
        _bench(r),
        Truth(
            ("dropped_out",),
            {"request": ("proven",), "hold": ("failed",)},
            ("post_dead_or_unavailable", "post_stopped_with_error"),
            ("evse",),
            _NO_CONTACT,
            ("-12|(f)|not available",),
        ),
    )


def minus_in_waiting(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = [Step(0.6, "high", ""), Step(1.0, "high", "B"), Step(r.choice((0.5, 0.9, 3.0)), "minus", "B")]
    return (
        steps,
        _bench(r),
        Truth(
            ("failed_to_start", "unknown"),
            {"pilot": ("failed", "proven")},
            ("post_dead_or_unavailable", "post_stopped_with_error"),
            ("evse",),
            _NO_CONTACT,
        ),
    )


def match_restarted(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    """E or F for four seconds and more, then anew: matching restarted, no fault."""
    steps = [
        Step(0.5, "high", ""),
        Step(0.5, "high", "B"),
        Step(2.0, 5.0, "B"),
        Step(r.uniform(4.2, 5.5), r.choice(("zero", "minus")), "B"),
        Step(0.5, "high", "B"),
        Step(2.0, 5.0, "B"),
        Step(4.0, 5.0, "C"),
    ]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(("unknown", "charged"), {"parameters": ("proven",)}, healthy=True, never=_NO_CONTACT),
    )


def offer_withdrawn(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = [*_start(r, duty, r.uniform(5, 8)), Step(r.choice((1.0, 3.0, 6.0)), "high", "C"), Step(1.5, "high", "B")]
    return (
        steps,
        _bench(r),
        Truth(
            ("dropped_out", "unknown"),
            {"request": ("proven",)},
            ("post_has_nothing_to_offer", "site_withdraws_offer"),
            ("evse", "site"),
            _NO_CONTACT,
            ("withdraws|pauses",),
        ),
    )


def oscillates_alone(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = [Step(r.uniform(1, 3), _duty(r), "")]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(
            ("unknown", "failed_to_start"),
            {},
            ("oscillating_with_nothing_connected",),
            ("evse",),
            says=("nothing connected",),
        ),
    )


def oscillates_alone_then_charges(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = [
        Step(1.0, duty, ""),
        Step(1.0, duty, "B"),
        Step(5.0, duty, "C"),
        Step(0.6, duty, "B"),
        Step(0.6, "high", ""),
    ]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(
            ("charged", "unknown"),
            {"request": ("proven",), "pilot": ("proven",), "offer": ("proven",)},
            ("oscillating_with_nothing_connected",),
            ("evse",),
            says=("nothing connected",),
        ),
    )


def loose(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = _start(r, duty, 3.0)
    for _ in range(r.randrange(2, 5)):
        steps += [Step(r.uniform(0.01, 0.2), duty, ""), Step(r.uniform(0.3, 1.5), duty, "C")]
    return (
        steps,
        _bench(r),
        Truth(
            ("dropped_out", "failed_to_start"),
            {"hold": ("failed",)},
            ("loose_contact", "pilot_open", "pilot_contact_in_session"),
            ("cable",),
            says=("interrupted",),
        ),
    )


def drawn_in_charge(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = [*_start(r, duty, r.uniform(5, 8)), Step(1.5, duty, ""), Step(1.0, "high", "")]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(
            ("dropped_out",),
            {"hold": ("failed",)},
            ("pilot_open", "loose_contact", "pilot_contact_in_session", "plug_drawn_while_charging"),
            ("cable", "site"),
        ),
    )


def diode(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = _start(r, _duty(r), 3.0)
    return steps, replace(_bench(r), diode=False), Truth((), {}, ("diode_shorted",), ("vehicle",))


def low_source(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    low = r.uniform(9.0, 10.7)
    bench = replace(_bench(r), plus_v=low, minus_v=-low * r.uniform(0.98, 1.02), probe="post")
    return (
        _start(r, _duty(r), 3.0),
        bench,
        Truth((), {}, ("pilot_source_weak",), ("evse",), ("pulled up", "damaged diode")),
    )


def one_rail(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    bench = replace(_bench(r), minus_v=-r.uniform(8.0, 10.3), probe="post")
    return _start(r, _duty(r), 3.0), bench, Truth((), {}, ("pilot_source_weak", "water_or_leakage"), ("evse", "cable"))


def resistive(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    # Enough to lift the levels beyond what tolerances do, seen from the post.
    bench = replace(
        _bench(r), contact_ohm=r.choice((250.0, 400.0, 700.0, 1200.0)), probe="post", plus_v=12.0, minus_v=-12.0
    )
    return _start(r, _duty(r), 3.0), bench, Truth((), {}, ("corroded_contact",), ("cable",))


def off_frequency(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    bench = replace(_bench(r), hertz=1000 * (1 + r.choice((-0.05, -0.03, 0.03, 0.06))))
    return _start(r, _duty(r), 3.0), bench, Truth((), {"offer": ("failed",)}, ("pilot_frequency_off",), ("evse",))


def forbidden(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    steps = [Step(0.5, "high", ""), Step(0.5, "high", "B"), Step(7.0, r.choice((1.5, 7.5, 98.3)), "B")]
    bench = replace(_bench(r), rate_hz=487e3, probe="post")
    return steps, bench, Truth((), {"offer": ("failed",)}, ("duty_outside_table",), ("evse",))


def stepped_down(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    first, then = 53.3, r.choice((10.0, 16.7, 26.7))
    steps = [
        *_start(r, first, r.uniform(5, 8)),
        Step(r.uniform(4, 8), then, "C"),
        Step(0.5, then, "B"),
        Step(0.5, "high", ""),
    ]
    return (
        steps,
        _bench(r),
        Truth(
            ("derated", "unknown", "charged"),
            {"request": ("proven",)},
            ("site_withdraws_offer", "offer_lowered_by_site"),
            ("site", "evse"),
            _NO_CONTACT,
            ("changed|lowered|stepped",),
        ),
    )


def unavailable(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    return (
        [Step(4.0, "minus", r.choice(("", "B")))],
        replace(_bench(r), probe="post"),
        Truth(("failed_to_start", "unknown"), {"pilot": ("failed",)}, ("post_dead_or_unavailable",), ("evse",)),
    )


def dead(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    """A post without its supply, or that drives nothing: 0 V at its end, whatever is plugged in."""
    steps = [Step(r.uniform(6.0, 9.0), "zero", r.choice(("", "B")))]
    return (
        steps,
        replace(_bench(r), probe="post"),
        Truth(
            ("failed_to_start", "unknown"),
            {"pilot": ("failed", "not_captured", "not_reached"), "offer": ("not_reached", "not_captured")},
            never=("charged",),
        ),
    )


def hunting(r: random.Random) -> tuple[list[Step], Bench, Truth]:
    duty = _duty(r)
    steps = [Step(0.5, "high", ""), Step(0.5, "high", "B"), Step(1.0, duty, "B")]
    for _ in range(r.randrange(4, 7)):
        steps += [Step(r.uniform(0.8, 1.6), duty, "C"), Step(r.uniform(0.6, 2.0), duty, "B")]
    return (
        steps,
        _bench(r),
        Truth(
            ("failed_to_start", "dropped_out"), {"request": ("failed",)}, ("vehicle_refuses_and_retries",), ("vehicle",)
        ),
    )


MAKERS: tuple[Maker, ...] = (
    healthy,
    healthy_noisy,
    inlet_before_the_plug,
    vehicle_waits,
    post_waits,
    error_in_charge,
    error_in_waiting,
    minus_in_charge,
    minus_in_waiting,
    match_restarted,
    offer_withdrawn,
    oscillates_alone,
    oscillates_alone_then_charges,
    loose,
    drawn_in_charge,
    diode,
    low_source,
    one_rail,
    resistive,
    off_frequency,
    forbidden,
    stepped_down,
    unavailable,
    dead,
    hunting,
)


def cases(each: int, seed: int = 7) -> list[Case]:
    """So many captures of every class."""
    found = []
    for number, maker in enumerate(MAKERS):
        for i in range(each):
            r = random.Random(seed * 100_003 + 1000 * number + i)
            steps, bench, truth = maker(r)
            found.append(Case(f"{maker.__name__}-{i}", captured(steps, bench, r.randrange(2**31)), truth))
    return found
