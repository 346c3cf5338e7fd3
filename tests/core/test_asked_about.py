"""Readings asked about as they are typed. Levels: IEC 61851-1 Annex A, SAE J1772, IEC 60038; how meters show over range,
their kΩ range and a probe of ten to one are common practice without a source."""

from __future__ import annotations

import pytest

from gladwire.core.case.checklist.asked_about import asked_about
from gladwire.core.case.checklist.steps import BY_KEY


@pytest.mark.parametrize(
    ("step", "typed", "asks"),
    [
        ("cp_core", "240", "mains"),
        ("pe_core", "400", "mains"),
        ("cp_core", "1", "over range"),
        ("coded", "1", "over range"),
        ("bus_wiring", "1", "over range"),
        ("coded", "0.22", "220 Ω"),
        ("coded", "0.68", "680 Ω"),
        ("coded", "400", "mains"),
        ("coded", "240", "mains"),
        ("coded", "115", "mains"),
        ("bus_wiring", "0.06", "60 Ω"),
        ("cp_core", "-0.2", "never negative"),
        ("post_alone", "230", "is mains"),
        ("post_alone", "11900", "11.9 V"),
        ("post_alone", "24", "No pilot reaches 24 V"),
        ("post_alone", "1.19", "11.9 V"),
        ("inlet_pp", "4460", "4.46 V"),
        ("inlet_pp", "11.9", "5 V at most"),
        ("inlet_pp", "-4.4", "other way round"),
    ],
)
def test_what_no_such_contact_shows_is_asked_about(step: str, typed: str, asks: str) -> None:
    assert asks in asked_about(BY_KEY[step], float(typed), typed)


@pytest.mark.parametrize(
    ("step", "typed"),
    [
        ("cp_core", "0.3"), ("cp_core", "1.0"), ("pe_core", "0"), ("pe_core", "60"), ("cp_core", "2000000"),
        ("coded", "100"), ("coded", "220"), ("coded", "230"), ("coded", "106"),
        ("coded", "680"), ("coded", "1500"), ("coded", "2700"), ("coded", "5"),
        ("post_alone", "12"), ("post_alone", "-12"), ("post_alone", "9.1"), ("post_alone", "0"), ("post_alone", "1.1"),
        ("inlet_pp", "4.46"), ("inlet_pp", "0"), ("inlet_pp", "5.2"), ("bus_wiring", "60"), ("bus_wiring", "40"),
    ],
)  # fmt: skip
def test_what_a_contact_may_show_good_or_bad_is_not_asked_about(step: str, typed: str) -> None:
    assert not asked_about(BY_KEY[step], float(typed), typed)


def test_steps_that_are_answered_ask_nothing() -> None:
    assert not asked_about(BY_KEY["look"], 230.0, "230")
