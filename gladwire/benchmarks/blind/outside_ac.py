"""AC sessions with what lies beside the pilot (supply, contactor, charger, lock, proximity), by a circuit simulator, as
instruments of many kinds store them. How they were made stands in `outside/ORIGIN.md`.
"""

from __future__ import annotations

import random
from collections.abc import Iterator

import numpy as np

from gladwire.benchmarks.blind.outside import CHARGED, FOLDER, Seen, healthy, of
from gladwire.benchmarks.blind.truth import Truth
from gladwire.core.signal.waveform import Recording, Waveform

_NOBODY = ("interrupt", "does not start", "welded", "obstructed")
_NOT_BEGUN = ("failed_to_start", "unknown")
_OF_LOCK = Truth(_NOT_BEGUN, {"lock": ("failed",)})
_CONTACT = ("contactor_not_closing", "supply_missing")
_BROKEN_OFF = ("emergency_stop_pressed", "post_stopped_with_error")
_TRIPPED = ("supply_dropped", "earth_fault_trip", "post_stopped_with_error")

# Whole AC sessions with what lies beside the pilot.
ACS: dict[str, Truth] = {
    "healthy": healthy("pilot", "offer", "request", "energise", "draw", "lock", never=_NOBODY),
    "healthy_three": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "healthy_heater": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "healthy_slow_to_draw": healthy("pilot", "offer", "request", "energise", "draw", "lock", never=_NOBODY),
    "healthy_residual": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "healthy_full_tapers": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "healthy_lock_retries": healthy("pilot", "offer", "request", "energise", "draw", "lock", never=_NOBODY),
    "lock_obstructed": of(("lock_blocked",), ("site",), _OF_LOCK),
    "lock_obstructed_short": of(("lock_blocked",), ("site",), _OF_LOCK),
    "lock_switch_dead": of(("lock_feedback_dead",), ("vehicle",), _OF_LOCK),
    "lock_actuator_open": Truth(
        _NOT_BEGUN, {"lock": ("failed", "not_reached", "not_captured")}, never=("interrupt", "engage")
    ),
    "lock_stays": Truth(CHARGED, {"draw": ("proven",)}, never=("obstructed", "interrupt")),
    "lock_jams_at_end": of(
        ("lock_does_not_release",), ("vehicle",), Truth((), {"lock": ("proven",), "end": ("failed",)})
    ),
    "latch_leaned_on": of(
        ("latch_pressed_or_broken",),
        ("cable", "site"),
        Truth(("dropped_out",), {"draw": ("proven",), "hold": ("failed",)}),
    ),
    "latch_stays_pressed": of(
        ("latch_pressed_or_broken",), ("cable", "site"), Truth(_NOT_BEGUN, {"proximity": ("failed",)})
    ),
    "proximity_opens": of(("proximity_contact_open",), ("cable",), Truth(("dropped_out",), {"draw": ("proven",)})),
    "proximity_first": of(("plug_not_fully_seated", "pilot_open"), ("site", "cable"), Truth(_NOT_BEGUN)),
    "contact_stays_open": of(
        _CONTACT, ("evse", "site"), Truth(("failed_to_start",), {"request": ("proven",), "energise": ("failed",)})
    ),
    "contact_not_driven": of(
        ("contactor_not_closing",), ("evse",), Truth(("failed_to_start",), {"energise": ("failed",)})
    ),
    "no_feed": of(
        ("supply_missing", "contactor_not_closing"),
        ("site", "evse"),
        Truth(("failed_to_start",), {"energise": ("failed",)}),
    ),
    "contact_welded": of(("contactor_welded",), ("evse",), Truth((), {"draw": ("proven",)})),
    "contact_welded_before": of(("contactor_welded",), ("evse",)),
    "one_pole_welded": of(("contactor_welded",), ("evse",)),
    "feed_trips": of(
        _TRIPPED, ("evse", "site", "vehicle"), Truth(("dropped_out",), {"draw": ("proven",), "hold": ("failed",)})
    ),
    "contact_drops": of(
        ("supply_dropped",), ("evse",), Truth(("dropped_out",), {"draw": ("proven",), "hold": ("failed",)})
    ),
    "trips_at_energise": of(
        ("earth_fault_trip", "post_stopped_with_error"),
        ("vehicle", "evse"),
        Truth(("failed_to_start", "dropped_out"), {"request": ("proven",)}),
    ),
    "trips_under_load": of(
        ("earth_fault_trip", "post_stopped_with_error"),
        ("vehicle", "evse"),
        Truth(("dropped_out",), {"draw": ("proven",), "hold": ("failed",)}),
    ),
    "never_draws": of(
        ("charger_not_starting",),
        ("vehicle",),
        Truth(("failed_to_start",), {"energise": ("proven",), "draw": ("failed",)}),
    ),
    "turns_down": of(("charger_derates",), ("vehicle",), Truth(("derated",), {"draw": ("proven",)})),
    "one_phase_of_charger": of(
        ("charger_phase_lost", "pilot_well", "charger_size"),
        ("vehicle", "none"),
        Truth(("charged", "derated"), {"draw": ("proven",)}),
    ),
    "one_phase_of_feed": of(("phase_missing",), ("site",), Truth(("charged", "derated"), {"draw": ("proven",)})),
    "takes_too_much": of(("offer_not_followed",), ("vehicle",), Truth((), {"energise": ("proven",)})),
    "small_charger": Truth(CHARGED, {"draw": ("proven",)}, never=_NOBODY, healthy=True),
    "weak_feed": of(
        ("feed_resistive",),
        ("site",),
        Truth(
            ("charged", "derated"), {"draw": ("proven",)}, never=("interrupt", "welded"), says=("3.2 Ω|3.1 Ω|3.3 Ω",)
        ),
    ),
    "healthy_ended_at_the_latch": healthy(
        "pilot", "offer", "request", "energise", "draw", never=(*_NOBODY, "latch is")
    ),
    "healthy_one_of_three": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "healthy_gets_full": healthy("pilot", "offer", "request", "energise", "draw", never=(*_NOBODY, "turns itself")),
    "healthy_pauses": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "healthy_long_feed": healthy("pilot", "offer", "request", "energise", "draw", never=_NOBODY),
    "feed_dips": of(
        ("supply_dropped", "feed_resistive"), ("evse", "site"), Truth((), {"draw": ("proven",)}, says=("80 ms|dips",))
    ),
    "neutral_open": of(("neutral_open",), ("site",), Truth((), {"draw": ("proven",)}, says=("neutral",))),
    "lock_slow_motor": healthy("pilot", "offer", "request", "lock", never=_NOBODY),
    "lock_without_position": of(("lock_blocked", "lock_feedback_dead"), ("site", "vehicle"), _OF_LOCK),
    "proximity_resistive": of(
        ("proximity_contact_open", "latch_pressed_or_broken"), ("cable",), Truth(_NOT_BEGUN, {"proximity": ("failed",)})
    ),
    "coil_driven_not_closing": of(
        _CONTACT, ("evse", "site"), Truth(("failed_to_start",), {"request": ("proven",), "energise": ("failed",)})
    ),
    "offer_withdrawn": of(
        ("site_withdraws_offer",), ("evse",), Truth((), {"draw": ("proven",)}, never=("supply failed", "draws on"))
    ),
    "stop_button": of(
        _BROKEN_OFF, ("site", "evse"), Truth(("dropped_out",), {"draw": ("proven",), "hold": ("failed",)})
    ),
    "stop_button_three": of(
        _BROKEN_OFF, ("site", "evse"), Truth(("dropped_out",), {"draw": ("proven",), "hold": ("failed",)})
    ),
    "draws_without_offer": of(("stop_not_followed",), ("vehicle",), Truth((), {"draw": ("proven",)})),
    "draws_without_offer_and_ends": of(("stop_not_followed",), ("vehicle",), Truth((), {"draw": ("proven",)})),
    "lead_shorted": of(("pilot_shorted_to_pe",), ("cable",), Truth(_NOT_BEGUN, never=("interrupt",))),
    "diode_refused": of(("diode_shorted",), ("vehicle",), Truth(_NOT_BEGUN, never=("interrupt", "swapped"))),
    "opens_late": Truth((), {"draw": ("proven",)}, says=("stays on",)),
    "closes_late": Truth((), {"draw": ("proven",)}, says=("4.4 s",)),
    "stops_drawing": of(
        ("vehicle_stops_drawing",), ("vehicle",), Truth(("dropped_out", "unknown"), {"draw": ("proven",)})
    ),
}
_CALLED: dict[str, tuple[str, ...]] = {
    "cp": ("CP", "Control pilot", "Pilot CP-PE", "CP voltage"),
    "px": ("PP", "Proximity", "Prox pin", "PP voltage"),
    "lock_a": ("Lock motor current", "I lock", "Actuator current", "Lock current"),
    "lock_at": ("Lock position", "Lock feedback", "Lock switch", "Latch position switch"),
    "u": ("U L{n}", "V L{n}-N", "L{n} voltage", "Mains L{n}"),
    "i": ("I L{n}", "Current L{n}", "IL{n}", "L{n} current"),
    "coil": ("K1 coil", "Contactor coil", "Contactor K1", "Main contactor coil"),
}
_UNITS = {"cp": "V", "px": "V", "lock_a": "A", "lock_at": "V", "u": "V", "i": "A", "coil": "V"}
_REACH = {
    "cp": (16.0, 20.0),
    "px": (6.0, 10.0),
    "lock_a": (3.0, 10.0),
    "lock_at": (6.0, 16.0),
    "u": (400.0, 800.0),
    "i": (40.0, 100.0),
    "coil": (30.0, 60.0),
}


def ac_session(name: str, r: random.Random) -> Recording:
    """One simulated AC session with all its lanes, as some instrument stores it on one clock."""
    with np.load(FOLDER / "ac" / f"{name}.npz") as kept:
        lanes = {lane: kept[lane] * kept[f"{lane}_per"][1] for lane in kept if not lane.endswith("_per")}
        rates = {lane: float(kept[f"{lane}_per"][0]) for lane in lanes}
    # Ten samples a cycle do not tell 6 A from digital communication.
    every = r.choice((1, 2) if name == "takes_too_much" else (1, 2, 5))
    rate = rates["cp"] / every
    times = np.arange(0, len(lanes["cp"]), every) / rates["cp"]
    rng = np.random.default_rng(r.randrange(2**31))
    dialect, bits = r.randrange(4), r.choice((8, 10, 12))
    waves = []
    for lane, fine in lanes.items():
        kind = lane.rstrip("123")
        at = np.arange(len(fine)) / rates[lane]
        values = fine[::every] if kind == "cp" else np.interp(times, at, fine)
        # A clamp may sit either way round.
        values = -values if kind in ("lock_a", "i") and r.random() < 0.5 else values
        reach = r.choice(_REACH[kind])
        step = 2 * reach / 2**bits
        noisy = values + rng.normal(0.0, r.choice((0.0005, 0.002, 0.005)) * reach, len(values))
        stored = np.clip(np.round(noisy / step) * step, -reach, reach).astype(np.float32)
        title = _CALLED[kind][dialect].format(n=lane[-1])
        waves.append(Waveform(title, stored, rate, 0.0, _UNITS[kind]))
    r.shuffle(waves)
    return Recording(tuple(waves), "scope-csv")


def ac_sessions(each: int, seed: int) -> Iterator[Seen]:
    """So many views of every AC session."""
    for number, (name, truth) in enumerate(ACS.items()):
        for i in range(each):
            yield Seen(f"{name}-{i}", ac_session(name, random.Random(seed * 100_003 + 1000 * number + i)), truth)
