"""Power records in shapes people write: each is the plain record of the same readings, or asked about."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
import pytest

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

N, STEP_S = 40, 120
AT = np.arange(N) * float(STEP_S)
KW = np.round(np.where(AT < 240, AT / 240 * 88, 88 - AT * 0.004), 1)
SOC = np.floor(20 + np.cumsum(KW) * STEP_S / 3600 / 240 * 100).astype(int)


def clock(i: int, how: str = "%H:%M:%S") -> str:
    return (datetime(2026, 5, 14, 9, 3) + timedelta(seconds=float(AT[i]))).strftime(how)


def page(i: int) -> list[str]:
    """A reading; of every fifteenth with the header before it."""
    return [*(["Time,kW,SoC"] if i % 15 == 9 else []), f"{clock(i)},{KW[i]},{SOC[i]}"]


def table(head: str, lines: list[str]) -> bytes:
    return ("\n".join([head, *lines]) + "\n").encode()


SHAPES = {
    "plain": table("Time,kW,SoC", [f"{clock(i)},{KW[i]},{SOC[i]}" for i in range(N)]),
    "newest first": table("Time,kW,SoC", [f"{clock(i)},{KW[i]},{SOC[i]}" for i in reversed(range(N))]),
    "a header on every page": table("Time,kW,SoC", [line for i in range(N) for line in page(i)]),
    "clocks with points": table("Time;kW;SoC", [f"{clock(i, '%H.%M')};{KW[i]};{SOC[i]}" for i in range(N)]),
    "parted by blanks": table("min kW %", [f"{AT[i] / 60:.0f} {KW[i]} {SOC[i]}" for i in range(N)]),
    "of a text with bars": table(
        "| Time | kW | SoC |\n|---|---|---|", [f"| {clock(i)} | {KW[i]} | {SOC[i]} |" for i in range(N)]
    ),
    "on its side": table(
        f"Time,{','.join(clock(i) for i in range(N))}", [f"kW,{','.join(map(str, KW))}", f"SoC %,{','.join(map(str, SOC))}"]
    ),
    "one reading a row": table(
        "Time,Quantity,Value,Unit",
        [f"{clock(i)},{told}" for i in range(N) for told in (f"Power,{KW[i]},kW", f"SoC,{SOC[i]},%")],
    ),
    "stopwatch": table(
        "Elapsed,kW,SoC", [f"{int(AT[i]) // 60}:{AT[i] % 60:04.1f},{KW[i]},{SOC[i]}" for i in range(N)]
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_a_shape_is_read_as_the_plain_record(name: str) -> None:
    read = read_capture(Source(SHAPES[name]))
    assert isinstance(read, PowerRecord)
    assert read.time_s - read.time_s[0] == pytest.approx(AT)
    assert read.values["power_kw"] == pytest.approx(KW)
    assert read.values["soc_percent"] == pytest.approx(SOC)


def test_what_was_put_upright_is_said() -> None:
    assert "lies on its side" in " ".join(read_capture(Source(SHAPES["on its side"])).remarks)
    assert "Each row tells one of 2 quantities" in " ".join(read_capture(Source(SHAPES["one reading a row"])).remarks)


def hours(texts: list[str], sign: str = ".") -> bytes:
    return table("Time;kW;SoC", [f"{t};{40 + i}{sign}5;{20 + i}" for i, t in enumerate(texts)])


@pytest.mark.parametrize(
    ("texts", "step_s"),
    [
        ([f"09.{4 * i:02d}" for i in range(12)], 240),  # no decimals begin with a nought
        ([f"{10 + (50 + 4 * i) // 60}.{(50 + 4 * i) % 60:02d}" for i in range(12)], 240),  # only so even
        ([f"{i // 2}.{i % 2 * 30:02d}" for i in range(12)], 30),  # minutes and seconds
        ([f"{i * 0.5:.2f}" for i in range(12)], 30),  # decimals: only so even
        ([f"{i * 0.5:05.2f}" for i in range(12)], 30),  # the same with a nought before each
    ],
)
def test_points_of_clocks_are_told_from_those_of_decimals(texts: list[str], step_s: float) -> None:
    read = read_capture(Source(hours(texts)))
    assert isinstance(read, PowerRecord)
    assert np.diff(read.time_s) == pytest.approx(step_s)


def test_a_word_beside_each_reading_is_no_quantity() -> None:
    lines = [f"{clock(i)};{KW[i]};{('Charging', 'Balancing')[i // 8 % 2]}" for i in range(N)]
    read = read_capture(Source(table("Time;kW;Status", lines)))
    assert isinstance(read, PowerRecord)
    assert read.values["power_kw"] == pytest.approx(KW)


def test_where_both_are_equally_good_the_interval_is_asked_for() -> None:
    """“14.00, 14.04” is four minutes on a clock and two minutes and a half in decimals."""
    with pytest.raises(UnreadableError, match=r"hours and minutes, or hours in decimals.*Give the interval"):
        read_capture(Source(hours([f"14.{4 * i:02d}" for i in range(12)])))


def test_a_time_that_runs_backwards_in_the_midst_is_refused_still() -> None:
    lines = SHAPES["newest first"].decode().splitlines()
    lines[10], lines[20] = lines[20], lines[10]
    with pytest.raises(UnreadableError, match="runs backwards"):
        read_capture(Source("\n".join(lines).encode()))
