"""The harbour's newer posts, sealed conversations and retrofit vans: what was reported of them and what was captured."""

from __future__ import annotations

from functools import partial

from gladwire.demo.case import DemoCase, DemoFile, DemoSession, Noted
from gladwire.scenarios import bus, dc, tls


def _both(stem: str, plan: str) -> tuple[DemoFile, ...]:
    """Pilot and frames of one plug-in, from two instruments."""
    return (
        DemoFile(f"{stem}_pilot.npz", partial(dc.pilot, plan)),
        DemoFile(f"{stem}_frames.pcapng", partial(dc.frames, plan)),
    )


def _encrypted(stem: str, name: str, with_keys: bool = True) -> tuple[DemoFile, ...]:
    """Frames of a sealed plug-in, with or without the key log of the vehicle's controller."""
    frames = DemoFile(f"{stem}_frames.pcapng", partial(tls.frames, name))
    keys = DemoFile(f"{stem}.keys", partial(tls.keys, name))
    return (frames, keys) if with_keys else (frames,)


def _bus(stem: str, name: str, suffix: str) -> tuple[DemoFile, ...]:
    make = bus.retrofit if name in bus.RETROFITS else bus.connector
    return (DemoFile(f"{stem}.{suffix}", partial(make, name, suffix)),)


_OWN_DBC = DemoFile(bus.DBC_NAME, bus.dbc)

NEWER_CASES: tuple[DemoCase, ...] = (
    DemoCase(
        "Bus pays by contract, and nobody can read along, north terminal",
        "Gannet 15, island bus 9",
        "North terminal, stall 1 (Heron DC 150)",
        "Depot: bus 9 charges by contract. For the handover we want to see every step of it once.",
        (
            DemoSession("Bus 9, sealed, with the controller's key log", _encrypted("north1_bus9", "contract"), "dc"),
            DemoSession("The same next day, no key log", _encrypted("north1_bus9_closed", "closed", False), "dc"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "No bus gets past “securing connection”, north terminal stall 2",
        "Gannet 15, island buses 8 and 9",
        "North terminal, stall 2 (Heron DC 150)",
        "Night driver Ivo Lund: since the first of the month stall 2 says “securing connection” and gives up. Stall 1 works.",
        (
            DemoSession("Bus 8 on stall 2", _encrypted("north2_bus8", "expired"), "dc",
                        repair="Certificate of stall 2 renewed by its operator."),
        ),
        modes=("dc",),
        waits_for="a plug-in with the new certificate",
        waits_on="owner",
        days=6,
    ),
    DemoCase(
        "Contract refused, card works, fish market fast post 2",
        "Skua Maxi, hire car 7",
        "Fish market, fast post 2 (Heron DC 150)",
        "Hire desk: car 7 used to start by itself. Now it wants a card, and with the card it charges.",
        (DemoSession("Hire car 7 by contract", _encrypted("fishmarket2_car7", "refused"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Waits for a schedule that never comes, harbour tower",
        "Gannet 15, island bus 9",
        "Harbour tower, stall 4 (Heron DC 150)",
        "Depot: it authorises at once, then nothing for a minute, then red. The site's load control was changed on Friday.",
        (
            DemoSession("Bus 9 at the tower", _both("tower4_bus9", "no_schedule"), "dc",
                        repair="Load control's address corrected in the post."),
            DemoSession("Bus 9 at the tower, after", _both("tower4_bus9_after", "whole_20"), "dc"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Bus gives back at the evening peak, bus yard stall 7",
        "Gannet 15, island bus 10",
        "Bus yard, stall 7 (Heron DC 150)",
        "Site owner: is it a fault that the display counts backwards at seven?",
        (DemoSession("Bus 10 at seven in the evening", _both("busyard7_peak", "both_ways"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Stops for the night and goes on in the morning, hotel court post C",
        "Skua Maxi, guest's car",
        "Hotel court, post C (Tern AC 22)",
        "Hotel: guests say it “fails” at eleven. In the morning it is charged all the same.",
        (
            DemoSession("Guest's car, paused and taken up", _both("hotel_c_night", "pause"), "dc"),
            DemoSession("AC with messages, the contactor refuses", _both("hotel_c_refuses", "ac_refuses"), ""),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Retrofit van clicks and stops, ice works",
        "Petrel Box, ice van with retrofit inlet",
        "Ice works, fast post (Heron DC 60)",
        "Workshop Lea Moen: inlet controller fitted last week. White lamp, blue lamp, clack, red lamp.",
        (
            DemoSession("Ice van, bus logged, as fitted", (*_bus("icevan_first", "swapped", "log"), _OWN_DBC), "dc",
                        (Noted("note", "Lamp red", 15.0),), repair="Sensing wires put on their own sides."),
            DemoSession("Ice van, after the wires were put right", _bus("icevan_second", "healthy", "asc"), "dc"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Retrofit van gets slower by the minute, slipway",
        "Petrel Box, fish van 4 with retrofit inlet",
        "Slipway, fast post (Heron DC 60)",
        "Driver Nils Brandt: it begins at 40 kW and is at half after a minute. Another van is fine on the same post.",
        (
            DemoSession("Fish van 4, bus logged", _bus("fishvan4", "hot_pin", "blf"), "dc"),
            DemoSession("Fish van 4, the sensor went too", _bus("fishvan4_sensor", "pin_open", "trc"), "dc"),
        ),
        modes=("dc",),
        waits_for="a new inlet",
        waits_on="part",
        days=9,
    ),
    DemoCase(
        "Old hire car on the adapter stops, ferry queue",
        "Skua Mini of the first series, CAN connector",
        "Ferry queue, fast post 1 with adapter",
        "Hire desk: with the adapter it starts and stops. Sometimes it does not even start.",
        (
            DemoSession("Starts, and stops by itself", _bus("ferry1_adapter", "hot", "log"), "dc"),
            DemoSession("Does not even start", _bus("ferry1_adapter_again", "alone", "log"), "dc"),
        ),
        modes=("dc",),
    ),
)  # fmt: skip
