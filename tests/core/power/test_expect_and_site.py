"""Expectation, division of cabinets and the search for who shares."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import chain_of, feeds_of, spec_of
from gladwire.core.power.expect import CHANGES, chain_at, expect, missing_for, sensitivity
from gladwire.core.power.sharing import SiteSession, pairs_of, plan_tests, topology
from gladwire.core.power.site import Arrival, BayOption, Cabinet, Stall, bays_for, divide, play_site

CAR = Context(pack_class_v=400, pack_kwh=60, vehicle_kw=120, vehicle_a=400)
AT_POST = CAR.model_copy(update={"post_kw": 150.0, "post_a": 250.0, "post_v": 920.0})


def test_an_expectation_gives_the_packs_energy_at_no_more_than_any_part_lets_through() -> None:
    found = expect(AT_POST, 10, 80)
    assert found.energy_kwh == pytest.approx(0.7 * 60, rel=1e-6)
    assert np.trapezoid(found.power_kw, found.time_s) / 3600 == pytest.approx(found.energy_kwh, rel=0.02)
    assert found.minutes == pytest.approx(found.time_s[-1] / 60)
    assert (found.power_kw <= 120 + 1e-9).all()
    assert (found.amps_a <= 250 + 1e-6).all()
    assert found.limiters[0] == "ramp"
    assert "evse_current" in found.limiters
    assert found.limiters[-1] == "vehicle_taper"


@settings(deadline=None)
@given(st.floats(10, 400), st.floats(50, 600))
def test_a_larger_post_is_never_slower(kw: float, amps: float) -> None:
    small = expect(CAR.model_copy(update={"post_kw": kw, "post_a": amps}), 20, 60)
    large = expect(CAR.model_copy(update={"post_kw": kw * 1.3, "post_a": amps * 1.3}), 20, 60)
    assert large.minutes <= small.minutes + 0.05


def test_a_post_below_the_packs_volts_charges_through_the_converter_or_not_at_all() -> None:
    high = CAR.model_copy(update={"pack_class_v": 800.0, "post_kw": 150.0, "post_a": 400.0, "post_v": 500.0})
    assert expect(high.model_copy(update={"converter_kw": 50.0}), 10, 50).power_kw.max() == pytest.approx(50.0)
    stuck = expect(high, 10, 50)
    assert stuck.reached_soc < 12
    small = CAR.model_copy(update={"pack_class_v": 100.0, "post_kw": 50.0, "post_min_v": 150.0})
    assert "evse_voltage" in expect(small, 10, 50).limiters


def test_boost_lasts_its_minutes_and_a_cold_pack_warms() -> None:
    cable = AT_POST.model_copy(
        update={"post_a": 600.0, "cable_a": 200.0, "cable_boost_a": 300.0, "cable_boost_min": 4.0}
    )
    found = expect(cable, 10, 60)
    early, late = found.amps_a[(found.time_s > 100) & (found.time_s < 230)], found.amps_a[found.time_s > 260]
    assert early.max() == pytest.approx(300, rel=0.02)
    assert late.max() <= 201
    cold = expect(AT_POST.model_copy(update={"pack_c": 0.0}), 10, 60)
    assert cold.minutes > expect(AT_POST, 10, 60).minutes * 1.3
    assert cold.pack_c[-1] > 3.0


def test_the_narrowest_part_is_marked_once_and_changes_are_told_by_what_they_save() -> None:
    shared = AT_POST.model_copy(update={"cabinet_kw": 150.0, "neighbours": 1, "pack_c": 24.0})
    links = chain_at(shared, 30)
    narrow = [link for link in links if link.narrowest]
    assert [link.limiter for link in narrow] == ["shared_cabinet"]
    told = sensitivity(shared, 10, 60)
    assert told[0].minutes == max(told, key=lambda c: abs(c.minutes)).minutes
    alone = next(c for c in told if c.words == "a stall no neighbour shares")
    other = expect(shared.model_copy(update={"neighbours": 0}), 10, 60).minutes
    assert alone.minutes == pytest.approx(expect(shared, 10, 60).minutes - other)


def test_each_change_leaves_a_context_alone_that_it_does_not_concern() -> None:
    assert all(change.otherwise(CAR) is None for change in CHANGES)


def test_an_ac_charge_takes_the_least_of_offer_lead_and_charger() -> None:
    base = {"pack_kwh": 50.0, "onboard_a": 16.0, "onboard_phases": 3, "ac_phases": 3, "offer_a": 32.0}
    assert expect(Context(**base), 20, 40).power_kw.max() == pytest.approx(3 * 16 * 0.23)
    lead = Context(**base, cable_code_a=13.0)
    assert expect(lead, 20, 40).power_kw.max() == pytest.approx(3 * 13 * 0.23)
    single = Context(**{**base, "ac_phases": 1})
    assert expect(single, 20, 40).power_kw.max() == pytest.approx(16 * 0.23)


def test_what_is_missing_is_said() -> None:
    assert len(missing_for(Context())) == 4
    with pytest.raises(ValueError, match="usable kWh"):
        expect(Context(post_kw=50, vehicle_kw=50, pack_class_v=400), 10, 80)
    with pytest.raises(ValueError, match="above the start"):
        expect(AT_POST, 80, 10)


def test_equipment_makes_a_chain_and_refuses_what_cannot_be() -> None:
    vehicle = spec_of("vehicle", {"pack_class_v": 400, "pack_kwh": 60, "vehicle_curve": [[10, 100], [80, 50]]})
    stall = spec_of("stall", {"post_kw": 150, "label": "3"})
    context = chain_of([vehicle, stall], pack_c=12.0, post_kw=None)
    assert (context.post_kw, context.pack_kwh, context.pack_c) == (150, 60, 12)
    with pytest.raises(ValueError, match=r"Usable energy \(kWh\)"):
        spec_of("vehicle", {"pack_kwh": -3})


policies = st.sampled_from(["equal", "first", "demand"])


@settings(deadline=None)
@given(st.lists(st.floats(0, 350), max_size=6), st.floats(20, 600), st.sampled_from([0.0, 25.0, 30.0]), policies)
def test_a_cabinet_never_gives_more_than_it_has_nor_than_is_wanted(
    wanted: list[float], kw: float, module: float, policy: str
) -> None:
    parts = divide(Cabinet(key="c", kw=kw, module_kw=module, policy=policy), wanted)
    assert len(parts) == len(wanted)
    assert sum(parts) <= kw + 1e-6
    assert all(0 <= part <= want + 1e-9 for part, want in zip(parts, wanted, strict=True))
    if not module:
        assert sum(parts) == pytest.approx(min(kw, sum(wanted)), rel=1e-9, abs=1e-9)


def test_policies_divide_as_they_are_named() -> None:
    def of(policy: str, module: float = 0.0) -> list[float]:
        return divide(Cabinet(key="c", kw=180, module_kw=module, policy=policy), [150.0, 90.0, 30.0])

    assert of("equal") == pytest.approx([75.0, 75.0, 30.0])
    assert of("first") == pytest.approx([150.0, 30.0, 0.0])
    assert of("demand") == pytest.approx([100.0, 60.0, 20.0])
    assert of("equal", 30.0) == pytest.approx([90.0, 60.0, 30.0])


@pytest.mark.parametrize(
    ("share", "theirs", "left"),
    [
        ("equal", None, 90.0),
        ("equal", 60.0, 120.0),
        ("equal", 150.0, 90.0),
        ("first", 60.0, 120.0),
        ("first", None, 30.0),
        ("demand", 75.0, 120.0),
        ("demand", None, 90.0),
    ],
)
def test_what_a_cabinet_leaves_follows_how_it_divides(share: str, theirs: float | None, left: float) -> None:
    """180 kW, posts of 150 kW, one neighbour: what `divide` gives the later of two that want the post in full."""
    context = Context(cabinet_kw=180, post_kw=150, post_a=500, neighbours=1, neighbour_kw=theirs, share=share)
    context = context.model_copy(update={"pack_class_v": 400.0, "vehicle_kw": 200.0, "pack_kwh": 60.0})
    shared = next(link for link in chain_at(context, 40.0) if link.limiter == "shared_cabinet")
    assert shared.kw == pytest.approx(left)
    assert {"equal": "evenly", "first": "first come", "demand": "by demand"}[share] in shared.says
    whole = divide(Cabinet(key="c", kw=180, policy=share), [theirs if theirs is not None else 150.0, 150.0])
    assert min(left, 150.0) == pytest.approx(whole[1])


def test_a_bay_fed_by_two_cabinets_draws_from_both_and_shares_with_either() -> None:
    cabinets = [Cabinet(key="North", kw=60), Cabinet(key="South", kw=60)]
    stalls = [Stall(key="A", cabinets=("North", "South"), kw=110), Stall(key="B", cabinets=("South",), kw=60)]
    alone = Arrival(stall="A", at_s=0.0, vehicle=CAR, start_soc=10, target_soc=50)
    assert play_site(cabinets, stalls, [alone])[0].power_kw.max() == pytest.approx(110.0, abs=1.0)
    late = Arrival(stall="B", at_s=300.0, vehicle=CAR, start_soc=10, target_soc=50)
    first, _ = play_site(cabinets, stalls, [alone, late])
    assert first.power_kw[(first.time_s > 400) & (first.time_s < 500)].max() < 95.0
    assert first.power_kw.max() == pytest.approx(110.0, abs=1.0)


def test_which_bay_never_tells_an_unknown_feeder_as_nobody() -> None:
    known = Context(post_kw=150, post_a=400, vehicle_kw=130, pack_class_v=400, pack_kwh=60)
    options = [
        BayOption(number, name, cabinets, "", known)
        for number, (name, cabinets) in enumerate(
            [("A", ("North", "South")), ("B", ("South",)), ("C", ("West",)), ("D", ())]
        )
    ]
    told = {bay.name: bay.avoid for bay in bays_for(options, 10, 60)}
    assert told == {
        "A": "B; not known of D",
        "B": "A; not known of D",
        "C": "none of those recorded; not known of D",
        "D": "not known: no cabinet is recorded for it",
    }
    assert feeds_of({"cabinet": "North, South + West"}) == ("North", "South", "West")


def site(seed: int, sharing: bool) -> list[SiteSession]:
    """Two stalls, five hosts at one and a guest at the other during each."""
    cabinets = [Cabinet(key="1", kw=120), Cabinet(key="2", kw=300)]
    stalls = [Stall(key="A", cabinets=("1",), kw=150), Stall(key="B", cabinets=("1",) if sharing else ("2",), kw=150)]
    rng = np.random.default_rng(seed)
    found = []
    for day in range(5):
        after = float(rng.uniform(300, 800))
        visits = play_site(
            cabinets,
            stalls,
            [
                Arrival(stall="A", at_s=0.0, vehicle=CAR, start_soc=10, target_soc=70),
                Arrival(stall="B", at_s=after, vehicle=CAR, start_soc=20, target_soc=60),
            ],
            1.2,
        )
        begun = day * 86400.0
        found += [SiteSession(v.arrival.stall, begun + v.arrival.at_s, v.time_s, v.power_kw) for v in visits]
    return found


@pytest.mark.parametrize("seed", range(4))
def test_who_shares_is_found_and_who_does_not_is_not_accused(seed: int) -> None:
    (shared,) = pairs_of(site(seed, True))
    assert (shared.verdict, shared.answered) == ("shared", 5)
    assert shared.false_rate is not None
    assert shared.false_rate <= 0.05
    (apart,) = pairs_of(site(seed, False))
    assert (apart.verdict, apart.answered) == ("apart", 0)


def test_drops_that_come_anyway_prove_nothing() -> None:
    """A host that drops every three minutes answers any plug-in: permutation must see that."""
    times = np.arange(0.0, 3000.0, 5.0)
    host = SiteSession("A", 0.0, times, np.where(times % 180 < 120, 100.0, 70.0))
    guests = [SiteSession("B", at, times[:60], np.full(60, 50.0)) for at in (500.0, 900.0, 1400.0, 2000.0)]
    (pair,) = pairs_of([host, *guests])
    assert pair.answered >= 1
    assert pair.false_rate is not None
    assert pair.false_rate > 0.2
    assert pair.verdict == "undecided"


def test_one_plug_in_stays_undecided_and_the_plan_is_as_short_as_it_can_be() -> None:
    sessions = site(1, True)[:2]
    (pair,) = pairs_of(sessions)
    assert pair.verdict == "undecided"
    stalls = ["A", "B", "C", "D"]
    assert len(plan_tests(stalls, ())) == 6
    sharing = pair.model_copy(update={"verdict": "shared"})
    assert topology(stalls, [sharing]) == (("A", "B"), ("C",), ("D",))
    assert len(plan_tests(stalls, [sharing])) == 3
    apart = [
        pair.model_copy(update={"one": a, "other": b, "verdict": "apart"})
        for a, b in (("A", "C"), ("B", "D"), ("C", "D"))
    ]
    assert plan_tests(stalls, [sharing, *apart]) == ()
    assumed = plan_tests(stalls, (), {"A": "1", "D": "1", "B": "2", "C": "3"})
    assert (assumed[0].hold, assumed[0].plug) == ("A", "D")
