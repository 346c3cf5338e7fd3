"""Sampled channels: what every reader returns and every analyser takes."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Waveform:
    """One uniformly sampled channel.

    samples: float32, shape (n,), in `unit`; a sample that was over range or missing is NaN.
    unit: "V", "A", "ohm", or "" when the file names none, "full_scale" for a share of full scale.
    rate_hz: samples per second. start_s: time of the first sample in the file's own time base. ends: (lower, upper) end of
    the instrument's range in `unit`, where samples were marked as beyond it and stand at it; None where none was.
    sideless: samples marked as beyond it without the side, which are NaN.
    """

    name: str
    samples: Samples
    rate_hz: float
    start_s: float = 0.0
    unit: str = "V"
    ends: tuple[float | None, float | None] = (None, None)
    sideless: int = 0

    @property
    def interval_s(self) -> float:
        return 1.0 / self.rate_hz

    @property
    def duration_s(self) -> float:
        return len(self.samples) / self.rate_hz

    @property
    def end_s(self) -> float:
        return self.start_s + self.duration_s


@dataclass(frozen=True)
class Recording:
    """All channels of one capture file, with what the reader had to assume.

    remarks: sentences about the file itself (a cut last line, skipped footer, jitter in the time column).
    recorded_at: the file's own word for when it was taken, verbatim, or "".
    """

    channels: tuple[Waveform, ...]
    format: str
    remarks: tuple[str, ...] = field(default=())
    recorded_at: str = ""
