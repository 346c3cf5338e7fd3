"""Two readings of one session's power, at the post and in the vehicle say: their clocks, their offset, their ratio.

Readings are held against each other at the moments they were taken, and between two of them only where the course is smooth
enough for a line: one typed every five minutes knows nothing of a step in between. A fit no two displays of one charge can
have is refused in words.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.power.record import PowerRecord, completed
from gladwire.core.moments import Duration
from gladwire.core.quantities import PLACE_WORDS, Place
from gladwire.core.signal.robust import midmean
from gladwire.core.signal.waveform import Floats
from gladwire.core.words import seconds

_MOST_SHIFT_S = 900.0
# Kilowatts and shares under this are what meters and displays differ by anyway.
_SAME_SHARE = 0.004
# Power a vehicle usually takes for itself while charging (common practice).
_OWN_USE_KW = (0.3, 3.0)
# With a heater of cabin or pack on (common practice).
_MOST_OWN_USE_KW = 8.0
# Two displays of one charge differ by a factor between these (common practice); what lies beyond is no such fit.
_RATIOS = (0.75, 1.3)
# Readings closer than this are a log's, with nothing in between; of others a line is trusted where it bends by no more than
# this, in kW or as a share, and for no longer.
_LOG_STEP_S, _BENDS_KW, _BENDS_SHARE, _LONGEST_S = 45.0, 0.6, 0.015, 900.0
_LEAST_PAIRS, _LEAST_S, _MOST_PAIRS = 4, 120.0, 1500
# Fewer readings tell nothing of two clocks.
_PAIRS_OF_CLOCKS, _INDEPENDENT = 8, 30
# Shifts whose fit is worse by no more than this, in kW, as a share of the level or of the best, are as good.
_AS_GOOD_KW, _AS_GOOD_SHARE, _AS_GOOD = 0.08, 0.002, 1.5
_AGAINST = -0.5
# How well clocks on displays that nothing else ties go together, and a hand that lays one course over another.
_CLOCKS_S, _HAND_S = 90.0, 5.0
# Displays show tenths.
_ROUNDED_KW = 0.05


class Compared(BaseModel):
    """The second reading against the first. clock_s: to add to the second's times, doubt_s: how well; clock: in words.

    ratio, offset_kw: second = ratio × first + offset. mean_kw: second less first while power flows, give or take
    unsure_kw. residual_kw: what is
    left. meanings: what the sign can mean; none of them is asserted. refused: they cannot be two readings of one charge, and
    text says why; the numbers mean nothing then.
    """

    model_config = ConfigDict(frozen=True)

    first: Place
    second: Place
    text: str
    clock_s: Duration = 0.0
    doubt_s: Duration = 0.0
    clock: str = ""
    ratio: float = 1.0
    offset_kw: float = 0.0
    mean_kw: float = 0.0
    mean_share: float = 0.0
    unsure_kw: float = 0.0
    residual_kw: float = 0.0
    minutes: float = 0.0
    pairs: int = 0
    meanings: tuple[str, ...] = ()
    refused: bool = False


class _Readings(NamedTuple):
    """at: moments in seconds, kw: of each, both shape (n,); smooth: whether a line from each to the next is trusted."""

    at: Floats
    kw: Floats
    smooth: np.ndarray[tuple[int], np.dtype[np.bool_]]

    def between(self, moments: Floats) -> Floats:
        """Power at moments; NaN where nothing tells it. Shape as given."""
        index = np.clip(np.searchsorted(self.at, moments, side="right") - 1, 0, len(self.at) - 2)
        inside = (moments >= self.at[0]) & (moments <= self.at[-1]) & self.smooth[index]
        return np.where(inside, np.interp(moments, self.at, self.kw), np.nan)


def compare_sources(first: PowerRecord, second: PowerRecord, by_hand: bool = False) -> Compared | None:
    """None where they share less than two minutes of power, or too few readings that can be held against each other.

    by_hand: a person placed the second; then it stays there.
    """
    one, two = (_readings(*completed(r).at_readings("power_kw")) for r in (first, second))
    if one is None or two is None:
        return None
    shift, doubt, clock = (0.0, _HAND_S, "Compared where it was placed by hand.") if by_hand else _clock(one, two)
    a, b = _pairs(one, two, shift)
    flows = (a > 0.1 * one.kw.max()) & (b > 0.1 * two.kw.max())
    a, b = a[flows], b[flows]
    shared = min(one.at[-1], two.at[-1] + shift) - max(one.at[0], two.at[0] + shift)
    if len(a) < _LEAST_PAIRS or shared < _LEAST_S:
        return None
    names = [PLACE_WORDS[r.source] for r in (first, second)]
    mean = midmean(b - a)
    share = mean / midmean(a)
    # Readings of one course are no independent ones, however many.
    scatter = 2.0 * float((b - a).std()) / float(np.sqrt(min(len(a), _INDEPENDENT)))
    unsure = float(np.hypot(scatter, _slope(one) * doubt)) + _ROUNDED_KW
    ratio, offset = _line(a, b)
    against = _cannot_be_one(a, b, share)
    if against:
        text = f"Power {names[1]} and {names[0]} are no two readings of one charge: {against}. Nothing is compared."
        return Compared(first=first.source, second=second.source, text=text, pairs=len(a), refused=True)
    left = float(np.sqrt(np.mean((b - ratio * a - offset) ** 2)))
    higher = "higher" if mean > 0 else "lower"
    text = f"Power {names[1]} is {abs(mean):.2f} kW ({100 * abs(share):.1f} %, ± {unsure:.2f} kW) {higher} than {names[0]}."
    if abs(share) < _SAME_SHARE and unsure < max(_BENDS_KW, _BENDS_SHARE * float(a.mean())):
        text = f"Power {names[1]} and {names[0]} agree to {100 * abs(share):.1f} %."
    elif unsure > abs(mean):
        by = f"{abs(mean):.1f} ± {unsure:.1f} kW"
        text = f"Whether power {names[1]} and {names[0]} differ these readings do not tell: by {by}."
    return Compared(
        first=first.source,
        second=second.source,
        text=text,
        clock_s=shift,
        doubt_s=doubt,
        clock=clock,
        ratio=ratio,
        offset_kw=offset,
        mean_kw=mean,
        mean_share=share,
        residual_kw=left,
        minutes=shared / 60.0,
        pairs=len(a),
        unsure_kw=unsure,
        meanings=_meanings(first.source, second.source, mean, share) if unsure <= abs(mean) else (),
    )


def _readings(at: Floats, kw: Floats) -> _Readings | None:
    """None of too few."""
    if len(at) < _LEAST_PAIRS:
        return None
    gaps = np.diff(at)
    # How far each reading lies from the line between its neighbours: half of that a line from it may be off.
    bends = np.zeros(len(at))
    bends[1:-1] = np.abs(kw[1:-1] - (kw[:-2] + (kw[2:] - kw[:-2]) * gaps[:-1] / (gaps[:-1] + gaps[1:])))
    most = np.maximum(_BENDS_KW, _BENDS_SHARE * np.abs(kw))
    straight = bends <= 2.0 * most
    smooth = (gaps <= _LOG_STEP_S) | ((gaps <= _LONGEST_S) & straight[:-1] & straight[1:])
    return _Readings(at, kw, smooth)


def _pairs(one: _Readings, two: _Readings, shift: float) -> tuple[Floats, Floats]:
    """(first, second) at the moments of the one with fewer readings, where both are known."""
    if len(one.at) <= len(two.at):
        a, b = one.kw, two.between(one.at - shift)
    else:
        a, b = one.between(two.at + shift), two.kw
    step = max(1, len(a) // _MOST_PAIRS)
    a, b = a[::step], b[::step]
    both = np.isfinite(a + b)
    return a[both], b[both]


def _clock(one: _Readings, two: _Readings) -> tuple[float, float, str]:
    """(seconds to add to the second's times, doubt, in words): where the two courses differ least once their sizes are
    matched. Where nothing ties them closer than their own clocks do, these stand."""
    stays = "Compared by the times they tell: "
    sparse = max(float(np.median(np.diff(r.at))) for r in (one, two))
    if sparse > _LOG_STEP_S:
        return 0.0, _CLOCKS_S, f"{stays}readings {seconds(sparse)} apart tell no more of two clocks."
    step = float(np.clip(sparse / 2.0, 1.0, 15.0))
    shifts = np.arange(-_MOST_SHIFT_S, _MOST_SHIFT_S + step, step)
    left = np.array([_differs(one, two, shift) for shift in shifts])
    told = np.isfinite(left)
    if told.sum() < 3:
        return 0.0, _CLOCKS_S, f"{stays}too few readings tell more of their clocks."
    best = int(np.nanargmin(left))
    level = max(float(np.median(one.kw[one.kw > 0.1 * one.kw.max()])), 1.0)
    limit = float(left[best]) + max((_AS_GOOD - 1.0) * float(left[best]), _AS_GOOD_KW, _AS_GOOD_SHARE * level)
    near = shifts[told & (left <= limit)]
    fine = shifts[best] + np.linspace(-step, step, 21)
    close = np.array([_differs(one, two, shift) for shift in fine])
    found = float(fine[int(np.nanargmin(close))]) if np.isfinite(close).any() else float(shifts[best])
    doubt = float(max(step / 2.0, near.max() - found, found - near.min()))
    at_end = max(abs(near.min()), abs(near.max())) > _MOST_SHIFT_S - 2 * step
    if at_end or doubt > _MOST_SHIFT_S / 3.0:
        return 0.0, _CLOCKS_S, f"{stays}nothing in their courses tells their clocks apart."
    if doubt >= abs(found):
        return 0.0, doubt, f"Their clocks agree to within {seconds(doubt)}."
    way = "behind" if found > 0 else "ahead"
    return found, doubt, f"Its clock is {seconds(abs(found))} {way} (± {seconds(doubt)})."


def _differs(one: _Readings, two: _Readings, shift: float) -> float:
    """What is left in kW, NaN where too little is shared."""
    start, end = max(one.at[0], two.at[0] + shift), min(one.at[-1], two.at[-1] + shift)
    whole = min(one.at[-1] - one.at[0], two.at[-1] - two.at[0])
    a, b = _pairs(one, two, shift)
    least = max(_PAIRS_OF_CLOCKS, 0.5 * min(len(one.at), len(two.at), _MOST_PAIRS))
    if end - start < max(_LEAST_S, 0.5 * whole) or len(a) < least:
        return float("nan")
    ratio, offset = _line(a, b)
    return float(np.sqrt(np.mean((b - ratio * a - offset) ** 2)))


def _slope(one: _Readings) -> float:
    """How fast power usually changes while it flows, in kW a second."""
    flows = (one.kw[1:] > 0.1 * one.kw.max()) & one.smooth
    if not flows.any():
        return 0.0
    return float(np.abs(np.diff(one.kw)[flows]).sum() / np.diff(one.at)[flows].sum())


def _line(a: Floats, b: Floats) -> tuple[float, float]:
    """Least squares b = ratio × a + offset, the ratio as two displays can have; a plain ratio where a hardly moves."""
    spread = a - a.mean()
    power = float((spread**2).sum())
    if power < 1e-4 * float((a**2).sum()):
        return float(b.mean() / max(a.mean(), 1e-9)), 0.0
    ratio = float(np.clip((spread * (b - b.mean())).sum() / power, *_RATIOS))
    return ratio, float(b.mean() - ratio * a.mean())


def _cannot_be_one(a: Floats, b: Floats, share: float) -> str:
    """Why these are no two readings of one charge, "" where they may be."""
    moves = float(a.std()) > 0.05 * float(a.mean()) and float(b.std()) > 0.05 * float(b.mean())
    if moves and float(np.corrcoef(a, b)[0, 1]) < _AGAINST:
        return "one rises while the other falls"
    # What a vehicle uses itself is a large share of little power.
    if not _RATIOS[0] - 1.0 < share < _RATIOS[1] - 1.0 and abs(midmean(b - a)) > _MOST_OWN_USE_KW:
        return f"one is {abs(100 * share):.0f} % {'more' if share > 0 else 'less'} than the other"
    return ""


def _meanings(first: Place, second: Place, mean: float, share: float) -> tuple[str, ...]:
    if abs(share) < _SAME_SHARE:
        return ()
    vehicle_side = -mean if first == "vehicle" else mean
    if "vehicle" not in (first, second) or first == second:
        return (
            "tolerance of one of the meters",
            "another moment or refresh of the display",
            "another definition of power",
        )
    if vehicle_side < 0:
        own = _OWN_USE_KW[0] <= abs(mean) <= _OWN_USE_KW[1]
        return (
            f"the vehicle's own use{' (1 to 2 kW are usual)' if own else ''}: cooling, cabin, converter",
            "loss in cable and adapter",
            "tolerance of one of the meters",
        )
    return (
        "tolerance of one of the meters",
        "another refresh of the display",
        "another definition of power in the vehicle",
    )
