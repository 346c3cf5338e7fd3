"""Word for word what the ledger says of courses drawn by hand, of a simulated vehicle, and of ratings one at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import PowerReport, report_of
from gladwire.core.power.chain import At, Context, caps_at, nameplate
from gladwire.core.simulate.charge import Car, Spell
from tests.core.power.build import POST, played, seen
from tests.core.power.test_courses_drawn_by_hand import CASES, RAMP, Drawn, T, drawn
from tests.core.power.test_ledger import KNOWN


def told(report: PowerReport) -> list[str]:
    return [
        f"{report.verdict} by {report.by}, {report.sure:.2f} sure: {report.text} | {report.decides}",
        f"{report.energy_kwh:.2f} of {report.expected_kwh:.2f} kWh, {report.expected_words}",
        *(
            f"{e.start_s:.0f} to {e.end_s:.0f} s, {e.from_soc or 0:.1f} to {e.to_soc or 0:.1f} %, {e.limiter} "
            f"{e.confidence:.2f} at {e.level_kw:.1f} kW, "
            f"{round(e.shortfall_kwh, 2) + 0.0:.2f} kWh short, {e.minutes_cost or 0:.1f} min, "
            f"headroom {e.headroom_kwh or 0:.2f} kWh, or {', '.join(e.also) or 'nothing else'}: {' '.join(e.evidence)}"
            for e in report.entries
        ),
    ]


@pytest.mark.parametrize(("every", "digits"), [(1, 1), (10, 0), (60, 1)], ids=["logger", "display", "typed"])
@pytest.mark.parametrize("case", CASES, ids=lambda c: c.name)
def test_courses_drawn_by_hand(case: Drawn, every: int, digits: int, snapshot: SnapshotAssertion) -> None:
    assert told(report_of(drawn(case.kw(), case.pack_kwh, every=every, digits=digits), case.known)) == snapshot


def with_reading(key: str, **stay: object) -> PowerRecord:
    course = played(POST, **stay)
    return PowerRecord(course.time_s, seen(course).values | {key: np.round(getattr(course, key), 1)})


def few(*kw: float) -> PowerRecord:
    return PowerRecord(np.arange(len(kw)) * 200.0, {"power_kw": np.array(kw)})


def parted(joint_s: float) -> PowerRecord:
    """Two parts of a charge with ten minutes between, said to be joined at a moment."""
    kept = (T < 900) | ((T >= 1500) & (T < 2400))
    return PowerRecord(T[kept], {"power_kw": (np.where(T < 1200, 90.0, 88.0) * RAMP)[kept]}, joints=(joint_s,))


BIG = Car(cells=192, kwh=100.0, curve=((0, 200), (75, 200), (100, 10)), converter_kw=84.0)
AC = Context(ac_phases=3, offer_a=16, onboard_a=32, onboard_phases=3)
STAYS: Mapping[str, Callable[[], PowerReport]] = {
    "plain": lambda: report_of(seen(played(POST)), KNOWN),
    "plain, nothing known": lambda: report_of(seen(played(POST))),
    "plain, typed": lambda: report_of(seen(played(POST), every_s=30, kw_only=True), KNOWN),
    "plain, noisy": lambda: report_of(seen(played(POST), noise=0.004), KNOWN),
    "a neighbour": lambda: report_of(seen(played(POST, spells=(Spell(5.0, 11.0, 55.0),))), KNOWN),
    "a neighbour who was told of": lambda: report_of(seen(played(POST, spells=(Spell(5.0, 30.0, 55.0),))), KNOWN, (301.0,)),
    "a break": lambda: report_of(seen(played(POST, spells=(Spell(6.0, 9.0, 0.0),)))),
    "two breaks": lambda: report_of(seen(played(POST, spells=(Spell(6.0, 7.0, 0.0), Spell(9.0, 12.0, 0.0))))),
    "stopped early": lambda: report_of(seen(played(POST, stop_min=4.0, after_s=60.0))),
    "a cold pack": lambda: report_of(with_reading("pack_c", pack_c=2.0, amps=500.0), KNOWN),
    "a cold pack, no temperature": lambda: report_of(seen(played(POST, pack_c=2.0, amps=500.0))),
    "a hot pack": lambda: report_of(with_reading("pack_c", pack_c=52.0), KNOWN),
    "a warm cable": lambda: report_of(with_reading("connector_c", heats_c=220.0, fold_c=70.0, target_soc=70.0), KNOWN),
    "a warm cable, no temperature": lambda: report_of(seen(played(POST, heats_c=220.0, fold_c=70.0, target_soc=70.0)), KNOWN),
    "a buffer": lambda: report_of(seen(played(POST, buffer_kwh=14.0, grid_kw=40.0)),
                                  KNOWN.model_copy(update={"grid_kw": 40.0, "buffer_kwh": 14.0})),
    "an adapter": lambda: report_of(seen(played(POST, amps=200.0)),
                                    KNOWN.model_copy(update={"post_a": 500.0, "adapter_a_continuous": 200.0})),
    "equal ratings": lambda: report_of(seen(played(POST)), KNOWN.model_copy(update={"cable_a": 300.0})),
    "stairs": lambda: report_of(seen(played(POST, amps=500.0, stairs=6.0))),
    "a converter": lambda: report_of(
        seen(played(POST, car=BIG, volts=500.0, start_soc=8.0, target_soc=71.0, amps=400.0)),
        Context(post_v=500, post_kw=150, converter_kw=84, pack_class_v=800, vehicle_kw=200)),
    **{f"AC, {n} of 3 phases": lambda n=n: report_of(PowerRecord(T, {"power_kw": n * 3.68 * RAMP}), AC) for n in (1, 2, 3)},  # type: ignore[misc]
    "AC, a little less": lambda: report_of(PowerRecord(T, {"power_kw": 10.4 * RAMP}), AC),
    "too short to judge": lambda: report_of(PowerRecord(T[:40], {"power_kw": 50.0 * RAMP[:40]})),
    "nothing flows": lambda: report_of(PowerRecord(T, {"power_kw": 0.0 * T})),
    "modules": lambda: report_of(PowerRecord(T, {"power_kw": 90.0 * RAMP}), Context(post_kw=150, module_kw=30,
                                                                                              vehicle_kw=140)),
    "a label": lambda: report_of(PowerRecord(T, {"power_kw": 78.0 * RAMP}),
                                 Context(announced_kw=300, post_a=200, pack_class_v=400, vehicle_kw=250)),
    "three readings": lambda: report_of(few(50.0, 51.0, 50.0)),
    "four readings": lambda: report_of(few(50.0, 51.0, 50.0, 49.0)),
    "joined": lambda: report_of(parted(1200.0)),
    "not joined there": lambda: report_of(parted(2000.0)),
    "gaps": lambda: report_of(PowerRecord(T, {"power_kw": np.where((T > 900) & (T < 1100), np.nan, 120.0 * RAMP)})),
    "counter only": lambda: report_of(PowerRecord(T[::30], {"energy_kwh": np.round(np.cumsum(120 * RAMP)[::30] / 3600, 2)})),
}  # fmt: skip


@pytest.mark.parametrize("name", STAYS)
def test_stays(name: str, snapshot: SnapshotAssertion) -> None:
    assert told(STAYS[name]()) == snapshot


EVERYTHING = Context(
    post_kw=150, post_a=400, post_v=920, post_min_v=150, announced_kw=300, connector_a=500, cable_a=300, cable_boost_a=500,
    cable_boost_min=5, cable_code_a=63, adapter_a_continuous=180, adapter_a_peak=250, grid_kw=80, buffer_kwh=20,
    pack_class_v=400, pack_kwh=75, vehicle_kw=170, vehicle_a=420, converter_kw=50, cabinet_kw=300, neighbours=2,
    neighbour_kw=70, share="demand",
)  # fmt: skip
CONTEXTS: Mapping[str, Context] = {
    "everything": EVERYTHING,
    "shared equally": EVERYTHING.model_copy(update={"share": "equal"}),
    "first come": EVERYTHING.model_copy(update={"share": "first"}),
    "neighbours who take much": EVERYTHING.model_copy(update={"neighbour_kw": 400.0}),
    "neighbours nobody measured": EVERYTHING.model_copy(update={"neighbour_kw": None}),
    "one neighbour": EVERYTHING.model_copy(update={"neighbours": 1}),
    "no boost": EVERYTHING.model_copy(update={"cable_boost_a": None}),
    "no buffer": EVERYTHING.model_copy(update={"buffer_kwh": 0.0}),
    "a high pack at a low post": EVERYTHING.model_copy(update={"pack_class_v": 800.0, "post_v": 500.0}),
    "an unknown adapter": EVERYTHING.model_copy(update={"adapter_a_continuous": None, "adapter_supported": False}),
    "modules of 30 kW": EVERYTHING.model_copy(update={"module_kw": 30.0, "cabinet_kw": 310.0}),
    "cold": EVERYTHING.model_copy(update={"pack_c": 3.0}),
    "hot": EVERYTHING.model_copy(update={"pack_c": 51.0}),
    "a curve": EVERYTHING.model_copy(update={"vehicle_curve": ((0.0, 160.0), (50.0, 160.0), (100.0, 10.0))}),
    "AC": Context(ac_phases=3, offer_a=32, onboard_a=16, onboard_phases=3, cable_code_a=20),
    "AC, one phase on board": Context(ac_phases=3, offer_a=32, onboard_a=32, onboard_phases=1),
    "nothing": Context(),
}


@pytest.mark.parametrize("name", CONTEXTS)
def test_every_rating_at_a_few_moments(name: str, snapshot: SnapshotAssertion) -> None:
    context, lines = CONTEXTS[name], []
    for soc, minute, volts in (
        (10.0, 0.5, 330.0),
        (20.0, 4.95, 340.0),
        (20.0, 5.05, 340.0),
        (50.0, 6.0, 360.0),
        (85.0, 25.0, 390.0),
        (50.0, 6.0, None),
    ):
        at = At(volts, soc, 60 * minute, context.pack_c, 1.2 * minute)
        found = caps_at(context, at)
        lines += [f"{soc:g} % {minute:g} min {cap.limiter}: {kw[0]:.3f} kW, {cap.says(context)}" for cap, kw in found]
    plate = nameplate(context, 350.0)
    assert [*lines, str(plate)] == snapshot
