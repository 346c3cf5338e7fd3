"""What every reader returns, checked once: numbers that cannot be are no readings, and times that cannot be are no capture.

Loggers and spreadsheets write a number no instrument reads where they have none (9.9E37, 1.797E308, -9999): it is taken for
missing, and said.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from gladwire.core.can.log import CanLog
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.quantities import BY_KEY, Quantity
from gladwire.core.signal.waveform import Floats, Recording, Waveform
from gladwire.formats.errors import UnreadableError
from gladwire.formats.reader import Read

# Beyond these no scope, logger or analyser of a charging session goes.
_MOST_SAMPLE = 1e9
_RATES_HZ = (1e-6, 1e12)
_LONGEST_S = 1e10
# How well readings beside a slip agree, and how near ten times they are it lies.
_AGREE, _TEN = 0.15, 10.0


def checked(read: Read) -> Read:
    """The same, without what cannot be. Raises UnreadableError where its times cannot be."""
    if isinstance(read, Recording):
        return _recording(read)
    if isinstance(read, PowerRecord):
        return _power(read)
    times = read.time_s if isinstance(read, CanLog) else np.array([f.time_s for f in read.frames], dtype=np.float64)
    _refuse_unless_times(times)
    return read if math.isfinite(read.first_at) else replace(read, first_at=0.0)


def _refuse_unless_times(times: Floats) -> None:
    if not np.isfinite(times).all() or (len(times) and float(np.abs(times).max()) > _LONGEST_S):
        raise UnreadableError("it holds times that cannot be: no clock of a capture counts so far")


def _recording(read: Recording) -> Recording:
    waves, remarks = [], list(read.remarks)
    for wave in read.channels:
        if not _RATES_HZ[0] <= wave.rate_hz <= _RATES_HZ[1]:
            raise UnreadableError(f"“{wave.name}” would have {wave.rate_hz:g} samples a second, which cannot be")
        if not (math.isfinite(wave.start_s) and abs(wave.start_s) <= _LONGEST_S):
            raise UnreadableError(f"“{wave.name}” begins at {wave.start_s:g} s, which cannot be")
        if len(wave.samples) / wave.rate_hz > _LONGEST_S:
            raise UnreadableError(f"“{wave.name}” would last longer than any capture")
        waves.append(_without_marks(wave, remarks))
    return replace(read, channels=tuple(waves), remarks=tuple(remarks))


def _without_marks(wave: Waveform, remarks: list[str]) -> Waveform:
    wrong = np.abs(wave.samples) > _MOST_SAMPLE  # NaN, a gap already, compares as no
    count = int(np.count_nonzero(wrong))
    if not count:
        return wave
    first = float(wave.samples[int(np.argmax(wrong))])
    remarks.append(_said(count, f"“{wave.name}”", first))
    return replace(wave, samples=np.where(wrong, np.float32(np.nan), wave.samples))


def _said(count: int, what: str, first: float) -> str:
    many = "1 reading" if count == 1 else f"{count} readings"
    return (
        f"{many} of {what} cannot be (the first is {first:.4g}) and {'is' if count == 1 else 'are'} taken as missing."
    )


def _without_slips(found: Floats, about: Quantity, remarks: list[str]) -> Floats:
    """A point forgotten: one reading ten times those beside it, which agree with each other, is believed by nobody."""
    read = np.flatnonzero(np.isfinite(found))
    if len(read) < 5 or about.unit == "°C":
        return found
    before, here, after = found[read[:-2]], found[read[1:-1]], found[read[2:]]
    beside = (before + after) / 2.0
    agree = (np.abs(before - after) <= _AGREE * np.abs(beside)) & (np.abs(beside) > 1.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        slips = read[1:-1][agree & (np.abs(here / (_TEN * beside) - 1.0) < _AGREE)]
    if not 0 < len(slips) <= len(read) // 10:
        return found
    many = "1 reading" if len(slips) == 1 else f"{len(slips)} readings"
    is_are = "is" if len(slips) == 1 else "are"
    first = float(found[slips[0]])
    remarks.append(
        f"{many} of {about.title.lower()} {is_are} ten times those beside (the first is {first:.4g}) and taken as missing."
    )
    out = found.copy()
    out[slips] = np.nan
    return out


def _power(read: PowerRecord) -> PowerRecord:
    _refuse_unless_times(read.time_s - read.time_s[0] if len(read.time_s) else read.time_s)
    values, remarks = {}, list(read.remarks)
    for key, found in read.values.items():
        about = BY_KEY[key]
        wrong = np.isinf(found) | (found < about.least) | (found > about.most)
        if wrong.any():
            remarks.append(_said(int(wrong.sum()), about.title.lower(), float(found[int(np.argmax(wrong))])))
            found = np.where(wrong, np.nan, found)
        values[key] = _without_slips(found, about, remarks)
    second = _power(read.second_place) if read.second_place else None
    return replace(read, values=values, remarks=tuple(remarks), second_place=second)
