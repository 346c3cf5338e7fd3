"""Judges of the stages a CAN log speaks for: those of a retrofit controller, and of a connector that talks over CAN."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gladwire.core.findings import Finding
from gladwire.core.lanes.bus.rules import flowing, opened_at
from gladwire.core.session.scene import Scene
from gladwire.core.verdict import Verdict
from gladwire.core.words import seconds

BREAKING: Mapping[str, frozenset[str]] = {
    "lock": frozenset({"can_lock_open"}),
    "link": frozenset({"can_one_side"}),
    "parameters": frozenset({"can_nothing_offered", "can_asks_nothing", "can_flag"}),
    "precharge": frozenset({"can_closed_apart", "can_sides_swapped", "can_flag"}),
    "ramp": frozenset({"can_no_effect", "can_flag"}),
    "hold": frozenset({"can_message_missing", "can_lock_opened", "can_pin_sensor", "can_flag"}),
}
_PROVES: Mapping[str, str] = {
    "proximity": "can_plugged",
    "lock": "can_locked",
    "parameters": "can_limits",
    "precharge": "can_closed",
}
_ENDS = ("can_ended", "can_post_stopped")


def _by_finding(stage: str) -> Callable[[Scene, Sequence[Finding]], Verdict | None]:
    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict | None:
        codes = _ENDS if stage == "end" else (_PROVES[stage],)
        found = next((f for f in findings if f.code in codes), None)
        return Verdict("proven", found.text, found.measured, found.start_s, found.end_s) if found else None

    return judged


def _link(scene: Scene, findings: Sequence[Finding]) -> Verdict | None:
    """Both sides of a connector are heard, or the controller is."""
    for record in scene.buses:
        named = [m for m in record.messages if m.name]
        senders = {m.sender for m in named if m.sender}
        if named and (len(senders) > 1 or record.kind == "controller"):
            start, end = min(m.first_at_s for m in named), max(m.last_at_s for m in named)
            why = f"{' and '.join(sorted(senders)) or 'The controller'} send on the bus, {len(named)} messages in all."
            return Verdict("proven", why, f"{len(named)} messages", start, end)
    return None


def _ramp(scene: Scene, findings: Sequence[Finding]) -> Verdict | None:
    for record in scene.buses:
        spans = flowing(record)
        if spans:
            amps = record.of("amps")
            most = max(amps.values, key=abs) if amps else 0.0
            return Verdict(
                "proven", f"Current flows from {spans[0][0]:.2f} s on.", f"{most:.0f} A", spans[0][0], spans[0][1]
            )
    return None


def _hold(scene: Scene, findings: Sequence[Finding]) -> Verdict | None:
    held = next((f for f in findings if f.code == "can_flows"), None)
    if held is None:
        return None
    if any(opened_at(r) is not None for r in scene.buses) or any(held.end_s < r.end_s - 1.0 for r in scene.buses):
        return Verdict("proven", held.text, seconds(held.end_s - held.start_s), held.start_s, held.end_s)
    why = f"{held.text} It was still flowing when the log ended."
    return Verdict("not_captured", why, "still on", held.start_s, held.end_s)


CANNED: Mapping[str, Callable[[Scene, Sequence[Finding]], Verdict | None]] = {
    **{stage: _by_finding(stage) for stage in (*_PROVES, "end")},
    "link": _link,
    "ramp": _ramp,
    "hold": _hold,
}
