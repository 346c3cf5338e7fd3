"""Each stage in two sentences that a new technician understands."""

from __future__ import annotations

from collections.abc import Mapping

EXPLAINED: Mapping[str, str] = {
    "seat": "The plug sits home in the socket or inlet. Debris, a bent pin or a stiff seal keeps it out.",
    "proximity": (
        "A resistor in the plug tells that a plug is there and what its cable carries. It says nothing of the pilot."
    ),
    "lock": "A motor holds the plug so that nobody draws it under load. It shows as one pulse and a position that changes.",
    "pilot": "The vehicle loads the post's ±12 V pilot and pulls it from 12 V to 9 V. From then on both know of each other.",
    "offer": "The post's oscillation says how much current it offers. At 5 % it says that the rest is talked over the line.",
    "request": "The vehicle pulls the pilot to 6 V (or 3 V with ventilation). That asks for power.",
    "match": (
        "The vehicle sounds over the pilot line, and posts tell how loudly they hear it. The loudest is the one it is "
        "plugged into, and their modems share a key."
    ),
    "link": (
        "Over the new link the vehicle asks where the post's controller is and connects to it. Security, if both want it, is "
        "settled here."
    ),
    "agree": (
        "Both choose a protocol, begin a session and settle which services are used. A post that knows none of the vehicle's "
        "protocols says so here."
    ),
    "authorise": "The post finds out who pays: a card, an app or a contract in the vehicle. Until then it answers “not yet”.",
    "parameters": (
        "Both state their limits of voltage, current and power. If they cannot meet, the session must end here, and nothing "
        "is broken."
    ),
    "insulation": (
        "The post puts voltage on the cable and measures that nothing leaks to earth. The vehicle's "
        "contactors are still open, so the volts seen are not the pack's."
    ),
    "precharge": (
        "The post brings the cable to the pack's voltage before the vehicle closes its contactors. Within "
        "20 V they may close without a spark."
    ),
    "ramp": "The vehicle closes its contactors and tells the post to switch on. Current rises over seconds to what is asked.",
    "energise": "The post's contactor closes and mains stand at the inlet. That should follow the request within seconds.",
    "draw": "The on-board charger starts and draws current up to the offer. A charger may use fewer phases than there are.",
    "hold": (
        "Several times a second the vehicle says how much it wants, and the post gives what it can. The charge lasts as long "
        "as both keep talking."
    ),
    "end": (
        "One side asks to stop, current falls, contactors open and are checked, the session is ended and the plug let go. "
        "Anything else is a break."
    ),
}

# What is missing where nothing captured speaks for a stage.
MISSING: Mapping[str, str] = {
    "seat": "Seat shows only where proximity and pilot are both captured, or is looked at.",
    "proximity": "Proximity was not captured.",
    "lock": "The lock was not captured.",
    "pilot": "The pilot was not captured.",
    "offer": "The pilot was not captured.",
    "request": "The pilot was not captured.",
    "energise": "Mains behind the contactor was not captured.",
    "draw": "Current was not captured.",
    "hold": "The pilot was not captured.",
    "end": "The pilot was not captured.",
}
