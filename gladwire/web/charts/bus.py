"""What closes when: the states of a controller as bars on one time axis, with the volts of both sides under them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from gladwire.core.lanes.bus.record import CanRecord, Course
from gladwire.core.lanes.bus.roles import BY_KEY

_WIDTH, _LEFT, _RIGHT = 720, 150, 16
_ROW, _TOP, _VOLTS = 24, 8, 86
_STATES = ("plug", "wake", "lock", "lamp", "enabled", "precharge", "contactor", "contactor_open", "hv_present",
           "post_charging", "stop")  # fmt: skip
_LETTER = 6.9
_TICKS = (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600)


@dataclass(frozen=True)
class Bar:
    """x, width in drawing units; word: what the state says, where there is room; on: drawn filled."""

    x: float
    width: float
    word: str
    on: bool
    start_s: float
    end_s: float


@dataclass(frozen=True)
class Row:
    y: float
    title: str
    bars: list[Bar]


@dataclass(frozen=True)
class Line:
    path: str
    dash: str
    label: str
    end_y: float


@dataclass(frozen=True)
class Sequence:
    """The drawing. volts: lines of both sides, empty where none was sent."""

    width: int
    height: float
    left: int
    rows: list[Row]
    volts: list[Line]
    volts_y: float
    most_v: float
    ticks: list[tuple[float, str]]


def sequence_of(record: CanRecord) -> Sequence | None:
    """None where no state has a role."""
    courses = [c for key in _STATES if (c := record.of(key))]
    if not courses:
        return None
    span = max(record.end_s - record.start_s, 1e-6)

    def x(time_s: float) -> float:
        return round(_LEFT + (time_s - record.start_s) / span * (_WIDTH - _LEFT - _RIGHT), 1)

    rows = [Row(_TOP + n * _ROW, BY_KEY[c.role].title, _bars(c, x)) for n, c in enumerate(courses)]
    volts_y = _TOP + len(rows) * _ROW + 10
    sides = [c for key in ("pack_v", "inlet_v") if (c := record.of(key))]
    most = max([50.0, *(max(c.values) for c in sides)])
    volts = [_line(c, x, volts_y, most, dash) for c, dash in zip(sides, ("", "7 3"), strict=False)]
    height = volts_y + (_VOLTS if volts else 0) + 26
    step = next((t for t in _TICKS if span / t <= 9), _TICKS[-1])
    ticks = [(x(record.start_s + n * step), f"{n * step:g} s") for n in range(int(span / step) + 1)]
    return Sequence(_WIDTH, height, _LEFT, rows, volts, volts_y, most, ticks)


def _bars(course: Course, place: Callable[[float], float]) -> list[Bar]:
    edges = [*course.moves, course.end_s]
    found: list[Bar] = []
    for value, start, end in zip(course.values, edges, edges[1:], strict=False):
        if end <= start:
            continue
        left, right = place(start), place(end)
        word = _fitting(course.word(value), right - left)
        if found and found[-1].on == course.on(value) and not course.choices:
            found[-1] = Bar(
                found[-1].x, round(right - found[-1].x, 1), found[-1].word, found[-1].on, found[-1].start_s, end
            )
        else:
            found.append(Bar(left, round(right - left, 1), word, course.on(value), start, end))
    return found[:200]


def _fitting(word: str, room: float) -> str:
    """As much of a word as there is room for: whole, up to its comma, or nothing."""
    return next((w for w in (word, word.partition(",")[0]) if _LETTER * len(w) + 8 < room), "")


def _line(course: Course, x: Callable[[float], float], top: float, most: float, dash: str) -> Line:
    def y(value: float) -> float:
        return round(top + _VOLTS * (1.0 - max(value, 0.0) / (1.08 * most)), 1)

    points = []
    before = None
    for t, v in zip(course.moves, course.values, strict=True):
        if before is not None:
            points.append(f"{x(t)} {y(before)}")
        points.append(f"{x(t)} {y(v)}")
        before = v
    points.append(f"{x(course.end_s)} {y(course.values[-1])}")
    label = f"{BY_KEY[course.role].title}, to {max(course.values):.0f} V"
    return Line("M" + "L".join(points), dash, label, y(course.values[-1]))
