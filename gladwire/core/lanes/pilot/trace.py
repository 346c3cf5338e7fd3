"""A channel seen through a correction: volts = raw * scale + offset, without copying the samples."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gladwire.core.signal.waveform import Floats, Ints, Samples, Waveform


@dataclass(frozen=True)
class Correction:
    """How raw samples become volts at the pilot. A negative scale turns the polarity round."""

    scale: float = 1.0
    offset_v: float = 0.0

    def to_raw(self, volts: float) -> float:
        return (volts - self.offset_v) / self.scale


@dataclass(frozen=True)
class Trace:
    """A waveform with its correction applied on access."""

    wave: Waveform
    correction: Correction = Correction()
    # False for an AC coupled capture: only the swing between two levels means anything.
    absolute: bool = True

    @property
    def rate_hz(self) -> float:
        return self.wave.rate_hz

    def __len__(self) -> int:
        return len(self.wave.samples)

    def take(self, index: Ints) -> Floats:
        """Volts at sample numbers; shape of `index`."""
        picked = self.wave.samples[index].astype(np.float64)
        return picked * self.correction.scale + self.correction.offset_v

    def slice_v(self, first: int, end: int) -> Floats:
        """Volts of samples first..end-1."""
        part = self.wave.samples[first:end].astype(np.float64)
        return part * self.correction.scale + self.correction.offset_v

    def raw(self, first: int, end: int) -> Samples:
        return self.wave.samples[first:end]

    def time_s(self, sample: float) -> float:
        """Seconds in the file's time base at a (fractional) sample number."""
        return self.wave.start_s + sample / self.wave.rate_hz
