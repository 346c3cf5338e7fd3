"""Tests of the post, its pilot, its contactor and its supply."""

from __future__ import annotations

from gladwire.core.diagnosis.cautions import DEAD_CAUTION, PLUG_CAUTION, PROBE_CAUTION
from gladwire.core.diagnosis.tests.test import Find, Test

_LIVE_PILOT = (
    "A pilot contact carries more volts than a pilot has: touching it may kill. Nothing is touched, plugged in or probed "
    "until it is made dead and locked off."
)

TESTS: tuple[Test, ...] = (
    Test(
        "post_steady",
        "capture",
        "Capture ten seconds of the empty post's pilot: a meter cannot tell an oscillation from a lower level.",
        3,
        PROBE_CAUTION,
        others=True,
    ),
    Test(
        "post_alone",
        "measure",
        "Draw the plug, release the post, and measure CP to PE at its empty socket or tethered plug.",
        4,
        PROBE_CAUTION,
        not_so="+12 V, steady: the post is well until something hangs on it; look at cable, plug and vehicle.",
        finds=(
            Find(
                "dead",
                "0 V or −12 V at the empty post: it is off, in error or blocked.",
                {
                    "post_dead_or_unavailable": 0.92,
                    "post_stopped_with_error": 0.5,
                    "oscillating_with_nothing_connected": 0.2,
                    "pilot_shorted_to_pe": 0.06,
                },
                0.03,
            ),
            Find(
                "weak",
                "About 12 V, but not between 11.4 and 12.6 V.",
                {"pilot_source_weak": 0.8, "water_or_leakage": 0.1},
                0.01,
            ),
            Find(
                "between",
                "A level that no empty post may show; a meter reads one where the pilot oscillates.",
                {"oscillating_with_nothing_connected": 0.6, "water_or_leakage": 0.3, "pilot_source_weak": 0.15},
                0.01,
            ),
            Find("mains", "More volts than a pilot has: mains or DC is on it.", {}, 0.001, _LIVE_PILOT),
        ),
    ),
    Test(
        "pilot_source_weak",
        "measure",
        "Measure the open-circuit pilot at the empty socket with a second instrument.",
        5,
        PROBE_CAUTION,
    ),
    Test(
        "pilot_frequency_off",
        "capture",
        "Capture the neighbouring post with the same instrument.",
        5,
        PROBE_CAUTION,
        others=True,
    ),
    Test(
        "duty_outside_table",
        "capture",
        "Capture again at 1 MS/s or more and read the post's configured current.",
        6,
        PROBE_CAUTION,
    ),
    Test(
        "site_withdraws_offer",
        "look",
        "Read the load control's set point and the post's log at that moment.",
        8,
        DEAD_CAUTION,
    ),
    Test(
        "post_stopped_with_error",
        "look",
        "Read the post's fault memory at that moment, then repeat on another post.",
        8,
        PLUG_CAUTION,
    ),
    Test(
        "contactor_not_closing",
        "look",
        "Read the post's fault memory and whether its upstream breaker and earth-fault device are in.",
        5,
        DEAD_CAUTION,
    ),
    Test(
        "contactor_welded",
        "try",
        "Take the post out of service; prove its outlet dead, or not, with a category-rated tester.",
        6,
        DEAD_CAUTION,
    ),
    Test(
        "supply_missing",
        "look",
        "Look at the post's breaker and earth-fault device, then have the supply side of the contactor measured.",
        8,
        DEAD_CAUTION,
    ),
    Test(
        "feed_resistive",
        "look",
        "Switch off, lock off, prove dead; then have each terminal and contact from the board to the outlet looked at, and "
        "tightened to its torque.",
        20,
        DEAD_CAUTION,
    ),
    Test(
        "neutral_open",
        "look",
        "Switch the installation off and keep it off; a licensed person follows the neutral from outlet to board, dead.",
        20,
        DEAD_CAUTION,
    ),
    Test(
        "supply_dropped",
        "capture",
        "Log mains upstream of the contactor together with the pilot through one more drop-out.",
        15,
        PROBE_CAUTION,
    ),
)
