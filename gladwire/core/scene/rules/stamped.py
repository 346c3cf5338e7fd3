"""What stamped events are worth beside the lanes. A sound supports a stage; only a measurement proves it."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.pilot.asking import Ask, commands
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.stamps import Stamp
from gladwire.core.standards.dc_limits import RELEASE_FIRST
from gladwire.core.standards.pilot_timing import SWITCH_ON_MAX_S
from gladwire.core.standards.practice import HAND_S
from gladwire.core.standards.source import PRACTICE
from gladwire.core.words import seconds

_CLUNK_WITHIN_S = SWITCH_ON_MAX_S + HAND_S


def _stamped(scene: Scene, *kinds: str) -> Iterator[Stamp]:
    yield from (s for s in scene.stamps if s.kind in kinds)


def _asks(scene: Scene) -> list[Ask]:
    return commands(scene.pilot.segments) if scene.pilot else []


def _noted(stamp: Stamp) -> str:
    detail = f" (“{stamp.detail}”)" if stamp.detail else ""
    by = f", noted by {stamp.by_name}" if stamp.by_name else ""
    return f"at {stamp.at_s:.1f} s{detail}{by}"


def _clunk(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "contactor_clunk"):
        ask = next((a for a in _asks(scene) if a.start_s - HAND_S <= stamp.at_s <= a.start_s + _CLUNK_WITHIN_S), None)
        if ask:
            after = seconds(max(0.0, stamp.at_s - ask.start_s))
            text = f"A clunk {_noted(stamp)}, {after} after the vehicle asks: the contactor moves; it need not conduct."
            yield Fact("normal", text, stamp.at_s, stamp.at_s, "heard", f"{SWITCH_ON_MAX_S.says} of C")


def _clunk_alone(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "contactor_clunk"):
        asks = _asks(scene)
        if scene.of(PilotRecord) and not any(a.start_s - HAND_S <= stamp.at_s <= a.end_s + HAND_S for a in asks):
            text = f"A clunk {_noted(stamp)} while the vehicle does not ask: a self-test, or a contactor on its own."
            yield Fact("note", text, stamp.at_s, stamp.at_s, "heard", "only while asked for")


def _clatter(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "lock_clatter"):
        text = f"The lock clatters {_noted(stamp)}: it tries again and again, so something may be in its way."
        yield Fact("suspect", text, stamp.at_s, stamp.at_s, "heard", "one click")


def _click(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "lock_click"):
        text = (
            f"One click of the lock {_noted(stamp)}: as a good one sounds; whether the plug is held it does not show."
        )
        yield Fact("normal", text, stamp.at_s, stamp.at_s, "heard", "one click")


def _power(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "fans_start", "lamp_charging"):
        what = "Fans start" if stamp.kind == "fans_start" else "The lamp shows charging"
        text = f"{what} {_noted(stamp)}: power probably flows; current was not seen by this."
        yield Fact("normal", text, stamp.at_s, stamp.at_s, "noticed", "after mains is on")


def _trip(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "breaker_trips"):
        text = f"A protective device trips {_noted(stamp)}: never reset it to see whether it starts."
        yield Fact("fault", text, stamp.at_s, stamp.at_s, "tripped", "no trip")


def _lamp(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "lamp_steady"):
        text = f"The lamp goes steady {_noted(stamp)}: that proves proximity only, not the pilot."
        yield Fact("normal", text, stamp.at_s, stamp.at_s, "seen", "steady once a plug is in")


def _error(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "lamp_error"):
        text = f"The lamp shows an error {_noted(stamp)}: ask the post for its stored code."
        yield Fact("suspect", text, stamp.at_s, stamp.at_s, "seen", "no error")


def _moved(scene: Scene) -> Iterator[Fact]:
    for stamp in _stamped(scene, "plug_moved", "latch_touched"):
        what = "The plug or cable is moved" if stamp.kind == "plug_moved" else "The latch is touched"
        text = f"{what} {_noted(stamp)}: what changes at that moment may follow the hand."
        yield Fact("note", text, stamp.at_s, stamp.at_s, "seen", "left alone")


def _held(scene: Scene) -> Iterator[Fact]:
    released = any(a.result == "released" for r in scene.of(LockRecord) for a in r.attempts)
    asks = _asks(scene)
    for stamp in _stamped(scene, "plug_stays_held"):
        if any(a.start_s - HAND_S <= stamp.at_s <= a.end_s + HAND_S for a in asks):
            text = (
                f"The plug cannot be drawn {_noted(stamp)}, and the vehicle asks for energy then: it is held rightly."
            )
            yield Fact("note", text, stamp.at_s, stamp.at_s, "held", "held while energy is asked for")
            continue
        ended = bool(asks) and stamp.at_s > asks[-1].end_s
        after = ", although its position changed" if released else ", after the vehicle let go" if ended else ""
        text = f"The plug cannot be drawn {_noted(stamp)}{after}. {RELEASE_FIRST}."
        yield Fact("fault", text, stamp.at_s, stamp.at_s, "held", "free after release")


RULES: tuple[Rule[Scene], ...] = (
    Rule(
        "heard_contactor",
        "energise",
        PRACTICE,
        "a clunk that answers a request",
        _clunk,
        needs=Needs(lanes=("pilot", "stamps"), reached=""),
        supports=("energise",),
    ),
    Rule(
        "heard_contactor_alone",
        "energise",
        PRACTICE,
        "a clunk nobody asked for",
        _clunk_alone,
        needs=Needs(lanes=("pilot", "stamps"), reached=""),
    ),
    Rule(
        "heard_lock_clatter",
        "lock",
        PRACTICE,
        "a lock that clatters",
        _clatter,
        needs=Needs(lanes=("stamps",), reached=""),
        supports=("lock",),
    ),
    Rule(
        "heard_lock_click",
        "lock",
        PRACTICE,
        "one click of the lock",
        _click,
        needs=Needs(lanes=("stamps",), reached=""),
        supports=("lock",),
    ),
    Rule(
        "noticed_power",
        "draw",
        PRACTICE,
        "fans or a lamp that speak of power",
        _power,
        needs=Needs(lanes=("stamps",), reached=""),
        supports=("draw",),
    ),
    Rule(
        "breaker_tripped",
        "hold",
        PRACTICE,
        "a protective device that trips",
        _trip,
        breaks=("hold",),
        needs=Needs(lanes=("stamps",), reached=""),
    ),
    Rule(
        "lamp_steady",
        "proximity",
        PRACTICE,
        "a lamp that goes steady",
        _lamp,
        needs=Needs(lanes=("stamps",), reached=""),
        supports=("proximity",),
    ),
    Rule(
        "lamp_error", "hold", PRACTICE, "a lamp that shows an error", _error, needs=Needs(lanes=("stamps",), reached="")
    ),
    Rule(
        "plug_touched", "seat", PRACTICE, "a hand on plug or latch", _moved, needs=Needs(lanes=("stamps",), reached="")
    ),
    Rule(
        "plug_stays_held",
        "end",
        PRACTICE,
        "a plug that cannot be drawn",
        _held,
        breaks=("end",),
        needs=Needs(lanes=("stamps",), reached=""),
    ),
)
