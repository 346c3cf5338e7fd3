"""Captures on one clock: pilot and conversation, which came first where one waits for the other; a session over two."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule, only
from gladwire.core.lanes.frames.record import Connection, ConversationRecord
from gladwire.core.lanes.frames.rules.ending import switched_off
from gladwire.core.lanes.frames.rules.resuming import paused
from gladwire.core.lanes.pilot.asking import requests
from gladwire.core.scene.scene import Scene
from gladwire.core.standards.practice import BREAKS_WITHIN_S, CLOCKS_S, TIE_S
from gladwire.core.standards.source import DIN_70121, ISO_15118_2, ISO_15118_3
from gladwire.core.words import seconds


def _both(scene: Scene) -> Iterator[ConversationRecord]:
    """Conversations during which the pilot was captured too."""
    pilot = scene.pilot
    for conversation in scene.of(ConversationRecord) if pilot else ():
        if pilot and min(pilot.end_s, conversation.end_s) > max(pilot.start_s, conversation.start_s):
            yield conversation


def _offer_before_match(scene: Scene) -> Iterator[Fact]:
    pilot = scene.pilot
    digital = [s for s in pilot.segments if s.offer_kind == "digital" and s.state != "A"] if pilot else []
    for conversation in _both(scene):
        if not conversation.slac or pilot is None or conversation.slac[0].start_s < pilot.start_s:
            continue
        begun = conversation.slac[0].start_s
        before = [s for s in digital if s.start_s <= begun + CLOCKS_S]
        if before:
            text = (
                f"The 5 % offer stands from {before[0].start_s:.2f} s, and matching begins "
                f"{seconds(max(begun - before[0].start_s, 0.0))} later."
            )
            yield Fact("normal", text, before[0].start_s, begun, "offer first", "5 % before matching")
        elif digital:
            text = f"Matching begins at {begun:.2f} s, {seconds(digital[0].start_s - begun)} before the 5 % offer."
            yield Fact("note", text, begun, digital[0].start_s, "matching first", "5 % before matching")


def _request_before_check(scene: Scene) -> Iterator[Fact]:
    pilot = scene.pilot
    for conversation in _both(scene):
        checks = [t for connection in conversation.connections for t in connection.of("CableCheck")]
        if not checks or pilot is None or not pilot.start_s <= checks[0].start_s <= pilot.end_s:
            continue
        begun = checks[0].start_s
        asking = [s for s in requests(pilot) if s.start_s <= begun + TIE_S and s.end_s > begun - CLOCKS_S]
        if asking:
            text = f"The vehicle is in {asking[-1].state} when the cable check begins at {begun:.2f} s."
            yield Fact(
                "normal", text, asking[-1].start_s, begun, f"{asking[-1].label}", "C or D before the cable check"
            )
            continue
        later = next((s for s in requests(pilot) if s.start_s > begun + TIE_S), None)
        how = f"goes to {later.state} only {seconds(later.start_s - begun)} after" if later else "never goes to C"
        text = f"The cable check begins at {begun:.2f} s in B: the vehicle {how}. A post may wait for C until its timer ends."
        yield Fact(
            "suspect", text, begun, later.start_s if later else checks[-1].end_s, "B", "C or D before the cable check"
        )


def _last_connection(conversation: ConversationRecord) -> Connection | None:
    return next((t for t in reversed(conversation.connections) if t.exchanges), None)


def _order_of_end(scene: Scene) -> Iterator[Fact]:
    """Which was lost first, pilot or messages, where the session was not ended in order."""
    pilot = scene.pilot
    for conversation in _both(scene):
        connection = _last_connection(conversation)
        asked = requests(pilot) if pilot else []
        if connection is None or not asked or pilot is None:
            continue
        end = asked[-1].end_s
        after = next((s for s in pilot.segments if s.start_s >= end - 1e-6), None)
        last = connection.exchanges[-1].end_s
        if after is None:
            continue
        off = switched_off(connection)
        if off is not None:
            text = (
                f"The vehicle leaves C at {end:.2f} s, {seconds(abs(end - off.start_s))} "
                f"{'after' if end >= off.start_s else 'before'} the message that switches off."
            )
            yield Fact(
                "normal", text, min(end, off.start_s), max(end, off.start_s), "in order", "C to B around the switch-off"
            )
        elif after.state in ("A", "E", "F") and abs(end - last) < BREAKS_WITHIN_S:
            # Straight to A is a contact gone; E and F a post may also set once nobody talks any more.
            if end <= (last + CLOCKS_S if after.state == "A" else last - CLOCKS_S):
                last_word = f"the last message {'follows' if last > end else 'was'} {seconds(abs(last - end))}"
                text = (
                    f"The pilot goes from C to {after.state} at {end:.2f} s while both still talk; {last_word} "
                    f"{'later' if last > end else 'before'}."
                )
                yield Fact("fault", text, end, max(last, end), "pilot lost first", "C until the session ends")
            else:
                text = f"Messages end at {last:.2f} s, and the pilot is in C for {seconds(end - last)} more."
                yield Fact("note", text, last, end, "messages lost first", "messages until the session ends")


def _resumed(scene: Scene) -> Iterator[Fact]:
    """A pause in one capture and the same session taken up in another."""
    for conversation in scene.of(ConversationRecord):
        for connection in conversation.connections:
            stop = paused(connection)
            others = (t for c in scene.of(ConversationRecord) if c is not conversation for t in c.connections)
            after = [
                t
                for t in others
                if stop and connection.session and t.taken_up == connection.session and t.start_s > connection.start_s
            ]
            if stop and after:
                away = after[0].start_s - connection.end_s
                text = (
                    f"The session paused at {stop.start_s:.2f} s is taken up again in another capture, at "
                    f"{after[0].start_s:.2f} s, after {seconds(away)}: one session, no fault."
                )
                yield Fact("normal", text, stop.start_s, after[0].start_s, seconds(away), "OK_OldSessionJoined")


RULES: tuple[Rule[Scene], ...] = (
    Rule(
        "resumed_elsewhere",
        "end",
        ISO_15118_2,
        "a pause taken up in another capture",
        _resumed,
        needs=Needs(lanes=("frames",)),
    ),
    Rule(
        "offer_before_match",
        "match",
        ISO_15118_3,
        "5 % before matching",
        _offer_before_match,
        needs=Needs(lanes=("pilot", "frames")),
    ),
    Rule(
        "request_before_check",
        "insulation",
        DIN_70121,
        "C before the cable check",
        _request_before_check,
        needs=Needs(lanes=("pilot", "frames")),
    ),
    Rule(
        "order_of_end",
        "end",
        ISO_15118_3,
        "pilot and messages at the end, in what order",
        only(_order_of_end, "normal", "note"),
        needs=Needs(lanes=("pilot", "frames")),
    ),
    Rule(
        "lost_first",
        "hold",
        ISO_15118_3,
        "a pilot lost while both still talk",
        only(_order_of_end, "fault"),
        breaks=("hold",),
        needs=Needs(lanes=("pilot", "frames")),
    ),
)
