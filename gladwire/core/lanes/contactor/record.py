"""When a contactor's line says that it is closed."""

from __future__ import annotations

from typing import ClassVar

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.records import Record
from gladwire.core.moments import Moment


class Closing(BaseModel):
    """A stretch in which the contactor is closed; until_end: the capture ends first."""

    model_config = ConfigDict(frozen=True)

    start_s: Moment
    end_s: Moment
    until_end: bool = False


class ContactorRecord(Record):
    """closings: in order. switched: False where the line never changes, so that nothing tells open from closed."""

    lane: ClassVar[str] = "contactor"

    channel: str
    switched: bool
    closings: tuple[Closing, ...] = ()

    @property
    def turned(self) -> ContactorRecord:
        """The same with what was taken for open as closed."""
        edges = [self.start_s, *(t for c in self.closings for t in (c.start_s, c.end_s)), self.end_s]
        spans = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a > 0]
        closings = tuple(Closing(start_s=a, end_s=b, until_end=b >= self.end_s) for a, b in spans)
        return self.model_copy(update={"closings": closings})
