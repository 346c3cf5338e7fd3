"""Captured frames: what readers of frame files return."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

# Link types as pcap files number them (the public list of LINKTYPE_ values, from memory).
ETHERNET, LOOPBACK_NULL, LOOPBACK, RAW_IP, RAW_IPV6, COOKED, COOKED_2 = 1, 0, 108, 101, 229, 113, 276
RAW_IP_OTHERS = (12, 14)
LINK_TYPES = (ETHERNET, LOOPBACK_NULL, LOOPBACK, RAW_IP, *RAW_IP_OTHERS, RAW_IPV6, COOKED, COOKED_2)


class Frame(NamedTuple):
    """One frame. time_s: since the first of the file. link: its link type. cut: bytes the instrument left out."""

    time_s: float
    data: bytes
    link: int = ETHERNET
    cut: int = 0
    interface: int = 0


@dataclass(frozen=True)
class FrameCapture:
    """All frames of one file, in its order. first_at: of the first frame, in seconds since 1970 UTC, or 0."""

    frames: tuple[Frame, ...]
    format: str
    remarks: tuple[str, ...] = field(default=())
    recorded_at: str = ""
    first_at: float = 0.0
    # Secrets the file itself carries, as a key log; never shown.
    keylog: str = field(default="", repr=False)
