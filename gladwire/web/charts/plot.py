"""A plain plot: lines over one axis, labelled at their ends, for curves of power over charge or time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from gladwire.web.charts.power import LaneScale, Line, Tick, labels_apart, nice_step, path_of

LEFT, RIGHT, TOP, FOOT = 56.0, 160.0, 12.0, 40.0
# Lines differ by stroke as well as by colour.
STYLES = (("power", ""), ("volts", "8 3"), ("amps", "2 3"), ("copper", "9 3 2 3"), ("plum", "5 5"), ("ink-soft", "1 4"))


class Series(NamedTuple):
    """xs, ys: as long as each other; ys None where nothing was read. style: number in STYLES."""

    name: str
    xs: Sequence[float]
    ys: Sequence[float | None]
    style: int = 0


@dataclass(frozen=True)
class Plot:
    """width, height: of the drawing. marks: (x, words) of moments worth a rule."""

    title: str
    x_words: str
    y_words: str
    width: float
    height: float
    lines: list[Line]
    x_ticks: list[Tick]
    y_ticks: list[Tick]
    left: float
    right: float
    bottom: float
    marks: list[tuple[float, str]]


def plot(
    title: str,
    x_words: str,
    y_words: str,
    series: Sequence[Series],
    width: float = 820.0,
    height: float = 280.0,
    marks: Sequence[tuple[float, str]] = (),
) -> Plot | None:
    """None where nothing can be drawn."""
    points = [(x, y) for s in series for x, y in zip(s.xs, s.ys, strict=True) if y is not None]
    if len(points) < 2:
        return None
    low_x, high_x = min(p[0] for p in points), max(p[0] for p in points)
    low_y, high_y = min(0.0, *(p[1] for p in points)), max(p[1] for p in points)
    bottom, right = height - FOOT, width - RIGHT
    scale = LaneScale(
        low_y if low_y < -0.02 * high_y else 0.0, high_y if high_y > low_y else low_y + 1.0, TOP, bottom - TOP
    )
    span = high_x - low_x or 1.0

    def at(x: float) -> float:
        return LEFT + (right - LEFT) * (x - low_x) / span

    lines = []
    for s in series:
        colour, dash = STYLES[s.style % len(STYLES)]
        ys = [None if y is None else scale.y(y) for y in s.ys]
        last = next((y for y in reversed(ys) if y is not None), TOP)
        lines.append(Line(path_of([at(x) for x in s.xs], ys), colour, s.name, last, dash))
    step = nice_step(span / 8.0)
    first = -(-low_x // step) * step
    count = int((high_x - first) / step + 1e-9)
    x_ticks = [Tick(round(at(first + i * step), 1), f"{first + i * step:g}") for i in range(count + 1)]
    return Plot(
        title,
        x_words,
        y_words,
        width,
        height,
        labels_apart(lines, TOP, bottom - TOP),
        x_ticks,
        scale.ticks(),
        LEFT,
        right,
        bottom,
        [(round(at(x), 1), words) for x, words in marks if low_x <= x <= high_x],
    )
