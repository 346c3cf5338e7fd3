"""Published tables. Every expected value here is from memory of the named standard, written down independently."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gladwire.core.calculations import pilot_circuit
from gladwire.core.standards import dc_limits, pilot_duty, pilot_levels, pilot_timing, slac_limits, supply, v2g_timers
from gladwire.core.standards.limit import Limit
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


# As the standards have them, written down from memory without the documents at hand: limit, value, unit.
PUBLISHED: list[tuple[str, Limit, float, str]] = [
    ("IEC 61851-1 Annex A", pilot_timing.FREQUENCY_SOURCE_TOLERANCE, 0.005, "share"),
    ("IEC 61851-1 Annex A", pilot_timing.FREQUENCY_VEHICLE_TOLERANCE, 0.02, "share"),
    ("IEC 61851-1 Annex A", pilot_timing.RISE_MAX_US["B"], 10.0, "µs"),
    ("IEC 61851-1 Annex A", pilot_timing.RISE_MAX_US["C"], 7.0, "µs"),
    ("IEC 61851-1 Annex A", pilot_timing.RISE_MAX_US["D"], 5.0, "µs"),
    ("IEC 61851-1 Annex A", pilot_timing.FALL_MAX_US, 13.0, "µs"),
    ("IEC 61851-1 Annex A", pilot_timing.OSCILLATION_AFTER_UNPLUG_MAX_S, 3.0, "s"),
    ("IEC 61851-1 Annex A", pilot_timing.SWITCH_ON_MAX_S, 3.0, "s"),
    ("IEC 61851-1 Annex A", pilot_timing.SWITCH_OFF_MAX_S, 0.1, "s"),
    ("IEC 61851-1 Annex A", pilot_timing.FOLLOW_OFFER_MAX_S, 5.0, "s"),
    ("IEC 61851-1 Annex A", pilot_timing.STOP_DRAWING_MAX_S, 3.0, "s"),
    ("ISO 15118-3", pilot_timing.RESTART_MATCHING_MIN_S, 4.0, "s"),
    ("ISO 15118-3 Annex A", slac_limits.SEQUENCE_MAX_S, 0.4, "s"),
    ("ISO 15118-3 Annex A", slac_limits.MATCH_RESPONSE_MAX_S, 0.2, "s"),
    ("ISO 15118-3 Annex A", slac_limits.RESULTS_MAX_S, 1.2, "s"),
    ("ISO 15118-3 Annex A", slac_limits.JOIN_MAX_S, 12.0, "s"),
    ("ISO 15118-3 Annex A", slac_limits.RETRIES, 2, ""),
    ("ISO 15118-3 Annex A", slac_limits.INIT_MIN_S, 20.0, "s"),
    ("ISO 15118-3 Annex A", slac_limits.INIT_MAX_S, 50.0, "s"),
    ("ISO 15118-3 Annex A", slac_limits.FOUND_DB, 10.0, "dB"),
    ("ISO 15118-3 Annex A", slac_limits.POSSIBLE_DB, 20.0, "dB"),
    ("ISO 15118-2 8.7", v2g_timers.answer_max_s("ISO15118-2", "SessionSetup"), 2.0, "s"),
    ("ISO 15118-2 8.7", v2g_timers.answer_max_s("ISO15118-2", "PowerDelivery"), 5.0, "s"),
    ("ISO 15118-2 8.7", v2g_timers.answer_max_s("ISO15118-2", "CurrentDemand"), 0.25, "s"),
    ("DIN SPEC 70121", v2g_timers.answer_max_s("DIN70121", "PowerDelivery"), 2.0, "s"),
    ("ISO 15118-20 8.7", v2g_timers.answer_max_s("ISO15118-20", "DC_ChargeLoop"), 0.5, "s"),
    ("ISO 15118-20 8.7", v2g_timers.sequence_max_s("ISO15118-20", "AC_ChargeLoop"), 0.5, "s"),
    ("ISO 15118-2 8.7", v2g_timers.sequence_max_s("ISO15118-2", "CurrentDemand"), 60.0, "s"),
    ("ISO 15118-20 8.7", v2g_timers.sequence_max_s("ISO15118-20", "SessionSetup"), 60.0, "s"),
    ("ISO 15118-2 8.7", v2g_timers.SETUP_S, 20.0, "s"),
    ("ISO 15118-2 8.7", v2g_timers.ongoing_max_s("ISO15118-2"), 60.0, "s"),
    ("ISO 15118-20 8.7", v2g_timers.ongoing_max_s("ISO15118-20"), 60.0, "s"),
    ("DIN SPEC 70121", v2g_timers.ongoing_max_s("DIN70121"), 150.0, "s"),
    ("DIN SPEC 70121", v2g_timers.CABLE_CHECK_S, 40.0, "s"),
    ("DIN SPEC 70121", v2g_timers.precharge_max_s("DIN70121"), 7.0, "s"),
    ("ISO 15118-2 8.7", v2g_timers.precharge_max_s("ISO15118-2"), 7.0, "s"),
    ("ISO 15118-20 8.7", v2g_timers.precharge_max_s("ISO15118-20"), 10.0, "s"),
    ("ISO 15118-2 8.7", v2g_timers.SDP_EVERY_S, 0.25, "s"),
    ("ISO 15118-2 8.7", v2g_timers.SDP_TIMES, 50, ""),
    ("IEC 61851-23", dc_limits.CLOSE_V, 20.0, "V"),
    ("IEC 61851-23", dc_limits.OPEN_A, 5.0, "A"),
    ("IEC 61851-23", dc_limits.SAFE_V, 60.0, "V"),
    ("IEC 61851-23", dc_limits.INSULATION_FAULT_OHM_PER_V, 100.0, "Ω"),
    ("IEC 61851-23", dc_limits.INSULATION_WARNING_OHM_PER_V, 500.0, "Ω"),
    ("EN 50160", supply.DIP_SHARE, 0.9, "share"),
]


@pytest.mark.parametrize(("document", "limit", "value", "unit"), PUBLISHED, ids=[row[1].about for row in PUBLISHED])
def test_limits_are_those_published(document: str, limit: Limit, value: float, unit: str) -> None:
    assert (float(limit), limit.unit) == (value, unit)
    assert document.split()[0] in ("IEC", "ISO", "DIN", "EN")
    assert limit.source.from_memory


def test_levels_and_bands_are_those_published() -> None:
    """IEC 61851-1 Annex A and SAE J1772, from memory."""
    levels = {s.letter: (s.nominal_v, *s.accept) for s in pilot_levels.STATES}
    assert levels == {
        "A": (12.0, 11.0, 13.0), "B": (9.0, 8.0, 10.0), "C": (6.0, 5.0, 7.0), "D": (3.0, 2.0, 4.0),
        "E": (0.0, -1.0, 2.0), "F": (-12.0, -13.0, -11.0),
    }  # fmt: skip
    assert {k: tuple(b) for k, b in pilot_levels.SAE_BANDS.items()} == {
        "A": (11.40, 12.60), "B": (8.36, 9.59), "C": (5.48, 6.49), "D": (2.62, 3.25),
    }  # fmt: skip
    assert tuple(pilot_levels.SOURCE_HIGH) == (11.4, 12.6)
    assert tuple(pilot_levels.SOURCE_LOW) == (-12.6, -11.4)
    assert tuple(pilot_levels.LOW_SIDE) == (-13.0, -11.0)


@pytest.mark.parametrize(
    ("value", "unit", "said"),
    [(0.25, "s", "within 250 ms"), (1.0, "s", "within 1 s"), (12.0, "s", "within 12 s"), (0.9, "share", "within 90 %"),
     (0.5, "V", "within 0.5 V"), (2, "", "within 2"), (0.005, "share", "within 0.5 %")],
)  # fmt: skip
def test_a_limit_says_itself_in_the_trades_prefix(value: float, unit: str, said: str) -> None:
    limit = Limit(value, unit, "within {}", "test", pilot_timing.FREQUENCY_SOURCE)
    assert limit.says == said
    assert limit + 1 == value + 1
