"""A source that brings its capture piece by piece, such as a live instrument: the same records as from a file.

Pieces are kept and measured together when asked, so that nothing a rule sees depends on where a piece ended. It costs as much
as measuring a file of what came so far.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from gladwire.core.can.log import CanLog
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.measured import CaptureResult, measure_capture
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.supplements import Supplements

Piece = Recording | FrameCapture | PowerRecord | CanLog

# A piece may begin this share of a sample beside where the one before ended: clocks of sample counters are exact.
_SAMPLE_SHARE = 0.5


class Feed:
    """Pieces of one source, in order of time, each on the clock of the first."""

    def __init__(self, settled: Settled | None = None, supplements: Supplements | None = None) -> None:
        self._settled, self._supplements = settled, supplements
        self._pieces: list[Piece] = []

    def add(self, piece: Piece) -> None:
        """Take the next piece. Raises ValueError, and keeps nothing of it, where it does not follow the one before."""
        if self._pieces:
            _check(self._pieces[-1], piece)
        self._pieces.append(piece)

    @property
    def whole(self) -> Piece:
        """What came so far, as one capture. Raises ValueError before the first piece."""
        if not self._pieces:
            raise ValueError("nothing was captured yet")
        first = self._pieces[0]
        if isinstance(first, Recording):
            return _recording([p for p in self._pieces if isinstance(p, Recording)])
        if isinstance(first, FrameCapture):
            parts = [p for p in self._pieces if isinstance(p, FrameCapture)]
            frames = tuple(f for p in parts for f in p.frames)
            return replace(first, frames=frames, keylog="".join(dict.fromkeys(p.keylog for p in parts)))
        if isinstance(first, CanLog):
            return _log([p for p in self._pieces if isinstance(p, CanLog)])
        return _readings([p for p in self._pieces if isinstance(p, PowerRecord)])

    def measure(self) -> CaptureResult:
        """Measure what came so far. Raises as `measure_capture` does."""
        return measure_capture(self.whole, self._settled, self._supplements)


def _check(before: Piece, piece: Piece) -> None:
    if type(piece) is not type(before):
        raise ValueError(f"a piece of another kind: {type(before).__name__} was expected, {type(piece).__name__} came")
    if isinstance(before, Recording) and isinstance(piece, Recording):
        shapes = [[(w.name, w.unit, w.rate_hz) for w in p.channels] for p in (before, piece)]
        if shapes[0] != shapes[1]:
            raise ValueError("a piece with other channels, units or rates than the one before")
        for old, new in zip(before.channels, piece.channels, strict=True):
            gap = new.start_s - old.start_s - len(old.samples) / old.rate_hz
            if abs(gap) * old.rate_hz > _SAMPLE_SHARE:
                raise ValueError(f"“{new.name}” goes on {gap:.6f} s beside where the piece before ended")
    elif _start(piece) < _end(before):
        raise ValueError(
            f"a piece that begins at {_start(piece):.3f} s, before the last one ended at {_end(before):.3f} s"
        )


def _start(piece: Piece) -> float:
    if isinstance(piece, FrameCapture):
        return piece.frames[0].time_s
    return float(piece.time_s[0]) if isinstance(piece, CanLog | PowerRecord) else piece.channels[0].start_s


def _end(piece: Piece) -> float:
    if isinstance(piece, FrameCapture):
        return piece.frames[-1].time_s
    return float(piece.time_s[-1]) if isinstance(piece, CanLog | PowerRecord) else piece.channels[0].end_s


def _recording(pieces: list[Recording]) -> Recording:
    first = pieces[0]
    waves = [
        Waveform(w.name, np.concatenate([p.channels[n].samples for p in pieces]), w.rate_hz, w.start_s, w.unit)
        for n, w in enumerate(first.channels)
    ]
    return replace(first, channels=tuple(waves))


def _log(pieces: list[CanLog]) -> CanLog:
    width = max(p.data.shape[1] for p in pieces)
    return replace(
        pieces[0],
        time_s=np.concatenate([p.time_s for p in pieces]),
        ids=np.concatenate([p.ids for p in pieces]),
        lengths=np.concatenate([p.lengths for p in pieces]),
        data=np.concatenate([np.pad(p.data, ((0, 0), (0, width - p.data.shape[1]))) for p in pieces]),
        errors=sum(p.errors for p in pieces),
    )


def _readings(pieces: list[PowerRecord]) -> PowerRecord:
    first = pieces[0]
    keys = dict.fromkeys(key for p in pieces for key in p.values)
    values = {k: np.concatenate([p.values.get(k, np.full(len(p.time_s), np.nan)) for p in pieces]) for k in keys}
    second = [p.second_place for p in pieces if p.second_place is not None]
    return replace(
        first,
        time_s=np.concatenate([p.time_s for p in pieces]),
        values=values,
        places={**{k: v for p in pieces for k, v in p.places.items()}},
        second_place=_readings(second) if second else None,
    )
