"""The harbour's slow charges: what was promised, what was read, and the equipment it was read at. Every name is invented."""

from __future__ import annotations

from functools import partial

from gladwire.demo.case import DemoCase, DemoFile, DemoPiece, DemoSession, Noted
from gladwire.scenarios import power as stays

_FERRY, _BUS, _FISH, _HOTEL = "Ferry queue", "Bus yard", "Fish market", "Hotel court"
_FAST = {
    "post_kw": 180.0,
    "post_a": 375.0,
    "post_v": 920.0,
    "post_min_v": 150.0,
    "announced_kw": 180.0,
    "cable_a": 375.0,
}


def _stall(name: str, site: str, x: float, y: float, **details: object) -> DemoPiece:
    return DemoPiece("stall", name, site, {"x": x, "y": y, **details})


EQUIPMENT: tuple[DemoPiece, ...] = (
    DemoPiece("vehicle", "Skua Long, hire car 7", "", {
        "pack_class_v": 440.0, "pack_kwh": 74.0, "vehicle_kw": 158.0, "vehicle_a": 400.0, "onboard_a": 16.0,
        "onboard_phases": 3, "port": "rear left", "consumption": 17.4,
        "vehicle_curve": stays.SKUA_LONG.curve}),
    DemoPiece("vehicle", "Petrel Box, fish van 2", "", {
        "pack_class_v": 400.0, "pack_kwh": 52.0, "vehicle_kw": 96.0, "vehicle_a": 290.0, "onboard_a": 16.0,
        "onboard_phases": 3, "port": "front", "consumption": 27.5}),
    DemoPiece("vehicle", "Gannet 14, island bus 5", "", {
        "pack_class_v": 800.0, "pack_kwh": 216.0, "vehicle_kw": 180.0, "vehicle_a": 400.0, "converter_kw": 58.0,
        "port": "rear right", "consumption": 118.0}),
    DemoPiece("vehicle", "Auk Tug, harbour tractor", "", {
        "pack_class_v": 400.0, "pack_kwh": 38.0, "vehicle_kw": 60.0, "vehicle_a": 190.0, "port": "left side",
        "consumption": 85.0}),
    DemoPiece("vehicle", "Skua Mini, hire car 3", "", {
        "pack_class_v": 400.0, "pack_kwh": 41.0, "vehicle_kw": 84.0, "onboard_a": 16.0, "onboard_phases": 3,
        "port": "front right", "consumption": 14.8}),
    DemoPiece("site", _FERRY, _FERRY, {"grid_kw": 630.0}),
    DemoPiece("cabinet", "Cabinet 1", _FERRY, {"cabinet_kw": 180.0, "module_kw": 30.0, "share": "equal"}),
    DemoPiece("cabinet", "Cabinet 2", _FERRY, {"cabinet_kw": 180.0, "module_kw": 30.0, "share": "equal"}),
    _stall("Stall 1", _FERRY, 2, 2, label="1", app_name="FQ-01", post_class="Heron DC 180", cabinet="Cabinet 1",
           reach_m=3.5, serves="rear left, front", **_FAST),
    _stall("Stall 2", _FERRY, 6, 2, label="2", app_name="FQ-02", post_class="Heron DC 180", cabinet="Cabinet 1",
           reach_m=3.5, serves="rear left, front", **_FAST),
    _stall("Stall 3", _FERRY, 10, 2, label="3", app_name="FQ-04", post_class="Heron DC 180", cabinet="Cabinet 2",
           reach_m=3.5, serves="rear left, front", **_FAST),
    _stall("Stall 4", _FERRY, 14, 2, label="4", app_name="FQ-03", post_class="Heron DC 180", cabinet="Cabinet 2",
           reach_m=5.0, serves="any side", **_FAST),
    DemoPiece("site", _BUS, _BUS, {"grid_kw": 44.0, "buffer_kwh": 21.0}),
    _stall("Bus bay 2", _BUS, 4, 3, label="B2", app_name="BY-2", post_class="Heron DC 150", post_kw=150.0, post_a=400.0,
           post_v=920.0, announced_kw=150.0, reach_m=6.0, serves="rear right, left side"),
    _stall("Old fast post", _FISH, 3, 3, label="F", app_name="FM-F", post_class="Heron DC 150, 500 V", post_kw=150.0,
           post_a=400.0, post_v=500.0, announced_kw=150.0, reach_m=3.0, serves="front"),
    _stall("Wall post", _FISH, 9, 3, label="1", app_name="FM-1", post_class="Tern 11", ac_phases=3, offer_a=16.0,
           reach_m=5.0, serves="any side"),
    _stall("Post A", _HOTEL, 3, 3, label="A", app_name="HC-A", post_class="Heron DC 150", post_kw=150.0, post_a=400.0,
           post_v=920.0, announced_kw=150.0, reach_m=4.0, serves="front, rear left"),
    _stall("Post B", _HOTEL, 7, 3, label="B", app_name="HC-B", post_class="Heron DC 180", reach_m=4.0,
           serves="front, rear left", **_FAST),
    DemoPiece("adapter", "Tug adapter 100 A", "", {"adapter_a_continuous": 100.0, "adapter_supported": True}),
)  # fmt: skip

POWER_CASES: tuple[DemoCase, ...] = (
    DemoCase(
        "Half the power when the ferry comes in",
        "Skua Long, hire car 7",
        "Ferry queue, stall 3 (Heron DC 180)",
        "Hire desk, Tove Lind: in the morning it is quick, at ferry time it crawls from ten minutes in. The app says 180 kW.",
        (
            DemoSession("Ferry time, stall 3", (DemoFile("ferry_stall3_0914.csv",
                        partial(stays.logger, "shared", "2026-10-14T09:41:00")),), "dc",
                        vehicle="Skua Long, hire car 7", stall="Stall 3"),
            DemoSession("The van that came in beside it, stall 4", (DemoFile("ferry_stall4_0914.csv",
                        partial(stays.logger, "neighbour", "2026-10-14T09:47:40", 2)),), "dc",
                        vehicle="Petrel Box, fish van 2", stall="Stall 4"),
            DemoSession("Next day's ferry, stall 3", (DemoFile("ferry_stall3_1015.csv",
                        partial(stays.logger, "shared_again", "2026-10-15T10:15:00", 2)),), "dc",
                        vehicle="Skua Long, hire car 7", stall="Stall 3"),
            DemoSession("The van again, stall 4", (DemoFile("ferry_stall4_1020.csv",
                        partial(stays.logger, "neighbour_again", "2026-10-15T10:20:05", 2)),), "dc",
                        vehicle="Petrel Box, fish van 2", stall="Stall 4"),
            DemoSession("Morning, nobody beside", (DemoFile("ferry_stall3_0715.xlsx",
                        partial(stays.book, "warm", "2026-10-15T07:12:00")),), "dc",
                        vehicle="Skua Long, hire car 7", stall="Stall 3"),
        ),
        modes=("dc",),
        waits_for="one more plug-in beside it, to be sure who shares",
    ),
    DemoCase(
        "Bus 5 crawls at the fish market's old post",
        "Gannet 14, island bus 5",
        "Fish market, old fast post (Heron DC 150, 500 V)",
        "Driver Ivo Lund: it says 150 on the post and gives a third. At the yard it is quick.",
        (DemoSession("Bus 5 at the old post", (DemoFile("fishmarket_bus5.csv",
                     partial(stays.logger, "converter", "2026-10-20T13:05:00", 5)),), "dc",
                     vehicle="Gannet 14, island bus 5", stall="Old fast post"),),
        modes=("dc",),
    ),
    DemoCase(
        "Fish van slow on frosty mornings",
        "Petrel Box, fish van 2",
        "Hotel court, post A (Heron DC 150)",
        "Van driver Pia Strand: since the frost it takes an hour. Is the post worn?",
        (
            DemoSession("Frost, minus four", (DemoFile("hotel_van_frost.csv",
                        partial(stays.with_temperatures, "cold", "2026-11-17T06:50:00")),), "dc",
                        vehicle="Petrel Box, fish van 2", stall="Post A", known={"ambient_c": -4.0}),
            DemoSession("The same van in October, from the car's display", (DemoFile("hotel_van_october.csv",
                        partial(stays.typed, "van_warm", 30, "2026-10-06 15:20")),), "dc",
                        vehicle="Petrel Box, fish van 2", stall="Post A"),
        ),
        modes=("dc",),
    ),
    DemoCase(
        "Power sinks on warm days, hotel court post B",
        "Skua Long, hire car 7",
        "Hotel court, post B (Heron DC 180)",
        "Night porter Ole Berg: the plug is too hot to hold, and the car says slower and slower.",
        (DemoSession("Warm cable", (DemoFile("hotel_post_b_warm.csv",
                     partial(stays.with_temperatures, "warm_cable", "2026-08-11T14:02:00")),), "dc",
                     vehicle="Skua Long, hire car 7", stall="Post B",
                     noted=(Noted("display_reads", "post: “cable warm”", 700.0),)),),
        modes=("dc",),
    ),
    DemoCase(
        "Post died at 40 %, plugged in again next door",
        "Skua Long, hire car 7",
        "Ferry queue, stalls 1 and 2",
        "Hire desk: the screen went black, she moved to stall 2 and went on. How long would it have taken in one go?",
        (DemoSession("Two parts of one charge", (
            DemoFile("ferry_stall1_part1.csv", partial(stays.logger, "first_part", "2026-10-21T11:30:00")),
            DemoFile("ferry_stall2_part2.csv", partial(stays.logger, "second_part", "2026-10-21T11:47:30")),
        ), "dc", vehicle="Skua Long, hire car 7", stall="Stall 1"),),
        modes=("dc",),
    ),
    DemoCase(
        "Quick for ten minutes, then slow, bus yard bay 2",
        "Skua Long, hire car 7",
        "Bus yard, bay 2 (Heron DC 150 with buffer battery)",
        "Depot clerk Mats Rude: visitors complain it is only fast for the first of the day.",
        (DemoSession("Buffer runs dry", (DemoFile("busyard_bay2.csv",
                     partial(stays.logger, "buffer", "2026-10-22T10:00:00", 2)),), "dc",
                     vehicle="Skua Long, hire car 7", stall="Bus bay 2"),),
        modes=("dc",),
    ),
    DemoCase(
        "Tractor slow through its adapter",
        "Auk Tug, harbour tractor",
        "Hotel court, post A (Heron DC 150), adapter",
        "Harbour master's office: with the adapter it takes twice as long as the maker says.",
        (DemoSession("Tractor with adapter", (DemoFile("hotel_tractor_adapter.csv",
                     partial(stays.logger, "adapter", "2026-10-27T16:10:00", 2)),), "dc",
                     vehicle="Auk Tug, harbour tractor", stall="Post A", adapter="Tug adapter 100 A"),),
        modes=("dc",),
    ),
    DemoCase(
        "One third of the power at the wall post",
        "Skua Mini, hire car 3",
        "Fish market, wall post (Tern 11)",
        "Stall holder Ola Brisk: eleven kilowatts it says, the car shows three and a half. Since the electrician was here.",
        (DemoSession("Hire car 3, meter at the post", (DemoFile("fishmarket_wallpost_meter.csv",
                     partial(stays.ac_meter, 1, 42, "2026-10-28T12:15:00")),), "mode3_socket",
                     vehicle="Skua Mini, hire car 3", stall="Wall post"),),
        modes=("mode3_socket",),
    ),
    DemoCase(
        "Crawls after the mountain road",
        "Skua Long, hire car 7",
        "Ferry queue, stall 4 (Heron DC 180)",
        "Hire desk, Tove Lind: after the pass in August it charges at a third, and its fans roar.",
        (DemoSession("Hot pack, stall 4", (DemoFile("ferry_stall4_august.csv",
                     partial(stays.with_temperatures, "hot", "2026-08-19T15:30:00")),), "dc",
                     vehicle="Skua Long, hire car 7", stall="Stall 4"),),
        modes=("dc",),
    ),
    DemoCase(
        "Slower with the borrowed lead",
        "Skua Mini, hire car 3",
        "Fish market, wall post (Tern 11)",
        "Stall holder Ola Brisk: with his own lead it was eleven, with the borrowed one nine.",
        (DemoSession("Hire car 3, borrowed lead", (DemoFile("fishmarket_borrowed_lead.csv",
                     partial(stays.ac_meter, 3, 38, "2026-10-30T11:05:00", 13.0)),), "mode3_socket",
                     vehicle="Skua Mini, hire car 3", stall="Wall post", known={"cable_code_a": 13.0}),),
        modes=("mode3_socket",),
    ),
    DemoCase(
        "Never more than 90 kW at stall 1",
        "Skua Long, hire car 7",
        "Ferry queue, stall 1 (Heron DC 180)",
        "Hire desk: stall 1 gives half of what stall 3 gives, with the same car, alone.",
        (DemoSession("Alone at stall 1", (DemoFile("ferry_stall1_alone.csv",
                     partial(stays.logger, "modules", "2026-10-29T07:30:00", 2)),), "dc",
                     vehicle="Skua Long, hire car 7", stall="Stall 1"),),
        modes=("dc",),
    ),
)  # fmt: skip
