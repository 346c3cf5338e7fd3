"""The pack model and the ledger held against a published cell model (tests/fixtures/pack/ORIGIN)."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy import integrate

from gladwire.core.lanes.power.ledger import keep_ledger
from gladwire.core.lanes.power.record import PowerRecord, energy_kwh
from gladwire.core.power.pack import open_circuit_v

FOLDER = Path(__file__).parents[2] / "fixtures" / "pack"
CELLS, PARALLEL = 96, 40


def table(name: str) -> np.ndarray:
    return np.loadtxt(FOLDER / f"{name}.csv", delimiter=",", skiprows=1)


def test_volts_of_a_resting_pack_follow_the_published_cell() -> None:
    """From 10 % on: what a vehicle calls 0 % lies above the cell's own."""
    soc, volts = table("resting").T
    inside = soc >= 10
    model = open_circuit_v(400.0, soc[inside]) / CELLS
    assert np.abs(model - volts[inside]).max() < 0.1
    assert np.sqrt(np.mean((model - volts[inside]) ** 2)) < 0.04


@pytest.mark.parametrize("name", ["half", "one"])
def test_constant_current_is_a_current_limit_and_the_voltage_hold_its_taper(name: str) -> None:
    times, volts, amps = table(f"charge-{name}").T
    charge = integrate.cumulative_trapezoid(amps, times, initial=0.0)
    soc = 10.0 + 90.0 * charge / charge[-1]
    record = PowerRecord(
        times, {"volts_v": volts * CELLS, "amps_a": amps * PARALLEL, "soc_percent": np.floor(soc)}, {"amps_a": "meter"}
    )
    kept = keep_ledger(record)
    assert kept is not None
    held = [e for e in kept.entries if e.limiter not in ("none", "ramp")]
    assert held[0].limiter == "evse_current"
    assert "vehicle_limit" in held[0].also
    assert held[-1].limiter == "vehicle_taper"
    # The cell model leaves constant current when it reaches 4.2 V.
    full = times[np.argmax(volts >= 4.1995)]
    assert held[-1].start_s == pytest.approx(full, abs=90.0)
    whole = integrate.trapezoid(volts * amps, times) * CELLS * PARALLEL / 3.6e6
    assert energy_kwh(record) == pytest.approx(whole, rel=1e-9)
    assert kept.energy_kwh == pytest.approx(whole, rel=1e-6)
