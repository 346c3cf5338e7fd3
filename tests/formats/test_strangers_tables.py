"""Tables no factory of ours writes: shapes met in other people's files, each by plain formatting here. What is expected back
is what was written."""

from __future__ import annotations

import json
from datetime import datetime, timedelta

import numpy as np
import pytest

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

COUNT = 60
SECONDS = 30.0 * np.arange(COUNT)
KW = np.round(np.clip(SECONDS / 60, 0, 1) * np.where(SECONDS < 900, 98.0, 98 - (SECONDS - 900) * 0.06), 1)
KWH = np.concatenate([[0.0], np.cumsum((KW[1:] + KW[:-1]) / 2 * 30 / 3600)])
SOC = np.floor(18 + 100 * KWH / 64)
VOLTS = np.round(352 + 0.45 * (SOC - 18), 1)
AMPS = np.round(1000 * KW / VOLTS, 1)
START = datetime(2026, 3, 9, 14, 2, 10)


def clock(second: float, shape: str) -> str:
    return (START + timedelta(seconds=float(second))).strftime(shape)


def comma(value: float) -> str:
    return f"{value:.1f}".replace(".", ",")


def parts(second: float) -> str:
    return f"{int(second) // 3600}h {int(second) % 3600 // 60:02d}m {int(second) % 60:02d}s"


def lines(head: str, row: object) -> str:
    return head + "".join(f"{row(i)}\n" for i in range(COUNT))  # type: ignore[operator]


TABLES = {
    "a name before each value": lines(
        "",
        lambda i: f"{clock(SECONDS[i], '%Y-%m-%d %H:%M:%S')} U={VOLTS[i]}V I={AMPS[i]}A P={KW[i]}kW SOC={SOC[i]:.0f}%",
    ),
    "an object a line": lines(
        "",
        lambda i: json.dumps({"ts": clock(SECONDS[i], "%Y-%m-%dT%H:%M:%S"), "kw": float(KW[i]), "soc": int(SOC[i])}),
    ),
    "tenths of a volt": lines(
        "t_s,U_0.1V,I_0.1A,SOC_0.5%\n",
        lambda i: f"{SECONDS[i]:.0f},{10 * VOLTS[i]:.0f},{10 * AMPS[i]:.0f},{2 * SOC[i]:.0f}",
    ),
    "volts times ten": lines(
        "t (s),U (V x10),I (A*10),SoC (%)\n",
        lambda i: f"{SECONDS[i]:.0f},{10 * VOLTS[i]:.0f},{10 * AMPS[i]:.0f},{SOC[i]:.0f}",
    ),
    "a person's about": lines("min,soc,kw\n", lambda i: f"{SECONDS[i] / 60:.1f},{SOC[i]:.0f} %,~{KW[i]}"),
    "hours, minutes and seconds by points": lines(
        "Klokken;Lader viser (kW);Batteri (%)\n",
        lambda i: f"{clock(SECONDS[i], '%H.%M.%S')};{comma(KW[i])};{SOC[i]:.0f}",
    ),
    "the same in a language nobody taught": lines(
        "Aika;Teho [kW];Varaustaso [%]\n",
        lambda i: f"{clock(SECONDS[i], '%H.%M.%S')};{comma(KW[i])};{SOC[i]:.0f}",
    ),
    "hours, minutes and seconds by letters": lines(
        "Elapsed,Power,SOC\n", lambda i: f"{parts(SECONDS[i])},{KW[i]} kW,{SOC[i]:.0f}%"
    ),
    "minutes and seconds by marks": lines(
        "Elapsed;Power [kW];SOC [%]\n",
        lambda i: f"{int(SECONDS[i]) // 60}'{int(SECONDS[i]) % 60:02d}'';{KW[i]};{SOC[i]:.0f}",
    ),
    "p. m. with blanks": lines(
        "Fecha;Hora;Potencia (kW);SOC (%)\n",
        lambda i: f"09/03/2026;{clock(SECONDS[i], '%I:%M:%S')} p. m.;{comma(KW[i])};{SOC[i]:.0f}",
    ),
    "limits of both sides beside": lines(
        "time [s];EVSE U [V];EVSE I [A];EVSE P [kW];EV SOC [%];EV Imax [A];EVSE Imax [A]\n",
        lambda i: f"{SECONDS[i]:.0f};{VOLTS[i]};{AMPS[i]};{KW[i]};{SOC[i]:.0f};{min(300.0, AMPS[i] + 2)};400",
    ),
}


@pytest.mark.parametrize("shape", TABLES)
def test_a_stranger_s_table_is_read_as_it_was_written(shape: str) -> None:
    read = read_capture(Source(TABLES[shape].encode()))
    assert isinstance(read, PowerRecord)
    assert read.time_s - read.time_s[0] == pytest.approx(SECONDS, abs=0.6)
    assert read.values["soc_percent"] == pytest.approx(SOC)
    if "power_kw" in read.values:
        assert read.values["power_kw"] == pytest.approx(KW, abs=0.051)
    if "volts_v" in read.values:
        assert read.values["volts_v"] == pytest.approx(VOLTS, abs=0.051)
    assert {"power_kw", "amps_a"} & set(read.values)
    if "volts_v" in read.values:
        assert read.values["amps_a"] == pytest.approx(AMPS, abs=0.051)


def test_limits_are_no_amperes_that_flow() -> None:
    read = read_capture(Source(TABLES["limits of both sides beside"].encode()))
    assert isinstance(read, PowerRecord)
    assert read.values["post_max_a"] == pytest.approx(np.full(COUNT, 400.0))
    assert read.values["vehicle_max_a"] == pytest.approx(np.minimum(300.0, AMPS + 2), abs=0.051)


def test_a_meter_read_every_minute() -> None:
    table = "minute;zählerstand\n" + "".join(f"{i};{comma(48211.3 + KWH[2 * i])}\n" for i in range(30))
    read = read_capture(Source(table.encode()))
    assert isinstance(read, PowerRecord)
    assert read.time_s[-1] == 29 * 60
    assert read.values["energy_kwh"][-1] - read.values["energy_kwh"][0] == pytest.approx(KWH[58], abs=0.1)


@pytest.mark.parametrize(
    ("column", "values", "said"),
    [
        ("Power [kW]", KW * 1000, "power of [0-9,]+ kW is beyond any connector"),
        ("Voltage [V]", VOLTS * 10, "volts of [0-9,]+ V is beyond any connector"),
    ],
)
def test_what_no_connector_carries_is_refused_with_the_way_out(column: str, values: np.ndarray, said: str) -> None:
    table = f"t [s],{column},SOC [%]\n" + "".join(f"{SECONDS[i]:.0f},{values[i]},{SOC[i]:.0f}\n" for i in range(COUNT))
    with pytest.raises(UnreadableError, match=said) as refused:
        read_capture(Source(table.encode()))
    assert "Write the unit over the column" in refused.value.hint


def test_a_name_that_ends_in_a_number_and_a_letter_has_no_unit_of_so_many_amperes() -> None:
    table = "t [s],Power stall 2A [kW]\n" + "".join(f"{SECONDS[i]:.0f},{KW[i]}\n" for i in range(COUNT))
    read = read_capture(Source(table.encode()))
    assert isinstance(read, PowerRecord)
    assert read.values["power_kw"] == pytest.approx(KW)


def test_dates_written_by_points_stay_dates() -> None:
    """“09.03.26” on every row is a day, however much it looks like a clock."""
    table = "Datum;Zeit;kW\n" + "".join(
        f"09.03.26;{clock(s, '%H:%M:%S')};{comma(k)}\n" for s, k in zip(SECONDS, KW, strict=True)
    )
    read = read_capture(Source(table.encode()))
    assert isinstance(read, PowerRecord)
    assert read.time_s[-1] - read.time_s[0] == SECONDS[-1]
    assert read.recorded_at.startswith(("2026-03-09", "09.03.26"))
