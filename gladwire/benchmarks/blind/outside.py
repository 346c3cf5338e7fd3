"""Captures that no tool of ours made, with what is true of them; how each was made stands in `outside/ORIGIN.md`.

Pilots by a circuit simulator, seen here by instruments of many kinds; conversations of another protocol stack; power by a
battery model, logged here as people log.
"""

from __future__ import annotations

import csv
import random
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np

from gladwire.benchmarks.blind.power import Logged
from gladwire.benchmarks.blind.truth import Truth
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.signal.waveform import Recording, Waveform

FOLDER = Path(__file__).parent / "outside"
_FINE_HZ = 250e3
_NO_CONTACT = ("interrupt", "contact opens", "loose pilot contact")
CHARGED = ("charged", "unknown")
_DROPPED = Truth(("dropped_out",), {"request": ("proven",), "hold": ("failed",)}, never=_NO_CONTACT)


def healthy(*proven: str, never: tuple[str, ...] = ("interrupt",)) -> Truth:
    return Truth(CHARGED, {stage: ("proven",) for stage in proven}, healthy=True, never=never)


def of(causes: tuple[str, ...], owners: tuple[str, ...], truth: Truth | None = None, **more: object) -> Truth:
    kept = {**vars(truth or Truth()), "causes": causes, "owners": owners, **more}
    return Truth(**kept)


_POST_STOPPED = ("post_dead_or_unavailable", "post_stopped_with_error", "earth_fault_trip", "pilot_shorted_to_pe")
_WAITING_FAILED = Truth(("failed_to_start", "unknown"), {"pilot": ("failed", "proven")}, never=_NO_CONTACT)

# The ends at which it can be measured, and the truth there.
PILOTS: dict[str, tuple[tuple[str, ...], Truth]] = {
    "healthy_16": (("post", "inlet"), healthy("pilot", "offer", "request")),
    "healthy_32": (("post", "inlet"), healthy("pilot", "offer", "request")),
    "healthy_6": (("post", "inlet"), healthy("pilot", "offer", "request")),
    "healthy_bounces": (("post",), healthy("pilot", "offer", "request", never=("dropped out", "loose pilot contact"))),
    "healthy_pause": (("post", "inlet"), healthy("pilot", "offer", "request", never=_NO_CONTACT)),
    "healthy_talks": (("post", "inlet"), healthy("pilot", never=_NO_CONTACT)),
    "core_300": (("post",), of(("corroded_contact",), ("cable",))),
    "core_900": (("post",), of(("corroded_contact",), ("cable",))),
    "earth_500": (("post",), of(("corroded_contact", "pe_resistive", "pe_open"), ("cable",))),
    "wet": (("post",), of(("water_or_leakage", "pilot_source_weak"), ("cable", "evse"))),
    "shorted_in_charge": (("post",), of(_POST_STOPPED, ("evse", "cable", "vehicle"), _DROPPED)),
    "shorted_in_waiting": (("post",), of(_POST_STOPPED, ("evse", "cable"), _WAITING_FAILED)),
    "dead_in_charge": (("post",), of(_POST_STOPPED, ("evse", "cable", "vehicle"), _DROPPED)),
    "minus_in_charge": (("post", "inlet"), of(_POST_STOPPED[:2], ("evse",), _DROPPED)),
    "minus_in_waiting": (("post", "inlet"), of(_POST_STOPPED[:2], ("evse",), _WAITING_FAILED)),
    "rests_before_anew": (("post",), Truth(CHARGED, {}, healthy=True, never=_NO_CONTACT)),
    "core_opens": (
        ("post", "inlet"),
        of(
            ("loose_contact", "pilot_open", "pilot_contact_in_session"),
            ("cable",),
            Truth(("dropped_out", "failed_to_start"), {"hold": ("failed",)}, says=("interrupted",)),
        ),
    ),
    "drawn": (
        ("post",),
        of(
            ("pilot_open", "loose_contact", "pilot_contact_in_session", "plug_drawn_while_charging"),
            ("cable", "site"),
            Truth(("dropped_out",), {"hold": ("failed",)}),
        ),
    ),
    "diode_shorted": (("post", "inlet"), of(("diode_shorted",), ("vehicle",))),
    "never_asks": (
        ("post", "inlet"),
        of(
            ("vehicle_not_asking", "request_branch_open"),
            ("vehicle",),
            Truth(("failed_to_start", "unknown"), {"offer": ("proven",), "request": ("not_reached",)}),
        ),
    ),
    "asks_for_air": (("post", "inlet"), of(("ventilation_demanded",), ("vehicle",))),
    "weak_source": (("post",), of(("pilot_source_weak",), ("evse",), never=("pulled up", "damaged diode"))),
    "one_rail": (("post",), of(("pilot_source_weak", "water_or_leakage"), ("evse", "cable"))),
    "off_frequency": (("post", "inlet"), of(("pilot_frequency_off",), ("evse",), Truth((), {"offer": ("failed",)}))),
    "steps_down": (
        ("post", "inlet"),
        of(
            ("site_withdraws_offer", "offer_lowered_by_site"),
            ("site", "evse"),
            Truth(
                ("derated", *CHARGED), {"request": ("proven",)}, never=_NO_CONTACT, says=("changed|lowered|stepped",)
            ),
        ),
    ),
    "withdrawn": (
        ("post", "inlet"),
        of(
            ("post_has_nothing_to_offer", "site_withdraws_offer"),
            ("evse", "site"),
            Truth(("dropped_out", "unknown"), {"request": ("proven",)}, never=_NO_CONTACT, says=("withdraws|pauses",)),
        ),
    ),
    "hunts": (
        ("post", "inlet"),
        of(
            ("vehicle_refuses_and_retries",),
            ("vehicle",),
            Truth(("failed_to_start", "dropped_out"), {"request": ("failed",)}),
        ),
    ),
    "alone": (("post",), of(("oscillating_with_nothing_connected",), ("evse",), says=("nothing connected",))),
    "nothing_offered": (
        ("post",),
        of(
            ("not_authorised", "post_has_nothing_to_offer"),
            ("backend", "evse", "site"),
            Truth(("failed_to_start", "unknown"), {"pilot": ("proven",), "offer": ("not_reached",)}),
        ),
    ),
    "unavailable": (
        ("post",),
        of(("post_dead_or_unavailable",), ("evse",), Truth(("failed_to_start", "unknown"), {"pilot": ("failed",)})),
    ),
    "healthy_bounces_out": (("post", "inlet"), healthy("pilot", "offer", "request", never=_NO_CONTACT)),
    "healthy_regulated": (
        ("post", "inlet"),
        Truth(
            ("derated", *CHARGED),
            {"request": ("proven",), "offer": ("proven",)},
            never=_NO_CONTACT,
            says=("changed|lowered",),
        ),
    ),
    "healthy_wakes": (("post", "inlet"), healthy("pilot", "offer", "request", never=_NO_CONTACT)),
    "healthy_twice": (("post",), healthy("pilot", "offer", "request", never=_NO_CONTACT)),
    "request_high": (
        ("post", "inlet"),
        of(("corroded_contact", "request_branch_open", "r3_off"), ("cable", "vehicle")),
    ),
    "presence_high": (("post", "inlet"), of(("corroded_contact", "r2_off"), ("cable", "vehicle"))),
    "half_leak": (("post",), of(("water_or_leakage", "pilot_source_weak"), ("cable", "evse"))),
    # At few samples a pulse is seen now and then only.
    "duty_3": (("post", "inlet"), Truth((), {"offer": ("failed", "not_captured")}, never=("post offers",))),
    # What that duty means lies within its doubt at most rates; then nothing is said.
    "duty_7_5": (
        ("post", "inlet"),
        Truth(("failed_to_start", "unknown"), {"offer": ("failed", "not_captured")}, never=("post offers",)),
    ),
    "resets_in_charge": (("post",), of(_POST_STOPPED, ("evse", "cable", "vehicle"), _DROPPED)),
    "trips_again": (("post", "inlet"), of(_POST_STOPPED[:2], ("evse",), _DROPPED)),
    "earth_opens": (
        ("post", "inlet"),
        of(
            ("loose_contact", "pilot_open", "pilot_contact_in_session"),
            ("cable",),
            Truth(("dropped_out", "failed_to_start"), {"hold": ("failed",)}, says=("interrupted",)),
        ),
    ),
    "core_worsens": (("post",), of(("corroded_contact",), ("cable",))),
    "source_drops": (("post",), of(("pilot_source_weak",), ("evse",))),
}


# No reading of these tells a probe's factor, or its polarity.
_OFF_LEVELS = frozenset(
    {"wet", "weak_source", "one_rail", "unavailable", "nothing_offered", "minus_in_waiting"}
    | {
        "alone",
        "half_leak",
        "duty_3",
        "duty_7_5",
        "source_drops",
        "core_900",
        "core_worsens",
        "presence_high",
        "request_high",
    }
)
_OF_ONE_LEVEL = frozenset({"unavailable", "alone", "diode_shorted"})


class Seen(NamedTuple):
    name: str
    recording: Recording
    truth: Truth


def seen(name: str, end: str, r: random.Random) -> Recording:
    """One simulated pilot at one end of the cable, as some instrument stores it."""
    with np.load(FOLDER / "pilots" / f"{name}.npz") as kept:
        fine = kept[end] / 1000.0
    # A pulse of 15 us lies between two samples of the slowest.
    every = r.choice((1, 2, 3) if name == "duty_3" else (1, 2, 3, 5))
    begins = r.randrange(every)
    volts = fine[begins::every]
    rng = np.random.default_rng(r.randrange(2**31))
    probe = 0.1 if name not in _OFF_LEVELS and r.random() < 0.25 else 1.0
    flip = -1.0 if name not in _OF_ONE_LEVEL and r.random() < 0.25 else 1.0
    reach = r.choice((16.0, 20.0, 25.0, 32.0)) * probe
    step = 2 * reach / 2 ** r.choice((8, 10, 12))
    noisy = flip * probe * (volts + rng.normal(0.0, r.choice((0.01, 0.05, 0.12)), len(volts)))
    stored = np.clip(np.round(noisy / step) * step, -reach, reach).astype(np.float32)
    return Recording((Waveform("CP", stored, _FINE_HZ / every, 0.0, "V"),), "scope-csv")


def pilots(each: int, seed: int) -> Iterator[Seen]:
    """So many views of every circuit."""
    for number, (name, (ends, truth)) in enumerate(PILOTS.items()):
        for i in range(each):
            r = random.Random(seed * 100_003 + 1000 * number + i)
            end = r.choice(ends)
            yield Seen(f"{name}-{end}-{i}", seen(name, end, r), truth)


_TALKED_DROPPED = Truth(("dropped_out",), {"hold": ("failed",)})
_TALKED_DERATED = Truth(("derated",), {"hold": ("proven",), "end": ("proven",)})
_TALKED_STOPS = Truth(("failed_to_start",), {"precharge": ("failed",), "insulation": ("proven",)})
_POSTS = ("post_controller_hangs",)
_VEHICLES = ("vehicle_controller_silent",)
# By the name without its protocol. Who cut the line, and that it was cut, no capture shows that ends with it.
CONVERSATIONS: dict[str, Truth] = {
    "post_healthy": Truth(("charged",), {"hold": ("proven",), "end": ("proven",)}, healthy=True),
    "post_lowered": of(
        ("offer_lowered_by_site", "cabinet_shared", "post_derates"),
        ("site", "evse"),
        _TALKED_DERATED,
        says=("lowers its limit",),
    ),
    "post_gives_less": of(
        ("modules_missing", "cabinet_shared", "post_derates"), ("site", "evse"), _TALKED_DERATED, says=("gives 32 A",)
    ),
    "post_nothing_offered": of(
        ("post_has_no_power_to_give",),
        ("site", "evse"),
        Truth(("failed_to_start",), {"hold": ("not_reached", "not_captured")}),
    ),
    "post_shutdown": of(
        ("station_stop",), ("site", "evse"), Truth(("charged", "dropped_out"), {"precharge": ("proven",)})
    ),
    "post_malfunction": of(("post_malfunctions",), ("evse",), _TALKED_DROPPED),
    "post_precharge_low": of(("precharge_output_low",), ("evse",), _TALKED_STOPS),
    "post_frozen": of(_POSTS, ("evse",), _TALKED_DROPPED),
    "post_killed": of(_POSTS, ("evse",), _TALKED_DROPPED),
    "post_line": Truth(("unknown", "dropped_out"), {"end": ("not_captured", "not_reached", "failed")}, healthy=True),
    "post_only_ac": of(("no_kind_in_common",), ("evse",), Truth(("failed_to_start",), {"agree": ("failed",)})),
    "post_older": of(("no_protocol_in_common",), ("evse",), Truth(("failed_to_start",), {"agree": ("failed",)})),
    "vehicle_asks_less": Truth(
        ("charged", "derated"), {"hold": ("proven",), "end": ("proven",)}, never=("lowers its limit",)
    ),
    "vehicle_too_hot": of(("vehicle_reports_error",), ("vehicle",), _TALKED_DROPPED),
    "vehicle_never_closes": of(("vehicle_does_not_close",), ("vehicle",), _TALKED_STOPS),
    "vehicle_frozen": of(_VEHICLES, ("vehicle",), _TALKED_DROPPED),
    "vehicle_killed": of(_VEHICLES, ("vehicle",), _TALKED_DROPPED),
    "vehicle_line": Truth(("unknown", "dropped_out"), {"end": ("not_captured", "not_reached", "failed")}, healthy=True),
}


class Heard(NamedTuple):
    name: str
    path: Path
    truth: Truth


def conversations() -> list[Heard]:
    paths = sorted((FOLDER / "conversations").glob("*.pcap"))
    return [Heard(path.stem, path, CONVERSATIONS[path.stem.partition("_")[2]]) for path in paths]


_ALSO: dict[str, tuple[str, ...]] = {
    "vehicle_taper": ("vehicle_taper", "vehicle_limit"),
    "vehicle_limit": ("vehicle_limit", "vehicle_taper"),
}
# What people would know of each.
KNOWN: dict[str, dict[str, float]] = {
    "post_amps": {"post_a": 125.0},
    "post_amps_high": {"post_a": 100.0, "pack_class_v": 800.0},
    "post_kw": {"post_kw": 50.0},
    "post_kw_high": {"post_kw": 75.0, "pack_class_v": 800.0},
    "post_kw_flat": {"post_kw": 50.0},
    "cable": {"cable_a": 200.0, "post_kw": 150.0, "post_a": 400.0},
    "adapter": {"adapter_a_continuous": 150.0, "post_kw": 150.0, "post_a": 400.0},
    "boost": {"cable_a": 200.0, "cable_boost_a": 260.0, "cable_boost_min": 5.0, "post_kw": 180.0},
    "stairs": {"post_kw": 180.0, "post_a": 500.0},
    "stairs_flat": {"post_kw": 180.0, "post_a": 500.0},
    "vehicle_amps": {"post_kw": 150.0, "post_a": 400.0, "vehicle_a": 110.0},
    "neighbour": {"post_kw": 75.0},
    "neighbour_stays": {"post_kw": 70.0},
    "buffer": {"post_kw": 80.0, "grid_kw": 38.0, "buffer_kwh": 9.0},
    "throttled": {"post_a": 200.0, "post_kw": 180.0},
}


def logged(name: str, r: random.Random) -> Logged:
    """One simulated charge, as somebody logs it: how often, which columns, how rounded, to which SoC."""
    with (FOLDER / "power" / f"{name}.csv").open() as file:
        rows = [row for row in csv.DictReader(file) if float(row["soc_percent"]) <= r.uniform(80.0, 97.0)]
    rows = rows[:: r.choice((1, 1, 2, 6))]
    columns = r.choice((("volts_v", "amps_a"), ("volts_v", "amps_a"), ("power_kw",), ("volts_v", "amps_a", "power_kw")))
    every = {key: np.array([float(row[key]) for row in rows]) for key in ("volts_v", "amps_a", "soc_percent")}
    rng = np.random.default_rng(r.randrange(2**31))
    every["amps_a"] *= 1.0 + rng.normal(0.0, r.choice((0.0, 0.002, 0.004)), len(rows))
    every["power_kw"] = every["volts_v"] * every["amps_a"] / 1000.0
    values = {key: every[key] for key in (*columns, "soc_percent")}
    values["soc_percent"] = np.floor(values["soc_percent"])
    for key, step in {
        "volts_v": r.choice((0.1, 1.0)),
        "amps_a": r.choice((0.1, 1.0)),
        "power_kw": r.choice((0.1, 0.5)),
    }.items():
        if key in values:
            values[key] = np.round(values[key] / step) * step
    record = PowerRecord(np.array([float(row["time_s"]) for row in rows]), values)
    return Logged(record, [row["held_by"] for row in rows], KNOWN[name], _ALSO)


def charges(each: int, seed: int) -> Iterator[Logged]:
    for number, name in enumerate(KNOWN):
        for i in range(each):
            yield logged(name, random.Random(seed * 100_003 + 1000 * number + i))
