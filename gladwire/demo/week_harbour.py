"""A working week in the harbour: things with a history, attempts without a capture, a campaign of a retrofit controller over
eight posts before and after its update. Every name is invented."""

from __future__ import annotations

from gladwire.core.case.swaps import Part
from gladwire.demo.case import DemoAttempt, DemoCase, DemoPiece, Noted

_HOTEL, _FERRY, _BUS, _FISH = "Hotel Seaview", "Ferry queue", "Bus yard", "Fish market"
_AUK, _BOX = "Auk One, pilot boat trailer", "Curlew CC1 of the Auk One"

THINGS: tuple[DemoPiece, ...] = (
    DemoPiece("stall", "post 2 (Tern 22)", _HOTEL, {"label": "2", "app_name": "HS-02", "model": "Tern 22, second series",
              "connectors": "Type 2, tethered", "ac_phases": 3, "offer_a": 32.0, "reach_m": 5.0, "x": 6.0, "y": 3.0}),
    DemoPiece("stall", "post 3 (Tern 22)", _HOTEL, {"label": "3", "app_name": "HS-03", "model": "Tern 22, second series",
              "connectors": "Type 2, tethered", "ac_phases": 3, "offer_a": 32.0, "reach_m": 5.0, "x": 10.0, "y": 3.0}),
    DemoPiece("vehicle", _AUK, "", {"model": "Auk One, refitted", "port": "rear left", "onboard_a": 32.0, "onboard_phases": 1,
              "pack_class_v": 400.0, "pack_kwh": 46.0}),
    DemoPiece("vehicle", "Plover Cargo, fleet no. 7", "", {"model": "Plover Cargo", "port": "front right"}),
    DemoPiece("lead", "Grey lead of the Skua Mini", "", {"label": "20 A 480 V", "connectors": "Type 2 to Type 2",
              "cores": "5 × 2.5 mm²", "cable_code_a": 20.0, "reach_m": 7.0}),
    DemoPiece("controller", _BOX, "", {"model": "Curlew CC1", "software": "1.5", "fitted_in": _AUK}),
    DemoPiece("instrument", "Bench scope, four channels", "", {"model": "Lapwing S4", "measures": "pilot and proximity",
              "reach": "DC to 100 MHz", "category": "none of its own: with rated probes only", "probes": "10 : 1, 100 : 1",
              "calibrated_until": "2027-08-31"}),
    DemoPiece("instrument", "Insulation tester", "", {"model": "Lapwing M5", "measures": "insulation, continuity",
              "reach": "to 20 GΩ at 1000 V", "category": "CAT IV 600 V", "calibrated_until": "2026-09-30"}),
)  # fmt: skip

# (model, kind, what is seen or heard, the stage it stands for, words)
LEARNT: tuple[tuple[str, str, str, str, str], ...] = (
    (
        "Tern 22, second series",
        "quirk",
        "",
        "",
        "Push the plug home until it clicks twice; its cover holds it back",
    ),
    ("Tern 22, second series", "lamp", "blue, blinking", "authorise", ""),
    ("Tern 22, second series", "lamp", "green, breathing", "ramp", ""),
    ("Curlew CC1", "sound", "two beeps", "link", ""),
    ("Skua Mini", "quirk", "", "", "Lets go of the plug only after it was locked and opened again by its key"),
)


def _tried(came: str, vehicle: str, post: str, said: str = "", **more: str) -> DemoAttempt:
    parts: dict[Part, str] = {"vehicle": vehicle, "post": post}
    for part in ("lead", "adapter", "controller", "software"):
        if part in more:
            parts[part] = more[part]
    return DemoAttempt(came, parts, more.get("start", ""), more.get("stage", ""), said)


PORTER: tuple[DemoAttempt, ...] = tuple(
    _tried(came, vehicle, f"{_HOTEL}, {post}", said, stage=stage, start="plug")
    for vehicle, post, came, stage, said in (
        ("Plover Cargo, fleet no. 3", "post 3 (Tern 22)", "charged", "hold", ""),
        ("Plover Cargo, fleet no. 3", "post 2 (Tern 22)", "failed", "ramp", "stops after a minute"),
        ("Skua Mini of the ice works", "post 2 (Tern 22)", "failed", "ramp", "stops when the plug is touched"),
        ("Skua Mini of the ice works", "post 3 (Tern 22)", "charged", "hold", ""),
        ("Gannet One of the kayak hire", "post 2 (Tern 22)", "failed", "ramp", ""),
        ("Gannet One of the kayak hire", "post 3 (Tern 22)", "charged", "hold", ""),
        ("Heron Estate, room 12", "post 2 (Tern 22)", "failed", "energise", "clunks, then nothing"),
        ("Heron Estate, room 12", "post 3 (Tern 22)", "charged", "hold", ""),
        ("Skua Mini, hire car 3", "post 2 (Tern 22)", "failed", "ramp", "starts again when the plug is pushed"),
        ("Skua Mini, hire car 3", "post 3 (Tern 22)", "charged", "hold", ""),
    )
)

# (post, with version 1.4: came and stage, with version 1.5: came and stage)
_ROUND: tuple[tuple[str, tuple[str, str], tuple[str, str]], ...] = (
    (f"{_FERRY}, Stall 1", ("failed", "insulation"), ("charged", "hold")),
    (f"{_FERRY}, Stall 2", ("failed", "insulation"), ("charged", "hold")),
    (f"{_FERRY}, Stall 3", ("charged", "hold"), ("charged", "hold")),
    (f"{_FERRY}, Stall 4", ("failed", "link"), ("failed", "link")),
    (f"{_BUS}, Bus bay 2", ("failed", "authorise"), ("charged", "hold")),
    (f"{_FISH}, Old fast post", ("failed", "link"), ("open", "link")),
    ("Hotel court, Post A", ("charged", "hold"), ("charged", "hold")),
    ("Hotel court, Post B", ("failed", "insulation"), ("", "")),
)

WEEK_CASES: tuple[DemoCase, ...] = (
    DemoCase(
        "Refitted trailer starts at few fast posts",
        _AUK,
        "eight fast posts round the harbour",
        "Pilot Ines Marr: since the Curlew controller was put in it charges at the ferry's stall 3 and the hotel's post A, "
        "and hardly anywhere else. The maker sent version 1.5.",
        (),
        modes=("dc",),
        noted=(Noted("note", "Version 1.5 put on with the maker's cable, in the boathouse"),),
        attempts=tuple(
            _tried(came, _AUK, post, controller=_BOX, software=version, stage=stage, start="app")
            for version, post, (came, stage) in (
                *(("1.4", post, old) for post, old, _ in _ROUND),
                *(("1.5", post, new) for post, _, new in _ROUND),
            )
            if came
        ),
        waits_for="the posts not tried since version 1.5",
        waits_on="me",
    ),
    DemoCase(
        "Plug would not come out at the marina",
        "Skua Long, hire car 7",
        "Marina, post 1 (Tern 22)",
        "Hire desk, Tove Lind: the guest pulled for ten minutes; it let go after the car was locked and opened again. "
        "Never since.",
        (),
        attempts=(
            _tried("charged", "Skua Long, hire car 7", "Marina, post 1 (Tern 22)", "let go at once", stage="hold"),
            _tried("charged", "Skua Long, hire car 7", "Marina, post 1 (Tern 22)", "let go at once", stage="hold"),
        ),
        closed="watched",
        days=30,
        noted=(Noted("closing", "Not seen again in two tries; the hire desk calls when it is", place="watched"),),
    ),
    DemoCase(
        "Stops after heavy rain, slipway",
        "Gannet One of the kayak hire",
        "Slipway, post 1 (Tern 11)",
        "Hand Mats Lie: the post tripped twice in one wet week. Dried and reseated the cover; "
        "to be looked at after the next rain.",
        (),
        modes=("mode3_socket",),
        attempts=(
            _tried("failed", "Gannet One of the kayak hire", "Slipway, post 1 (Tern 11)", "off at once, in the rain",
                   stage="energise", start="plug"),
            _tried("charged", "Gannet One of the kayak hire", "Slipway, post 1 (Tern 11)", "dry again", stage="hold",
                   start="plug"),
        ),
        closed="watched",
        days=-2,
        noted=(Noted("plan", place="stops"), Noted("step", place="weather", unit="wet", by_name="Mats Lie"),
               Noted("closing", "Dry now; after the next rain it is looked at again", place="watched")),
    ),
    DemoCase(
        "“Does not charge” that did",
        "Plover Cargo, fleet no. 3",
        "Boathouse, post 3 (Tern 22)",
        "Boat builder Asa Tern: the lamp stays blue and nothing happens. A timer was set in the vehicle.",
        (),
        attempts=(_tried("charged", "Plover Cargo, fleet no. 3", "Boathouse, post 3 (Tern 22)", "with the timer off",
                         stage="hold", start="plug"),),
        closed="nothing_wrong",
        noted=(Noted("closing", "A departure timer was set; shown to the driver", place="nothing_wrong"),
               Noted("cause", place="vehicle_not_asking")),
    ),
)  # fmt: skip
