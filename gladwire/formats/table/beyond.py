"""What instruments write where a sample is beyond their range, and on which side of it: “OL”, “-OVER”, “∞”, “>10”, 9.9E37.

A mark with a sign tells the side. One without means above where the file has the same with a minus; else the side is open.
"""

from __future__ import annotations

import re

import numpy as np

from gladwire.core.signal.waveform import Samples

_WORDS = (
    r"o\.?l\.?|ovl|ovr|ovrng|ovrflw|ovf|oor|over(?:[- ]?(?:range|flow|load))?|out of range|oflow|sat|clip(?:ped)?"
    r"|uflow|under(?:[- ]?(?:range|flow))?"
)
_INFINITE = "inf(?:inity)?|∞"
_MARK = re.compile(rf"\s*([+-]?)\s*(?:({_INFINITE})|({_WORDS}))", re.IGNORECASE)
_IN_CELLS = re.compile(
    rf'(?:(?<=[,;|\t"])|^)[ ]*([+-]?) ?(?:({_INFINITE})|({_WORDS}))[ ]*(?=[,;|\t"\r\n]|$)'.encode(),
    re.IGNORECASE | re.MULTILINE,
)
# What rows of plain numbers and clocks are made of; anything else may be a mark.
_PLAIN = b'0123456789+-.,;|:/\t\r\n "eETZ'
# Beyond the range, the side not told: a number no instrument gives.
UNSIGNED = 3e38
_SCPI, _SCPI_NEAR = 9.9e37, 5e34
_LEAST_COUNT = 20.0
# Ends of ranges instruments have, of one decade. Common practice, no source.
_RANGES = np.array([1.0, 1.2, 1.25, 1.5, 1.6, 2.0, 2.4, 2.5, 3.0, 3.2, 4.0, 5.0, 6.0, 6.4, 7.5, 8.0, 10.0])


def is_mark(cell: str) -> bool:
    """Whether a cell says that its sample was beyond the range."""
    return _MARK.fullmatch(cell) is not None


def as_numbers(block: bytes) -> bytes:
    """A block of rows, marks written as what `settled` takes for them."""
    return _IN_CELLS.sub(_number, block) if block.translate(None, _PLAIN) else block


def _number(match: re.Match[bytes]) -> bytes:
    sign, infinite, word = match.groups()
    if word and word.lower().startswith((b"u",)):
        return b"-inf"
    if sign:
        return b"-inf" if sign == b"-" else b"inf"
    return b"inf" if infinite else b"3e38"


def settled(samples: Samples) -> tuple[Samples, tuple[float | None, float | None], int, int]:
    """(samples with marks at the ends of the range, these ends, how many stand there, how many tell no side and are NaN).

    samples: shape (n,), marks as infinities or `UNSIGNED`. The end of a range lies at or beyond the largest value read.
    """
    with np.errstate(invalid="ignore"):
        large = np.abs(samples) > 1e37
    if not large.any():
        return samples, (None, None), 0, 0
    scpi = np.abs(np.abs(samples) - np.float32(_SCPI)) < _SCPI_NEAR
    unsigned = samples == np.float32(UNSIGNED)
    below = np.isneginf(samples) | (scpi & (samples < 0))
    above = np.isposinf(samples) | (scpi & (samples > 0))
    open_ = 0
    if unsigned.any():
        if below.any():
            above |= unsigned
        else:
            open_ = int(unsigned.sum())
    read = samples[~large]
    read = read[np.isfinite(read)]
    out = np.where(large, np.float32(np.nan), samples)
    if not len(read):  # nothing was within the range
        return out, (None, None), 0, int(large.sum())
    low, high = _range_of(read)
    out[above], out[below] = np.float32(high), np.float32(low)
    ends = (low if below.any() else None, high if above.any() else None)
    return out, ends, int(above.sum() + below.sum()), open_


def _range_of(read: Samples) -> tuple[float, float]:
    """(lower, upper) end of the range readings lie in: of counts the next one, else that of the narrowest usual range."""
    if np.abs(read).max() >= _LEAST_COUNT and (read == np.round(read)).all():
        return float(read.min()) - 1.0, float(read.max()) + 1.0
    largest = max(float(np.abs(read).max()), 1e-9)
    decade = 10.0 ** np.floor(np.log10(largest))
    end = float(_RANGES[_RANGES * decade >= largest * (1 - 1e-6)][0] * decade)
    return -end, end
