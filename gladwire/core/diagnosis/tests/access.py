"""Tests of access, of captures themselves, and of nothing wrong."""

from __future__ import annotations

from gladwire.core.diagnosis.cautions import DEAD_CAUTION, PLUG_CAUTION, PROBE_CAUTION
from gladwire.core.diagnosis.tests.test import Find, Test

TESTS: tuple[Test, ...] = (
    Test(
        "other_stall_started",
        "ask",
        "Ask which stall was started and by what name; compare the painted label with the app's; look at the outlets beside.",
        2,
        PLUG_CAUTION,
    ),
    Test(
        "adapter_not_supported",
        "try",
        "Look up whether the vehicle's maker names this adapter; try the post without it, or the adapter on such a vehicle.",
        12,
        PLUG_CAUTION,
        others=True,
    ),
    Test(
        "inlet_mounting",
        "look",
        "With nothing plugged in, look how far the inlet leans, whether water stands in it, and whether its drain is open.",
        4,
        DEAD_CAUTION,
    ),
    Test(
        "other_means",
        "ask",
        "Start the post by its other means (card instead of app, another card, free release), and note every attempt.",
        5,
        PLUG_CAUTION,
        "It starts by one of them: the first was refused, and its provider knows why.",
        "None starts it: back end, load control, or the post itself.",
        causes={
            "contract_refused_by_provider": 0.9,
            "authorisation_not_given": 0.75,
            "not_authorised": 0.75,
            "other_stall_started": 0.1,
        },
    ),
    Test(
        "access",
        "look",
        "Look at the bay: is it free, does the cable reach from where one may park, does the post let go of its adapter?",
        2,
        PLUG_CAUTION,
        not_so="Free, within reach, nothing held back.",
        finds=(
            Find("blocked", "The bay is blocked.", {"bay_blocked": 0.95}, 0.002),
            Find("short", "The cable does not reach.", {"cable_does_not_reach": 0.95}, 0.002),
            Find("held", "The post keeps its adapter.", {"adapter_held": 0.95}, 0.002),
        ),
    ),
    Test("post_has_nothing_to_offer", "look", "Read the load control's set point for this post.", 6, PLUG_CAUTION),
    Test(
        "capture_misleads",
        "capture",
        "Record again: DC coupling, ± 15 V or more, probe factor set, tip on CP and reference on PE.",
        4,
        PROBE_CAUTION,
    ),
    Test("nothing_plugged_in", "try", "Plug a vehicle in while recording.", 3, PLUG_CAUTION),
    Test(
        "pilot_well",
        "ask",
        "Ask again when and where it fails, and capture that together with the lanes that are missing here.",
        10,
        PROBE_CAUTION,
    ),
)
