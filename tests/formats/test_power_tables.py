"""Power records in tables of many makers: names, units, times, gaps in cells, and every kind of damage."""

from __future__ import annotations

import datetime
import io

import numpy as np
import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.lanes.power.record import PowerRecord, completed, energy_kwh
from gladwire.core.quantities import QUANTITIES
from gladwire.core.signal.waveform import Recording
from gladwire.formats import power_csv, power_xlsx, scope_csv
from gladwire.formats.dates import moment_of
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture
from gladwire.formats.table.power_columns import meaning_of
from tests.build import take


def read(text: str | bytes, interval_s: float | None = None) -> PowerRecord:
    data = text.encode() if isinstance(text, str) else text
    found = read_capture(Source(data), Options(interval_s))
    assert isinstance(found, PowerRecord), type(found)
    return found


def values(record: PowerRecord, key: str) -> list[float | None]:
    return [None if v != v else round(float(v), 6) for v in record.values[key]]


@pytest.mark.parametrize(
    ("header", "quantity", "place"),
    [
        ("Power [kW]", "power_kw", "unknown"),
        ("power_kw", "power_kw", "unknown"),
        ("Charging power (W)", "power_kw", "unknown"),
        ("EVSE output power kW", "power_kw", "post"),
        ("Leistung (kW)", "power_kw", "unknown"),
        ("Pack Voltage (V)", "volts_v", "vehicle"),
        ("DC current (A)", "amps_a", "unknown"),
        ("packCurrent [A]", "amps_a", "vehicle"),
        ("Requested current (A)", "asked_a", "unknown"),
        ("Current limit station [A]", "post_max_a", "post"),
        ("Max charge current BMS [A]", "vehicle_max_a", "vehicle"),
        ("Available power (kW)", "post_max_kw", "unknown"),
        ("SOC", "soc_percent", "vehicle"),
        ("Battery %", "soc_percent", "vehicle"),
        ("State of charge (%)", "soc_percent", "vehicle"),
        ("Ladestand", "soc_percent", "vehicle"),
        ("Energy delivered [Wh]", "energy_kwh", "unknown"),
        ("kWh", "energy_kwh", "unknown"),
        ("Meter energy kWh", "energy_kwh", "meter"),
        ("Battery temp (°F)", "pack_c", "vehicle"),
        ("Connector temperature [°C]", "connector_c", "unknown"),
        ("Outside temp C", "ambient_c", "unknown"),
        ("Elapsed (min)", "time", "unknown"),
        ("Timestamp", "time", "unknown"),
        ("EVSEPresentVoltage", "volts_v", "post"),
        ("EVTargetCurrent", "asked_a", "vehicle"),
        ("EVSEMaximumCurrentLimit [A]", "post_max_a", "post"),
        ("EVRESSSOC", "soc_percent", "vehicle"),
        ("ev_max_current_a", "vehicle_max_a", "vehicle"),
    ],
)
def test_columns_are_told_by_their_words(header: str, quantity: str, place: str) -> None:
    found = meaning_of(header)
    assert found is not None
    assert (found.quantity, found.place) == (quantity, place)


@pytest.mark.parametrize(
    "header", ["Notes", "SOC limit", "Target SOC (%)", "Odometer km", "Cell 7", "Price", "Humidity %rh"]
)
def test_columns_of_no_use_are_passed_by(header: str) -> None:
    found = meaning_of(header)
    assert found is None or found.quantity not in ("power_kw", "soc_percent", "volts_v")


SAME = {
    "comma": "Time [s],Power [kW],SoC [%]\n0,10.5,20\n30,11.5,\n60,12.5,21\n",
    "semicolon, decimal comma": "Zeit (s);Leistung (kW);SoC (%)\n0;10,5;20\n30;11,5;\n60;12,5;21\n",
    "tabs, minutes": "min\tkW\tbattery %\n0\t10.5\t20\n0.5\t11.5\t\n1\t12.5\t21\n",
    "a row of units": "Time,Power,SoC\n(s),(kW),(%)\n0,10.5,20\n30,11.5,\n60,12.5,21\n",
    "watts and milliseconds": "t [ms];P [W];SOC\n0;10500;20\n30000;11500;\n60000;12500;21\n",
    "clock over midnight": "Time,kW,SoC\n23:59:40,10.5,20\n00:00:10,11.5,\n00:00:40,12.5,21\n",
    "am and pm": "Time,kW,SoC\n11:59:40 AM,10.5,20\n12:00:10 PM,11.5,\n12:00:40 PM,12.5,21\n",
    "date and time": (
        "Timestamp,kW,SoC\n2026-10-14 09:00:00,10.5,20\n2026-10-14 09:00:30,11.5,\n2026-10-14T09:01:00,12.5,21\n"
    ),
    "day before month, over midnight": (
        "Zeit;kW;SoC\n05.06.2024 23:59:40;10,5;20\n06.06.2024 00:00:10;11,5;\n06.06.2024 00:00:40;12,5;21\n"
    ),
    "day before month by slashes, over midnight": (
        "Time,kW,SoC\n05/06/2024 23:59:40,10.5,20\n06/06/2024 00:00:10,11.5,\n06/06/2024 00:00:40,12.5,21\n"
    ),
    "month before day, over midnight": (
        "Time,kW,SoC\n6/5/2024 11:59:40 PM,10.5,20\n6/6/2024 12:00:10 AM,11.5,\n6/6/2024 12:00:40 AM,12.5,21\n"
    ),
    "over the end of a month": (
        "Time,kW,SoC\n31.05.24 23:59:40,10.5,20\n01.06.24 00:00:10,11.5,\n01.06.24 00:00:40,12.5,21\n"
    ),
    "year first by slashes, over midnight": (
        "Time,kW,SoC\n2024/6/5 23:59:40,10.5,20\n2024/6/6 00:00:10,11.5,\n2024/6/6 00:00:40,12.5,21\n"
    ),
    "typed on the page": (
        '{"columns": [{"quantity": "power_kw", "place": "post"}, {"quantity": "soc_percent", "place": "vehicle"}],'
        ' "rows": [[0, 10.5, 20], [30, 11.5, null], [60, 12.5, 21]]}'
    ),
    "seconds since 1970": "timestamp,power_kw,soc\n1794300000,10.5,20\n1794300030,11.5,\n1794300060,12.5,21\n",
    "stopwatch": "Elapsed,kW,SoC\n0:00,10.5,20\n0:30,11.5,\n1:00,12.5,21\n",
    "preamble, text column, summary": (
        "Log of stall 4\nOperator,Runa\n\nTime (s),Note,Power (kW),SoC (%)\n0,plugged,10.5,20\n30,,11.5,\n60,slow,12.5,21\n"
        "Total,,34.5\n"
    ),
    "negative while charging": "Time (s),Battery power (kW),SoC\n0,-10.5,20\n30,-11.5,\n60,-12.5,21\n",
    "share of one": "Time (s),kW,SoC\n0,10.5,0.20\n30,11.5,\n60,12.5,0.21\n",
    "quoted, byte-order mark": '\ufeff"Time (s)","kW","SoC"\r\n"0","10.5","20"\r\n"30","11.5",""\r\n"60","12.5","21"\r\n',
    "units in cells": "Time,Power,SoC\n0 s,10.5 kW,20 %\n30 s,11.5 kW,\n60 s,12.5 kW,21 %\n",
}


@pytest.mark.parametrize("name", SAME)
def test_one_record_in_many_shapes(name: str) -> None:
    record = read(SAME[name])
    assert (record.time_s - record.time_s[0]).tolist() == pytest.approx([0, 30, 60])
    assert values(record, "power_kw") == pytest.approx([10.5, 11.5, 12.5])
    assert values(record, "soc_percent") == [20, None, 21]


@pytest.mark.parametrize(
    ("first", "second", "begins"),
    [
        ("05.06.2024 23:40", "06.06.2024 00:10", "2024-06-05"),
        ("5/6/2024 23:40", "6/6/2024 0:10", "2024-06-05"),
        ("6/5/2024 23:40", "6/6/2024 0:10", "2024-06-05"),
        ("13/06/2024 9:00", "13/06/2024 9:30", "2024-06-13"),
        # Nothing tells day from month here: the words stay as the file has them.
        ("05/06/2024 9:00", "05/06/2024 9:30", "05/06/2024"),
    ],
)
def test_which_part_of_a_date_is_the_day_is_told_by_its_column(first: str, second: str, begins: str) -> None:
    record = read(f"Time,kW,SoC\n{first},10,20\n{second},11,40\n")
    assert record.time_s.tolist() == [0.0, 1800.0]
    assert record.recorded_at.startswith(begins)


@pytest.mark.parametrize(
    ("text", "day"),
    [
        ("2024-06-05 23:40", 5), ("2024/06/05 23:40", 5), ("05.06.2024 23:40", 5), ("13/06/2024 9:00", 13),
        ("06/13/2024 9:00", 13), ("5/5/2024", 5), ("2024-06-05T23:40:00Z", 5),
        # Either of two days, or none.
        ("05/06/2024 23:40", None), ("5-6-2024", None), ("version 1.2.3", None), ("12.5", None), ("45/45/2026 1:00", None),
    ],
)  # fmt: skip
def test_a_start_is_a_moment_only_where_it_can_be_read_in_one_way(text: str, day: int | None) -> None:
    found = moment_of(text)
    assert (found and datetime.datetime.fromtimestamp(found, datetime.UTC).day) == day


def test_volts_and_amperes_make_power_and_fahrenheit_celsius() -> None:
    record = read(
        "t (s),Voltage (V),Current (A),Battery temp (°F)\n0,400,100,77\n1,401,100,\n2,402,100,86\n3,403,100,86\n"
    )
    assert energy_kwh(record) == pytest.approx((40.0 / 2 + 40.1 + 40.2 + 40.3 / 2) / 3600)
    assert values(record, "pack_c") == [25.0, None, 30.0, 30.0]


def test_two_displays_in_one_table_are_two_records() -> None:
    record = read("Time (s),Post kW,Car kW,Car SoC\n0,50,49,20\n5,51,50,20\n10,52,51,21\n")
    assert record.source == "post"
    assert record.second_place is not None
    assert (record.second_place.source, values(record.second_place, "power_kw")) == ("vehicle", [49, 50, 51])


def test_where_it_was_read_is_told_by_the_file() -> None:
    assert read("# read at: vehicle display\nt (s),kW,SoC\n0,1,2\n1,2,3\n").source == "vehicle"
    assert read("Source = Meter 4\nt (s),kW\n0,1\n1,2\n").source == "meter"


def test_a_scope_stays_a_scope_and_a_mains_logger_a_logger() -> None:
    scope = "t,CP (V)\n" + "".join(f"{i / 1e4:.4f},{9 if i % 10 < 3 else -12}\n" for i in range(500))
    fast = "t (s),Voltage (V),Current (A)\n" + "".join(f"{i / 1e3:.3f},{325},{10}\n" for i in range(500))
    for text in (scope, fast):
        assert power_csv.sniff(text.encode()) < scope_csv.sniff(text.encode())
    slow = "t (s),Voltage (V),Current (A)\n" + "".join(f"{i},{390 + i / 50},{100}\n" for i in range(50))
    assert isinstance(read_capture(Source(slow.encode())), PowerRecord)


def test_what_is_written_is_read_again() -> None:
    rng = np.random.default_rng(2)
    for place in ("post", "vehicle", "meter"):
        filled = {q.key: np.round(rng.uniform(20, 90, 9), 3) for q in QUANTITIES}
        filled["soc_percent"][4] = np.nan
        record = PowerRecord(np.arange(9.0) * 7, filled, {q.key: place for q in QUANTITIES})
        again = read(power_csv.write(record, ("typed by somebody",)))
        assert set(again.values) == set(filled)
        for key, expected in filled.items():
            np.testing.assert_allclose(again.values[key], expected, equal_nan=True)
        assert again.source == place


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("Time (s),kW\n0,5\n10,six\n20,7\n30,7\n40,7\n50,7\n60,7\n70,7\n80,7\n", "line 3.*“six”"),
        ("Time (s),kW\n0,5\n10,6\n5,7\n6,7\n7,8\n8,8\n9,8\n10,9\n11,9\n", "line 4.*backwards"),
        ("Time (s),kW\n0,5\nlater,6\n20,7\n30,7\n40,7\n50,7\n60,7\n70,7\n80,7\n", "line 3.*a time was expected"),
        ("Power (kW),SoC\n5,20\n6,21\n7,22\n", "no column of times"),
        ("Time (s),kW\n0,5\n", "no two rows of readings"),
        ("Time (s),kW,SoC\n0,,\n1,,\n2,,\n", "rows of readings|no column holds"),
    ],
)
def test_bad_tables_are_refused_with_their_line(text: str, said: str) -> None:
    with pytest.raises(UnreadableError, match=said):
        power_csv.read(Source(text.encode()), Options())


def test_an_interval_can_be_given_where_there_is_no_time() -> None:
    record = read("Power (kW),SoC (%)\n5,20\n6,21\n7,22\n", 10.0)
    assert record.time_s.tolist() == [0, 10, 20]


def test_a_cut_last_line_is_left_out_and_said() -> None:
    record = read("Time (s),kW,SoC\n0,5,20\n10,6,21\n20,7,22\n30,x")
    assert len(record.time_s) == 3
    assert "line 5" in record.remarks[0]


def book(*sheets: list[list[object]]) -> bytes:
    workbook = openpyxl.Workbook()
    workbook.remove(workbook.active)
    for number, rows in enumerate(sheets):
        sheet = workbook.create_sheet(f"S{number}")
        for row in rows:
            sheet.append(row)
    out = io.BytesIO()
    workbook.save(out)
    return out.getvalue()


def test_a_workbook_is_read_from_the_sheet_that_names_quantities() -> None:
    start = datetime.datetime(2026, 10, 14, 9, 0, 0)
    rows: list[list[object]] = [["Time", "Voltage (V)", "Current (A)", "SOC"]]
    rows += [[start + datetime.timedelta(seconds=5 * i), 400.0 + i, 100, 20 + i // 3] for i in range(9)]
    record = read(book([["Notes"], ["nothing here"]], rows))
    assert record.format == "power-xlsx"
    assert record.time_s.tolist() == [5.0 * i for i in range(9)]
    assert record.recorded_at.startswith("2026-10-14")
    times = [[datetime.time(23, 59, 58), 50], [datetime.time(0, 0, 3), 51]]
    assert read(book([["Time", "kW"], *times])).time_s.tolist() == [0, 5]


@pytest.mark.parametrize(
    ("title", "step", "asked"), [("Time", 30 / 3600, True), ("Time (s)", 0.02, False), ("Time", 5e-4, False)]
)
def test_a_workbook_of_volts_and_amperes_is_no_scope_s_where_its_times_may_be_hours(
    title: str, step: float, asked: bool
) -> None:
    rows: list[list[object]] = [[round(step * i, 5), 355.0 + i, 20.5 + i % 5] for i in range(60)]
    taken = Source(book([[title, "Voltage", "Current"], *rows]))
    if asked:
        with pytest.raises(UnreadableError, match="seconds, minutes or hours"):
            read_capture(taken)
    else:
        assert isinstance(read_capture(taken), Recording)


def test_damaged_and_hostile_workbooks_are_refused() -> None:
    whole = book([["Time (s)", "kW"], [0, 1], [1, 2]])
    for damaged in (whole[: len(whole) // 2], whole[:200], b"PK\x03\x04xl/" + b"\x00" * 500):
        with pytest.raises(UnreadableError, match=r"damaged|unpacks"):
            power_xlsx.read(Source(damaged), Options())
    with pytest.raises(UnreadableError, match="no sheet"):
        read(book([["a", "b"], [1, 2]]))


def _taken_or_refused(data: bytes) -> None:
    """Read and judged, or refused in a sentence; nothing else."""
    try:
        found = read_capture(Source(data))
    except UnreadableError as error:
        if not 10 < len(str(error)) < 400:
            raise AssertionError(f"this is no sentence: {error}") from error
        return
    try:
        take(found)
    except ValueError as error:
        if len(str(error)) < 10:
            raise AssertionError(f"this is no sentence: {error}") from error


_WHOLE = power_csv.write(
    PowerRecord(
        np.arange(0.0, 1200, 20), {"power_kw": 50 + np.arange(60.0) % 7, "soc_percent": 20 + np.arange(60.0) // 3}
    )
)
_BOOK = book([["Time (s)", "Power (kW)", "SoC (%)"], *([20.0 * i, 50.0 + i % 7, 20 + i // 3] for i in range(40))])


@settings(deadline=None, max_examples=120)
@given(st.integers(0, len(_WHOLE) - 1), st.integers(0, 255), st.integers(1, len(_WHOLE)))
def test_a_damaged_table_is_judged_or_refused_in_a_sentence(at: int, value: int, length: int) -> None:
    content = bytearray(_WHOLE)
    content[at] = value
    _taken_or_refused(bytes(content))
    _taken_or_refused(bytes(content[:length]))


@settings(deadline=None, max_examples=60)
@given(st.integers(0, len(_BOOK) - 1), st.integers(0, 255))
def test_a_damaged_workbook_is_judged_or_refused_in_a_sentence(at: int, value: int) -> None:
    content = bytearray(_BOOK)
    content[at] = value
    _taken_or_refused(bytes(content))


_CELLS = st.one_of(st.none(), st.floats(-1e9, 1e9), st.text("0123456789:.,-% kWA", max_size=9))


@settings(deadline=None, max_examples=80)
@given(st.lists(st.lists(_CELLS, min_size=3, max_size=3), min_size=1, max_size=12))
def test_any_cells_below_a_header_are_judged_or_refused(rows: list[list[object]]) -> None:
    text = "Time (s);Power (kW);SoC (%)\n" + "\n".join(
        ";".join("" if c is None else str(c) for c in row) for row in rows
    )
    _taken_or_refused(text.encode())


def kw(*times: str, header: str = "Time,kW") -> PowerRecord:
    return read(header + "\n" + "\n".join(f"{t},{40 + n}" for n, t in enumerate(times)) + "\n")


def test_a_clock_set_back_by_an_hour_goes_on() -> None:
    record = kw("2026-10-25 02:58:00", "2026-10-25 02:59:00", "2026-10-25 02:00:00", "2026-10-25 02:01:00")
    assert record.time_s.tolist() == [0, 60, 120, 180]
    assert "set back by an hour" in record.remarks[0]
    with pytest.raises(UnreadableError, match="backwards"):
        kw("2026-10-25 02:58:00", "2026-10-25 02:59:00", "2026-10-25 02:05:00", "2026-10-25 02:06:00")


def test_a_zone_that_changes_puts_all_on_one_clock() -> None:
    times = (
        "2026-10-25T02:58:00+02:00",
        "2026-10-25T02:59:00+02:00",
        "2026-10-25T02:00:00+01:00",
        "2026-10-25T01:01:00Z",
    )
    record = kw(*times)
    assert record.time_s.tolist() == [0, 60, 120, 180]
    assert "zone of the times changes" in record.remarks[0]


@pytest.mark.parametrize("count", [2, 3])
def test_several_readings_in_a_minute_are_spread_over_it(count: int) -> None:
    record = kw(*(f"09:{n // count:02}" for n in range(1, 6 * count)))
    assert np.diff(record.time_s).tolist() == pytest.approx([60.0 / count] * (6 * count - 2))
    assert f"{count} readings in each" in " ".join(record.remarks)


def test_days_of_a_spreadsheet_and_microseconds_since_1970() -> None:
    days = kw("46156.377430556", "46156.377777778", "46156.378125000")
    assert days.time_s.tolist() == pytest.approx([0, 30, 60], abs=0.2)
    assert days.recorded_at == "2026-05-14 09:03:30"
    micro = kw("1794300000000000", "1794300030000000", "1794300060000000")
    assert micro.time_s.tolist() == [0, 30, 60]


@pytest.mark.parametrize(
    ("times", "soc", "unit"),
    [
        # 60 kW for 40 steps of a half: 20 s, 20 min or 20 h; 36 % of some pack.
        ([0.5 * n for n in range(41)], 36, "minutes"),
        ([30.0 * n for n in range(41)], 36, "seconds"),
        ([n / 120 for n in range(41)], 36, "hours"),
        ([0.5 * n for n in range(41)], None, ""),
        ([float(n) for n in range(41)], None, ""),
        ([10.0 * n for n in range(41)], None, "seconds"),
    ],
)
def test_times_without_a_unit_are_told_by_what_they_make_of_the_pack(
    times: list[float], soc: int | None, unit: str
) -> None:
    rows = [f"{t:.6f},60,{'' if soc is None else 20 + soc * n // 40}" for n, t in enumerate(times)]
    text = "\n".join(["Time,Power [kW],SoC", *rows]) + "\n"
    if unit:
        record = read(text)
        to_s = {"seconds": 1.0, "minutes": 60.0, "hours": 3600.0}[unit]
        assert record.time_s[-1] == pytest.approx(times[-1] * to_s, rel=1e-4)
        assert f"read as {unit}" in " ".join(record.remarks)
    else:
        with pytest.raises(UnreadableError, match=r"name no unit.*Give the interval"):
            read(text)
        assert read(text, 30.0).time_s[-1] == pytest.approx(1200.0, rel=1e-4)


@pytest.mark.parametrize(("bad", "refused"), [(1, False), (2, True)])
def test_one_cell_in_a_hundred_may_be_no_number(bad: int, refused: bool) -> None:
    rows = [f"{n},{'4o.5' if n in range(50, 50 + bad) else 40},{20 + n // 10}" for n in range(100)]
    text = "\n".join(["t (s),Power (kW),SoC", *rows]) + "\n"
    if refused:
        with pytest.raises(UnreadableError, match=r"line 52: a number was expected for “Power”, found “4o.5”"):
            read(text)
    else:
        record = read(text)
        assert np.isnan(record.values["power_kw"]).sum() == 1
        assert "line 52: “4o.5”" in " ".join(record.remarks)


@pytest.mark.parametrize(("value", "gap"), [("404", True), ("470", False), ("340", False), ("4.04", False)])
def test_a_value_ten_times_its_neighbours_is_marked_and_not_believed(value: str, gap: bool) -> None:
    rows = [f"{30 * n},{value if n == 7 else 40 + n / 10},{20 + n}" for n in range(20)]
    record = read("\n".join(["t (s),Power (kW),SoC", *rows]) + "\n")
    assert bool(np.isnan(record.values["power_kw"][7])) == gap
    assert ("ten times those beside" in " ".join(record.remarks)) == gap


@pytest.mark.parametrize(
    ("head", "quantities"),
    [
        ("t (s),a1,b1,c1", {"power_kw", "volts_v", "amps_a"}),
        ("t (s),x [V],y [A],z", {"power_kw", "volts_v", "amps_a"}),
        ("t (s),x [kW],y,z", {"power_kw", "volts_v", "amps_a"}),
    ],
)
def test_power_is_known_by_volts_times_amperes(head: str, quantities: set[str]) -> None:
    volts, amps = 350 + np.arange(40) / 2, 120 - np.arange(40) * 2.0
    power = volts * amps / 1000
    order = [power, volts, amps] if "[kW]" in head else [volts, amps, power]
    rows = [f"{30 * n}," + ",".join(f"{c[n]:.2f}" for c in order) for n in range(40)]
    record = read("\n".join([head, *rows]) + "\n")
    assert set(record.values) == quantities
    np.testing.assert_allclose(record.values["power_kw"], power, atol=0.01)
    np.testing.assert_allclose(record.values["volts_v"], volts, atol=0.01)
    assert "volts × amperes" in " ".join(record.remarks)


def test_a_temperature_is_no_state_of_charge() -> None:
    rows = [f"{30 * n},{50 - n / 10:.1f},{20 + n * 0.5:.1f} °C" for n in range(40)]
    record = read("\n".join(["t (s),kW,Wizzet", *rows]) + "\n")
    assert set(record.values) == {"power_kw"}


def test_phases_are_no_whole_current_and_make_no_volts() -> None:
    """11 kW over 15.9 A of one phase would be 692 V on a line of 230."""
    rows = "".join(f"{30 * n},15.9,16.0,15.8,11.0\n" for n in range(20))
    record = read(f"t (s),L1 [A],L2 [A],L3 [A],Power [kW]\n{rows}")
    assert set(completed(record).values) == {"power_kw"}
    assert "as of phases" in " ".join(record.remarks)
    with pytest.raises(UnreadableError, match="phase by phase"):
        power_csv.read(
            Source(("t (s),L1 [A],L2 [A]\n" + "".join(f"{n},16,16\n" for n in range(20))).encode()), Options()
        )
    two = read("Time (s),Post A,Car A,V\n" + "".join(f"{5 * n},50,49,400\n" for n in range(9)))
    assert "amps_a" in two.values
