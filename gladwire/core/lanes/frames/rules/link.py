"""Link: discovery of the post, TCP, TLS."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Rule, only
from gladwire.core.lanes.frames.record import Connection, ConversationRecord, Discovery
from gladwire.core.standards.source import ISO_15118_2_TRANSPORT
from gladwire.core.standards.v2g_timers import SDP_EVERY_S, SDP_TIMES, SETTLED_S
from gladwire.core.words import seconds


def _tls(yes: bool) -> str:
    return "with TLS" if yes else "without TLS"


def _pairs(record: ConversationRecord) -> Iterator[tuple[Discovery, Discovery]]:
    """Every answer with the last request before it."""
    asked: Discovery | None = None
    for message in record.sdp:
        if message.request:
            asked = message
        elif asked:
            yield asked, message
            asked = None


def _linked(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        if connection.opened and connection.answered:
            where = f"[{connection.evse_address}]:{connection.port}"
            how = _tls(connection.tls is not None)
            text = f"The vehicle reached the post at {where}, {how}, at {connection.start_s:.2f} s."
            yield Fact(
                "normal",
                text,
                connection.start_s,
                connection.start_s,
                _tls(connection.tls is not None),
                "a connection",
            )


def _no_discovery(record: ConversationRecord) -> Iterator[Fact]:
    asked = [d for d in record.sdp if d.request]
    if not asked or any(not d.request for d in record.sdp) or record.end_s - asked[0].time_s < SDP_EVERY_S * 2:
        return
    if record.connections:
        return  # found it another way, or the answer was not captured
    lasted = asked[-1].time_s - asked[0].time_s
    text = (
        f"The vehicle looked for a post {len(asked)} times in {seconds(lasted)} and nobody answered: the post's controller "
        "is not reachable behind its modem, although the modems are linked."
    )
    limit = f"an answer within {SDP_TIMES.amount} requests, one each {SDP_EVERY_S.amount}"
    yield Fact("fault", text, asked[0].time_s, asked[-1].time_s, f"{len(asked)} requests, 0 answers", limit)


def _security(record: ConversationRecord) -> Iterator[Fact]:
    for asked, given in _pairs(record):
        if asked.tls == given.tls:
            continue
        after = [t for t in record.connections if t.start_s >= given.time_s and t.messages + (t.tls is not None)]
        text = f"The vehicle asked for a connection {_tls(asked.tls)}, the post offers one {_tls(given.tls)}."
        if after:
            yield Fact(
                "note", f"{text} The vehicle took it.", asked.time_s, given.time_s, _tls(given.tls), _tls(asked.tls)
            )
        elif record.end_s - given.time_s > SETTLED_S:
            yield Fact(
                "fault",
                f"{text} The vehicle did not connect.",
                asked.time_s,
                given.time_s,
                _tls(given.tls),
                _tls(asked.tls),
            )


def _refused(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        if not connection.opened or connection.messages or connection.tls:
            continue
        reset = next((c for c in connection.ends if c.kind == "rst"), None)
        if not connection.answered:
            how = "the post refuses it" if reset else "the post does not answer"
            if not reset and record.end_s - connection.start_s < SETTLED_S:
                continue
            text = f"The vehicle opens a connection to port {connection.port} at {connection.start_s:.2f} s and {how}."
            yield Fact("fault", text, connection.start_s, connection.end_s, how, "a connection")
        elif record.end_s - connection.end_s > SETTLED_S or connection.ends:
            text = f"The connection of {connection.start_s:.2f} s to port {connection.port} carried no message at all."
            yield Fact("fault", text, connection.start_s, connection.end_s, "no message", "supportedAppProtocolReq")


def _no_connection(record: ConversationRecord) -> Iterator[Fact]:
    pairs = list(_pairs(record))
    if not pairs or record.connections:
        return
    asked, given = pairs[-1]
    if asked.tls == given.tls and record.end_s - given.time_s > SETTLED_S:
        text = (
            f"The post answered discovery at {given.time_s:.2f} s with port {given.port}, and the vehicle never connected "
            f"in the {seconds(record.end_s - given.time_s)} that follow."
        )
        yield Fact("fault", text, given.time_s, record.end_s, "no connection", "a connection")


def connections_of(record: ConversationRecord) -> tuple[Connection, ...]:
    """Connections whose messages can be read."""
    return tuple(t for t in record.connections if t.exchanges)


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule("link_up", "link", ISO_15118_2_TRANSPORT, "a connection between vehicle and post", _linked, proves=("link",)),
    Rule(
        "sdp_no_answer", "link", ISO_15118_2_TRANSPORT, "discovery that nobody answers", _no_discovery, breaks=("link",)
    ),
    Rule(
        "sdp_security",
        "link",
        ISO_15118_2_TRANSPORT,
        "security asked and not given, and no connection",
        only(_security, "fault"),
        breaks=("link",),
    ),
    Rule(
        "sdp_security_taken",
        "link",
        ISO_15118_2_TRANSPORT,
        "other security than asked, and taken",
        only(_security, "note"),
    ),
    Rule(
        "tcp_refused",
        "link",
        ISO_15118_2_TRANSPORT,
        "a connection refused, unanswered or without a message",
        _refused,
        breaks=("link",),
    ),
    Rule(
        "tcp_never_opened",
        "link",
        ISO_15118_2_TRANSPORT,
        "a post that answers and a vehicle that never connects",
        _no_connection,
        breaks=("link",),
    ),
)
