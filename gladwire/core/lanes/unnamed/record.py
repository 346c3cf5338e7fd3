"""Channels of a recording that neither a name nor a look told, or whose values mean nothing yet, and what they may be.
Nothing is measured by a guess."""

from __future__ import annotations

from typing import ClassVar

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.records import Record


class Unnamed(BaseModel):
    """One channel. does: what it does, in words that rest on no guess. proposed, instead: roles it may have, the likelier
    first, "" for none. scaled: what it is, is told, but not what its values are in volts or amperes."""

    model_config = ConfigDict(frozen=True)

    channel: str
    does: str
    proposed: str = ""
    instead: str = ""
    scaled: bool = False


class UnnamedRecord(Record):
    """All of one recording."""

    lane: ClassVar[str] = "unnamed"

    channels: tuple[Unnamed, ...]
