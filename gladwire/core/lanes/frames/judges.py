"""Judges of the stages that are talked through: Match to End, from what vehicle and post were heard to say."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gladwire.core.findings import Finding, codes, proving
from gladwire.core.lanes.frames.record import Connection, ConversationRecord
from gladwire.core.lanes.frames.rules import RULES
from gladwire.core.lanes.frames.rules.loop import LOOPS, most_amps, top
from gladwire.core.lanes.lane import Judge
from gladwire.core.lanes.records import Records
from gladwire.core.stage import Standing
from gladwire.core.standards.dc_limits import FLOWS_A
from gladwire.core.standards.practice import UNDER_WAY_S
from gladwire.core.words import seconds

# The order in which stages are talked through; later ones are only spoken of once the earlier are behind.
_ORDER = ("agree", "authorise", "parameters", "insulation", "precharge", "ramp", "hold")
_DRAWS_W = 100.0


def exchanges_beyond(records: Records, stage: str) -> bool:
    """Whether something was said that is only said once this stage is passed."""
    later = _ORDER[_ORDER.index(stage) + 1 :] if stage in _ORDER else _ORDER
    return any(
        t.stage in later and t.response and not t.failed
        for connection in connections(records)
        for t in connection.exchanges
    )


def connections(records: Records) -> list[Connection]:
    return [t for c in records.of(ConversationRecord) for t in c.connections]


def _find(findings: Sequence[Finding], *codes: str) -> Finding | None:
    """The newest of these: a later try says more than an earlier one."""
    hits = [f for f in findings if f.code in codes]
    return max(hits, key=lambda f: f.start_s, default=None)


def _proven(finding: Finding) -> Standing:
    return Standing("proven", finding.text, finding.measured, finding.start_s, finding.end_s)


def _by_finding(stage: str) -> Callable[[Records, Sequence[Finding]], Standing]:
    def judged(records: Records, findings: Sequence[Finding]) -> Standing:
        found = _find(findings, *proving(RULES, stage))
        return _proven(found) if found else _open(records, findings, stage)

    return judged


def _open(records: Records, findings: Sequence[Finding], stage: str) -> Standing:
    """A stage nothing proves: passed before the capture began, sealed, begun and cut off, or never come to."""
    encrypted = _find(findings, "tls_sealed")
    if encrypted and stage not in ("match", "link"):
        return Standing("not_captured", "The conversation is sealed; its keys would open it.", "sealed")
    middle = _find(findings, "begins_in_the_middle")
    if middle and exchanges_beyond(records, stage):
        return Standing("not_captured", "Passed before this capture begins: later stages are heard.")
    if stage == "match" and (connections(records) or any(c.sdp for c in records.of(ConversationRecord))):
        return Standing("not_captured", "No matching in this capture: it begins later, or was taken behind the modem.")
    if stage == "link" and not connections(records):
        return Standing("not_captured", "No connection in this capture.")
    if exchanges_beyond(records, stage):
        return Standing("proven", "Passed: later stages are heard.")
    asked = [
        t for connection in connections(records) for t in connection.exchanges if stage in _ORDER and t.stage == stage
    ]
    if asked:
        last = asked[-1]
        why = f"Begun at {asked[0].start_s:.2f} s; the capture ends before it is decided."
        return Standing("not_captured", why, "begun", asked[0].start_s, last.end_s)
    return Standing("not_captured", "Nothing of this stage was heard.")


def _agree(records: Records, findings: Sequence[Finding]) -> Standing:
    agreed = _find(findings, "protocol_agreed")
    if exchanges_beyond(records, "agree") or any(t.of("SessionSetup") for t in connections(records)):
        if agreed:
            return _proven(agreed)
    elif agreed:
        unread = _find(findings, "message_broken")
        why = f"{agreed.text} {unread.text if unread else 'The capture ends before a session is set up.'}"
        return Standing("not_captured", why, agreed.measured, agreed.start_s, agreed.end_s)
    return _open(records, findings, "agree")


def _ramp(records: Records, findings: Sequence[Finding]) -> Standing:
    found = _find(findings, "power_on")
    if found is None:
        return _open(records, findings, "ramp")
    amps = max((most_amps(t) for t in connections(records)), default=0.0)
    short = f"{amps:.0f} A" if amps > FLOWS_A else "on"
    return _proven(found)._replace(short=short)


def _hold(records: Records, findings: Sequence[Finding]) -> Standing:
    held = _find(findings, "loop_held")
    if held is None:
        return _open(records, findings, "hold")
    if _find(findings, *(rule.code for rule in RULES if rule.ends)):
        return _proven(held)._replace(short=seconds(held.end_s - held.start_s))
    why = f"{held.text} It was still running when the capture ended."
    return Standing("not_captured", why, "still on", held.start_s, held.end_s)


def _end(records: Records, findings: Sequence[Finding]) -> Standing:
    stopped = _find(findings, "session_stopped")
    if stopped:
        return _proven(stopped)._replace(short="in order")
    if _find(findings, "loop_held"):
        return Standing("not_captured", "The capture ends before the session does.")
    return Standing("not_captured", "The session did not get to its end in this capture.")


def _energise(records: Records, findings: Sequence[Finding]) -> Standing:
    drawn = _drawn(records)
    if drawn:
        return Standing("proven", f"The post's contactor closed: {drawn.why}", "closed", drawn.start_s, drawn.end_s)
    on = _find(findings, "power_on")
    if on:
        why = f"{on.text} That is what was said; mains behind the contactor was not captured."
        return Standing("not_captured", why, "said on", on.start_s, on.end_s)
    return _open(records, findings, "ramp")


def _drawn(records: Records) -> Standing | None:
    """Current that flows, by the vehicle's own word or by the meter the post quotes."""
    for connection in connections(records):
        loops = connection.of("ChargingStatus")
        watts = max((top(t, "EVPresentActivePower") for t in loops), default=0.0)
        if watts > _DRAWS_W:
            at = next(t for t in loops if top(t, "EVPresentActivePower") > _DRAWS_W)
            offered = f"{watts / 1000:.1f} kW"
            return Standing(
                "proven", f"the vehicle takes up to {offered} by its own word.", offered, at.start_s, loops[-1].end_s
            )
        meters = [
            v
            for t in loops
            if (v := t.of_response("MeterReading") or t.of_response("ChargedEnergyReadingWh")) is not None
        ]
        first = loops[0].response.field("MeterReading") if loops and loops[0].response else None
        if meters and first is not None and meters[-1] > first:
            why = f"the post's meter counts {meters[-1] - first:.0f} Wh in the loop."
            return Standing("proven", why, f"{meters[-1] - first:.0f} Wh", loops[0].start_s, loops[-1].end_s)
    return None


def _draw(records: Records, findings: Sequence[Finding]) -> Standing:
    drawn = _drawn(records)
    if drawn:
        return drawn._replace(why=drawn.why[0].upper() + drawn.why[1:])
    return Standing("not_captured", "Current was not captured, nor told in messages.")


def _captured(judge: Callable[[Records, Sequence[Finding]], Standing]) -> Judge:
    """A judge that speaks where frames were captured."""

    def judged(records: Records, findings: Sequence[Finding]) -> Standing | None:
        return judge(records, findings) if records.of(ConversationRecord) else None

    return judged


_OWN: Mapping[str, Callable[[Records, Sequence[Finding]], Standing]] = {
    "agree": _agree,
    "ramp": _ramp,
    "energise": _energise,
    "draw": _draw,
    "hold": _hold,
    "end": _end,
}
JUDGES: Mapping[str, Judge] = {
    **{stage: _captured(_by_finding(stage)) for stage in {s for rule in RULES for s in rule.proves}},
    **{stage: _captured(judge) for stage, judge in _OWN.items()},
}


def begun(records: Records, broken: Finding) -> bool | None:
    """Whether current was said to flow before this."""
    if not records.of(ConversationRecord):
        return None
    loops = [t for connection in connections(records) for t in connection.of(*LOOPS) if t.start_s < broken.start_s]
    # AC tells no current in its loop; a loop that went round for a while had some.
    return any(
        top(t, "EVSEPresentCurrent") > FLOWS_A
        or (t.kind == "ChargingStatus" and broken.start_s - t.start_s > UNDER_WAY_S)
        for t in loops
    )


def story(records: Records, findings: Sequence[Finding]) -> str:
    """What a conversation without a break tells, in one or two sentences."""
    if not records.of(ConversationRecord):
        return ""
    quiet, held, ending = (codes(RULES, rank) for rank in ("quiet", "held", "ending"))
    parts = [f for code in (*codes(RULES, "progress"), *held, *ending) if (f := _find(findings, code))]
    if not parts:
        grave = next((f for f in findings if f.severity in ("suspect", "note") and f.code not in quiet), None)
        return grave.text if grave else "Nothing in these frames decides how the session went."
    kept = [f.text for f in parts if f.code in held]
    # Who ended it says more than that it ended.
    sentences = [*kept, *[f.text for f in parts if f.code in ending][:1]] or [parts[-1].text]
    watch = next((f for f in findings if f.severity == "suspect" or f.code == "message_broken"), None)
    return " ".join([*sentences, *([f"To watch: {watch.text}"] if watch else [])])
