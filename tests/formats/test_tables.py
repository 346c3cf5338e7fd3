"""Tables as scopes and loggers of many makers write them. Every dialect holds the same short pilot."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pint
import pytest

from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import READERS, read_capture
from gladwire.formats.table.cells import UNIT_FACTORS
from tests.build import analyse, pilot

RATE = 50_000.0
WAVE = pilot().hold(12, ms=40).hold(9, ms=40).pwm(9, duty=26.7, ms=60).pwm(6, duty=26.7, ms=60).record(RATE)
VOLTS = WAVE.samples
TIMES = np.arange(len(VOLTS)) / RATE - 0.05


def rows(delimiter: str = ",", comma: bool = False, time: str = "{:.7f}", volts: str = "{:.3f}", **more: str) -> str:
    factor, end = float(more.get("factor", 1.0)), more.get("end", "")
    lines = (time.format(t * factor) + delimiter + volts.format(v) + end for t, v in zip(TIMES, VOLTS, strict=True))
    text = "\n".join(lines)
    return (text.replace(".", ",") if comma else text) + "\n"


def volts_only(form: str = "{:.3f}") -> str:
    return "\n".join(form.format(v) for v in VOLTS) + "\n"


def indexed(delimiter: str = ",", tail: str = "") -> str:
    return "\n".join(f"{i}{delimiter}{v:.3f}{tail}" for i, v in enumerate(VOLTS)) + "\n"


def beside_preamble() -> str:
    side = ["Record Length,2500", "Sample Interval,0.00002", "Trigger Point,1250", "Source,CH1", "Vertical Units,V"]
    left = [s + "," for s in side] + [",,"] * (len(VOLTS) - len(side))
    return "\n".join(f"{a},{t:.7f},{v:.3f}" for a, t, v in zip(left, TIMES, VOLTS, strict=True)) + "\n"


def each(form: Callable[[int, float, float], str]) -> str:
    return "\n".join(form(i, t, v) for i, (t, v) in enumerate(zip(TIMES, VOLTS, strict=True))) + "\n"


def clock(t: float) -> str:
    """A clock that passes midnight in the middle of the capture."""
    of_day = (86_399.96 + t) % 86_400
    return f"{int(of_day // 3600):02d}:{int(of_day // 60 % 60):02d}:{of_day % 60:09.6f}"


DIALECTS: dict[str, bytes] = {
    "plain": ("time,volts\n" + rows()).encode(),
    "no header": rows().encode(),
    "crlf": ("Time (s),CH1 (V)\n" + rows()).replace("\n", "\r\n").encode(),
    "cr only": ("Time (s),CH1 (V)\n" + rows()).replace("\n", "\r").encode(),
    "bom": b"\xef\xbb\xbf" + ("Time,Pilot\n(s),(V)\n\n" + rows()).encode(),
    "utf-16": ("Zeit;Kanal A\n(ms);(V)\n\n" + rows(";", comma=True, factor="1e3")).encode("utf-16"),
    "utf-16 without mark": ("t;CP\ns;V\n" + rows(";")).encode("utf-16-le"),
    "semicolon, decimal comma": ("Zeit in s;Spannung in V\n" + rows(";", comma=True)).encode(),
    "tab": ("Time\tCP\n[ms]\t[V]\n" + rows("\t", factor="1e3")).encode(),
    "tab, decimal comma": ("t\tU\ns\tV\n" + rows("\t", comma=True)).encode(),
    "latin-1 microseconds": ("Time (µs);CP (V)\n" + rows(";", factor="1e6", time="{:.1f}")).encode("latin-1"),
    "blanks after commas": ("time, volts\n" + rows(", ")).encode(),
    "columns of blanks": ("t   CP\n" + rows("   ")).encode(),
    "exponents": ("Source,CH1\nSecond,Volt\n" + rows(time="{:.8E}", volts="{:+.4E}")).encode(),
    "trailing delimiter": ("Time,CH1,\ns,V,\n" + rows(end=",")).encode(),
    "quoted": ('"Time","CP"\n' + "\n".join(f'"{t:.7f}","{v:.3f}"' for t, v in zip(TIMES, VOLTS, strict=True))).encode(),
    "preamble": ("Model: none\nSample Interval,2.0E-05,s\nRecord Length,10000\nChannel,CP\n\nTIME,CH1\n" + rows()).encode(),
    "keys beside numbers": beside_preamble().encode(),
    "start and increment": ("X,CH1,Start,Increment\nSequence,Volt,-5.0e-02,2.0e-05\n" + indexed(tail=",,")).encode(),
    "index, rate in preamble": ("# sample rate: 50 kSa/s\n# start: -0.05\nindex,CP\n" + indexed()).encode(),
    "one column, interval": ("Sample Interval: 20 us\nCP (V)\n" + volts_only()).encode(),
    "one column, decimal comma": ("Abtastintervall;0,00002\nVolt\n" + volts_only().replace(".", ",")).encode(),
    "millivolts": ("s,mV\n" + "\n".join(f"{t:.6f},{v * 1e3:.0f}" for t, v in zip(TIMES, VOLTS, strict=True))).encode(),
    "over range words": ("t,CP\n" + rows().replace(",12.000", ",∞", 3).replace(",9.000", ",NaN", 2)).encode(),
    "blank lines": ("t,CP\n" + rows().replace("\n", "\n\n", 50)).encode(),
    "footer": ("t,CP\n" + rows() + "END OF DATA\n").encode(),
    "cut last line": ("t,CP\n" + rows())[:-9].encode() + b"0.17,",
    "other channels": ("t,PP,CP,I\ns,V,V,A\n" + "\n".join(
        f"{t:.7f},1.51,{v:.3f},0.02" for t, v in zip(TIMES, VOLTS, strict=True))).encode(),
    "quoted decimal commas": ('"Time","CP"\n' + each(lambda i, t, v: f'"{t:.6f}","{v:.3f}"'.replace(".", ","))).encode(),
    "unit after a slash": ("time/ms,CP/V\n" + each(lambda i, t, v: f"{t * 1e3:.4f},{v:.3f}")).encode(),
    "unit after an underscore": ("t_us,cp_V\n" + each(lambda i, t, v: f"{t * 1e6:.1f},{v:.3f}")).encode(),
    "interval with its unit in the key": ("Sample interval (ms): 0.02\nNo,CP\n" + indexed()).encode(),
    "rate in MHz after a comma": ("Samplerate,0.05 MHz\nCP\n" + volts_only()).encode(),
    "increment after a comma": ("XUNIT,s\nXINCR,2.0E-5\nXZERO,-0.05\nCURVE\n" + volts_only("{:.4E}")).encode(),
    "date and clock": ("when,cp\n" + each(lambda i, t, v: f"2026-03-01T10:00:{t + 1:09.6f},{v:.3f}")).encode(),
    "clock over midnight": ("time;cp\n" + each(lambda i, t, v: f"{clock(t)};{v:.3f}")).encode(),
    "seconds since 1970": ("time,cp\n" + each(lambda i, t, v: f"{1772000000 + t:.6f},{v:.3f}")).encode(),
    "number beside time": ("No.,Time,U\n,s,V\n" + each(lambda i, t, v: f"{i},{t:.6f},{v:.3f}")).encode(),
    "two time columns": ("t1,CP,t2,B\ns,V,s,V\n" + each(lambda i, t, v: f"{t:.6f},{v:.3f},{t:.6f},0.1")).encode(),
    "text among numbers": ("date,t,CP,ok\n" + each(lambda i, t, v: f"1 March,{t:.6f},{v:.3f},yes")).encode(),
    "typographic minus": ("t,u\n" + each(lambda i, t, v: f"{t:.6f},{v:.3f}".replace("-", "−"))).encode(),
    "long preamble": ("".join(f"Key {i},{i * 3}\n" for i in range(40)) + "Time,CP\n" + rows()).encode(),
    "few time digits": ("t,CP\n" + rows(time="{:.4f}")).encode(),
}  # fmt: skip


def read(content: bytes, options: Options | None = None) -> Recording:
    return read_capture(Source(content), options)


@pytest.mark.parametrize("name", DIALECTS)
def test_every_dialect_gives_the_same_pilot(name: str) -> None:
    analysis = analyse(read(DIALECTS[name]))
    seen = [(s.label, round(s.start_s - analysis.pilot.start_s, 2)) for s in analysis.pilot.segments]
    assert seen == [("A1", 0.0), ("B1", 0.04), ("B2", 0.08), ("C2", 0.14)]
    assert analysis.pilot.rate_hz == pytest.approx(RATE, rel=0.01 if name == "few time digits" else 1e-3)
    assert "scale" not in analysis.pilot.interpretation.guessed


@pytest.mark.parametrize("name", ["plain", "utf-16", "keys beside numbers"])
def test_gzip_is_opened(name: str) -> None:
    assert len(read(gzip.compress(DIALECTS[name])).channels[0].samples) == len(VOLTS)


def test_units_and_names_are_taken_from_the_header() -> None:
    recording = read(DIALECTS["other channels"])
    assert [(w.name, w.unit) for w in recording.channels] == [("PP", "V"), ("CP", "V"), ("I", "A")]
    assert read(DIALECTS["millivolts"]).channels[0].samples[0] == pytest.approx(12.0, abs=0.01)


def test_left_out_lines_are_remarked() -> None:
    assert "cut short" in read(DIALECTS["cut last line"]).remarks[0]
    assert "no numbers" in read(DIALECTS["footer"]).remarks[0] or "cut short" in read(DIALECTS["footer"]).remarks[0]


def test_a_cut_file_keeps_every_whole_row() -> None:
    assert len(read(DIALECTS["cut last line"]).channels[0].samples) == len(VOLTS) - 1


def test_a_clock_becomes_times_from_the_first_sample() -> None:
    recording = read(DIALECTS["date and clock"])
    assert recording.channels[0].start_s == 0.0
    assert recording.recorded_at.startswith("2026-03-01T10:00:00.95")
    assert "time of day" in recording.remarks[0]


def test_a_bad_row_far_from_the_end_is_never_taken_for_a_footer() -> None:
    """Also where it happens to stand last in one of the blocks the text is read in."""
    row = "0.0000001,9.000000001\n"
    count = 2 * (8 * 2**20) // len(row)
    lines = ["t,CP", *(f"{i * 1e-6:.6f},9.0000001" for i in range(count))]
    cut = len("\n".join(lines[: count // 2]))
    lines[count // 2 + 3] = "0.5,oops"
    assert cut > 1000
    with pytest.raises(UnreadableError, match="oops") as caught:
        read(("\n".join(lines) + "\n").encode())
    assert caught.value.line == count // 2 + 4


def broken(change: str) -> bytes:
    lines = ("t,CP\n" + rows()).split("\n")
    if change == "word":
        lines[500] = "0.01,hello"
    elif change == "short":
        lines[500] = "0.01"
    elif change == "long":
        lines[500] = "0.01,2,3"
    elif change == "back":
        lines[500] = "-1.0,9.0"
    elif change == "jump":
        lines[500:] = [f"{float(line.split(',')[0]) + 3:.6f},9.0" for line in lines[500:] if line]
    return "\n".join(lines).encode()


@pytest.mark.parametrize(
    ("change", "says"),
    [("word", "hello"), ("short", "1 found"), ("long", "3 found"), ("back", "backwards"), ("jump", "jumps by")],
)
def test_a_bad_row_is_refused_at_its_line(change: str, says: str) -> None:
    with pytest.raises(UnreadableError, match=says) as caught:
        read(broken(change))
    assert caught.value.line == 501


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "empty"),
        (b"\n\n  \n", "empty"),
        (b"dear diary\nnothing happened\ntoday\n", "rows of numbers were expected"),
        (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 20, "expected|rows of numbers"),
        (b"RIFF\x10\x00\x00\x00WAVEfmt ", "damaged"),
        (b"PK\x03\x04 x.npy" + b"\x00" * 50, "damaged"),
        (b"\x1f\x8b\x08broken", "damaged|empty"),
        (gzip.compress(b"\x00" * 50_000_000), "expected|rows of numbers"),
        (volts_only().encode(), "sample interval"),
        (b"t,CP\n1,2\n2,3\n3,4\n", "only 3 rows"),
    ],
)
def test_what_is_no_capture_is_refused_in_one_sentence(content: bytes, says: str) -> None:
    with pytest.raises(UnreadableError, match=says) as caught:
        read(content)
    assert "\n" not in str(caught.value)


def test_an_interval_settled_by_hand_is_used() -> None:
    recording = read(volts_only().encode(), Options(interval_s=1 / RATE))
    assert recording.channels[0].rate_hz == pytest.approx(RATE)


def test_npz_and_wav(tmp_path: Path) -> None:
    from scipy.io import wavfile

    path = tmp_path / "x.npz"
    np.savez(path, t=TIMES, CP=VOLTS)
    assert read(path.read_bytes()).channels[0].rate_hz == pytest.approx(RATE)
    np.savez_compressed(path, CP=VOLTS, fs=RATE)
    assert read(path.read_bytes()).channels[0].name == "CP"
    path = tmp_path / "x.wav"
    wavfile.write(path, int(RATE), (VOLTS / 15 * 32767).astype(np.int16))
    analysis = analyse(read(path.read_bytes()))
    assert [s.label for s in analysis.pilot.segments] == ["A1", "B1", "B2", "C2"]
    assert "scale" in analysis.pilot.interpretation.guessed


def test_pickles_are_never_loaded(tmp_path: Path) -> None:
    path = tmp_path / "evil.npz"
    np.savez(path, a=np.array([{"x": 1}], dtype=object), allow_pickle=True)
    with pytest.raises(UnreadableError, match="objects"):
        read(path.read_bytes())


def test_readers_have_their_own_keys() -> None:
    assert len({reader.key for reader in READERS}) == len(READERS)


UNITS = pint.UnitRegistry()
SPELT = {
    "sec": "second", "s": "second", "ms": "millisecond", "msec": "millisecond", "us": "microsecond", "µs": "microsecond",
    "μs": "microsecond", "usec": "microsecond", "ns": "nanosecond", "min": "minute", "v": "volt", "volts": "volt",
    "mv": "millivolt", "kv": "kilovolt", "uv": "microvolt", "µv": "microvolt", "a": "ampere", "amp": "ampere",
    "amps": "ampere", "ma": "milliampere", "ka": "kiloampere", "ua": "microampere", "µa": "microampere", "ω": "ohm",
    "kω": "kiloohm", "kohm": "kiloohm", "seconds": "second",
}  # fmt: skip


@pytest.mark.parametrize(("base", "unit"), [(base, unit) for base, units in UNIT_FACTORS.items() for unit in units])
def test_units_are_pints(base: str, unit: str) -> None:
    """Factors to the base unit as pint has them, by the units' full names."""
    name = {"time": "second", "V": "volt", "A": "ampere", "ohm": "ohm"}[base]
    assert UNIT_FACTORS[base][unit] == pytest.approx(UNITS(SPELT.get(unit, unit)).to(name).magnitude)
