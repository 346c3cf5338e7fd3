"""Rows of cells, from any table, to a power record: which columns are which, times of any shape, missing cells allowed."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from typing import Any, NamedTuple

import numpy as np

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.quantities import BY_KEY, Place
from gladwire.core.signal.waveform import Floats, Ints
from gladwire.formats.dates import Dates
from gladwire.formats.errors import UnreadableError
from gladwire.formats.table.cells import MISSING, number
from gladwire.formats.table.power_columns import Meaning, meaning_of, place_in

_HEADER_WITHIN = 60
_MOST_ROWS = 3_000_000
_DAY_S = 86_400.0
_CLOCK = re.compile(
    r"(?:(\d{4}[-./]\d\d?[-./]\d\d?|\d\d?[./]\d\d?[./]\d{2,4})[T ]+)?(\d{1,3}):(\d\d)(?::(\d\d(?:[.,]\d+)?))?\s*([ap]m)?"
    r"(?:Z|[+-]\d\d:?\d\d)?",
    re.IGNORECASE,
)
_PLAIN = re.compile(r"[+-]?\d+(?:\.\d+)?")
_UNITS_ROW = re.compile(r"^[\[(]?\s*(kw|w|v|a|%|s|min|h|kwh|wh|°c|°f|c|f|soc|-)?\s*[\])]?$", re.IGNORECASE)
_CHARGES = ("power_kw", "soc_percent", "energy_kwh")
# Post and pack currents of DC are this slow to log, and its volts above these.
_LEAST_STEP_S, _LEAST_V = 0.4, 100.0


class Header(NamedTuple):
    """row: its number; first: of the numbers below; meanings: one a column, None for one of no use."""

    row: int
    first: int
    meanings: tuple[Meaning | None, ...]

    @property
    def has(self) -> set[str]:
        return {m.quantity for m in self.meanings if m}

    def score(self) -> int:
        """How surely this heads a power record, 0 to 100."""
        found = [m for m in self.meanings if m]
        strong = [m for m in found if m.quantity in _CHARGES]
        if any(m.sure == 2 for m in strong):
            return 80
        if strong and "time" in self.has:
            return 60
        return 0


Cell = Any


def find_header(rows: Sequence[Sequence[Cell]]) -> Header | None:
    """The row that names most quantities, with a row of units below it taken in; None where none names one."""
    best: Header | None = None
    for number_, row in enumerate(rows[:_HEADER_WITHIN]):
        texts = [str(cell).strip() if cell is not None else "" for cell in row]
        if sum(1 for text in texts if text) < 2 or any(_is_number(text) for text in texts):
            continue
        first = number_ + 1
        below = [str(c).strip() if c is not None else "" for c in rows[first]] if first < len(rows) else []
        if below and any(below) and all(_UNITS_ROW.match(text) for text in below):
            units = [text.strip("[]() ") for text in below] + [""] * len(texts)
            texts = [
                f"{text} [{unit}]" if unit and unit != "-" else text for text, unit in zip(texts, units, strict=False)
            ]
            first += 1
        header = Header(number_, first, tuple(meaning_of(text) if text else None for text in texts))
        if best is None or len(header.has) > len(best.has):
            best = header
    return best if (best and len(best.has) >= 2) or (best and best.has & set(_CHARGES)) else None


def _is_number(text: str) -> bool:
    return number(text, "," in text and "." not in text) is not None


def record_from(
    rows: Sequence[Sequence[Cell]], key: str, comma: bool, interval_s: float | None, first_line: int = 1
) -> PowerRecord:
    """Raises UnreadableError naming the line. rows: from the table's first line on, texts or the cells of a workbook."""
    header = find_header(rows)
    if header is None:
        raise UnreadableError("no row names kW, state of charge, volts or amperes", line=first_line)
    place_told: Place | None = None
    for row in rows[: header.row]:
        place_told = place_told or place_in(" ".join(str(cell) for cell in row if cell is not None))
    body = [(i, row) for i, row in enumerate(rows[header.first :], header.first) if any(_filled(cell) for cell in row)]
    if len(body) > _MOST_ROWS:
        raise UnreadableError(f"more than {_MOST_ROWS:,} rows; that is beyond one session", line=first_line)
    remarks: list[str] = []
    body = _without_footer(body, header, comma, first_line, remarks)
    if len(body) < 2:
        raise UnreadableError(f"only {len(body)} rows of readings; a record was expected", line=first_line + header.row)
    times, recorded_at = _times(body, header, comma, interval_s, first_line, remarks)
    order = _rising(times, body, first_line)
    columns = _columns(body, header, comma, first_line)
    return _record(times[order], [(m, c[order]) for m, c in columns], key, place_told, recorded_at, remarks)


def _filled(cell: Cell) -> bool:
    return cell is not None and str(cell).strip() != ""


def _without_footer(
    body: list[tuple[int, Sequence[Cell]]], header: Header, comma: bool, first_line: int, remarks: list[str]
) -> list[tuple[int, Sequence[Cell]]]:
    """Rows up to a summary or a cut last line, which are left out with a remark."""

    def readable(row: Sequence[Cell]) -> bool:
        cells = [(m, row[i]) for i, m in enumerate(header.meanings) if m and i < len(row) and _filled(row[i])]
        return bool(cells) and all(
            _time_of(c, comma) is not None if m.quantity == "time" else _is_value(c, comma) for m, c in cells
        )

    end = len(body)
    while end > max(0, len(body) - 6) and not readable(body[end - 1][1]):
        end -= 1
    if end < len(body):
        count = len(body) - end
        what = "the last line is no reading" if count == 1 else f"the last {count} lines are no readings"
        remarks.append(f"From line {first_line + body[end][0]} on {what}; left out.")
    return body[:end]


def _is_value(cell: Cell, comma: bool) -> bool:
    return _value(cell, comma) is not None or str(cell).strip().lower() in MISSING


def _value(cell: Cell, comma: bool) -> float | None:
    if isinstance(cell, bool):
        return None
    if isinstance(cell, int | float):
        return float(cell)
    if isinstance(cell, str) and _PLAIN.fullmatch(cell):  # as nearly all are
        return float(cell)
    text = str(cell).strip().replace("\u2212", "-").replace("\u00a0", "").replace("\u202f", "")
    text = re.sub(r"\s*(kwh|wh|kw|w|v|a|%|°c|°f|c|min|s)$", "", text, flags=re.IGNORECASE)
    if comma and "," in text:
        text = text.replace(".", "")
        return number(text, True)
    return number(text.replace(",", "") if re.fullmatch(r"[+-]?\d{1,3}(,\d{3})+(\.\d+)?", text) else text, False)


class _Moment(NamedTuple):
    """seconds: as told, of a dated clock without its date; kind: "number", "two" (parts by a colon), "clock" or "date"."""

    seconds: float
    kind: str
    parts: tuple[int, int] = (0, 0)
    date: str = ""


def _time_of(cell: Cell, comma: bool) -> _Moment | None:
    if isinstance(cell, datetime):
        # As the clock showed it: the zone and summer time of the machine that reads have no part in it.
        return _Moment(cell.replace(tzinfo=UTC).timestamp(), "date")
    if isinstance(cell, time):
        return _Moment(cell.hour * 3600 + cell.minute * 60 + cell.second + cell.microsecond * 1e-6, "clock")
    if isinstance(cell, timedelta):
        return _Moment(cell.total_seconds(), "clock")
    plain = _value(cell, comma)
    if plain is not None:
        return _Moment(plain, "number") if math.isfinite(plain) else None
    match = _CLOCK.fullmatch(str(cell).strip())
    if not match:
        return None
    date, first, second, third, half = match.groups()
    if third is None and half is None and date is None:
        return _Moment(0.0, "two", (int(first), int(second)))
    hours = int(first) % 12 + (12 if half.lower() == "pm" else 0) if half else int(first)
    clock = hours * 3600.0 + int(second) * 60.0 + float((third or "0").replace(",", "."))
    return _Moment(clock, "date" if date else "clock", date=date or "")


def _times(
    body: Sequence[tuple[int, Sequence[Cell]]],
    header: Header,
    comma: bool,
    interval_s: float | None,
    first_line: int,
    remarks: list[str],
) -> tuple[Floats, str]:
    """(seconds since the first reading or as told, shape (n,); when it was recorded)."""
    columns = [i for i, m in enumerate(header.meanings) if m and m.quantity == "time"]
    column = next((i for i in columns if any(len(r) > i and _time_of(r[i], comma) for _, r in body[:3])), None)
    if column is None:
        if interval_s is None:
            raise UnreadableError(
                "there is no column of times", line=first_line + header.row,
                hint="Give the interval between samples and it can be read.",
            )  # fmt: skip
        return np.arange(len(body), dtype=np.float64) * interval_s, ""
    meaning = header.meanings[column]
    assert meaning is not None
    moments = []
    for number_, row in body:
        moment = _time_of(row[column], comma) if len(row) > column else None
        if moment is None:
            found = str(row[column])[:30] if len(row) > column else ""
            raise UnreadableError(f"a time was expected, found “{found}”", line=first_line + number_)
        moments.append(moment)
    told = str(body[0][1][column]).strip()
    if any(m.date for m in moments):
        moments, told = _dated(moments, told, first_line + body[0][0])
    kinds = {m.kind for m in moments}
    if kinds == {"number"}:
        seconds: Floats = np.array([m.seconds for m in moments], dtype=np.float64) * meaning.factor
        if seconds[0] > 1e8:
            first = datetime.fromtimestamp(seconds[0] if seconds[0] < 1e11 else seconds[0] / 1e3, UTC)
            seconds = np.asarray((seconds - seconds[0]) * (1.0 if seconds[0] < 1e11 else 1e-3), dtype=np.float64)
            remarks.append(
                f"Times count since 1970; here they count from the first reading, {first:%Y-%m-%d %H:%M:%S} UTC."
            )
            return seconds, f"{first:%Y-%m-%d %H:%M:%S} UTC"
        return seconds, ""
    if "two" in kinds:
        elapsed = any(m.parts[0] > 23 for m in moments) or moments[0].parts == (0, 0) or moments[0].parts[0] == 0
        unit = (60.0, 1.0) if elapsed else (3600.0, 60.0)
        remarks.append(
            f"Times such as “{told}” are read as {'minutes and seconds' if elapsed else 'hours and minutes'}."
        )
        seconds = np.array(
            [m.parts[0] * unit[0] + m.parts[1] * unit[1] if m.kind == "two" else m.seconds for m in moments]
        )
        if elapsed:
            return seconds, ""
    else:
        seconds = np.array([m.seconds for m in moments])
    back = np.diff(seconds, prepend=seconds[0]) < -_DAY_S / 2
    seconds = seconds + _DAY_S * np.cumsum(back)
    if seconds[0] < 600 and "date" not in kinds:  # a stopwatch
        return seconds, ""
    return seconds - seconds[0], told


def _dated(moments: list[_Moment], told: str, line: int) -> tuple[list[_Moment], str]:
    """Moments with their dates in seconds; the first as told, in ISO form where the column decides what is the day."""
    try:
        dates = Dates([m.date for m in moments if m.date])
    except ValueError as error:
        raise UnreadableError(str(error), line=line) from error
    placed = [m._replace(seconds=m.seconds + dates.day(m.date).toordinal() * _DAY_S) if m.date else m for m in moments]
    if moments[0].date and dates.decided:
        told = told.replace(moments[0].date, dates.day(moments[0].date).isoformat(), 1)
    return placed, told


def _rising(times: Floats, body: Sequence[tuple[int, Sequence[Cell]]], first_line: int) -> Ints:
    """Indices of the rows to keep, shape (n,): of readings at one moment the last. Raises where time runs backwards."""
    steps = np.diff(times)
    if (steps < 0).any():
        raise UnreadableError("the time runs backwards here", line=first_line + body[int(np.argmax(steps < 0)) + 1][0])
    kept = np.append(steps > 0, True)
    if kept.sum() < 2:
        raise UnreadableError("the time does not move; rising times were expected", line=first_line + body[0][0])
    return np.flatnonzero(kept)


def _columns(
    body: Sequence[tuple[int, Sequence[Cell]]], header: Header, comma: bool, first_line: int
) -> list[tuple[Meaning, Floats]]:
    found = []
    for index, meaning in enumerate(header.meanings):
        if meaning is None or meaning.quantity == "time":
            continue
        values = np.full(len(body), np.nan)
        for place, (number_, row) in enumerate(body):
            cell = row[index] if len(row) > index else None
            if not _filled(cell):
                continue
            value = _value(cell, comma)
            if value is None and str(cell).strip().lower() not in MISSING:
                what = BY_KEY[meaning.quantity].title if meaning.quantity in BY_KEY else meaning.quantity
                raise UnreadableError(
                    f"a number was expected for “{what}”, found “{str(cell)[:30]}”", line=first_line + number_
                )
            values[place] = np.nan if value is None else value * meaning.factor + meaning.offset
        found.append((meaning, values))
    return found


def _record(
    times: Floats,
    columns: list[tuple[Meaning, Floats]],
    key: str,
    place_told: Place | None,
    recorded_at: str,
    remarks: list[str],
) -> PowerRecord:
    first: dict[str, Floats] = {}
    second: dict[str, Floats] = {}
    places: dict[str, Place] = {}
    other: dict[str, Place] = {}
    for meaning, values in columns:
        if np.isnan(values).all() or meaning.quantity not in BY_KEY:
            continue
        values = _as_usual(meaning, values, remarks)
        place: Place = meaning.place if meaning.place != "unknown" else place_told or "unknown"
        if meaning.quantity not in first:
            first[meaning.quantity], places[meaning.quantity] = values, place
        elif meaning.quantity not in second and place != places[meaning.quantity]:
            second[meaning.quantity], other[meaning.quantity] = values, place
        else:
            remarks.append(f"A second column of {BY_KEY[meaning.quantity].title.lower()} is passed by.")
    if not first:
        raise UnreadableError("no column holds a reading")
    record = PowerRecord(times, first, places, (), tuple(remarks), recorded_at, (), key)
    if set(second) & {"power_kw", "amps_a", "energy_kwh"}:
        return replace(record, second_place=PowerRecord(times, second, other, (), (), recorded_at, (), key))
    return record


def _as_usual(meaning: Meaning, values: Floats, remarks: list[str]) -> Floats:
    """Charging counted as positive, SoC in percent, power without a unit in kW; what was changed is said."""
    known = values[np.isfinite(values)]
    title = BY_KEY[meaning.quantity].title
    # Of nearly all readings: a logger's mark for none among them tells neither sign nor unit.
    usual = float(np.percentile(np.abs(known), 90)) if len(known) else 0.0
    flowing = known[np.abs(known) > 0.1 * usual]
    if meaning.quantity in ("power_kw", "amps_a") and len(flowing) and np.median(flowing) < 0:
        remarks.append(f"{title} is negative while charging; its sign is turned.")
        values = -values
    if meaning.quantity == "soc_percent" and usual <= 1.0 and known.max() > known.min():
        remarks.append("The state of charge is a share of one; read as percent.")
        values = values * 100.0
    if meaning.quantity == "power_kw" and meaning.sure == 1 and usual > 2000.0:
        remarks.append("Power without a unit is too large for kW; read as W.")
        values = values * 1e-3
    return values
