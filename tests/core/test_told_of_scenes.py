"""Word for word what is told of buses, stamps, locks, conversations and two instruments, one thing changed at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.lanes.bus.record import CanRecord, Course, Flag, MessageSeen
from gladwire.core.lanes.contactor.record import Closing, ContactorRecord
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.records import Record, Records
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.stamps import KINDS, Stamp
from gladwire.core.session.judgement import judge
from gladwire.core.session.session import SessionResult
from gladwire.core.simulate.lock_motor import LockScript
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, Played, play
from gladwire.core.simulate.plc.wire import Station
from tests.build import part, take, together
from tests.core.records import ASK, span, stays
from tests.core.test_pilot_and_frames import both, frames_of, pilot_of
from tests.core.test_plug_in import GOOD_LATCH, plug_in
from tests.told import judged

END_S = 100.0
# A charge over a retrofit controller: (role, unit, (second, value) from which it holds).
CHARGE: Mapping[str, tuple[str, tuple[tuple[float, float], ...]]] = {
    "plug": ("", ((0.0, 0.0), (2.13, 1.0))),
    "lock": ("", ((0.0, 0.0), (4.29, 1.0), (95.3, 0.0))),
    "post_max_a": ("A", ((0.0, 0.0), (5.41, 125.0))),
    "asked_a": ("A", ((0.0, 0.0), (12.17, 110.0), (78.2, 0.0))),
    "precharge": ("", ((0.0, 0.0), (8.07, 1.0), (10.53, 0.0))),
    "contactor": ("", ((0.0, 0.0), (10.0, 1.0), (84.0, 0.0))),
    "pack_v": ("V", ((0.0, 352.0), (40.6, 361.0))),
    "inlet_v": ("V", ((0.0, 3.0), (8.51, 200.0), (9.43, 346.0), (12.2, 354.0), (85.1, 8.0))),
    "hv_present": ("", ((0.0, 0.0), (10.21, 1.0), (84.19, 0.0))),
    "amps": ("A", ((0.0, 0.0), (13.3, 108.0), (80.1, 0.0))),
    "pin_1_c": ("°C", ((0.0, 21.0), (60.7, 54.0))),
    "pin_2_c": ("°C", ((0.0, 21.0), (60.7, 51.0))),
    "stop": ("", ((0.0, 0.0), (77.1, 0.0))),
    "enabled": ("", ((0.0, 0.0), (9.02, 1.0), (79.4, 0.0))),
    "lamp": ("", ((0.0, 0.0), (13.3, 1.0))),
}
LAMP = {0: "off", 1: "green", 2: "red, fault"}


def bus(more: Mapping[str, Any] | None = None, /, **changed: Sequence[tuple[float, float]] | None) -> CanRecord:
    """The charge with some roles otherwise, or None for not there."""
    courses = []
    for role, (unit, steps) in CHARGE.items():
        seen = changed.get(role, steps)
        if seen is not None:
            times, values = zip(*seen, strict=True)
            words = LAMP if role == "lamp" else {}
            courses.append(Course(role=role, signal=f"Inlet.{role}", unit=unit, moves=times, values=values, end_s=END_S,
                                  choices=words))  # fmt: skip
    values = {"messages": (message("Inlet_State", "Inlet"), message("Pack_State", "Battery")), **(more or {})}
    return CanRecord(start_s=0.0, end_s=END_S, frames=5000, description="inlet.dbc", courses=tuple(courses), **values)


def message(name: str, sender: str, gap_s: float = 0.2, at_s: float = 3.0, cycle_s: float = 0.1) -> MessageSeen:
    last = END_S - gap_s if at_s + gap_s >= END_S else END_S
    return MessageSeen(identifier=name, name=name, sender=sender, count=900, cycle_s=cycle_s, first_at_s=0.0,
                       last_at_s=last, gap_s=gap_s, gap_at_s=at_s)  # fmt: skip


def flag(name: str, at_s: float) -> Flag:
    return Flag(name=f"Pack.{name}", sender="Battery", start_s=at_s, end_s=END_S, word="active")


BUSES: Mapping[str, Callable[[], CanRecord]] = {
    "a charge": bus,
    "roles confirmed": lambda: bus({"settled_by": "Runa Holt"}),
    "nothing named": lambda: bus({"messages": (message("", "", 0.2),), "unnamed": 1}),
    "some not named": lambda: bus({"messages": (message("A", "Inlet"), message("", ""), message("", "")), "unnamed": 2}),
    "a few error frames": lambda: bus({"errors": 50}),
    "many error frames": lambda: bus({"errors": 52}),
    "a message gone under current": lambda: bus({"messages": (message("A", "Inlet", 40.0, 60.0), message("B", "Inlet"))}),
    "a message away for a while": lambda: bus({"messages": (message("A", "Inlet", 4.0, 50.0), message("B", "Battery"))}),
    "two of one sender gone": lambda: bus(
        {"messages": (message("A", "Inlet", 40.0, 60.0), message("B", "Inlet", 39.5, 60.5), message("C", "", 9.0, 91.0))}
    ),
    "a message gone before the charge": lambda: bus({"messages": (message("A", "Inlet", 3.0, 4.0), message("B", "X"))}),
    "one side of a connector": lambda: bus({"kind": "connector", "messages": (message("A", "Post"),)}),
    "both sides of a connector": lambda: bus({"kind": "connector"}),
    "no plug": lambda: bus(plug=((0.0, 0.0),)),
    "lock never closes": lambda: bus(lock=((0.0, 0.0),)),
    "lock closes too late": lambda: bus(lock=((0.0, 0.0), (10.5, 1.0))),
    "lock with the contactors": lambda: bus(lock=((0.0, 0.0), (10.0, 1.0))),
    "lock opens under current": lambda: bus(lock=((0.0, 0.0), (4.0, 1.0), (50.0, 0.0))),
    "lock opens as current ends": lambda: bus(lock=((0.0, 0.0), (4.0, 1.0), (80.0, 0.0))),
    "nothing offered": lambda: bus(post_max_a=((0.0, 0.0),)),
    "offered from the first moment": lambda: bus(post_max_a=((0.0, 125.0),)),
    "nothing asked": lambda: bus(asked_a=((0.0, 0.0),), amps=None, contactor=((0.0, 0.0),), precharge=None),
    "nothing asked and no plug seen": lambda: bus(asked_a=((1.0, 0.0),), plug=None, amps=None, contactor=None),
    "sides apart": lambda: bus(inlet_v=((0.0, 3.0), (9.5, 320.0), (12.0, 354.0))),
    "sides twenty volts apart": lambda: bus(inlet_v=((0.0, 3.0), (9.5, 332.0), (12.0, 354.0))),
    "pre-charge in vain": lambda: bus(precharge=((0.0, 0.0), (8.0, 1.0), (20.0, 0.0)), contactor=((0.0, 0.0),), amps=None),
    "pre-charge in vain, volts unknown": lambda: bus(
        precharge=((0.0, 0.0), (8.0, 1.0), (9.0, 0.0)), contactor=None, amps=None, inlet_v=None
    ),
    "pre-charge at the log's end": lambda: bus(precharge=((0.0, 0.0), (96.0, 1.0)), contactor=None, amps=None),
    "sides swapped": lambda: bus(pack_v=((0.0, 4.0), (10.0, 352.0)), inlet_v=((0.0, 353.0),)),
    "sides swapped, by pre-charge": lambda: bus(
        pack_v=((0.0, 4.0),), inlet_v=((0.0, 353.0),), contactor=None, amps=None, precharge=((0.0, 0.0), (8.0, 1.0))
    ),
    "both sides live": lambda: bus(inlet_v=((0.0, 353.0),)),
    "closed without effect": lambda: bus(inlet_v=((0.0, 3.0), (9.5, 346.0), (10.6, 150.0)), amps=None),
    "opened under load": lambda: bus(amps=((0.0, 0.0), (13.0, 108.0), (84.5, 0.0))),
    "opened under load, given back": lambda: bus(amps=((0.0, 0.0), (13.0, -40.0), (84.5, 0.0))),
    "no HV present": lambda: bus(hv_present=((0.0, 0.0),)),
    "HV present before": lambda: bus(hv_present=((0.0, 1.0),)),
    "a hot pin": lambda: bus(pin_1_c=((0.0, 21.0), (40.0, 84.0)), asked_a=((0.0, 0.0), (12.0, 110.0), (45.0, 60.0))),
    "a hot pin and no less asked": lambda: bus(pin_2_c=((0.0, 21.0), (40.0, 84.0))),
    "a pin's sensor shorted": lambda: bus(pin_1_c=((0.0, 21.0), (40.0, 204.0))),
    "a pin's sensor open": lambda: bus(pin_1_c=((0.0, -80.0),)),
    "current in two spells": lambda: bus(amps=((0.0, 0.0), (13.0, 90.0), (40.0, 0.0), (50.0, 70.0), (80.0, 0.0))),
    "current with a short dip": lambda: bus(amps=((0.0, 0.0), (13.0, 90.0), (40.0, 0.0), (40.9, 70.0), (80.0, 0.0))),
    "current with a dip of two seconds": lambda: bus(
        amps=((0.0, 0.0), (13.0, 90.0), (40.0, 0.0), (42.0, 70.0), (80.0, 0.0))
    ),
    "current to the log's end": lambda: bus(amps=((0.0, 0.0), (13.0, 108.0)), contactor=((0.0, 0.0), (10.0, 1.0))),
    "a flag in pre-charge": lambda: bus({"flags": (flag("OverVoltage", 9.0), flag("Isolation", 70.0))}),
    "flags before, in and after": lambda: bus({"flags": tuple(flag(f"F{n}", t) for n, t in enumerate((1.0, 11.0, 95.0)))}),
    "a red lamp": lambda: bus(lamp=((0.0, 0.0), (11.0, 2.0))),
    "stopped by the post": lambda: bus(stop=((0.0, 0.0), (77.0, 1.0)), enabled=((0.0, 0.0), (9.0, 1.0), (82.0, 0.0))),
    "stopped by the vehicle": lambda: bus(enabled=((0.0, 0.0), (9.0, 1.0), (77.5, 0.0))),
    "contactors told by being open": lambda: bus(contactor=None),
    "only current": lambda: bus(**{role: None for role in CHARGE if role != "amps"}),
}  # fmt: skip


@pytest.mark.parametrize("name", BUSES)
def test_buses(name: str, snapshot: SnapshotAssertion) -> None:
    assert judged(judge(Scene(Records.of_all([BUSES[name]()])))) == snapshot


@pytest.mark.parametrize("at_s", [0.4, 2.6, 22.4, 25.9])
@pytest.mark.parametrize("kind", [k.key for k in KINDS])
def test_stamps_beside_a_pilot(kind: str, at_s: float, snapshot: SnapshotAssertion) -> None:
    stamp = Stamp(kind=kind, at_s=at_s, detail="green" if at_s > 20 else "", by_name="Runa" if at_s > 2 else "")
    assert judged(judge(Scene(Records.of_all([ASK]), (stamp,)))) == snapshot


def mains(**changed: Any) -> MainsRecord:
    """Mains of one phase beside ASK: on at 2.3 s, 15.5 A from 4 s to 21.5 s, off at 22.05 s."""
    values: dict[str, Any] = {
        "has_volts": True,
        "has_amps": True,
        "volts": [span(2.3, 22.05, 231.0)],
        "amps": [span(4.0, 21.5, 15.5)],
        "levels": [span(4.0, 21.5, 15.5)],
        **changed,
    }
    return MainsRecord(start_s=0.0, end_s=26.0, **values)


def contactor(*closings: tuple[float, float], start: float = 0.0, end: float = 26.0) -> ContactorRecord:
    made = tuple(Closing(start_s=a, end_s=min(b, end), until_end=b > end) for a, b in closings)
    return ContactorRecord(start_s=start, end_s=end, channel="K1", switched=bool(made), closings=made)


def offers(*parts: tuple[str, float, float]) -> PilotRecord:
    """A pilot of (label, seconds, amperes offered)."""
    record = stays(*((label, lasts) for label, lasts, _ in parts))
    segments = [
        s.model_copy(update={"advertised_current_a": a, "duty_percent": a / 0.6} if s.oscillating else {})
        for s, (_, _, a) in zip(record.segments, parts, strict=True)
    ]
    return record.model_copy(update={"segments": tuple(segments)})


TWICE = stays(("A1", 1), ("B2", 1), ("C2", 8), ("B2", 4), ("C2", 8), ("B2", 4))
LESS = offers(("A1", 1, 0), ("B2", 1, 16), ("C2", 10, 16), ("C2", 10, 6), ("B2", 4, 6))
MORE = offers(("A1", 1, 0), ("B2", 1, 10), ("C2", 10, 10), ("C2", 10, 16), ("B2", 4, 16))
AC: Mapping[str, tuple[Record, ...]] = {
    "a charge": (ASK, mains()),
    "without a pilot": (mains(),),
    "three phases": (ASK, mains(volts=[span(2.3, 22.05, 231.0, 3)], amps=[span(4.0, 21.5, 15.5, 3)],
                                levels=[span(4.0, 21.5, 15.5, 3)])),
    "three phases live, one used": (ASK, mains(volts=[span(2.3, 22.05, 231.0, 3)])),
    "volts only": (ASK, mains(has_amps=False, amps=(), levels=())),
    "amperes only": (ASK, mains(has_volts=False, volts=())),
    "amperes only, none": (ASK, mains(has_volts=False, volts=(), amps=(), levels=())),
    "mains on late": (ASK, mains(volts=[span(5.5, 22.05, 231.0)], amps=[span(6.0, 21.5, 15.5)])),
    "mains never on": (ASK, mains(volts=(), amps=(), levels=())),
    "mains on before": (ASK, mains(volts=[span(0.0, 22.05, 231.0)])),
    "mains all along": (ASK, mains(volts=[span(0.0, 26.0, 231.0)])),
    "mains off late": (ASK, mains(volts=[span(2.3, 22.6, 231.0)])),
    "mains lost while asking": (ASK, mains(volts=[span(2.3, 12.0, 231.0)], amps=[span(4.0, 12.0, 15.5)])),
    "no current": (ASK, mains(amps=(), levels=())),
    "current lost while asking": (ASK, mains(amps=[span(4.0, 12.0, 15.5)], levels=[span(4.0, 12.0, 15.5)])),
    "little current": (ASK, mains(amps=[span(4.0, 21.5, 7.0)], levels=[span(4.0, 21.5, 7.0)])),
    "too much current": (ASK, mains(amps=[span(4.0, 21.5, 19.5)], levels=[span(4.0, 21.5, 19.5)])),
    "current falls": (ASK, mains(levels=[span(4.0, 10.0, 15.5), span(10.0, 21.5, 9.0)])),
    "current falls and rises": (ASK, mains(levels=[span(4.0, 9.0, 15.5), span(9.0, 14.0, 9.0), span(14.0, 21.5, 15.0)])),
    "a dip before the end": (ASK, mains(dips=[span(20.0, 20.2, 172.0)], volts=[span(2.3, 20.3, 231.0)],
                                        amps=[span(4.0, 20.3, 15.5)], levels=[span(4.0, 20.3, 15.5)])),
    "dips in the middle": (ASK, mains(dips=[span(8.0, 8.3, 172.0), span(9.0, 9.1, 150.0)])),
    "asked twice": (TWICE, mains(volts=[span(2.4, 10.05, 230.0), span(14.4, 22.05, 230.0)],
                                 amps=[span(4.0, 9.8, 15.5), span(16.0, 21.8, 15.5)])),
    "asked twice, once given": (TWICE, mains(volts=[span(2.4, 10.05, 230.0)], amps=[span(4.0, 9.8, 15.5)])),
    "offer lowered and followed": (LESS, mains(levels=[span(4.0, 14.0, 15.5), span(14.0, 21.5, 5.8)])),
    "offer lowered and followed late": (LESS, mains(levels=[span(4.0, 20.0, 15.5), span(20.0, 21.5, 5.8)])),
    "offer lowered, low already": (LESS, mains(levels=[span(4.0, 21.5, 5.5)], amps=[span(4.0, 21.5, 5.5)])),
    "offer raised": (MORE, mains(levels=[span(4.0, 12.0, 9.6), span(14.0, 21.5, 15.5)])),
    "contactor in order": (ASK, contactor((2.4, 22.05))),
    "contactor slow": (ASK, contactor((5.4, 22.05))),
    "contactor opens late": (ASK, contactor((2.4, 22.5))),
    "contactor stays closed": (ASK, contactor((2.4, 99.0))),
    "contactor never driven": (ASK, contactor()),
    "contactor opens while asking": (ASK, contactor((2.4, 12.0))),
    "contactor chatters": (ASK, contactor((2.4, 5.0), (5.2, 8.0), (8.2, 22.05))),
    "contactor closed before": (ASK, contactor((1.0, 22.05))),
    "contactor seen from 3 s on": (ASK, contactor(start=3.0)),
    "contactor for two requests": (TWICE, contactor((2.4, 10.05), (14.4, 22.05))),
    "contactor for one of two": (TWICE, contactor((2.4, 10.05))),
    "contactor beside mains": (ASK, contactor((2.4, 22.05)), mains()),
    "closed and no mains": (ASK, contactor((2.4, 22.05)), mains(volts=(), amps=(), levels=())),
    "closed and no current": (ASK, contactor((2.4, 22.05)), mains(amps=(), levels=())),
}  # fmt: skip


@pytest.mark.parametrize("name", AC)
def test_mains_and_contactors(name: str, snapshot: SnapshotAssertion) -> None:
    assert judged(judge(Scene(Records.of_all(AC[name])))) == snapshot


def attempts(
    *results: str, positioned: bool = True, current: str = "lock A", moves: tuple[float, ...] = ()
) -> LockRecord:
    """Attempts of so many pulses as their place; a result that begins with “release” is one to release."""
    made: list[dict[str, Any]] = []
    for n, result in enumerate(results):
        to_lock, result = not result.startswith("release "), result.removeprefix("release ")
        moved = result in ("engaged", "released")
        made.append(
            {
                "start_s": 2.0 + 5 * n,
                "end_s": 2.5 + 5 * n,
                "pulses": n + 1,
                "longest_s": 0.2 + 0.3 * n,
                "plateau": 1.4,
                "positioned": positioned,
                "position_changed": moved,
                "result": result,
                "to_lock": to_lock,
            }
        )
    position = "lock V" if positioned else ""
    return LockRecord.model_validate(
        {
            "start_s": 0.0,
            "end_s": 30.0,
            "current_channel": current,
            "position_channel": position,
            "attempts": made,
            "moves": moves,
        }
    )


LOCKS: Mapping[str, tuple[Record, ...]] = {
    "engaged": (attempts("engaged"),),
    "engaged at the second try": (attempts("none", "engaged"),),
    "engaged, position not captured": (attempts("engaged", positioned=False),),
    "engaged and released": (attempts("engaged", "release released"),),
    "obstructed": (attempts("obstructed"),),
    "obstructed twice": (attempts("obstructed", "obstructed"),),
    "no feedback": (attempts("no_feedback"),),
    "does not release": (attempts("engaged", "release obstructed"),),
    "release without feedback": (attempts("engaged", "release no_feedback"),),
    "position only, one change": (attempts(current="", moves=(3.0,)),),
    "position only, three changes": (attempts(current="", moves=(3.0, 9.0, 12.0)),),
    "beside a pilot": (attempts("engaged", "release released"),
                       stays(("A1", 1), ("B1", 2), ("B2", 2), ("C2", 20), ("B2", 5))),
}  # fmt: skip


@pytest.mark.parametrize("name", LOCKS)
def test_locks(name: str, snapshot: SnapshotAssertion) -> None:
    assert judged(judge(Scene(Records.of_all(LOCKS[name])))) == snapshot


@pytest.mark.parametrize("at_s", [1.0, 20.0])
def test_a_plug_that_stays_held_beside_a_lock(at_s: float, snapshot: SnapshotAssertion) -> None:
    records = Records.of_all([attempts("engaged", "release released")])
    assert judged(judge(Scene(records, (Stamp(kind="plug_stays_held", at_s=at_s),)))) == snapshot


PLUG_INS: Mapping[str, tuple[LockScript, list[tuple[str, float]]]] = {
    "good": (LockScript().drive(0.5).drive(3.5, way=-1), GOOD_LATCH),
    "something in the way": (LockScript().drive(0.5, through=False).drive(1.5, through=False), GOOD_LATCH),
    "latch pressed": (LockScript().drive(0.5), [("absent", 0.2), ("latched", 1.5), ("pressed", 0.5), ("latched", 2)]),
    "proximity opens": (
        LockScript().drive(0.5),
        [("absent", 0.2), ("latched", 1.5), ("absent", 0.1), ("latched", 2.4)],
    ),
    "proximity shorted": (LockScript().drive(0.5), [("shorted", 4.2)]),
    "never driven": (LockScript(), GOOD_LATCH),
    "not plugged in, says proximity": (LockScript().drive(0.5), [("absent", 4.2)]),
}


@pytest.mark.parametrize("name", PLUG_INS)
def test_plug_ins(name: str, snapshot: SnapshotAssertion) -> None:
    assert judged(plug_in(*PLUG_INS[name]).judgement) == snapshot


def two(plan: Plan, late_s: float = 0.0) -> SessionResult:
    played = play(plan)
    return both(pilot_of(played), frames_of(played, late_s))


def without_c() -> SessionResult:
    played = play(Plan(loop_s=3.0))
    return both(
        pilot_of(Played(played.frames, [s for s in played.steps if s[1] != "C2"], played.end_s)), frames_of(played)
    )


TWO_CLOCKS: Mapping[str, Callable[[], SessionResult]] = {
    "healthy": lambda: two(Plan(loop_s=4.0)),
    "healthy, frames late": lambda: two(Plan(loop_s=4.0), 3.0),
    "pilot lost in the loop": lambda: two(Plan(loop_s=20.0, pilot_lost_in_loop=30)),
    "authorisation refused": lambda: two(Plan(post=Post(fails={"Authorization": "FAILED"}))),
    "pre-charge not reached": lambda: two(Plan(post=Post(reaches_v=210.0))),
    "no C for the cable check": without_c,
    "the post stops": lambda: two(Plan(post=Post(stops_after=20), loop_s=20.0)),
}


@pytest.mark.parametrize("name", TWO_CLOCKS)
def test_pilot_and_frames(name: str, snapshot: SnapshotAssertion) -> None:
    whole = TWO_CLOCKS[name]()
    assert [*(f"{a.how}: {a.text}" for a in whole.alignments), *judged(whole.judgement)] == snapshot


def plain(**more: Any) -> Plan:
    return Plan(loop_s=more.pop("loop_s", 4.0), **more)


POST_STATION, OTHER = Station(bytes.fromhex("02d00d000042")), Station(bytes.fromhex("02d00d000043"))
AC20, AC2 = ("iso20_ac",), "AC_three_phase_core"
CONVERSATIONS: Mapping[str, Callable[[], Plan]] = {
    "din": lambda: plain(vehicle=Vehicle(("din",))),
    "iso2": plain,
    "iso2 ac": lambda: plain(vehicle=Vehicle(mode=AC2, max_a=32.0), post=Post(mode=AC2, max_a=32.0)),
    "iso20": lambda: plain(vehicle=Vehicle20(), post=Post20()),
    "iso20 dynamic": lambda: plain(vehicle=Vehicle20(dynamic=True), post=Post20()),
    "iso20 ac": lambda: plain(vehicle=Vehicle20(AC20, max_w=11_000.0), post=Post20(max_w=11_000.0)),
    "a schedule that takes long": lambda: plain(
        vehicle=Vehicle20(), post=Post20(ongoing={"ScheduleExchange": 60}), patience=80
    ),
    "gives back": lambda: plain(
        vehicle=Vehicle20(gives_a=60.0, dynamic=True, max_a=150.0),
        post=Post20(takes_back_after=30, notices={60: "Terminate"}),
        loop_s=60.0,
    ),
    "paused and resumed": lambda: plain(vehicle=Vehicle(pauses=True), resumes_s=40.0),
    "paused and resumed, newer": lambda: plain(vehicle=Vehicle20(pauses=True), post=Post20(), resumes_s=40.0),
    "the post forgot the pause": lambda: plain(
        vehicle=Vehicle20(pauses=True), post=Post20(fails={"SessionSetup": "OK_NewSessionEstablished"}), resumes_s=10.0
    ),
    "renegotiated": lambda: plain(
        vehicle=Vehicle(mode=AC2, max_a=32.0), post=Post(mode=AC2, max_a=32.0, renegotiates_after=10), loop_s=8.0
    ),
    "a contract": lambda: plain(
        vehicle=Vehicle(contract=("30",), mode=AC2), post=Post(by_contract=True, mode=AC2), loop_s=8.0
    ),
    "a contract, unsigned": lambda: plain(
        vehicle=Vehicle(contract=("30",), unsigned=True), post=Post(by_contract=True)
    ),
    "an old clock": lambda: plain(vehicle=Vehicle20(), post=Post20(), ev_clock_s=-9 * 86_400.0),
    "both clocks wrong": lambda: plain(vehicle=Vehicle20(), post=Post20(), post_clock_s=3e7, ev_clock_s=-3e6),
    "little power offered": lambda: plain(post=Post(max_w=20_000.0)),
    "no volts for this pack": lambda: plain(post=Post(max_v=300.0)),
    "two posts hear alike": lambda: plain(listeners=(Listener(POST_STATION, 6.0), Listener(OTHER, 8.0))),
    "sounds lost, far away": lambda: plain(listeners=(Listener(POST_STATION, 31.0, sounds_received=6),)),
    "the stronger post does not answer": lambda: plain(
        listeners=(Listener(OTHER, 4.0, gives_result=False), Listener(POST_STATION, 15.0))
    ),
    "loops end at 80 %": lambda: plain(vehicle=Vehicle(soc=78, full_at=80), loop_s=40.0),
    "the vehicle falls silent": lambda: plain(vehicle=Vehicle(silent_after="PreCharge")),
    "a late answer": lambda: plain(post=Post(late_at="ServiceDiscovery", late_s=2.6)),
    "the vehicle ignores a stop": lambda: plain(
        vehicle=Vehicle(ignores_stop=True), post=Post(stops_after=5), loop_s=20.0
    ),
    "an error of the vehicle": lambda: plain(
        vehicle=Vehicle(error="FAILED_RESSTemperatureInhibit", error_at="CurrentDemand")
    ),
    "connection never made": lambda: plain(connects=False),
    "TLS asked and not given": lambda: plain(tls_asked=True),
}


@pytest.mark.parametrize("name", CONVERSATIONS)
def test_conversations(name: str, snapshot: SnapshotAssertion) -> None:
    plan = CONVERSATIONS[name]()
    frames = play(plan).frames
    capture = FrameCapture(tuple(frames), "sim", first_at=plan.started_at + frames[0].time_s)
    assert judged(take(capture).analysis.judgement) == snapshot


def test_one_capture_after_another(snapshot: SnapshotAssertion) -> None:
    """A capture that was begun anew in the middle of a charge, put behind the first by its own clock."""
    frames = play(Plan(loop_s=30.0)).frames
    halves = [f for f in frames if f.time_s < 25.0], [f for f in frames if f.time_s > 28.0]
    seen = [take(FrameCapture(tuple(half), "sim", first_at=1e9 + half[0].time_s)).analysis for half in halves]
    whole = together([part(f"part {n}", one) for n, one in enumerate(seen, 1)])
    assert [*(f"{a.how}: {a.text}" for a in whole.alignments), *judged(whole.judgement)] == snapshot


def test_a_pilot_of_nothing(snapshot: SnapshotAssertion) -> None:
    empty = PilotRecord.model_validate(stays(("A1", 5.0)).model_dump() | {"segments": ()})
    assert judged(judge(Scene(Records.of_all([empty])))) == snapshot
