"""Frames to what they carry: HomePlug management, UDP datagrams, TCP segments.

An Ethernet frame with SDP: destination 6, source 6, `86 dd`, IPv6 (40 bytes, next header 17), UDP to port 15118.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from gladwire.core.plc import frames as link
from gladwire.core.plc.frames import Frame

IPV6, IPV4, HOMEPLUG_AV, HOMEPLUG_1 = 0x86DD, 0x0800, 0x88E1, 0x887B
VLAN = (0x8100, 0x88A8, 0x9100)
TCP, UDP, FRAGMENT, ICMPV6 = 6, 17, 44, 58
HOP_BY_HOP, ROUTING, AUTHENTICATION, DESTINATION = 0, 43, 51, 60
EXTENSIONS = (HOP_BY_HOP, ROUTING, AUTHENTICATION, DESTINATION, FRAGMENT, 135, 139, 140)
FIN, SYN, RST, PSH, ACK = 1, 2, 4, 8, 16
MOST_FRAGMENTS = 4096


class TcpSegment(NamedTuple):
    """A TCP segment. src, dst: address and port. frame: its place in the capture. cut: the payload is not whole."""

    time_s: float
    frame: int
    src: tuple[bytes, int]
    dst: tuple[bytes, int]
    seq: int
    ack: int
    flags: int
    payload: bytes
    src_mac: bytes
    dst_mac: bytes
    cut: bool


class Datagram(NamedTuple):
    """A UDP datagram."""

    time_s: float
    frame: int
    src: tuple[bytes, int]
    dst: tuple[bytes, int]
    payload: bytes
    src_mac: bytes
    cut: bool


class Management(NamedTuple):
    """A HomePlug AV management frame: everything after its EtherType."""

    time_s: float
    frame: int
    src_mac: bytes
    dst_mac: bytes
    payload: bytes
    cut: bool


class Other(NamedTuple):
    """A frame that carries none of these. kind: what it is, in a word."""

    time_s: float
    frame: int
    src_mac: bytes
    kind: str


Packet = TcpSegment | Datagram | Management | Other

_TCP_HEAD = struct.Struct(">HHIIBB")


@dataclass(slots=True)
class _Datagram:
    """Fragments of one datagram by their place. end: where the last one ends, None until it came; size: bytes so far."""

    parts: dict[int, bytes] = field(default_factory=dict)
    size: int = 0
    end: int | None = None


_Fragments = dict[tuple[bytes, bytes, int], _Datagram]


def packets(captured: Sequence[Frame]) -> Iterator[Packet]:
    """What every frame carries, in order. A frame that cannot be read is an `Other`, never an error."""
    fragments: _Fragments = {}
    for number, frame in enumerate(captured):
        data = frame.data
        if frame.link == link.ETHERNET and data[12:14] == b"\x86\xdd" and len(data) >= 74 and data[20] == TCP:
            yield _segment(frame, number, data, 14, data[6:12], data[:6])  # by far the most frames
            continue
        try:
            yield _packet(frame, number, fragments)
        except (struct.error, IndexError):
            kind = "cut off in its headers" if data else "seen twice, on another interface"
            yield Other(frame.time_s, number, b"", kind)


def _packet(frame: Frame, number: int, fragments: _Fragments) -> Packet:
    data = frame.data
    kind, start, src_mac, dst_mac = _link(frame)
    while kind in VLAN:
        kind = int.from_bytes(data[start + 2 : start + 4], "big")
        start += 4
    if kind == HOMEPLUG_AV:
        return Management(frame.time_s, number, src_mac, dst_mac, data[start:], frame.cut > 0)
    if kind == IPV6:
        return _ipv6(frame, number, start, src_mac, dst_mac, fragments)
    if kind == IPV4:
        return _ipv4(frame, number, start, src_mac, dst_mac)
    names = {HOMEPLUG_1: "HomePlug 1.0", 0x0806: "ARP", 0x88CC: "LLDP", 0x8912: "HomePlug vendor frame"}
    return Other(frame.time_s, number, src_mac, names.get(kind, f"EtherType {kind:04x}" if kind >= 1536 else "802.3"))


def _link(frame: Frame) -> tuple[int, int, bytes, bytes]:
    """(EtherType, where its payload begins, source, destination)."""
    data = frame.data
    if frame.link == link.ETHERNET:
        return struct.unpack_from(">H", data, 12)[0], 14, data[6:12], data[:6]
    if frame.link == link.COOKED:
        return struct.unpack_from(">H", data, 14)[0], 16, data[6:12], b""
    if frame.link == link.COOKED_2:
        return struct.unpack_from(">H", data, 0)[0], 20, data[12:18], b""
    start = 4 if frame.link in (link.LOOPBACK_NULL, link.LOOPBACK) else 0
    version = data[start] >> 4
    return (IPV6 if version == 6 else IPV4 if version == 4 else 0), start, b"", b""


def _ipv6(
    frame: Frame,
    number: int,
    start: int,
    src_mac: bytes,
    dst_mac: bytes,
    fragments: _Fragments,
) -> Packet:
    data = frame.data
    length, following = struct.unpack_from(">HB", data, start + 4)
    src, dst = data[start + 8 : start + 24], data[start + 24 : start + 40]
    at = start + 40
    end = at + length if length else len(data)
    while following in EXTENSIONS:
        if following == FRAGMENT:
            after, place, identity = struct.unpack_from(">BxHI", data, at)
            whole = _fragment(fragments, (src, dst, identity), place >> 3, bool(place & 1), data[at + 8 : end])
            if whole is None:
                return Other(frame.time_s, number, src_mac, "a fragment")
            return _transport(frame, number, after, whole, 0, len(whole), (src, dst), src_mac, dst_mac)
        after, units = data[at], data[at + 1]
        at += (units + 2) * 4 if following == AUTHENTICATION else (units + 1) * 8
        following = after
    return _transport(frame, number, following, data, at, end, (src, dst), src_mac, dst_mac)


def _fragment(store: _Fragments, key: tuple[bytes, bytes, int], place: int, more: bool, part: bytes) -> bytes | None:
    """The whole once every fragment is there."""
    if not more and place == 0:
        return part
    if len(store) > MOST_FRAGMENTS:
        store.clear()
    datagram = store.setdefault(key, _Datagram())
    datagram.size += len(part) - len(datagram.parts.get(place * 8, b""))
    datagram.parts[place * 8] = part
    if not more:
        datagram.end = place * 8 + len(part)
    # Looked through only when it may be whole: fragments that never complete would cost their square.
    if datagram.end is None or datagram.size < datagram.end:
        return None
    at, joined = 0, []
    while at < datagram.end and (piece := datagram.parts.get(at)):
        joined.append(piece)
        at += len(piece)
    if at < datagram.end:
        return None
    del store[key]
    return b"".join(joined)


def _ipv4(frame: Frame, number: int, start: int, src_mac: bytes, dst_mac: bytes) -> Packet:
    data = frame.data
    first, length, place, following = struct.unpack_from(">BxH2xHxB", data, start)
    if place & 0x3FFF:
        return Other(frame.time_s, number, src_mac, "a fragment of IPv4")
    at, end = start + (first & 15) * 4, start + (length or len(data))
    ends = (data[start + 12 : start + 16], data[start + 16 : start + 20])
    return _transport(frame, number, following, data, at, end, ends, src_mac, dst_mac)


def _transport(
    frame: Frame,
    number: int,
    protocol: int,
    data: bytes,
    at: int,
    end: int,
    ends: tuple[bytes, bytes],
    src_mac: bytes,
    dst_mac: bytes,
) -> Packet:
    cut = end > len(data)
    if protocol == UDP:
        sport, dport, length = struct.unpack_from(">HHH", data, at)
        src, dst = (ends[0], sport), (ends[1], dport)
        return Datagram(frame.time_s, number, src, dst, data[at + 8 : min(end, at + max(length, 8))], src_mac, cut)
    if protocol == TCP:
        sport, dport, seq, ack, offset, flags = _TCP_HEAD.unpack_from(data, at)
        payload = data[at + (offset >> 4) * 4 : end]
        src, dst = (ends[0], sport), (ends[1], dport)
        return TcpSegment(frame.time_s, number, src, dst, seq, ack, flags, payload, src_mac, dst_mac, cut)
    names = {ICMPV6: "neighbour discovery", 1: "ICMP", 2: "IGMP"}
    return Other(frame.time_s, number, src_mac, names.get(protocol, f"IP protocol {protocol}"))


def _segment(frame: Frame, number: int, data: bytes, start: int, src_mac: bytes, dst_mac: bytes) -> TcpSegment:
    length = data[start + 4] << 8 | data[start + 5]
    # Segments joined by the network card may carry no length.
    end = start + 40 + length if length else len(data)
    sport, dport, seq, ack, offset, flags = _TCP_HEAD.unpack_from(data, start + 40)
    payload = data[start + 40 + (offset >> 4) * 4 : end]
    src, dst = (data[start + 8 : start + 24], sport), (data[start + 24 : start + 40], dport)
    return TcpSegment(frame.time_s, number, src, dst, seq, ack, flags, payload, src_mac, dst_mac, end > len(data))
