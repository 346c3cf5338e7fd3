"""The power record drawn: lanes of kW, V, A, SoC and temperatures, the ledger as a ribbon under them, one time axis."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass

from gladwire.core.lanes.power.ledger import Entry
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.power.limiters import BY_KEY
from gladwire.core.quantities import PLACE_WORDS

WIDTH, LEFT, RIGHT = 820.0, 92.0, 74.0
_GAP = 14.0
_RIBBON = 40.0
# A label under a piece of ribbon needs so many of the drawing's units a letter.
_LETTER = 6.6

Points = Sequence[float | None]


@dataclass(frozen=True)
class Line:
    """A path in the lane, and its label at the end. dash: "" for what flowed."""

    path: str
    colour: str
    label: str
    label_y: float
    dash: str = ""
    fill: str = ""


@dataclass(frozen=True)
class Tick:
    at: float
    text: str


@dataclass(frozen=True)
class Lane:
    """A band of the drawing. top, height: where it lies; ticks: of its scale, from the top."""

    title: str
    unit: str
    top: float
    height: float
    ticks: list[Tick]
    lines: list[Line]


@dataclass(frozen=True)
class Piece:
    """A piece of the ribbon. number: of its entry; text: as much of its name as fits."""

    number: int
    limiter: str
    title: str
    x: float
    width: float
    text: str
    says: str


@dataclass(frozen=True)
class Row:
    """A limiter's totals as a table row."""

    entry: Entry
    title: str
    also: str
    why: str


@dataclass(frozen=True)
class PowerDrawing:
    """values: JSON for the cursor. places: where each quantity was read, in words."""

    report: PowerReport
    height: float
    lanes: list[Lane]
    ribbon_top: float
    pieces: list[Piece]
    times: list[Tick]
    time_unit: str
    rows: list[Row]
    values: str
    places: str

    width: float = WIDTH
    left: float = LEFT
    right: float = WIDTH - RIGHT


class LaneScale:
    """Values to the drawing, with round ticks."""

    def __init__(self, low: float, high: float, top: float, height: float) -> None:
        self.step = nice_step((high - low) / 3.0)
        self.low = math.floor(low / self.step + 1e-9) * self.step
        self.high = max(math.ceil(high / self.step - 1e-9) * self.step, self.low + self.step)
        self.top, self.height = top, height

    def y(self, value: float) -> float:
        return self.top + self.height * (1.0 - (value - self.low) / (self.high - self.low))

    def ticks(self) -> list[Tick]:
        count = round((self.high - self.low) / self.step)
        values = [self.low + i * self.step for i in range(count + 1)]
        return [Tick(round(self.y(v), 1), f"{v:g}") for v in values]


def nice_step(raw: float) -> float:
    """1, 2 or 5 times a power of ten, the first that is not below."""
    if raw <= 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(raw))
    return next(m * power for m in (1.0, 2.0, 5.0, 10.0) if m * power >= raw * 0.999)


def path_of(xs: Sequence[float], ys: Points) -> str:
    """An SVG path, broken where nothing was read."""
    parts, open_ = [], False
    for x, y in zip(xs, ys, strict=True):
        if y is None:
            open_ = False
            continue
        parts.append(f"{'L' if open_ else 'M'}{x:.1f} {y:.1f}")
        open_ = True
    return "".join(parts)


def power_drawing(report: PowerReport) -> PowerDrawing | None:
    """None where there is nothing to draw."""
    curve = report.curve
    if len(curve.since_start_s) < 2:
        return None
    span = max(report.end_s - report.start_s, curve.since_start_s[-1], 1.0)
    xs = [LEFT + (WIDTH - RIGHT - LEFT) * t / span for t in curve.since_start_s]
    lanes: list[Lane] = []
    top = 10.0
    for title, unit, height, series in _lanes_of(report):
        lanes.append(_lane(title, unit, top, height, xs, series))
        top += height + _GAP
    ribbon_top = top + 2
    minutes = span > 180.0
    step = nice_step(span / (60.0 if minutes else 1.0) / 7.0)
    count = int(span / (60.0 if minutes else 1.0) / step)
    times = [
        Tick(LEFT + (WIDTH - RIGHT - LEFT) * i * step * (60.0 if minutes else 1.0) / span, f"{i * step:g}")
        for i in range(count + 1)
    ]
    return PowerDrawing(
        report=report,
        height=ribbon_top + _RIBBON + 34,
        lanes=lanes,
        ribbon_top=ribbon_top,
        pieces=[p for i, e in enumerate(report.entries) if (p := _piece(i, e, report, span))],
        times=times,
        time_unit="min" if minutes else "s",
        rows=[_row(e) for e in report.totals],
        values=_values(report, xs),
        places=_places(report),
    )


_Series = tuple[Points, str, str, str, str]


def _lanes_of(report: PowerReport) -> list[tuple[str, str, float, list[_Series]]]:
    """(title, unit, height, series as (points, colour, label, dash, fill)) of what was read."""
    curve, others = report.curve, report.curve.others
    kw: list[_Series] = [(curve.power_kw, "power", "flows", "", "power-tint")]
    if any(v for v in curve.expected_kw):
        kw.append((curve.expected_kw, "ink-soft", "expected", "5 4", ""))
    for key, label in (("asked_kw", "asked"), ("post_max_kw", "post allows"), ("vehicle_max_kw", "vehicle can")):
        if key in others:
            kw.append((others[key], "copper", label, "2 3", ""))
    found: list[tuple[str, str, float, list[_Series]]] = [("Power", "kW", 150.0, kw)]
    volts = [
        ("volts_v", "volts", "flows", ""),
        ("asked_v", "copper", "asked", "2 3"),
        ("post_max_v", "ink-soft", "allows", "5 4"),
    ]
    amps = [
        ("amps_a", "amps", "flows", ""), ("asked_a", "copper", "asked", "2 3"), ("post_max_a", "ink-soft", "allows", "5 4"),
        ("vehicle_max_a", "ink-soft", "can take", "1 4"),
    ]  # fmt: skip
    warm = [
        ("connector_c", "failed", "connector", ""),
        ("pack_c", "plum", "pack", ""),
        ("ambient_c", "ink-soft", "outside", "5 4"),
    ]
    for title, unit, height, keys in (
        ("Volts", "V", 62.0, volts), ("Amperes", "A", 62.0, amps),
        ("Charge", "%", 62.0, [("soc_percent", "plum", "SoC", "")]), ("Warmth", "°C", 62.0, warm),
    ):  # fmt: skip
        series: list[_Series] = [(others[k], colour, label, dash, "") for k, colour, label, dash in keys if k in others]
        if series:
            found.append((title, unit, height, series))
    return found


def _lane(title: str, unit: str, top: float, height: float, xs: Sequence[float], series: list[_Series]) -> Lane:
    values = [v for points, *_ in series for v in points if v is not None]
    low, high = min(values, default=0.0), max(values, default=1.0)
    if unit in ("kW", "A") or low < 0.3 * high:
        # Nought and a little noise below it is nought.
        low = min(low, 0.0) if low < -0.02 * high else 0.0
    scale = LaneScale(low, high if high > low else low + 1.0, top, height)
    lines = []
    for points, colour, label, dash, fill in series:
        ys = [None if v is None else scale.y(v) for v in points]
        line = path_of(xs, ys)
        last = next((y for y in reversed(ys) if y is not None), top)
        area = (
            f"{line}L{xs[-1]:.1f} {scale.y(max(scale.low, 0.0)):.1f}L{xs[0]:.1f} {scale.y(max(scale.low, 0.0)):.1f}Z"
            if fill
            else ""
        )
        lines.append(Line(line, colour, label, last, dash, area))
    return Lane(title, unit, top, height, scale.ticks(), labels_apart(lines, top, height))


def labels_apart(lines: list[Line], top: float, height: float) -> list[Line]:
    """Labels at the lines' ends, pushed apart until none covers another."""
    order = sorted(range(len(lines)), key=lambda i: lines[i].label_y)
    at = top + 4
    placed = dict[int, float]()
    for i in order:
        placed[i] = max(lines[i].label_y + 4, at)
        at = placed[i] + 14
    over = max((y for y in placed.values()), default=0.0) - (top + height + 4)
    shift = max(0.0, over)
    return [
        Line(line.path, line.colour, line.label, placed[i] - shift, line.dash, line.fill)
        for i, line in enumerate(lines)
    ]


def _piece(number: int, entry: Entry, report: PowerReport, span: float) -> Piece | None:
    room = WIDTH - RIGHT - LEFT
    x = LEFT + room * (entry.start_s - report.start_s) / span
    width = room * (entry.end_s - entry.start_s) / span
    if width <= 0:
        return None
    about = BY_KEY[entry.limiter]
    text = about.title if len(about.title) * _LETTER < width - 6 else ""
    says = f"{about.title}, {entry.minutes:.1f} min at {entry.level_kw:.0f} kW, {entry.shortfall_kwh:.2f} kWh short"
    return Piece(number, entry.limiter, about.title, round(x, 1), round(max(width, 1.0), 1), text, says)


def _row(entry: Entry) -> Row:
    about = BY_KEY[entry.limiter]
    also = ", ".join(BY_KEY[key].title.lower() for key in entry.also)
    return Row(entry, about.title, also, about.why)


def _values(report: PowerReport, xs: Sequence[float]) -> str:
    """For the cursor: the points of every quantity, and where each entry begins and ends."""
    curve = report.curve
    content = {
        "start": report.start_s,
        "t": curve.since_start_s,
        "x": [round(x, 1) for x in xs],
        "kw": curve.power_kw,
        "expected": curve.expected_kw,
        "others": dict(curve.others),
        "entries": [
            [e.start_s - report.start_s, e.end_s - report.start_s, BY_KEY[e.limiter].title] for e in report.entries
        ],
    }
    return json.dumps(content).replace("<", "\\u003c")


def _places(report: PowerReport) -> str:
    words = dict.fromkeys(PLACE_WORDS[place] for place in report.places.values())
    return "; ".join(words)
