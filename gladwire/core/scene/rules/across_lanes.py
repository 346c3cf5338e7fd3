"""Findings that need more than one lane: seat from proximity and pilot, a lock nobody drives, noise of power flowing."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.frames.parties import all_connections, parties_of
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.pilot.asking import requests
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.proximity.record import HOME, ProximityRecord
from gladwire.core.scene.inspection import BY_KEY, of_finding
from gladwire.core.scene.scene import Scene
from gladwire.core.scene.stamps import BY_KEY as STAMPS
from gladwire.core.standards.practice import (
    LOCKS_WITHIN_S,
    NEIGHBOUR_AFTER_S,
    NEIGHBOUR_BEFORE_S,
    SEAT_S,
    STOPS_WITHIN_S,
)
from gladwire.core.standards.proximity_codes import LATCH_SOURCE
from gladwire.core.standards.source import MEASUREMENT, PRACTICE
from gladwire.core.words import seconds, volts

# Proximity and pilot that are made by one push; what people note of a push comes so near.
_TOGETHER_S, _NOTICED_S, _PUSHED = 0.5, 3.0, ("plug_moved", "lamp_steady")
# Lanes of one clock may be read this far apart.
_SKEW_S = 0.05
# So long before a plug-in the pilot is looked at.
_REST_S = 0.2


def _home(scene: Scene) -> list[tuple[float, float]]:
    """Stretches in which proximity says that a plug is in."""
    return [(s.start_s, s.end_s) for r in scene.of(ProximityRecord) for s in r.segments if s.state in HOME]


def _in_state(scene: Scene, states: str, start_s: float, end_s: float) -> float:
    """Seconds the pilot spends in any of the states within a stretch."""
    segments = [s for r in scene.of(PilotRecord) for s in r.segments if s.state in states]
    return sum(max(0.0, min(s.end_s, end_s) - max(s.start_s, start_s)) for s in segments)


def _seated(scene: Scene) -> Iterator[Fact]:
    for start, end in _home(scene):
        if _in_state(scene, "BCD", start, end) > 0.2:
            both = _first_in(scene, "BCD", start, end) or start
            text = f"Proximity and pilot are both made from {both:.2f} s on: the plug is home."
            yield Fact("normal", text, both, end, "home", "proximity and pilot both made")
            return


def _not_seated(scene: Scene) -> Iterator[Fact]:
    """Proximity that is made while the pilot is not, or only later: 12 V goes on at the post, 0 V at the inlet. 0 V alone do
    not tell an inlet from a post that is off, and fail no stage here.
    """
    for start, end in _home(scene):
        made = _first_in(scene, "BCD", start - _TOGETHER_S, end)
        until = end if made is None else made
        waited = _in_state(scene, "AE", start, until)
        if waited <= SEAT_S:
            continue
        at_zero = _in_state(scene, "E", start, until) > _in_state(scene, "A", start, until)
        if at_zero and _at_rest(scene, start):
            continue  # where 12 V stood without a plug, 0 V with one are no open contact
        where = "at 0 V" if at_zero else "in A"
        says = f"Proximity says from {start:.2f} s that a plug is in, and the pilot"
        if made is None:
            means = "the plug is not fully home, or CP is open"
            text = f"{says} stays {where} for {seconds(waited)}: " + (
                f"read at the vehicle, {means}; read at the post, it is off or in error, or CP touches PE."
                if at_zero
                else f"{means}."
            )
            weight: Severity = "suspect" if at_zero else "fault"
            yield Fact(weight, text, start, end, f"proximity made, pilot {where}", "both made")
            return
        off = ", or, read at the post, the post was off" if at_zero else ""
        text = (
            f"{says} follows {seconds(made - start)} later, at {made:.2f} s: until then the plug was not fully home{off}."
            f"{_supported(scene, made)}"
        )
        yield Fact("suspect", text, start, made, f"pilot {seconds(made - start)} after proximity", SEAT_S.says)
        return


def _at_rest(scene: Scene, until_s: float) -> bool:
    """Whether the pilot stood at rest (A) before a moment: then it is not read behind an inlet's contact."""
    return _in_state(scene, "A", until_s - _REST_S, until_s) > _REST_S / 2


def _pulled_down(scene: Scene) -> Iterator[Fact]:
    """12 V that fall to 0 V as the plug goes in, and stay."""
    for start, end in _home(scene):
        down = _first_in(scene, "E", start - _TOGETHER_S, end)
        if down is None or down > start + _TOGETHER_S or not _at_rest(scene, min(start, down)):
            continue
        if _in_state(scene, "E", down, end) > max(SEAT_S, 0.9 * (end - down)):
            text = (
                f"The pilot stood at 12 V and falls to 0 V at {down:.2f} s, as the plug goes in, and stays there: what was "
                "plugged in pulls CP to PE, in the lead, its plug or the inlet. An open contact would leave it at 12 V."
            )
            yield Fact("fault", text, down, end, "0 V with the plug in", "9 V with the plug in")


def _first_in(scene: Scene, states: str, start_s: float, end_s: float) -> float | None:
    """When the pilot first is in any of the states within a stretch."""
    segments = (s for r in scene.of(PilotRecord) for s in r.segments if s.state in states)
    return min((max(s.start_s, start_s) for s in segments if s.end_s > start_s and s.start_s < end_s), default=None)


def _supported(scene: Scene, moment: float) -> str:
    """What people noticed when the pilot was made at last."""
    near = [s for s in scene.stamps if s.kind in _PUSHED and abs(s.at_s - moment) <= _NOTICED_S]
    return "".join(f" “{STAMPS[s.kind].words}” was noted at {s.at_s:.1f} s." for s in near[:2])


def _beside(scene: Scene) -> Iterator[Fact]:
    for other in scene.beside:
        mine = parties_of(all_connections(scene.of(ConversationRecord))).names
        text = (
            f"What is told here is of the vehicle {', '.join(mine)}. Another, {other.vehicle}, talks in the same capture and "
            f"is judged for itself: {other.told}"
        )
        yield Fact("note", text, other.start_s, other.end_s, "two vehicles", "one")


def _plugged(scene: Scene) -> list[tuple[float, float]]:
    """Stretches in which a plug is in: by proximity, where that was captured, else by the pilot."""
    if scene.of(ProximityRecord) or scene.pilot is None:
        return _home(scene)
    found: list[tuple[float, float]] = []
    for s in (s for s in scene.pilot.segments if s.state in "BCD"):
        found = (
            [*found[:-1], (found[-1][0], s.end_s)]
            if found and s.start_s - found[-1][1] < _TOGETHER_S
            else [*found, (s.start_s, s.end_s)]
        )
    return found


def _not_driven(scene: Scene) -> Iterator[Fact]:
    for lock in (r for r in scene.of(LockRecord) if r.current_channel):
        for start, end in _plugged(scene):
            seen = min(end, lock.end_s) - max(start, lock.start_s)
            driven = any(start - 1.0 <= a.start_s <= end for a in lock.attempts)
            if seen > LOCKS_WITHIN_S and not driven:
                text = (
                    f"A plug is in for {seconds(seen)} and the lock's actuator draws no current: its circuit is open, or "
                    "nobody drives it."
                )
                yield Fact("suspect", text, start, end, "no pulse", "one pulse after the plug is in")
                return


def _let_go(scene: Scene) -> Iterator[Fact]:
    """A request that ends as proximity stops saying that a latched plug is in, and the plug stays."""
    asked = requests(scene.pilot) if scene.pilot else []
    for before, left, after in (
        (a, b, c)
        for r in scene.of(ProximityRecord)
        for a, b, c in itertools.zip_longest(r.segments, r.segments[1:], r.segments[2:])
    ):
        if left is None or before.state not in HOME or left.state not in ("pressed", "absent"):
            continue
        stays = after is not None and after.state in HOME
        for ask in asked:
            waited = ask.end_s - left.start_s
            if ask.start_s < left.start_s and -_SKEW_S < waited < STOPS_WITHIN_S and ask.then == "B" and stays:
                what = "the latch is pressed" if left.state == "pressed" else "proximity opens"
                text = (
                    f"The vehicle lets go of its request at {ask.end_s:.2f} s, {seconds(max(waited, 0.0))} after {what}, "
                    "with the plug still in: it stopped for that."
                )
                yield Fact("fault", text, left.start_s, ask.end_s, what, "latched until the end")
                return


def _power_noise(scene: Scene) -> Iterator[Fact]:
    for n in (n for r in scene.of(PilotRecord) for n in r.noise):
        text = (
            f"From {n.start_s:.2f} s switching noise of {volts(n.noise_v)} rides on the pilot for "
            f"{seconds(n.end_s - n.start_s)}, {volts(n.before_v)} before: power electronics works, so power flows."
        )
        yield Fact("normal", text, n.start_s, n.end_s, volts(n.noise_v), f"{volts(n.before_v)} while waiting")


def _contact(code: str, means: str) -> Callable[[Scene], Iterator[Fact]]:
    """A check that repeats what was seen at contacts of one condition, and what that can do."""

    def check(scene: Scene) -> Iterator[Fact]:
        for seen in of_finding(scene.inspections, code):
            words = BY_KEY[seen.condition].words
            detail = f" (“{seen.detail}”)" if seen.detail else ""
            by = f", noted by {seen.by_name}" if seen.by_name else ""
            text = f"{seen.pin} of the {seen.where}: {words}{detail}{by}. {means}"
            yield Fact("suspect", text, 0.0, 0.0, words, "sound")

    return check


def _neighbour(scene: Scene) -> Iterator[Fact]:
    """A neighbour that was seen to plug in or leave as power stepped."""
    seen = [s for s in scene.stamps if s.kind in ("neighbour_plugs_in", "neighbour_leaves")]
    for power in scene.of(PowerReport):
        for entry in power.entries:
            if entry.limiter not in ("shared_cabinet", "unexplained", "evse_power"):
                continue
            for stamp in seen:
                at = entry.start_s if stamp.kind == "neighbour_plugs_in" else entry.end_s
                if -NEIGHBOUR_BEFORE_S < at - stamp.at_s < NEIGHBOUR_AFTER_S and entry.shortfall_kwh > 0:
                    what = (
                        "plugs in and power falls" if stamp.kind == "neighbour_plugs_in" else "leaves and power rises"
                    )
                    text = f"A neighbour {what} {seconds(abs(stamp.at_s - at))} apart."
                    yield Fact("note", text, min(stamp.at_s, at), max(stamp.at_s, at), "together")


RULES: tuple[Rule[Scene], ...] = (
    Rule(
        "power_neighbour",
        "hold",
        PRACTICE,
        "a neighbour that came or went as power stepped",
        _neighbour,
        needs=Needs(lanes=("power", "stamps")),
    ),
    Rule(
        "plug_home",
        "seat",
        PRACTICE,
        "a plug that is home",
        _seated,
        proves=("seat",),
        needs=Needs(lanes=("pilot", "proximity"), reached=""),
    ),
    Rule(
        "plug_not_home",
        "seat",
        PRACTICE,
        "proximity made and pilot not",
        _not_seated,
        breaks=("seat",),
        needs=Needs(lanes=("pilot", "proximity"), reached="proximity", seconds=SEAT_S),
    ),
    Rule(
        "pulled_down_by_plug",
        "pilot",
        PRACTICE,
        "12 V that fall to 0 V as the plug goes in",
        _pulled_down,
        breaks=("pilot",),
        needs=Needs(lanes=("pilot", "proximity"), reached="proximity", seconds=SEAT_S),
    ),
    Rule(
        "lock_not_driven",
        "lock",
        PRACTICE,
        "an actuator without a pulse",
        _not_driven,
        needs=Needs(lanes=("proximity", "lock_current"), reached="proximity", seconds=LOCKS_WITHIN_S),
    ),
    Rule(
        "request_ends_with_plug",
        "hold",
        LATCH_SOURCE,
        "a request that ends with the latch or with proximity",
        _let_go,
        breaks=("hold",),
        needs=Needs(lanes=("pilot", "proximity"), reached="request"),
    ),
    Rule(
        "contact_debris",
        "seat",
        PRACTICE,
        "debris seen at a contact",
        _contact("contact_debris", "It keeps the plug from going home, or the lock's pin from its hole."),
        needs=Needs(lanes=("contacts",), reached=""),
    ),
    Rule(
        "contact_recessed",
        "seat",
        PRACTICE,
        "a recessed or bent contact",
        _contact("contact_recessed", "It may not meet its counterpart although the plug is home."),
        needs=Needs(lanes=("contacts",), reached=""),
    ),
    Rule(
        "contact_burnt",
        "seat",
        PRACTICE,
        "a burnt contact",
        _contact("contact_burnt", "It has been hot: take the connector out of use until it is replaced."),
        needs=Needs(lanes=("contacts",), reached=""),
    ),
    Rule(
        "contact_corroded",
        "seat",
        PRACTICE,
        "a corroded contact",
        _contact("contact_corroded", "It adds resistance; on CP or PE it lifts the pilot's levels."),
        needs=Needs(lanes=("contacts",), reached=""),
    ),
    Rule(
        "contact_wet",
        "seat",
        PRACTICE,
        "water at a contact",
        _contact("contact_wet", "It leaks from CP or mains to PE: dry it, and find out how it got in."),
        needs=Needs(lanes=("contacts",), reached=""),
    ),
    Rule(
        "other_vehicle",
        "link",
        MEASUREMENT,
        "another vehicle's session in the same captures, judged for itself",
        _beside,
        rank="quiet",
        needs=Needs(lanes=("frames",), reached=""),
    ),
    Rule(
        "power_noise",
        "draw",
        PRACTICE,
        "switching noise on the pilot",
        _power_noise,
        needs=Needs(lanes=("pilot",), reached="request", rate_hz=30e3),
        supports=("draw",),
    ),
)
