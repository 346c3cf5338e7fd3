"""What the capture itself lacks: bytes lost, messages that do not decode, a start in the middle. Gaps, never faults."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.frames.folding import UNDECODED
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules.link import talks_of
from gladwire.core.standards.source import MEASUREMENT


def _holes(record: ConversationRecord) -> Iterator[Fact]:
    for talk in record.talks:
        if talk.lost_bytes:
            text = (
                f"{talk.lost_bytes} bytes in {talk.holes} places were acknowledged and are not in this "
                "capture: the instrument "
                "missed frames. What seems unanswered there may have been answered."
            )
            yield Fact("note", text, talk.start_s, talk.end_s, f"{talk.lost_bytes} bytes", "0 bytes", stage="link")


def _repeats(record: ConversationRecord) -> Iterator[Fact]:
    for talk in record.talks:
        if talk.repeated >= 3 and talk.repeated > 0.02 * max(talk.messages, 1):
            text = f"{talk.repeated} segments were sent again in {talk.messages} messages: the line loses frames."
            yield Fact(
                "suspect", text, talk.start_s, talk.end_s, f"{talk.repeated} repeats", "hardly any", stage="link"
            )


def _undecoded(record: ConversationRecord) -> Iterator[Fact]:
    for talk in talks_of(record):
        broken = [
            (turn, said)
            for turn in talk.turns
            for said in (turn.request, turn.answer)
            if said is not None and said.error
        ]
        for turn, said in [pair for pair in broken if pair[0].stem != UNDECODED][:3]:
            text = f"{said.name or 'A message'} at {said.time_s:.2f} s does not decode whole: {said.error}."
            yield Fact("note", text, said.time_s, said.time_s, said.error, "decodes whole", stage=turn.stage)
        sealed_up = [said for turn, said in broken if turn.stem == UNDECODED]
        if sealed_up:
            text = f"From {sealed_up[0].time_s:.2f} s on messages cannot be read: {sealed_up[0].error}."
            yield Fact("note", text, sealed_up[0].time_s, sealed_up[-1].time_s, "not read", "decodes whole")


def _middle(record: ConversationRecord) -> Iterator[Fact]:
    for talk in record.talks:
        if not talk.opened and talk.turns:
            first = talk.turns[0]
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
