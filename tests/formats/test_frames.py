"""pcap and pcapng against scapy's and tshark's tools, in every variant and in every state of damage."""

from __future__ import annotations

import gzip
import random
import struct
import subprocess
import warnings
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.plc.frames import FrameCapture
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.formats import pcapng
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.build import take

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from scapy.layers.l2 import Ether
    from scapy.utils import PcapNgWriter, PcapReader, PcapWriter

FRAMES = play(Plan(loop_s=1.0)).frames
START = 1_780_000_000.0


def read(content: bytes) -> FrameCapture:
    capture = read_capture(Source(content))
    assert isinstance(capture, FrameCapture)
    return capture


@pytest.mark.parametrize("endianness", ["<", ">"])
@pytest.mark.parametrize("nano", [False, True])
@pytest.mark.parametrize("packed", [False, True])
def test_pcap_written_by_scapy_is_read_in_every_variant(
    tmp_path: Path, endianness: str, nano: bool, packed: bool
) -> None:
    path = tmp_path / "a.pcap"
    writer = PcapWriter(str(path), linktype=1, endianness=endianness, nano=nano)
    writer.write_header(None)
    for frame in FRAMES[:50]:
        writer.write_packet(
            frame.data, sec=int(START + frame.time_s), usec=int((START + frame.time_s) % 1 * (1e9 if nano else 1e6))
        )
    writer.close()
    content = gzip.compress(path.read_bytes()) if packed else path.read_bytes()
    capture = read(content)
    assert [f.data for f in capture.frames] == [f.data for f in FRAMES[:50]]
    gaps = [f.time_s - FRAMES[0].time_s for f in FRAMES[:50]]
    assert [f.time_s for f in capture.frames] == pytest.approx(gaps, abs=2e-6)
    assert capture.recorded_at.startswith("2026-05-28T")


def test_pcapng_written_by_scapy_and_ours_read_by_scapy_and_tshark(tmp_path: Path) -> None:
    theirs = tmp_path / "theirs.pcapng"
    writer = PcapNgWriter(str(theirs))
    for frame in FRAMES[:30]:
        packet = Ether(frame.data)
        packet.time = START + frame.time_s
        writer.write(packet)
    writer.close()
    assert [f.data for f in read(theirs.read_bytes()).frames] == [f.data for f in FRAMES[:30]]
    ours = tmp_path / "ours.pcapng"
    ours.write_bytes(pcapng.write(FRAMES[:30], START, "of a test"))
    with PcapReader(str(ours)) as reader:
        assert [bytes(p) for p in reader] == [f.data for f in FRAMES[:30]]
    command = ["tshark", "-r", str(ours), "-T", "fields", "-e", "frame.time_epoch", "-e", "frame.len"]
    rows = [
        line.split("\t")
        for line in subprocess.run(command, capture_output=True, text=True, check=True).stdout.splitlines()
    ]
    assert [float(t) for t, _ in rows] == pytest.approx([START + f.time_s for f in FRAMES[:30]], abs=2e-6)
    assert [int(n) for _, n in rows] == [len(f.data) for f in FRAMES[:30]]


def block(order: str, kind: int, body: bytes) -> bytes:
    length = struct.pack(order + "I", len(body) + 12)
    return struct.pack(order + "I", kind) + length + body + length


def test_pcapng_with_two_sections_of_either_order_interfaces_options_and_simple_packets() -> None:
    """Blocks by the public pcapng specification (draft-ietf-opsawg-pcapng), from memory."""
    content = b""
    for order in "<>":
        magic = struct.pack(order + "I", 0x1A2B3C4D)
        content += block(order, 0x0A0D0D0A, magic + struct.pack(order + "HHq", 1, 0, -1))
        nano = struct.pack(order + "HH", 9, 1) + b"\x09\0\0\0" + struct.pack(order + "HH", 0, 0)
        content += block(order, 1, struct.pack(order + "HHI", 1, 0, 0)) + block(
            order, 1, struct.pack(order + "HHI", 101, 0, 0) + nano
        )
        ticks = int(START * 1e9) + 500_000_000
        comment = struct.pack(order + "HH", 1, 4) + b"here" + struct.pack(order + "HH", 0, 0)
        head = struct.pack(order + "IIIII", 1, ticks >> 32, ticks & 0xFFFFFFFF, 3, 60)
        content += block(order, 6, head + b"\x60\x01\x02\0" + comment)
        content += block(order, 0x0BAD, b"what")
        micro = int(START * 1e6)
        content += block(order, 6, struct.pack(order + "IIIII", 0, micro >> 32, micro & 0xFFFFFFFF, 2, 2) + b"ab\0\0")
        content += block(order, 3, struct.pack(order + "I", 5) + b"abcde\0\0\0")
    capture = read(content)
    assert sorted(f.data for f in capture.frames) == sorted([b"\x60\x01\x02", b"ab", b"abcde"] * 2)
    assert {f.link for f in capture.frames} == {1, 101}
    assert any("here" in r for r in capture.remarks)
    assert any("recorded short" in r for r in capture.remarks)


def test_a_cut_file_gives_the_frames_before_the_cut_and_says_so() -> None:
    whole = pcapng.write(FRAMES[:40], START)
    for end in range(200, len(whole), 331):
        capture = read(whole[:end])
        assert [f.data for f in capture.frames] == [f.data for f in FRAMES[: len(capture.frames)]]
        complete = len(pcapng.write(FRAMES[: len(capture.frames)], START)) == end
        assert complete or capture.remarks


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"\xd4\xc3\xb2\xa1" + bytes(20), "no whole frame"),
        (
            struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 9999, 147) + struct.pack("<IIII", 1, 0, 4, 4) + b"abcd",
            "link type 147",
        ),
        (pcapng.write([], 0.0), "no whole frame"),
    ],
)
def test_what_holds_no_frame_of_ours_is_refused_in_one_sentence(content: bytes, said: str) -> None:
    with pytest.raises(UnreadableError, match=said):
        read_capture(Source(content))


@settings(max_examples=150, deadline=None)
@given(data=st.data())
def test_damaged_frame_files_end_in_a_capture_or_one_refusal(data: st.DataObject) -> None:
    content = bytearray(pcapng.write(FRAMES[:25], START))
    if data.draw(st.booleans()):
        content = bytearray(struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 9999, 1))
        for frame in FRAMES[:25]:
            content += struct.pack("<IIII", 5, int(frame.time_s * 1e6), len(frame.data), len(frame.data)) + frame.data
    for _ in range(data.draw(st.integers(1, 12))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    try:
        capture = read_capture(Source(bytes(content[: data.draw(st.integers(1, len(content)))])))
    except UnreadableError:
        return
    take(capture)


def test_frames_out_of_order_are_sorted_and_said() -> None:
    dice = random.Random(2)
    mixed = list(FRAMES[:60])
    dice.shuffle(mixed)
    capture = read(pcapng.write(mixed, START))
    assert sorted(f.data for f in capture.frames) == sorted(f.data for f in FRAMES[:60])
    assert [f.time_s for f in capture.frames] == pytest.approx([f.time_s - 0.4 for f in FRAMES[:60]], abs=2e-6)
    assert any("backwards" in r for r in capture.remarks)
