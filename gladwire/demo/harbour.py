"""The island harbour: who complained of what, what was captured, heard, measured and mended. Every name is invented."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from gladwire.demo.case import DemoCase, DemoFile, DemoSession, Noted
from gladwire.demo.dc_harbour import DC_CASES
from gladwire.demo.newer_harbour import NEWER_CASES
from gladwire.demo.power_harbour import POWER_CASES
from gladwire.demo.week_harbour import PORTER, WEEK_CASES
from gladwire.scenarios import ac


def _one(name: str, content: Callable[[], bytes]) -> tuple[DemoFile, ...]:
    return (DemoFile(name, content),)


_AC_CASES: tuple[DemoCase, ...] = (
    DemoCase(
        "Post 1 “busy” with nobody there, fish market",
        "",
        "Fish market, post 1 (Tern 22)",
        "Stall holder Ola Brisk: the lamp blinks as if a van were waiting, all day. Yesterday's sheet says “vehicle "
        "waiting at 9 V”, read from the screen by eye.",
        (
            DemoSession(
                "Empty socket, ten past six",
                _one("fishmarket_post1_empty_socket.csv", ac.to_nobody),
                "mode3_socket",
            ),
        ),
    ),
    DemoCase(
        "Nothing since the storm, bakery quay",
        "Petrel Box, bakery van",
        "Bakery quay, post 2 (Tern 11)",
        "Baker Signe Dahl: plugs in at twenty to six, it locks, the car says “waiting for power”, and nothing comes.",
        (
            DemoSession(
                "Van at post 2, scope, logger and logic probe",
                (
                    DemoFile("bakery_post2_scope.csv", ac.bakery_pilot),
                    DemoFile("bakery_post2_logger.csv", ac.bakery_logger),
                    DemoFile("bakery_post2_logic.vcd", ac.bakery_logic),
                ),
                "mode3_socket",
                (
                    Noted("lock_click", "", 1.5),
                    Noted("contactor_clunk", "dull, behind the plinth", 3.7),
                    Noted("lamp_error", "red, three blinks", 12.2),
                ),
            ),
        ),
        noted=(Noted("code", "Post shows E17 in its service menu", place="post"),),
    ),
    DemoCase(
        "Car takes nothing at the ice works",
        "Skua Mini of the ice works",
        "Ice works, wall post (Tern 11)",
        "Foreman Jon Vik: the post clunks, the car shows a plug, no range comes on. At home it charges.",
        (
            DemoSession(
                "Wall post, mains beside the pilot",
                _one("iceworks_wall_post.csv", ac.ice_works),
                "mode3_tethered",
            ),
        ),
        modes=("mode3_tethered", "mode2"),
        noted=(
            Noted("plan", place="slow_only"),
            Noted("step", place="codes", unit="not_so"),
            Noted("step", "charges at home overnight", place="mode2_ok", unit="not_so"),
            Noted("step", place="look", unit="not_so"),
        ),
    ),
    DemoCase(
        "Stops when people stand about, kayak hire",
        "Gannet One of the kayak hire",
        "Kayak hire, post 1 (Tern 22)",
        "Hand Mats Lie: charges, then stops when somebody gets something out of the boot. Type 1 inlet.",
        (
            DemoSession(
                "With people round the car",
                _one("kayak_hire_post1.csv", ac.leaned_on),
                "mode3_tethered",
                (Noted("latch_touched", "a hip against the handle", 6.7),),
            ),
        ),
        modes=("mode3_tethered",),
    ),
    DemoCase(
        "Boathouse post offers nothing to any car",
        "any",
        "Boathouse, post 3 (Tern 22)",
        "Caretaker Eli Moe: every car says “no power available” since the new load control.",
        (
            DemoSession(
                "Pilot at post 3 with the test vehicle",
                _one("boathouse_post3.csv", ac.between_duties),
                "mode3_socket",
            ),
        ),
    ),
    DemoCase(
        "Delivery van drops out in the hotel yard",
        "Plover Cargo, fleet no. 7",
        "Hotel Seaview, post 2 (Tern 22)",
        "Night porter: starts, then stops after some seconds, sometimes minutes. Starts again when the plug is pushed. "
        "The same van holds at the fish market.",
        (
            DemoSession(
                "Van 7 on post 2, plug left alone",
                _one("hotel_post2_van7.csv.gz", ac.van_loose),
                "mode3_tethered",
                (Noted("fans_start", "under the bonnet", 5.1), Noted("plug_moved", "cable swings in the wind", 6.9)),
                parts={"vehicle": "Plover Cargo, fleet no. 7", "post": "Hotel Seaview, post 2 (Tern 22)"},
            ),
            DemoSession(
                "Van 7 on post 3, same cable",
                _one("hotel_post3_van7.csv", ac.van_holds),
                "mode3_tethered",
                parts={"vehicle": "Plover Cargo, fleet no. 7", "post": "Hotel Seaview, post 3 (Tern 22)"},
            ),
        ),
        modes=("mode3_tethered",),
        attempts=PORTER,
    ),
    DemoCase(
        "Bus stays at “preparing”, bus yard DC stall 4",
        "Heron 12 city bus, no. 31",
        "Bus yard, cabinet B, stall 4",
        "Driver Runa Holt: plug locks, lamp steady, nothing more. Stall 5 starts the same bus. No frames captured yet.",
        (DemoSession("Bus 31 on stall 4", _one("busyard_stall4_bus31.npz", ac.five_percent), "dc"),),
        modes=("dc",),
    ),
    DemoCase(
        "Plug will not come out, car park north",
        "Skua Mini, hire car 4",
        "Car park north, post 6 (Tern 22)",
        "Guest: fully charged, and the plug stays in. Third time with this car; the hire desk has it towed.",
        (
            DemoSession(
                "Whole session, to the release that fails",
                _one("carpark_post6_stays_held.csv", ac.stays_held),
                "mode3_socket",
                (Noted("release_asked", "by the key", 9.1), Noted("plug_stays_held", "", 11.4)),
            ),
        ),
    ),
    DemoCase(
        "Half speed after ten minutes, school yard",
        "Fulmar Combi of the school",
        "School yard, post 1 (Tern 22)",
        "Teacher Ane Berg: begins with 11 kW and sinks to less than 6, on warm days sooner.",
        (DemoSession("Three phases, warm afternoon", _one("schoolyard_post1.csv", ac.turns_down), "mode3_socket"),),
    ),
    DemoCase(
        "Plug clatters and nothing starts, marina pier",
        "Gannet One of the sailing school",
        "Marina pier, post 4 (Tern 22)",
        "Sailing teacher Ivo Mar: the lock clatters three times, the car says “not locked”. On pier post 3 it charges.",
        (
            DemoSession(
                "Plug-in at pier post 4",
                _one("marina_pier4_plug_in.csv", ac.clatters),
                "mode3_socket",
                (Noted("lock_clatter", "three times, loud", 2.0),),
                repair="Splinter of wood taken out of the socket's locking hole.",
            ),
            DemoSession(
                "Again, with the socket clear",
                _one("marina_pier4_socket_clear.csv", ac.locks_then_corroded),
                "mode3_socket",
                repair="Green CP contact of the socket replaced; the lead's is bright.",
            ),
            DemoSession(
                "Third time, with the new contact",
                _one("marina_pier4_new_contact.csv", ac.both_mended),
                "mode3_socket",
            ),
        ),
        noted=(
            Noted("pin", "splinter in the locking hole beside it", place="type2/inlet/L1", unit="debris"),
            Noted("code", "Car: charging plug not locked (2 entries)", place="vehicle"),
        ),
    ),
    DemoCase(
        "Slow and slower at noon, harbour office",
        "Skua Mini of the harbour master",
        "Harbour office, post 1 (Tern 11)",
        "Offer shown in the car falls from 32 A to 16 A to 6 A and then it stops, on sunny days too.",
        (DemoSession("Noon, all four posts in use", _one("harbour_office_noon.csv", ac.load_control), "mode3_socket"),),
    ),
    DemoCase(
        "Would not start at the ferry queue, stall 3",
        "Skua Mini, hire car 12",
        "Ferry queue, stall 3 (Tern 22)",
        "Hire desk: car says “check plug”, post lamp is steady green. Third time this week.",
        (
            DemoSession(
                "First try, as found",
                _one("ferry_stall3_first_try.csv", ac.not_home),
                "mode3_socket",
                (Noted("lamp_steady", "green", 1.6),),
                repair="Lip of the plug's rubber cover trimmed, plug pushed home.",
            ),
            DemoSession(
                "Plug pushed home, lip trimmed",
                _one("ferry_stall3_pushed_home.csv", ac.pushed_home),
                "mode3_socket",
                known_good="Tern 22 with Skua Mini",
            ),
        ),
        noted=(Noted("cause", place="plug_not_fully_seated"),),
        closed="mended",
    ),
    DemoCase(
        "Guest's van charges nowhere, hotel court",
        "Auk 3, guest's van",
        "Hotel court, post B (Tern 11)",
        "Porter Liv Aas: it did not charge here, nor at the marina last night; the car says “check plug”. No instrument was "
        "at hand when she called.",
        (),
        ("mode3_socket",),
        (
            Noted("plan", place="nowhere"),
            Noted("step", "P1C2A plug", place="codes", unit="plug", by_name="Liv Aas"),
            Noted("code", "P1C2A plug", by_name="Liv Aas"),
            Noted("step", "nor at the marina", place="elsewhere", unit="so", by_name="Liv Aas"),
            Noted("step", place="since", unit="not_so", by_name="Liv Aas"),
        ),
    ),
)

CASES: tuple[DemoCase, ...] = (*_AC_CASES, *DC_CASES, *POWER_CASES, *NEWER_CASES, *WEEK_CASES)

LOOSE: tuple[DemoSession, ...] = (
    DemoSession("Unknown box on the slipway", _one("unknown_box_on_slipway.csv", ac.slipway_box)),
    DemoSession(
        "Workshop, new lead",
        _one("workshop_new_lead.csv", partial(ac.lead, 0.0, 1.5e-9)),
        known_good="Lead 5G6, 7 m",
    ),
    DemoSession("Campsite, long wet lead", _one("campsite_long_lead.csv", partial(ac.lead, 240.0, 11e-9))),
    DemoSession("Marina, tries again and again", _one("marina_boat_trailer.csv", ac.hunting)),
    DemoSession("A lock's scope, two channels without a name", _one("slipway_lock_scope.csv", ac.lock_nobody_named)),
)
