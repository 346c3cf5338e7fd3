"""Courses drawn by hand, not by the simulator, as displays and loggers show them: what held longest, and the verdict."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pytest

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import report_of
from gladwire.core.power.chain import Context

T = np.arange(0.0, 2700.0)
RAMP = np.clip((T - 15) / 40, 0, 1)


def drawn(kw: np.ndarray, pack_kwh: float = 120.0, start: float = 12.0, every: int = 1, digits: int = 1) -> PowerRecord:
    """kW with a little noise and whole percents of the charge they make."""
    rng = np.random.default_rng(5)
    seen = np.maximum(kw + rng.normal(0, 0.3, len(kw)) * (kw > 1), 0)
    total = np.concatenate([[0.0], np.cumsum(0.5 * (seen[1:] + seen[:-1]) / 3600)])
    soc = np.minimum(start + 100 * total / pack_kwh, 100.0)
    return PowerRecord(T[::every], {"power_kw": np.round(seen[::every], digits), "soc_percent": np.floor(soc)[::every]})


def through(*points: tuple[float, float]) -> np.ndarray:
    return np.interp(T, [p[0] for p in points], [p[1] for p in points])


def stairs() -> np.ndarray:
    """A vehicle that steps its request down at states of charge of its own."""
    levels = [(0, 170), (24, 148), (33, 131), (45, 110), (56, 92), (68, 71), (78, 48), (88, 25)]
    kw, soc = np.zeros(len(T)), 12.0
    for i, ramp in enumerate(RAMP):
        kw[i] = next(level for least, level in reversed(levels) if soc >= least) * ramp
        soc += kw[i] / 3600 / 75 * 100
    return kw


def dips() -> np.ndarray:
    kw = 150 * RAMP
    kw[400:520], kw[900:1300], kw[1600:1750] = 75, 100, 75
    return kw


def stepped() -> np.ndarray:
    return np.select([T < 500, T < 900, T < 1300, T < 1700], [150, 100, 75, 100], 150.0) * RAMP


class Drawn(NamedTuple):
    name: str
    kw: Callable[[], np.ndarray]
    limiter: str
    verdict: str
    by: str
    known: Context | None = None
    pack_kwh: float = 120.0


CASES = (
    Drawn("stairs of a vehicle", stairs, "vehicle_taper", "normal", "none", pack_kwh=75),
    Drawn("125 A, only kW read", lambda: 0.125 * (330 + T / 45) * RAMP, "evse_current", "normal", "none", pack_kwh=60),
    Drawn("125 A, the rating known", lambda: 0.125 * (330 + T / 45) * RAMP, "evse_current", "normal", "none",
          Context(post_kw=50, post_a=125, vehicle_kw=150), 60),
    Drawn("a cold start that opens",
          lambda: through((0, 0), (60, 34), (500, 38), (900, 100), (1500, 112), (2700, 40)),
          "unexplained", "unknown", "unknown"),
    Drawn("a cold start that opens, the weather known",
          lambda: through((0, 0), (60, 34), (500, 38), (900, 100), (1500, 112), (2700, 40)),
          "vehicle_cold", "normal", "none", Context(ambient_c=-4)),
    Drawn("three dips", dips, "evse_power", "derated", "site"),
    Drawn("down and up in steps", stepped, "evse_power", "derated", "site", pack_kwh=200),
    Drawn("folded back slowly",
          lambda: through((0, 0), (55, 150), (700, 150), (1100, 102), (1500, 102), (1900, 150), (2700, 150)),
          "evse_power", "derated", "unknown", pack_kwh=200),
    Drawn("a buffer that runs dry", lambda: np.where(T < 700, 180, 62) * RAMP, "site_supply", "derated", "site",
          Context(post_kw=180, grid_kw=62, buffer_kwh=30, vehicle_kw=220)),
    Drawn("two glitches of a display", lambda: np.where(np.isin(T, [600, 1200, 1201]), 0, 120.0) * RAMP,
          "evse_power", "normal", "none", pack_kwh=150),
    Drawn("boost, then the cable's rating",
          lambda: through((0, 0), (40, 210), (280, 212), (300, 165), (2700, 182)), "cable_rating", "normal", "none",
          Context(cable_a=500, post_kw=300, pack_class_v=400, vehicle_kw=250), 200),
    Drawn("the vehicle's own limit", lambda: 77 * RAMP, "vehicle_limit", "normal", "none",
          Context(post_kw=150, post_a=350, vehicle_kw=77, pack_class_v=400)),
    Drawn("84 kW on a 500 V post, 800 V pack", lambda: 84 * RAMP, "vehicle_converter", "normal", "none",
          Context(post_v=500, post_kw=150, pack_class_v=800), 100),
    Drawn("slow all along, nothing tells why", lambda: 61 * RAMP, "unexplained", "unknown", "unknown",
          Context(post_kw=150)),
)  # fmt: skip


@pytest.mark.parametrize(("every", "digits"), [(1, 1), (10, 0)], ids=["logger", "display"])
@pytest.mark.parametrize("case", CASES, ids=lambda c: c.name)
def test_what_held_longest_and_the_verdict(case: Drawn, every: int, digits: int) -> None:
    report = report_of(drawn(case.kw(), case.pack_kwh, every=every, digits=digits), case.known)
    longest = max((e for e in report.totals if e.limiter not in ("none", "ramp")), key=lambda e: e.minutes)
    assert longest.limiter == case.limiter
    assert (report.verdict, report.by) == (case.verdict, case.by)
    assert sum(e.shortfall_kwh for e in report.entries) == pytest.approx(
        report.expected_kwh - report.energy_kwh, abs=1e-6
    )


def test_a_label_in_kw_is_no_promise_at_any_volts() -> None:
    """200 A all along behind a label of 150 kW: the post gives all its amperes, and nothing is missing."""
    volts = 350 + T / 90
    record = PowerRecord(T, {"volts_v": volts, "amps_a": 200 * RAMP, "soc_percent": np.floor(15 + T / 60)})
    report = report_of(record, Context(announced_kw=150, vehicle_kw=170, pack_class_v=400))
    longest = max(report.entries, key=lambda e: e.minutes)
    assert (longest.limiter, report.verdict) == ("evse_current", "normal")
    assert abs(longest.shortfall_kwh) < 0.3
    rated = report_of(record, Context(announced_kw=150, post_a=400, vehicle_kw=170, vehicle_a=500, pack_class_v=400))
    entry = max(rated.entries, key=lambda e: e.minutes)
    assert "vehicle_limit" in (entry.limiter, *entry.also)
    assert (rated.verdict, rated.by) != ("derated", "evse")


def test_a_time_in_which_nothing_was_read_is_said_and_claims_nothing() -> None:
    whole = drawn(150 * RAMP, 200)
    keep = (T < 900) | (T > 1200)
    report = report_of(PowerRecord(T[keep], {key: values[keep] for key, values in whole.values.items()}))
    silent = next(e for e in report.entries if e.start_s >= 899 and e.limiter == "unexplained")
    assert (silent.end_s - silent.start_s) == pytest.approx(302, abs=3)
    assert "Nothing was read for 5.0 min" in silent.evidence[0]
    assert (silent.energy_kwh, report.verdict) == (0.0, "normal")


def test_a_step_that_stays_is_the_vehicles_or_a_neighbours_and_the_ledger_says_so() -> None:
    """No step of SoC at the fall, nothing after it: neither can be proven, and nobody is accused."""
    soc = np.floor(20 + T / 90)
    times = T.copy()
    at = 1000 + np.argmin([np.abs(np.flatnonzero(np.diff(soc) > 0) - t).min() < 30 for t in range(1000, 1100)])
    kw = np.where(times < at, 150.0, 120.0) * RAMP
    report = report_of(PowerRecord(times, {"power_kw": kw, "soc_percent": soc}))
    entry = next(e for e in report.entries if e.start_s >= at - 2)
    could = {entry.limiter, *entry.also}
    assert "shared_cabinet" in could
    assert could & {"vehicle_taper", "vehicle_limit"}
    assert report.verdict in ("unknown", "normal")
