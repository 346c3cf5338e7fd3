"""Judges of the stages that are talked through: Match to End, from what vehicle and post were heard to say."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gladwire.core.findings import Finding
from gladwire.core.lanes.frames.record import Talk
from gladwire.core.lanes.frames.rules.loop import most_amps, top
from gladwire.core.lanes.frames.rules.sealing import REFUSALS
from gladwire.core.session.scene import Scene
from gladwire.core.standards.dc_limits import FLOWS_A
from gladwire.core.verdict import Verdict
from gladwire.core.words import seconds

# Findings that break whichever stage they happen in.
ANYWHERE = frozenset(
    {
        "response_failed",
        "switching_refused",
        "limits_refused",
        "post_silent",
        "vehicle_silent",
        "connection_closed",
        "ev_error",
        "post_emergency",
    }
)
BREAKING: Mapping[str, frozenset[str]] = {
    "match": frozenset(
        {"slac_no_answer", "slac_broke_off", "slac_match_refused", "slac_wrong_post", "slac_not_joined"}
    ),
    "link": frozenset(
        {
            "sdp_no_answer",
            "sdp_security",
            "tcp_refused",
            "tcp_never_opened",
            "tls_certificate_out",
            "chain_incomplete",
            *REFUSALS,
        }
    ),
    "agree": ANYWHERE | {"no_common_protocol", "resume_refused"},
    "authorise": ANYWHERE | {"authorisation_refused", "authorisation_endless", "contract_refused"},
    "parameters": ANYWHERE | {"limits_voltage", "limits_current", "nothing_offered", "parameters_endless"},
    "insulation": ANYWHERE | {"insulation_status", "insulation_no_verdict"},
    "precharge": ANYWHERE | {"precharge_not_reached"},
    "ramp": ANYWHERE | {"no_current"},
    "energise": ANYWHERE,
    "hold": ANYWHERE | {"insulation_status", "lost_first"},
    "end": ANYWHERE | {"stop_ignored"},
}
# What proves a stage, and what makes it known to be still open.
_PROVES: Mapping[str, str] = {
    "match": "slac_matched",
    "link": "link_up",
    "authorise": "authorised",
    "parameters": "limits_exchanged",
    "insulation": "insulation_passed",
    "precharge": "precharge_reached",
    "ramp": "power_on",
}
# The order in which stages are talked through; later ones are only spoken of once the earlier are behind.
_ORDER = ("agree", "authorise", "parameters", "insulation", "precharge", "ramp", "hold")
_DRAWS_W = 100.0
_ENDED = ("vehicle_ended", "session_stopped", "stop_followed", "stop_ignored", "paused")


def turns_beyond(scene: Scene, stage: str) -> bool:
    """Whether something was said that is only said once this stage is passed."""
    later = _ORDER[_ORDER.index(stage) + 1 :] if stage in _ORDER else _ORDER
    return any(t.stage in later and t.answer and not t.failed for talk in talks(scene) for t in talk.turns)


def talks(scene: Scene) -> list[Talk]:
    return [t for c in scene.conversations for t in c.talks]


def _find(findings: Sequence[Finding], *codes: str) -> Finding | None:
    """The newest of these: a later try says more than an earlier one."""
    hits = [f for f in findings if f.code in codes]
    return max(hits, key=lambda f: f.start_s, default=None)


def _proven(finding: Finding) -> Verdict:
    return Verdict("proven", finding.text, finding.measured, finding.start_s, finding.end_s)


def _by_finding(stage: str) -> Callable[[Scene, Sequence[Finding]], Verdict]:
    def judged(scene: Scene, findings: Sequence[Finding]) -> Verdict:
        found = _find(findings, _PROVES[stage])
        return _proven(found) if found else _open(scene, findings, stage)

    return judged


def _open(scene: Scene, findings: Sequence[Finding], stage: str) -> Verdict:
    """A stage nothing proves: passed before the capture began, sealed, begun and cut off, or never come to."""
    sealed = _find(findings, "tls_sealed")
    if sealed and stage not in ("match", "link"):
        return Verdict("not_captured", "The conversation is sealed; its keys would open it.", "sealed")
    middle = _find(findings, "begins_in_the_middle")
    if middle and turns_beyond(scene, stage):
        return Verdict("not_captured", "Passed before this capture begins: later stages are heard.")
    if stage == "match" and (talks(scene) or any(c.sdp for c in scene.conversations)):
        return Verdict("not_captured", "No matching in this capture: it begins later, or was taken behind the modem.")
    if stage == "link" and not talks(scene):
        return Verdict("not_captured", "No connection in this capture.")
    if turns_beyond(scene, stage):
        return Verdict("proven", "Passed: later stages are heard.")
    asked = [t for talk in talks(scene) for t in talk.turns if stage in _ORDER and t.stage == stage]
    if asked:
        last = asked[-1]
        why = f"Begun at {asked[0].start_s:.2f} s; the capture ends before it is decided."
        return Verdict("not_captured", why, "begun", asked[0].start_s, last.end_s)
    return Verdict("not_captured", "Nothing of this stage was heard.")


def _agree(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    agreed = _find(findings, "protocol_agreed")
    if turns_beyond(scene, "agree") or any(t.of("SessionSetup") for t in talks(scene)):
        if agreed:
            return _proven(agreed)
    elif agreed:
        unread = _find(findings, "message_broken")
        why = f"{agreed.text} {unread.text if unread else 'The capture ends before a session is set up.'}"
        return Verdict("not_captured", why, agreed.measured, agreed.start_s, agreed.end_s)
    return _open(scene, findings, "agree")


def _ramp(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    found = _find(findings, "power_on")
    if found is None:
        return _open(scene, findings, "ramp")
    amps = max((most_amps(t) for t in talks(scene)), default=0.0)
    short = f"{amps:.0f} A" if amps > FLOWS_A else "on"
    return _proven(found)._replace(short=short)


def _hold(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    held = _find(findings, "loop_held")
    if held is None:
        return _open(scene, findings, "hold")
    if _find(findings, *_ENDED):
        return _proven(held)._replace(short=seconds(held.end_s - held.start_s))
    why = f"{held.text} It was still running when the capture ended."
    return Verdict("not_captured", why, "still on", held.start_s, held.end_s)


def _end(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    stopped = _find(findings, "session_stopped")
    if stopped:
        return _proven(stopped)._replace(short="in order")
    if _find(findings, "loop_held"):
        return Verdict("not_captured", "The capture ends before the session does.")
    return Verdict("not_captured", "The session did not get to its end in this capture.")


def _energise(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    drawn = _drawn(scene)
    if drawn:
        return Verdict("proven", f"The post's contactor closed: {drawn.why}", "closed", drawn.start_s, drawn.end_s)
    on = _find(findings, "power_on")
    if on:
        why = f"{on.text} That is what was said; mains behind the contactor was not captured."
        return Verdict("not_captured", why, "said on", on.start_s, on.end_s)
    return _open(scene, findings, "ramp")


def _drawn(scene: Scene) -> Verdict | None:
    """Current that flows, by the vehicle's own word or by the meter the post quotes."""
    for talk in talks(scene):
        loops = talk.of("ChargingStatus")
        watts = max((top(t, "EVPresentActivePower") for t in loops), default=0.0)
        if watts > _DRAWS_W:
            at = next(t for t in loops if top(t, "EVPresentActivePower") > _DRAWS_W)
            said = f"{watts / 1000:.1f} kW"
            return Verdict(
                "proven", f"the vehicle takes up to {said} by its own word.", said, at.start_s, loops[-1].end_s
            )
        meters = [v for t in loops if (v := t.told("MeterReading") or t.told("ChargedEnergyReadingWh")) is not None]
        first = loops[0].answer.field("MeterReading") if loops and loops[0].answer else None
        if meters and first is not None and meters[-1] > first:
            why = f"the post's meter counts {meters[-1] - first:.0f} Wh in the loop."
            return Verdict("proven", why, f"{meters[-1] - first:.0f} Wh", loops[0].start_s, loops[-1].end_s)
    return None


def _draw(scene: Scene, findings: Sequence[Finding]) -> Verdict:
    drawn = _drawn(scene)
    if drawn:
        return drawn._replace(why=drawn.why[0].upper() + drawn.why[1:])
    return Verdict("not_captured", "Current was not captured, nor told in messages.")


TALKED: Mapping[str, Callable[[Scene, Sequence[Finding]], Verdict]] = {
    **{stage: _by_finding(stage) for stage in _PROVES},
    "agree": _agree,
    "ramp": _ramp,
    "energise": _energise,
    "draw": _draw,
    "hold": _hold,
    "end": _end,
}


def story(findings: Sequence[Finding]) -> str:
    """What a conversation without a break tells, in one or two sentences."""
    parts = [f for code in ("protocol_agreed", "authorised", *_HELD, *_ENDING) if (f := _find(findings, code))]
    if not parts:
        grave = next((f for f in findings if f.severity in ("suspect", "note") and f.code not in _QUIET), None)
        return grave.text if grave else "Nothing in these frames decides how the session went."
    held = [f.text for f in parts if f.code in _HELD]
    sentences = [*held, *[f.text for f in parts if f.code in _ENDING][:1]] or [parts[-1].text]
    watch = next((f for f in findings if f.severity == "suspect" or f.code == "message_broken"), None)
    return " ".join([*sentences, *([f"To watch: {watch.text}"] if watch else [])])


_HELD = ("loop_held", "gave_back")
# Who ended it says more than that it ended.
_ENDING = ("paused", "stop_followed", "vehicle_ended", "session_stopped")
_QUIET = ("slac_several_posts", "tried_again")
