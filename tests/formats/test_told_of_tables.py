"""What a table becomes, whole: readings, places, remarks and start; and the sentence of each refusal, with its line."""

from __future__ import annotations

import datetime

import numpy as np
import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.power_csv import read as read_table
from gladwire.formats.power_rows import find_table, record_from
from gladwire.formats.reader import Options
from gladwire.formats.table.cells import UNIT_FACTORS, cells, is_value, number
from gladwire.formats.timebase import Timebase
from tests.formats.test_power_tables import SAME


def told(record: PowerRecord) -> list[str]:
    lines = [f"recorded {record.recorded_at!r}, {record.format}", f"time_s {np.round(record.time_s, 3).tolist()}"]
    for key, values in record.values.items():
        lines.append(f"{key} ({record.places.get(key)}) {np.round(values, 4).tolist()}")
    if record.second_place:
        lines += [f"second: {line}" for line in told(record.second_place)]
    return [*lines, *record.remarks]


NINE = "\n".join(f"{10 * n},{40 + n},{20 + n}" for n in range(3, 9))
ODD = {
    "both signs, mostly negative": "t (s),kW,SoC\n0,-0.5,20\n10,-40,21\n20,-41,22\n30,0.2,23\n",
    "amperes negative": "t (s),V,A,SoC\n0,400,-50,20\n10,401,-51,21\n20,402,-52,22\n",
    "watts without a unit": "t (s),Power,SoC\n0,2001,20\n10,11500,21\n20,12500,22\n",
    "kilowatts without a unit": "t (s),Power,SoC\n0,1999,20\n10,1500,21\n20,1200,22\n",
    "SoC of nought and one": "t (s),kW,SoC\n0,5,0\n10,6,0.5\n20,7,1\n",
    "SoC at one percent": "t (s),kW,SoC\n0,5,1\n10,6,1\n20,7,1\n",
    "epoch in milliseconds": "timestamp,kW,SoC\n1794300000000,5,20\n1794300030000,6,21\n1794300060000,7,22\n",
    "epoch in seconds": "timestamp,kW,SoC\n1794300000,5,20\n1794300030,6,21\n1794300060,7,22\n",
    "hours and minutes": "Time,kW,SoC\n9:58,5,20\n9:59,6,21\n10:00,7,22\n",
    "minutes and seconds": "Time,kW,SoC\n0:10,5,20\n0:40,6,21\n24:10,7,22\n",
    "minutes above the day's hours": "Time,kW,SoC\n22:10,5,20\n23:40,6,21\n24:10,7,22\n",
    "hours over midnight": "Time,kW,SoC\n23:58,5,20\n23:59,6,21\n0:01,7,22\n",
    "clock with fractions by comma": "Zeit;kW;SoC\n09:00:00,5;5;20\n09:00:01,0;6;21\n09:00:01,5;7;22\n",
    "a stopwatch of seconds": "Time,kW,SoC\n00:00:05,5,20\n00:09:55,6,21\n00:10:05,7,22\n",
    "noon and midnight": "Time,kW,SoC\n12:00:00 AM,5,20\n12:00:00 PM,6,21\n1:00:00 PM,7,22\n",
    "zones": "Time,kW,SoC\n2026-10-14T09:00:00Z,5,20\n2026-10-14T09:00:10+02:00,6,21\n2026-10-14T09:00:20Z,7,22\n",
    "the same moment twice": "t (s),kW,SoC\n0,5,20\n10,6,21\n10,6.5,21\n20,7,22\n",
    "thousands": 'Time (s),Power (W),SoC\n0,"10,500",20\n30,"11,500",21\n60,"12,500",22\n',
    "thousands by dots": "Zeit (s);Leistung (W);SoC\n0;10.500,5;20\n30;11.500,5;21\n60;12.500,5;22\n",
    "minus by its own sign": "t (s);Temp °C;kW\n0;\u22125;5\n10;\u22124;6\n20;\u22123;7\n",
    "three days apart": "Zeit;kW;SoC\n05.06.2024 23:59:00;10,5;20\n08.06.2024 00:01:00;11,5;21\n",
    "mostly at rest, charging negative": "t (s),kW,SoC\n" + "".join(
        f"{10 * n},{-40 if 6 <= n < 12 else 0.3},{20 + n}\n" for n in range(16)),
    "missing words": "t (s),kW,SoC\n0,5,20\n10,OL,---\n20,n/a,22\n30,7,23\n",
    "fahrenheit": "t (s),kW,Battery temp (°F)\n0,5,32\n10,6,50\n20,7,212\n",
    "minutes as numbers": "min,kW,SoC\n0,5,20\n0.5,6,21\n1.5,7,22\n",
    "hours as numbers": "Elapsed (h),kW,SoC\n0,5,20\n0.5,6,21\n1.5,7,22\n",
    "two places": "Time (s),Post kW,Car kW,Car SoC\n0,50,49,20\n5,51,50,20\n10,52,51,21\n",
    "three columns of one": "Time (s),Post kW,Post kW,Car SoC\n0,50,49,20\n5,51,50,20\n10,52,51,21\n",
    "place said above": "read at: meter\nt (s),kW\n0,5\n10,6\n20,7\n",
    "two lines of summary": f"t (s),kW,SoC\n0,5,20\n10,6,21\n{NINE}\nMean,45.5,\nRunning,total,x\n",
    "blank lines between": "t (s),kW,SoC\n\n0,5,20\n,,\n10,6,21\n\n20,7,22\n",
    "a column of nothing": "t (s),kW,Volts (V),SoC\n0,5,,20\n10,6,,21\n20,7,,22\n",
    "time in the middle": "kW,t (s),SoC\n5,0,20\n6,10,21\n7,20,22\n",
    "two columns of time": "Date,Elapsed (s),kW\n,0,5\n,10,6\n,20,7\n",
    "refused: a word among numbers": f"t (s),kW,SoC\n0,5,20\n10,six,21\n{NINE}\n",
    "refused: a word for a time": f"t (s),kW,SoC\n0,5,20\nlater,6,21\n{NINE}\n",
    "refused: no time where one was": "kW,t (s)\n5,0\n6\n7,20\n8,30\n9,40\n5,50\n5,60\n5,70\n5,80\n5,90\n",
    "refused: backwards": f"t (s),kW,SoC\n0,5,20\n25,6,21\n20,6,21\n{NINE}\n",
    "refused: never moves": "t (s),kW,SoC\n5,5,20\n5,6,21\n5,7,22\n",
    "refused: one row": "t (s),kW,SoC\n0,5,20\n",
    "refused: no time": "kW,SoC\n5,20\n6,21\n7,22\n",
    "refused: no readings": "t (s),kW,SoC\n0,,\n10,,\n20,,\n",
    "refused: a date that is none": "Time,kW,SoC\n45.45.2026 09:00:00,5,20\n46.45.2026 09:00:10,6,21\n",
    "refused: names nothing": "a,b,c\n0,5,20\n10,6,21\n",
}  # fmt: skip


def read(text: str) -> list[str]:
    try:
        return told(read_table(Source(text.encode()), Options()))
    except UnreadableError as error:
        return [f"refused, line {error.line}: {error} {error.hint}"]


@pytest.mark.parametrize("name", [*ODD, *(k for k in SAME if "typed" not in k)])
def test_tables(name: str, snapshot: SnapshotAssertion) -> None:
    assert read({**SAME, **ODD}[name]) == snapshot


def test_cells_of_a_workbook(snapshot: SnapshotAssertion) -> None:
    start = datetime.datetime(2026, 10, 14, 9, 0, 0)
    dated = [[start + datetime.timedelta(minutes=n), 5.0 + n, 400, 20 + n] for n in range(4)]
    clocks = [[datetime.time(23, 59, 58 + n, 500_000) if n < 2 else datetime.time(0, 0, n), 5.0 + n] for n in range(4)]
    lengths = [[datetime.timedelta(seconds=700 + 30 * n), 5.0 + n] for n in range(4)]
    assert told(record_from([["Time", "kW", "Volts (V)", "SoC"], *dated], "xlsx")) == snapshot
    assert told(record_from([["Time", "kW"], *clocks], "xlsx")) == snapshot
    assert told(record_from([["Time", "kW"], *lengths], "xlsx", None, 7)) == snapshot
    with pytest.raises(UnreadableError) as refused:
        record_from([["Time", "kW"], [0, 1], ["x", 2], [2, 2], *([n, 3] for n in range(3, 9))], "xlsx", None, 7)
    assert refused.value.line == 9
    with pytest.raises(UnreadableError) as refused:
        record_from(
            [["Time", "kW"], *([n, 1] for n in range(6)), [7, "x"], *([n, 3] for n in range(8, 16))],
            "xlsx",
            None,
            7,
        )
    assert refused.value.line == 14


BODY = [[n, 40 + n] for n in range(4)]


@pytest.mark.parametrize(
    ("head", "score"),
    [
        ([["Time (s)", "Power (kW)"]], 80),
        ([["Time", "Power"]], 60),
        # Of nothing but power there is no time; volts and amperes alone are a scope's too.
        ([["Volts (V)", "Amps (A)"]], 0),
        ([["Note"]] * 200 + [["Time (s)", "Power (kW)"]], 80),
        ([["Zeit", "Leistung"], ["hh:mm:ss", "kW"]], 80),
        ([["", "Station", "Station"], ["Time (s)", "kW", "V"]], 80),
    ],
)
def test_how_surely_a_table_is_a_power_record(head: list[list[object]], score: int) -> None:
    found = find_table([*head, *BODY])
    assert found is not None
    assert found.score() == score


def test_readings_are_found_under_anything_and_their_end_too() -> None:
    found = find_table([["Log", 7], [], ["Interval", "30 s"], ["t (s)", "kW"], *BODY, ["Mean", 41], ["by Runa"]])
    assert found is not None
    assert (found.grid.first, found.grid.end, found.grid.left) == (4, 8, 2)
    assert found.grid.titles == ("t (s)", "kW")
    assert find_table([["Note"], ["a", "b"], ["c", 1]]) is None


# SI prefixes: the SI brochure (BIPM, 9th edition, table 7).
PREFIXES = {"k": 1e3, "": 1.0, "m": 1e-3, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "n": 1e-9}
BASES = {"time": ("s", "sec", "second", "seconds"), "V": ("v", "volt", "volts"), "A": ("a", "amp", "ampere", "amps"),
         "ohm": ("ohm", "ohms", "ω")}  # fmt: skip


@pytest.mark.parametrize(("kind", "unit"), [(kind, unit) for kind, units in UNIT_FACTORS.items() for unit in units])
def test_a_unit_is_its_prefix_times_its_base(kind: str, unit: str) -> None:
    if unit == "min":
        assert UNIT_FACTORS[kind][unit] == 60.0
        return
    base = next(
        b for b in sorted(BASES[kind], key=len, reverse=True) if unit.endswith(b) and unit[: -len(b)] in PREFIXES
    )
    assert UNIT_FACTORS[kind][unit] == PREFIXES[unit[: -len(base)]]


@pytest.mark.parametrize(
    ("cell", "comma", "value"),
    [
        ("1", False, 1.0), ("-1.5", False, -1.5), (".5", False, 0.5), ("5.", False, 5.0), ("1e3", False, 1000.0),
        ("1,5", False, None), ("1,5", True, 1.5), (",5", True, 0.5), ("1.5", True, None), ("", False, None),
        ("+2E-2", False, 0.02), ("2x", False, None), (".", False, None),
    ],
)  # fmt: skip
def test_what_counts_as_a_number(cell: str, comma: bool, value: float | None) -> None:
    assert number(cell, comma) == value


def test_what_splits_a_line() -> None:
    assert cells('1,"2,5",3', ",") == ["1", "2,5", "3"]
    assert cells('"1","2,5","3"', '","') == ["1", "2,5", "3"]
    assert cells("1  2   3", " ") == ["1", "2", "3"]
    assert cells(' "1" ; 2 ;"x"', ";") == ["1", "2", "x"]
    assert cells("1\t\t3", "\t") == ["1", "", "3"]
    assert [is_value(c, False) for c in ("09:00:00", "2026-10-14 09:00:00.5", "1.5", "later")] == [
        True,
        True,
        True,
        False,
    ]


def stepped(*blocks: list[float], factor: float = 1.0) -> tuple[float, float, tuple[str, ...]]:
    base, line = Timebase(factor), 0
    for block in blocks:
        base.add(np.array(block), line, None)
        line += len(block)
    return base.settle(line)


def test_even_steps_give_rate_and_start_over_blocks_too() -> None:
    assert stepped([0.0, 0.1, 0.2, 0.3]) == (pytest.approx(10.0), 0.0, ())
    assert stepped([5.0, 6.0, 7.0], [8.0, 9.0], factor=1e-3) == (pytest.approx(1000.0), 0.005, ())
    assert Timebase(interval_s=0.5, start_s=3.0).settle(9) == (2.0, 3.0, ())


@pytest.mark.parametrize(
    ("blocks", "says", "line"),
    [
        (([0.0, 1.0, 2.0, 23.0],), "jumps by 21 s", 4),
        (([0.0, 1.0, 2.0], [24.0, 25.0]), "jumps by 22 s", 4),
        (([0.0, 1.0, 2.0], [1.5, 3.0]), "runs backwards", 4),
        (([0.0, 1.0, 0.5, 3.0],), "runs backwards", 3),
        (([0.0, float("nan"), 2.0],), "the time is missing", 2),
        (([float("nan"), 1.0, 2.0],), "the time is missing", 1),
    ],
)
def test_a_jump_a_step_back_and_a_missing_time_are_refused_at_their_line(
    blocks: tuple[list[float], ...], says: str, line: int
) -> None:
    with pytest.raises(UnreadableError, match=says) as refused:
        stepped(*blocks)
    assert refused.value.line == line


def test_a_step_of_twenty_is_no_gap_yet_and_unevenness_is_said() -> None:
    assert "19.0 of a step" in stepped([0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 9.0, 10.0, 11.0, 31.0])[2][0]
    assert stepped([0.0, 1.0, 2.0, 4.4, 5.4, 6.4])[2] == ()
    with pytest.raises(UnreadableError, match="does not move"):
        stepped([5.0, 5.0, 5.0])
    # Printed with one digit: nought and one digit alternate.
    assert stepped([0.0, 0.0, 0.1, 0.1, 0.2, 0.2])[2] == ()


def test_lines_left_blank_are_counted() -> None:
    base = Timebase()
    with pytest.raises(UnreadableError) as refused:
        base.add(np.array([0.0, 1.0, 0.5]), 10, np.array([0, 3, 7]))
    assert refused.value.line == 18
