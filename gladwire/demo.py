"""Demo data: an invented island harbour with its chargers, complaints and captures. Nothing here is a real place."""

from __future__ import annotations

import gzip
import io
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from gladwire.core.simulate.mains import mains
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.core.waveform import Waveform
from gladwire.store.captures import add_capture
from gladwire.store.cases import close_case
from gladwire.store.database import Sessions
from gladwire.store.models import Capture, Case, ChargingSession

# No oscillator is exact; a slightly slow one also lets the sampling drift along the edges, as on a real bench.
_HZ = 999.4
_HEALTHY = PilotCircuit()


class DemoCapture(NamedTuple):
    """A capture file of the demo."""

    name: str
    title: str
    script: Callable[[], PilotScript]
    write: Callable[[Waveform], bytes]
    rate_hz: float = 125e3
    scope: Scope = Scope(noise_v=0.06, bits=10)


class DemoCase(NamedTuple):
    """A case of the demo with its captures in order."""

    title: str
    vehicle: str
    post: str
    complaint: str
    captures: tuple[DemoCapture, ...]
    closed: bool = False
    waits_for: str = ""


def _table(wave: Waveform, names: tuple[str, str], separator: str = ",", digits: int = 3) -> bytes:
    times = np.round(wave.start_s + np.arange(len(wave.samples)) / wave.rate_hz, 7)
    frame = pl.DataFrame({names[0]: times, names[1]: np.round(wave.samples.astype(np.float64), digits)})
    text = io.BytesIO()
    frame.write_csv(text, separator=separator)
    return text.getvalue()


def _plug_in(pilot: Waveform) -> bytes:
    """The pilot with proximity, lock current and lock position beside it: something in the socket holds the pin back."""
    rate, count = pilot.rate_hz, len(pilot.samples)
    latch = latch_volts([("absent", 0.7), ("pressed", 0.15), ("latched", pilot.duration_s)], rate, seed=3)
    lock = LockScript().drive(1.4, through=False).drive(2.6, through=False).drive(3.8, through=False)
    current, position = lock.record(pilot.duration_s + 1, rate, seed=3)
    lanes = {"CP (V)": pilot, "PP (V)": latch, "Lock current (A)": current, "Lock position (V)": position}
    return _lanes(lanes, count)


def _with_mains(pilot: Waveform) -> bytes:
    """The pilot with voltage and current of one phase beside it, from plug-in to the orderly end."""
    rate, count = pilot.rate_hz, len(pilot.samples)
    volts, amps = mains([(3.5, 231.0), (8.25, 0.0)], [(4.3, 15.4), (8.1, 0.0)], pilot.duration_s + 0.1, rate, seed=3)
    lanes = {"CP (V)": pilot, "U L1 (V)": volts, "I L1 (A)": amps}
    return _lanes(lanes, count)


def _lanes(lanes: dict[str, Waveform], count: int) -> bytes:
    rate_hz = next(iter(lanes.values())).rate_hz
    columns = {name: np.round(wave.samples[:count].astype(np.float64), 3) for name, wave in lanes.items()}
    text = io.BytesIO()
    pl.DataFrame({"Time (s)": np.round(np.arange(count) / rate_hz, 7), **columns}).write_csv(text)
    return text.getvalue()


def _waits() -> PilotScript:
    return PilotScript().circuit(_HEALTHY, "none", 900).circuit(_HEALTHY, "waiting", 6000)


def _plain(wave: Waveform) -> bytes:
    return _table(wave, ("Time (s)", "CP (V)"))


def _semicolons(wave: Waveform) -> bytes:
    return _table(wave, ("Zeit [s]", "Kanal A [V]"), ";").replace(b".", b",")


def _preamble(wave: Waveform) -> bytes:
    head = f"Recorder,harbour bench\nSample Interval,{1 / wave.rate_hz:.6e},s\nVertical Units,V\n\nCH1\n".encode()
    return head + b"\n".join(b"%.2f" % v for v in wave.samples.tolist()) + b"\n"


def _packed(wave: Waveform) -> bytes:
    return gzip.compress(_plain(wave), 3, mtime=0)


def _archive(wave: Waveform) -> bytes:
    content = io.BytesIO()
    np.savez_compressed(content, CP=wave.samples, rate_hz=np.float64(wave.rate_hz))
    return content.getvalue()


def _start(circuit: PilotCircuit = _HEALTHY, duty: float = 26.7) -> PilotScript:
    """Socket empty, plugged in, released, offered."""
    script = PilotScript().circuit(circuit, "none", 900).circuit(circuit, "waiting", 1600)
    return script.circuit(circuit, "waiting", 700, duty, _HZ)


def _session(circuit: PilotCircuit = _HEALTHY, duty: float = 26.7, seconds: float = 5.0) -> PilotScript:
    script = _start(circuit, duty).circuit(circuit, "asking", 1e3 * seconds, duty, _HZ)
    script.circuit(circuit, "waiting", 500, duty, _HZ).circuit(circuit, "waiting", 400)
    return script.circuit(circuit, "none", 600)


def _not_home() -> PilotScript:
    return PilotScript().hold(12.02, 4000)


def _loose() -> PilotScript:
    script = _start(duty=53.3)
    for held, gap in ((2100, 6), (900, 14), (1700, 4), (600, 38)):
        script.circuit(_HEALTHY, "asking", held, 53.3, _HZ).circuit(_HEALTHY, "none", gap, 53.3, _HZ)
    return script.circuit(_HEALTHY, "asking", 1200, 53.3, _HZ).circuit(_HEALTHY, "none", 900)


def _to_nobody() -> PilotScript:
    return PilotScript().circuit(_HEALTHY, "none", 5000, 26.7, _HZ)


def _load_control() -> PilotScript:
    script = _start(duty=53.3).circuit(_HEALTHY, "asking", 2500, 53.3, _HZ)
    script.circuit(_HEALTHY, "asking", 2000, 26.7, _HZ).circuit(_HEALTHY, "asking", 2000, 10, _HZ)
    return script.circuit(_HEALTHY, "asking", 3500)


def _five_percent() -> PilotScript:
    return _start(duty=5).circuit(_HEALTHY, "waiting", 12_000, 5, _HZ)


def _hunting() -> PilotScript:
    script = _start(duty=26.7)
    for _ in range(6):
        script.circuit(_HEALTHY, "asking", 420, 26.7, _HZ).circuit(_HEALTHY, "waiting", 1100, 26.7, _HZ)
    return script


CASES = (
    DemoCase(
        "Post 1 “busy” with nobody there, fish market",
        "",
        "Fish market, post 1 (Tern 22)",
        "Stall holder Ola Brisk: the lamp blinks as if a van were waiting, all day. Yesterday's sheet says “vehicle "
        "waiting at 9 V”, read from the screen by eye.",
        (DemoCapture("fishmarket_post1_empty_socket.csv", "Empty socket, ten past six", _to_nobody, _plain),),
    ),
    DemoCase(
        "Delivery van drops out in the hotel yard",
        "Plover Cargo, fleet no. 7",
        "Hotel Seaview, post 2 (Tern 22)",
        "Night porter: starts, then stops after some seconds, sometimes minutes. Starts again when the plug is pushed. "
        "The same van holds at the fish market.",
        (
            DemoCapture("hotel_post2_van7.csv.gz", "Van 7 on post 2, plug left alone", _loose, _packed, 200e3),
            DemoCapture("hotel_post3_van7.csv", "Van 7 on post 3, same cable", _session, _semicolons, 100e3),
        ),
    ),
    DemoCase(
        "Bus stays at “preparing”, bus yard DC stall 4",
        "Heron 12 city bus, no. 31",
        "Bus yard, cabinet B, stall 4",
        "Driver Runa Holt: plug locks, lamp steady, nothing more. Stall 5 starts the same bus. No frames captured yet.",
        (DemoCapture("busyard_stall4_bus31.npz", "Bus 31 on stall 4", _five_percent, _archive, 250e3),),
    ),
    DemoCase(
        "Plug clatters and nothing starts, marina pier",
        "Gannet One of the sailing school",
        "Marina pier, post 4 (Tern 22)",
        "Sailing teacher Ivo Mar: the lock clatters three times, the car says “not locked”. On pier post 3 it charges.",
        (DemoCapture("marina_pier4_plug_in.csv", "Plug-in at pier post 4", _waits, _plug_in, 20e3),),
    ),
    DemoCase(
        "Slow and slower at noon, harbour office",
        "Skua Mini of the harbour master",
        "Harbour office, post 1 (Tern 11)",
        "Offer shown in the car falls from 32 A to 16 A to 6 A and then it stops, on sunny days too.",
        (
            DemoCapture(
                "harbour_office_noon.csv", "Noon, all four posts in use", _load_control, _preamble, 100e3,
                Scope(noise_v=0.1, bits=8)),
        ),
    ),
    DemoCase(
        "Would not start at the ferry queue, stall 3",
        "Skua Mini, hire car 12",
        "Ferry queue, stall 3 (Tern 22)",
        "Hire desk: car says “check plug”, post lamp is steady green. Third time this week.",
        (
            DemoCapture("ferry_stall3_first_try.csv", "First try, as found", _not_home, _plain, 50e3),
            DemoCapture("ferry_stall3_pushed_home.csv", "Plug pushed home, lip trimmed", _session, _with_mains, 40e3),
        ),
        closed=True,
    ),
)  # fmt: skip

LOOSE = (
    DemoCapture(
        "unknown_box_on_slipway.csv", "Unknown box on the slipway",
        lambda: _session(PilotCircuit(diode_shorted=True), 16.7, 3), _plain, 125e3,
        Scope(noise_v=0.006, bits=12, factor=-0.1, range_v=2.0)),
    DemoCapture(
        "campsite_long_lead.csv", "Campsite, long wet lead",
        lambda: _session(PilotCircuit(series_ohm=240, capacitance_f=11e-9), 26.7, 3), _plain, 500e3),
    DemoCapture("marina_boat_trailer.csv", "Marina, tries again and again", _hunting, _semicolons, 100e3),
)  # fmt: skip


def fill(sessions: Sessions) -> None:
    """Store the demo once: an empty database is filled in one transaction, any other left alone."""
    with sessions.begin() as db:
        if db.scalar(select(Capture.id).limit(1)) is not None:
            return
        for chosen in reversed(CASES):
            _add_case(db, chosen)
        for capture in LOOSE:
            _add(db, capture, None)


def _add_case(db: Session, chosen: DemoCase) -> None:
    case = Case(
        title=chosen.title,
        vehicle=chosen.vehicle,
        post=chosen.post,
        complaint=chosen.complaint,
        waits_for=chosen.waits_for,
    )
    db.add(case)
    for capture in chosen.captures:
        _add(db, capture, case)
    if chosen.closed:
        close_case(case)
    db.flush()


def _add(db: Session, capture: DemoCapture, case: Case | None) -> None:
    wave = capture.script().record(capture.rate_hz, capture.scope, seed=7)
    session = ChargingSession(title=capture.title, case=case)
    db.add(session)
    add_capture(db, session, capture.name, io.BytesIO(capture.write(wave)))
