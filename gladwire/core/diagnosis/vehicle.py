"""Causes the vehicle owns."""

from __future__ import annotations

from gladwire.core.diagnosis.cause import DEAD_CAUTION, PLUG_CAUTION, PROBE_CAUTION, Cause, NextTest

CAUSES = (
    Cause(
        code="diode_shorted",
        title="Vehicle's pilot diode shorted",
        owner="vehicle",
        prior=1.0,
        speaks_for={"low_side_pulled_up": 5.0},
        speaks_against={"source_level_out": 1.5},
        test=NextTest(
            "Put another vehicle on the same post.",
            6,
            "Its low side is at -12 V: the first vehicle's diode (or a resistor box was connected).",
            "Pulled up as well: leakage or a fault on the post's side.",
            PROBE_CAUTION,
        ),
        proof="Low side at -12 V in B and C.",
    ),
    Cause(
        code="vehicle_not_asking",
        title="Vehicle does not ask: timer, full, preheating or remote hold",
        owner="vehicle",
        prior=1.3,
        speaks_for={"never_asked": 2.5},
        speaks_against={"hunting": 2.0, "request": 2.5, "digital_communication": 1.5},
        test=NextTest(
            "Clear timers and holds in the vehicle, lower the charge limit question, lock and wait one minute.",
            4,
            "It goes to C: a setting, nothing is wrong.",
            "Still B: try another post; if B there too, the vehicle's request branch or charger.",
            PLUG_CAUTION,
        ),
        proof="B to C within a minute of plugging in.",
    ),
    Cause(
        code="request_branch_open",
        title="Vehicle's request branch (R3) open",
        owner="vehicle",
        prior=0.6,
        speaks_for={"never_asked": 1.8},
        speaks_against={"request": 4.0, "digital_communication": 1.5},
        test=NextTest(
            "Read from the vehicle whether it commands the request while the pilot stays at 9 V.",
            8,
            "Commanded but 9 V: R3 or its switch.",
            "Not commanded: the vehicle decides not to ask; read its fault memory.",
            DEAD_CAUTION,
        ),
        proof="6 V on the pilot when the vehicle asks.",
    ),
    Cause(
        code="vehicle_refuses_and_retries",
        title="Vehicle starts, refuses and tries again",
        owner="vehicle",
        prior=1.0,
        speaks_for={"hunting": 4.0, "wake_up_toggle": 0.3},
        speaks_against={"pilot_interrupted": 1.0},
        test=NextTest(
            "Measure mains at the post while it hunts: does the contactor close each time, and does voltage hold?",
            8,
            "Voltage is there and steady: the vehicle's charger refuses; read its fault memory.",
            "No voltage or a dip: contactor or supply of the post.",
            PROBE_CAUTION,
        ),
        proof="One request that lasts until full or stopped.",
    ),
    Cause(
        code="talk_not_finished",
        title="Vehicle and post do not reach agreement over the power line",
        owner="vehicle",
        prior=0.8,
        speaks_for={"digital_communication": 1.0, "never_asked": 1.6},
        speaks_against={"offer": 3.0, "request": 2.0},
        test=NextTest(
            "Capture the power line frames together with the pilot.",
            10,
            "The frames show who stopped answering and at which stage.",
            "No frames at all: modem silent on one side; swap the vehicle, then the post.",
            PROBE_CAUTION,
        ),
        proof="A session at 5 % that reaches C.",
    ),
    Cause(
        code="ventilation_demanded",
        title="Vehicle asks for ventilation",
        owner="vehicle",
        prior=0.5,
        speaks_for={"ventilation_asked": 3.5},
        speaks_against={},
        test=NextTest(
            "Measure the pilot with a known vehicle on the same post.",
            6,
            "It shows 6 V: the first vehicle's resistors or setting.",
            "It shows 3 V as well: an extra load on CP at the post or in the cable.",
            PROBE_CAUTION,
        ),
        proof="6 V when asking, or a post that has ventilation.",
    ),
)
