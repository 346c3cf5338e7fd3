"""The first thing that went wrong is the cause; what follows from it is consequence and told as such.

A FAILED answer carries default values, a stale request after it goes unanswered, a socket is closed seconds later: common
practice without a source. What looks wrong before a charge loop that ran all the same did not stop it, and a fault of an
earlier try weighs less once a later try got to the charge loop. What a finding can be a consequence of, its rule says.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from gladwire.core.findings import Finding, Severity, codes
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules import RULES as FRAMES_RULES
from gladwire.core.lanes.frames.standard_spoken import in_its_own_standard
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.rulebook import BY_CODE
from gladwire.core.scene.scene import Scene
from gladwire.core.standards.practice import TAKES_WITH_IT_S

FOLLOWS = "This follows from what went wrong before."
WENT_ON = "The session went on all the same."
GOT_FURTHER = "A later try got past it."
PILOT_FIRST = "The pilot was lost first."
_LATE_STAGES = ("hold", "end")
# Without these no vehicle asks; what is no order, or no waking, where the plug or a current says otherwise.
_OF_THE_PLUG, _ORDERLY, _WAKES = ("seat", "proximity", "lock"), ("stopped_asking",), ("wake_up_toggle",)
# Of a bus, faults within a breath are one event told by several messages.
_BREATH_S = 0.2
# Readings for which controllers stop, and how long until a slow one is sent again.
_REASONS, _COMES_ROUND_S = ("can_pin_sensor", "can_pin_hot"), 2.0


def softer(finding: Finding, severity: Severity, why: str = "") -> Finding:
    return finding.model_copy(update={"severity": severity, "text": f"{finding.text} {why}".strip()})


def following(finding: Finding, why: str = "") -> Finding:
    """The finding as a consequence: told softly, and no evidence of its own."""
    return softer(finding, "note", why).model_copy(update={"follows": True})


def within_a_record(lane: str, subject: Any, found: Sequence[Finding]) -> Sequence[Finding]:
    """The findings of one record, each fault told for what it is: cause, consequence, or no hindrance."""
    sort = _SORTED.get(lane)
    return sort(subject, found) if sort else found


def within_a_scene(found: Iterable[Finding], scene: Scene) -> list[Finding]:
    """The findings of all lanes: what one lane tells better, what a lost pilot took with it, what another fault explains."""
    yielded = [softer(f, "note") if scene.records.lanes & set(BY_CODE[f.code].yields_to) else f for f in found]
    lost = [f for f in yielded if f.code == "lost_first"]
    loose = [f for f in yielded if f.severity == "fault" and f.stage in _OF_THE_PLUG]
    locked = max((f.start_s for f in yielded if f.code == "lock_engaged"), default=-math.inf)
    let_go = [f.start_s for f in yielded if f.code == "request_ends_with_plug"]
    has_conversation = "frames" in scene.records.lanes
    told = []
    for finding in yielded:
        follows = BY_CODE[finding.code].follows
        taken = any(abs(finding.end_s - f.start_s) < TAKES_WITH_IT_S for f in lost)
        if "pilot" in follows and finding.severity == "fault" and taken:
            finding = following(finding, PILOT_FIRST)
        elif (
            "frames" in follows
            and has_conversation
            and any(f.severity == "fault" and f.code != finding.code for f in yielded)
        ):
            finding = following(finding)
        elif "plug" in follows and any(f.start_s < finding.end_s and f.start_s > locked for f in loose):
            finding = following(finding, FOLLOWS)
        elif (let_go and finding.code in _ORDERLY) or (finding.code in _WAKES and _charges_meanwhile(scene, finding)):
            continue
        told.append(finding)
    return told


def _charges_meanwhile(scene: Scene, finding: Finding) -> bool:
    return any(
        span.start_s < finding.end_s and span.end_s > finding.start_s
        for mains in scene.of(MainsRecord)
        for span in mains.amps
    )


def _of_frames(record: ConversationRecord, found: Sequence[Finding]) -> Sequence[Finding]:
    starts = _tries(record)
    held = codes(FRAMES_RULES, "held")[:1]
    loops = {_try_of(f, starts): f.start_s for f in found if f.code in held}
    first: dict[int, Finding] = {}
    told = []
    for finding in sorted(in_its_own_standard(found, record), key=lambda f: (f.start_s, f.end_s)):
        rule, number = BY_CODE[finding.code], _try_of(finding, starts)
        hindered = finding.stage in _LATE_STAGES or finding.start_s > loops.get(number, float("-inf"))
        if finding.severity == "fault" and not hindered and not rule.stands:
            finding = softer(finding, "suspect", WENT_ON)
        elif finding.severity == "fault" and number in first:
            finding = following(finding, FOLLOWS)
        elif finding.severity == "fault":
            first[number] = finding
            if any(later > number for later in loops):
                finding = softer(finding, "suspect", GOT_FURTHER)
        elif finding.severity == "suspect" and number in first and "suspect" in rule.follows:
            finding = following(finding, FOLLOWS)
        told.append(finding)
    return told


def _of_bus(_: object, found: Sequence[Finding]) -> Sequence[Finding]:
    faults = [f for f in found if f.severity == "fault"]
    first = min((f.start_s for f in faults), default=0.0)
    # A controller may tell that it stops before the reading that made it stop comes round on the bus.
    reason = next((f for f in faults if f.code in _REASONS and first <= f.start_s <= first + _COMES_ROUND_S), None)

    def follows(f: Finding) -> bool:
        return f.severity == "fault" and f is not reason and (reason is not None or f.start_s > first + _BREATH_S)

    return [following(f, FOLLOWS) if follows(f) else f for f in found]


_SORTED: Mapping[str, Callable[[Any, Sequence[Finding]], Sequence[Finding]]] = {"frames": _of_frames, "bus": _of_bus}


def _tries(record: ConversationRecord) -> list[float]:
    """When each try begins: a matching run that leads to a connection, or a connection without one of its own."""
    starts: list[float] = []
    runs = sorted(r.start_s for r in record.slac)
    before = float("-inf")
    for connection in sorted(record.connections, key=lambda t: t.start_s):
        own = [r for r in runs if before < r <= connection.start_s]
        starts.append(own[0] if own else connection.start_s)
        before = connection.start_s
    starts += [r for r in runs if r > before and (not starts or r > starts[-1])][:1]
    return starts or [record.start_s]


def _try_of(finding: Finding, starts: Sequence[float]) -> int:
    number = 0
    for index, start in enumerate(starts):
        if finding.start_s >= start - 1e-9:
            number = index
    return number
