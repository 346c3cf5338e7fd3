"""Leads and the chain of AC limits: IEC 60228 from memory, facts of the trade, and arithmetic done by hand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gladwire.core.calculations.ac_chain import Limit, chain, power_kw
from gladwire.core.calculations.cable import Cores, Lead, drop, judge, read_print, resistance_ohm


@pytest.mark.parametrize(
    ("text", "cores"),
    [
        ("5G6 + 2x0.5 mm²", Cores(5, 6.0, 2, 0.5)),
        ("3 × 2,5 + 2 × 0,5", Cores(3, 2.5, 2, 0.5)),
        ("H07BZ5-F 3G2,5+1X0,5", Cores(3, 2.5, 1, 0.5)),
        ("5x6", Cores(5, 6.0, 0, None)),
    ],
)
def test_sheath_prints(text: str, cores: Cores) -> None:
    assert read_print(text) == cores


@pytest.mark.parametrize("text", ["", "rubber", "2x0.5"])
def test_a_print_without_cores_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r"cores"):
        read_print(text)


# Common practice, no source: what leads of these cores are sold for.
@pytest.mark.parametrize(
    ("text", "amperes", "phases", "kilowatts"),
    [("3 x 2.5 + 2 x 0.5", 16, 1, 3.68), ("3 x 6 + 2 x 0.5", 32, 1, 7.36), ("5 x 6 + 2 x 0.5", 32, 3, 22.08)],
)
def test_leads_of_practice(text: str, amperes: float, phases: int, kilowatts: float) -> None:
    verdict = judge(Lead(read_print(text), rating_a=amperes))
    assert (verdict.current_a, verdict.phases, verdict.known) == (amperes, phases, True)
    assert power_kw("230/400", phases, amperes) == pytest.approx(kilowatts)


def test_resistance_of_the_table_warm_and_cold() -> None:
    """IEC 60228 class 5, from memory: 2.5 mm² has at most 7.98 ohms per kilometre at 20 °C; copper gains 0.393 % a kelvin."""
    assert resistance_ohm(2.5, 1000) == 7.98
    assert resistance_ohm(6.0, 10, 70) == pytest.approx(0.033 * (1 + 0.00393 * 50))
    with pytest.raises(KeyError):
        resistance_ohm(3.0, 10)


def test_drop_by_hand() -> None:
    """7.5 m of 3 x 6 mm² at 32 A: 32 × 2 × 7.5 × 3.30 mΩ = 1.584 V, 50.7 W; three-phase half the drop, 76 W."""
    one = drop(6.0, 7.5, 32, 1)
    assert (one.volts, one.watts) == (pytest.approx(1.584), pytest.approx(50.688))
    three = drop(6.0, 7.5, 32, 3)
    assert (three.volts, three.watts) == (pytest.approx(0.792), pytest.approx(76.032))
    assert three.share == pytest.approx(0.792 / 230)


@pytest.mark.parametrize(
    ("lead", "says", "grave"),
    [
        (Lead(read_print("3x2.5+2x0.5"), code_ohm=220), "overloaded", True),
        (Lead(read_print("3x6+2x0.5"), code_ohm=680), "slower than it could be", False),
        (Lead(read_print("3x6+2x0.5"), rating_a=32, contacts=3), "does not prove a core", False),
        (Lead(read_print("3x2.5+2x0.5"), rating_a=32), "Rated 32 A on cores", True),
        (Lead(read_print("5x6"), rating_a=32), "no control pilot", False),
        (Lead(rating_a=20, code_ohm=220), "more than the 20 A", True),
        (Lead(code_ohm=5000), "cannot be used", True),
        (Lead(contacts=3, code_ohm=220), "Probable, not known", False),
    ],
)
def test_contradictions_are_named(lead: Lead, says: str, grave: bool) -> None:
    remarks = judge(lead).remarks
    assert any(says in r.text and r.grave == grave for r in remarks), remarks


def test_the_least_of_print_and_code_holds() -> None:
    assert judge(Lead(read_print("3x6+2x0.5"), rating_a=32, code_ohm=680)).current_a == 20
    assert judge(Lead(contacts=1)).current_a is None


# Arithmetic of the trade: 230 V × 32 A = 7.36 kW; three phases 22.08 kW; 240 V × 48 A = 11.52 kW; 208 V × 40 A = 8.31 kW.
@pytest.mark.parametrize(
    ("system", "phases", "amperes", "kilowatts"),
    [
        ("230/400", 1, 32, 7.36),
        ("230/400", 3, 16, 11.04),
        ("120/240", 2, 48, 11.52),
        ("120/208", 2, 40, 8.314),
        ("120/240", 1, 12, 1.44),
    ],
)
def test_power(system, phases: int, amperes: float, kilowatts: float) -> None:  # type: ignore[no-untyped-def]
    assert power_kw(system, phases, amperes) == pytest.approx(kilowatts, abs=0.001)


def test_a_three_phase_post_and_a_single_phase_lead() -> None:
    seen = chain("230/400", 32, Limit(32, 1), Limit(32, 3), Limit(16, 3))
    assert (seen.current_a, seen.phases, seen.power_kw) == (16, 1, pytest.approx(3.68))
    assert seen.binding == ("cable", "onboard")
    assert seen.gains_kw["cable"] == pytest.approx(11.04 - 3.68)
    assert seen.gains_kw["onboard"] == pytest.approx(3.68)
    assert seen.gains_kw["offer"] == 0


def test_a_slow_offer_is_named() -> None:
    seen = chain("230/400", 6, Limit(32, 3), Limit(32, 3), Limit(16, 3))
    assert seen.binding == ("offer",)
    assert seen.gains_kw["offer"] == pytest.approx(3 * 230 * 10 / 1e3)


@given(*[st.floats(0, 80)] * 4, st.integers(1, 3), st.integers(1, 3), st.integers(1, 3))
def test_changing_a_link_never_costs_power(a: float, b: float, c: float, d: float, p: int, q: int, r: int) -> None:
    seen = chain("230/400", a, Limit(b, p), Limit(c, q), Limit(d, r))
    assert all(gain >= 0 for gain in seen.gains_kw.values())
    assert seen.power_kw == pytest.approx(power_kw("230/400", min(p, q, r), min(a, b, c, d)))
    assert seen.binding


def test_senseless_chains_are_refused() -> None:
    with pytest.raises(ValueError, match="not negative"):
        chain("230/400", -1, Limit(1, 1), Limit(1, 1), Limit(1, 1))
    with pytest.raises(ValueError, match="phases"):
        power_kw("230/400", 4, 16)
