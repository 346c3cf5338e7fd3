"""Files that are damaged on purpose or by accident: read without what cannot be, or refused in one true sentence."""

from __future__ import annotations

import gzip

import numpy as np
import pytest
from polars.exceptions import PanicException

from gladwire.benchmarks.hostile import HOSTILE, SAMPLES, container, ethernet, npz, power, scope, sheet
from gladwire.core.can.names import read_names
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.measured import Measured, measure_capture
from gladwire.core.plc.frames import Frame
from gladwire.core.signal.waveform import Recording
from gladwire.formats import pcapng
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.terminal import measure_file


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


def test_a_container_far_beyond_its_size_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gladwire.formats.can_logs._MOST_CONTAINER", 2**20)
    with pytest.raises(UnreadableError, match="unpacks to 1 MiB or more"):
        read_capture(Source(container(2**20)))
    with pytest.raises(UnreadableError, match="the log is damaged"):
        read_capture(Source(container(2**20 - 1)))


@pytest.mark.parametrize(("columns", "read"), [(500, True), (501, False)])
def test_columns_beyond_any_capture_are_refused(columns: int, read: bool) -> None:
    names = ",".join(["t", *(f"c{n}" for n in range(columns - 1))])
    rows = "".join(f"{n / 1e3},{','.join(['1.5'] * (columns - 1))}\n" for n in range(30))
    if read:
        assert isinstance(read_capture(Source(f"{names}\n{rows}".encode())), Recording)
    else:
        with pytest.raises(UnreadableError, match="more than 500 columns"):
            read_capture(Source(f"{names}\n{rows}".encode()))


@pytest.mark.parametrize("kind", ["pcap", "pcapng"])
def test_frames_beyond_any_session_are_refused(monkeypatch: pytest.MonkeyPatch, kind: str) -> None:
    for reader in ("pcap", "pcapng"):
        monkeypatch.setattr(f"gladwire.formats.{reader}.MOST_FRAMES", 20)
    frames = [Frame(n / 10, bytes(60)) for n in range(21)]
    few = pcapng.write(frames[:20], 100.0) if kind == "pcapng" else ethernet(iter([bytes(60)] * 20))
    many = pcapng.write([*frames, frames[-1]], 100.0) if kind == "pcapng" else ethernet(iter([bytes(60)] * 21))
    assert len(read_capture(Source(few)).frames) == 20  # type: ignore[union-attr]
    with pytest.raises(UnreadableError, match="beyond one session"):
        read_capture(Source(many))


@pytest.mark.parametrize(
    ("start", "length", "read"), [(0, 64, True), (14_216, 64, True), (14_217, 64, False), (2_000_000_000, 8, False)]
)
def test_a_signal_beyond_any_message_of_a_bus_is_refused(start: int, length: int, read: bool) -> None:
    text = f'VERSION ""\nBU_: V\nBO_ 256 M: 1785 V\n SG_ S : {start}|{length}@1+ (1,0) [0|1] "V" V\n'
    if read:
        assert read_names(text, "x").counts == (1, 1)
    else:
        with pytest.raises(ValueError, match="the signal S lies beyond bit 14280"):
            read_names(text, "x")


def test_a_library_that_panics_is_a_sentence_too(monkeypatch: pytest.MonkeyPatch) -> None:
    """Its panic is no Exception and would end a terminal with a traceback, a worker's child without a word."""

    def panics(*_: object, **__: object) -> None:
        raise PanicException("slice index starts at 1 but ends at 0")

    monkeypatch.setattr("gladwire.formats.scope_csv.pl.read_csv", panics)
    with pytest.raises(UnreadableError, match="cannot be split into numbers"):
        read_capture(Source(scope(*(f"{n / 1e5:.5f}" for n in range(400)))))
