"""What the capture itself lacks: bytes lost, messages that do not decode, a start in the middle. Gaps, never faults."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.frames.folding import UNDECODED
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules.link import connections_of
from gladwire.core.standards.source import MEASUREMENT


def _holes(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        if connection.lost_bytes:
            text = (
                f"{connection.lost_bytes} bytes in {connection.holes} places were acknowledged and are not in this "
                "capture: the instrument "
                "missed frames. What seems unanswered there may have been answered."
            )
            yield Fact(
                "note",
                text,
                connection.start_s,
                connection.end_s,
                f"{connection.lost_bytes} bytes",
                "0 bytes",
                stage="link",
            )


def _repeats(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        if connection.repeated >= 3 and connection.repeated > 0.02 * max(connection.messages, 1):
            text = f"{connection.repeated} segments were sent again in {connection.messages} messages: the line loses frames."
            yield Fact(
                "suspect",
                text,
                connection.start_s,
                connection.end_s,
                f"{connection.repeated} repeats",
                "hardly any",
                stage="link",
            )


def _undecoded(record: ConversationRecord) -> Iterator[Fact]:
    for connection in connections_of(record):
        broken = [
            (exchange, sent)
            for exchange in connection.exchanges
            for sent in (exchange.request, exchange.response)
            if sent is not None and sent.error
        ]
        for exchange, sent in [pair for pair in broken if pair[0].stem != UNDECODED][:3]:
            text = f"{sent.name or 'A message'} at {sent.time_s:.2f} s does not decode whole: {sent.error}."
            yield Fact("note", text, sent.time_s, sent.time_s, sent.error, "decodes whole", stage=exchange.stage)
        unreadable = [sent for exchange, sent in broken if exchange.stem == UNDECODED]
        if unreadable:
            text = f"From {unreadable[0].time_s:.2f} s on messages cannot be read: {unreadable[0].error}."
            yield Fact("note", text, unreadable[0].time_s, unreadable[-1].time_s, "not read", "decodes whole")


def _middle(record: ConversationRecord) -> Iterator[Fact]:
    for connection in record.connections:
        if not connection.opened and connection.exchanges:
            first = connection.exchanges[0]
            text = (
                f"The capture begins in the middle of a conversation, with {first.stem}; what came before is not known."
            )
            yield Fact("note", text, first.start_s, first.start_s, first.stem, "from the beginning", stage="link")


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule("frames_missed", "link", MEASUREMENT, "bytes the capture missed", _holes, needs=Needs(reached="")),
    Rule("segments_repeated", "link", MEASUREMENT, "segments sent again", _repeats, needs=Needs(reached="")),
    Rule(
        "message_broken",
        "agree",
        MEASUREMENT,
        "messages that do not decode whole, and where they break",
        _undecoded,
        needs=Needs(reached=""),
    ),
    Rule(
        "begins_in_the_middle",
        "link",
        MEASUREMENT,
        "a capture that begins after the conversation did",
        _middle,
        needs=Needs(reached=""),
    ),
)
