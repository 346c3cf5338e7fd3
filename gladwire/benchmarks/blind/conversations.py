"""Conversations whose parties fail in the ways posts, vehicles and lines do, frame by frame. The peers' logic is the
simulator's, which knows nothing of what judges; the failures and their truth are this file's own. Common practice, no source.
"""

from __future__ import annotations

import random
import struct
from collections.abc import Callable, Sequence
from copy import deepcopy
from dataclasses import dataclass
from typing import Any, NamedTuple
from unittest.mock import patch

from gladwire.benchmarks.blind.truth import Truth
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.message import write_message
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Fields, Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, Stage, _StoppedError
from gladwire.core.simulate.plc.wire import Station

MINE, NEXT = Station(bytes.fromhex("02d00d000042")), Station(bytes.fromhex("02d00d000043"))
ANY_FAILED = ("failed_to_start",)


@dataclass
class Moody(Post):
    """A post that changes its mind. lowers: (loops until its limit falls, amperes it falls to). quietly: (loops until it
    gives less without a word, share of what is asked). rcd_after: loops until its earth-fault device trips."""

    lowers: tuple[int, float] = (-1, 1.0)
    quietly: tuple[int, float] = (-1, 1.0)
    rcd_after: int = -1

    def flows(self, wanted_a: float, name: str) -> Fields:
        if 0 <= self.lowers[0] < self.counts[name]:
            self.max_a = self.lowers[1]
        told = super().flows(wanted_a, name)
        if 0 <= self.quietly[0] < self.counts[name]:
            told["EVSEPresentCurrent"] = round(wanted_a * self.quietly[1], 1)
        return told

    def _ChargingStatus(self, key: str, request: Fields) -> Fields:
        if 0 <= self.lowers[0] < self.counts["ChargingStatus"]:
            self.max_a = self.lowers[1]
        return super()._ChargingStatus(key, request)

    def ac_status(self) -> Fields:
        told = super().ac_status()
        trips = 0 <= self.rcd_after < self.counts.get("ChargingStatus", 0)
        return {**told, "AC_EVSEStatus.RCD": trips}


@dataclass
class Odd(Stage):
    """A session in which somebody does what nobody should. skips: message the vehicle leaves out. stranger_from: message from
    which it uses another session's identity. dies_at: message after which a side falls silent: (stem, side, acknowledges)."""

    plan: Plan
    skips: str = ""
    stranger_from: str = ""
    dies_at: tuple[str, int, bool] = ("", 0, True)
    loops_before: int = 0

    def __post_init__(self) -> None:
        Stage.__init__(self, self.plan)

    def ask(self, name: str, **more: Any) -> dict[str, Any]:
        if name == self.skips:
            self.skips = ""
            return {"EVSEProcessing": "Finished", "EVSEPresentVoltage": 0.0}
        if name == self.stranger_from:
            self.session = "9F9F9F9F00000001"
            self.plan.post.fails[name] = "FAILED_UnknownSession"
        stem, side, acknowledges = self.dies_at
        loops = self.plan.vehicle.loops
        if name == stem and loops >= self.loops_before:
            self._die(name, side, acknowledges, more)
        return super().ask(name, **more)

    def _die(self, name: str, side: int, acknowledges: bool, more: dict[str, Any]) -> None:
        if side == 1:
            fields = self.plan.vehicle.request(self.key, name, **more)
            self.line.acknowledges = acknowledges
            payload = write_message(self.key, f"{name}Req", fields, self._header(0, False))
            self._say(payload)
            if not acknowledges:  # sent again and again, as TCP does, into nothing
                for wait in (0.3, 0.6, 1.2, 2.4, 4.8):
                    self.wire.time_s += wait
                    self.line.seq[0] = (self.line.seq[0] - len(payload) - 8) & 0xFFFFFFFF
                    self._say(payload)
        self.wire.time_s += 8.0
        raise _StoppedError

    def _say(self, payload: bytes) -> None:
        self.line.say(0, struct.pack(">BBHI", 1, 0xFE, 0x8001, len(payload)) + payload)


class Hasty(Stage):
    """A vehicle that now and then sends its next request without waiting, both in one segment."""

    def ask(self, name: str, **more: Any) -> dict[str, Any]:
        if name != "CurrentDemand" or self.plan.vehicle.loops % 25 != 10:
            return super().ask(name, **more)
        vehicle, post = self.plan.vehicle, self.plan.post
        payloads, told = [], {}
        for _ in range(2):
            fields = vehicle.request(self.key, name, **more)
            payload = write_message(self.key, f"{name}Req", fields, self._header(0, False))
            payloads.append(struct.pack(">BBHI", 1, 0xFE, 0x8001, len(payload)) + payload)
        self.line.say(0, b"".join(payloads))
        for _ in payloads:
            answer = post.answer(self.key, name, fields)
            assert answer is not None
            told = self._send(1, write_message(self.key, f"{name}Res", answer, self._header(1, False)), self.key)
            self.wire.time_s += 0.02
        self._after(name, told)
        return told


class Case(NamedTuple):
    name: str
    capture: FrameCapture
    truth: Truth


def _post(r: random.Random, **more: Any) -> Moody:
    return Moody(
        max_a=r.choice((125.0, 200.0, 250.0)),
        max_w=r.choice((100_000.0, 150_000.0)),
        noise=random.Random(r.random()),
        **more,
    )


def _vehicle(r: random.Random, **more: Any) -> Vehicle:
    protocols = r.choice((("iso2", "din"), ("din",)))
    return Vehicle(**{"protocols": protocols, "asks_a": r.choice((80.0, 110.0)), "pack_v": r.uniform(330, 390), **more})


Made = tuple[Stage, Truth]


def healthy(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r), loop_s=r.uniform(20, 60), seed=r.randrange(999))
    return Stage(plan), Truth(
        ("charged",), {"match": ("proven",), "hold": ("proven",), "end": ("proven",)}, healthy=True
    )


def healthy_with_much_loss(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r), loop_s=25, listeners=(Listener(MINE, loss_db=r.uniform(21, 26)),))
    return Stage(plan), Truth(("charged",), {"match": ("proven",), "hold": ("proven",)}, healthy=True)


def hasty(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r), loop_s=r.uniform(20, 40))
    return Hasty(plan), Truth(
        ("charged",), {"hold": ("proven",), "end": ("proven",)}, healthy=True, never=("no answer", "went silent")
    )


def limit_lowered(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r, lowers=(60, 40.0)), loop_s=r.uniform(40, 90))
    return Stage(plan), Truth(
        ("derated",),
        {"hold": ("proven",)},
        ("offer_lowered_by_site", "cabinet_shared", "cable_cooling"),
        ("evse", "site"),
        says=("lower|derated",),
    )


def gives_less_quietly(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r, quietly=(r.choice((0, 50)), 0.5)), loop_s=r.uniform(40, 80))
    return Stage(plan), Truth(
        ("derated",),
        {"hold": ("proven",)},
        ("modules_missing", "post_gives_less", "cabinet_shared"),
        ("evse", "site"),
        says=("without saying|without a flag|does not explain",),
    )


def _ac(r: random.Random, **more: Any) -> Plan:
    post = _post(r, mode="AC_three_phase_core", **more)
    post.max_a = 32.0
    return Plan(Vehicle(protocols=("iso2",), mode="AC_three_phase_core", max_a=32.0), post, loop_s=40, every_s=0.5)


def ac_limit_lowered(r: random.Random) -> Made:
    return Stage(_ac(r, lowers=(30, 10.0))), Truth(
        ("derated",), {"hold": ("proven",)}, ("offer_lowered_by_site",), ("site", "evse")
    )


def ac_earth_fault(r: random.Random) -> Made:
    plan = _ac(r, rcd_after=30)
    return Stage(plan), Truth(
        ("dropped_out",),
        {"hold": ("failed",)},
        ("earth_fault_trip",),
        ("vehicle", "cable", "evse"),
        says=("residual|earth-fault",),
    )


def check_fails(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r, fails={"CableCheck": "FAILED"}))
    return Stage(plan), Truth(
        ANY_FAILED,
        {"insulation": ("failed",)},
        ("insulation_low_in_vehicle_or_cable", "insulation_self_test"),
        ("vehicle", "evse", "cable"),
    )


def out_of_order(r: random.Random) -> Made:
    key = "iso2"
    plan = Plan(_vehicle(r, protocols=(key,)), _post(r, fails={"PreCharge": "FAILED_SequenceError"}))
    return Odd(plan, skips="CableCheck"), Truth(
        ANY_FAILED,
        {"precharge": ("failed", "not_reached"), "insulation": ("failed", "not_reached", "not_captured")},
        ("vehicle_leaves_order",),
        ("vehicle",),
    )


def another_session(r: random.Random) -> Made:
    stem = r.choice(("ServiceDiscovery", "ChargeParameterDiscovery"))
    return Odd(Plan(_vehicle(r), _post(r)), stranger_from=stem), Truth(
        ANY_FAILED, {}, ("vehicle_leaves_order",), ("vehicle",)
    )


def mode_not_offered(r: random.Random) -> Made:
    fails = {"ChargeParameterDiscovery": "FAILED_WrongEnergyTransferMode"}
    plan = Plan(_vehicle(r, protocols=("iso2",)), _post(r, fails=fails, mode="DC_core"))
    return Stage(plan), Truth(ANY_FAILED, {"parameters": ("failed",)}, ("vehicle_leaves_order",), ("vehicle",))


def stop_ignored(r: random.Random) -> Made:
    plan = Plan(_vehicle(r, ignores_stop=True), _post(r, stops_after=40), loop_s=30)
    return Stage(plan), Truth(("charged", "dropped_out"), {"end": ("failed",)}, ("stop_not_followed",), ("vehicle",))


def reset_in_loop(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r), hangs_up={"CurrentDemand": 1})
    plan.loop_s = 30
    return LateReset(plan, r.randrange(40, 90)), Truth(
        ("dropped_out",),
        {"hold": ("failed",)},
        ("post_controller_hangs", "post_restarts", "emergency_stop_pressed"),
        ("evse", "site"),
    )


class LateReset(Stage):
    def __init__(self, plan: Plan, loops: int) -> None:
        super().__init__(plan)
        self.at, plan.hangs_up = loops, {}

    def _after(self, name: str, told: dict[str, Any]) -> None:
        if self.plan.vehicle.loops >= self.at:
            self.plan.hangs_up = {"CurrentDemand": 1}
        super()._after(name, told)


def post_hangs(r: random.Random) -> Made:
    stem, loops = r.choice((("ServiceDiscovery", 0), ("CurrentDemand", 60)))
    return Odd(Plan(_vehicle(r), _post(r), loop_s=40), dies_at=(stem, 1, True), loops_before=loops), Truth(
        ("dropped_out",) if loops else ANY_FAILED, {}, ("post_controller_hangs",), ("evse",)
    )


def line_lost(r: random.Random) -> Made:
    stem, loops = r.choice((("ServiceDiscovery", 0), ("CurrentDemand", 60)))
    return Odd(Plan(_vehicle(r), _post(r), loop_s=40), dies_at=(stem, 1, False), loops_before=loops), Truth(
        ("dropped_out",) if loops else ANY_FAILED,
        {},
        ("line_attenuates", "modems_do_not_join"),
        ("cable", "evse"),
        says=("acknowledg",),
    )


def vehicle_hangs(r: random.Random) -> Made:
    stem, loops = r.choice((("PreCharge", 0), ("CurrentDemand", 60)))
    return Odd(Plan(_vehicle(r), _post(r), loop_s=40), dies_at=(stem, 0, True), loops_before=loops), Truth(
        ("dropped_out",) if loops else ANY_FAILED, {}, ("vehicle_controller_silent",), ("vehicle",)
    )


def no_match_request(r: random.Random) -> Made:
    class Refuses(Stage):
        def _match(self) -> None:
            with patch("gladwire.core.simulate.plc.matching.Matching._match", lambda *_: None):
                super()._match()

    return Refuses(Plan(_vehicle(r), _post(r))), Truth(
        ANY_FAILED, {"match": ("failed",)}, ("vehicle_does_not_match", "vehicle_controller_silent"), ("vehicle",)
    )


def loss_ends_match(r: random.Random) -> Made:
    """So little of the sounds comes through that the vehicle does not match the post it is plugged into."""

    class Refuses(Stage):
        def _match(self) -> None:
            with patch("gladwire.core.simulate.plc.matching.Matching._match", lambda *_: None):
                super()._match()

    heard = Listener(MINE, loss_db=r.uniform(36, 52), sounds_received=r.randrange(2, 8))
    return Refuses(Plan(_vehicle(r), _post(r), listeners=(heard,))), Truth(
        ANY_FAILED, {"match": ("failed",)}, ("line_attenuates",), ("cable",)
    )


def match_unanswered(r: random.Random) -> Made:
    plan = Plan(_vehicle(r), _post(r), listeners=(Listener(MINE, confirms=False),))
    return Stage(plan), Truth(
        ANY_FAILED, {"match": ("failed",)}, ("post_confirms_no_match", "modems_do_not_join"), ("evse",)
    )


def matched_then_nothing(r: random.Random) -> Made:
    return Stage(Plan(_vehicle(r), _post(r), joins=False)), Truth(
        ANY_FAILED,
        {"match": ("failed", "proven"), "link": ("failed", "not_reached")},
        ("modems_do_not_join",),
        ("evse", "cable"),
    )


def wrong_post(r: random.Random) -> Made:
    listeners = (Listener(MINE, loss_db=6.0), Listener(NEXT, loss_db=r.uniform(16, 22)))
    plan = Plan(_vehicle(r), _post(r), listeners=listeners, chooses=1, loop_s=5)
    return Stage(plan), Truth((), {}, ("neighbour_matched",), ("evse", "vehicle", "site"))


def emergency(r: random.Random) -> Made:
    return Stage(Plan(_vehicle(r), _post(r, emergency_after=50), loop_s=40)), Truth(
        ("dropped_out",), {"hold": ("failed",)}, ("emergency_stop_pressed",), ("site", "evse")
    )


def insulation_fault(r: random.Random) -> Made:
    return Stage(Plan(_vehicle(r), _post(r, insulation="Fault"))), Truth(
        ANY_FAILED, {"insulation": ("failed",)}, ("insulation_low_in_vehicle_or_cable",), ("vehicle", "cable")
    )


def precharge_low(r: random.Random) -> Made:
    return Stage(Plan(_vehicle(r), _post(r, reaches_v=r.uniform(90, 250)))), Truth(
        ANY_FAILED, {"precharge": ("failed",)}, ("precharge_output_low", "vehicle_does_not_close"), ("evse", "vehicle")
    )


MAKERS: tuple[Callable[[random.Random], Made], ...] = (
    healthy,
    healthy_with_much_loss,
    hasty,
    limit_lowered,
    gives_less_quietly,
    ac_limit_lowered,
    ac_earth_fault,
    check_fails,
    out_of_order,
    another_session,
    mode_not_offered,
    stop_ignored,
    reset_in_loop,
    post_hangs,
    line_lost,
    vehicle_hangs,
    no_match_request,
    loss_ends_match,
    match_unanswered,
    matched_then_nothing,
    wrong_post,
    emergency,
    insulation_fault,
    precharge_low,
)


def cases(each: int, seed: int = 7) -> list[Case]:
    """So many captures of every class."""
    found = []
    for number, maker in enumerate(MAKERS):
        for i in range(each):
            stage, truth = maker(random.Random(seed * 100_003 + 1000 * number + i))
            frames = deepcopy(stage).play().frames
            capture = FrameCapture(tuple(frames), "pcapng", first_at=stage.plan.started_at + frames[0].time_s)
            found.append(Case(f"{maker.__name__}-{i}", capture, truth))
    return [*found, *_overlapping(found, each, seed)]


# Told of each other in one capture: the graver first, whichever came first.
_PAIRS = (
    ("healthy", "precharge_low"),
    ("check_fails", "healthy"),
    ("vehicle_hangs", "healthy"),
    ("healthy", "emergency"),
)


def _overlapping(alone: list[Case], each: int, seed: int) -> list[Case]:
    """Two vehicles at two posts in one capture: a line that hears its neighbour."""
    by_name = {case.name: case for case in alone}
    found = []
    for i in range(each):
        first, second = (by_name[f"{name}-{i}"] for name in _PAIRS[(seed + i) % len(_PAIRS)])
        frames = sorted([*first.capture.frames, *_next_door(second.capture.frames, 3.0)], key=lambda f: f.time_s)
        truth = first.truth if second.truth.healthy else second.truth
        capture = FrameCapture(tuple(frames), "pcapng", first_at=first.capture.first_at)
        found.append(Case(f"two_vehicles-{i}", capture, truth))
    return found


def _next_door(frames: Sequence[Frame], later_s: float) -> list[Frame]:
    """The same from other stations, their addresses on line and network changed, some seconds later."""
    moved = []
    macs = {f.data[6:12] for f in frames}
    for frame in frames:
        data = frame.data
        for mac in macs:
            other = bytes((*mac[:2], 0x77, *mac[3:]))
            data = data.replace(mac, other).replace(_interface(mac), _interface(other))
        moved.append(frame._replace(data=data, time_s=frame.time_s + later_s))
    return moved


def _interface(mac: bytes) -> bytes:
    """The part of a link-local address made of a MAC (RFC 4291, modified EUI-64)."""
    return bytes((mac[0] ^ 2, *mac[1:3], 0xFF, 0xFE, *mac[3:]))
