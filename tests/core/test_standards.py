"""Published tables. Every expected value here is from memory of the named standard, written down independently."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gladwire.core.calculations import pilot_circuit
from gladwire.core.standards import pilot_duty, pilot_levels
from gladwire.core.standards.pilot_levels import classify

# IEC 61851-1 Annex A and SAE J1772, duty to current, from memory.
DUTY_TO_AMPS = [
    (5, None), (3, None), (7, None), (8, 6), (9.9, 6), (10, 6), (16.7, 10.02), (26.7, 16.02), (50, 30), (53.3, 31.98),
    (80, 48), (85, 51), (90, 65), (96, 80), (96.5, 80), (2.9, 0), (0, 0), (7.5, 0), (98, 0), (100, 0),
]  # fmt: skip


@pytest.mark.parametrize("table", pilot_duty.TABLES, ids=lambda t: t.name)
@pytest.mark.parametrize(("duty", "amperes"), DUTY_TO_AMPS)
def test_duty_to_current(table: pilot_duty.DutyTable, duty: float, amperes: float | None) -> None:
    offer = pilot_duty.offer(duty, table)
    assert offer.current_a == (None if amperes is None else pytest.approx(amperes, abs=0.01))
    assert (offer.kind == "digital") == (amperes is None)


@given(st.floats(6.0, 51.0) | st.floats(52.6, 80.0))
def test_current_to_duty_and_back(amperes: float) -> None:
    duties = pilot_duty.duties_for(amperes)
    assert duties
    assert all(pilot_duty.offer(d).current_a == pytest.approx(amperes, abs=0.01) for d in duties)


@pytest.mark.parametrize("amperes", [0, 5.9, 51.5, 80.5])
def test_no_duty_offers_this(amperes: float) -> None:
    """Between 51 A (0.6 A per %) and 52.5 A (2.5 A per % above 64 %) the table itself has a hole at 85 %."""
    assert pilot_duty.duties_for(amperes) == ()


@pytest.mark.parametrize("duty", [-0.1, 100.1])
def test_a_duty_outside_the_whole_is_refused(duty: float) -> None:
    with pytest.raises(ValueError, match="between 0 and 100"):
        pilot_duty.offer(duty)


# IEC 61851-1 Annex A, accept bands at the post, from memory: (inside, outside).
BANDS = {
    "A": ([11, 12, 13], [10.9, 13.1]), "B": ([8, 9, 10], [7.9, 10.1]), "C": ([5, 6, 7], [4.9, 7.1]),
    "D": ([2.1, 3, 4], [4.1]), "E": ([-1, 0, 1.9], [-1.1]), "F": ([-13, -12, -11], [-10.9, -13.1]),
}  # fmt: skip


@pytest.mark.parametrize("letter", BANDS)
def test_accept_bands(letter: str) -> None:
    inside, outside = BANDS[letter]
    assert {classify(v) for v in inside} == {letter}
    assert letter not in {classify(v) for v in outside}


def test_the_circuits_own_resistors_land_on_the_nominal_levels() -> None:
    """1 kOhm source, 2.74 kOhm, 882 and 246 Ohm behind a 0.7 V diode: 9, 6 and 3 V (IEC 61851-1 Annex A)."""
    assert pilot_levels.VEHICLE_OHM["C"] == pytest.approx(882, abs=1)
    assert pilot_levels.VEHICLE_OHM["D"] == pytest.approx(246, abs=1)
    for letter in "BCD":
        assert pilot_circuit.nominal_level_v(letter) == pytest.approx(pilot_levels.BY_LETTER[letter].nominal_v, abs=0.1)


@given(st.sampled_from("BCD"), st.floats(20, 2000))
def test_series_resistance_is_found_again(letter: str, ohm: float) -> None:
    level = pilot_circuit.nominal_level_v(letter, 12.0, ohm)
    assert pilot_circuit.series_resistance_ohm(letter, level) == pytest.approx(ohm, rel=1e-6)


def test_no_resistance_explains_a_level_that_is_too_low() -> None:
    assert pilot_circuit.series_resistance_ohm("B", 8.0) is None
    assert pilot_circuit.leakage_ohm("B", 8.0) == pytest.approx(5973, rel=0.02)
