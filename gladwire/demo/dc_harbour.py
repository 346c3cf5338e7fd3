"""The harbour's DC posts: what was reported of them and what was captured. Every name is invented."""

from __future__ import annotations

from functools import partial

from gladwire.demo.case import DemoCase, DemoFile, DemoSession, Noted
from gladwire.scenarios import dc


def _both(stem: str, plan: str) -> tuple[DemoFile, ...]:
    """Pilot and frames of one plug-in, from two instruments."""
    return (
        DemoFile(f"{stem}_pilot.npz", partial(dc.pilot, plan)),
        DemoFile(f"{stem}_frames.pcapng", partial(dc.frames, plan)),
    )


DC_CASES: tuple[DemoCase, ...] = (
    DemoCase(
        "Volts never come up, bus yard stall 2",
        "Gannet 12, island bus 4",
        "Bus yard, stall 2 (Heron DC 60)",
        "Night driver Ivo Lund: it clicks, counts to seven and says “charging fault”. The same bus charges at stall 3.",
        (
            DemoSession("Bus 4 on stall 2, as found", _both("busyard_stall2", "low_output"), "dc",
                        repair="Output contactor of power module 1 replaced by the maker's technician."),
            DemoSession("Bus 4 on stall 2, after the repair", _both("busyard_stall2_after", "whole"), "dc"),
        ),
        modes=("dc",),
        waits_for="a second vehicle on stall 2",
        waits_on="day",
        days=3,
    ),
    DemoCase(
        "Says “connecting” for ever, ferry queue fast post",
        "Skua Mini and others",
        "Ferry queue, fast post 1 (Heron DC 60)",
        "Hire desk: since Monday no car gets further than “connecting”. The neighbour post works.",
        (
            DemoSession("Nobody answers matching", _both("ferry_fast1_monday", "modem_silent"), "dc",
                        repair="Modem board seated again."),
            DemoSession("It matches, and nobody is behind it", _both("ferry_fast1_tuesday", "nobody_home"), "dc"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Two posts back to back, wrong one answers, hotel court",
        "Petrel Box, laundry van",
        "Hotel court, fast posts A and B (Heron DC 60)",
        "Van driver Pia Strand: plugged into A, and B's display comes alive. It hangs at “checking cable”.",
        (DemoSession("Van on A, B beside it switched on", _both("hotel_post_a", "neighbour"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Old bus, new post, bus yard stall 5",
        "Gannet 9, island bus 1",
        "Bus yard, stall 5 (Heron DC 150)",
        "Depot: bus 1 charged at the old post for years, the new one refuses it at once.",
        (DemoSession("Bus 1 on the new post", _both("busyard_stall5", "old_tongue"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Card read, nothing happens, fish market fast post",
        "Skua Mini, hire car 3",
        "Fish market, fast post (Heron DC 60)",
        "Stall holder Ola Brisk: the card beeps green and the car waits a minute, then gives up.",
        (DemoSession("Hire car 3, card tried twice", _both("fishmarket_fast_card", "card"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Harbour tractor will not charge anywhere but home",
        "Auk Tug, harbour tractor",
        "Pier 2, fast post (Heron DC 60)",
        "Harbour master's office: at the works it charges, at the pier it stops after two seconds. Is the post broken?",
        (DemoSession("Tractor at the pier", _both("pier2_tractor", "small_pack"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "After the wash, slipway fast post",
        "Petrel Box, fish van 2",
        "Slipway, fast post (Heron DC 60)",
        "Driver Nils Brandt: washed the van this morning, now every post says “isolation fault”.",
        (
            DemoSession("Fish van 2, straight from the wash", _both("slipway_fishvan2", "wet_inlet"), "dc",
                        repair="Inlet dried, drain of the inlet cleared."),
            DemoSession("Fish van 2, next day", _both("slipway_fishvan2_dry", "whole_din"), "dc"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Refuses to switch on, ice works fast post",
        "Petrel Box, ice van",
        "Ice works, fast post (Heron DC 60)",
        "Ice works: everything goes well, and at the last moment the post says no. Every time, every car.",
        (DemoSession("Ice van, frames and pilot", _both("iceworks_fast", "no_switch"), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Stops after a few seconds, ferry queue fast post 2",
        "Skua Mini, hire car 5",
        "Ferry queue, fast post 2 (Heron DC 60)",
        "Hire desk: it starts, and when somebody walks past the plug it stops.",
        (
            DemoSession("With the cable moved", _both("ferry_fast2_moved", "contact_opens"), "dc",
                        (Noted("note", "Cable lifted by hand here", 18.0),)),
            DemoSession("Again, and a loud click in the cabinet", _both("ferry_fast2_click", "button"), "dc"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Plug will not come out, bus yard stall 3",
        "Gannet 12, island bus 6",
        "Bus yard, stall 3 (Heron DC 60)",
        "Night driver Ivo Lund: pressed stop on the post, the bus hums on and the plug stays locked.",
        (DemoSession("Stop pressed at the post", _both("busyard_stall3_stop", "stop_ignored"), "dc"),),
        modes=("dc",),
    ),
)  # fmt: skip
