"""Courses and ratings shaken: one rating, stretch or instrument changed at a time, and what then held, and for how long."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import PowerReport, report_of
from gladwire.core.power.chain import CAPS, At, Context, caps_at
from tests.core.power.build import POST, played, seen
from tests.core.power.test_courses_drawn_by_hand import RAMP, T, drawn, through
from tests.core.power.test_ledger import KNOWN
from tests.core.power.test_told_of_power import EVERYTHING


def brief(report: PowerReport) -> str:
    held = ", ".join(
        f"{e.limiter} {e.minutes:.1f} min {e.level_kw:.0f} kW {round(e.shortfall_kwh, 1) + 0.0:.1f} kWh {e.confidence:.2f}"
        for e in report.entries
    )
    return f"{report.verdict} by {report.by}: {held}"


def differences(base: str, variants: Iterator[tuple[str, str]]) -> list[str]:
    return [f"{name}: {now}" for name, now in variants if now != base]


def test_one_rating_at_a_time(snapshot: SnapshotAssertion) -> None:
    record = seen(played(POST), every_s=5)
    steps = {key: value for key, value in KNOWN.model_dump().items() if isinstance(value, float)}
    more = {"cable_a": 300.0, "connector_a": 300.0, "adapter_a_continuous": 300.0, "module_kw": 30.0, "grid_kw": 100.0,
            "announced_kw": 200.0, "cabinet_kw": 200.0, "converter_kw": 60.0, "vehicle_kw": 130.0}  # fmt: skip

    def variants() -> Iterator[tuple[str, str]]:
        for key, value in {**steps, **more}.items():
            for share in (None, 0.5, 0.8, 0.97, 1.0, 1.03, 1.3):
                other = None if share is None else share * value
                if key == "pack_class_v" and other and not 48 <= other <= 1500:
                    continue
                yield f"{key} as {other}", brief(report_of(record, KNOWN.model_copy(update={key: other})))

    assert differences(brief(report_of(record, KNOWN)), variants()) == snapshot


SHAPES: Mapping[str, np.ndarray] = {
    "level": 120.0 * RAMP,
    "creeping up": 0.3 * (330 + T / 45) * RAMP,
    "falling": through((0, 0), (55, 150), (900, 150), (2700, 30)),
    "a step": np.where(T < 1200, 150.0, 75.0) * RAMP,
}


@pytest.mark.parametrize("name", SHAPES)
def test_one_stretch_at_a_time(name: str, snapshot: SnapshotAssertion) -> None:
    base = SHAPES[name]

    def variants() -> Iterator[tuple[str, str]]:
        for first in (0, 60, 400, 1150, 1250, 2400):
            for lasts in (5, 20, 60, 180, 600):
                for share in (0.0, 0.4, 0.9, 1.1):
                    changed = base.copy()
                    changed[first : first + lasts] *= share
                    yield f"{first} s for {lasts} s times {share}", brief(report_of(drawn(changed, every=5)))
        for every in (1, 2, 10, 30, 60, 300):
            yield f"every {every} s", brief(report_of(drawn(base, every=every)))
        for digits in (0, 2):
            yield f"{digits} digits", brief(report_of(drawn(base, digits=digits)))
        for count in (2, 3, 4, 5, 10, 60, 119, 121, 300):
            yield f"first {count} s", brief(report_of(PowerRecord(T[:count], {"power_kw": base[:count]})))
        gap = np.where((T > 700) & (T < 900), np.nan, base)
        yield "a gap", brief(report_of(PowerRecord(T, {"power_kw": gap})))

    assert differences(brief(report_of(drawn(base))), variants()) == snapshot


def test_every_rating_over_charge_and_time(snapshot: SnapshotAssertion) -> None:
    """What each part lets through, over states of charge, minutes and volts."""
    lines = []
    for soc in (0.0, 9.9, 10.1, 49.0, 79.0, 81.0, 95.0, 100.0):
        for minute in (0.0, 4.9, 5.1, 30.0):
            for volts in (150.0, 349.0, 401.0, 800.0):
                at = At(volts, soc, 60.0 * minute, 20.0, 1.1 * minute)
                found = {f"{cap.part} {cap.limiter} {kw[0]:.2f}" for cap, kw in caps_at(EVERYTHING, at)}
                lines.append(f"{soc:g} % {minute:g} min {volts:g} V: {', '.join(sorted(found))}")
    assert len(CAPS) > 10
    assert lines == snapshot


def test_temperatures_of_a_pack(snapshot: SnapshotAssertion) -> None:
    lines = []
    for celsius in (-30.0, -10.0, -0.1, 0.1, 5.0, 9.9, 14.0, 19.0, 24.0, 30.0, 39.0, 44.0, 48.0, 52.0, 60.0):
        at = At(360.0, 50.0, 600.0, celsius, 10.0)
        found = [f"{cap.limiter} {kw[0]:.2f}" for cap, kw in caps_at(Context(vehicle_kw=150, pack_c=celsius), at)]
        lines.append(f"{celsius:g} °C: {', '.join(found)}")
    assert lines == snapshot
