"""What a reader is: a key, a title, a look at the content that yields a score, and the reading itself."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from gladwire.core.can.log import CanLog
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.signal.waveform import Recording
from gladwire.formats.opening import Source

Read = Recording | FrameCapture | PowerRecord | CanLog


class Options(NamedTuple):
    """What a person may settle before reading. interval_s: seconds between samples for a file that does not say."""

    interval_s: float | None = None


class Reader(NamedTuple):
    """sniff: first decompressed bytes to a score, 0 no to 100 surely. read: may raise UnreadableError."""

    key: str
    title: str
    sniff: Callable[[bytes], int]
    read: Callable[[Source, Options], Read]
