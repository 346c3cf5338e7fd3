"""A time column, checked as it streams by: it must rise evenly; then its ends give the rate."""

from __future__ import annotations

import numpy as np

from gladwire.core.signal.waveform import Floats, Ints
from gladwire.formats.errors import UnreadableError

# A step this many times the usual one is a gap in the record.
_GAP = 20.0


class Timebase:
    """Either a fixed interval, or a time column fed in block by block.

    factor: what makes seconds of the column's unit.
    """

    def __init__(self, factor: float = 1.0, interval_s: float | None = None, start_s: float = 0.0) -> None:
        self.factor, self.interval_s, self.start_s = factor, interval_s, start_s
        self._first: float | None = None
        self._last = 0.0
        self._count = 0
        self._step: float | None = None
        self._worst = 0.0

    def add(self, times: Floats, line: int, lines: Ints | None) -> None:
        """Check a block that begins after `line` lines. Raises UnreadableError at the line of a jump or step back.

        lines: the block's line numbers of each value where blank lines were left out.
        """
        if self.interval_s is not None or not len(times):
            return
        joint = float(times[0]) - self._last if self._count else 0.0
        steps = np.diff(times)
        if self._count and not self._usual(joint):
            steps = np.diff(np.concatenate([[self._last], times]))
            shift = 0
        else:
            shift = 1
        least, most = (float(np.min(steps)), float(np.max(steps))) if len(steps) else (0.0, 0.0)
        if not (np.isfinite(least) and np.isfinite(most) and least >= 0 and np.isfinite(times[0])):
            self._refuse(np.flatnonzero(~np.isfinite(times)), line, lines, "the time is missing here")
            self._refuse(np.flatnonzero(steps < 0) + shift, line, lines, "the time runs backwards here")
        if self._step is None and len(times) > 1:
            self._first = float(times[0])
            self._step = float(times[-1] - times[0]) / (len(times) - 1)
            self._step = min(self._step, float(np.mean(np.diff(times[: max(3, len(times) // 10)]))) or self._step)
        usual = self._step or 0.0
        if usual > 0:
            # Printed times have few digits: steps of nought and of one printed digit alternate.
            digit = least if least > 0 else float(np.min(steps[steps > 0], initial=np.inf))
            limit = _GAP * max(usual, digit if np.isfinite(digit) else 0.0)
            if most > limit:
                gaps = np.flatnonzero(steps > limit) + shift
                jump = float(steps[gaps[0] - shift]) * self.factor
                self._refuse(gaps, line, lines, f"the time jumps by {jump:.4g} s here; steps of about "
                             f"{usual * self.factor:.4g} s were expected")  # fmt: skip
            self._worst = max(self._worst, (most - usual) / usual)  # a shorter step differs by one at most
        self._last = float(times[-1])
        self._count += len(times)

    def _usual(self, joint: float) -> bool:
        """Whether the step from the block before is one like the others, so that it need not be looked at again."""
        return self._step is not None and 0 <= joint <= 1.5 * self._step

    @staticmethod
    def _refuse(at: Ints, line: int, lines: Ints | None, what: str) -> None:
        if len(at):
            row = int(at[0])
            raise UnreadableError(what, line=line + 1 + (int(lines[row]) if lines is not None else row))

    def settle(self, count: int) -> tuple[float, float, tuple[str, ...]]:
        """(rate in Hz, start in seconds, remarks) for `count` samples."""
        if self.interval_s is not None:
            return 1.0 / self.interval_s, self.start_s, ()
        span = (self._last - (self._first or 0.0)) * self.factor
        if span <= 0:
            raise UnreadableError("the time column does not move; rising times were expected")
        remarks: tuple[str, ...] = ()
        if self._worst > 1.5:
            remarks = (f"Steps of the time column vary by up to {self._worst:.1f} of a step; read as evenly spaced.",)
        return (count - 1) / span, (self._first or 0.0) * self.factor, remarks
