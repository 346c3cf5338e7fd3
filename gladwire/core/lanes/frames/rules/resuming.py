"""Pausing and resuming: one session over several connections and matchings of one plug-in."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule, only
from gladwire.core.lanes.frames.record import ConversationRecord, Talk, Turn
from gladwire.core.lanes.frames.rules.link import talks_of
from gladwire.core.standards.source import ISO_15118_2
from gladwire.core.words import seconds


def paused(talk: Talk) -> Turn | None:
    """The agreed pause a connection ends with."""
    return next((t for t in talk.of("SessionStop") if t.done and t.asked("ChargingSession") == "Pause"), None)


def resumed_by(record: ConversationRecord, talk: Talk) -> Talk | None:
    """The next connection that takes up this session's identity."""
    later = [t for t in record.talks if t.start_s > talk.start_s and talk.session and t.taken_up == talk.session]
    return min(later, key=lambda t: t.start_s, default=None)


def _pauses(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        stop = paused(talk)
        if stop is None:
            continue
        after = resumed_by(record, talk)
        if after is None:
            later = [t for t in talks_of(record) if t.start_s > talk.end_s]
            if later:
                text = (
                    f"The session paused at {stop.start_s:.2f} s, and the vehicle began a new one at "
                    f"{later[0].start_s:.2f} s instead of taking it up: schedule and contract are negotiated anew."
                )
                yield Fact("note", text, stop.start_s, later[0].start_s, "a new session", "the paused one taken up")
            else:
                text = f"The session paused at {stop.start_s:.2f} s, by agreement; this is no fault. It is not resumed here."
                yield Fact("normal", text, stop.start_s, stop.end_s, "paused", "paused in order")
            continue
        away = after.start_s - talk.end_s
        setup = next((t for t in after.of("SessionSetup") if t.answer), None)
        joined = setup is not None and setup.response_code == "OK_OldSessionJoined"
        if joined:
            text = (
                f"The session paused at {stop.start_s:.2f} s and was taken up again at {after.start_s:.2f} s, after "
                f"{seconds(away)}: one session over two connections, no fault."
            )
            yield Fact("normal", text, stop.start_s, after.start_s, seconds(away), "OK_OldSessionJoined")
        elif setup is not None:
            text = (
                f"The vehicle came back after {seconds(away)} with the paused session's identity and the post answered "
                f"{setup.response_code}: it had forgotten the session."
            )
            yield Fact("suspect", text, after.start_s, setup.end_s, setup.response_code, "OK_OldSessionJoined",
                       stage="agree")  # fmt: skip


def _asked(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        turn = next((t for t in talk.turns if t.told("EVSENotification") == "Pause" and not t.failed), None)
        if turn:
            followed = paused(talk)
            then = (
                f"paused after {seconds(followed.start_s - turn.start_s)}"
                if followed
                else "did not pause in this capture"
            )
            text = f"The post asked to pause at {turn.start_s:.2f} s and the vehicle {then}."
            yield Fact("note", text, turn.start_s, turn.end_s, then, "a pause")


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule(
        "paused",
        "end",
        ISO_15118_2,
        "a pause by agreement, and whether it was taken up",
        only(_pauses, "normal", "note"),
        ends=True,
        rank="ending",
    ),
    Rule(
        "resume_refused",
        "agree",
        ISO_15118_2,
        "a paused session the post had forgotten",
        only(_pauses, "suspect"),
        breaks=("agree",),
    ),
    Rule("pause_asked", "hold", ISO_15118_2, "a pause the post asked for", _asked),
)
