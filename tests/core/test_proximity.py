"""Proximity codes and the latch switch: published values from memory, and facts of the trade."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gladwire.core.calculations.proximity import candidates, ohms_from_volts, read_latch, read_ohms, substitutes
from gladwire.core.standards.proximity_codes import CODES


# IEC 61851-1 Annex B, from memory.
@pytest.mark.parametrize(("ohm", "amperes"), [(1500, 13), (680, 20), (220, 32), (100, 63)])
def test_nominal_codes(ohm: float, amperes: float) -> None:
    reading = read_ohms(ohm)
    assert reading.code is not None
    assert (reading.code.current_a, reading.disagree) == (amperes, False)
    assert reading.margin_ohm > 0


def test_218_ohms_means_32_amperes() -> None:
    """Common practice, no source."""
    reading = read_ohms(218)
    assert reading.code is not None
    assert reading.code.current_a == 32


def test_two_120_ohm_resistors_in_series_must_be_accepted_as_32_amperes() -> None:
    """Common practice, no source."""
    reading = read_ohms(240)
    assert reading.code is not None
    assert (reading.code.current_a, reading.disagree) == (32, False)


@pytest.mark.parametrize(("ohm", "amperes"), [(155, 32), (1050, 13), (350, 20), (60, 63), (320, 32)])
def test_where_the_two_versions_disagree_the_answer_carries_a_warning(ohm: float, amperes: float) -> None:
    reading = read_ohms(ohm)
    assert reading.disagree
    assert reading.code is not None
    assert reading.code.current_a == amperes
    assert "refuses it" in reading.warning


@pytest.mark.parametrize(("ohm", "says"), [(1e6, "no plug"), (3000, "no plug"), (10, "short"), (0, "short")])
def test_outside_every_band(ohm: float, says: str) -> None:
    reading = read_ohms(ohm)
    assert reading.code is None
    assert says in reading.text
    assert reading.margin_ohm < 0


@given(st.floats(0, 1e5))
def test_every_resistance_gets_an_answer(ohm: float) -> None:
    reading = read_ohms(ohm)
    assert (reading.code is None) == (reading.margin_ohm < 0)


@given(st.floats(1, 1e5), st.sampled_from([5.0, 12.0]), st.floats(100, 10_000))
def test_volts_become_ohms_and_back(ohm: float, supply: float, pull_up: float) -> None:
    volts = supply * ohm / (ohm + pull_up)
    assert ohms_from_volts(volts, supply, pull_up) == pytest.approx(ohm, rel=1e-6)


def test_without_the_pull_up_a_voltage_fits_every_code() -> None:
    found = candidates(2.0, 5.0)
    assert [c.code for c in found] == list(CODES)
    for candidate in found:
        assert ohms_from_volts(2.0, 5.0, candidate.pull_up_ohm) == pytest.approx(candidate.code.nominal_ohm)


@pytest.mark.parametrize("volts", [-0.1, 5.0, 6.0])
def test_a_voltage_a_divider_cannot_have_is_refused(volts: float) -> None:
    with pytest.raises(ValueError, match="between 0 and 5"):
        ohms_from_volts(volts, 5.0, 330)


# SAE J1772, from memory: 4.46 V without a plug, 1.51 V latched, 2.76 V with the latch pressed.
@pytest.mark.parametrize(
    ("volts", "state"),
    [
        (4.46, "absent"),
        (1.51, "latched"),
        (2.76, "pressed"),
        (0.02, "low"),
        (4.99, "high"),
        (2.1, "between"),
        (3.6, "between"),
    ],
)
def test_latch_switch_voltages(volts: float, state: str) -> None:
    reading = read_latch(volts)
    assert reading.state == state
    assert (reading.margin_v >= 0) == (state in ("absent", "latched", "pressed"))


def test_the_latch_circuit_gives_the_published_voltages() -> None:
    from gladwire.core.calculations.proximity import LATCH_LEVELS

    assert [round(level.volts, 2) for level in LATCH_LEVELS] == [1.51, 2.76, 4.46]


@pytest.mark.parametrize("code", CODES, ids=lambda c: f"{c.current_a:g} A")
def test_substitutes_lie_well_inside_the_band(code) -> None:  # type: ignore[no-untyped-def]
    found = substitutes(code)
    assert found
    for substitute in found:
        assert read_ohms(substitute.ohm).code == code
        assert not read_ohms(substitute.ohm).disagree


def test_a_bag_with_only_120_ohms_still_makes_32_amperes() -> None:
    found = substitutes(CODES[2], [120.0])
    assert [(s.joined, s.parts_ohm, s.ohm) for s in found] == [("series", (120.0, 120.0), 240.0)]
