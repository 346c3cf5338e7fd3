"""Pausing and resuming: one session over several connections and matchings of one plug-in."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule, only
from gladwire.core.lanes.frames.record import Connection, ConversationRecord, Exchange
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.source import ISO_15118_2
from gladwire.core.words import seconds


def paused(connection: Connection) -> Exchange | None:
    """The agreed pause a connection ends with."""
    return next(
        (t for t in connection.of("SessionStop") if t.done and t.of_request("ChargingSession") == "Pause"), None
    )


def resumed_by(record: ConversationRecord, connection: Connection) -> Connection | None:
    """The next connection that takes up this session's identity."""
    later = [
        t
        for t in record.connections
        if t.start_s > connection.start_s and connection.session and t.taken_up == connection.session
    ]
    return min(later, key=lambda t: t.start_s, default=None)


def _pauses(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        stop = paused(connection)
        if stop is None:
            continue
        after = resumed_by(record, connection)
        if after is None:
            later = [t for t in connections_of(record) if t.start_s > connection.end_s]
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
        away = after.start_s - connection.end_s
        setup = next((t for t in after.of("SessionSetup") if t.response), None)
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
    for connection in connections_of(record):
        exchange = next(
            (t for t in connection.exchanges if t.of_response("EVSENotification") == "Pause" and not t.failed), None
        )
        if exchange:
            followed = paused(connection)
            then = (
                f"paused after {seconds(followed.start_s - exchange.start_s)}"
                if followed
                else "did not pause in this capture"
            )
            text = f"The post asked to pause at {exchange.start_s:.2f} s and the vehicle {then}."
            yield Fact("note", text, exchange.start_s, exchange.end_s, then, "a pause")


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
