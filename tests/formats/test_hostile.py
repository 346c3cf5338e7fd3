"""Files that are damaged on purpose or by accident: read without what cannot be, or refused in one true sentence."""

from __future__ import annotations

import gzip
import io
import zipfile
from collections.abc import Callable, Mapping

import numpy as np
import openpyxl
import pytest

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.terminal import measure_file


def npz(**arrays: object) -> bytes:
    out = io.BytesIO()
    np.savez(out, **arrays)  # type: ignore[arg-type]
    return out.getvalue()


SAMPLES = np.where(np.arange(4000) % 100 < 27, 9.0, -12.0).astype(np.float32)


def scope(*times: str) -> bytes:
    return ("t,CP\n" + "".join(f"{t},{v}\n" for t, v in zip(times, SAMPLES, strict=False))).encode()


def power(cell: str) -> bytes:
    rows = "".join(f"{10 * n},{cell if n == 7 else 50 + n},{20 + n}\n" for n in range(30))
    return f"t (s),kW,SoC\n{rows}".encode()


def sheet(rows: Callable[[object], None]) -> bytes:
    book = openpyxl.Workbook()
    rows(book.active)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


VCD = b"$timescale 1 us $end\n$var wire %d ! bus $end\n$enddefinitions $end\n#0\nb%s !\n#100\nb0 !\n#200\n"
HOSTILE: Mapping[str, Callable[[], bytes]] = {
    "NPZ that begins at no time": lambda: npz(CP=SAMPLES, rate_hz=1e5, t0=np.nan),
    "NPZ that begins at infinity": lambda: npz(CP=SAMPLES, rate_hz=1e5, t0=np.inf),
    "NPZ at no rate": lambda: npz(CP=SAMPLES, rate_hz=np.nan),
    "NPZ at an infinite rate": lambda: npz(CP=SAMPLES, rate_hz=np.inf),
    "NPZ at rate 0": lambda: npz(CP=SAMPLES, rate_hz=0.0),
    "NPZ of infinities": lambda: npz(CP=np.full(4000, np.inf), rate_hz=1e5),
    "NPZ of objects": lambda: npz(CP=np.array([{}, []], dtype=object), rate_hz=1e5),
    "times of 1e20": lambda: scope(*(f"{1e20 + n * 1e16:.6e}" for n in range(4000))),
    "times of 1e-300": lambda: scope(*(f"{n * 1e-300:.6e}" for n in range(4000))),
    "times of 1e308": lambda: scope(*(f"{n * 4e304:.6e}" for n in range(4000))),
    "power of 1.797E+308": lambda: power("1.797E+308"),
    "power of 9.9E37": lambda: power("9.9E37"),
    "power of -9999": lambda: power("-9999"),
    "power of inf": lambda: power("inf"),
    "a date beyond the calendar": lambda: b"Time,kW,SoC\n99999-01-01 09:00:00,5,20\n99999-01-01 09:00:10,6,21\n",
    "epoch beyond the calendar": lambda: b"timestamp,kW,SoC\n1e18,5,20\n1.1e18,6,21\n1.2e18,7,22\n",
    "VCD vector of 1100 bits": lambda: VCD % (1100, b"1" * 1100),
    "VCD with a time of 1e30": lambda: VCD.replace(b"#200", b"#" + b"9" * 30) % (8, b"1"),
    "CAN FD line over-long": lambda: b"(1794300095.000000) can0 123##0" + b"AB" * 400 + b"\n" * 3,
    "CAN line of nonsense": lambda: b"(1794300095.000000) can0 123#GG\n(1e999) can0 1#00\n" * 40,
    "gzip of gzip of nothing": lambda: gzip.compress(gzip.compress(b"")),
    "gzip cut": lambda: gzip.compress(scope(*(f"{n / 1e5:.5f}" for n in range(4000))))[:-200],
    "a zip that is no workbook": lambda: _zip("xl/workbook.xml", b"<x/>"),
    "pcap with a packet of 4 GB": lambda: (
        bytes.fromhex("d4c3b2a1020004000000000000000000ffff000001000000") + b"\xff" * 40
    ),
    "pcapng with a block of 0": lambda: bytes.fromhex("0a0d0d0a000000004d3c2b1a01000000"),
    "WAV without samples": lambda: (
        b"RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00\x44\xac\x00\x00\x88X\x01\x00"
        b"\x02\x00\x10\x00data\x00\x00\x00\x00"
    ),
    "BLF of nothing": lambda: b"LOGG" + b"\xff" * 200,
    "MDF of nothing": lambda: b"MDF     4.10    " + b"\xff" * 200,
    "a workbook of dates as numbers": lambda: sheet(
        lambda s: [s.append(row) for row in (["Time", "kW"], [1e300, 1], [2e300, 2], [3e300, 3])]  # type: ignore[attr-defined]
    ),
}


def _zip(name: str, content: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr(name, content)
    return out.getvalue()


@pytest.mark.parametrize("name", HOSTILE)
def test_it_is_read_or_refused_in_a_sentence_and_what_is_kept_can_be_read_back(name: str) -> None:
    refusal = ""
    try:
        measured = measure_capture(read_capture(Source(HOSTILE[name]()))).measured
    except (UnreadableError, ValueError) as error:
        refusal = str(error)
    if refusal:
        assert 10 < len(refusal) < 400
    else:
        assert Measured.model_validate_json(measured.model_dump_json()) == measured


@pytest.mark.parametrize(("cell", "shown"), [("1.797E+308", "1.797e+308"), ("9.9E37", "9.9e+37"), ("-9999", "-9999")])
def test_a_mark_for_no_reading_is_a_gap_and_said(cell: str, shown: str) -> None:
    read = read_capture(Source(power(cell)))
    assert isinstance(read, PowerRecord)
    assert np.isnan(read.values["power_kw"]).sum() == 1
    assert any(shown in remark and "1 reading of power" in remark for remark in read.remarks)


def test_a_scope_s_mark_for_no_sample_is_a_gap_and_said() -> None:
    samples = SAMPLES.copy()
    samples[500:510] = 9.9e37
    read = read_capture(Source(npz(CP=samples, rate_hz=1e5)))
    assert isinstance(read, Recording)
    assert np.isnan(read.channels[0].samples).sum() == 10
    assert any("10 readings of “CP”" in remark for remark in read.remarks)


def test_a_reader_that_trips_says_where(monkeypatch: pytest.MonkeyPatch) -> None:
    def trips(*_: object) -> None:
        raise OverflowError("cannot convert float infinity to integer")

    monkeypatch.setattr("gladwire.formats.registry.checked", trips)
    with pytest.raises(UnreadableError, match=r"read as .*OverflowError, test_hostile"):
        read_capture(Source(power("5")))


def test_the_terminal_says_it_too(tmp_path, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    def trips(*_: object) -> None:
        raise ZeroDivisionError

    path = tmp_path / "x.csv"
    path.write_bytes(power("5"))
    monkeypatch.setattr("gladwire.terminal.measure_capture", trips)
    with pytest.raises(UnreadableError, match="measured, it holds something"):
        measure_file(path, None)  # type: ignore[arg-type]


def test_a_packed_file_far_beyond_its_size_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gladwire.formats.opening._UNPACKS_TO", 2**20)
    # Packs to a thousandth.
    packed = gzip.compress(b"(1794300095.000000) can0 123#00\n" * 100_000)
    assert len(packed) * 200 < 3_000_000
    with pytest.raises(UnreadableError, match="unpacks to more than 1 MiB"):
        read_capture(Source(packed))


def test_a_workbook_of_empty_cells_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gladwire.formats.power_xlsx._MOST_CELLS", 5_000)

    def filled(sheet_: object) -> None:
        for _ in range(11):
            sheet_.append([None] * 499 + [1])  # type: ignore[attr-defined]

    with pytest.raises(UnreadableError, match="5,000 cells"):
        read_capture(Source(sheet(filled)))


def test_a_dump_of_many_lines_over_a_long_time_is_refused() -> None:
    names = b"".join(b"$var wire 1 c%d l%d $end\n" % (n, n) for n in range(300))
    changes = b"".join(
        b"#%d\n%s" % (t, b"".join(b"%dc%d\n" % (t % 2, n) for n in range(300))) for t in (0, 1, 2_000_000)
    )
    with pytest.raises(UnreadableError, match="more than is read at once"):
        read_capture(Source(b"$timescale 1 us $end\n" + names + b"$enddefinitions $end\n" + changes))


def test_what_unpacks_within_its_bound_is_read() -> None:
    assert isinstance(read_capture(Source(gzip.compress(power("5")))), PowerRecord)
