"""Windows of a session: what happened between two states of charge, two moments or two amounts of energy."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.power.record import PowerRecord, completed, energy_so_far, gaps
from gladwire.core.moments import Moment
from gladwire.core.signal.waveform import Floats

# A step of the display is seen where it was read this shortly before.
_SEEN_S = 15.0
# What a display rounds or filters, in steps, at the least.
_DISPLAY_DOUBT = 0.1


class Window(BaseModel):
    """A stretch of a session. Energies in kWh, power in kW, times in minutes or seconds of the record.

    without_ramp_minutes: less the time until power first reached its level; None where the window begins later.
    capacity_kwh: what the energy of the window means for a whole pack, give or take capacity_doubt_kwh. splices: places
    inside it at which runs were joined; left_out_minutes: of the pauses there, which no figure counts; gaps: pauses nothing
    was read in.
    """

    model_config = ConfigDict(frozen=True)

    from_soc: float | None = None
    to_soc: float | None = None
    start_s: Moment
    end_s: Moment
    minutes: float
    energy_kwh: float
    average_kw: float
    peak_kw: float
    without_ramp_minutes: float | None = None
    without_ramp_kw: float | None = None
    per_point_kwh: float | None = None
    capacity_kwh: float | None = None
    capacity_doubt_kwh: float | None = None
    c_rate: float | None = None
    splices: int = 0
    left_out_minutes: float = 0.0
    gaps: int = 0


class SocCourse(NamedTuple):
    """When each state of charge was first reached. times and soc, shape (k,), both rising; step: of the display.

    late_s: how long before each of them the display was last read, which is how well the moment is known; shape (k,).
    unseen: percent charged between two recordings, as (from, to): nobody knows when.
    """

    times: Floats
    soc: Floats
    late_s: Floats
    step: float
    unseen: tuple[tuple[float, float], ...] = ()

    def when(self, soc: float) -> float | None:
        """The moment a state of charge was reached, None where the record does not cover it."""
        if not len(self.soc) or not self.soc[0] - 1e-9 <= soc <= self.soc[-1] + 1e-9:
            return None
        if any(low < soc < high for low, high in self.unseen):
            return None
        return float(np.interp(soc, self.soc, self.times))


def soc_course(record: PowerRecord) -> SocCourse:
    """The steps of the display; between them SoC rises straight."""
    times, soc = record.at_readings("soc_percent")
    if not len(times):
        return SocCourse(times, soc, times, 1.0)
    highest = np.maximum.accumulate(soc)
    rises = np.flatnonzero(np.diff(highest, prepend=-np.inf) > 0)
    late = times[rises] - times[np.maximum(rises - 1, 0)]
    late[0] = np.inf
    # Values with digits behind the point step finely; whole numbers by one, however seldom they were read.
    step = 1.0 if np.allclose(soc, np.round(soc), atol=1e-6) else float(np.diff(np.unique(np.round(soc, 3))).min())
    unseen = tuple((highest[i - 1], highest[i]) for i in _after(times, record.joints))
    return SocCourse(times[rises], highest[rises], late, step, unseen)


def _after(times: Floats, joints: Sequence[float]) -> list[int]:
    """The number of the first reading after each joint."""
    return (
        [int(np.clip(np.searchsorted(times, joint), 1, len(times) - 1)) for joint in joints] if len(times) > 1 else []
    )


class _Energy(NamedTuple):
    """times, power (kW), total (kWh so far): shape (k,); holes: moments at which gaps begin."""

    times: Floats
    power: Floats
    total: Floats
    holes: Floats


def _energy_of(record: PowerRecord) -> _Energy:
    """Raises ValueError where power was not read often enough."""
    if "power_kw" not in record.values:
        record = completed(record)
    times, total = energy_so_far(record)
    if len(times) < 2:
        raise ValueError("power was not read often enough for a window")
    return _Energy(times, record.at_readings("power_kw")[1], total, times[gaps(times)])


def window_of_time(record: PowerRecord, start_s: float, end_s: float, ramp_end_s: float | None = None) -> Window:
    """The window between two moments. Raises ValueError where end does not come after start, or power was hardly read."""
    if end_s <= start_s:
        raise ValueError("a window must end after it begins")
    return _window(record, _energy_of(record), start_s, end_s, ramp_end_s)


def _window(record: PowerRecord, e: _Energy, start_s: float, end_s: float, ramp_end_s: float | None) -> Window:
    energy = _between(e.times, e.power, e.total, start_s, end_s)
    inside = slice(int(np.searchsorted(e.times, start_s)), int(np.searchsorted(e.times, end_s, side="right")))
    left_out = [(a, b) for a, b in _pauses(record, e.times) if a < end_s and b > start_s]
    paused_s = sum(min(b, end_s) - max(a, start_s) for a, b in left_out)
    minutes = max(end_s - start_s - paused_s, 1e-3) / 60.0
    edges = np.interp([start_s, end_s], e.times, e.power)
    rest, rest_kw = None, None
    if ramp_end_s is not None and start_s < ramp_end_s < end_s:
        rest = max(end_s - ramp_end_s - paused_s, 1e-3) / 60.0
        rest_kw = _between(e.times, e.power, e.total, ramp_end_s, end_s) * 60.0 / rest
    return Window(
        start_s=start_s,
        end_s=end_s,
        minutes=minutes,
        energy_kwh=energy,
        average_kw=energy * 60.0 / minutes,
        peak_kw=float(max(e.power[inside].max(initial=0.0), edges.max())),
        without_ramp_minutes=rest,
        without_ramp_kw=rest_kw,
        splices=len(left_out),
        left_out_minutes=paused_s / 60.0,
        gaps=sum(1 for hole in e.holes if start_s < hole < end_s and not any(a <= hole <= b for a, b in left_out)),
    )


def _pauses(record: PowerRecord, times: Floats) -> list[tuple[float, float]]:
    """Between runs that were joined: from the last reading of one to the first of the next."""
    return [(float(times[i - 1]), float(times[i])) for i in _after(times, record.joints)]


def _unseen_points(record: PowerRecord, start_s: float, end_s: float) -> float:
    """Percent charged in pauses between joined runs, less what two of them both cover: no energy was counted for them."""
    at, soc = record.at_readings("soc_percent")
    pairs = zip(record.joints, _after(at, record.joints), strict=False)
    return sum(float(soc[after] - soc[after - 1]) for joint, after in pairs if start_s < joint < end_s)


def _between(times: Floats, power: Floats, total: Floats, start_s: float, end_s: float) -> float:
    """kWh between two moments, power going straight from reading to reading; windows that meet add up."""

    def until(at: float) -> float:
        i = int(np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 2))
        step = times[i + 1] - times[i]
        share = float(np.clip((at - times[i]) / step, 0.0, 1.0))
        whole = total[i + 1] - total[i]
        plain = 0.5 * (power[i] + power[i + 1]) * step / 3600.0
        if abs(plain - whole) > 1e-9 * max(abs(plain), 1.0):  # a gap: what a counter says is spread evenly
            return float(total[i] + share * whole)
        now = power[i] + share * (power[i + 1] - power[i])
        return float(total[i] + 0.5 * (power[i] + now) * share * step / 3600.0)

    return until(end_s) - until(start_s)


def window_of_soc(
    record: PowerRecord, from_soc: float, to_soc: float, ramp_end_s: float | None = None
) -> Window | None:
    """The window between two states of charge; None where the record does not cover it.

    The usable capacity it implies is its energy over its share of the pack, losses on the way included.
    """
    return _soc_window(record, _energy_of(record), soc_course(record), from_soc, to_soc, ramp_end_s)


def _soc_window(
    record: PowerRecord, e: _Energy, course: SocCourse, from_soc: float, to_soc: float, ramp_end_s: float | None
) -> Window | None:
    start, end = course.when(from_soc), course.when(to_soc)
    if start is None or end is None or end <= start:
        return None
    window = _window(record, e, start, end, ramp_end_s)
    points = to_soc - from_soc - _unseen_points(record, start, end)
    if points <= 0:
        return None
    per_point = window.energy_kwh / points
    capacity = 100.0 * per_point
    # An end whose step was not seen lies anywhere within a step of the display: a rectangle of that width.
    unseen = sum(1 for soc in (from_soc, to_soc) if not _stepped(course, soc)) + 2 * window.splices
    doubt = course.step * float(np.sqrt(unseen / 12.0)) + _DISPLAY_DOUBT * course.step
    return window.model_copy(
        update={
            "from_soc": from_soc,
            "to_soc": to_soc,
            "per_point_kwh": per_point,
            "capacity_kwh": capacity,
            "capacity_doubt_kwh": capacity * doubt / points,
            "c_rate": window.average_kw / capacity if capacity > 0 else None,
        }
    )


def window_of_energy(
    record: PowerRecord, from_kwh: float, to_kwh: float, ramp_end_s: float | None = None
) -> Window | None:
    """The window between two amounts of energy since the record began; None where the record does not reach them."""
    times, total = energy_so_far(record)
    if len(times) < 2 or not 0.0 <= from_kwh < to_kwh <= total[-1] + 1e-9:
        return None
    start, end = (float(times[np.searchsorted(total, kwh - 1e-9)]) for kwh in (from_kwh, to_kwh))
    return window_of_time(record, start, end, ramp_end_s) if end > start else None


def _stepped(course: SocCourse, soc: float) -> bool:
    """Whether the display was seen to step to this state of charge, to a few seconds."""
    i = int(np.argmin(np.abs(course.soc - soc)))
    return bool(abs(course.soc[i] - soc) < 1e-6 and course.late_s[i] < _SEEN_S)


def ten_percent_pairs(record: PowerRecord, ramp_end_s: float | None = None) -> tuple[Window, ...]:
    """Every window between two whole tens of SoC the record covers."""
    course = soc_course(record)
    if not len(course.soc):
        return ()
    tens = [ten for ten in range(0, 101, 10) if course.when(float(ten)) is not None]
    energy = _energy_of(record)
    found = (_soc_window(record, energy, course, float(a), float(b), ramp_end_s) for a in tens for b in tens if a < b)
    return tuple(window for window in found if window)
