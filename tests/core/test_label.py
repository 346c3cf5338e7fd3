"""Labels as makers word them; made up, in the usual dialects."""

from __future__ import annotations

from datetime import date

import pytest

from gladwire.core.power.equipment import Kind, spec_of
from gladwire.core.power.label import read_label


@pytest.mark.parametrize(
    ("kind", "text", "told"),
    [
        ("stall", "OUTPUT DC 150-1000V 500A 350 kW CCS2", {"post_min_v": "150", "post_v": "1000", "post_a": "500",
         "announced_kw": "350", "connectors": "CCS2"}),
        ("stall", "3N~ 400 V 32 A 22kW\nType 2, socket", {"ac_phases": "3", "offer_a": "32", "announced_kw": "22",
         "connectors": "Type 2, socket"}),
        ("stall", "IN 3~ 400 V 90 A, OUT 200-920 V", {"post_min_v": "200", "post_v": "920"}),
        ("stall", "1~ 230V 7,4 kW cable 5 m", {"ac_phases": "1", "announced_kw": "7.4", "reach_m": "5"}),
        ("vehicle", "77 kWh usable, 400 V", {"pack_kwh": "77", "pack_class_v": "400"}),
        ("vehicle", "on board 11 kW 3~ 16 A", {"onboard_phases": "3", "onboard_a": "16"}),
        ("lead", "20A 480V 5G2,5 7 m Type 2", {"cable_a": "20", "cores": "5 × 2.5 mm²", "reach_m": "7",
         "connectors": "Type 2"}),
        ("lead", "5 x 6 mm² 32 A", {"cable_a": "32", "cores": "5 × 6 mm²"}),
        ("adapter", "50 kW at 500 V", {"label_kw": "50", "label_v": "500"}),
        ("adapter", "125 A 500 V", {"adapter_a_continuous": "125"}),
        ("adapter", "50 kW", {}),
        ("instrument", "CAT III 1000 V / CAT IV 600 V  cal. due 2027-03-31", {"calibrated_until": "2027-03-31",
         "category": "CAT III 1000 V / CAT IV 600 V"}),
        ("instrument", "1000 V CAT III / 600 V CAT IV", {"category": "1000 V CAT III / 600 V CAT IV"}),
        ("cabinet", "Power unit 180 kW", {"cabinet_kw": "180"}),
        ("site", "supply 630 kW, buffer 200 kWh", {"grid_kw": "630", "buffer_kwh": "200"}),
    ],
)  # fmt: skip
def test_a_label_tells_these_figures_and_no_others(kind: Kind, text: str, told: dict[str, str]) -> None:
    found = {one.field: one.value for one in read_label(kind, text)}
    assert found == told
    days = {key: date.fromisoformat(value) for key, value in found.items() if key == "calibrated_until"}
    spec_of(kind, found | days)  # all of it may be kept


@pytest.mark.parametrize(
    ("kind", "text"),
    [
        ("stall", "32 A"),  # of AC or of DC: nobody says
        ("lead", "16 A / 32 A"),  # two of one thing
        ("vehicle", "800 Ah"),
        ("stall", "350 kWh"),
        ("lead", ""),
        ("controller", "12 V 2 A"),
    ],
)
def test_what_a_label_leaves_open_is_not_read(kind: Kind, text: str) -> None:
    assert not read_label(kind, text)
