"""The demo's plug-ins, acted out by the simulator: circuits, locks, contactors and chargers, healthy and faulted."""

from __future__ import annotations

import numpy as np

from gladwire.core.signal.waveform import Waveform
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.lock_motor import LockScript, latch_volts
from gladwire.core.simulate.mains import mains, rms_log
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.scenarios.files import archive, decimal_commas, logic, packed, table, with_preamble

# No oscillator is exact; a slightly slow one also lets the sampling drift along the edges, as on a real bench.
HZ = 999.4
HEALTHY = PilotCircuit()
SCOPE = Scope(noise_v=0.06, bits=10)
_SEED = 7


def start(circuit: PilotCircuit = HEALTHY, duty: float = 26.7) -> PilotScript:
    """Socket empty for 0.9 s, plugged in, released and offered from 2.5 s on."""
    script = PilotScript().circuit(circuit, "none", 900).circuit(circuit, "waiting", 1600)
    return script.circuit(circuit, "waiting", 700, duty, HZ)


def whole(circuit: PilotCircuit = HEALTHY, duty: float = 26.7, seconds: float = 5.0) -> PilotScript:
    """A session that asks from 3.2 s on and ends in order."""
    script = start(circuit, duty).circuit(circuit, "asking", 1e3 * seconds, duty, HZ)
    script.circuit(circuit, "waiting", 500, duty, HZ).circuit(circuit, "waiting", 400)
    return script.circuit(circuit, "none", 600)


def recorded(script: PilotScript, rate_hz: float, scope: Scope = SCOPE) -> Waveform:
    return script.record(rate_hz, scope, _SEED)


def _latched(pilot: Waveform, states: list[tuple[str, float]] | None = None) -> Waveform:
    plugged = states or [("absent", 0.7), ("pressed", 0.15), ("latched", pilot.duration_s)]
    return latch_volts(plugged, pilot.rate_hz, _SEED)


def _line(name: str, pilot: Waveform, spans: list[tuple[float, float]]) -> Waveform:
    """A two-level line, high within the spans (seconds)."""
    times = np.arange(len(pilot.samples)) / pilot.rate_hz
    high = np.zeros(len(times), np.float32)
    for begin, end in spans:
        high[(times >= begin) & (times < end)] = 5.0
    return Waveform(name, high, pilot.rate_hz, 0.0, "V")


def not_home() -> bytes:
    """Proximity made, pilot never: a lip holds the plug back."""
    pilot = recorded(PilotScript().hold(12.02, 6500), 20e3)
    return table([pilot, _latched(pilot)], ["CP (V)", "PP (V)"])


def pushed_home() -> bytes:
    """The same post with the plug home: everything is seen, to the release at the end."""
    return _seen_whole(26.7, 15.4)


def both_mended() -> bytes:
    """The pier's post once both of its faults are gone, the offer of 32 A taken."""
    return _seen_whole(53.3, 31.2)


def _seen_whole(duty: float, takes_a: float) -> bytes:
    pilot = recorded(whole(duty=duty), 25e3)
    lock = LockScript().drive(1.3).drive(9.2, way=-1).record(pilot.duration_s + 1, 25e3, _SEED)
    volts, amps = mains([(3.5, 231.0), (8.25, 0.0)], [(4.3, takes_a), (8.1, 0.0)], pilot.duration_s + 0.1, 25e3, seed=3)
    lanes = [pilot, _latched(pilot, [("absent", 0.7), ("latched", 8.6), ("absent", 2.0)]), *lock, volts, amps]
    return table(lanes, ["CP (V)", "PP (V)", "Lock current (A)", "Lock position (V)", "U L1 (V)", "I L1 (A)"])


def leaned_on() -> bytes:
    """Somebody leans on the latch while it charges: the vehicle stops at once."""
    script = start().circuit(HEALTHY, "asking", 3600, 26.7, HZ).circuit(HEALTHY, "waiting", 900, 26.7, HZ)
    pilot = recorded(script.circuit(HEALTHY, "waiting", 600), 40e3)
    latch = _latched(pilot, [("absent", 0.7), ("pressed", 0.15), ("latched", 5.9), ("pressed", 1.1), ("latched", 3.0)])
    return table([pilot, latch], ["CP (V)", "PP (V)"])


def clatters() -> bytes:
    """Something in the socket holds the lock's pin back, three times."""
    pilot = recorded(PilotScript().circuit(HEALTHY, "none", 900).circuit(HEALTHY, "waiting", 6000), 20e3)
    lock = LockScript().drive(1.4, through=False).drive(2.6, through=False).drive(3.8, through=False)
    lanes = [pilot, _latched(pilot), *lock.record(pilot.duration_s + 1, 20e3, _SEED)]
    return table(lanes, ["CP (V)", "PP (V)", "Lock current (A)", "Lock position (V)"])


def lock_nobody_named() -> bytes:
    """Current and position of a lock that is held back, on a scope whose channels have no names and no units."""
    lock = LockScript().drive(1.4, through=False).drive(2.6, through=False).drive(3.8, through=False)
    return table(lock.record(6.0, 10e3, _SEED), ["CH1", "CH2"])


def locks_then_corroded() -> bytes:
    """The second fault behind the first: the socket is clear, it locks, and a corroded contact lifts the request."""
    worn = PilotCircuit(series_ohm=560.0)
    script = start(worn, 53.3).circuit(worn, "asking", 5000, 53.3, HZ)
    pilot = recorded(script, 40e3)
    lanes = [pilot, _latched(pilot), *LockScript().drive(1.4).record(pilot.duration_s + 1, 40e3, _SEED)]
    return table(lanes, ["CP (V)", "PP (V)", "Lock current (A)", "Lock position (V)"])


def to_nobody() -> bytes:
    return table([recorded(PilotScript().circuit(HEALTHY, "none", 5000, 26.7, HZ), 60e3)], ["CP (V)"])


def between_duties() -> bytes:
    """A duty that means nothing: between digital communication and 6 A."""
    return table([recorded(start(duty=7.5).circuit(HEALTHY, "waiting", 5000, 7.5, HZ), 60e3)], ["CP (V)"])


def hunting() -> bytes:
    script = start(duty=26.7)
    for _ in range(6):
        script.circuit(HEALTHY, "asking", 420, 26.7, HZ).circuit(HEALTHY, "waiting", 1100, 26.7, HZ)
    return table([recorded(script, 60e3)], ["CP (V)"])


# Bakery quay: the scope, the logger and the logic probe each have their own clock and their own file.
_BAKERY_DAY = "2026-11-03"


def bakery_pilot() -> bytes:
    script = start().circuit(HEALTHY, "asking", 9000, 26.7, HZ).circuit(HEALTHY, "waiting", 700, 26.7, HZ)
    pilot = recorded(script.circuit(HEALTHY, "none", 600), 50e3)
    return table([pilot], ["CP (V)"], recorded_at=f"{_BAKERY_DAY} 05:41:10.000")


def bakery_logger() -> bytes:
    """Begins two seconds earlier by its own clock, and sees no voltage behind the contactor."""
    log = rms_log({"U L1": ("V", []), "I L1": ("A", [])}, 18.0)
    return table(log, recorded_at=f"{_BAKERY_DAY} 05:41:08.000")


def bakery_logic() -> bytes:
    """The contactor's coil is driven 0.4 s after the request; 1.6 s of lead before the scope began."""
    pilot = recorded(PilotScript().hold(0.0, 17_000), 10e3)
    coil, lock = _line("K1 coil", pilot, [(5.2, 13.85)]), _line("Lock position", pilot, [(3.1, 14.9)])
    return logic([coil, lock], f"{_BAKERY_DAY} 05:41:08.400")


def ice_works() -> bytes:
    """Mains comes and the charger never draws."""
    script = start().circuit(HEALTHY, "asking", 14_000, 26.7, HZ).circuit(HEALTHY, "waiting", 600, 26.7, HZ)
    pilot = recorded(script, 20e3)
    rows = [(3.6, 229.0), (17.25, 0.0)]
    volts, amps = mains(rows, [], pilot.duration_s + 0.1, 20e3, seed=3)
    return table([pilot, volts, amps], ["CP (V)", "U L1 (V)", "I L1 (A)"])


def loose() -> Waveform:
    script = start(duty=53.3)
    for held, gap in ((2100, 6), (900, 14), (1700, 4), (600, 38)):
        script.circuit(HEALTHY, "asking", held, 53.3, HZ).circuit(HEALTHY, "none", gap, 53.3, HZ)
    script.circuit(HEALTHY, "asking", 1200, 53.3, HZ).circuit(HEALTHY, "none", 900)
    noisy = Scope(noise_v=0.06, bits=10, switching=((4.6, 9.4, 0.9),))
    return recorded(script, 100e3, noisy)


def van_loose() -> bytes:
    return packed(table([loose()], ["CP (V)"]))


def van_holds() -> bytes:
    return decimal_commas(recorded(whole(), 60e3))


def load_control() -> bytes:
    script = start(duty=53.3).circuit(HEALTHY, "asking", 2500, 53.3, HZ)
    script.circuit(HEALTHY, "asking", 2000, 26.7, HZ).circuit(HEALTHY, "asking", 2000, 10, HZ)
    return with_preamble(recorded(script.circuit(HEALTHY, "asking", 3500), 60e3, Scope(noise_v=0.1, bits=8)))


def five_percent() -> bytes:
    return archive(recorded(start(duty=5).circuit(HEALTHY, "waiting", 12_000, 5, HZ), 100e3))


def stays_held() -> bytes:
    """It charges, ends in order, and the lock's pin does not come back."""
    pilot = recorded(whole(), 20e3)
    lock = LockScript().drive(1.3).drive(9.2, way=-1, through=False).drive(10.4, way=-1, through=False)
    longer = recorded(whole().hold(12.02, 2500), 20e3)
    volts, amps = mains([(3.5, 231.0), (8.25, 0.0)], [(4.3, 15.4), (8.1, 0.0)], longer.duration_s + 0.1, 20e3, seed=3)
    latch = _latched(longer, [("absent", 0.7), ("latched", longer.duration_s)])
    lanes = [longer, latch, *lock.record(longer.duration_s + 1, pilot.rate_hz, _SEED), volts, amps]
    return table(lanes, ["CP (V)", "PP (V)", "Lock current (A)", "Lock position (V)", "U L1 (V)", "I L1 (A)"])


def turns_down() -> bytes:
    """Three phases, and after a while the charger halves its current although the offer stands."""
    pilot = recorded(whole(duty=26.7, seconds=14.0), 20e3)
    rows = [(4.3, 15.6), (10.5, 8.1), (17.0, 0.0)]
    lanes = mains([(3.5, 230.0), (17.25, 0.0)], rows, pilot.duration_s + 0.1, 20e3, phases=3, seed=5)
    names = [f"{w.name.replace('_', ' ')} ({w.unit})" for w in lanes]
    return table([pilot, *lanes], ["CP (V)", *names])


def slipway_box() -> bytes:
    scope = Scope(noise_v=0.006, bits=12, factor=-0.1, range_v=2.0)
    return table([recorded(whole(PilotCircuit(diode_shorted=True), 16.7, 3), 60e3, scope)], ["CP (V)"])


def lead(series_ohm: float, capacitance_f: float) -> bytes:
    """The same post and vehicle through a lead of this kind."""
    circuit = PilotCircuit(series_ohm=series_ohm, capacitance_f=capacitance_f)
    return table([recorded(whole(circuit, 26.7, 1.5), 200e3)], ["CP (V)"])
