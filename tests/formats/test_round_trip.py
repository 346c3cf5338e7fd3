"""Every registered reader reads back what is written in its format: by libraries of others, where there are any."""

from __future__ import annotations

import io
import itertools
import json
import tracemalloc
from collections.abc import Callable
from pathlib import Path

import can
import numpy as np
import openpyxl
import pytest
from scipy.io import wavfile

from gladwire.core.can.log import CanLog
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats import pcapng, power_csv, vcd
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import BY_KEY, READERS, read_capture, without_ending

RATE = 10_000.0
VOLTS = np.repeat(np.array([12.0, 9.0, 6.0, 9.0, 12.0]), 400)
KW = np.array([0.0, 20.0, 48.0, 50.0, 50.0, 49.0, 40.0, 30.0])
SECONDS = 10.0 * np.arange(len(KW))
FRAMES = [Frame(0.0, bytes(range(60))), Frame(0.25, bytes(range(60, 160))), Frame(1.5, b"\x01" * 64)]
BUS = [(0.0, 0x102, False, b"\x01\x02"), (0.01, 0x18FF50E5, True, bytes(8)), (0.02, 0x102, False, b"\xff" * 8)]


def table(path: Path) -> None:
    rows = [f"{i / RATE:.4f},{v:.3f}" for i, v in enumerate(VOLTS)]
    path.write_text("\n".join(["Time (s),CP (V)", *rows]) + "\n")


def workbook(path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["Time (s)", "Power (kW)"])
    for row in zip(SECONDS.tolist(), KW.tolist(), strict=True):
        sheet.append(row)
    book.save(path)


def typed(path: Path) -> None:
    columns = [{"quantity": "power_kw", "place": "post"}]
    path.write_text(json.dumps({"columns": columns, "rows": np.column_stack([SECONDS, KW]).tolist()}))


def lines(path: Path) -> None:
    wave = Waveform("lock", (VOLTS > 10).astype(np.float32), RATE, unit="")
    path.write_bytes(vcd.write(Recording((wave,), "test", (), "")))


CHANGES = [(0.0, 1), (0.04, 0), (0.05, 1), (0.052, 0), (0.16, 1), (0.2, 0)]


def changes(path: Path) -> None:
    path.write_text("\n".join(["Time [s],Lock", *(f"{at:.9f},{state}" for at, state in CHANGES)]) + "\n")


def classic(path: Path) -> None:
    utils = pytest.importorskip("scapy.utils")
    with utils.PcapWriter(str(path), linktype=1) as writer:
        writer.write_header(None)
        for frame in FRAMES:
            writer.write_packet(frame.data, sec=100 + int(frame.time_s), usec=int(frame.time_s % 1 * 1e6))


def bus(path: Path) -> None:
    with can.Logger(str(path)) as writer:
        for at, key, extended, data in BUS:
            message = can.Message(
                timestamp=1_790_000_000.0 + at,
                arbitration_id=key,
                is_extended_id=extended,
                data=data,
                channel=0,
                is_rx=True,
            )
            writer.on_message_received(message)


def measurement(path: Path) -> None:
    library = pytest.importorskip("asammdf", reason="the optional reader of MDF is not installed")
    with library.MDF() as file:
        file.append(library.Signal(VOLTS, np.arange(len(VOLTS)) / RATE, name="CP", unit="V"))
        file.save(path)


WRITERS: dict[str, tuple[str, Callable[[Path], object]]] = {
    "scope-csv": ("scope.csv", table),
    "power-csv": ("power.csv", lambda p: p.write_bytes(power_csv.write(PowerRecord(SECONDS, {"power_kw": KW}, {})))),
    "power-xlsx": ("power.xlsx", workbook),
    "typed": ("typed.json", typed),
    "wav": ("pilot.wav", lambda p: wavfile.write(p, int(RATE), (VOLTS / 15).astype(np.float32))),
    "npz": ("pilot.npz", lambda p: np.savez(p, CP=VOLTS, rate_hz=RATE)),
    "vcd": ("lines.vcd", lines),
    "changes-csv": ("lines.csv", changes),
    "mdf": ("pilot.mf4", measurement),
    "pcap": ("frames.pcap", classic),
    "pcapng": ("frames.pcapng", lambda p: p.write_bytes(pcapng.write(FRAMES, 100.0))),
    "can-log": ("bus.log", bus),
    "can-asc": ("bus.asc", bus),
    "can-blf": ("bus.blf", bus),
    "can-trc": ("bus.trc", bus),
}


def test_every_reader_has_a_writer_to_be_tried_with() -> None:
    assert set(WRITERS) == set(BY_KEY)


@pytest.mark.parametrize("key", WRITERS)
def test_what_is_written_is_recognised_and_read_back(tmp_path: Path, key: str) -> None:
    name, write = WRITERS[key]
    path = tmp_path / name
    write(path)
    found = read_capture(Source(path))
    assert without_ending(name) == name.split(".")[0]
    assert found.format == key
    if key == "changes-csv":
        assert isinstance(found, Recording)
        wave = found.channels[0]
        for (at, state), (until, _) in itertools.pairwise(CHANGES):
            assert wave.samples[round((at + until) / 2 * wave.rate_hz)] == state
    elif isinstance(found, Recording):
        wave = found.channels[0]
        expected = VOLTS / 15 if key == "wav" else (VOLTS > 10) if key == "vcd" else VOLTS
        count = min(len(wave.samples), len(expected))
        assert wave.rate_hz == pytest.approx(RATE) or key == "vcd"
        assert count > 1000 or key == "vcd"
        if key != "vcd":
            np.testing.assert_allclose(wave.samples[:count], expected[:count], atol=1e-3)
    elif isinstance(found, PowerRecord):
        np.testing.assert_allclose(found.time_s, SECONDS)
        np.testing.assert_allclose(found.values["power_kw"], KW)
    elif isinstance(found, FrameCapture):
        assert [f.data for f in found.frames] == [f.data for f in FRAMES]
        assert [f.time_s for f in found.frames] == pytest.approx([f.time_s for f in FRAMES], abs=1e-6)
    else:
        assert isinstance(found, CanLog)
        assert found.time_s.tolist() == pytest.approx([at for at, *_ in BUS], abs=1e-4)
        assert [bytes(row[:n]) for row, n in zip(found.data, found.lengths, strict=True)] == [d for *_, d in BUS]


@pytest.mark.parametrize("reader", READERS, ids=lambda r: r.key)
def test_a_reader_that_does_not_fit_refuses_in_a_sentence_or_reads_nothing_else(reader: object) -> None:
    """A person may choose any reader for any file: none may fall over."""
    from gladwire.formats.errors import UnreadableError

    for content in (b"\x00" * 200, b"no capture at all\n" * 20, io.BytesIO(b"{").getvalue()):
        with pytest.raises(UnreadableError):
            read_capture(Source(content), Options(reader=reader.key))  # type: ignore[attr-defined]


@pytest.mark.parametrize("key", WRITERS)
def test_a_small_file_takes_little_memory(tmp_path: Path, key: str) -> None:
    """However much a reader would take: a machine of little memory has to read small captures too."""
    name, write = WRITERS[key]
    path = tmp_path / name
    write(path)
    read_capture(Source(path))  # what is imported stays
    tracemalloc.start()
    read_capture(Source(path))
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < 60 * 2**20
