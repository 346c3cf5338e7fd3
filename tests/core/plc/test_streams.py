"""Streams: whatever way bytes are cut, repeated, reordered or lost, what comes out is what was sent, or a "
"hole that is said."""

from __future__ import annotations

import random
import struct
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.plc.packets import ACK, FIN, PSH, RST, SYN, TcpSegment
from gladwire.core.plc.tcp import Reassembly, StreamPiece, TcpConnection
from gladwire.core.plc.v2gtp import EXI, Parcel, Splitter, read_sdp

A, B = (b"\x01" * 16, 50000), (b"\x02" * 16, 15118)
START = 2**32 - 40  # sequence numbers wrap early on


def segment(
    seq: int, payload: bytes, flags: int = PSH | ACK, ack: int = 0, back: bool = False, at: float = 0.0
) -> TcpSegment:
    src, dst = (B, A) if back else (A, B)
    return TcpSegment(at, 0, src, dst, seq % 2**32, ack % 2**32, flags, payload, b"", b"", False)


def joined(pieces: list[StreamPiece], side: int = 0) -> bytes:
    return b"".join(p.data for p in pieces if p.side == side)


@st.composite
def deliveries(draw: st.DrawFn) -> tuple[bytes, list[tuple[int, bytes]]]:
    """(what was sent, segments as they arrive): cut anywhere, some again, some overlapping, near ones swapped."""
    sent = draw(st.binary(min_size=1, max_size=300))
    cuts = sorted(draw(st.sets(st.integers(1, max(len(sent) - 1, 1)), max_size=12)) | {0, len(sent)})
    parts = [(a, sent[a:b]) for a, b in pairwise(cuts) if a < b]
    arriving = []
    for start, part in parts:
        back = draw(st.integers(0, min(start, 5)))
        arriving.append((start - back, sent[start - back : start + len(part)]))
        if draw(st.booleans()):
            arriving.append((start, part))
    first, rest = arriving[0], arriving[1:]
    for _ in range(draw(st.integers(0, 6))):
        if len(rest) > 1:
            i = draw(st.integers(0, len(rest) - 2))
            rest[i], rest[i + 1] = rest[i + 1], rest[i]
    return sent, [first, *rest]


@settings(max_examples=300, deadline=None)
@given(case=deliveries())
def test_every_byte_comes_out_once_and_in_order(case: tuple[bytes, list[tuple[int, bytes]]]) -> None:
    sent, arriving = case
    connection = TcpConnection((A, B), (b"", b""), 0.0, False)
    pieces = [p for start, part in arriving for p in connection.feed(segment(START + start, part))]
    pieces += connection.finish()
    assert joined(pieces) == sent
    assert connection.halves[0].lost == 0


@settings(max_examples=150, deadline=None)
@given(sent=st.binary(min_size=9, max_size=300), data=st.data())
def test_a_segment_that_never_came_is_one_hole_of_its_size(sent: bytes, data: st.DataObject) -> None:
    at = data.draw(st.integers(3, len(sent) - 5))
    size = data.draw(st.integers(1, min(40, len(sent) - at - 2)))
    connection = TcpConnection((A, B), (b"", b""), 0.0, False)
    pieces = connection.feed(segment(START, sent[:at]))
    pieces += connection.feed(segment(START + at + size, sent[at + size :]))
    assert joined(pieces) == sent[:at]
    pieces += connection.feed(segment(9, b"", ACK, ack=START + len(sent), back=True))
    assert joined(pieces) == sent[:at] + sent[at + size :]
    assert (connection.halves[0].lost, connection.halves[0].holes) == (size, 1)
    assert pieces[-1].lost == size


def test_an_acknowledgement_short_of_the_gap_keeps_waiting_for_the_late_segment() -> None:
    connection = TcpConnection((A, B), (b"", b""), 0.0, False)
    pieces = connection.feed(segment(100, b"abc"))
    pieces += connection.feed(segment(106, b"ghi"))
    pieces += connection.feed(segment(1, b"", ACK, ack=103, back=True))
    pieces += connection.feed(segment(103, b"def"))
    assert joined(pieces) == b"abcdefghi"
    assert connection.halves[0].lost == 0


def test_keep_alives_and_endings_add_no_bytes_and_are_kept_by_side() -> None:
    connection = TcpConnection((A, B), (b"", b""), 0.0, True)
    pieces = connection.feed(segment(10, b"", SYN)) + connection.feed(segment(50, b"", SYN | ACK, back=True))
    pieces += connection.feed(segment(11, b"hello"))
    pieces += connection.feed(segment(15, b"o"))  # a keep-alive repeats the last byte
    pieces += connection.feed(segment(51, b"", FIN | ACK, back=True, at=4.0))
    pieces += connection.feed(segment(16, b"", RST, at=5.0))
    assert joined(pieces) == b"hello"
    assert connection.answered
    assert [(e.by, e.kind, e.time_s) for e in connection.endings] == [(1, "fin", 4.0), (0, "rst", 5.0)]


def test_the_one_who_opened_is_found_from_either_end_and_a_new_syn_is_a_new_connection() -> None:
    streams = Reassembly()
    answer_first = streams.connection_of(segment(1, b"", SYN | ACK, back=True))
    assert answer_first.ends == (A, B)
    assert streams.connection_of(segment(2**32 - 1, b"", SYN)) is answer_first  # the opening, seen after its answer
    answer_first.feed(segment(2, b"", RST))
    again = streams.connection_of(segment(900, b"", SYN))
    assert again is not answer_first
    assert streams.connection_of(segment(901, b"x")) is again
    assert streams.connection_of(segment(900, b"", SYN)) is again  # the same SYN sent again


def envelope(kind: int, payload: bytes) -> bytes:
    return struct.pack(">BBHI", 1, 0xFE, kind, len(payload)) + payload


PAYLOADS = st.lists(st.tuples(st.sampled_from([EXI, 0x8002, 0x9000]), st.binary(max_size=60)), min_size=1, max_size=8)


@settings(max_examples=200)
@given(messages=PAYLOADS, sizes=st.lists(st.integers(1, 25), min_size=1), noise=st.binary(max_size=30))
def test_payloads_come_out_whole_however_the_stream_is_cut(
    messages: list[tuple[int, bytes]], sizes: list[int], noise: bytes
) -> None:
    noise = noise.replace(b"\x01", b"\x00")
    stream = noise + b"".join(envelope(kind, payload) for kind, payload in messages)
    splitter, found, at, exchange = Splitter(), [], 0, 0
    while at < len(stream):
        size = sizes[exchange % len(sizes)]
        found += splitter.feed(0.0, exchange, stream[at : at + size], 0)
        at, exchange = at + size, exchange + 1
    assert [(p.kind, p.payload) for p in found] == messages
    assert splitter.skipped == len(noise)


def test_after_a_hole_the_next_envelope_is_found_and_what_was_cut_is_kept() -> None:
    splitter = Splitter()
    first, second = envelope(EXI, b"first message"), envelope(EXI, b"second")
    assert splitter.feed(0.0, 1, first[:15], 0) == []
    found = splitter.feed(1.0, 2, b"tail of a lost one" + second, 6)
    assert found[0] == Parcel(0.0, 1, EXI, b"first m", 0, whole=False)
    assert (found[1].payload, found[1].lost > 0) == (b"second", True)


@pytest.mark.parametrize(
    ("digits", "asked", "port", "tls"),
    [
        ("01fe9000000000021000", True, 0, False),
        ("01fe9000000000020000", True, 0, True),
        ("01fe900100000014fe8000000000000000d00dfffe000042fa6d1000", False, 64109, False),
        ("01fe900100000014fe8000000000000000d00dfffe000042fa6d0000", False, 64109, True),
    ],
)
def test_discovery_is_read_byte_for_byte(digits: str, asked: bool, port: int, tls: bool) -> None:
    """Layout of ISO 15118-2:2013, 7.10.1, from memory: security and transport byte, then address and port."""
    said = read_sdp(bytes.fromhex(digits))
    assert said is not None
    assert (said.request, said.port, said.tls, said.tcp) == (asked, port, tls, True)
    assert said.address == ("" if asked else "fe80::d0:dff:fe00:42")
    for end in range(len(digits) // 2 - 1):
        assert read_sdp(bytes.fromhex(digits)[:end]) is None


def test_noise_is_no_discovery() -> None:
    dice = random.Random(4)
    assert all(read_sdp(dice.randbytes(dice.randrange(0, 40))) is None for _ in range(500))
