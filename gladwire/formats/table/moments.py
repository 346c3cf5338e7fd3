"""Times as tables tell them: elapsed in any unit, clocks, dates in any order, zones, seconds since 1970, days of a
spreadsheet, date and clock in two columns; and which column it is, whatever it is called."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta
from typing import NamedTuple

import numpy as np

from gladwire.core.signal.waveform import Floats
from gladwire.formats.dates import Dates
from gladwire.formats.errors import UnreadableError
from gladwire.formats.table.values import Cell, Numbers, filled

DAY_S = 86_400.0
_CLOCK = re.compile(
    r"(?:(\d{4}[-./]\d\d?[-./]\d\d?|\d\d?[-./]\d\d?[-./]\d{2,4})(?:T|,?\s+))?(\d{1,3}):(\d\d)(?::(\d\d(?:[.,]\d+)?))?"
    r"\s*([ap]\.?m\.?)?\s*(Z|UTC|GMT|[+-]\d\d:?(?:\d\d)?)?",
    re.IGNORECASE,
)
# Minutes and seconds, which a fraction tells from hours and minutes.
_STOPWATCH = re.compile(r"(\d{1,4}):(\d\d[.,]\d+)")
_POINT_CLOCK = re.compile(r"([01]?\d|2[0-3])\.([0-5]\d)")
_DATE = re.compile(r"\d{4}[-./]\d\d?[-./]\d\d?|\d\d?[-./]\d\d?[-./](?:\d{4}|\d\d)")
# Days since 1899-12-30, as spreadsheets count them, of 1990 to 2100.
_SERIALS = (32_874.0, 73_051.0)
_SERIAL_ZERO = date(1899, 12, 30)
_EPOCHS = ((1e8, 1e10, 1.0), (1e11, 1e13, 1e-3), (1e14, 1e16, 1e-6))
# A clock set back by summer time, in seconds.
_SET_BACK_S = 3600.0


class Moment(NamedTuple):
    """seconds: as told, of a dated clock without its date, of one with a zone in UTC; kind: "number", "two" (parts by a
    colon), "clock" or "date". zone: seconds east of UTC."""

    seconds: float
    kind: str
    parts: tuple[int, int] = (0, 0)
    date: str = ""
    zone: float | None = None


class Times(NamedTuple):
    """times_s: shape (n,), from nought where the table tells a clock, else as told. recorded_at: the first as told, or "".
    open: numbers whose unit nothing told; they are as written."""

    times_s: Floats
    recorded_at: str
    remarks: tuple[str, ...]
    open: bool = False


def moment_of(cell: Cell, numbers: Numbers) -> Moment | None:
    """What a cell tells of time; None where it tells none."""
    if isinstance(cell, datetime):
        # As the clock showed it: the zone and summer time of the machine that reads have no part in it.
        return Moment(cell.replace(tzinfo=UTC).timestamp(), "date")
    if isinstance(cell, time):
        return Moment(cell.hour * 3600 + cell.minute * 60 + cell.second + cell.microsecond * 1e-6, "clock")
    if isinstance(cell, timedelta):
        return Moment(cell.total_seconds(), "clock")
    plain = numbers.value(cell)
    if plain is not None:
        return Moment(plain, "number") if math.isfinite(plain) else None
    watch = _STOPWATCH.fullmatch(str(cell).strip())
    if watch:
        return Moment(int(watch[1]) * 60.0 + float(watch[2].replace(",", ".")), "clock")
    match = _CLOCK.fullmatch(str(cell).strip())
    if not match:
        return None
    day, first, second, third, half, zone = match.groups()
    if third is None and half is None and day is None:
        return Moment(0.0, "two", (int(first), int(second)))
    hours = int(first) % 12 + (12 if half.lower().startswith("p") else 0) if half else int(first)
    clock = hours * 3600.0 + int(second) * 60.0 + float((third or "0").replace(",", "."))
    return Moment(clock, "date" if day else "clock", date=day or "", zone=_east_s(zone))


def _east_s(zone: str | None) -> float | None:
    if not zone:
        return None
    if zone[0] not in "+-":
        return 0.0
    digits = zone[1:].replace(":", "").ljust(4, "0")
    return (int(digits[:2]) * 3600.0 + int(digits[2:]) * 60.0) * (-1.0 if zone[0] == "-" else 1.0)


def is_clock(cell: Cell) -> bool:
    """Whether a cell tells a clock time, with a date or without, or a length of time by colons."""
    return isinstance(cell, datetime | time | timedelta) or (
        isinstance(cell, str)
        and (_CLOCK.fullmatch(cell.strip()) is not None or _STOPWATCH.fullmatch(cell.strip()) is not None)
    )


def has_date(cell: Cell) -> bool:
    """Whether a clock has its date beside it in the cell."""
    match = _CLOCK.fullmatch(cell.strip()) if isinstance(cell, str) else None
    return isinstance(cell, datetime) or (match is not None and match[1] is not None)


def is_date(cell: Cell) -> bool:
    """Whether a cell tells a date and no clock."""
    return isinstance(cell, str) and _DATE.fullmatch(cell.strip()) is not None


def with_dates(clocks: Sequence[Cell], days: Sequence[Cell]) -> list[Cell]:
    """The cells of a column of clocks with the dates beside them."""
    return [
        datetime.combine(d.date() if isinstance(d, datetime) else d, c)
        if isinstance(d, date) and isinstance(c, time)
        else f"{str(d).strip()} {str(c).strip()}"
        if filled(d) and filled(c)
        else c
        for d, c in zip(days, clocks, strict=True)
    ]


def times_of(cells: Sequence[Cell], lines: Sequence[int], numbers: Numbers, factor: float | None) -> Times:
    """cells: of the column of time, lines: of the file, one each. factor: to seconds, of the column's unit, None where it
    has none. Raises UnreadableError naming the line."""
    moments = []
    for cell, line in zip(cells, lines, strict=True):
        moment = moment_of(cell, numbers)
        if moment is None:
            raise UnreadableError(f"a time was expected, found “{str(cell or '')[:30]}”", line=line)
        moments.append(moment)
    told = str(cells[0]).strip()
    if any(m.date for m in moments):
        moments, told = _dated(moments, told, lines[0])
    kinds = {m.kind for m in moments}
    if kinds == {"number"} and factor is None and _are_clocks_with_points(cells, numbers):
        parts = [str(cell).strip().split(".") for cell in cells]
        moments = [Moment(0.0, "two", (int(first), int(second))) for first, second in parts]
        kinds = {"two"}
    if kinds == {"number"}:
        return _counted(np.array([m.seconds for m in moments]), factor)
    if "number" in kinds:
        plain = [m.kind == "number" for m in moments]
        odd = plain.index(2 * sum(plain) < len(plain))
        raise UnreadableError(f"a time like the others was expected, found “{str(cells[odd])[:30]}”", line=lines[odd])
    remarks: list[str] = []
    if "two" in kinds:
        elapsed = any(m.parts[0] > 23 for m in moments) or moments[0].parts[0] == 0
        unit = (60.0, 1.0) if elapsed else (3600.0, 60.0)
        remarks.append(
            f"Times such as “{told}” are read as {'minutes and seconds' if elapsed else 'hours and minutes'}."
        )
        seconds = np.array(
            [m.parts[0] * unit[0] + m.parts[1] * unit[1] if m.kind == "two" else m.seconds for m in moments]
        )
        if elapsed:
            return Times(seconds, "", tuple(remarks))
        moments = [m._replace(seconds=float(at), kind="clock") for m, at in zip(moments, seconds, strict=True)]
    return _of_clocks(moments, told, remarks)


def may_be_clocks(cells: Sequence[Cell]) -> bool:
    """Whether all are written as “14.04”: hours and minutes with a point, or hours in decimals."""
    return len(cells) > 2 and all(isinstance(c, str) and _POINT_CLOCK.fullmatch(c.strip()) for c in cells)


def _are_clocks_with_points(cells: Sequence[Cell], numbers: Numbers) -> bool:
    """Whether a column of “09.03” tells hours and minutes, or minutes and seconds: where the table's numbers have commas,
    where hours begin with a nought as no decimals do, or where only so the steps are even."""
    if not may_be_clocks(cells):
        return False
    pairs = [str(cell).strip().split(".") for cell in cells]
    steps = np.diff([int(first) * 60 + int(second) for first, second in pairs])
    decimals = np.diff([float(".".join(pair)) for pair in pairs])
    noughts = all(len(first) == 2 for first, _ in pairs) and any("01" <= first <= "09" for first, _ in pairs)
    if not (steps >= 0).all() or (_are_even(decimals) and not _are_even(steps)):
        return False
    return numbers.comma or noughts or (_are_even(steps) and not _are_even(decimals))


def _are_even(steps: Floats) -> bool:
    usual = float(np.median(steps))
    return usual > 0 and bool((np.abs(steps - usual) <= 0.1 * usual).all())


def _of_clocks(moments: Sequence[Moment], told: str, remarks: list[str]) -> Times:
    """Clocks and dates as seconds from the first; a stopwatch as it stands."""
    kinds = {m.kind for m in moments}
    seconds = np.array([m.seconds for m in moments], dtype=np.float64)
    zones = {m.zone for m in moments}
    if len(zones) > 1 and None not in zones:
        seconds = seconds - np.array([m.zone for m in moments])
        remarks.append("The zone of the times changes; they are put on one clock.")
    if "date" not in kinds:
        back = np.diff(seconds, prepend=seconds[0]) < -DAY_S / 2
        seconds = seconds + DAY_S * np.cumsum(back)
        if seconds[0] < 600:  # a stopwatch
            return Times(seconds, "", tuple(remarks))
    seconds = _without_set_back(_spread(seconds, remarks), remarks)
    return Times(seconds - seconds[0], told, tuple(remarks))


def _spread(seconds: Floats, remarks: list[str]) -> Floats:
    """Clocks told to the minute only, several readings in each: evenly between the minutes."""
    steps = np.diff(seconds)
    if len(seconds) < 4 or (steps > 0).all() or (steps < 0).any() or (seconds % 60).any():
        return seconds
    starts = np.flatnonzero(np.diff(seconds, prepend=-np.inf) > 0)
    counts = np.diff(np.append(starts, len(seconds)))
    # One row twice is no second reading of its minute.
    if len(counts) < 4 or np.mean(counts[1:-1] >= 2) < 0.8:
        return seconds
    usual = float(np.median(counts[1:-1]))
    step = float(np.median(np.diff(seconds[starts]))) / usual
    remarks.append(f"Times are told to the minute, {usual:g} readings in each; they are spread over it evenly.")
    out = np.empty(len(seconds))
    for number, (start, count) in enumerate(zip(starts, counts, strict=True)):
        # The first minute may begin in its midst.
        late = usual - count if number == 0 else 0.0
        out[start : start + count] = seconds[start] + step * (late + np.arange(count))
    return out


def _without_set_back(seconds: Floats, remarks: list[str]) -> Floats:
    """A clock that is set back by an hour once, as at the end of summer time, goes on."""
    steps = np.diff(seconds)
    back = np.flatnonzero(steps < 0)
    if len(back) != 1 or len(steps) < 3:
        return seconds
    usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else 0.0
    if abs(float(steps[back[0]]) + _SET_BACK_S - usual) > max(2.0 * usual, 5.0):
        return seconds
    remarks.append("The clock was set back by an hour in the midst; the readings after it go on.")
    out = seconds.copy()
    out[back[0] + 1 :] += _SET_BACK_S
    return out


def _counted(values: Floats, factor: float | None) -> Times:
    """Numbers: since 1970, days of a spreadsheet, or elapsed in the column's unit, seconds where it has none."""
    first = float(values[0])
    for least, most, to_s in _EPOCHS:
        if factor in (None, 1.0, 1e-3, 1e-6) and least <= first < most:
            began = datetime.fromtimestamp(first * to_s, UTC)
            remark = f"Times count since 1970; here they count from the first reading, {began:%Y-%m-%d %H:%M:%S} UTC."
            return Times((values - first) * to_s, f"{began:%Y-%m-%d %H:%M:%S} UTC", (remark,))
    span = float(values[-1] - first)
    if factor is None and _SERIALS[0] <= first < _SERIALS[1] and 0 < span < 30 and (values % 1).any():
        began = datetime.combine(_SERIAL_ZERO, time()) + timedelta(days=first)
        told = f"{began:%Y-%m-%d %H:%M:%S}"
        remark = f"Times are days of a spreadsheet; here they count from the first reading, {told}."
        # Six digits behind the point are a tenth of a second.
        return Times(np.round((values - first) * DAY_S, 1), told, (remark,))
    return Times(values * (factor or 1.0), "", (), open=factor is None)


def _dated(moments: list[Moment], told: str, line: int) -> tuple[list[Moment], str]:
    """Moments with their dates in seconds; the first as told, in ISO form where the column decides what is the day."""
    try:
        dates = Dates([m.date for m in moments if m.date])
    except ValueError as error:
        raise UnreadableError(str(error), line=line) from error
    placed = [m._replace(seconds=m.seconds + dates.day(m.date).toordinal() * DAY_S) if m.date else m for m in moments]
    if moments[0].date and dates.decided:
        told = told.replace(moments[0].date, dates.day(moments[0].date).isoformat(), 1)
    return placed, told


def rises_evenly(values: Floats) -> bool:
    """Whether numbers rise all along by steps that are mostly the same, as times do. values: shape (n,)."""
    known = values[np.isfinite(values)]
    if len(known) < 3 or len(known) < 0.98 * len(values):
        return False
    steps = np.diff(known)
    usual = float(np.median(steps))
    if usual <= 0 or (steps < 0).any():
        return False
    return bool(np.mean(np.abs(steps - usual) <= 0.1 * usual + 1e-9) > 0.8)
