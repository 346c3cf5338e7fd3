"""Two readings of one session's power, at the post and in the vehicle say: their clocks, their offset, their ratio."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.power.record import PowerRecord, completed
from gladwire.core.moments import Duration
from gladwire.core.quantities import PLACE_WORDS, Place
from gladwire.core.signal.waveform import Floats

_MOST_SHIFT_S = 900.0
# Kilowatts and shares under this are what meters and displays differ by anyway.
_SAME_SHARE = 0.004
# Power a vehicle usually takes for itself while charging (common practice).
_OWN_USE_KW = (0.3, 3.0)


class Compared(BaseModel):
    """The second reading against the first. clock_s: to add to the second's times, doubt_s: how well.

    ratio, offset_kw: second = ratio × first + offset. mean_kw: second less first while power flows. residual_kw: what is
    left. meanings: what the sign can mean; none of them is asserted.
    """

    model_config = ConfigDict(frozen=True)

    first: Place
    second: Place
    clock_s: Duration
    doubt_s: Duration
    ratio: float
    offset_kw: float
    mean_kw: float
    mean_share: float
    residual_kw: float
    minutes: float
    text: str
    meanings: tuple[str, ...]


def compare_sources(first: PowerRecord, second: PowerRecord) -> Compared | None:
    """None where they share less than two minutes of power, or neither moves enough to be laid over the other."""
    one, two = (completed(r).at_readings("power_kw") for r in (first, second))
    if min(len(one[0]), len(two[0])) < 4:
        return None
    step = _grid_step(one[0], two[0])
    shift, doubt = _best_shift(one, two, step)
    start = max(one[0][0], two[0][0] + shift)
    end = min(one[0][-1], two[0][-1] + shift)
    if end - start < 120.0:
        return None
    at = np.arange(start, end, step)
    a, b = np.interp(at, *one), np.interp(at, two[0] + shift, two[1])
    flows = (a > 0.1 * a.max()) & (b > 0.1 * b.max())
    if flows.sum() < 4:
        return None
    a, b = a[flows], b[flows]
    ratio, offset = _line(a, b)
    mean = float((b - a).mean())
    share = mean / float(a.mean())
    left = float(np.sqrt(np.mean((b - ratio * a - offset) ** 2)))
    names = [PLACE_WORDS[r.source] for r in (first, second)]
    higher = "higher" if mean > 0 else "lower"
    text = f"Power {names[1]} is {abs(mean):.2f} kW ({100 * abs(share):.1f} %) {higher} than {names[0]}."
    if abs(share) < _SAME_SHARE:
        text = f"Power {names[1]} and {names[0]} agree to {100 * abs(share):.1f} %."
    return Compared(
        first=first.source,
        second=second.source,
        clock_s=shift,
        doubt_s=doubt,
        ratio=ratio,
        offset_kw=offset,
        mean_kw=mean,
        mean_share=share,
        residual_kw=left,
        minutes=(end - start) / 60.0,
        text=text,
        meanings=_meanings(first.source, second.source, mean, share),
    )


def _grid_step(*times: Floats) -> float:
    return float(np.clip(max(np.median(np.diff(t)) for t in times) / 2.0, 1.0, 15.0))


def _best_shift(one: tuple[Floats, Floats], two: tuple[Floats, Floats], step: float) -> tuple[float, float]:
    """(seconds to add to the second's times, doubt): where the two courses differ least once their sizes are matched."""
    shifts = np.arange(-_MOST_SHIFT_S, _MOST_SHIFT_S + step, step)
    left = np.array([_differs(one, two, s, step) for s in shifts])
    best = int(np.nanargmin(left)) if np.isfinite(left).any() else int(np.argmin(np.abs(shifts)))
    fine = shifts[best] + np.linspace(-step, step, 21)
    close = np.array([_differs(one, two, s, step) for s in fine])
    found = float(fine[int(np.nanargmin(close))]) if np.isfinite(close).any() else 0.0
    # Shifts that fit nearly as well cannot be told from the best.
    near = shifts[left <= np.nanmin(left) * 1.5 + 1e-9] if np.isfinite(left).any() else shifts
    return found, float(max(step / 2.0, (near.max() - near.min()) / 2.0)) if len(near) else step


def _differs(one: tuple[Floats, Floats], two: tuple[Floats, Floats], shift: float, step: float) -> float:
    start, end = max(one[0][0], two[0][0] + shift), min(one[0][-1], two[0][-1] + shift)
    whole = min(one[0][-1] - one[0][0], two[0][-1] - two[0][0])
    if end - start < max(120.0, 0.5 * whole):
        return float("nan")
    at = np.arange(start, end, step)
    a, b = np.interp(at, *one), np.interp(at, two[0] + shift, two[1])
    ratio, offset = _line(a, b)
    return float(np.sqrt(np.mean((b - ratio * a - offset) ** 2)))


def _line(a: Floats, b: Floats) -> tuple[float, float]:
    """Least squares b = ratio × a + offset; a plain ratio where a hardly moves."""
    spread = a - a.mean()
    power = float((spread**2).sum())
    if power < 1e-6 * float((a**2).sum()):
        return float(b.mean() / max(a.mean(), 1e-9)), 0.0
    ratio = float((spread * (b - b.mean())).sum() / power)
    return ratio, float(b.mean() - ratio * a.mean())


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
