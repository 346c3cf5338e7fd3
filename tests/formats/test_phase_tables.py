"""Loggers of AC charging: amperes phase by phase, with the offer beside them or without, with volts or without."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.session.session import judge_alone
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

STEP_S, ROWS, STARTS = 10, 60, 11
NAMES = {
    "en": ("I L1 (A);I L2 (A);I L3 (A)", "Pilot offer (A)"),
    "de": ("Strom L1 [A];Strom L2 [A];Strom L3 [A]", "Angebot Säule [A]"),
    "fr": ("Courant L1 (A);Courant L2 (A);Courant L3 (A)", "Offre (A)"),
    "nl": ("Stroom L1 (A);Stroom L2 (A);Stroom L3 (A)", "Aanbod (A)"),
    "es": ("Corriente L1 (A);Corriente L2 (A);Corriente L3 (A)", "Oferta (A)"),
}


def logged(head: str, *columns: np.ndarray) -> bytes:
    rows = [
        f"2026-05-14 09:{i * STEP_S // 60:02d}:{i * STEP_S % 60:02d};" + ";".join(f"{c[i]:g}" for c in columns)
        for i in range(ROWS)
    ]
    return ("\n".join([f"Time;{head}", *rows]) + "\n").encode()


def flowing(amperes: float, until: int = ROWS) -> np.ndarray:
    at = np.arange(ROWS)
    return np.where((at >= STARTS) & (at < until), amperes, 0.0)


def measured(content: bytes) -> Measured:
    return measure_capture(read_capture(Source(content))).measured


@pytest.mark.parametrize("language", NAMES)
def test_amperes_of_phases_beside_an_offer_are_mains_and_their_offer(language: str) -> None:
    phases, offer = NAMES[language]
    found = measured(logged(f"{phases};{offer}", *[flowing(15.8)] * 3, np.full(ROWS, 16.0)))
    assert [c.role for c in found.channels] == ["mains_a"] * 3 + ["offered_a"]
    mains = found.of(MainsRecord)[0]
    assert (mains.amps[0].phases, mains.amps[0].rms, mains.offered[0].rms) == (3, pytest.approx(15.8), 16.0)
    assert "15.8 A on 3 phases" in judge_alone(found).verdict


@pytest.mark.parametrize(
    ("levels", "offers", "code"),
    [
        ((15.8, 9.8), (16.0, 10.0), "offer_followed"),
        ((15.8, 15.8), (16.0, 10.0), "current_over_offer"),
        ((15.8, 8.0), (16.0, 16.0), "current_reduced"),
        ((7.4, 7.4), (16.0, 16.0), "draws_below_offer"),
    ],
)
def test_current_is_held_against_the_offer_a_logger_tells(
    levels: tuple[float, float], offers: tuple[float, float], code: str
) -> None:
    """A vehicle has five seconds to follow (IEC 61851-1), of which readings ten seconds apart show two at the most."""
    at = np.arange(ROWS)
    amps = np.where(at < STARTS, 0.0, np.where(at < 33, *levels))
    offer = np.where(at < 32, *offers)
    judgement = judge_alone(measured(logged(f"{NAMES['en'][0]};Pilot offer (A)", amps, amps, amps, offer)))
    assert code in {f.code for f in judgement.findings}
    # Who draws beyond the offer goes on charging: nothing dropped out.
    assert judgement.outcome == "unknown"


def test_a_current_without_a_phase_is_proposed_beside_an_offer() -> None:
    found = measured(logged("Current (A);Offer (A)", flowing(15.8), np.full(ROWS, 16.0)))
    assert [c.role for c in found.channels] == ["other", "offered_a"]


def test_volts_and_amperes_of_phases_beside_a_charge_make_its_power() -> None:
    head = "U1 (V);U2 (V);U3 (V);I1 (A);I2 (A);I3 (A);SoC (%)"
    volts = [np.full(ROWS, v) for v in (230.0, 231.0, 229.0)]
    read = read_capture(Source(logged(head, *volts, *[flowing(15.8)] * 3, 40 + np.arange(ROWS) // 12)))
    assert isinstance(read, PowerRecord)
    assert np.nanmax(read.values["power_kw"]) == pytest.approx(15.8 * 690 / 1000)
    assert "power factor was not read" in " ".join(read.remarks)
    assert not {"volts_v", "amps_a"} & set(read.values)


def test_volts_and_amperes_of_phases_alone_are_mains() -> None:
    head = "U1 (V);U2 (V);U3 (V);I1 (A);I2 (A);I3 (A)"
    read = read_capture(Source(logged(head, *[np.full(ROWS, 230.0)] * 3, *[flowing(15.8)] * 3)))
    assert isinstance(read, Recording)
    assert measure_capture(read).measured.of(MainsRecord)[0].volts[0].phases == 3


@pytest.mark.parametrize(
    ("head", "volts"),
    [
        ("U1 (V);U2 (V);I1 (A);I2 (A)", (400.0, 410.0)),
        ("U1 (V);U2 (V);U3 (V);I1 (A);I2 (A);I3 (A)", (400.0, 401.0, 399.0)),
    ],
)
def test_two_outputs_or_volts_between_lines_make_no_power(head: str, volts: tuple[float, ...]) -> None:
    columns = [*[np.full(ROWS, v) for v in volts], *[flowing(15.8)] * len(volts), 40 + np.arange(ROWS) // 12]
    try:
        read = read_capture(Source(logged(f"{head};SoC (%)", *columns)))
    except UnreadableError:
        return
    assert isinstance(read, PowerRecord)
    assert "power_kw" not in read.values


def test_a_meter_s_largest_reading_is_no_offer() -> None:
    found = measured(logged("I L1 (A);I L1 max (A)", flowing(15.8), np.maximum(flowing(15.8), 17.0)))
    assert "offered_a" not in [c.role for c in found.channels]


@pytest.mark.parametrize(("ends", "outcome"), [(ROWS, "unknown"), (52, "dropped_out"), (40, "dropped_out")])
def test_current_that_ends_with_drawing_too_much_did_not_flow_on(ends: int, outcome: str) -> None:
    """From row 32 on more flows than is offered, until the current ends or the recording does."""
    amps, offer = flowing(15.8, ends), np.where(np.arange(ROWS) < 32, 16.0, 10.0)
    judgement = judge_alone(measured(logged(f"{NAMES['en'][0]};Pilot offer (A)", amps, amps, amps, offer)))
    assert "current_over_offer" in {f.code for f in judgement.findings}
    assert judgement.outcome == outcome
