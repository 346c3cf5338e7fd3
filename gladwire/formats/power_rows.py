"""Rows of cells, from any table, to a power record: which columns are which, times of any shape, missing cells allowed."""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from gladwire.core.lanes.power.record import ColumnSeen, PowerRecord
from gladwire.core.quantities import BY_KEY, Place
from gladwire.core.recognition.readings import Open, guess, is_sum_of_power, time_unit
from gladwire.core.signal.waveform import Floats, Ints
from gladwire.formats.errors import UnreadableError
from gladwire.formats.reader import Options
from gladwire.formats.table.grid import Grid, find_grid
from gladwire.formats.table.moments import (
    Times,
    has_date,
    is_clock,
    is_date,
    may_be_clocks,
    moment_of,
    rises_evenly,
    times_of,
    with_dates,
)
from gladwire.formats.table.named_cells import rows_of_named
from gladwire.formats.table.power_columns import NO_UNIT, Meaning, meaning_of, name_and_unit, place_in, unit_of
from gladwire.formats.table.rearranged import upright
from gladwire.formats.table.spelling import with_colons
from gladwire.formats.table.values import Cell, Numbers, filled, is_missing, split_unit

_MOST_ROWS = 3_000_000
_DELIMITERS, _HEAD_LINES = (";", "\t", ",", "|"), 120
_BLANKS = re.compile(r"\s+")
_CHARGES = ("power_kw", "soc_percent", "energy_kwh")
_SAID = ("asked_a", "asked_v", "post_max_a", "post_max_v", "vehicle_max_a")
# Of so many cells one may be no number and is a gap; more are refused.
_ONE_BAD_IN = 100
_LOOK_AT = 40
_MOST_RISE_KWH = 500.0
# Beyond any connector there is, the megawatt ones included: a scale or a unit that was not understood.
_MOST = {"power_kw": 5_000.0, "volts_v": 2_000.0, "amps_a": 4_000.0}


@dataclass(frozen=True)
class Table:
    """A table whose readings were found. rows: all of it; first_line: of the file, of the first row. given: quantities of
    columns by title, as a person settled them."""

    rows: Sequence[Sequence[Cell]]
    grid: Grid
    first_line: int = 1
    given: Mapping[str, str] = field(default_factory=dict)

    @cached_property
    def body(self) -> list[tuple[int, Sequence[Cell]]]:
        """(number of the row, its cells) of the readings, without rows that hold none and headers of later pages."""
        grid = self.grid
        heads = {tuple(row) for row in self.rows[: grid.first] if any(filled(cell) for cell in row)}
        first_cells = {row[0] for row in heads}
        rows = enumerate(self.rows[grid.first : grid.end], grid.first)
        return [
            (i, row)
            for i, row in rows
            if any(c < len(row) and _is_told(row[c]) for c in grid.columns)
            and not (heads and row[0] in first_cells and tuple(row) in heads)
        ]

    @cached_property
    def numbers(self) -> Numbers:
        return Numbers.of([self.column(c, 400) for c in self.grid.columns])

    @cached_property
    def meanings(self) -> tuple[Meaning | None, ...]:
        """What the columns are by their names and units, or by the units in their cells; None for one of no use."""
        return tuple(self._meaning(index) for index in range(len(self.grid.titles)))

    def _meaning(self, index: int) -> Meaning | None:
        title = self.title(index)
        if index not in self.grid.columns:
            return None
        told = self.given.get(self.name(index))
        if told is not None:
            return _settled(title, told)
        return meaning_of(title) if title else None

    def name(self, index: int) -> str:
        """The title of a column as people are shown it."""
        return self.title(index) or f"column {index + 1}"

    def title(self, index: int) -> str:
        """Name and unit of a column; the unit from its cells where only they tell it."""
        title = self.grid.titles[index]
        units = [s[1] for cell in self.column(index, _LOOK_AT) if isinstance(cell, str) and (s := split_unit(cell))]
        usual = max(set(units), key=units.count) if units else ""
        usual = usual if 2 * units.count(usual) > len(units) else ""
        return f"{title} [{usual}]" if usual and not name_and_unit(title)[1] else title

    def column(self, index: int, most: int | None = None) -> list[Cell]:
        return [row[index] if index < len(row) else None for _, row in self.body[:most]]

    @property
    def is_of_phases(self) -> bool:
        """Whether it tells volts or amperes phase by phase, and nothing of the whole."""
        found = [(m.quantity, m.place) for m in self.meanings if m]
        return not self.has & set(_CHARGES) and any(
            q in ("volts_v", "amps_a") and found.count((q, p)) > 1 for q, p in found
        )

    @property
    def has(self) -> set[str]:
        return {m.quantity for m in self.meanings if m}

    @cached_property
    def time_columns(self) -> tuple[int, ...]:
        """The column that tells time, and a second one where dates stand beside clocks; empty where none does."""
        looks = {i: [c for c in self.column(i, _LOOK_AT) if filled(c)] for i in self.grid.columns}
        clocks = [i for i, seen in looks.items() if seen and sum(map(is_clock, seen)) > 0.7 * len(seen)]
        days = [i for i, seen in looks.items() if seen and all(is_date(c) for c in seen)]
        if clocks:
            return (clocks[0], days[0]) if days and not has_date(looks[clocks[0]][0]) else (clocks[0],)
        named = [i for i, m in enumerate(self.meanings) if m and m.quantity == "time"]
        told = [i for i in named if any(moment_of(c, self.numbers) for c in looks.get(i, [])[:3])]
        if told:
            # Of a running number and a time the time has the unit.
            with_unit = [i for i in told if (m := self.meanings[i]) and m.sure == 2]
            return ((with_unit or told)[0],)
        open_ = [i for i in self.grid.columns if self.meanings[i] is None]
        rising = [i for i in open_ if rises_evenly(self.values(i, 400)) and not self.is_count(i)]
        return (rising[0],) if rising else ()

    def is_count(self, index: int) -> bool:
        """Whether a column only numbers the rows."""
        values = self.values(index, 400)
        return bool(len(values) > 2 and values[0] in (0.0, 1.0) and (np.diff(values) == 1.0).all())

    def values(self, index: int, most: int | None = None) -> Floats:
        """Numbers of a column in its unit, NaN where none was read or a cell has a unit of another kind. Shape (n,)."""
        unit = name_and_unit(self.title(index))[1]
        value = self.numbers.value
        # What ends in a digit has no unit: most cells do, and a table may hold millions.
        found = [
            value(cell) if not isinstance(cell, str) or cell[-1:].isdigit() else self._value(cell, unit)
            for cell in self.column(index, most)
        ]
        return np.array([np.nan if v is None else v for v in found], dtype=np.float64)

    def _value(self, cell: Cell, unit: str) -> float | None:
        """A cell that has a unit of its own, such as “980 W” among kilowatts, in that of its column."""
        value = self.numbers.value(cell)
        split = split_unit(cell) if isinstance(cell, str) else None
        own = split[1] if split else ""
        if not own or own == unit or value is None:
            return value
        (kind, factor, _), (wanted, whole, _) = unit_of(own) or NO_UNIT, unit_of(unit) or NO_UNIT
        return value * factor / whole if kind == wanted else None

    def median_of(self, quantity: str) -> float:
        """The median of the readings of a quantity, in its usual unit; 0 where there is none."""
        for index, meaning in enumerate(self.meanings):
            if meaning and meaning.quantity == quantity and np.isfinite(values := self.values(index, _LOOK_AT)).any():
                return float(np.nanmedian(values)) * meaning.factor + meaning.offset
        return 0.0

    def usual_step(self) -> float:
        """The usual step of times that are plain numbers, in seconds or as told; infinite for clocks, dates and days."""
        column = self.time_columns[:1]
        moments = self.values(column[0], _LOOK_AT) if column else np.empty(0)
        if len(moments) and moments[0] > 1e4:  # days of a spreadsheet, or since 1970
            return np.inf
        steps = np.diff(moments[np.isfinite(moments)])
        meaning = self.meanings[column[0]] if column else None
        factor = meaning.factor if meaning and meaning.sure == 2 else 1.0
        return float(np.median(steps)) * factor if len(steps) else np.inf

    def score(self) -> int:
        """How surely this is a power record, 0 to 100."""
        strong = [m for m in self.meanings if m and m.quantity in _CHARGES]
        if any(m.sure == 2 for m in strong):
            return 80
        return 60 if strong and self.time_columns else 0


def _settled(title: str, quantity: str) -> Meaning | None:
    """What a person said a column is, in the unit its title names."""
    if not quantity:
        return None
    read = meaning_of(title)
    kind, factor, offset = unit_of(name_and_unit(title)[1]) or NO_UNIT
    place = read.place if read else "unknown"
    fits = kind in ("", quantity.rpartition("_")[2].replace("percent", "%")) or quantity == "time"
    return Meaning(quantity, place, factor if fits else 1.0, offset if fits else 0.0, 2 if kind and fits else 1)


def _is_told(cell: Cell) -> bool:
    """Whether a cell holds something, and not a word for nothing read."""
    return (isinstance(cell, str) and cell[-1:].isdigit()) or (filled(cell) and not is_missing(cell))


def find_table(
    rows: Sequence[Sequence[Cell]], first_line: int = 1, given: Mapping[str, str] | None = None
) -> Table | None:
    """The readings in a table of cells, whatever is named; None where there are none."""
    grid = find_grid(rows)
    return Table(rows, grid, first_line, given or {}) if grid else None


def rows_of(text: str) -> Sequence[Sequence[Cell]]:
    """Rows of cells, of the delimiter under which most columns of readings lie below their names, clocks with colons."""
    lines = text.splitlines()
    return with_colons(rows_of_named(lines) or _split(lines))


def _split(lines: Sequence[str]) -> Sequence[Sequence[Cell]]:
    best, most = ",", (-1, -1, -1)
    seen = set("\n".join(lines[:_HEAD_LINES]))
    for delimiter in (each for each in _DELIMITERS if each in seen):
        head = list(csv.reader(lines[:_HEAD_LINES], delimiter=delimiter))
        table = find_table(head)
        if table is None:
            continue
        named = sum(1 for title in table.grid.titles if title)
        # Names that are split otherwise than the readings tell a decimal comma taken for a delimiter.
        merit = (named >= len(table.grid.columns), len(table.has), len(table.grid.columns))
        if merit > most:
            best, most = delimiter, merit
    if most[0] < 0 and (blanks := [_BLANKS.split(line.strip()) for line in lines]) and find_table(blanks[:_HEAD_LINES]):
        return blanks
    return list(csv.reader(lines, delimiter=best))


def record_from(
    rows: Sequence[Sequence[Cell]], key: str, options: Options | None = None, first_line: int = 1
) -> PowerRecord:
    """Raises UnreadableError naming the line. rows: from the table's first line on, texts or the cells of a workbook."""
    turned = upright(rows)
    if turned is None:
        return _record_from(rows, key, options, first_line)
    record = _record_from(turned[0], key, options, first_line)
    return replace(record, remarks=(turned[1], *record.remarks))


def _record_from(rows: Sequence[Sequence[Cell]], key: str, options: Options | None, first_line: int) -> PowerRecord:
    options = options or Options()
    interval_s = options.interval_s
    table = find_table(rows, first_line, dict(options.columns))
    if table is None:
        raise UnreadableError("no two rows of readings follow each other; a record was expected", line=first_line)
    if not table.time_columns and not table.has:
        raise UnreadableError("no column names kW, state of charge, volts or amperes, or behaves so", line=first_line)
    if len(table.body) > _MOST_ROWS:
        raise UnreadableError(f"more than {_MOST_ROWS:,} rows; that is beyond one session", line=first_line)
    remarks: list[str] = []
    if table.grid.left:
        remarks.append(f"From line {first_line + table.grid.end} on {table.grid.what_is_left}; left out.")
    if len(table.body) < 2:
        what = f"only {len(table.body)} rows of readings; a record was expected"
        raise UnreadableError(what, line=first_line + table.grid.first)
    kept = table.body
    times = _times(table, interval_s)
    if len(times.times_s) > 2 and (np.diff(times.times_s) < 0).all():
        first, end = table.grid.first, table.grid.end
        turned = [*rows[:first], *reversed(rows[first:end]), *rows[end:]]
        record = _record_from(turned, key, options, first_line)
        return replace(record, remarks=("The rows stand newest first; they are turned.", *record.remarks))
    remarks += times.remarks
    order = _rising(times.times_s, kept, first_line)
    at = times.times_s[order]
    columns = [(m, _as_usual(m, values[order], remarks)) for m, values in _columns(table, remarks)]
    if times.open:
        held = [*columns, *_guessed(table, at, order, columns, [])[0]]
        at = at * _unit_of(table, at, held, interval_s, remarks)
    guessed, seen = _guessed(table, at, order, columns, remarks)
    columns += guessed
    columns = [_energy_unit(m, values, at, columns, remarks) for m, values in columns]
    columns = _without_phases(columns, remarks)
    place_told: Place | None = None
    for row in rows[: table.grid.first]:
        place_told = place_told or place_in(" ".join(str(cell) for cell in row if cell is not None))
    record = _record(at, columns, key, place_told, times.recorded_at, remarks)
    return replace(record, columns=_columns_seen(table, seen))


def _columns_seen(table: Table, guessed: Mapping[int, ColumnSeen]) -> tuple[ColumnSeen, ...]:
    """Every column of the table, and what it was taken for."""
    found = []
    for index in table.grid.columns:
        meaning, name = table.meanings[index], table.name(index)
        if name in table.given:
            found.append(ColumnSeen(name, table.given[name], "hand"))
        elif index in table.time_columns:
            found.append(ColumnSeen(name, "time", "name" if meaning else "course"))
        elif meaning:
            found.append(ColumnSeen(name, meaning.quantity, "name"))
        else:
            found.append(guessed.get(index, ColumnSeen(name, "", "nothing")))
    return tuple(found)


def _times(table: Table, interval_s: float | None) -> Times:
    lines = [table.first_line + i for i, _ in table.body]
    if not table.time_columns:
        if interval_s is None:
            raise UnreadableError(
                "there is no column of times", line=table.first_line + max(table.grid.first - 1, 0),
                hint="Give the interval between samples and it can be read.",
            )  # fmt: skip
        return Times(np.arange(len(table.body), dtype=np.float64) * interval_s, "", ())
    column = table.time_columns[0]
    cells = table.column(column)
    if len(table.time_columns) > 1:
        cells = with_dates(cells, table.column(table.time_columns[1]))
    meaning = table.meanings[column]
    told = meaning is not None and meaning.quantity == "time" and meaning.sure == 2
    return times_of(cells, lines, table.numbers, meaning.factor if told and meaning else None)


def _unit_of(
    table: Table, at: Floats, columns: Sequence[tuple[Meaning, Floats]], interval_s: float | None, remarks: list[str]
) -> float:
    """To seconds, of times that name no unit. Raises UnreadableError where seconds and minutes are equally good."""
    if interval_s is not None:
        return interval_s / float(np.median(np.diff(at)))
    found = time_unit(at, {m.quantity: values for m, values in columns if m.quantity in BY_KEY})
    if found and found.word == "hours" and may_be_clocks(table.column(table.time_columns[0], _LOOK_AT)):
        raise UnreadableError(
            "the times could be hours and minutes, or hours in decimals",
            line=table.first_line + table.grid.first,
            hint="Give the interval between samples and it can be read.",
        )
    if found is None:
        step = float(np.median(np.diff(at)))
        raise UnreadableError(
            f"the times name no unit: steps of {step:.4g} could be seconds, minutes or hours",
            line=table.first_line + table.grid.first,
            hint="Give the interval between samples and it can be read.",
        )
    if found.why or found.factor != 1.0:
        remarks.append(f"The times name no unit; they are read as {found.word}: {found.why}.")
    else:
        remarks.append("The times name no unit; they are read as seconds.")
    return found.factor


def _energy_unit(
    meaning: Meaning, values: Floats, at: Floats, columns: Sequence[tuple[Meaning, Floats]], remarks: list[str]
) -> tuple[Meaning, Floats]:
    """A counter without a unit may count Wh: told by power, else by a rise that no session makes."""
    if meaning.quantity != "energy_kwh" or meaning.sure == 2 or np.isnan(values).all():
        return meaning, values
    power = next((v for m, v in columns if m.quantity == "power_kw"), None)
    rise = float(np.nanmax(values) - np.nanmin(values))
    by_power = power is not None and is_sum_of_power(at, {"power_kw": power, "energy_kwh": values * 1e-3})
    if by_power or rise > _MOST_RISE_KWH:
        remarks.append("Energy names no unit; it is read as Wh" + (": it is the sum of power." if by_power else "."))
        return meaning, values * 1e-3
    return meaning, values


_PHASES, _PHASE_V = 3, (85.0, 310.0)


def _without_phases(columns: list[tuple[Meaning, Floats]], remarks: list[str]) -> list[tuple[Meaning, Floats]]:
    """Several columns of volts or amperes of one place are phases: none is the whole, and with power one of them would make
    volts or amperes that are nowhere. Three of each make the power where the volts are to neutral: 100 to 277 V as mains
    stand, a tenth and more beside that."""
    read = [(m, values) for m, values in columns if not np.isnan(values).all()]
    keys = [(m.quantity, m.place) for m, _ in read]
    phases = {key for key in keys if key[0] in ("volts_v", "amps_a") and keys.count(key) > 1}
    if not phases:
        return columns
    made: list[tuple[Meaning, Floats]] = []
    volts, amps = ([v for m, v in read if m.quantity == q and (q, m.place) in phases] for q in ("volts_v", "amps_a"))
    of_mains = all(_PHASE_V[0] < float(np.nanmedian(v)) < _PHASE_V[1] for v in volts)
    if len(volts) == len(amps) == _PHASES and of_mains and "power_kw" not in {m.quantity for m, _ in read}:
        place = next(m.place for m, _ in read if m.quantity == "amps_a")
        made = [(Meaning("power_kw", place, 1.0, 0.0, 2), np.sum(np.array(volts) * np.array(amps), axis=0) * 1e-3)]
        remarks.append(f"Power is the sum of volts × amperes of {len(amps)} phases; their power factor was not read.")
    for quantity, _ in sorted(phases):
        title = BY_KEY[quantity].title
        remarks.append(f"{title} are told in several columns of one place, as of phases: none is the whole; left out.")
    if not made and {m.quantity for m, _ in columns} <= {"volts_v", "amps_a", *_SAID}:
        raise UnreadableError("volts or amperes are told phase by phase, and no power: what flows in all is not told")
    return [(m, values) for m, values in columns if (m.quantity, m.place) not in phases] + made


def _rising(times: Floats, body: Sequence[tuple[int, Sequence[Cell]]], first_line: int) -> Ints:
    """Indices of the rows to keep, shape (n,): of readings at one moment the last. Raises where time runs backwards."""
    steps = np.diff(times)
    if (steps < 0).any():
        raise UnreadableError("the time runs backwards here", line=first_line + body[int(np.argmax(steps < 0)) + 1][0])
    kept = np.append(steps > 0, True)
    if kept.sum() < 2:
        raise UnreadableError("the time does not move; rising times were expected", line=first_line + body[0][0])
    return np.flatnonzero(kept)


def _columns(table: Table, remarks: list[str]) -> list[tuple[Meaning, Floats]]:
    """The columns whose quantity their name or unit tells."""
    found = []
    for index, meaning in enumerate(table.meanings):
        if meaning is None or meaning.quantity == "time" or index in table.time_columns:
            continue
        what = BY_KEY[meaning.quantity].title if meaning.quantity in BY_KEY else meaning.quantity
        values = _read(table, index, what, remarks)
        found.append((meaning, values * meaning.factor + meaning.offset))
    return found


def _read(table: Table, index: int, what: str, remarks: list[str]) -> Floats:
    """Numbers of a column. One cell in a hundred may hold something else: a gap, and said. Raises UnreadableError."""
    values = table.values(index)
    blank = np.flatnonzero(np.isnan(values))
    cells = table.column(index)
    bad = [i for i in blank.tolist() if filled(cells[i]) and not is_missing(cells[i]) and not _is_nan(cells[i])]
    if bad:
        line = table.first_line + table.body[bad[0]][0]
        shown = str(cells[bad[0]])[:30]
        if len(bad) * _ONE_BAD_IN > len(cells):
            raise UnreadableError(f"a number was expected for “{what}”, found “{shown}”", line=line)
        many = "1 cell" if len(bad) == 1 else f"{len(bad)} cells"
        remarks.append(f"{many} of {what.lower()} hold no number (line {line}: “{shown}”); taken as missing.")
    return values


def _is_nan(cell: Cell) -> bool:
    return isinstance(cell, float) and cell != cell


def _guessed(
    table: Table, at: Floats, order: Ints, told: Sequence[tuple[Meaning, Floats]], remarks: list[str]
) -> tuple[list[tuple[Meaning, Floats]], dict[int, ColumnSeen]]:
    """(columns told by how they behave, where neither name nor unit tells; what is said of each by its number)."""
    known = {
        m.quantity: values for m, values in told if m.quantity in BY_KEY and m.place in ("unknown", "vehicle", "post")
    }
    left = [i for i in table.grid.columns if table.meanings[i] is None and i not in table.time_columns]
    open_: dict[int, Open] = {}
    for index in left:
        name, unit = name_and_unit(table.title(index))
        kind = (unit_of(unit) or NO_UNIT)[0]
        values = table.values(index)[order]
        settled = table.name(index) in table.given
        if not settled and not table.is_count(index) and np.isfinite(values).sum() > 2 and kind in ("", "%"):
            open_[index] = Open(name or table.name(index), kind, values)
    if not open_ or set(known) >= {"power_kw", "soc_percent"}:
        return [], {}
    found: list[tuple[Meaning, Floats]] = []
    seen: dict[int, ColumnSeen] = {}
    for (index, column), guessed in zip(open_.items(), guess(at, known, list(open_.values())), strict=True):
        if guessed is None:
            continue
        name = table.name(index)
        if not guessed.sure:
            seen[index] = ColumnSeen(name, "", "nothing", guessed.why, guessed.quantity, guessed.instead)
            continue
        about = BY_KEY[guessed.quantity]
        remarks.append(f"“{column.name}” is taken for {about.title.lower()} in {about.unit}: {guessed.why}.")
        place: Place = "vehicle" if guessed.quantity == "soc_percent" else "unknown"
        found.append((Meaning(guessed.quantity, place, guessed.factor, 0.0, 1), column.values * guessed.factor))
        seen[index] = ColumnSeen(name, guessed.quantity, "course", guessed.why)
    return found, seen


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
        place: Place = meaning.place if meaning.place != "unknown" else place_told or "unknown"
        if meaning.quantity not in first:
            first[meaning.quantity], places[meaning.quantity] = values, place
        elif meaning.quantity not in second and place != places[meaning.quantity]:
            second[meaning.quantity], other[meaning.quantity] = values, place
        else:
            remarks.append(f"A second column of {BY_KEY[meaning.quantity].title.lower()} is passed by.")
    if not first:
        raise UnreadableError("no column holds a reading")
    _refuse_beyond(first)
    record = PowerRecord(times, first, places, (), tuple(remarks), recorded_at, (), key)
    if set(second) & {"power_kw", "amps_a", "energy_kwh"}:
        return replace(record, second_place=PowerRecord(times, second, other, (), (), recorded_at, (), key))
    return record


def _refuse_beyond(values: Mapping[str, Floats]) -> None:
    """Raises UnreadableError where most of a quantity is beyond what any connector carries: nobody would believe the rest."""
    for quantity, most in _MOST.items():
        usual = float(np.nanmedian(values[quantity])) if quantity in values else 0.0
        if usual > most:
            about = BY_KEY[quantity]
            raise UnreadableError(
                f"{about.title.lower()} of {usual:,.0f} {about.unit} is beyond any connector: the unit was not understood",
                hint=f"Write the unit over the column, such as [0.1 {about.unit}] for tenths.",
            )


def _as_usual(meaning: Meaning, values: Floats, remarks: list[str]) -> Floats:
    """Charging counted as positive, SoC in percent, power without a unit in kW; what was changed is said."""
    known = values[np.isfinite(values)]
    if not len(known) or meaning.quantity not in BY_KEY:
        return values
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
