"""What is asked about channels nothing tells."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.unnamed.record import Unnamed, UnnamedRecord
from gladwire.core.standards.source import PRACTICE
from gladwire.core.words import number_of

# What an open channel may be, in words, and the stage that would speak of it.
MAY_BE: Mapping[str, tuple[str, str]] = {
    "cp": ("the pilot", "pilot"),
    "pp": ("proximity", "proximity"),
    "lock_current": ("the lock's current", "lock"),
    "lock_position": ("the lock's position", "lock"),
    "mains_v": ("mains volts", "energise"),
    "mains_a": ("mains current", "draw"),
    "contactor": ("a contactor's line", "energise"),
}
_MOST_TOLD = 4


def told(channel: Unnamed) -> str:
    """“CH2”: three pulses, and nothing between; it may be the lock's current or a contactor's line."""
    may_be = " or ".join(MAY_BE[key][0] for key in (channel.proposed, channel.instead) if key)
    if channel.scaled:
        return f"“{channel.channel}”, {may_be}: {channel.does}"
    return f"“{channel.channel}”: {channel.does}" + (f"; it may be {may_be}" if may_be else "")


def asks(records: Sequence[UnnamedRecord]) -> str:
    """What is asked, in short."""
    channels = [c for r in records for c in r.channels]
    if len(channels) == 1:
        what = "the values of “{}” are" if channels[0].scaled else "“{}” is"
        return f"Nothing tells what {what.format(channels[0].channel)}: nothing is judged by it until that is settled."
    return f"Nothing tells what {len(channels)} channels show: nothing is judged by them until that is settled."


def _asked(record: UnnamedRecord) -> Iterator[Fact]:
    count = len(record.channels)
    shown = "; ".join(map(told, record.channels[:_MOST_TOLD]))
    more = f"; and {number_of(count - _MOST_TOLD, 'more channel')}" if count > _MOST_TOLD else ""
    yield Fact("note", f"{asks([record])} {shown}{more}.", record.start_s, record.end_s, number_of(count, "channel"),
               "named channels")  # fmt: skip


RULES: tuple[Rule[UnnamedRecord], ...] = (
    Rule(
        "channel_unnamed",
        "pilot",
        PRACTICE,
        "channels neither name nor look tells",
        _asked,
        rank="quiet",
        needs=Needs(reached=""),
    ),
)
