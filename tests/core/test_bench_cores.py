"""Divider, connectors and the choice of a lead against circuit arithmetic, published tables and the trade."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest

from gladwire.core.calculations.lead_choice import PORTABLE, advise, read_posts
from gladwire.core.calculations.pilot_divider import Divider
from gladwire.core.standards import pilot_levels
from gladwire.core.standards.connectors import CONNECTORS, mirrored, pin_named

SPICE = Path(__file__).parents[1] / "fixtures" / "pilot_circuit"


@pytest.mark.parametrize(
    ("name", "divider"),
    [
        ("healthy", Divider(r3_ohm=1300)),
        ("series_470_ohm", Divider(r3_ohm=1300, series_ohm=470)),
        ("diode_shorted", Divider(r3_ohm=1300, diode="shorted")),
        ("slow_10_nf", Divider(r3_ohm=1300, capacitance_f=10e-9)),
    ],
)
def test_the_divider_agrees_with_the_circuit_simulator(name: str, divider: Divider) -> None:
    spice = json.loads((SPICE / f"{name}.json").read_text())
    assert divider.high_v == pytest.approx(spice["c_high_v"], abs=0.15)
    assert divider.low_v == pytest.approx(spice["c_low_v"], abs=0.15)
    if name == "slow_10_nf":
        assert divider.fall_us == pytest.approx(spice["c_fall_s"] * 1e6, rel=0.08)


def test_each_state_of_the_standards_circuit_lies_in_its_band() -> None:
    """IEC 61851-1 Annex A, values from memory."""
    for letter, r3 in (("B", math.inf), ("C", 1300.0), ("D", 270.0)):
        assert pilot_levels.classify(Divider(r3_ohm=r3).high_v) == letter
    assert Divider(diode="open").high_v == 12.0


def test_an_edge_goes_from_level_to_level_and_takes_its_time() -> None:
    divider = Divider(r3_ohm=1300, capacitance_f=5e-9)
    times = np.linspace(0, 200e-6, 4001)
    fall = divider.edge(False, times)
    assert (fall[0], fall[-1]) == (pytest.approx(divider.high_v), pytest.approx(divider.low_v, abs=0.01))
    swing = divider.high_v - divider.low_v
    crossing = [float(times[np.argmax(fall < divider.low_v + share * swing)]) for share in (0.9, 0.1)]
    assert (crossing[1] - crossing[0]) * 1e6 == pytest.approx(divider.fall_us, rel=0.02)


@pytest.mark.parametrize("wrong", [{"r1_ohm": 0}, {"series_ohm": -1}, {"capacitance_f": -1e-9}, {"source_v": 0}])
def test_parts_that_cannot_be_are_refused(wrong: dict[str, float]) -> None:
    with pytest.raises(ValueError, match=r"Ω|negative|source"):
        Divider(**wrong)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("key", "contacts"),
    [
        ("type1", {"L1", "L2/N", "PE", "CP", "PP"}),
        ("type2", {"L1", "L2", "L3", "N", "PE", "CP", "PP"}),
        ("ccs1", {"L1", "L2/N", "PE", "CP", "PP", "DC+", "DC−"}),
        ("ccs2", {"PE", "CP", "PP", "DC+", "DC−"}),
        ("j3400", {"L1/DC+", "L2/DC−", "PE", "CP", "PP"}),
        ("mcs", {"DC+", "DC−", "PE", "CE", "ID", "COM+", "COM−"}),
    ],
)
def test_every_connector_has_its_contacts(key: str, contacts: set[str]) -> None:
    connector = next(c for c in CONNECTORS if c.key == key)
    assert {p.name for p in connector.pins} == contacts
    for pin in connector.pins:
        near = [
            p for p in connector.pins if p is not pin and math.hypot(p.x - pin.x, p.y - pin.y) < p.radius + pin.radius
        ]
        assert not near, f"{pin.name} overlaps {near}"
        if pin.kind == "power":
            assert "never probed" in pin.note
    with pytest.raises(KeyError, match="no contact"):
        pin_named(connector, "X9")


def test_left_and_right_change_places_once_for_the_inlet_and_once_for_the_back() -> None:
    assert [mirrored(p, s) for p in ("plug", "inlet") for s in ("mating", "cable")] == [False, True, True, False]


def test_the_lightest_lead_that_loses_nothing_is_carried() -> None:
    """Common practice: 3G2.5 is a 16 A lead, 3G6 a 32 A one, 5G6 three phases and 22 kW; 32 A serves a 16 A car."""
    street = read_posts("3x32, 1x16")
    assert "16 A, three phases" in advise(3, 16, street).carry[0].title
    assert "32 A, three phases" in advise(3, 32, street).carry[0].title
    assert "16 A, one phase" in advise(1, 16, street).carry[0].title
    assert "32 A, one phase" in advise(1, 32, street).carry[0].title
    best = max(kw for row in advise(3, 32, street).rows for kw in row.kw if kw is not None)
    assert best == pytest.approx(22.08)


def test_tethered_posts_need_none_and_household_sockets_their_own() -> None:
    assert advise(3, 16, read_posts("3x32 tethered")).carry == ()
    both = advise(1, 32, read_posts("household, 3x16"))
    assert both.carry[-1] is PORTABLE
    assert advise(1, 32, read_posts("household 8")).rows[-1].kw == (pytest.approx(1.84),)


@pytest.mark.parametrize("text", ["", "2x32", "3x900", "somewhere", "3x32, and the rest"])
def test_posts_that_are_not_understood_are_named(text: str) -> None:
    with pytest.raises(ValueError, match=r"post|phases|understood"):
        read_posts(text)
