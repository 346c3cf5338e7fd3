"""A scenario: a script that makes a capture, and the truth about it, which whoever judges it does not see."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from gladwire.core.plc.frames import FrameCapture
from gladwire.core.signal.waveform import Recording


class Truth(NamedTuple):
    """What was put in, and so has to be told. finding: a rule's code. stage: the one that fails, "" for none. cause: the one
    that leads, "" where the capture cannot tell it from others."""

    finding: str
    stage: str
    outcome: str
    cause: str = ""


class Scenario(NamedTuple):
    """key: names it. makes: the capture, the same each time."""

    key: str
    makes: Callable[[], Recording | FrameCapture]
    truth: Truth
