"""What a reader is: a key, a title, a look at the content that yields a score, and the reading itself."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import NamedTuple

from gladwire.core.can.log import CanLog
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.signal.waveform import Recording
from gladwire.formats.opening import Source

Read = Recording | FrameCapture | PowerRecord | CanLog


class Options(NamedTuple):
    """What a person may settle before reading. interval_s: seconds between samples for a file that does not say. reader: key
    of the reader to use, "" for the one the content speaks for. columns: (title, quantity) of columns of a power record, ""
    for one that is none."""

    interval_s: float | None = None
    reader: str = ""
    columns: tuple[tuple[str, str], ...] = ()

    @property
    def mark(self) -> str:
        """What tells results read with these apart from others; "" where nothing was settled."""
        if self == Options():
            return ""
        return hashlib.sha256(repr(tuple(self)).encode()).hexdigest()[:12]


class Reader(NamedTuple):
    """sniff: first decompressed bytes to a score, 0 no to 100 surely. read: may raise UnreadableError. endings: of file
    names, left out of titles. words: how a sentence about what can be read names it, empty for what only the application
    itself writes.
    """

    key: str
    title: str
    sniff: Callable[[bytes], int]
    read: Callable[[Source, Options], Read]
    endings: tuple[str, ...]
    words: str
