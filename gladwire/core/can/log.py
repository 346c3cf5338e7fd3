"""A CAN log: what readers of bus logs return."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from gladwire.core.signal.waveform import Floats

EXTENDED = 1 << 31


@dataclass(frozen=True)
class CanLog:
    """time_s: shape (n,), seconds after the first frame, rising. ids: (n,) int64, identifier, EXTENDED added for 29 bits.

    lengths: (n,) bytes of data. data: (n, w) uint8, w 8 or, with CAN FD, 64, filled up with noughts. errors: error frames
    among them, which are left out of the arrays. first_at: of the first frame in seconds since 1970 UTC, or 0.
    """

    time_s: Floats
    ids: NDArray[np.int64]
    lengths: NDArray[np.uint8]
    data: NDArray[np.uint8]
    format: str
    errors: int = 0
    remarks: tuple[str, ...] = field(default=())
    recorded_at: str = ""
    first_at: float = 0.0

    @property
    def end_s(self) -> float:
        return float(self.time_s[-1]) if len(self.time_s) else 0.0


def id_words(key: int) -> str:
    """An identifier as a person writes it: `18FF50E5x` for 29 bits, `102` for 11."""
    return f"{key & ~EXTENDED:08X}x" if key & EXTENDED else f"{key:03X}"
