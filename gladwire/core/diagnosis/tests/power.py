"""Tests of what holds the power back."""

from __future__ import annotations

from gladwire.core.diagnosis.cautions import PLUG_CAUTION, WAIT_CAUTION
from gladwire.core.diagnosis.tests.test import Test

TESTS: tuple[Test, ...] = (
    Test(
        "cabinet_shared",
        "try",
        "Charge again while the neighbouring stalls are empty, then plug another vehicle in beside it.",
        30,
        WAIT_CAUTION,
    ),
    Test(
        "modules_missing",
        "try",
        "Charge the same vehicle, as warm and as empty, at another stall of the same size.",
        40,
        WAIT_CAUTION,
        others=True,
    ),
    Test(
        "site_supply_limited",
        "try",
        "Charge at an hour when the site is empty, and ask for the site's load control settings.",
        40,
        WAIT_CAUTION,
    ),
    Test(
        "cable_cooling",
        "try",
        "Begin a session with a cold cable and watch when current is folded back; look at coolant level and pump.",
        30,
        "Warm or scorched connector: stop, do not touch the contacts, leave it out of use. " + PLUG_CAUTION,
    ),
    Test(
        "lead_underrated",
        "try",
        "Charge with a lead of the post's rating, and read the code and print of the one that was used.",
        15,
        PLUG_CAUTION,
        others=True,
    ),
    Test(
        "adapter_limits",
        "look",
        "Read the adapter's continuous rating from its label; charge once without it where the connector fits.",
        20,
        "A rating marked continuous is the limit to plan with. " + PLUG_CAUTION,
    ),
    Test(
        "pack_hot",
        "try",
        "Let the vehicle cool, then charge from the same state of charge; watch the pack's temperature.",
        90,
        WAIT_CAUTION,
    ),
    Test(
        "phase_missing",
        "try",
        "Swap the lead, then the post, one at a time; a licensed person measures all three phases at the socket.",
        25,
        "Mains. Only licensed people measure at the socket; lock off and prove dead before anything is opened.",
        others=True,
    ),
    Test(
        "power_interruption",
        "capture",
        "Capture pilot and power line frames through the next session until it breaks; read both sides' codes.",
        45,
        PLUG_CAUTION,
    ),
    Test(
        "driver_limit",
        "ask",
        "Ask the driver what is set in the vehicle or its app, set it to the most, and watch the current for two minutes.",
        4,
        WAIT_CAUTION,
    ),
    Test("pack_cold", "try", "Charge after an hour's drive, or with the pack preheated on the way.", 60, WAIT_CAUTION),
    Test(
        "converter_limits", "try", "Charge at a post whose volts reach above the pack's.", 30, WAIT_CAUTION, others=True
    ),
    Test(
        "label_unreachable",
        "look",
        "Compute amperes × the pack's volts on the Expect page and hold the session against that.",
        3,
        WAIT_CAUTION,
    ),
)
