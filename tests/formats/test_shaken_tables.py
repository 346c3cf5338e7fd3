"""Tables shaken: one cell, row or line changed at a time, and what becomes of the record, or the sentence of its refusal."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.formats.dates import Dates, moment_of
from gladwire.formats.errors import UnreadableError
from gladwire.formats.power_rows import record_from
from gladwire.formats.reader import Options
from gladwire.formats.timebase import Timebase

Rows = list[list[str]]
TABLES: Mapping[str, Rows] = {
    "seconds": [["Time (s)", "Power (kW)", "SoC (%)"], *([f"{10 * n}", f"{40 + n}.5", f"{20 + n}"] for n in range(9))],
    "clocks": [["Time", "kW", "Volts (V)"], *([f"09:{57 + n // 2}:{30 * (n % 2):02}", f"{40 + n}", "400"] for n in range(4))],
    "dates": [["Time", "kW", "SoC"], *([f"{5 + n}/06/2024 09:00:00", f"{40 + n}", f"{20 + n}"] for n in range(5))],
    "hours and minutes": [["Time", "kW", "SoC"], ["9:58", "40", "20"], ["9:59", "41", "20"], ["10:00", "42", "21"]],
}  # fmt: skip
CELLS = (
    "",
    "x",
    "-1",
    "0",
    "1e9",
    "1,5",
    "12.30",
    "12:30",
    "12:30:40",
    "1:30 pm",
    "2026-01-02 03:04:05",
    "OL",
    "1e999",
    "45 kW",
    "10 %",
    "1.234,5",
)


def brief(rows: Sequence[Sequence[str]], interval_s: float | None = None) -> str:
    try:
        record = record_from([list(row) for row in rows], "test", Options(interval_s), 3)
    except UnreadableError as error:
        return str(error)
    return _said(record)


def _said(record: PowerRecord) -> str:
    values = "; ".join(f"{key} {np.round(found, 3).tolist()}" for key, found in record.values.items())
    second = f"; beside it {_said(record.second_place)}" if record.second_place else ""
    return f"{record.recorded_at} {np.round(record.time_s, 3).tolist()}; {values}{second}; {' '.join(record.remarks)}"


def differences(base: str, variants: Iterator[tuple[str, str]]) -> list[str]:
    return [f"{name}: {now}" for name, now in variants if now != base]


@pytest.mark.parametrize("name", TABLES)
def test_one_cell_at_a_time(name: str, snapshot: SnapshotAssertion) -> None:
    table = TABLES[name]

    def variants() -> Iterator[tuple[str, str]]:
        for n in range(1, len(table), 1 if len(table) < 6 else 4):
            for column in range(len(table[0])):
                for cell in CELLS:
                    changed = [list(row) for row in table]
                    changed[n][column] = cell
                    yield f"{n} {column} “{cell}”", brief(changed)

    assert differences(brief(table), variants()) == snapshot


@pytest.mark.parametrize("name", TABLES)
def test_one_row_at_a_time(name: str, snapshot: SnapshotAssertion) -> None:
    table = TABLES[name]
    header, body = table[0], table[1:]

    def variants() -> Iterator[tuple[str, str]]:
        for n in range(len(body)):
            yield f"without {n}", brief([header, *body[:n], *body[n + 1 :]])
            yield f"{n} twice", brief([header, *body[: n + 1], *body[n:]])
            yield f"{n} cut", brief([header, *body[:n], body[n][:1], *body[n + 1 :]])
            yield f"{n} blank", brief([header, *body[:n], ["", "", ""], *body[n:]])
        for count in range(1, 9):
            yield f"{count} lines of footer", brief([*table, *[["Total", "abc", "x"]] * count])
        yield "turned round", brief([header, *reversed(body)])
        yield "no time", brief([row[1:] for row in table])
        yield "no time, every 5 s", brief([row[1:] for row in table], interval_s=5.0)
        yield "a comma as decimal sign", brief([[c.replace(".", ",") for c in row] for row in table])
        for lines in (1, 58, 59, 60):
            yield f"{lines} lines above", brief([["Log of a stall"]] * lines + table)
        yield "units below", brief([[h.split(" (")[0] for h in header], ["(s)", "(kW)", "(%)"], *body])
        yield "one row, five lines above", brief([["Log of a stall"]] * 5 + [header, body[0]])
        yield "no header", brief(body)

    assert differences(brief(table), variants()) == snapshot


def test_steps_of_a_time_column(snapshot: SnapshotAssertion) -> None:
    def settled(times: Sequence[float], cut: int) -> str:
        base = Timebase(1e-3)
        try:
            for first, block in ((0, times[:cut]), (cut, times[cut:])):
                base.add(np.array(block, dtype=np.float64), first, None)
            rate, start, remarks = base.settle(len(times))
        except UnreadableError as error:
            return str(error)
        return f"{rate:.6g} Hz from {start:.6g} s {' '.join(remarks)}"

    even = [float(n) for n in range(40)]
    lines = []
    for cut in (0, 1, 2, 20, 39, 40):
        for at in (1, 2, 19, 20, 21, 39):
            for by in (-2.0, -1.0, -0.5, 0.4, 1.4, 1.6, 18.0, 18.9, 19.1, 30.0):
                moved = [t + by * (n >= at) for n, t in enumerate(even)]
                lines.append(f"{cut} {at} {by:+g}: {settled(moved, cut)}")
    assert sorted(set(lines)) == snapshot


DATES = (
    "05/06/2024",
    "06/05/2024",
    "13/06/2024",
    "06/13/2024",
    "2024-06-05",
    "5.6.24",
    "31.12.2024",
    "12/31/2024",
    "99/99/2024",
    "x",
)


def test_dates_of_two_rows(snapshot: SnapshotAssertion) -> None:
    """Mixed orders go together only where a date says itself which it is (ISO 8601) or nothing contradicts."""
    lines = []
    for first in DATES:
        lines.append(f"{first} alone: {moment_of(f'{first} 10:00:00')}")
        for second in DATES:
            try:
                dates = Dates([first, second])
                told = f"{dates.day(first)} {dates.day(second)} {'sure' if dates.decided else 'either'}"
            except ValueError as error:
                told = str(error)
            lines.append(f"{first}, {second}: {told}")
    assert lines == snapshot
