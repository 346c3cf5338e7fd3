"""Tests of a bus, a retrofit controller and a connector that talks over CAN."""

from __future__ import annotations

from gladwire.core.diagnosis.cautions import BUS_CAUTION, DEAD_CAUTION, PLUG_CAUTION
from gladwire.core.diagnosis.tests.test import Test

TESTS: tuple[Test, ...] = (
    Test(
        "contactor_welded_inside",
        "measure",
        "Keep inlet and vehicle out of use; have the DC pins proven dead, or not, with a category-rated tester.",
        10,
        DEAD_CAUTION,
    ),
    Test(
        "sensing_wires_swapped",
        "measure",
        "Locked off and proven dead, follow both pairs of sensing wires from the controller to their side.",
        25,
        DEAD_CAUTION,
    ),
    Test(
        "precharge_not_reached_inside",
        "look",
        "Look at the inlet's volts while pre-charge is on: does it rise and stop short, or not rise at all.",
        8,
        DEAD_CAUTION,
    ),
    Test(
        "contactor_not_driven_inside",
        "try",
        "Listen for each contactor while it is commanded, and measure its coil's drive at the low-voltage plug.",
        15,
        BUS_CAUTION,
    ),
    Test(
        "battery_messages_off",
        "look",
        "Look whether the battery manager has charging enabled over the bus, its wake line up and no fault of its own.",
        12,
        BUS_CAUTION,
    ),
    Test(
        "battery_manager_lost",
        "try",
        "Repeat with its 12 V supply and wake line recorded beside the bus.",
        15,
        BUS_CAUTION,
    ),
    Test(
        "pin_sensor_open",
        "measure",
        "Locked off, measure the sensor at the controller's plug, cold, and move its wire.",
        10,
        DEAD_CAUTION,
    ),
    Test(
        "pin_contact_worn",
        "try",
        "Repeat at another post with another cable and compare both pins' rise at the same current.",
        25,
        PLUG_CAUTION,
        others=True,
    ),
    Test(
        "hv_line_not_wired",
        "measure",
        "Measure the HV present output at the controller's plug with a charge running.",
        8,
        BUS_CAUTION,
    ),
    Test(
        "lock_opens_by_itself",
        "look",
        "Look at the manual override and at the lock's plug; then repeat without current and watch the lock's line.",
        8,
        PLUG_CAUTION,
    ),
    Test(
        "controller_warns",
        "look",
        "Read the controller's stored faults by its own tool, with their freeze values, and note them in the case.",
        10,
        BUS_CAUTION,
        causes={
            "controller_warns": 0.98,
            "pin_sensor_open": 0.8,
            "precharge_not_reached_inside": 0.7,
            "battery_manager_lost": 0.7,
            "contactor_welded_inside": 0.6,
            "contactor_not_driven_inside": 0.5,
            "lock_opens_by_itself": 0.5,
            "pin_contact_worn": 0.4,
            "sensing_wires_swapped": 0.4,
            "bus_wiring": 0.3,
        },
        tools=("maker_tool",),
    ),
    Test(
        "connector_bus_open",
        "try",
        "Try the same vehicle without the adapter, or the adapter with another vehicle; look at its own lamp or battery.",
        12,
        PLUG_CAUTION,
        others=True,
    ),
    Test(
        "post_stops_by_itself",
        "ask",
        "Ask whether anybody pressed stop or paid for so long, then repeat and note what the post's display says.",
        10,
        PLUG_CAUTION,
    ),
    Test(
        "bus_wiring",
        "measure",
        "Measure between both bus wires with everything off: about 60 Ω is two ends terminated.",
        5,
        DEAD_CAUTION,
    ),
)
